//! What somebody wants a node to be: the sheet, or a person at the command line. Whatever is `None` is left open.

use std::net::{Ipv4Addr, SocketAddrV4};

use crate::address::Mask;
use crate::census::{FoundNode, Subject};
use crate::facts::{Difference, Field, FixtureSetting, Known, OwnValue, PortField, ReadingName, Tells, Value};
use crate::sheet::{Gateway, RigSheet, SheetNode, SheetPort, WantedAddress, WantedMode};
use crate::universe::Universe;
use crate::{DataLoss, Direction, Firmware, Indicators, Merge, Protocol};

/// What a node should be.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Wanted {
    /// Its name.
    pub name: Option<String>,
    /// Its label.
    pub label: Option<String>,
    /// Where it stands, in its owner's words.
    pub location: Option<String>,
    /// Who looks after it, in its owner's words.
    pub contact: Option<String>,
    /// What it is, in its maker's words.
    pub description: Option<String>,
    /// What readings of its kind are to be.
    pub readings: Vec<(ReadingName, String)>,
    /// Where its address comes from.
    pub addressing: Option<Addressing>,
    /// Its mask.
    pub mask: Option<Mask>,
    /// Its gateway; all zero for none.
    pub gateway: Option<Ipv4Addr>,
    /// What it is called on the network.
    pub host_name: Option<String>,
    /// The server that it asks for names; all zero for none.
    pub name_server: Option<Ipv4Addr>,
    /// The scope in which it looks for its broker.
    pub scope: Option<String>,
    /// Its broker, where it does not look for one.
    pub broker: Option<WantedBroker>,
    /// Its firmware.
    pub firmware: Option<Firmware>,
    /// What it does when data stops.
    pub on_data_loss: Option<DataLoss>,
    /// What its indicators do.
    pub indicators: Option<Indicators>,
    /// The priority with which its inputs send sACN, 0 to 200.
    pub sacn_priority: Option<u8>,
    /// The first slot of a fixture.
    pub start_address: Option<u32>,
    /// The mode of a fixture.
    pub mode: Option<WantedMode>,
    /// Further settings of a fixture.
    pub settings: Vec<(FixtureSetting, Value)>,
    /// Parameters of a fixture that are its maker's own.
    pub own: Vec<(u16, OwnValue)>,
    /// What of it is patched: what a stream's end is, or where channels come from.
    pub patch: Vec<(Field, Value)>,
    /// That its ports go on with one of two sources, until two are combined again.
    pub stops_merging: bool,
    /// That what is sent now becomes the scene for a loss of data.
    pub records_scene: bool,
    /// That address, mask and gateway become those of the factory.
    pub factory_network: bool,
    /// Its ports.
    pub ports: Vec<WantedPort>,
    /// How many ports its kind has: with fewer heard, a page is missing. 0 when that is not known.
    pub least_ports: u32,
}

/// Where an address comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Addressing {
    /// It is fixed.
    Fixed(Ipv4Addr),
    /// A DHCP server hands it out.
    Dhcp,
    /// A DHCP server hands out this one.
    Reserved(Ipv4Addr),
}

/// To which broker a gateway connects.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WantedBroker {
    /// It looks for one.
    LookedFor,
    /// To this one.
    At(SocketAddrV4),
}

/// What a port should be.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct WantedPort {
    /// Its number, from 1.
    pub number: u32,
    /// Which way it works.
    pub direction: Option<Direction>,
    /// That it works neither way.
    pub is_off: bool,
    /// Its universe, and by that its protocol.
    pub universe: Option<Universe>,
    /// That it has no universe.
    pub is_unpatched: bool,
    /// Which protocol it listens to, where no universe says so.
    pub protocol: Option<Protocol>,
    /// How two sources are combined.
    pub merge: Option<Merge>,
    /// Whether RDM goes through it.
    pub rdm: Option<bool>,
    /// Whether, as an input, it sends what comes in.
    pub input: Option<bool>,
    /// What it does when data stops.
    pub on_data_loss: Option<DataLoss>,
    /// What it is called.
    pub label: Option<String>,
    /// By how much the sACN universe that an Art-Net node listens to is above its Port-Address.
    pub sacn_offset: u16,
    /// Whether it shows which one it is.
    pub indicators: Option<Indicators>,
}

