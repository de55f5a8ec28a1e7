//! An Art-Net node's fields, as its replies tell them.

use super::{FoundNode, FoundPort};
use crate::facts::{Field, Known, PortField, Tells, Value};
use crate::sheet::kind::FactoryMode;
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
            Field::SacnPriority => Known::told(self.sacn_priority(wanted)),
            Field::Merging => Known::Told(Value::Flag(self.ports().any(|(_, _, port)| port.merging))),
            Field::FactoryNetwork if self.is_as_from_factory() => Known::Told(Value::Flag(true)),
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
    /// The priority of its pages; where they have several, one that is not as wanted.
    fn sacn_priority(&self, wanted: &Value) -> Option<Value> {
        let told: Option<Vec<u8>> = self.pages.iter().map(|page| page.sacn_priority).collect();
        let mut told = told?.into_iter().map(|priority| Value::Count(priority.into()));
        let first = told.next()?;
        Some(if first == *wanted { told.find(|one| one != wanted).unwrap_or(first) } else { first })
    }

    /// Whether it stands where units of its kind stand as they leave the factory. One that does not may all the same: kinds
    /// are what people wrote down.
    fn is_as_from_factory(&self) -> bool {
        self.kind().is_some_and(|kind| match kind.factory_mode {
            FactoryMode::Dhcp => self.dhcp == Some(true),
            FactoryMode::LinkLocal => self.address.is_link_local(),
            FactoryMode::Fixed => kind.factory.is_some_and(|range| range.contains(self.address)),
        })
    }

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
            Field::SacnPriority,
        ];
        let told = |field: Field| match self.tells(field, &Value::All) {
            Known::Told(value) => Some((field, value)),
            Known::Untold | Known::CannotTell => None,
        };
        let mut all: Vec<(Field, Value)> = fields.into_iter().filter_map(told).collect();
        for (number, _, port) in self.ports() {
            let input = port.input.map(|on| (PortField::Input, Value::Flag(on)));
            let rdm = port.rdm.map(|on| (PortField::Rdm, Value::Flag(on)));
            let fields = [
                (PortField::Direction, Value::Direction(port.direction)),
                (PortField::Protocol, Value::Protocol(port.protocol)),
                (PortField::Universe, Value::Universe(Universe::ArtNet(port.universe))),
            ];
            // An input has nothing to combine.
            let is_output = port.direction == Direction::Out;
            let merge = is_output.then_some((PortField::Merge, Value::Merge(port.merge)));
            all.extend(
                fields
                    .into_iter()
                    .chain(merge)
                    .chain(rdm)
                    .chain(input)
                    .map(|(field, value)| (Field::Port(number, field), value)),
            );
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
            (PortField::Input, _) => {
                return self.input.map_or(Known::CannotTell, |on| Known::Told(Value::Flag(on)));
            }
            // Art-Net tells it of whole nodes only.
            (PortField::OnDataLoss | PortField::Label | PortField::Indicators, _) => return Known::CannotTell,
        })
    }

    /// Its universe; of one that works both ways the one that is wanted.
    fn universe_like(&self, wanted: &Value) -> Universe {
        let other = self.also_in.map(|address| self.in_notation(address));
        let is_wanted = |universe: &Universe| wanted.is_met_by(&Value::Universe(*universe));
        other.filter(is_wanted).unwrap_or_else(|| self.universe())
    }
}
