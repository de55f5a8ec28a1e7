//! The far end of the virtual cable: a packet socket.

use std::os::fd::AsRawFd;
use std::time::Duration;

use smoltcp::phy::{Device, Medium, RawSocket, RxToken, TxToken, wait};
use smoltcp::time::{Duration as Nap, Instant};

use super::super::switched::Uplink;
use super::{FAR_END, SegmentError};

pub(super) struct FarEnd(RawSocket);

impl FarEnd {
    /// Opens it, in the thread that is in its network.
    pub(super) fn open() -> Result<Self, SegmentError> {
        let socket = RawSocket::new(FAR_END, Medium::Ethernet);
        socket.map(Self).map_err(|error| SegmentError::SetUp(error.to_string()))
    }
}

impl Uplink for FarEnd {
    fn hear(&mut self) -> Option<Vec<u8>> {
        let (frame, _) = self.0.receive(Instant::ZERO)?;
        Some(frame.consume(<[u8]>::to_vec))
    }

    fn send(&mut self, frame: &[u8]) {
        if let Some(token) = self.0.transmit(Instant::ZERO) {
            token.consume(frame.len(), |out| out.copy_from_slice(frame));
        }
    }

    fn wait(&mut self, longest: Duration) {
        let nap = Nap::from_micros(u64::try_from(longest.as_micros()).unwrap_or(0));
        wait(self.0.as_raw_fd(), Some(nap)).unwrap_or(());
    }
}
