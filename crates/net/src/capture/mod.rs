//! Capture files: what was sent and heard, written down and played again.

mod record;
mod replay;

pub use record::Recorder;
pub use replay::{Capture, CaptureError, Damage, replay};
