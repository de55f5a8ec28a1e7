//! An Art-Net node's fields, as its replies tell them.

use super::{FoundNode, FoundPort};
use crate::facts::{Field, Known, PortField, Tells, Value};
use crate::universe::Universe;
use crate::{Direction, Merge};

impl Tells for FoundNode {
    fn tells(&self, field: Field, wanted: &Value) -> Known<Value> {
        match field {
            Field::Address => Known::Told(Value::Address(self.address)),
            Field::Addressing => Known::told(self.dhcp.map(Value::Flag)),
            Field::Mask => Known::told(self.settings.map(|settings| Value::Address(settings.mask))),
            Field::Gateway => Known::told(self.settings.map(|settings| Value::Address(settings.gateway))),
            Field::Name => Known::Told(Value::Text(self.name())),
            Field::Label => Known::Told(Value::Text(self.label())),
            Field::Firmware => Known::Told(Value::Firmware(self.firmware)),
            Field::OnDataLoss => Known::told(self.on_data_loss.map(Value::DataLoss)),
            Field::Indicators => Known::told(self.indicators.map(Value::Indicators)),
            Field::Pages if self.is_whole() => Known::Told(Value::All),
            Field::Pages => Known::Told(Value::Count(self.pages.len().try_into().unwrap_or(u32::MAX))),
            Field::Port(number, field) => match self.port(number) {
                Some((_, port)) => port.tells(number, field, wanted),
                None => Known::Told(Value::Count(self.port_count())),
            },
            _ => Known::CannotTell,
        }
    }
}

impl FoundNode {
    /// Everything it tells of its settings. What it does not tell is left out.
    pub(crate) fn told(&self) -> Vec<(Field, Value)> {
        let fields = [
            Field::Address,
            Field::Name,
            Field::Label,
            Field::Addressing,
            Field::Mask,
            Field::Gateway,
            Field::OnDataLoss,
        ];
        let told = |field: Field| match self.tells(field, &Value::All) {
            Known::Told(value) => Some((field, value)),
            Known::Untold | Known::CannotTell => None,
        };
        let mut all: Vec<(Field, Value)> = fields.into_iter().filter_map(told).collect();
        for (number, _, port) in self.ports() {
            let rdm = port.rdm.map(|on| (PortField::Rdm, Value::Flag(on)));
            let fields = [
                (PortField::Direction, Value::Direction(port.direction)),
                (PortField::Protocol, Value::Protocol(port.protocol)),
                (PortField::Universe, Value::Universe(Universe::ArtNet(port.universe))),
                (PortField::Merge, Value::Merge(port.merge)),
            ];
            all.extend(fields.into_iter().chain(rdm).map(|(field, value)| (Field::Port(number, field), value)));
        }
        all
    }
}

impl FoundPort {
    fn tells(&self, number: u32, field: PortField, wanted: &Value) -> Known<Value> {
        Known::Told(match (field, wanted) {
            (PortField::Presence, _) => Value::Count(number),
            (PortField::Direction, Value::Direction(wanted)) if self.facing(*wanted).is_some() => {
                Value::Direction(*wanted)
            }
            (PortField::Direction, _) => Value::Direction(self.direction),
            (PortField::Protocol, _) => Value::Protocol(self.protocol),
            (PortField::Universe, wanted) => Value::Universe(self.universe_like(wanted)),
            // That sources are not combined is nothing Art-Net tells.
            (PortField::Merge, Value::Merge(Merge::Off)) => return Known::CannotTell,
            (PortField::Merge, _) if self.direction == Direction::In => return Known::CannotTell,
            (PortField::Merge, _) => Value::Merge(self.merge),
            (PortField::Rdm, _) => return Known::told(self.rdm.map(Value::Flag)),
            // Art-Net tells it of whole nodes only.
            (PortField::OnDataLoss, _) => return Known::CannotTell,
        })
    }

    /// Its universe; of one that works both ways the one that is wanted.
    fn universe_like(&self, wanted: &Value) -> Universe {
        let other = self.also_in.map(|address| self.in_notation(address));
        let is_wanted = |universe: &Universe| wanted.is_met_by(&Value::Universe(*universe));
        other.filter(is_wanted).unwrap_or_else(|| self.universe())
    }
}