impl Wanted {
    /// What the sheet wants of one of its nodes.
    #[must_use]
    pub fn by_sheet(sheet: &RigSheet, node: &SheetNode) -> Self {
        let fixed = node.fixed_address();
        let network = sheet.network_of(node).filter(|_| fixed.is_some());
        Self {
            name: Some(node.name.value.clone()),
            label: node.label.as_ref().map(|label| label.value.clone()),
            location: node.location.as_ref().map(|location| location.value.clone()),
            contact: node.contact.as_ref().map(|contact| contact.value.clone()),
            description: node.description.as_ref().map(|description| description.value.clone()),
            readings: sheet.readings_of(node).map(|(name, is)| (name, is.to_owned())).collect(),
            addressing: match node.address.value {
                WantedAddress::Fixed(address) if sheet.is_reserved(node) => Some(Addressing::Reserved(address)),
                WantedAddress::Fixed(address) => Some(Addressing::Fixed(address)),
                WantedAddress::Dhcp => Some(Addressing::Dhcp),
                WantedAddress::Fill => None,
            },
            mask: network.map(|network| network.range.value.mask()),
            gateway: network.and_then(|network| network.gateway.as_ref()).map(|g| match g.value {
                Gateway(Some(address)) => address,
                Gateway(None) => Ipv4Addr::UNSPECIFIED,
            }),
            firmware: node.firmware.as_ref().map(|firmware| firmware.value),
            on_data_loss: node.on_data_loss.as_ref().map(|loss| loss.value),
            ports: node.ports.iter().map(WantedPort::by_sheet).collect(),
            least_ports: sheet.kind_of(node).map_or(0, |kind| kind.ports),
            ..Self::default()
        }
        .counting(sheet.sacn_offset_of(node))
    }

    /// The same for an Art-Net node whose sACN universes are by so much above its Port-Addresses.
    #[must_use]
    pub fn counting(mut self, sacn_offset: u16) -> Self {
        self.ports.iter_mut().for_each(|port| port.sacn_offset = sacn_offset);
        self
    }

    /// What these fields say. What is not set on any device is left out.
    #[must_use]
    pub fn of_fields(fields: impl IntoIterator<Item = (Field, Value)>) -> Self {
        let mut wanted = Self::default();
        let mut address = None;
        for (field, value) in fields {
            match (field, value) {
                (Field::Address, Value::Address(value)) => address = Some(value),
                (Field::Addressing, Value::Flag(true)) => wanted.addressing = Some(Addressing::Dhcp),
                (Field::Mask, Value::Address(value)) => wanted.mask = Mask::try_from(value).ok(),
                (Field::Gateway, Value::Address(value)) => wanted.gateway = Some(value),
                (Field::HostName, Value::Text(value)) => wanted.host_name = Some(value.raw().to_owned()),
                (Field::NameServer, Value::Address(value)) => wanted.name_server = Some(value),
                (Field::Scope, Value::Text(value)) => wanted.scope = Some(value.raw().to_owned()),
                (Field::Broker, Value::Nothing) => wanted.broker = Some(WantedBroker::LookedFor),
                (Field::Broker, Value::Text(value)) => {
                    wanted.broker = value.raw().parse().ok().map(WantedBroker::At);
                }
                (Field::Name, Value::Text(value)) => wanted.name = Some(value.raw().to_owned()),
                (Field::Label, Value::Text(value)) => wanted.label = Some(value.raw().to_owned()),
                (Field::Location, Value::Text(value)) => wanted.location = Some(value.raw().to_owned()),
                (Field::Contact, Value::Text(value)) => wanted.contact = Some(value.raw().to_owned()),
                (Field::Reading(name), Value::Text(value)) => {
                    wanted.readings.push((name, value.raw().to_owned()));
                }
                (Field::Reading(name), Value::Count(count)) => wanted.readings.push((name, count.to_string())),
                (Field::OnDataLoss, Value::DataLoss(value)) => wanted.on_data_loss = Some(value),
                (Field::Indicators, Value::Indicators(value)) => wanted.indicators = Some(value),
                (Field::SacnPriority, Value::Count(value)) => wanted.sacn_priority = u8::try_from(value).ok(),
                (Field::StartAddress, Value::Count(value)) => wanted.start_address = Some(value),
                (Field::Mode, Value::Count(value)) => wanted.mode = Some(WantedMode::Number(value)),
                // Where the number is known too, that is surer.
                (Field::ModeName, Value::Text(value)) => {
                    wanted.mode.get_or_insert_with(|| WantedMode::Words(value.raw().to_owned()));
                }
                (Field::Setting(setting), value) => wanted.settings.push((setting, value)),
                (Field::Own(number), Value::Own(value)) => wanted.own.push((number, *value)),
                (
                    Field::Enabled | Field::Sender | Field::Group | Field::SecondGroup | Field::Channel(_),
                    value,
                ) => wanted.patch.push((field, value)),
                (Field::Port(number, field), value) => wanted.port_mut(number).learn(field, value),
                _ => {}
            }
        }
        match wanted.addressing {
            // Everything else comes with the lease.
            Some(Addressing::Dhcp | Addressing::Reserved(_)) => (wanted.mask, wanted.gateway) = (None, None),
            _ => wanted.addressing = address.map(Addressing::Fixed),
        }
        wanted
    }

