//! Windows: as elsewhere, but for the words in which a port is refused.

use std::io;

pub(crate) use super::super::plain::bind::{bind, keep_to, share};

/// What the system says of a port that another program holds: to one that would share it, that this is not allowed (WSAEACCES, 10013).
pub(crate) const HELD: &[io::ErrorKind] = &[io::ErrorKind::AddrInUse, io::ErrorKind::PermissionDenied];
