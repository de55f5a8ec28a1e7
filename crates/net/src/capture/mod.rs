//! Capture files: what was sent and heard, written down and played again.

mod record;
mod replay;

/// How packets are marked that say what the system's table of neighbours held: lately made sure of, or not.
const NEIGHBOUR_MARKS: [(&str, bool); 2] =
    [("neighbour known to the system", true), ("neighbour once known to the system", false)];

pub use record::Recorder;
pub use replay::{Capture, CaptureError, Damage, replay};