    fn port_mut(&mut self, number: u32) -> &mut WantedPort {
        let there = self.ports.iter().position(|port| port.number == number);
        let place = there.unwrap_or_else(|| {
            self.ports.push(WantedPort { number, ..WantedPort::default() });
            self.ports.len() - 1
        });
        &mut self.ports[place]
    }

    /// The same without what comes with a lease: that is not set on the device.
    #[must_use]
    pub(crate) fn to_set(&self) -> Self {
        match self.addressing {
            Some(Addressing::Reserved(_)) => {
                Self { addressing: Some(Addressing::Dhcp), mask: None, gateway: None, ..self.clone() }
            }
            _ => self.clone(),
        }
    }

    /// Its fields but those of ports, in the order in which they are told.
    fn fields(&self) -> Vec<(Field, Value)> {
        let text = |text: &String| Value::Text(text.as_str().into());
        let (address, dhcp) = match self.addressing {
            Some(Addressing::Fixed(address)) => (Some(address), Some(false)),
            Some(Addressing::Dhcp) => (None, Some(true)),
            Some(Addressing::Reserved(address)) => (Some(address), Some(true)),
            None => (None, None),
        };
        let mode = self.mode.as_ref().map(WantedMode::field).unzip();
        let all = [
            // The slots follow from the mode.
            (mode.0.unwrap_or(Field::Mode), mode.1),
            (Field::StartAddress, self.start_address.map(Value::Count)),
            (Field::Address, address.map(Value::Address)),
            (Field::Addressing, dhcp.map(Value::Flag)),
            (Field::Mask, self.mask.map(|mask| Value::Address(mask.dotted()))),
            (Field::Gateway, self.gateway.map(Value::Address)),
            (Field::HostName, self.host_name.as_ref().map(text)),
            (Field::NameServer, self.name_server.map(Value::Address)),
            (Field::Scope, self.scope.as_ref().map(text)),
            (Field::Broker, self.broker.map(WantedBroker::value)),
            (Field::Name, self.name.as_ref().map(text)),
            (Field::Label, self.label.as_ref().map(text)),
            (Field::Location, self.location.as_ref().map(text)),
            (Field::Contact, self.contact.as_ref().map(text)),
            (Field::Description, self.description.as_ref().map(text)),
            (Field::Firmware, self.firmware.map(Value::Firmware)),
            (Field::OnDataLoss, self.on_data_loss.map(Value::DataLoss)),
            (Field::Indicators, self.indicators.map(Value::Indicators)),
            (Field::SacnPriority, self.sacn_priority.map(|priority| Value::Count(priority.into()))),
            (Field::Merging, self.stops_merging.then_some(Value::Flag(false))),
            (Field::LossScene, self.records_scene.then_some(Value::Flag(true))),
            (Field::FactoryNetwork, self.factory_network.then_some(Value::Flag(true))),
        ];
        let settings = self.settings.iter().map(|(setting, value)| (Field::Setting(*setting), value.clone()));
        let own =
            self.own.iter().map(|(number, value)| (Field::Own(*number), Value::Own(Box::new(value.clone()))));
        let all = all.into_iter().filter_map(|(field, value)| Some((field, value?)));
        let readings = self.readings.iter().map(|(name, is)| (Field::Reading(*name), text(is)));
        all.chain(readings).chain(settings).chain(own).chain(self.patch.iter().cloned()).collect()
    }

