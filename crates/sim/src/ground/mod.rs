//! Where simulated nodes stand.

mod alarms;
mod cable;
mod loopback;
mod memory;
#[cfg(target_os = "linux")]
mod segment;
mod switched;

pub use cable::CableGround;
pub use loopback::LoopbackGround;
pub use memory::{Heard, LinkHeard, MemoryGround};
#[cfg(target_os = "linux")]
pub use segment::{ADAPTER, PrivateNetwork, SegmentError, SegmentGround};
