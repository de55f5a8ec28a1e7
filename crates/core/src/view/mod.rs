//! A sheet as people want to read it: addresses and what stands there, universes and who has to do with them; and one device
//! with everything known of it.

mod addresses;
mod fixture;
mod patching;
mod place;
mod portrait;
mod universes;

pub use addresses::{AddressState, Run, address_runs};
pub use fixture::{FixtureFact, FixturePortrait, OwnParameter};
pub use patching::{ChannelLine, EndLine, Patching, WantedGroup};
pub use place::{OnSheet, Place};
pub use portrait::{FactLine, Meaning, PortLine, Portrait, Report};
pub use universes::{UniverseUse, universe_uses};

#[cfg(test)]
mod tests;
