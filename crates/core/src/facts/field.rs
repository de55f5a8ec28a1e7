//! The fields there are.

use std::fmt;
use std::str::FromStr;

use super::{FixtureSetting, ReadingName, Value};

/// One thing that can be told, and of most devices set.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Field {
    /// The address.
    Address,
    /// Whether the address comes by DHCP.
    Addressing,
    /// The subnet mask.
    Mask,
    /// The gateway; all zero for none.
    Gateway,
    /// What it is called on the network, as servers of names know it.
    HostName,
    /// The first server that it asks for names; all zero for none.
    NameServer,
    /// The scope in which it looks for its broker (E1.33).
    Scope,
    /// Its broker's address and port, where it does not look for one.
    Broker,
    /// The name.
    Name,
    /// The label.
    Label,
    /// Where it stands, in its owner's words.
    Location,
    /// Who looks after it, in its owner's words.
    Contact,
    /// What it is, in its maker's words.
    Description,
    /// How many frames came or went damaged at all its sockets since it counts.
    DamagedFrames,
    /// How many frames it threw away at all its sockets since it counts.
    DroppedFrames,
    /// What its kind on the sheet has it asked for.
    Reading(ReadingName),
    /// The firmware. Not set from here.
    Firmware,
    /// What happens when data stops.
    OnDataLoss,
    /// What its indicators do.
    Indicators,
    /// The priority with which its inputs send sACN.
    SacnPriority,
    /// Whether one of its ports combines two sources now.
    Merging,
    /// That what is sent now is recorded as the scene for a loss of data. No node tells it.
    LossScene,
    /// That address, mask and gateway are as they left the factory. No node tells it.
    FactoryNetwork,
    /// How many of its pages were heard.
    Pages,
    /// Its maker.
    Maker,
    /// Its model.
    Model,
    /// Its serial number.
    Serial,
    /// The version of its software, as it says it.
    Version,
    /// Whether it is on.
    Power,
    /// Which input it shows.
    Input,
    /// What is wrong with it.
    Faults,
    /// How many hours its lamp has burned.
    LampHours,
    /// Whether it lets itself be read.
    Access,
    /// The first slot it takes.
    StartAddress,
    /// The number of the mode it is in (its personality), from 1.
    Mode,
    /// What that mode is called.
    ModeName,
    /// How many slots it takes in that mode.
    Footprint,
    /// The cable it hangs on: its gateway and port.
    Cable,
    /// A further setting of a fixture.
    Setting(FixtureSetting),
    /// A parameter of RDM that is its maker's own, by its number.
    Own(u16),
    /// What a stream carries: sound, picture, or something else.
    Carries,
    /// Whether it sends, or receives.
    Enabled,
    /// From whom it receives.
    Sender,
    /// The group and port that a stream goes to or comes from.
    Group,
    /// The same of its second leg.
    SecondGroup,
    /// How many channels of sound there are.
    Channels,
    /// How many bits a sample has.
    Bits,
    /// How many samples there are in a second.
    Samples,
    /// Where the channel of this number comes from, from 1.
    Channel(u32),
    /// Something about the port of this number.
    Port(u32, PortField),
}

/// Something about a port.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum PortField {
    /// That there is one; told is how many there are.
    Presence,
    /// Input or output.
    Direction,
    /// Art-Net or sACN.
    Protocol,
    /// The universe.
    Universe,
    /// How sources are combined.
    Merge,
    /// Whether RDM goes through it.
    Rdm,
    /// Whether, as an input, it sends what comes in.
    Input,
    /// What it does when data stops.
    OnDataLoss,
    /// What it is called.
    Label,
    /// Whether it shows which one it is.
    Indicators,
}

/// A text that names no field.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("not the name of a field")]
pub struct FieldError;

