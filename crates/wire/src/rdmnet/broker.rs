//! What clients and brokers say to each other (E1.33, section 6.3).
//!
//! ```text
//! connect         scope 63, version 2, search domain 231, whether changes are wanted 1, client entry
//! connect reply   code 2, version 2, broker's UID 6, client's UID 6
//! redirect        address 4 or 16, port 2
//! clients         client entry, each
//! dynamic UIDs    asked: maker and zero 6, responder's identifier 16, each; given: UID 6, identifier 16, status 2, each
//! disconnect      reason 2
//! client entry    flags and length 3, vector 5 4, CID 16, UID 6, 0 device or 1 controller 1, bound to CID 16
//! ```

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr};

use super::pdu::{only, split, take, written};
use crate::acn::Cid;
use crate::rdm::Uid;
use crate::{Layer, Text, WireError};

/// A client that speaks RPT.
const PROTOCOL_RPT: u32 = 5;

/// Bytes of a scope, and of a search domain, ended by a zero.
pub const SCOPE: usize = 63;
const DOMAIN: usize = 231;

/// Somebody connected to a broker.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Client {
    /// Its component.
    pub cid: Cid,
    /// Its identifier; device 0 where the broker is to give it one.
    pub uid: Uid,
    /// Whether it controls.
    pub kind: ClientKind,
    /// The component that it belongs to; all zero for none.
    pub bound_to: Cid,
}

/// What a client is (appendix A, "RPT client type").
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ClientKind(pub u8);

impl ClientKind {
    /// A device.
    pub const DEVICE: Self = Self(0);
    /// A controller.
    pub const CONTROLLER: Self = Self(1);
}

/// How a connection was received (appendix A, "Connect status codes").
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ConnectCode(pub u16);

impl ConnectCode {
    /// It stands.
    pub const OK: Self = Self(0);
    /// The broker belongs to another scope.
    pub const SCOPE_MISMATCH: Self = Self(1);
    /// It has no room.
    pub const NO_ROOM: Self = Self(2);
    /// Two clients have one identifier.
    pub const DUPLICATE: Self = Self(3);
    /// What the client said of itself is not as it should be.
    pub const INVALID: Self = Self(4);
}

/// A client wants to be one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Connect {
    /// Of which scope.
    pub scope: Text<SCOPE>,
    /// The version of the protocol: 1.
    pub version: u16,
    /// In which domain brokers are searched.
    pub domain: Text<DOMAIN>,
    /// Whether it wants to hear who comes and goes.
    pub wants_changes: bool,
    /// Who it is.
    pub client: Client,
}

/// What is said.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Broker {
    /// A client wants to be one.
    Connect(Box<Connect>),
    /// How that was received.
    ConnectReply {
        /// How.
        code: ConnectCode,
        /// The version of the protocol that the broker speaks.
        version: u16,
        /// The broker's identifier.
        broker: Uid,
        /// The client's, which the broker may have given it.
        client: Uid,
    },
    /// A client is another one than it was.
    Update {
        /// Whether it wants to hear who comes and goes.
        wants_changes: bool,
        /// Who it is now.
        client: Client,
    },
    /// Connect there instead.
    Redirect(SocketAddr),
    /// Who is there?
    Fetch,
    /// Those are there.
    Clients(Vec<Client>),
    /// Those have come.
    Added(Vec<Client>),
    /// Those have gone.
    Removed(Vec<Client>),
    /// Those have changed.
    Changed(Vec<Client>),
    /// The connection ends, and why.
    Disconnect(u16),
    /// Nothing but that the connection stands; every fifteen seconds.
    Null,
    /// Something that this program has no use for, as it was told.
    Other(u16, Vec<u8>),
}

const CONNECT: u32 = 1;
const CONNECT_REPLY: u32 = 2;
const UPDATE: u32 = 3;
const REDIRECT_V4: u32 = 4;
const REDIRECT_V6: u32 = 5;
const FETCH: u32 = 6;
const CLIENTS: u32 = 7;
const ADDED: u32 = 8;
const REMOVED: u32 = 9;
const CHANGED: u32 = 10;
const DISCONNECT: u32 = 14;
const NULL: u32 = 15;

impl Client {
    fn read(bytes: &[u8]) -> Result<(Self, &[u8]), WireError> {
        let (block, rest) = split(bytes, 4)?;
        if block.vector != PROTOCOL_RPT {
            return Err(WireError::Foreign { layer: Layer::RdmNet });
        }
        let mut data = block.data;
        let client = Self {
            cid: Cid(*take(&mut data)?),
            uid: Uid(*take(&mut data)?),
            kind: ClientKind(take::<1>(&mut data)?[0]),
            bound_to: Cid(*take(&mut data)?),
        };
        Ok((client, rest))
    }

