//! What every Art-Net message starts with.
//!
//! ```text
//!  0  8  identifier "Art-Net" and NUL
//!  8  2  OpCode, little-endian
//! 10  2  protocol version (absent in the poll reply)
//! ```

use super::OpCode;
use crate::{Layer, WireError};

const IDENTIFIER: &[u8; 8] = b"Art-Net\0";
const VERSION: u16 = 14;

/// Length of identifier and OpCode.
pub(super) const LENGTH: usize = 10;

/// Reads identifier and OpCode.
pub(super) fn parse(datagram: &[u8]) -> Result<OpCode, WireError> {
    let known = datagram.len().min(IDENTIFIER.len());
    if datagram[..known] != IDENTIFIER[..known] {
        return Err(WireError::Foreign { layer: Layer::ArtNetHeader });
    }
    let header: &[u8; LENGTH] = datagram.first_chunk().ok_or(WireError::Short {
        layer: Layer::ArtNetHeader,
        offset: 0,
        needed: LENGTH,
        available: datagram.len(),
    })?;
    Ok(OpCode(u16::from_le_bytes([header[8], header[9]])))
}

/// Checks that the datagram is a whole message of the `wanted` kind and gives its first `N` bytes.
pub(super) fn open<const N: usize>(datagram: &[u8], wanted: OpCode) -> Result<&[u8; N], WireError> {
    expect(datagram, wanted)?;
    let message = datagram.first_chunk().ok_or_else(|| short(datagram, wanted, N))?;
    let found = u16::from_be_bytes([datagram[10], datagram[11]]);
    if found < VERSION {
        return Err(WireError::Version { layer: Layer::ArtNet(wanted), found, oldest: VERSION });
    }
    Ok(message)
}

/// Checks that the datagram states the `wanted` OpCode.
pub(super) fn expect(datagram: &[u8], wanted: OpCode) -> Result<(), WireError> {
    match parse(datagram)? {
        found if found == wanted => Ok(()),
        found => Err(WireError::OtherMessage { found, wanted }),
    }
}

/// The error for a message that ends before its `length` bytes.
pub(super) fn short(datagram: &[u8], op: OpCode, length: usize) -> WireError {
    WireError::Short {
        layer: Layer::ArtNet(op),
        offset: LENGTH,
        needed: length - LENGTH,
        available: datagram.len().saturating_sub(LENGTH),
    }
}

/// Writes identifier and OpCode.
pub(super) fn emit(out: &mut [u8], op: OpCode) {
    out[..8].copy_from_slice(IDENTIFIER);
    out[8..10].copy_from_slice(&op.0.to_le_bytes());
}

/// Writes identifier, OpCode and protocol version, and clears the rest.
pub(super) fn emit_versioned(out: &mut [u8], op: OpCode) {
    out.fill(0);
    emit(out, op);
    out[10..12].copy_from_slice(&VERSION.to_be_bytes());
}
