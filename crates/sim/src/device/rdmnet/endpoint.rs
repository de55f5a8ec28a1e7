//! One endpoint of a gateway: a port, as it really is.

use lantern_wire::rdm::Uid;
use lantern_wire::rdm::endpoint::EndpointMode;

/// What an endpoint really is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EndpointTruth {
    /// Of which gateway.
    pub gateway: Uid,
    /// Its number.
    pub number: u16,
    /// Its universe; 0 for none.
    pub universe: u16,
    /// Which way it works: 0 not at all, 1 as an input, 2 as an output.
    pub mode: u8,
    /// What it is called.
    pub label: String,
    /// Whether RDM goes through it.
    pub rdm: bool,
    /// Whether it shows itself.
    pub flashes: bool,
}

impl EndpointTruth {
    pub(super) const fn new(gateway: Uid, number: u16, universe: u16) -> Self {
        let label = String::new();
        Self { gateway, number, universe, mode: EndpointMode::OUTPUT.0, label, rdm: true, flashes: false }
    }
}
