//! The endpoints of a device: its ports, each with its universe (ANSI E1.37-7).
//!
//! ```text
//! ENDPOINT_LIST         told: change 4, then endpoint 2 and type 1, each
//! ENDPOINT_LIST_CHANGE  told: change 4
//! IDENTIFY_ENDPOINT     asked: endpoint 2; told and set: endpoint 2, 0 or 1
//! ENDPOINT_TO_UNIVERSE  asked: endpoint 2; told and set: endpoint 2, universe 2, 0 for none
//! ENDPOINT_MODE         asked: endpoint 2; told and set: endpoint 2, mode 1
//! ENDPOINT_LABEL        asked: endpoint 2; told and set: endpoint 2, text
//! RDM_TRAFFIC           asked: endpoint 2; told and set: endpoint 2, 0 or 1
//! DISCOVERY_STATE       asked: endpoint 2; told: endpoint 2, how many 2, state 1; set: endpoint 2, state 1
//! BACKGROUND_DISCOVERY  asked: endpoint 2; told and set: endpoint 2, 0 or 1
//! ENDPOINT_RESPONDERS   asked: endpoint 2; told: endpoint 2, change 4, UID 6, each
//! ```

use super::{Uid, text};

/// Which endpoints there are.
pub const LIST: u16 = 0x0900;
/// How often that has changed.
pub const LIST_CHANGE: u16 = 0x0901;
/// Whether one shows itself.
pub const IDENTIFY: u16 = 0x0902;
/// The sACN universe of one.
pub const UNIVERSE: u16 = 0x0903;
/// Whether one is an input or an output.
pub const MODE: u16 = 0x0904;
/// What one is called.
pub const LABEL: u16 = 0x0905;
/// Whether RDM goes through one.
pub const RDM_TRAFFIC: u16 = 0x0906;
/// How far the search behind one is.
pub const DISCOVERY_STATE: u16 = 0x0907;
/// Whether it is searched behind one all the time.
pub const BACKGROUND_DISCOVERY: u16 = 0x0908;
/// Who hangs behind one.
pub const RESPONDERS: u16 = 0x090b;

/// What an endpoint is (section 3.1): a port that can be touched, or not.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct EndpointType(pub u8);

impl EndpointType {
    /// Only in software.
    pub const VIRTUAL: Self = Self(0);
    /// A port.
    pub const PHYSICAL: Self = Self(1);
}

/// Which way an endpoint works (section 3.5).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct EndpointMode(pub u8);

impl EndpointMode {
    /// Not at all.
    pub const OFF: Self = Self(0);
    /// It takes in what is plugged in.
    pub const INPUT: Self = Self(1);
    /// It puts out.
    pub const OUTPUT: Self = Self(2);
}

/// All endpoints of a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EndpointList {
    /// How often the list has changed.
    pub change: u32,
    /// Each with what it is.
    pub endpoints: Vec<(u16, EndpointType)>,
}

/// Who hangs behind an endpoint.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Responders {
    /// Which endpoint.
    pub endpoint: u16,
    /// How often the list has changed.
    pub change: u32,
    /// Those.
    pub uids: Vec<Uid>,
}

impl EndpointList {
    /// Reads the data of an answer; `None` when it is too short.
    #[must_use]
    pub fn read(data: &[u8]) -> Option<Self> {
        let (change, rest) = data.split_first_chunk()?;
        let one = |[high, low, sort]: &[u8; 3]| (u16::from_be_bytes([*high, *low]), EndpointType(*sort));
        let endpoints = rest.as_chunks::<3>().0.iter().map(one).collect();
        Some(Self { change: u32::from_be_bytes(*change), endpoints })
    }

    /// The data of the answer.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let one = |(endpoint, sort): &(u16, EndpointType)| [&endpoint.to_be_bytes()[..], &[sort.0]].concat();
        self.change.to_be_bytes().into_iter().chain(self.endpoints.iter().flat_map(one)).collect()
    }
}

impl Responders {
    /// Reads the data of an answer; `None` when it is too short.
    #[must_use]
    pub fn read(data: &[u8]) -> Option<Self> {
        let (endpoint, rest) = data.split_first_chunk()?;
        let (change, rest) = rest.split_first_chunk()?;
        let uids = rest.as_chunks::<6>().0.iter().map(|uid| Uid(*uid)).collect();
        Some(Self { endpoint: u16::from_be_bytes(*endpoint), change: u32::from_be_bytes(*change), uids })
    }

    /// The data of the answer.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let head = [&self.endpoint.to_be_bytes()[..], &self.change.to_be_bytes()].concat();
        head.into_iter().chain(self.uids.iter().flat_map(|uid| uid.0)).collect()
    }
}

/// An endpoint and one number of two bytes: its universe; `None` when it is too short.
#[must_use]
pub fn read_universe(data: &[u8]) -> Option<(u16, u16)> {
    let [a, b, c, d] = *data.first_chunk()?;
    Some((u16::from_be_bytes([a, b]), u16::from_be_bytes([c, d])))
}

/// The data that tells or sets the universe of an endpoint.
#[must_use]
pub fn write_universe(endpoint: u16, universe: u16) -> Vec<u8> {
    [endpoint.to_be_bytes(), universe.to_be_bytes()].concat()
}

/// An endpoint and one number of a byte: its mode, or whether something is on; `None` when it is too short.
#[must_use]
pub fn read_byte(data: &[u8]) -> Option<(u16, u8)> {
    let [a, b, byte] = *data.first_chunk()?;
    Some((u16::from_be_bytes([a, b]), byte))
}

/// The data that tells or sets such a number.
#[must_use]
pub fn write_byte(endpoint: u16, byte: u8) -> Vec<u8> {
    [&endpoint.to_be_bytes()[..], &[byte]].concat()
}

/// An endpoint and its label; `None` when it is too short.
#[must_use]
pub fn read_label(data: &[u8]) -> Option<(u16, String)> {
    let (endpoint, label) = data.split_first_chunk()?;
    Some((u16::from_be_bytes(*endpoint), text::read(label)))
}

/// The data that tells or sets the label of an endpoint.
#[must_use]
pub fn write_label(endpoint: u16, label: &str) -> Vec<u8> {
    [&endpoint.to_be_bytes()[..], &text::write(label)].concat()
}
