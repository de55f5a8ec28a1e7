//! Bytes to typed messages and back, for the open protocols of a show network.
//!
//! One folder per protocol, one file per message. Nothing here opens a socket, reads a clock or decides
//! anything; every length off the wire is checked before it is used, and unknown codes keep their value.
#![forbid(unsafe_code)]

mod arp;
pub mod art_net;
pub mod dhcp;
mod error;
mod mac;
mod text;
mod udp_frame;

pub use arp::{Arp, ArpOperation};
pub use error::{Layer, WireError};
pub use mac::{MacAddress, MacError};
pub use text::Text;
pub use udp_frame::UdpFrame;
