//! Remote device management (ANSI E1.20): questions and orders to single devices, here as other protocols carry them.

mod message;
pub mod network;
pub mod parameter;
mod uid;

pub use message::{Class, Message, ResponseType};
pub use uid::{Uid, UidError};

/// Sub-device and data lengths aside, everything about one device: its root.
pub const ROOT: u16 = 0;
/// The most bytes of data in one message (section 6.2.3).
pub const MOST_DATA: usize = 231;
