//! Bytes to typed messages and back, for the open protocols of a show network.
//!
//! One folder per protocol, one file per message. Nothing here opens a socket, reads a clock or decides
//! anything; every length off the wire is checked before it is used, and unknown codes keep their value.
#![forbid(unsafe_code)]

pub mod acn;
mod arp;
pub mod art_net;
pub mod dhcp;
pub mod dns_sd;
mod error;
pub mod html;
pub mod http_digest;
pub mod igmp;
pub mod lldp;
pub mod llrp;
mod mac;
pub mod nmos;
pub mod onvif;
pub mod packet;
pub mod pjlink;
mod place;
pub mod ptp;
pub mod rdm;
pub mod rdmnet;
pub mod rtp;
pub mod sacn;
pub mod sap;
pub mod sdp;
pub mod snmp;
pub mod telnet;
mod text;
mod udp_frame;
pub mod xml;

pub use arp::{Arp, ArpOperation};
pub use error::{Layer, WireError};
pub use igmp::Igmp;
pub use lldp::Lldp;
pub use mac::{MacAddress, MacError};
pub use packet::{Carries, Link, Packet};
pub use place::Place;
pub use text::Text;
pub use udp_frame::UdpFrame;
