//! The logbook: every step that was taken, with before and after. One JSON object a line.
//!
//! A run begins with a line about itself and one for each change: what is wanted, and everything its device told before. A
//! step has a line before it is sent and another when it has ended, so that after a power cut the last line says what was
//! under way. What is needed to go on with a run, and to take it back, is all in here.

mod back;
mod read;
mod record;
pub mod resume;
mod run;
mod silent;
mod stage;

pub use crate::lines::LinesError as LogbookError;
pub use back::{Back, plan_back};
pub use read::read;
pub use record::{Along, Begun, Ending, FORMAT, Line, LineSaid, Order, Planned, Record, SaidResult, StepTaken};
pub use run::{Run, SentStep};
pub use silent::silent_of;
pub use stage::Stage;

#[cfg(test)]
mod tests;
