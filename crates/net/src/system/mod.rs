//! What differs between operating systems: one room each, all with the same face. Nothing outside asks which system it is.

#[cfg(target_os = "linux")]
mod linux;
#[cfg(not(target_os = "linux"))]
mod plain;

#[cfg(target_os = "linux")]
pub(crate) use linux::{addressing, bind, computer, frames, neighbours};
#[cfg(not(target_os = "linux"))]
pub(crate) use plain::{addressing, bind, computer, frames, neighbours};
