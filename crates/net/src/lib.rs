//! This computer: its adapters, what can be heard and said through them, and the driver that runs a conversation.
//!
//! Nothing here judges or formats for people. Whatever differs between operating systems sits in a room
//! for each (`system`), all with the same face.
#![forbid(unsafe_code)]

mod addressing;
mod by_frames;
mod cable;
mod capture;
mod clock;
mod computer;
mod driver;
mod error;
mod fetch;
mod links;
mod neighbours;
mod station;
mod system;

pub use addressing::{adapter_state, carry_out, detects_duplicates, missing_rights, start_mark};
pub use cable::{Cable, CableError, is_pretended};
pub use capture::{Capture, CaptureError, Damage, Recorder, replay};
pub use computer::{computer, drops_foreign};
pub use driver::{Traffic, run, run_typed};
pub use error::NetError;
pub use neighbours::{drop_neighbour, neighbour_table, pin_neighbour};
pub use station::{Lack, Station, Wants};