    fn read_all(mut bytes: &[u8]) -> Result<Vec<Self>, WireError> {
        let mut all = Vec::new();
        while !bytes.is_empty() {
            // Clients that speak something else than RPT may be listed too, and are passed over.
            let (block, rest) = split(bytes, 4)?;
            if block.vector == PROTOCOL_RPT {
                all.push(Self::read(bytes)?.0);
            }
            bytes = rest;
        }
        Ok(all)
    }

    fn to_bytes(self) -> Vec<u8> {
        let data = [&self.cid.0[..], &self.uid.0, &[self.kind.0], &self.bound_to.0].concat();
        written(PROTOCOL_RPT, 4, &data)
    }
}

impl Broker {
    pub(super) fn parse(bytes: &[u8]) -> Result<Self, WireError> {
        let block = only(bytes, 2)?;
        let mut data = block.data;
        Ok(match block.vector {
            CONNECT => {
                let scope = Text::from_wire(*take(&mut data)?);
                let version = u16::from_be_bytes(*take(&mut data)?);
                let domain = Text::from_wire(*take(&mut data)?);
                let wants_changes = take::<1>(&mut data)?[0] & 1 != 0;
                let client = Client::read(data)?.0;
                Self::Connect(Box::new(Connect { scope, version, domain, wants_changes, client }))
            }
            CONNECT_REPLY => Self::ConnectReply {
                code: ConnectCode(u16::from_be_bytes(*take(&mut data)?)),
                version: u16::from_be_bytes(*take(&mut data)?),
                broker: Uid(*take(&mut data)?),
                client: Uid(*take(&mut data)?),
            },
            UPDATE => {
                let wants_changes = take::<1>(&mut data)?[0] & 1 != 0;
                Self::Update { wants_changes, client: Client::read(data)?.0 }
            }
            REDIRECT_V4 => Self::Redirect(address(IpAddr::V4(Ipv4Addr::from(*take::<4>(&mut data)?)), data)?),
            REDIRECT_V6 => Self::Redirect(address(IpAddr::V6(Ipv6Addr::from(*take::<16>(&mut data)?)), data)?),
            FETCH => Self::Fetch,
            CLIENTS => Self::Clients(Client::read_all(data)?),
            ADDED => Self::Added(Client::read_all(data)?),
            REMOVED => Self::Removed(Client::read_all(data)?),
            CHANGED => Self::Changed(Client::read_all(data)?),
            DISCONNECT => Self::Disconnect(u16::from_be_bytes(*take(&mut data)?)),
            NULL => Self::Null,
            other => Self::Other(u16::try_from(other).unwrap_or(u16::MAX), data.to_vec()),
        })
    }

    pub(super) fn to_bytes(&self) -> Vec<u8> {
        let list = |all: &[Client]| all.iter().flat_map(|client| client.to_bytes()).collect::<Vec<u8>>();
        let (vector, data) = match self {
            Self::Connect(connect) => {
                let (flags, client) = ([u8::from(connect.wants_changes)], connect.client.to_bytes());
                let (version, domain) = (connect.version.to_be_bytes(), connect.domain.as_wire());
                (CONNECT, [&connect.scope.as_wire()[..], &version, domain, &flags, &client].concat())
            }
            Self::ConnectReply { code, version, broker, client } => {
                let parts = [&code.0.to_be_bytes()[..], &version.to_be_bytes(), &broker.0, &client.0];
                (CONNECT_REPLY, parts.concat())
            }
            Self::Update { wants_changes, client } => {
                (UPDATE, [&[u8::from(*wants_changes)][..], &client.to_bytes()].concat())
            }
            Self::Redirect(to) => match to.ip() {
                IpAddr::V4(ip) => (REDIRECT_V4, [&ip.octets()[..], &to.port().to_be_bytes()].concat()),
                IpAddr::V6(ip) => (REDIRECT_V6, [&ip.octets()[..], &to.port().to_be_bytes()].concat()),
            },
            Self::Fetch => (FETCH, Vec::new()),
            Self::Clients(all) => (CLIENTS, list(all)),
            Self::Added(all) => (ADDED, list(all)),
            Self::Removed(all) => (REMOVED, list(all)),
            Self::Changed(all) => (CHANGED, list(all)),
            Self::Disconnect(reason) => (DISCONNECT, reason.to_be_bytes().to_vec()),
            Self::Null => (NULL, Vec::new()),
            Self::Other(vector, data) => (u32::from(*vector), data.clone()),
        };
        written(vector, 2, &data)
    }
}

fn address(ip: IpAddr, mut rest: &[u8]) -> Result<SocketAddr, WireError> {
    Ok(SocketAddr::new(ip, u16::from_be_bytes(*take(&mut rest)?)))
}
