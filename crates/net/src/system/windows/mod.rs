//! Windows: adapters as the system's own interface tells them; the table of neighbours, who holds a port, and what an adapter is set to
//! as its commands do. There are no raw frames.

pub(crate) mod addressing;
pub(super) mod answers;
pub(crate) mod bind;
pub(crate) mod computer;
pub(crate) mod neighbours;
mod orders;
mod shell;

pub(crate) use super::plain::frames;
