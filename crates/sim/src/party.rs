//! Whoever stands on a ground: an Art-Net node, or another device.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::art_net::PORT;

use crate::device::{EndpointTruth, Linked, Utterance};
use crate::{FixtureTruth, Scene, SimDevice, SimNode, Truth};

/// One of them, for grounds that carry datagrams and frames of any kind.
#[derive(Debug)]
pub(crate) enum Party {
    Node(Box<SimNode>),
    Device(Box<SimDevice>),
}

impl Party {
    /// Everybody in a scene.
    pub(crate) fn all(scene: &Scene) -> Vec<Self> {
        let nodes = scene.nodes().into_iter().map(|node| Self::Node(Box::new(node)));
        let devices = scene.devices().into_iter().map(|device| Self::Device(Box::new(device)));
        nodes.chain(devices).collect()
    }

    /// What an Art-Net node really is.
    pub(crate) fn truth(&self) -> Option<Truth> {
        match self {
            Self::Node(node) => Some(node.truth()),
            Self::Device(_) => None,
        }
    }

    /// What the units on the cables of an Art-Net node really are.
    pub(crate) fn fixtures(&self) -> Vec<FixtureTruth> {
        match self {
            Self::Node(node) => node.fixtures().map(|(_, unit)| unit.truth().clone()).collect(),
            Self::Device(_) => Vec::new(),
        }
    }

    /// The label of every unit on the cables of an Art-Net node, what that was called at the start, and the port, from 1.
    pub(crate) fn hanging(&self) -> Vec<(String, String, usize)> {
        let of = |node: &SimNode| {
            let name = &node.setup().name;
            node.fixtures().map(|(port, unit)| (unit.truth().label.clone(), name.clone(), port)).collect()
        };
        match self {
            Self::Node(node) => of(node),
            Self::Device(_) => Vec::new(),
        }
    }

    /// The node, where it is one.
    pub(crate) fn node_mut(&mut self) -> Option<&mut SimNode> {
        match self {
            Self::Node(node) => Some(node),
            Self::Device(_) => None,
        }
    }

