//! Linux: a packet socket bound to the adapter.

use std::io;
use std::os::fd::AsRawFd;
use std::time::Duration;

use smoltcp::phy::{Device, Medium, RawSocket, RxToken, TxToken, wait};
use smoltcp::time::Instant;

pub(super) struct Socket(RawSocket);

impl Socket {
    pub(super) fn open(adapter: &str) -> io::Result<Self> {
        RawSocket::new(adapter, Medium::Ethernet).map(Self)
    }

    /// Waits until a frame is there, or the time is over.
    pub(super) fn wait(&self, time: Duration) -> io::Result<()> {
        let time = smoltcp::time::Duration::from_micros(u64::try_from(time.as_micros()).unwrap_or(u64::MAX));
        match wait(self.0.as_raw_fd(), Some(time)) {
            Err(error) if error.kind() == io::ErrorKind::Interrupted => Ok(()),
            other => other,
        }
    }

    pub(super) fn receive(&mut self) -> Option<Vec<u8>> {
        self.0.receive(Instant::ZERO).map(|(frame, _)| frame.consume(<[u8]>::to_vec))
    }

    pub(super) fn send(&mut self, frame: &[u8]) {
        if let Some(token) = self.0.transmit(Instant::ZERO) {
            token.consume(frame.len(), |out| out.copy_from_slice(frame));
        }
    }
}
