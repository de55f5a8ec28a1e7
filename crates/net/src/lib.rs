//! This computer: its adapters and sockets, and the driver that runs a conversation on them.
//!
//! Nothing here judges or formats for people. Whatever differs between operating systems sits in one `imp` module
//! with the same face everywhere.
#![forbid(unsafe_code)]

mod computer;
mod driver;
mod error;
mod socket;

pub use computer::computer;
pub use driver::{Traffic, run};
pub use error::NetError;
pub use socket::Sockets;
