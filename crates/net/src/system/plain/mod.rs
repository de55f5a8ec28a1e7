//! Systems that have no room of their own yet: sockets, and adapters as far as they have addresses.

pub(crate) mod addressing;
pub(crate) mod bind;
pub(crate) mod computer;
pub(crate) mod frames;
pub(crate) mod neighbours;
