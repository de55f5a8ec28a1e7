//! ArtAddress: a controller sets names, universes and port behaviour (Art-Net 4, section "ArtAddress").
//!
//! ```text
//!  12  1  net               96  4  universe switch of each input
//!  13  1  bind index       100  4  universe switch of each output
//!  14 18  short name       104  1  sub
//!  32 64  long name        105  1  sACN priority
//!                          106  1  command
//! ```

use core::fmt;

use super::{LongName, OpCode, ShortName, header};
use crate::{Text, WireError};

/// Sent to one node's own address; the node answers with an ArtPollReply.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Address {
    /// Bits 14–8 of the Port-Address of every port of the page.
    pub net: Program,
    /// The page this is for.
    pub bind_index: u8,
    /// The new short name; empty leaves the old one.
    pub short_name: ShortName,
    /// The new long name; empty leaves the old one.
    pub long_name: LongName,
    /// Bits 3–0 of each input's Port-Address.
    pub switch_in: [Program; 4],
    /// Bits 3–0 of each output's Port-Address.
    pub switch_out: [Program; 4],
    /// Bits 7–4 of the Port-Address of every port of the page.
    pub sub: Program,
    /// sACN priority 0–200; [`Address::KEEP_PRIORITY`] leaves it.
    pub sacn_priority: u8,
    /// One thing to do besides.
    pub command: Command,
}

/// One part of a Port-Address as a controller sets it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Program(pub u8);

impl Program {
    /// Leave it as it is.
    pub const KEEP: Self = Self(0x7f);
    /// Back to the node's own switch.
    pub const OWN_SWITCH: Self = Self(0x00);

    /// Set it to `value` (0–127 for net, 0–15 otherwise).
    #[must_use]
    pub const fn set(value: u8) -> Self {
        Self(0x80 | value)
    }

    /// The value to set, if one is to be set.
    #[must_use]
    pub const fn value(self) -> Option<u8> {
        if self.0 & 0x80 != 0 { Some(self.0 & 0x7f) } else { None }
    }
}

/// The command byte of an ArtAddress. Ports count from 0 to 3 within the page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub struct Command(pub u8);

impl Command {
    /// Nothing besides.
    pub const NONE: Self = Self(0x00);
    /// Leave merge mode at the next level received.
    pub const CANCEL_MERGE: Self = Self(0x01);
    /// Indicators as usual.
    pub const INDICATORS_NORMAL: Self = Self(0x02);
    /// Indicators dark.
    pub const INDICATORS_MUTE: Self = Self(0x03);
    /// Indicators flash, to find the unit.
    pub const INDICATORS_LOCATE: Self = Self(0x04);
    /// On loss of data keep the last levels.
    pub const LOSS_HOLD: Self = Self(0x08);
    /// On loss of data go to zero.
    pub const LOSS_ZERO: Self = Self(0x09);
    /// On loss of data go to full.
    pub const LOSS_FULL: Self = Self(0x0a);
    /// On loss of data play the recorded scene.
    pub const LOSS_SCENE: Self = Self(0x0b);

    /// Record what is sent now as the scene for a loss of data.
    pub const RECORD_SCENE: Self = Self(0x0c);

    /// Merge two sources of a port by LTP.
    #[must_use]
    pub const fn merge_ltp(port: u8) -> Self {
        Self(0x10 | port & 3)
    }

    /// Merge two sources of a port by HTP.
    #[must_use]
    pub const fn merge_htp(port: u8) -> Self {
        Self(0x50 | port & 3)
    }

    /// Make a port an output.
    #[must_use]
    pub const fn output(port: u8) -> Self {
        Self(0x20 | port & 3)
    }

    /// Make a port an input.
    #[must_use]
    pub const fn input(port: u8) -> Self {
        Self(0x30 | port & 3)
    }

    /// Let a port listen to Art-Net.
    #[must_use]
    pub const fn take_art_net(port: u8) -> Self {
        Self(0x60 | port & 3)
    }

    /// Let a port listen to sACN.
    #[must_use]
    pub const fn take_sacn(port: u8) -> Self {
        Self(0x70 | port & 3)
    }

    /// Let RDM through a port.
    #[must_use]
    pub const fn rdm_on(port: u8) -> Self {
        Self(0xc0 | port & 3)
    }

    /// Keep RDM from a port.
    #[must_use]
    pub const fn rdm_off(port: u8) -> Self {
        Self(0xd0 | port & 3)
    }
}

impl Address {
    /// Length of the message, in bytes.
    pub const LENGTH: usize = 107;
    /// The priority that means "leave it".
    pub const KEEP_PRIORITY: u8 = 255;

    /// A message for one page that leaves everything as it is.
    #[must_use]
    pub const fn keep_all(bind_index: u8) -> Self {
        Self {
            net: Program::KEEP,
            bind_index,
            short_name: Text::EMPTY,
            long_name: Text::EMPTY,
            switch_in: [Program::KEEP; 4],
            switch_out: [Program::KEEP; 4],
            sub: Program::KEEP,
            sacn_priority: Self::KEEP_PRIORITY,
            command: Command::NONE,
        }
    }

    /// Reads an ArtAddress.
    ///
    /// # Errors
    /// When the datagram is none, or shorter than 107 bytes.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let m = header::open::<{ Self::LENGTH }>(datagram, OpCode::ADDRESS)?;
        Ok(Self {
            net: Program(m[12]),
            bind_index: m[13],
            short_name: Text::from_wire(core::array::from_fn(|i| m[14 + i])),
            long_name: Text::from_wire(core::array::from_fn(|i| m[32 + i])),
            switch_in: core::array::from_fn(|i| Program(m[96 + i])),
            switch_out: core::array::from_fn(|i| Program(m[100 + i])),
            sub: Program(m[104]),
            sacn_priority: m[105],
            command: Command(m[106]),
        })
    }

    /// Writes the message over the whole of `out`.
    pub fn emit(&self, out: &mut [u8; Self::LENGTH]) {
        header::emit_versioned(out, OpCode::ADDRESS);
        out[12] = self.net.0;
        out[13] = self.bind_index;
        out[14..32].copy_from_slice(self.short_name.as_wire());
        out[32..96].copy_from_slice(self.long_name.as_wire());
        out[96..100].copy_from_slice(&self.switch_in.map(|p| p.0));
        out[100..104].copy_from_slice(&self.switch_out.map(|p| p.0));
        out[104] = self.sub.0;
        out[105] = self.sacn_priority;
        out[106] = self.command.0;
    }

    /// The message as bytes of its own.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = [0; Self::LENGTH];
        self.emit(&mut out);
        out.to_vec()
    }
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ArtAddress: page {}", self.bind_index.max(1))?;
        if self.command != Command::NONE {
            write!(f, ", command 0x{:02x}", self.command.0)?;
        }
        Ok(())
    }
}
