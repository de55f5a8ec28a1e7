//! What a device says of a parameter that is its maker's own (E1.20, section 10.4.2, PARAMETER_DESCRIPTION).
//!
//! ```text
//! 0  2  parameter            8  4  lowest value
//! 2  1  length of its data  12  4  highest value
//! 3  1  form of its data    16  4  value as delivered
//! 4  1  what can be done    20  …  text
//! 5  1  unused
//! 6  1  unit
//! 7  1  prefix
//! ```

use super::{sensor::Unit, text};

/// The form of a parameter's data (appendix A-15).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Form(pub u8);

/// What a device says of one of its own parameters.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Description {
    /// Which parameter, from 0x8000.
    pub parameter: u16,
    /// How many bytes its data has at most.
    pub length: u8,
    /// What they hold.
    pub form: Form,
    /// Whether it can be asked for.
    pub is_told: bool,
    /// Whether it can be set.
    pub is_set: bool,
    /// The unit of its values.
    pub unit: Unit,
    /// The lowest and the highest value, as the device writes them.
    pub range: [u32; 2],
    /// The value as delivered.
    pub default: u32,
    /// What it is called.
    pub name: String,
}

impl Form {
    /// Bits.
    pub const BITS: Self = Self(1);
    /// Text.
    pub const TEXT: Self = Self(2);
    /// Bytes without a sign.
    pub const BYTE: Self = Self(3);
    /// Bytes with one.
    pub const SIGNED_BYTE: Self = Self(4);
    /// Two bytes without a sign.
    pub const WORD: Self = Self(5);
    /// Two bytes with one.
    pub const SIGNED_WORD: Self = Self(6);
    /// Four bytes without a sign.
    pub const LONG: Self = Self(7);
    /// Four bytes with one.
    pub const SIGNED_LONG: Self = Self(8);
}

impl Description {
    /// Reads the data of an answer; `None` when it is too short.
    #[must_use]
    pub fn read(data: &[u8]) -> Option<Self> {
        let (d, name): (&[u8; 20], &[u8]) = data.split_first_chunk()?;
        let long = |at: usize| u32::from_be_bytes([d[at], d[at + 1], d[at + 2], d[at + 3]]);
        Some(Self {
            parameter: u16::from_be_bytes([d[0], d[1]]),
            length: d[2],
            form: Form(d[3]),
            is_told: d[4] & 1 != 0,
            is_set: d[4] & 2 != 0,
            unit: Unit { unit: d[6], prefix: d[7] },
            range: [long(8), long(12)],
            default: long(16),
            name: text::read(name),
        })
    }

    /// The data of the answer.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = self.parameter.to_be_bytes().to_vec();
        let can = u8::from(self.is_told) | if self.is_set { 2 } else { 0 };
        out.extend([self.length, self.form.0, can, 0, self.unit.unit, self.unit.prefix]);
        self.range.iter().chain([&self.default]).for_each(|value| out.extend(value.to_be_bytes()));
        out.extend(text::write(&self.name));
        out
    }
}
