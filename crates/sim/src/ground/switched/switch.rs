//! The switch: every node on a port of its own, and the way to the program on one more.

use std::time::Duration;

use smoltcp::wire::{EthernetAddress, EthernetFrame};

use super::Uplink;
use super::host::Host;
use crate::party::Party;
use crate::{Link, Scene};

/// How many frames are taken from the uplink before the nodes get their turn.
const MOST_AT_ONCE: usize = 256;

/// A switch with everything that hangs on it.
pub(in crate::ground) struct Switch<U> {
    uplink: U,
    hosts: Vec<Host>,
    link: Link,
}

impl<U: Uplink> Switch<U> {
    /// Connects the nodes of the scene.
    pub(in crate::ground) fn new(scene: &Scene, uplink: U) -> Self {
        let hosts = Party::all(scene).into_iter().map(Host::new).collect();
        Self { uplink, hosts, link: Link::new(scene.loss, scene.seed) }
    }

    /// Everybody on it.
    pub(super) fn hosts(&mut self) -> &mut [Host] {
        &mut self.hosts
    }

    /// Carries every frame that waits, and lets every node work.
    pub(super) fn run(&mut self, now: Duration) {
        for _ in 0..MOST_AT_ONCE {
            let Some(frame) = self.uplink.hear() else { break };
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
    pub(super) fn wait(&mut self, now: Duration, longest: Duration) {
        let wake = self.hosts.iter().filter_map(Host::wake_at).min();
        let nap = wake.map_or(longest, |at| at.saturating_sub(now).min(longest));
        self.uplink.wait(nap);
    }

    /// A frame from a node goes to the node it is meant for, or to the uplink, or to both when meant for everybody.
    fn forward(&mut self, now: Duration, frame: &[u8], from: usize) {
        let Ok(ethernet) = EthernetFrame::new_checked(frame) else { return };
        let to: EthernetAddress = ethernet.dst_addr();
        let known = self.hosts.iter().any(|host| host.mac().0 == to.0);
        if (to.is_broadcast() || to.is_multicast() || !known) && self.link.delivers() {
            self.uplink.send(frame);
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
