//! What a survey is to do, and with what.

use std::collections::{BTreeSet, HashSet};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::rdm::Uid;

use crate::address::{AddressRange, Subnet};
use crate::census::{FoundNode, NodeName, Viewpoint, Way, Ways};
use crate::conversation::pace::Pace;
use crate::conversation::{Means, Seat, Vantage};
use crate::sheet::{Member, RigSheet, SheetNode};
use crate::universe::PortAddress;

/// The most addresses a second the system is made to look for.
const MOST_LOOKED_FOR: u32 = 300;

/// What a survey is to do.
#[derive(Debug, Clone)]
pub struct SurveyPlan {
    /// From where.
    pub vantage: Vantage,
    /// In which ways to see.
    pub ways: Ways,
    /// How long, and what ends it.
    pub extent: Extent,
    /// What the rig should be, where that is known: what is locked there is not asked for its settings.
    pub sheet: Option<RigSheet>,
    /// Whether everything that is sent, received and mapped is asked what it is set to; of those that it is about it always is.
    pub reads_patches: bool,
    /// Whether it ends once everybody on the sheet has answered. Strangers then go unseen.
    pub ends_early: bool,
    /// Whether to ask Art-Net nodes for mask and gateway too.
    pub ask_settings: bool,
    /// Who is asked one by one.
    pub concern: Concern,
    /// Whether each of them is asked for an echo though it was heard otherwise, to see how long it takes.
    pub times_echoes: bool,
    /// Addresses to ask first: the sheet's, those of earlier censuses, factory settings.
    pub likely: Vec<Ipv4Addr>,
    /// Addresses to ask one by one.
    pub ranges: Vec<AddressRange>,
    /// Addresses of Art-Net nodes that no broadcast reaches.
    pub calls: Vec<Ipv4Addr>,
    /// What is asked of the cables behind gateways.
    pub on_cables: OnCables,
    /// Which cables gateways are to search anew first.
    pub rediscovers: Rediscovery,
    /// Universes of sACN to listen to.
    pub universes: Vec<u16>,
    /// Packets a second to single addresses.
    pub pace: u32,
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

/// What is asked of the cables behind gateways.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum OnCables {
    /// Nothing.
    #[default]
    Nothing,
    /// Who is on them, by the tables that gateways keep anyway: nothing goes over the cables.
    Count,
    /// Of each unit on them what it is.
    Read,
    /// Of each unit what it is, and how: hours, sensors, what it reports.
    Examine,
    /// The same again and again, each after so long.
    Watch(Duration),
    /// Of these units what they are.
    ReadSome {
        /// Which.
        uids: BTreeSet<Uid>,
        /// Whether those on one cable with them are read too.
        beside: bool,
        /// How much of them.
        depth: Depth,
    },
}

/// Which cables gateways are to search anew, after they have forgotten their tables of them: RDM goes over those cables then.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum Rediscovery {
    /// None.
    #[default]
    Nothing,
    /// Those of all ports.
    Everything,
    /// Those of the ports that carry one of these universes.
    Universes(BTreeSet<PortAddress>),
}

impl Rediscovery {
    /// Whether the cable of a port with this universe is searched.
    #[must_use]
    pub fn means(&self, universe: PortAddress) -> bool {
        match self {
            Self::Nothing => false,
            Self::Everything => true,
            Self::Universes(some) => some.contains(&universe),
        }
    }
}

/// How much is read of a fixture, each time with what stands before it. Everything is a request on the cable.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Depth {
    /// What it is and its further settings.
    Settings,
    /// The parameters of its maker's own, two requests each.
    Own,
    /// How it is. What it reports it reports once.
    Everything,
}

impl OnCables {
    /// Whether any unit is read.
    #[must_use]
    pub const fn reads(&self) -> bool {
        !matches!(self, Self::Nothing | Self::Count)
    }

    /// Whether those that are read are asked for their further settings, each of which is a request on the cable.
    #[must_use]
    pub const fn reads_settings(&self) -> bool {
        matches!(self, Self::ReadSome { .. })
    }

    /// Whether those that are read are asked for the parameters of their maker's own.
    #[must_use]
    pub const fn reads_own(&self) -> bool {
        matches!(self, Self::ReadSome { depth: Depth::Own | Depth::Everything, .. })
    }

    /// Whether those that are read are asked how they are.
    #[must_use]
    pub const fn examines(&self) -> bool {
        matches!(self, Self::Examine | Self::Watch(_) | Self::ReadSome { depth: Depth::Everything, .. })
    }
}

/// Who is asked one by one: for settings, for an echo, and whether somebody shares the address.
#[derive(Debug, Clone, Default)]
pub enum Concern {
    /// Everybody who is seen.
    #[default]
    Everybody,
    /// Only these: nodes by MAC address, name in small letters or address, and whoever is at these addresses.
    These {
        /// By MAC address.
        macs: HashSet<MacAddress>,
        /// By name, in small letters.
        names: HashSet<String>,
        /// By address.
        addresses: HashSet<Ipv4Addr>,
    },
}

impl Concern {
    /// Every node of a sheet.
    #[must_use]
    pub fn of_sheet(sheet: &RigSheet) -> Self {
        Self::of_part(sheet, |_| true)
    }

    /// These nodes of a sheet, and every desk, server and switch on it.
    #[must_use]
    pub fn of_part(sheet: &RigSheet, meant: impl Fn(&SheetNode) -> bool) -> Self {
        let nodes: Vec<&SheetNode> = sheet.nodes.iter().filter(|node| meant(node)).collect();
        let others = sheet.members().filter(|member| !matches!(member, Member::Node(_)));
        Self::These {
            macs: nodes.iter().filter_map(|node| Some(node.mac.as_ref()?.value)).collect(),
            names: nodes.iter().map(|node| node.name.value.to_lowercase()).collect(),
            addresses: nodes
                .iter()
                .filter_map(|node| node.fixed_address())
                .chain(others.filter_map(Member::fixed_address))
                .collect(),
        }
    }

