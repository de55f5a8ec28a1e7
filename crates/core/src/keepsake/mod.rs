//! Keepsakes: every setting of one device, kept in a file that people can read, to put back onto it or onto its replacement.
//!
//! ```toml
//! format = 1
//! taken = "2026-11-04T18:00:00Z"
//!
//! [unit]
//! name = "quay-north"
//! family = "art-net"
//! mac = "02:4d:42:00:10:01"
//! address = "10.40.1.100"
//! model = "Marrowbright Four"
//!
//! [settings]
//! address = "10.40.1.100"
//! dhcp = false
//!
//! [[port]]
//! port = 1
//! universe = "0:0:0"
//! ```

mod file;

use crate::Indicators;
use crate::census::{NodeName, Subject};
use crate::compare::Wanted;
use crate::facts::{Difference, Field, Known, PortField, Tells, Value};

pub use file::KeepsakeError;

/// What one device was set to.
#[derive(Debug, Clone, PartialEq)]
pub struct Keepsake {
    /// When it was taken, in UTC (RFC 3339).
    pub taken: String,
    /// Which device.
    pub node: NodeName,
    /// Maker and model, in words.
    pub model: String,
    /// The firmware it ran, as it told it.
    pub firmware: Option<String>,
    /// Its settings.
    pub settings: Vec<(Field, Value)>,
}

impl Keepsake {
    /// Everything this one tells of its settings.
    #[must_use]
    pub fn of(subject: &Subject, taken: &str) -> Self {
        let mut settings: Vec<(Field, Value)> =
            subject.told_facts().told().map(|(field, value)| (field, value.clone())).collect();
        settings.retain(|(field, _)| is_setting(*field));
        let kept = |field| settings.iter().any(|(one, _)| *one == field);
        // That it flashes is no setting.
        if let Known::Told(told @ Value::Indicators(Indicators::Normal | Indicators::Mute)) =
            subject.tells(Field::Indicators, &Value::All)
            && !kept(Field::Indicators)
        {
            settings.push((Field::Indicators, told));
        }
        settings.retain(|(_, value)| *value != Value::Indicators(Indicators::Flash));
        if subject.is_device() && !settings.iter().any(|(field, _)| *field == Field::Address) {
            settings.push((Field::Address, Value::Address(subject.address())));
        }
        settings.sort_by_key(|(field, _)| *field);
        let (model, firmware) = match subject {
            Subject::Node(node) => (node.model(), Some(node.firmware.to_string())),
            Subject::Unit(unit) => (unit.what.to_string(), None),
            Subject::PatchPoint(point) => (point.unit.what.to_string(), None),
            Subject::Fixture(fixture) => {
                (fixture.facts.get(Field::Model).map(ToString::to_string).unwrap_or_default(), None)
            }
        };
        Self { taken: taken.to_owned(), node: subject.node_name(), model, firmware, settings }
    }

    /// What a device is to be, to be like it.
    #[must_use]
    pub fn wanted(&self) -> Wanted {
        Wanted::of_fields(self.settings.iter().cloned())
    }

    /// Where this one is otherwise than what was kept.
    #[must_use]
    pub fn differences(&self, who: &Subject) -> Vec<Difference> {
        let between = |(field, kept): &(Field, Value)| Difference::between(*field, kept.clone(), who);
        self.settings.iter().filter_map(between).collect()
    }
}

/// Whether it is something that can be put back, and not only told.
const fn is_setting(field: Field) -> bool {
    match field {
        Field::Address
        | Field::Addressing
        | Field::Mask
        | Field::Gateway
        | Field::HostName
        | Field::NameServer
        | Field::Scope
        | Field::Broker
        | Field::Name
        | Field::Label
        | Field::OnDataLoss
        | Field::Indicators
        | Field::SacnPriority
        | Field::StartAddress
        | Field::Mode
        | Field::Enabled
        | Field::Sender
        | Field::Group
        | Field::SecondGroup
        | Field::Channel(_) => true,
        Field::Setting(setting) => setting.is_kept(),
        // Which one it is, is shown to whoever looks now.
        Field::Port(_, field) => !matches!(field, PortField::Presence | PortField::Indicators),
        _ => false,
    }
}

#[cfg(test)]
mod tests;
