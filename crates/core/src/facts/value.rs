//! What a field can hold.

use std::fmt;
use std::net::{Ipv4Addr, SocketAddrV4};

use serde::de::DeserializeOwned;
use serde::{Serialize, Serializer};

use super::{Field, Form, OwnValue, Patched, PortField};
use crate::universe::{DeskBase, Universe};
use crate::{Access, DataLoss, Direction, Firmware, Indicators, Merge, Power, Protocol, Said};

/// The value of a field. Which sort it is follows from the [`Field`]; so it is written without it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Value {
    /// An address, a mask, or a gateway.
    Address(Ipv4Addr),
    /// Yes or no.
    Flag(bool),
    /// A text.
    Text(Said),
    /// How many.
    Count(u32),
    /// All there are.
    All,
    /// None, where there could be one: a port without a universe, or one that works neither way.
    Nothing,
    /// A version of the firmware.
    Firmware(Firmware),
    /// What happens when data stops.
    DataLoss(DataLoss),
    /// What its indicators do.
    Indicators(Indicators),
    /// Input or output.
    Direction(Direction),
    /// Art-Net or sACN.
    Protocol(Protocol),
    /// A universe.
    Universe(Universe),
    /// How sources are combined.
    Merge(Merge),
    /// Whether it is on.
    Power(Power),
    /// Whether it lets itself be read.
    Access(Access),
    /// What a parameter of a maker's own is set to.
    Own(Box<OwnValue>),
    /// A group and its port.
    Group(SocketAddrV4),
    /// What something is patched to.
    Patched(Box<Patched>),
}

/// The word for [`Value::Nothing`] in files.
const NOTHING: &str = "none";

impl Value {
    /// Reads a value of `field` as it was written.
    ///
    /// # Errors
    /// When it is none of that field's.
    pub fn read(field: Field, written: &serde_json::Value) -> Result<Self, serde_json::Error> {
        use serde::de::Error;
        fn plain<T: DeserializeOwned>(written: &serde_json::Value) -> Result<T, serde_json::Error> {
            T::deserialize(written)
        }
        let text = || plain::<String>(written);
        Ok(match field {
            Field::Address | Field::Mask | Field::Gateway | Field::NameServer => Self::Address(plain(written)?),
            Field::Broker | Field::Group | Field::SecondGroup | Field::Sender | Field::Channel(_)
                if written == NOTHING =>
            {
                Self::Nothing
            }
            Field::Group | Field::SecondGroup => Self::Group(plain(written)?),
            Field::Sender | Field::Channel(_) => Self::Patched(plain(written)?),
            Field::Addressing
            | Field::Merging
            | Field::LossScene
            | Field::FactoryNetwork
            | Field::Enabled
            | Field::Port(_, PortField::Rdm | PortField::Input) => Self::Flag(plain(written)?),
            Field::Reading(_) if written.is_number() => Self::Count(plain(written)?),
            Field::Name
            | Field::HostName
            | Field::Scope
            | Field::Broker
            | Field::Label
            | Field::Location
            | Field::Contact
            | Field::Description
            | Field::Reading(_)
            | Field::Maker
            | Field::Model
            | Field::Serial
            | Field::Version
            | Field::Input
            | Field::Faults
            | Field::ModeName
            | Field::Carries
            | Field::Cable => Self::Text(plain(written)?),
            Field::LampHours
            | Field::DamagedFrames
            | Field::DroppedFrames
            | Field::SacnPriority
            | Field::StartAddress
            | Field::Mode
            | Field::Footprint
            | Field::Channels
            | Field::Bits
            | Field::Samples => Self::Count(plain(written)?),
            Field::Setting(setting) => match setting.form() {
                Form::OnOff => Self::Flag(plain(written)?),
                Form::Level => Self::Count(plain(written)?),
                Form::Words(_) | Form::Scene => Self::Text(plain(written)?),
            },
            Field::Own(_) => Self::Own(plain(written)?),
            Field::Power => Self::Power(plain(written)?),
            Field::Access => Self::Access(plain(written)?),
            Field::Firmware => Self::Firmware(text()?.parse().map_err(serde_json::Error::custom)?),
            Field::Pages | Field::Port(_, PortField::Presence) if written.is_null() => Self::All,
            Field::Pages | Field::Port(_, PortField::Presence) => Self::Count(plain(written)?),
            Field::OnDataLoss | Field::Port(_, PortField::OnDataLoss) => Self::DataLoss(plain(written)?),
            Field::Indicators | Field::Port(_, PortField::Indicators) => Self::Indicators(plain(written)?),
            Field::Port(_, PortField::Direction | PortField::Universe) if written == NOTHING => Self::Nothing,
            Field::Port(_, PortField::Label) => Self::Text(plain(written)?),
            Field::Port(_, PortField::Direction) => Self::Direction(plain(written)?),
            Field::Port(_, PortField::Protocol) => Self::Protocol(plain(written)?),
            Field::Port(_, PortField::Universe) => {
                // No universe is written in the desk's counting.
                let read = Universe::read(&text()?, DeskBase::Zero);
                Self::Universe(read.map_err(serde_json::Error::custom)?)
            }
            Field::Port(_, PortField::Merge) => Self::Merge(plain(written)?),
        })
    }

