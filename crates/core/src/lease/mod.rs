//! Handing out addresses by DHCP as the sheet plans them: who is to get what, what speaks against it, what was given.
//!
//! The conversation itself is [`crate::conversation::Leasing`].

mod export;
mod judge;
mod plan;
mod record;
mod rules;

pub use crate::lines::LinesError as LeaseLineError;
pub use export::{ServerFile, to_dnsmasq, to_kea};
pub use judge::{held_finding, judge, left_finding, rival_finding};
pub use plan::{LeasePlan, LeaseWishes, Place, Terms};
pub use record::{FORMAT, Lease, LeaseLine, read_leases};

pub(crate) use rules::RULES;

#[cfg(test)]
mod tests;
