//! Blocks of data with a head: flags and length in three bytes, the top four bits flags, counted from the head's own first byte;
//! then a vector that says what the data is (E1.33, section 4; E1.17).

use crate::{Layer, WireError};

/// The longest block: twenty bits.
const MOST: usize = 0x000f_ffff;

/// Data of one block, with the vector that says what it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Block<'a> {
    pub(super) vector: u32,
    pub(super) data: &'a [u8],
}

/// The first block of some bytes, whose vector has so many bytes, and what follows it.
///
/// # Errors
/// When its length runs past the end, or does not even hold its head.
pub(super) fn split(bytes: &[u8], vector: usize) -> Result<(Block<'_>, &[u8]), WireError> {
    let least = 3 + vector;
    let head = bytes.get(..least).ok_or_else(|| short(least, bytes.len()))?;
    let length = usize::from(head[0] & 0x0f) << 16 | usize::from(head[1]) << 8 | usize::from(head[2]);
    if length < least {
        return Err(WireError::Foreign { layer: Layer::RdmNet });
    }
    let whole = bytes.get(..length).ok_or_else(|| short(length, bytes.len()))?;
    let number = head[3..].iter().fold(0_u32, |number, byte| number << 8 | u32::from(*byte));
    Ok((Block { vector: number, data: &whole[least..] }, &bytes[length..]))
}

/// The one block that some bytes are.
///
/// # Errors
/// As [`split`], and when anything follows it.
pub(super) fn only(bytes: &[u8], vector: usize) -> Result<Block<'_>, WireError> {
    match split(bytes, vector)? {
        (block, []) => Ok(block),
        _ => Err(WireError::Foreign { layer: Layer::RdmNet }),
    }
}

/// A block with this vector of so many bytes.
pub(super) fn written(vector: u32, vector_bytes: usize, data: &[u8]) -> Vec<u8> {
    let length = (3 + vector_bytes + data.len()).min(MOST);
    let [_, a, b, c] = u32::try_from(length).unwrap_or(0).to_be_bytes();
    let vector = vector.to_be_bytes();
    [&[0xf0 | a, b, c], &vector[4 - vector_bytes..], data].concat()
}

/// Cuts so many bytes off the beginning.
///
/// # Errors
/// When there are not as many.
pub(super) fn take<'a, const N: usize>(bytes: &mut &'a [u8]) -> Result<&'a [u8; N], WireError> {
    let (taken, rest) = bytes.split_first_chunk().ok_or_else(|| short(N, bytes.len()))?;
    *bytes = rest;
    Ok(taken)
}

pub(super) const fn short(needed: usize, available: usize) -> WireError {
    WireError::Short { layer: Layer::RdmNet, offset: 0, needed, available }
}