impl Field {
    /// All but readings, and those of ports and channels.
    pub const OF_DEVICES: [Self; 56] = [
        Self::Address,
        Self::Addressing,
        Self::Mask,
        Self::Gateway,
        Self::HostName,
        Self::NameServer,
        Self::Scope,
        Self::Broker,
        Self::Name,
        Self::Label,
        Self::Location,
        Self::Contact,
        Self::Description,
        Self::DamagedFrames,
        Self::DroppedFrames,
        Self::Firmware,
        Self::OnDataLoss,
        Self::Indicators,
        Self::SacnPriority,
        Self::Merging,
        Self::LossScene,
        Self::FactoryNetwork,
        Self::Pages,
        Self::Maker,
        Self::Model,
        Self::Serial,
        Self::Version,
        Self::Power,
        Self::Input,
        Self::Faults,
        Self::LampHours,
        Self::Access,
        Self::StartAddress,
        Self::Mode,
        Self::ModeName,
        Self::Footprint,
        Self::Cable,
        Self::Carries,
        Self::Enabled,
        Self::Sender,
        Self::Group,
        Self::SecondGroup,
        Self::Channels,
        Self::Bits,
        Self::Samples,
        Self::Setting(FixtureSetting::PanInvert),
        Self::Setting(FixtureSetting::TiltInvert),
        Self::Setting(FixtureSetting::PanTiltSwap),
        Self::Setting(FixtureSetting::DisplayInvert),
        Self::Setting(FixtureSetting::DisplayLevel),
        Self::Setting(FixtureSetting::Lamp),
        Self::Setting(FixtureSetting::LampAtStart),
        Self::Setting(FixtureSetting::FailMode),
        Self::Setting(FixtureSetting::StartupMode),
        Self::Setting(FixtureSetting::FactoryDefaults),
        Self::Setting(FixtureSetting::Reset),
    ];

    /// Whether a device is told it with its address by a DHCP server.
    #[must_use]
    pub const fn comes_with_lease(self) -> bool {
        matches!(self, Self::Address | Self::Mask | Self::Gateway)
    }

    /// Whether it is about address, mask or gateway, which are written together.
    #[must_use]
    pub const fn is_ip(self) -> bool {
        matches!(self, Self::Address | Self::Addressing | Self::Mask | Self::Gateway | Self::FactoryNetwork)
    }

    /// Whether it is of what takes effect only when it is applied: address, mask, gateway, and the names of the network.
    #[must_use]
    pub const fn is_network(self) -> bool {
        self.is_ip() || matches!(self, Self::HostName | Self::NameServer)
    }

    /// The number of the port that it is about.
    #[must_use]
    pub const fn port(self) -> Option<u32> {
        match self {
            Self::Port(number, _) => Some(number),
            _ => None,
        }
    }

    /// A value of this field in words.
    #[must_use]
    pub fn in_words(self, value: &Value) -> String {
        match (self, value) {
            (Self::Addressing, Value::Flag(true)) => "by DHCP".to_owned(),
            (Self::Addressing, Value::Flag(false)) => "fixed".to_owned(),
            (Self::Address | Self::Gateway | Self::NameServer, Value::Address(none)) if none.is_unspecified() => {
                "none".to_owned()
            }
            (
                Self::Name
                | Self::HostName
                | Self::Label
                | Self::Location
                | Self::Contact
                | Self::Description
                | Self::Reading(_)
                | Self::Port(_, PortField::Label),
                Value::Text(text),
            ) if text.is_empty() => "(empty)".to_owned(),
            (Self::LossScene, _) => "recorded".to_owned(),
            (Self::FactoryNetwork, Value::Flag(true)) => "as from the factory".to_owned(),
            (Self::Pages, Value::Count(heard)) => format!("{heard} heard"),
            (Self::Broker, Value::Nothing) => "looked for".to_owned(),
            (Self::Channel(_), Value::Nothing) => "nowhere".to_owned(),
            (Self::Sender, Value::Nothing) => "nobody".to_owned(),
            (Self::Port(_, PortField::Direction), Value::Nothing) => "off".to_owned(),
            (Self::Port(_, PortField::Presence), Value::Count(has)) => format!("only {has} ports"),
            _ => value.to_string(),
        }
    }

