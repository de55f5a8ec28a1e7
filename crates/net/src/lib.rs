//! This computer: its adapters and sockets, and the driver that runs a conversation on them.
//!
//! Nothing here judges or formats for people. Whatever differs between operating systems sits in one `imp` module
//! with the same face everywhere.
#![forbid(unsafe_code)]

mod addressing;
mod computer;
mod driver;
mod error;
mod frames;
#[cfg(target_os = "linux")]
mod netlink;
mod socket;

pub use addressing::{adapter_state, carry_out, missing_rights, start_mark};
pub use computer::computer;
pub use driver::{Traffic, run};
pub use error::NetError;
pub use frames::run_frames;
pub use socket::Sockets;
