//! What the trade knows.
//!
//! Addresses and universes, the rig sheet and its clash rules, the census of who was there, comparing the two,
//! planning changes, and the conversations with nodes as state machines. Nothing here opens a socket, reads a
//! clock or a file, prints, or knows about a terminal: time comes in as a [`std::time::Duration`] since the
//! conversation began.
#![forbid(unsafe_code)]

pub mod adapter;
pub mod address;
mod as_millis;
mod as_text;
pub mod census;
pub mod change;
pub mod clash;
pub mod codes;
pub mod compare;
pub mod conversation;
pub mod diagnosis;
pub mod exchange;
pub mod explain;
pub mod facts;
mod family;
pub mod fill;
pub mod finding;
pub mod firmware;
pub mod flow;
pub mod keepsake;
pub mod ladder;
pub mod lease;
pub mod levels;
pub mod lines;
pub mod logbook;
pub mod packets;
pub mod pattern;
pub mod rework;
mod said;
pub mod schema;
pub mod secret;
mod setting;
pub mod sheet;
mod typed;
pub mod universe;
pub mod view;
pub mod watch;
mod way;

pub use lantern_wire::MacAddress;
pub use lantern_wire::art_net::PORT as ART_NET_PORT;
pub use lantern_wire::dhcp::SERVER_PORT as DHCP_SERVER_PORT;
pub use lantern_wire::rdm::Uid;
pub use lantern_wire::sacn::{Cid, PORT as SACN_PORT};
pub use said::Said;
pub use setting::{Access, DataLoss, Direction, Firmware, Indicators, Merge, Power, Protocol};
pub use typed::typed;
