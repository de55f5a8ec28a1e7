//! The switch at the far end: every node on a port of its own, and the cable to the program on one more.

use std::os::fd::AsRawFd;
use std::time::Duration;

use smoltcp::phy::{Device, Medium, RawSocket, RxToken, TxToken, wait};
use smoltcp::time::Instant;
use smoltcp::wire::{EthernetAddress, EthernetFrame};

use super::host::Host;
use super::{FAR_END, SegmentError, link_of};
use crate::party::Party;
use crate::{Link, Scene};

/// How many frames are taken from the cable before the nodes get their turn.
const MOST_AT_ONCE: usize = 256;

/// A switch with everything that hangs on it.
pub(super) struct Switch {
    cable: RawSocket,
    hosts: Vec<Host>,
    link: Link,
}

impl Switch {
    /// Opens the far end of the cable and connects the nodes of the scene.
    pub(super) fn open(scene: &Scene) -> Result<Self, SegmentError> {
        let cable = RawSocket::new(FAR_END, Medium::Ethernet).map_err(|e| SegmentError::SetUp(e.to_string()))?;
        let hosts = Party::all(scene).into_iter().map(Host::new).collect();
        Ok(Self { cable, hosts, link: link_of(scene) })
    }

    /// Switches the power of the node that started with this name.
    pub(super) fn switch(&mut self, now: Duration, name: &str, on: bool) {
        for host in self.hosts.iter_mut().filter(|host| host.party.name() == name) {
            host.party.switch(now, on);
        }
    }

    /// Carries every frame that waits, and lets every node work.
    pub(super) fn run(&mut self, now: Duration) {
        for _ in 0..MOST_AT_ONCE {
            let Some((frame, _)) = self.cable.receive(Instant::ZERO) else { break };
            let frame = frame.consume(<[u8]>::to_vec);
            self.deliver(now, &frame, None);
        }
        for index in 0..self.hosts.len() {
            if !self.hosts[index].is_busy(now) {
                continue;
            }
            for frame in self.hosts[index].run(now) {
                self.forward(now, &frame, index);
            }
        }
    }

    /// Sleeps until something comes in or somebody wants to be woken, at most for `longest`.
    pub(super) fn wait(&self, now: Duration, longest: Duration) {
        let wake = self.hosts.iter().filter_map(Host::wake_at).min();
        let nap = wake.map_or(longest, |at| at.saturating_sub(now).min(longest));
        let nap = smoltcp::time::Duration::from_micros(u64::try_from(nap.as_micros()).unwrap_or(0));
        wait(self.cable.as_raw_fd(), Some(nap)).unwrap_or(());
    }

    /// A frame from a node goes to the node it is meant for, or up the cable, or to both when meant for everybody.
    fn forward(&mut self, now: Duration, frame: &[u8], from: usize) {
        let Ok(ethernet) = EthernetFrame::new_checked(frame) else { return };
        let to: EthernetAddress = ethernet.dst_addr();
        let known = self.hosts.iter().any(|host| host.mac().0 == to.0);
        if (to.is_broadcast() || to.is_multicast() || !known)
            && self.link.delivers()
            && let Some(token) = self.cable.transmit(Instant::ZERO)
        {
            token.consume(frame.len(), |out| out.copy_from_slice(frame));
        }
        if known || to.is_broadcast() || to.is_multicast() {
            self.deliver(now, frame, Some(from));
        }
    }

    fn deliver(&mut self, now: Duration, frame: &[u8], from: Option<usize>) {
        for (index, host) in self.hosts.iter_mut().enumerate() {
            if from != Some(index) && self.link.delivers() {
                host.take(now, frame);
            }
        }
    }
}