    /// Whether what was told is what was wanted. A sheet written from what was found holds what cannot be shown as it was
    /// escaped; of universes the number counts, the protocol is a field of its own.
    #[must_use]
    pub fn is_met_by(&self, told: &Self) -> bool {
        match (self, told) {
            (Self::Text(wanted), Self::Text(told)) => {
                let wanted = wanted.raw().trim_end_matches(' ');
                told.raw() == wanted || told.to_string() == wanted
            }
            (Self::Universe(wanted), Self::Universe(told)) => {
                wanted == told || (wanted.port_address().is_some() && wanted.port_address() == told.port_address())
            }
            (Self::Text(wanted), Self::Count(told)) => wanted.raw() == told.to_string(),
            (Self::Own(wanted), Self::Own(told)) => wanted.data() == told.data(),
            (Self::Patched(wanted), Self::Patched(told)) => wanted.is_same(told),
            _ => self == told,
        }
    }
}

impl Serialize for Value {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Address(address) => address.serialize(to),
            Self::Flag(on) => on.serialize(to),
            Self::Text(text) => text.serialize(to),
            Self::Count(count) => count.serialize(to),
            Self::All => to.serialize_unit(),
            Self::Nothing => to.serialize_str(NOTHING),
            Self::Firmware(firmware) => to.collect_str(firmware),
            Self::DataLoss(loss) => loss.serialize(to),
            Self::Indicators(indicators) => indicators.serialize(to),
            Self::Direction(direction) => direction.serialize(to),
            Self::Protocol(protocol) => protocol.serialize(to),
            Self::Universe(universe) => to.collect_str(universe),
            Self::Merge(merge) => merge.serialize(to),
            Self::Power(power) => power.serialize(to),
            Self::Access(access) => access.serialize(to),
            Self::Own(value) => value.serialize(to),
            Self::Group(group) => group.serialize(to),
            Self::Patched(patched) => patched.serialize(to),
        }
    }
}

impl fmt::Display for Value {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Address(address) => address.fmt(f),
            Self::Flag(on) => f.write_str(if *on { "on" } else { "off" }),
            Self::Text(text) => text.fmt(f),
            Self::Count(count) => count.fmt(f),
            Self::All => f.write_str("all"),
            Self::Nothing => f.write_str(NOTHING),
            Self::Firmware(firmware) => firmware.fmt(f),
            Self::DataLoss(loss) => loss.fmt(f),
            Self::Indicators(indicators) => indicators.fmt(f),
            Self::Direction(direction) => direction.fmt(f),
            Self::Protocol(protocol) => protocol.fmt(f),
            Self::Universe(universe) => universe.fmt(f),
            Self::Merge(merge) => merge.fmt(f),
            Self::Power(power) => power.fmt(f),
            Self::Access(access) => access.fmt(f),
            Self::Own(value) => value.fmt(f),
            Self::Group(group) => group.fmt(f),
            Self::Patched(patched) => patched.fmt(f),
        }
    }
}