    const fn name(self) -> &'static str {
        match self {
            Self::Address => "address",
            Self::Addressing => "addressing",
            Self::Mask => "mask",
            Self::Gateway => "gateway",
            Self::HostName => "host name",
            Self::NameServer => "name server",
            Self::Scope => "scope",
            Self::Broker => "broker",
            Self::Name => "name",
            Self::Label => "label",
            Self::Location => "location",
            Self::Contact => "contact",
            Self::Description => "description",
            Self::DamagedFrames => "damaged frames",
            Self::DroppedFrames => "dropped frames",
            Self::Reading(_) => "reading",
            Self::Firmware => "firmware",
            Self::OnDataLoss => "on data loss",
            Self::Indicators => "indicators",
            Self::SacnPriority => "sACN priority",
            Self::Merging => "merging",
            Self::LossScene => "loss scene",
            Self::FactoryNetwork => "network settings",
            Self::Pages => "pages",
            Self::Maker => "maker",
            Self::Model => "model",
            Self::Serial => "serial",
            Self::Version => "version",
            Self::Power => "power",
            Self::Input => "input",
            Self::Faults => "faults",
            Self::LampHours => "lamp hours",
            Self::Access => "access",
            Self::StartAddress => "start address",
            Self::Mode => "mode",
            Self::ModeName => "mode name",
            Self::Footprint => "footprint",
            Self::Cable => "cable",
            Self::Carries => "carries",
            Self::Enabled => "enabled",
            Self::Sender => "sender",
            Self::Group => "group",
            Self::SecondGroup => "second group",
            Self::Channels => "channels",
            Self::Bits => "bits",
            Self::Samples => "samples",
            Self::Channel(_) => "channel",
            Self::Setting(setting) => setting.name(),
            Self::Own(_) => "parameter",
            Self::Port(..) => "port",
        }
    }
}

impl PortField {
    /// All of them.
    pub const ALL: [Self; 10] = [
        Self::Presence,
        Self::Direction,
        Self::Protocol,
        Self::Universe,
        Self::Merge,
        Self::Rdm,
        Self::Input,
        Self::OnDataLoss,
        Self::Label,
        Self::Indicators,
    ];

    const fn name(self) -> &'static str {
        match self {
            Self::Presence => "",
            Self::Direction => "direction",
            Self::Protocol => "protocol",
            Self::Universe => "universe",
            Self::Merge => "merge",
            Self::Rdm => "RDM",
            Self::Input => "input",
            Self::OnDataLoss => "on data loss",
            Self::Label => "label",
            Self::Indicators => "indicators",
        }
    }
}

impl fmt::Display for Field {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Port(number, PortField::Presence) => write!(f, "port {number}"),
            Self::Port(number, field) => write!(f, "port {number} {}", field.name()),
            Self::Own(number) => write!(f, "parameter 0x{number:04x}"),
            Self::Channel(number) => write!(f, "channel {number}"),
            Self::Reading(name) => write!(f, "reading {name}"),
            _ => f.write_str(self.name()),
        }
    }
}

impl FromStr for Field {
    type Err = FieldError;

    fn from_str(text: &str) -> Result<Self, FieldError> {
        if let Some(rest) = text.strip_prefix("port ") {
            let (number, name) = rest.split_once(' ').unwrap_or((rest, ""));
            let number = number.parse().map_err(|_| FieldError)?;
            let field = PortField::ALL.into_iter().find(|field| field.name() == name);
            return field.map(|field| Self::Port(number, field)).ok_or(FieldError);
        }
        if let Some(number) = text.strip_prefix("channel ") {
            return number.parse().map(Self::Channel).map_err(|_| FieldError);
        }
        if let Some(name) = text.strip_prefix("reading ") {
            return ReadingName::new(name).map(Self::Reading).ok_or(FieldError);
        }
        if let Some(number) = text.strip_prefix("parameter 0x") {
            return u16::from_str_radix(number, 16).map(Self::Own).map_err(|_| FieldError);
        }
        Self::OF_DEVICES.into_iter().find(|field| field.name() == text).ok_or(FieldError)
    }
}