    /// All its fields.
    pub(crate) fn all_fields(&self) -> Vec<(Field, Value)> {
        self.fields().into_iter().chain(self.ports.iter().flat_map(WantedPort::fields)).collect()
    }

    /// Where whoever tells of itself differs from it, ports aside. What is not told is not as wanted.
    #[must_use]
    pub fn differences_of_device(&self, who: &dyn Tells) -> Vec<Difference> {
        self.fields().into_iter().filter_map(|(field, planned)| Difference::between(field, planned, who)).collect()
    }

    /// Where whoever is to be changed differs from it.
    #[must_use]
    pub fn differences_of(&self, subject: &Subject) -> Vec<Difference> {
        match subject {
            Subject::Node(node) => self.differences(node),
            Subject::Unit(unit) => self.differences_of_unit(&**unit),
            Subject::Fixture(fixture) => self.differences_of_unit(&fixture.facts),
            Subject::PatchPoint(point) => self.differences_of_unit(&point.unit.facts),
        }
    }

    /// Where one that tells of itself field by field differs from it, its ports too.
    #[must_use]
    pub fn differences_of_unit(&self, who: &dyn Tells) -> Vec<Difference> {
        let between = |(field, planned)| Difference::between(field, planned, who);
        let of_port = |port: &WantedPort| {
            let presence = between((Field::Port(port.number, PortField::Presence), Value::Count(port.number)));
            match presence {
                Some(missing) => vec![missing],
                None => port.fields().filter_map(between).collect(),
            }
        };
        self.differences_of_device(who).into_iter().chain(self.ports.iter().flat_map(of_port)).collect()
    }

    /// Where a found node differs from it. What the node does not tell is not as wanted.
    #[must_use]
    pub fn differences(&self, found: &FoundNode) -> Vec<Difference> {
        let mut all = self.differences_of_device(found);
        let is_whole = found.is_whole_with(self.least_ports);
        if !self.ports.is_empty() && !is_whole {
            let heard = Value::Count(found.pages.len().try_into().unwrap_or(u32::MAX));
            all.push(Difference { field: Field::Pages, planned: Value::All, found: Known::Told(heard) });
            return all;
        }
        all.extend(self.ports.iter().flat_map(|port| port.differences(found)));
        all
    }
}

impl WantedBroker {
    fn value(self) -> Value {
        match self {
            Self::LookedFor => Value::Nothing,
            Self::At(broker) => Value::Text(broker.to_string().as_str().into()),
        }
    }
}

impl WantedPort {
    fn by_sheet(port: &SheetPort) -> Self {
        Self {
            number: port.number.value,
            direction: Some(port.direction),
            universe: port.universe.value.real(),
            merge: port.merge.as_ref().map(|merge| merge.value),
            rdm: port.rdm.as_ref().map(|rdm| rdm.value),
            on_data_loss: port.on_data_loss.as_ref().map(|loss| loss.value),
            label: port.label.as_ref().map(|label| label.value.clone()),
            ..Self::default()
        }
    }

