//! Where simulated nodes stand.

mod loopback;
mod memory;

pub use loopback::LoopbackGround;
pub use memory::{Heard, MemoryGround};
