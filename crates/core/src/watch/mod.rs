//! Watch: what becomes of every device, and of everybody who sends levels, over time.
//!
//! A [`Board`] takes in what is heard, round after round, and says of each device whether it still answers; what changes is a
//! [`Happening`]. Everything on it is bounded, so that it may stand for weeks. [`Log`] is what a recorded watch leaves in a
//! file, [`Night`] what can be said of one afterwards.

mod board;
mod clocks;
mod counts;
mod curve;
mod fixtures;
mod happening;
mod log;
mod night;
mod reports;
mod traffic;
mod trend;
mod watched;

pub use board::Board;
pub(crate) use board::{Ask, Question};
pub use counts::Counts;
pub use curve::Curve;
pub use fixtures::WatchedFixture;
pub use happening::{Happening, News, in_words};
pub use log::{Kept, Log, LogError, Sample};
pub use night::{Life, Night};
pub use traffic::{Flow, Traffic};
pub use trend::{Counter, Trend};
pub use watched::{State, Watched};
