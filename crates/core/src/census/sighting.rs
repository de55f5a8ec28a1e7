//! One piece of evidence: this was heard, there, then.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::art_net::{IpProgReply, Message, PollReply};
use lantern_wire::dhcp::{self, Dhcp, DhcpKind};
use lantern_wire::dns_sd::{self, Answer, DnsSd};
use lantern_wire::ptp::Announce;
use lantern_wire::sacn::{self, Cid};
use lantern_wire::sap::{self, Sap};
use lantern_wire::sdp::Session;
use lantern_wire::{Igmp, Lldp, MacAddress, WireError, art_net};

use super::{Behind, FoundFixture, PatchPoint, Unit, Way, stated_or};
use crate::{Protocol, Said, family};

/// Something a device told about itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sighting {
    /// When, since the conversation began.
    pub at: Duration,
    /// Through which of the conversation's seats.
    pub seat: usize,
    /// The MAC address it was sent from, where frames are seen.
    pub mac: Option<MacAddress>,
    /// The address it was sent from; all zero for one that has none.
    pub from: Ipv4Addr,
    /// Whether it was seen to be meant for this computer alone, so that there is a way back and forth.
    pub to_us: bool,
    /// The address it was sent to, where that is nobody's and no broadcast address of ours: the sender's mask is another.
    pub astray: Option<Ipv4Addr>,
    /// What was told.
    pub told: Told,
}

/// What a device told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Told {
    /// An ArtPollReply.
    PollReply(Box<PollReply>),
    /// An ArtIpProgReply.
    IpSettings(IpProgReply),
    /// Another Art-Net message: a desk polls.
    ArtNet,
    /// Levels of one universe.
    Levels(Levels),
    /// A page of the universes that an sACN source sends.
    Universes {
        /// The source.
        cid: Cid,
        /// What it calls itself.
        source: String,
        /// The universes on the page.
        universes: Vec<u16>,
        /// Which page it is, from 0, and which is the last.
        page: (u8, u8),
    },
    /// Answers by multicast DNS.
    Services(Vec<Answer>),
    /// A session was announced.
    Announced {
        /// Who announces, and its mark for the announcement.
        key: (Ipv4Addr, u16),
        /// The session.
        session: Box<Session>,
    },
    /// An announced session is over.
    Withdrawn {
        /// Who announced, and its mark for the announcement.
        key: (Ipv4Addr, u16),
    },
    /// It has this address, by ARP. A probe tells none.
    Arp,
    /// It answered an echo request.
    Echo,
    /// The system found it.
    Neighbour,
    /// It offers addresses by DHCP.
    DhcpServer {
        /// Its own address, as stated.
        server: Ipv4Addr,
    },
    /// It announces the clock it follows, or that it is one.
    Clock(Box<Announce>),
    /// It asks for an address by DHCP.
    DhcpClient {
        /// What it calls itself; may be empty.
        name: String,
        /// What it says it is; may be empty.
        class: String,
    },
    /// It is the neighbour at the other end of the cable.
    Lldp(Box<Lldp>),
    /// It asks who wants which group.
    Querier {
        /// Version of IGMP.
        version: u8,
    },
    /// Which groups it wants to hear, and which no longer.
    Groups {
        /// Those it wants.
        wants: Vec<Ipv4Addr>,
        /// Those it wants no longer.
        leaves: Vec<Ipv4Addr>,
    },
    /// It spoke a family whose messages the family itself makes something of.
    Spoke {
        /// Which one.
        family: Way,
        /// The MAC address it states.
        stated: Option<MacAddress>,
        /// The message.
        bytes: Vec<u8>,
    },
    /// What a family has made out of its messages, perhaps of many.
    Unit(Box<Unit>),
    /// A unit on one of its cables.
    Fixture(Box<FoundFixture>),
    /// Everybody on this cable of it was told.
    Cable(Behind),
    /// Something of it that is patched.
    PatchPoint(Box<PatchPoint>),
    /// It spoke to everybody about something else.
    Traffic,
}

/// Levels of one universe, by either protocol.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Levels {
    /// The protocol.
    pub protocol: Protocol,
    /// The source's identifier, which only sACN has.
    pub cid: Option<Cid>,
    /// What the source calls itself; Art-Net has no word for it.
    pub source: String,
    /// The universe, in the protocol's own counting.
    pub universe: u16,
    /// Its priority, which only sACN has.
    pub priority: Option<u8>,
    /// The message's number among those of its source and universe; `None` where it counts none.
    pub sequence: Option<u8>,
    /// Only for a visualiser.
    pub preview: bool,
    /// It sends no more.
    pub ended: bool,
}