    /// One node, called so, and whoever is at these addresses.
    #[must_use]
    pub fn of_one(called: &str, addresses: impl IntoIterator<Item = Ipv4Addr>) -> Self {
        let address = called.parse().ok();
        Self::These {
            macs: called.parse().into_iter().collect(),
            names: HashSet::from([called.to_lowercase()]),
            addresses: address.into_iter().chain(addresses).collect(),
        }
    }

    /// These devices as they were known, and whoever is at these addresses.
    #[must_use]
    pub fn of_known<'a>(
        known: impl IntoIterator<Item = &'a NodeName>,
        addresses: impl IntoIterator<Item = Ipv4Addr>,
    ) -> Self {
        let macs = known.into_iter().filter_map(|node| node.mac).collect();
        Self::These { macs, names: HashSet::new(), addresses: addresses.into_iter().collect() }
    }

    /// Whether it is about everybody.
    pub(crate) const fn is_everybody(&self) -> bool {
        matches!(self, Self::Everybody)
    }

    /// Whether this node is among them.
    pub(crate) fn has_node(&self, node: &FoundNode) -> bool {
        match self {
            Self::Everybody => true,
            Self::These { macs, names, .. } => {
                node.mac.is_some_and(|mac| macs.contains(&mac))
                    || names.contains(&node.name().raw().to_lowercase())
                    || self.has(node.address, None)
            }
        }
    }

    /// Whether one that is called so is among them.
    pub(crate) fn has_name(&self, name: &str) -> bool {
        match self {
            Self::Everybody => true,
            Self::These { names, .. } => names.contains(&name.to_lowercase()),
        }
    }

    /// Whether whoever is there is among them.
    pub(crate) fn has(&self, address: Ipv4Addr, mac: Option<MacAddress>) -> bool {
        match self {
            Self::Everybody => true,
            Self::These { macs, addresses, .. } => {
                addresses.contains(&address) || mac.is_some_and(|mac| macs.contains(&mac))
            }
        }
    }
}

impl SurveyPlan {
    /// The most addresses that are asked one by one without being told to.
    pub const MOST_UNASKED: u64 = 1024;

    /// Asks everybody by Art-Net, and nothing else.
    #[must_use]
    pub fn art_net(seats: Vec<Seat>, expected: Option<RigSheet>, ask_settings: bool) -> Self {
        Self {
            vantage: Vantage::of_seats(seats),
            ways: Ways::only(&[Way::ArtNet]),
            extent: Extent::Whole(Duration::ZERO),
            reads_patches: false,
            ends_early: expected.is_some(),
            sheet: expected,
            ask_settings,
            concern: Concern::Everybody,
            times_echoes: false,
            likely: Vec::new(),
            ranges: Vec::new(),
            calls: Vec::new(),
            on_cables: OnCables::Nothing,
            rediscovers: Rediscovery::Nothing,
            universes: Vec::new(),
            pace: Pace::USUAL,
        }
    }

    /// The same with these means.
    #[must_use]
    pub fn with_means(self, means: Means) -> Self {
        Self { vantage: Vantage { means, ..self.vantage }, ..self }
    }

    /// Whether nothing may be sent.
    #[must_use]
    pub const fn is_passive(&self) -> bool {
        matches!(self.extent, Extent::Listen(_))
    }

    /// Whether a connection may be opened to whoever has this address: near, not ourselves, not locked, and one that it is
    /// about.
    pub(crate) fn may_connect(&self, address: Ipv4Addr, mac: Option<MacAddress>) -> bool {
        self.may_connect_beside(address, mac) && self.concern.has(address, mac)
    }

    /// The same for one that tells of others: whomever it is about.
    pub(crate) fn may_connect_beside(&self, address: Ipv4Addr, mac: Option<MacAddress>) -> bool {
        let is_near = self.vantage.seats.iter().any(|seat| seat.subnet.contains(address) && seat.own != address);
        let is_locked = self.sheet.as_ref().is_some_and(|sheet| sheet.is_locked(address, mac));
        is_near && !is_locked && !self.vantage.gateways.contains(&address)
    }

    /// Whether it goes on until it is stopped.
    pub(crate) fn is_endless(&self) -> bool {
        self.extent == Extent::Endless
    }

    /// Whether single addresses can be asked for an echo.
    #[must_use]
    pub fn can_ask_echo(&self) -> bool {
        (self.vantage.means.frames || self.vantage.means.echo)
            && self.ways.contains(Way::Echo)
            && !self.is_passive()
            && !self.vantage.is_on_loopback()
    }

    /// Packets a second, as far as the system's table of neighbours has room: it keeps an address that it looks for in
    /// vain for three seconds, and holds a thousand.
    #[must_use]
    pub fn real_pace(&self) -> u32 {
        if self.vantage.means.frames { self.pace } else { self.pace.min(MOST_LOOKED_FOR) }
    }

    /// From where the result is looked at.
    #[must_use]
    pub fn viewpoint(&self) -> Viewpoint {
        Viewpoint {
            own: self.vantage.seats.iter().map(|seat| seat.own).collect(),
            own_mac: self.vantage.own_mac,
            subnets: self.vantage.seats.iter().map(|seat| seat.subnet).collect(),
            gateways: self.vantage.gateways.clone(),
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
