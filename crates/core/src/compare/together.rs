//! What is known of a device that speaks no Art-Net, whoever told it.

use std::net::Ipv4Addr;

use crate::census::{Device, Unit};
use crate::facts::{Field, Known, Tells, Value};
use crate::lease::Lease;

/// A device that speaks no Art-Net, with everything its units tell, and what it was given by DHCP.
pub(super) struct Together<'a> {
    pub(super) device: &'a Device,
    pub(super) units: &'a [Unit],
    pub(super) lease: Option<&'a Lease>,
}

impl Tells for Together<'_> {
    fn tells(&self, field: Field, wanted: &Value) -> Known<Value> {
        let device = self.device;
        if field == Field::Address {
            let is_wanted = |address: &&Ipv4Addr| *wanted == Value::Address(**address);
            let there = device.addresses.iter().find(is_wanted).copied().or(device.address);
            // A unit that spoke without an address has told so.
            let none = (!device.units.is_empty()).then_some(Ipv4Addr::UNSPECIFIED);
            return Known::told(there.or(none).map(Value::Address));
        }
        let told =
            device.units.iter().filter_map(|place| self.units.get(*place)).map(|unit| unit.tells(field, wanted));
        // What one of them tells is told, whatever the others leave out; of what none has a word for the lease tells.
        let by_lease = self.lease.map(|lease| lease.tells(field, wanted));
        told.chain(by_lease)
            .min_by_key(|known| match known {
                Known::Told(_) => 0,
                Known::Untold => 1,
                Known::CannotTell => 2,
            })
            .unwrap_or(Known::CannotTell)
    }
}
