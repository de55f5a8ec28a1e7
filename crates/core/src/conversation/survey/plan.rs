//! What a survey is to do, and with what.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;

use crate::address::{AddressRange, Subnet};
use crate::census::{Viewpoint, Way, Ways};
use crate::conversation::Seat;
use crate::conversation::pace::Pace;
use crate::sheet::RigSheet;

/// The most addresses a second the system is made to look for.
const MOST_LOOKED_FOR: u32 = 300;

/// What a survey is to do.
#[derive(Debug, Clone)]
pub struct SurveyPlan {
    /// Where to ask.
    pub seats: Vec<Seat>,
    /// This computer's own MAC address on the adapter.
    pub own_mac: Option<MacAddress>,
    /// The gateways of the adapter.
    pub gateways: Vec<Ipv4Addr>,
    /// What the system lets the program do.
    pub means: Means,
    /// In which ways to see.
    pub ways: Ways,
    /// How long, and what ends it.
    pub extent: Extent,
    /// Whom to expect, to end early.
    pub expected: Option<RigSheet>,
    /// Whether to ask each Art-Net node for mask and gateway too.
    pub ask_settings: bool,
    /// Addresses to ask first: the sheet's, those of earlier censuses, factory settings.
    pub likely: Vec<Ipv4Addr>,
    /// Addresses to ask one by one.
    pub ranges: Vec<AddressRange>,
    /// Addresses of Art-Net nodes that no broadcast reaches.
    pub calls: Vec<Ipv4Addr>,
    /// Universes of sACN to listen to.
    pub universes: Vec<u16>,
    /// Packets a second to single addresses.
    pub pace: u32,
    /// Tells this survey's questions from others'.
    pub mark: u16,
}

/// What the system lets the program do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Means {
    /// Hear and send Ethernet frames.
    pub frames: bool,
    /// Send echo requests.
    pub echo: bool,
    /// Read the table of neighbours.
    pub neighbours: bool,
}

/// How long a survey takes, and what ends it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Extent {
    /// Long enough for every answer, at least so long.
    Whole(Duration),
    /// As long as asking the ranges takes.
    Ranges,
    /// Until this one is seen, at most as long as for everybody.
    Until(MacAddress),
    /// So long, listening only: nothing is sent.
    Listen(Duration),
    /// Until it is stopped.
    Endless,
}

impl SurveyPlan {
    /// The most addresses that are asked one by one without being told to.
    pub const MOST_UNASKED: u64 = 1024;

    /// Asks everybody by Art-Net, and nothing else.
    #[must_use]
    pub fn art_net(seats: Vec<Seat>, expected: Option<RigSheet>, ask_settings: bool) -> Self {
        Self {
            seats,
            own_mac: None,
            gateways: Vec::new(),
            means: Means::default(),
            ways: Ways::only(&[Way::ArtNet]),
            extent: Extent::Whole(Duration::ZERO),
            expected,
            ask_settings,
            likely: Vec::new(),
            ranges: Vec::new(),
            calls: Vec::new(),
            universes: Vec::new(),
            pace: Pace::USUAL,
            mark: 0,
        }
    }

    /// Whether this is an address of this computer.
    #[must_use]
    pub fn is_own(&self, address: Ipv4Addr) -> bool {
        self.seats.iter().any(|seat| seat.own == address)
    }

    /// The MAC address to send frames from, where frames can be sent.
    #[must_use]
    pub fn frames_from(&self) -> Option<MacAddress> {
        self.own_mac.filter(|_| self.means.frames)
    }

    /// Whether nothing may be sent.
    #[must_use]
    pub const fn is_passive(&self) -> bool {
        matches!(self.extent, Extent::Listen(_))
    }

    /// Whether the survey takes place on simulated nodes on loopback, where there are no frames, and the system
    /// itself answers every echo.
    #[must_use]
    pub fn is_on_loopback(&self) -> bool {
        self.seats.iter().any(|seat| seat.own.is_loopback())
    }

    /// Whether single addresses can be asked for an echo.
    #[must_use]
    pub fn can_ask_echo(&self) -> bool {
        (self.means.frames || self.means.echo)
            && self.ways.contains(Way::Echo)
            && !self.is_passive()
            && !self.is_on_loopback()
    }

    /// Packets a second, as far as the system's table of neighbours has room: it keeps an address that it looks for in
    /// vain for three seconds, and holds a thousand.
    #[must_use]
    pub fn real_pace(&self) -> u32 {
        if self.means.frames { self.pace } else { self.pace.min(MOST_LOOKED_FOR) }
    }

    /// From where the result is looked at.
    #[must_use]
    pub fn viewpoint(&self) -> Viewpoint {
        Viewpoint {
            subnets: self.seats.iter().map(|seat| seat.subnet).collect(),
            gateways: self.gateways.clone(),
            asked: !self.is_passive(),
            echo_asked: self.can_ask_echo(),
        }
    }

    /// The ranges that are swept when none are named: the subnets of the seats, as far as they are small.
    #[must_use]
    pub fn usual_ranges(seats: &[Seat]) -> Vec<AddressRange> {
        let small = |subnet: &Subnet| subnet.hosts().len() <= Self::MOST_UNASKED;
        let subnets = seats.iter().filter(|seat| !seat.own.is_loopback()).map(|seat| seat.subnet);
        subnets.filter(small).map(Subnet::hosts).collect()
    }
}
