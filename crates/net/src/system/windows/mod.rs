//! Windows: adapters as the system's own interface tells them; the table of neighbours and who holds a port as its commands do. What
//! an adapter is set to is not changed yet, and there are no raw frames.

pub(super) mod answers;
pub(crate) mod bind;
pub(crate) mod computer;
pub(crate) mod neighbours;
mod shell;

pub(crate) use super::plain::{addressing, frames};
