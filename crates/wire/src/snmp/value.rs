//! What an object holds.

use core::fmt;
use std::net::Ipv4Addr;

use super::Oid;

/// The value of an object (RFC 2578, section 7.1).
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Value {
    /// A number with a sign.
    Integer(i64),
    /// Bytes, which are text more often than not.
    Bytes(Vec<u8>),
    /// The number of an object.
    Oid(Oid),
    /// An address.
    Address(Ipv4Addr),
    /// How often something has happened; begins anew at its end, and when the device starts.
    Counter(u64),
    /// How much of something there is now.
    Gauge(u32),
    /// A time in hundredths of a second.
    Ticks(u32),
    /// Something wrapped by its maker.
    Opaque(Vec<u8>),
    /// Nothing: what is asked for has no value.
    Unspecified,
    /// There is no such object, or no such row of it.
    Missing,
    /// Nothing comes behind this one.
    End,
}

impl Value {
    /// The number that it is, where it is one.
    #[must_use]
    pub const fn number(&self) -> Option<i128> {
        match self {
            Self::Integer(number) => Some(*number as i128),
            Self::Counter(number) => Some(*number as i128),
            Self::Gauge(number) | Self::Ticks(number) => Some(*number as i128),
            _ => None,
        }
    }

    /// Whether there is such an object.
    #[must_use]
    pub const fn is_there(&self) -> bool {
        !matches!(self, Self::Missing | Self::End | Self::Unspecified)
    }

    /// This text as a value of the same sort, to set it; `None` where it is none, or the sort cannot be set.
    #[must_use]
    pub fn like(&self, text: &str) -> Option<Self> {
        Some(match self {
            Self::Integer(_) => Self::Integer(text.parse().ok().filter(|number| i32::try_from(*number).is_ok())?),
            Self::Bytes(_) => Self::Bytes(text.as_bytes().to_vec()),
            Self::Oid(_) => Self::Oid(text.parse().ok()?),
            Self::Address(_) => Self::Address(text.parse().ok()?),
            Self::Gauge(_) => Self::Gauge(text.parse().ok()?),
            Self::Ticks(_) => Self::Ticks(text.parse().ok()?),
            Self::Counter(_) | Self::Opaque(_) | Self::Unspecified | Self::Missing | Self::End => return None,
        })
    }
}

impl fmt::Display for Value {
    /// As text; bytes that are none as hexadecimal numbers.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Integer(number) => number.fmt(f),
            Self::Counter(number) => number.fmt(f),
            Self::Gauge(number) | Self::Ticks(number) => number.fmt(f),
            Self::Oid(oid) => oid.fmt(f),
            Self::Address(address) => address.fmt(f),
            Self::Bytes(bytes) => match core::str::from_utf8(bytes) {
                Ok(text) => f.write_str(text.trim_end_matches('\0')),
                Err(_) => hexadecimal(bytes, f),
            },
            Self::Opaque(bytes) => hexadecimal(bytes, f),
            Self::Unspecified | Self::Missing | Self::End => Ok(()),
        }
    }
}

fn hexadecimal(bytes: &[u8], f: &mut fmt::Formatter<'_>) -> fmt::Result {
    for (place, byte) in bytes.iter().enumerate() {
        write!(f, "{}{byte:02x}", if place > 0 { " " } else { "" })?;
    }
    Ok(())
}
