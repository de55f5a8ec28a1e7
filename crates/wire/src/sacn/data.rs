//! Levels of one universe (E1.31, sections 6.2 and 7).
//!
//! ```text
//!  38  2  flags, length       111  1  sequence        118  1  02 vector of DMP
//!  40  4  vector 2            112  1  options         119  1  a1 address and data type
//!  44 64  source name         113  2  universe        120  2  first property, 0
//! 108  1  priority 0–200      115  2  flags, length   122  2  increment, 1
//! 109  2  sync universe       117  1  02              123  2  count 1–513: start code, slots
//! ```

use super::{Cid, VECTOR_DATA, at_least, flags_and_length, pdu, root};
use crate::{Layer, Text, WireError};

const FRAMING: usize = 38;
const DMP: usize = 115;
const VALUES: usize = 125;

/// What the option bits say (section 6.2.6).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Options(pub u8);

impl Options {
    /// The bit of a source that sends no more of this universe.
    pub const ENDED: u8 = 0x40;

    /// Not for the stage: a visualiser's look.
    #[must_use]
    pub const fn preview(self) -> bool {
        self.0 & 0x80 != 0
    }

    /// The source sends no more of this universe.
    #[must_use]
    pub const fn ended(self) -> bool {
        self.0 & Self::ENDED != 0
    }
}

/// Levels of one universe from one source.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Data<'a> {
    /// The sender.
    pub cid: Cid,
    /// What the sender calls itself.
    pub source: Text<64>,
    /// 0 to 200; 100 is usual, the highest wins.
    pub priority: u8,
    /// The universe whose synchronisation it waits for; 0 for none.
    pub sync: u16,
    /// Counts messages modulo 256.
    pub sequence: u8,
    /// Option bits.
    pub options: Options,
    /// 1 to 63999, as stated.
    pub universe: u16,
    /// 0 for levels, 0xdd for a priority of each slot.
    pub start_code: u8,
    /// Up to 512 levels.
    pub slots: &'a [u8],
}

impl<'a> Data<'a> {
    pub(super) fn parse(cid: Cid, datagram: &'a [u8]) -> Result<Self, WireError> {
        let layer = Layer::SacnData;
        let framing = at_least(datagram, layer, FRAMING, DMP - FRAMING)?;
        let byte = |at: usize| framing[at - FRAMING];
        let word = |at: usize| u16::from_be_bytes([byte(at), byte(at + 1)]);
        pdu(datagram, layer, FRAMING)?;
        let head = at_least(datagram, layer, DMP, VALUES - DMP)?;
        let foreign = byte(43) != 2 || head[2] != 2 || head[3] != 0xa1 || head[4..8] != [0, 0, 0, 1];
        if foreign || word(40) != 0 || byte(42) != 0 {
            return Err(WireError::Foreign { layer });
        }
        let count = usize::from(u16::from_be_bytes([head[8], head[9]]));
        let values = at_least(datagram, layer, VALUES, count.max(1))?;
        if count > 513 || count == 0 {
            return Err(WireError::Foreign { layer });
        }
        Ok(Self {
            cid,
            source: Text::from_wire(core::array::from_fn(|i| byte(44 + i))),
            priority: byte(108),
            sync: word(109),
            sequence: byte(111),
            options: Options(byte(112)),
            universe: word(113),
            start_code: values[0],
            slots: &values[1..],
        })
    }

    /// The message as bytes. Slots past the 512th are left out.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let slots = &self.slots[..self.slots.len().min(512)];
        let length = VALUES - FRAMING + 1 + slots.len();
        let mut out = root(self.cid, VECTOR_DATA, length);
        out.extend(flags_and_length(length));
        out.extend([0, 0, 0, 2]);
        out.extend(self.source.as_wire());
        out.push(self.priority);
        out.extend(self.sync.to_be_bytes());
        out.extend([self.sequence, self.options.0]);
        out.extend(self.universe.to_be_bytes());
        out.extend(flags_and_length(VALUES - DMP + 1 + slots.len()));
        out.extend([2, 0xa1, 0, 0, 0, 1]);
        out.extend(u16::try_from(slots.len() + 1).unwrap_or(513).to_be_bytes());
        out.push(self.start_code);
        out.extend(slots);
        out
    }
}