impl Levels {
    /// What an ArtDmx tells beside its levels.
    #[must_use]
    pub(crate) const fn of_dmx(dmx: &art_net::Dmx<'_>) -> Self {
        Self {
            protocol: Protocol::ArtNet,
            cid: None,
            source: String::new(),
            universe: dmx.port_address,
            priority: None,
            sequence: if dmx.sequence == 0 { None } else { Some(dmx.sequence) },
            preview: false,
            ended: false,
        }
    }

    /// What a message of sACN tells beside its levels.
    #[must_use]
    pub(crate) fn of_sacn(data: &sacn::Data<'_>) -> Self {
        Self {
            protocol: Protocol::Sacn,
            cid: Some(data.cid),
            source: data.source.to_lossy(),
            universe: data.universe,
            priority: Some(data.priority),
            sequence: Some(data.sequence),
            preview: data.options.preview(),
            ended: data.options.ended(),
        }
    }
}

impl Told {
    /// The way in which this is seen.
    #[must_use]
    pub fn way(&self) -> Way {
        match self {
            Self::PollReply(_) | Self::IpSettings(_) | Self::ArtNet => Way::ArtNet,
            Self::Levels(Levels { protocol: Protocol::ArtNet, .. }) => Way::ArtNet,
            Self::Levels(_) | Self::Universes { .. } => Way::Sacn,
            Self::Services(_) => Way::DnsSd,
            Self::Announced { .. } | Self::Withdrawn { .. } => Way::Sap,
            Self::Arp => Way::Arp,
            Self::Echo => Way::Echo,
            Self::Neighbour => Way::Neighbours,
            Self::DhcpServer { .. } | Self::DhcpClient { .. } => Way::Dhcp,
            Self::Clock(_) => Way::Ptp,
            Self::Lldp(_) => Way::Lldp,
            Self::Querier { .. } => Way::Igmp,
            Self::Spoke { family, .. } => *family,
            Self::Unit(unit) => unit.family,
            Self::Fixture(_) | Self::Cable(_) => Way::Rdm,
            Self::PatchPoint(point) => point.unit.family,
            // Whoever wants a group may have been here for long.
            Self::Groups { .. } | Self::Traffic => Way::Traffic,
        }
    }

    /// What a datagram to this port tells; `None` when it says nothing about its sender.
    ///
    /// # Errors
    /// When the datagram cannot be read.
    pub fn by_datagram(to_port: u16, bytes: &[u8]) -> Result<Option<Self>, WireError> {
        match to_port {
            art_net::PORT => by_art_net(bytes).map(Some),
            sacn::PORT => by_sacn(bytes),
            dns_sd::PORT => {
                let message = DnsSd::parse(bytes)?;
                Ok(message.is_answer.then_some(Self::Services(message.answers)))
            }
            sap::PORT => by_sap(bytes),
            dhcp::CLIENT_PORT | dhcp::SERVER_PORT => by_dhcp(bytes),
            _ => family::told(to_port, bytes),
        }
    }

    /// What a membership message tells.
    #[must_use]
    pub fn by_igmp(message: &Igmp) -> Self {
        match message {
            Igmp::Query { version, .. } => Self::Querier { version: *version },
            Igmp::Membership { wants, leaves } => Self::Groups { wants: wants.clone(), leaves: leaves.clone() },
        }
    }
}

fn by_art_net(bytes: &[u8]) -> Result<Told, WireError> {
    Ok(match Message::parse(bytes)? {
        Message::PollReply(reply) => Told::PollReply(reply),
        Message::IpProgReply(reply) => Told::IpSettings(reply),
        Message::Dmx(dmx) => Told::Levels(Levels::of_dmx(&dmx)),
        Message::TodData(_) => Told::Spoke { family: Way::Rdm, stated: None, bytes: bytes.to_vec() },
        Message::Rdm(rdm) if rdm.message.class.is_response() => {
            Told::Spoke { family: Way::Rdm, stated: None, bytes: bytes.to_vec() }
        }
        _ => Told::ArtNet,
    })
}

fn by_sacn(bytes: &[u8]) -> Result<Option<Told>, WireError> {
    Ok(match sacn::Message::parse(bytes)? {
        // Priorities of single slots, and whatever else is no levels, show only that the source is there.
        sacn::Message::Data(data) if data.start_code != sacn::LEVELS => Some(Told::Traffic),
        sacn::Message::Data(data) => Some(Told::Levels(Levels::of_sacn(&data))),
        sacn::Message::Discovery(page) => Some(Told::Universes {
            cid: page.cid,
            source: page.source.to_lossy(),
            universes: page.universes,
            page: (page.page, page.last_page),
        }),
        sacn::Message::Other { .. } => None,
    })
}

