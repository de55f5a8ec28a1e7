//! macOS: a socket hears broadcasts only where it is bound to every address, and is kept to one adapter by that one's number.

pub(crate) mod bind;

pub(crate) use super::plain::{addressing, computer, frames, neighbours};