    fn fields(&self) -> impl Iterator<Item = (Field, Value)> {
        let all = [
            (PortField::Direction, self.direction.map(Value::Direction).or(self.is_off.then_some(Value::Nothing))),
            (PortField::Protocol, self.protocol.map(Value::Protocol)),
            (
                PortField::Universe,
                self.universe.map(Value::Universe).or(self.is_unpatched.then_some(Value::Nothing)),
            ),
            (PortField::Merge, self.merge.map(Value::Merge)),
            (PortField::Rdm, self.rdm.map(Value::Flag)),
            (PortField::Input, self.input.map(Value::Flag)),
            (PortField::OnDataLoss, self.on_data_loss.map(Value::DataLoss)),
            (PortField::Label, self.label.as_ref().map(|label| Value::Text(label.as_str().into()))),
            (PortField::Indicators, self.indicators.map(Value::Indicators)),
        ];
        let number = self.number;
        all.into_iter().filter_map(move |(field, value)| Some((Field::Port(number, field), value?)))
    }

    /// The Port-Address to program so that it listens to this universe, where its sACN universes are above that.
    fn as_counted(&self, universe: Universe) -> Universe {
        universe.counted_by(self.sacn_offset).map_or(universe, Universe::ArtNet)
    }

    fn learn(&mut self, field: PortField, value: Value) {
        match (field, value) {
            (PortField::Direction, Value::Direction(value)) => self.direction = Some(value),
            (PortField::Direction, Value::Nothing) => self.is_off = true,
            (PortField::Universe, Value::Nothing) => self.is_unpatched = true,
            (PortField::Label, Value::Text(value)) => self.label = Some(value.raw().to_owned()),
            (PortField::Indicators, Value::Indicators(value)) => self.indicators = Some(value),
            (PortField::Protocol, Value::Protocol(value)) => self.protocol = Some(value),
            (PortField::Universe, Value::Universe(value)) => self.universe = Some(value),
            (PortField::Merge, Value::Merge(value)) => self.merge = Some(value),
            (PortField::Rdm, Value::Flag(value)) => self.rdm = Some(value),
            (PortField::Input, Value::Flag(value)) => self.input = Some(value),
            (PortField::OnDataLoss, Value::DataLoss(value)) => self.on_data_loss = Some(value),
            _ => {}
        }
    }

    fn differences(&self, node: &FoundNode) -> Vec<Difference> {
        let of = |field, planned| Difference::between(Field::Port(self.number, field), planned, node);
        let Some((_, found)) = node.port(self.number) else {
            return of(PortField::Presence, Value::Count(self.number)).into_iter().collect();
        };
        let direction = self.direction.unwrap_or(found.direction);
        // An input sends what it sends; only outputs choose whom they listen to.
        let protocol = self.protocol.or(self.universe.map(Universe::protocol));
        let is_counted = self.sacn_offset > 0 && self.universe.is_some_and(Universe::is_sacn);
        let universe = self.universe.and_then(|planned| {
            let planned = self.as_counted(planned);
            // Of one that works both ways, the direction says which of its universes is meant.
            let there = found.facing(direction).unwrap_or(found.universe);
            let told = if is_counted { Universe::ArtNet(there) } else { found.in_notation(there) };
            let told = Known::Told(Value::Universe(told));
            let field = Field::Port(self.number, PortField::Universe);
            let is_met = planned.port_address() == Some(there);
            (!is_met).then_some(Difference { field, planned: Value::Universe(planned), found: told })
        });
        let all = [
            self.is_off.then(|| of(PortField::Direction, Value::Nothing)).flatten(),
            self.is_unpatched.then(|| of(PortField::Universe, Value::Nothing)).flatten(),
            self.direction.and_then(|planned| of(PortField::Direction, Value::Direction(planned))),
            protocol
                .filter(|_| direction == Direction::Out)
                .and_then(|planned| of(PortField::Protocol, Value::Protocol(planned))),
            universe,
            self.merge.and_then(|planned| of(PortField::Merge, Value::Merge(planned))),
            self.rdm.and_then(|planned| of(PortField::Rdm, Value::Flag(planned))),
            self.input.and_then(|planned| of(PortField::Input, Value::Flag(planned))),
            self.on_data_loss.and_then(|planned| of(PortField::OnDataLoss, Value::DataLoss(planned))),
            self.label.as_ref().and_then(|planned| of(PortField::Label, Value::Text(planned.as_str().into()))),
            self.indicators.and_then(|planned| of(PortField::Indicators, Value::Indicators(planned))),
        ];
        all.into_iter().flatten().collect()
    }
}