    /// Plugs the unit of this label into a port, from 1, of the node that started with this name. Gives whether both are there.
    pub(crate) fn replug<'a>(
        all: impl Iterator<Item = &'a mut Self>,
        label: &str,
        node: &str,
        port: usize,
    ) -> bool {
        let mut nodes: Vec<&mut SimNode> = all.filter_map(Self::node_mut).collect();
        let place = nodes.iter().position(|one| one.setup().name == node && one.has_cable(port));
        let Some(place) = place else { return false };
        let unit = nodes.iter_mut().find_map(|one| one.unplug(|unit| unit.truth().label == label));
        let is_there = unit.is_some();
        unit.into_iter().for_each(|unit| nodes[place].plug(port, unit));
        is_there
    }

    /// What the ports really are that are patched through it.
    pub(crate) fn endpoints(&self) -> Vec<EndpointTruth> {
        self.device().map_or_else(Vec::new, SimDevice::endpoints)
    }

    /// The slots an Art-Net node puts out of this universe.
    pub(crate) fn puts_out(&self, port_address: u16) -> Option<&[u8]> {
        match self {
            Self::Node(node) => node.puts_out(port_address),
            Self::Device(_) => None,
        }
    }

    /// Whether it shows which one it is.
    pub(crate) fn flashes(&self) -> bool {
        match self {
            Self::Node(node) => node.truth().indicators == 1,
            Self::Device(device) => device.flashes(),
        }
    }

    pub(crate) fn name(&self) -> &str {
        match self {
            Self::Node(node) => &node.setup().name,
            Self::Device(device) => &device.setup().name,
        }
    }

    pub(crate) fn mac(&self) -> MacAddress {
        match self {
            Self::Node(node) => node.setup().mac,
            Self::Device(device) => device.setup().mac,
        }
    }

    /// Present address, mask and gateway.
    pub(crate) fn settings(&self) -> (Ipv4Addr, Ipv4Addr, Ipv4Addr) {
        match self {
            Self::Node(node) => node.settings(),
            Self::Device(device) => (device.ip().address, device.ip().mask, device.ip().gateway),
        }
    }

    pub(crate) fn address(&self) -> Ipv4Addr {
        self.settings().0
    }

    pub(crate) fn is_listening(&self) -> bool {
        match self {
            Self::Node(node) => node.is_listening(),
            Self::Device(device) => device.is_listening(),
        }
    }

    pub(crate) fn answers_echo(&self) -> bool {
        match self {
            Self::Node(_) => true,
            Self::Device(device) => device.setup().echo,
        }
    }

    pub(crate) fn defends_late(&self) -> Option<Duration> {
        match self {
            Self::Node(node) => node.setup().defends_late,
            Self::Device(_) => None,
        }
    }

    pub(crate) fn switch(&mut self, now: Duration, on: bool) {
        match self {
            Self::Node(node) => node.switch(now, on),
            Self::Device(device) => device.switch(on),
        }
    }

    /// The UDP ports it hears and speaks on.
    pub(crate) fn ports(&self) -> Vec<u16> {
        match self {
            Self::Node(_) => vec![PORT],
            Self::Device(device) => device.ports().collect(),
        }
    }

    /// The groups it listens to.
    pub(crate) fn groups(&self) -> Vec<Ipv4Addr> {
        match self {
            Self::Node(_) => Vec::new(),
            Self::Device(device) => device.groups().collect(),
        }
    }

    /// The TCP ports on which it takes connections.
    pub(crate) fn link_ports(&self) -> Vec<u16> {
        self.device().map_or_else(Vec::new, |device| device.link_ports().collect())
    }

    pub(crate) fn opened(&mut self, now: Duration, port: u16, link: u64) {
        self.device_mut().into_iter().for_each(|device| device.opened(now, port, link));
    }

    pub(crate) fn heard_on(&mut self, now: Duration, link: u64, bytes: &[u8]) {
        self.device_mut().into_iter().for_each(|device| device.heard_on(now, link, bytes));
    }

    pub(crate) fn closed(&mut self, link: u64) {
        self.device_mut().into_iter().for_each(|device| device.closed(link));
    }

    pub(crate) fn next_linked(&mut self) -> Option<(u64, Linked)> {
        self.device_mut().and_then(SimDevice::next_linked)
    }

    const fn device(&self) -> Option<&SimDevice> {
        match self {
            Self::Node(_) => None,
            Self::Device(device) => Some(device),
        }
    }

    const fn device_mut(&mut self) -> Option<&mut SimDevice> {
        match self {
            Self::Node(_) => None,
            Self::Device(device) => Some(device),
        }
    }

    pub(crate) fn hear(&mut self, now: Duration, port: u16, from: SocketAddrV4, to_everybody: bool, bytes: &[u8]) {
        match self {
            Self::Node(node) if port == PORT => node.hear(now, from, to_everybody, bytes),
            Self::Node(_) => {}
            Self::Device(device) => device.hear(now, port, from, bytes),
        }
    }

    /// Takes in a frame that is for it, or for everybody; whether it hears any.
    pub(crate) fn hear_frame(&mut self, now: Duration, frame: &[u8]) -> bool {
        let device = self.device_mut().filter(|device| device.hears_frames());
        device.map(|device| device.hear_frame(now, frame)).is_some()
    }

    pub(crate) fn wake_at(&self) -> Option<Duration> {
        match self {
            Self::Node(node) => node.wake_at(),
            Self::Device(device) => device.wake_at(),
        }
    }

    pub(crate) fn wake(&mut self, now: Duration) {
        match self {
            Self::Node(node) => node.wake(now),
            Self::Device(device) => device.wake(now),
        }
    }

    pub(crate) fn next(&mut self) -> Option<Utterance> {
        match self {
            Self::Node(node) => node.next_speech().map(Utterance::Speech),
            Self::Device(device) => device.next_utterance(),
        }
    }
}