fn by_sap(bytes: &[u8]) -> Result<Option<Told>, WireError> {
    let said = Sap::parse(bytes)?;
    let key = (said.origin, said.hash);
    // What is packed or locked cannot be read, but somebody announces.
    if said.is_opaque {
        return Ok(Some(Told::Traffic));
    }
    if said.delete {
        return Ok(Some(Told::Withdrawn { key }));
    }
    if said.payload_type != sap::SDP {
        return Ok(None);
    }
    Ok(Some(Told::Announced { key, session: Box::new(Session::parse(said.payload)?) }))
}

fn by_dhcp(bytes: &[u8]) -> Result<Option<Told>, WireError> {
    let message = Dhcp::parse(bytes)?;
    Ok(match (message.to_client, message.kind, message.server) {
        (true, DhcpKind::OFFER | DhcpKind::ACK | DhcpKind::NAK, Some(server)) => Some(Told::DhcpServer { server }),
        (false, ..) => {
            let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
            Some(Told::DhcpClient { name: text(&message.host_name), class: text(&message.class) })
        }
        _ => None,
    })
}

impl Sighting {
    /// Something told by whoever has this address, of which only that is known.
    #[must_use]
    pub const fn plain(at: Duration, from: Ipv4Addr, told: Told) -> Self {
        Self { at, seat: 0, mac: None, from, to_us: false, astray: None, told }
    }

    /// A unit that told of itself when it was asked.
    pub(crate) fn of_unit(at: Duration, unit: Unit) -> Self {
        let (mac, from) = (unit.mac, unit.address);
        Self { mac, to_us: true, ..Self::plain(at, from, Told::Unit(Box::new(unit))) }
    }

    /// A unit on a cable, as its gateway tells.
    pub(crate) fn of_fixture(at: Duration, fixture: FoundFixture) -> Self {
        let Behind { mac, address, .. } = fixture.behind;
        Self { mac, to_us: true, ..Self::plain(at, address, Told::Fixture(Box::new(fixture))) }
    }

    /// A cable of which the gateway has told everybody.
    pub(crate) fn of_cable(at: Duration, cable: Behind) -> Self {
        Self { mac: cable.mac, to_us: true, ..Self::plain(at, cable.address, Told::Cable(cable)) }
    }

    /// Something that is patched, as its device tells.
    pub(crate) fn of_patch_point(at: Duration, point: PatchPoint) -> Self {
        let (mac, from) = (point.unit.mac, point.unit.address);
        Self { mac, to_us: true, ..Self::plain(at, from, Told::PatchPoint(Box::new(point))) }
    }

    /// Whom it is about: MAC address, where that is known, and address; all zero for one that has none.
    #[must_use]
    pub fn holder(&self) -> (Option<MacAddress>, Ipv4Addr) {
        match &self.told {
            // Without frames the node's own word has to do.
            Told::PollReply(reply) => {
                let stated = reply.mac.is_known().then_some(reply.mac);
                (self.mac.or(stated), stated_or(reply.address, self.from))
            }
            Told::Spoke { stated, .. } => (self.mac.or(stated.filter(|mac| mac.is_known())), self.from),
            Told::Unit(unit) => (unit.mac, unit.address),
            Told::Fixture(fixture) => (fixture.behind.mac, fixture.behind.address),
            Told::Cable(cable) => (cable.mac, cable.address),
            Told::PatchPoint(point) => (point.unit.mac, point.unit.address),
            _ => (self.mac, self.from),
        }
    }

    /// Whom it is about, as [`Self::holder`], and the address it is really at: a node may state another than it has. Only of one
    /// that answers for a page of its own is there no better word than what it states.
    #[must_use]
    pub fn standing(&self) -> (Option<MacAddress>, Ipv4Addr) {
        let (mac, stated) = self.holder();
        match &self.told {
            Told::PollReply(reply) if self.mac.is_none() && reply.bind_address == self.from => (mac, stated),
            Told::PollReply(_) => (mac, self.from),
            _ => (mac, stated),
        }
    }

    /// What it calls itself, where it says so at once.
    #[must_use]
    pub fn name(&self) -> Said {
        match &self.told {
            Told::PollReply(reply) => reply.short_name.to_lossy().into(),
            Told::Levels(Levels { source, .. }) | Told::Universes { source, .. } => source.as_str().into(),
            Told::Lldp(lldp) => lldp.name.as_deref().unwrap_or_default().into(),
            Told::DhcpClient { name, .. } => name.as_str().into(),
            _ => Said::default(),
        }
    }

    /// The sighting in a datagram that came through a socket; `None` when it says nothing about its sender.
    ///
    /// # Errors
    /// When the datagram cannot be read.
    pub fn read(
        at: Duration,
        seat: usize,
        from: SocketAddrV4,
        port: u16,
        bytes: &[u8],
    ) -> Result<Option<Self>, WireError> {
        let told = Told::by_datagram(port, bytes)?;
        Ok(told.map(|told| Self { at, seat, mac: None, from: *from.ip(), to_us: false, astray: None, told }))
    }
}
