//! Kinds: what models of node there are, and what each can do.
//!
//! The kinds that ship, those of a rig sheet and those of a file beside it are all written alike.

mod book;
mod factory;
mod read;
mod reading;
mod speech;

use crate::address::AddressRange;
use crate::sheet::{Placed, Watts};
use crate::way::Way;

pub use book::KindBook;
pub use factory::FactoryLogin;
pub(crate) use read::{read_kind, read_sacn_offset};
pub(crate) use reading::read_reading_name;
pub use reading::{Counts, KindReading};
pub use speech::{CarriedBy, LineBreak, NamedLine, Speech, not_sayable};

/// A model of node.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Kind {
    /// The name a rig sheet uses.
    pub name: Placed<String>,
    /// Who makes it.
    pub maker: String,
    /// What the maker calls it.
    pub model: String,
    /// ESTA code of the maker and OEM code of the model, as the poll reply states them.
    pub codes: Option<(u16, u16)>,
    /// How many DMX ports it has.
    pub ports: u32,
    /// The addresses its units have as they leave the factory.
    pub factory: Option<AddressRange>,
    /// Where the address comes from as it leaves the factory.
    pub factory_mode: FactoryMode,
    /// How the planned address of its units comes to be theirs, where that is known.
    pub addressing: Option<AddressedBy>,
    /// The only addresses it accepts; empty for all.
    pub permitted: Vec<AddressRange>,
    /// What it draws.
    pub power: Option<Watts>,
    /// How many may be chained one behind the other.
    pub chain: Option<u32>,
    /// The bytes of a name that it keeps, where it is fewer than Art-Net's 17.
    pub name_bytes: Option<u32>,
    /// What can be set on it over the network; empty where that is not known.
    pub settings: Vec<Settable>,
    /// Whether it keeps what it is told when its power goes, where that is known.
    pub keeps: Option<bool>,
    /// By how much the sACN universes it listens to are above its Port-Addresses, 0 or 1, where that is known.
    pub sacn_offset: Option<u16>,
    /// By what it can be asked, where the sheet says so.
    pub speaks: Vec<Way>,
    /// How its units are spoken to in lines of text, where they are.
    pub speech: Option<Speech>,
    /// Lines that have a name.
    pub lines: Vec<NamedLine>,
    /// What its units are asked for by SNMP, beside what all are.
    pub readings: Vec<KindReading>,
    /// What opens its units as they leave the factory.
    pub factory_logins: Vec<FactoryLogin>,
    /// What somebody who stands before a unit should know.
    pub hints: KindHints,
}

/// What somebody who stands before a unit should know, in words.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct KindHints {
    /// Where on its web server its page is: `/` and what follows.
    pub page: Option<String>,
    /// How it shows that it starts, and how long that takes.
    pub boot: Option<String>,
    /// Its sockets: which look alike and are not.
    pub sockets: Vec<String>,
    /// What feeds it: class of Power over Ethernet, injector, whether it passes power on.
    pub feeding: Vec<String>,
    /// How its address is found without the network: display, USB, what it says when it is switched on.
    pub find_address: Vec<String>,
}

impl KindHints {
    /// Each with what it is about.
    pub fn all(&self) -> impl Iterator<Item = (&'static str, &str)> {
        let boot = self.boot.iter().map(|text| ("starts", text.as_str()));
        let sockets = self.sockets.iter().map(|text| ("sockets", text.as_str()));
        let feeding = self.feeding.iter().map(|text| ("fed by", text.as_str()));
        let found = self.find_address.iter().map(|text| ("address without the network", text.as_str()));
        found.chain(boot).chain(sockets).chain(feeding)
    }
}

/// Where a unit has its address from as it leaves the factory.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum FactoryMode {
    /// Always the same one, or one made from its MAC address.
    #[default]
    Fixed,
    /// From a DHCP server.
    Dhcp,
    /// It chooses a link-local one (RFC 3927).
    LinkLocal,
}

/// How a planned address comes to be a node's.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum AddressedBy {
    /// It is set on the node, and fixed there.
    #[default]
    Fixed,
    /// The node asks for it by DHCP, and a server has it reserved.
    Dhcp,
}

impl AddressedBy {
    /// As a sheet writes them.
    pub(crate) const WORDS: [(&'static str, Self); 2] = [("fixed", Self::Fixed), ("dhcp", Self::Dhcp)];
}

/// What can be set on a node over the network.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Settable {
    /// A fixed address.
    Address,
    /// That its address comes by DHCP.
    Dhcp,
    /// Its name.
    Name,
    /// Its label.
    Label,
    /// Which universe a port has.
    Universe,
    /// Which way a port works.
    Direction,
    /// Which protocol a port speaks.
    Protocol,
    /// How a port combines sources.
    Merge,
    /// What happens when data stops.
    DataLoss,
    /// Whether RDM goes through a port.
    Rdm,
    /// What its indicators do.
    Indicators,
    /// Whether an input sends.
    Input,
    /// With which priority it sends sACN.
    SacnPriority,
    /// The scene for a loss of data.
    LossScene,
    /// Back to the network settings of the factory.
    FactoryNetwork,
}

impl FactoryMode {
    /// The words of the sheet.
    pub const WORDS: [(&'static str, Self); 3] =
        [("fixed", Self::Fixed), ("dhcp", Self::Dhcp), ("link-local", Self::LinkLocal)];
}

impl Settable {
    /// The words of the sheet.
    pub const WORDS: [(&'static str, Self); 15] = [
        ("address", Self::Address),
        ("dhcp", Self::Dhcp),
        ("name", Self::Name),
        ("label", Self::Label),
        ("universe", Self::Universe),
        ("direction", Self::Direction),
        ("protocol", Self::Protocol),
        ("merge", Self::Merge),
        ("on_data_loss", Self::DataLoss),
        ("rdm", Self::Rdm),
        ("indicators", Self::Indicators),
        ("input", Self::Input),
        ("sacn_priority", Self::SacnPriority),
        ("loss_scene", Self::LossScene),
        ("factory_network", Self::FactoryNetwork),
    ];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, setting)| *setting == self).map_or("", |(word, _)| word)
    }
}

impl Kind {
    /// Maker and model, as shown in tables.
    #[must_use]
    pub fn title(&self) -> String {
        format!("{} {}", self.maker, self.model)
    }

    /// By what it should answer: as it is written, else by Art-Net where it has ports, else by the lines that a check asks.
    #[must_use]
    pub fn should_speak(&self) -> &[Way] {
        match &self.speaks[..] {
            [] if self.ports > 0 => &[Way::ArtNet],
            [] if self.lines.iter().any(|line| line.is_checked) => &[Way::Lines],
            [] if !self.readings.is_empty() => &[Way::Snmp],
            written => written,
        }
    }

    /// Whether this can be set over the network, as far as is known.
    #[must_use]
    pub fn can_set(&self, setting: Settable) -> bool {
        self.settings.is_empty() || self.settings.contains(&setting)
    }
}
