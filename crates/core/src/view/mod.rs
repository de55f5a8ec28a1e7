//! A sheet as people want to read it: addresses and what stands there, universes and who has to do with them.

mod addresses;
mod universes;

pub use addresses::{AddressState, Run, address_runs};
pub use universes::{UniverseUse, universe_uses};

#[cfg(test)]
mod tests;
