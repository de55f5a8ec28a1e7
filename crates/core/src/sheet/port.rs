//! Ports of a node as they should be.

use super::fields::Fields;
use super::place::Placed;
use crate::universe::{DeskBase, OutOfRange, SacnUniverse, Universe, UniverseError};
use crate::{DataLoss, Direction, Merge, Protocol};

/// Highest port number a sheet may use: 255 pages of four ports.
pub(super) const LAST_PORT: u32 = 1020;

/// One port as it should be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SheetPort {
    /// Its number on the node, from 1.
    pub number: Placed<u32>,
    /// Whether it sends to its socket or takes from it.
    pub direction: Direction,
    /// Its universe.
    pub universe: Placed<AskedUniverse>,
    /// How two sources are combined.
    pub merge: Option<Placed<Merge>>,
    /// How many sources are meant.
    pub sources: Option<Placed<u32>>,
    /// How many outputs carry this universe on purpose, this one included.
    pub splits: Option<Placed<u32>>,
    /// Whether RDM goes through it.
    pub rdm: Option<Placed<bool>>,
    /// What it should do when data stops, where it differs from the node.
    pub on_data_loss: Option<Placed<DataLoss>>,
    /// What it is called, as its node keeps it.
    pub label: Option<Placed<String>>,
}

/// A universe as the sheet asks for it: well written, but perhaps none that exists, or not chosen yet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum AskedUniverse {
    /// One that exists.
    Real(Universe),
    /// A number outside the standard.
    Impossible(OutOfRange),
    /// To be chosen, in this protocol.
    Fill(Protocol),
}

impl SheetPort {
    /// The page of four ports it stands on, from 0: Art-Net programs net and sub for a page at once.
    #[must_use]
    pub const fn page(&self) -> u32 {
        self.number.value.saturating_sub(1) / 4
    }
}

impl AskedUniverse {
    /// The universe, when it exists.
    #[must_use]
    pub const fn real(&self) -> Option<Universe> {
        match self {
            Self::Real(universe) => Some(*universe),
            Self::Impossible(_) | Self::Fill(_) => None,
        }
    }

    /// Reads any notation of a universe, `fill` or `sacn fill`; without a word of the protocol, `protocol` is meant.
    pub(super) fn read(text: &str, desk: DeskBase, protocol: Protocol) -> Result<Self, UniverseError> {
        match text {
            "fill" => return Ok(Self::Fill(protocol)),
            "sacn fill" => return Ok(Self::Fill(Protocol::Sacn)),
            _ => {}
        }
        match Universe::read(text, desk) {
            // On a node of sACN a bare number is an sACN universe.
            Ok(Universe::ArtNet(address)) if protocol == Protocol::Sacn && is_bare_number(text) => {
                let universe = SacnUniverse::new(address.flat().into()).map(Universe::Sacn);
                Ok(universe.map_or_else(Self::Impossible, Self::Real))
            }
            Ok(universe) => Ok(Self::Real(universe)),
            Err(UniverseError::OutOfRange(out)) => Ok(Self::Impossible(out)),
            Err(unreadable) => Err(unreadable),
        }
    }
}

fn is_bare_number(text: &str) -> bool {
    text.bytes().all(|b| b.is_ascii_digit())
}

pub(super) fn read_all(node: &Fields<'_>, desk: DeskBase, protocol: Option<Protocol>) -> Vec<SheetPort> {
    let protocol = protocol.unwrap_or(Protocol::ArtNet);
    let ports = node.tables("port", "this port");
    let ports: Vec<SheetPort> = ports.iter().filter_map(|fields| read(fields, desk, protocol)).collect();
    for (i, port) in ports.iter().enumerate() {
        let number = port.number.value;
        if ports[..i].iter().any(|earlier| earlier.number.value == number) {
            let what = format!("port {number} of this node is described twice");
            node.note(port.number.span, what, "each port once");
        }
    }
    ports
}

fn read(fields: &Fields<'_>, desk: DeskBase, protocol: Protocol) -> Option<SheetPort> {
    let number = fields.required("port", fields.number("port", 1..=LAST_PORT), "1");
    let universe = |key| fields.parsed_or_number(key, |text| AskedUniverse::read(text, desk, protocol));
    let out = universe("out").map(|u| (Direction::Out, u));
    let taken = universe("in").map(|u| (Direction::In, u));
    let merge = fields.word("merge", &Merge::WORDS);
    let sources = fields.number("sources", 1..=64);
    let splits = fields.number("splits", 2..=1024);
    let rdm = fields.flag("rdm");
    let on_data_loss = fields.word("on_data_loss", &DataLoss::WORDS);
    let label = fields.text("label");
    fields.refuse_unknown_keys();
    let used = match (out, taken) {
        (Some(_), Some((_, second))) => {
            fields.note(second.span, "this port has both `out` and `in`", "only one of the two");
            None
        }
        (Some(used), None) | (None, Some(used)) => Some(used),
        (None, None) => None,
    };
    if !fields.has("in") {
        fields.required("out", used.as_ref(), "\"0:0:0\" (or in = \"0:0:0\")");
    }
    let (direction, universe) = used?;
    Some(SheetPort { number: number?, direction, universe, merge, sources, splits, rdm, on_data_loss, label })
}
