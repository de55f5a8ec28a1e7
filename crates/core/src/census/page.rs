//! One page of a node, as its poll reply states it.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::art_net::{PollReply, PortBlock};
use serde::{Deserialize, Serialize};

use crate::universe::{PortAddress, Universe};
use crate::{Direction, Merge, Protocol, Said, as_text};

/// Up to four ports that share net and sub.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Page {
    /// Its bind index, from 1; where several pages say the same one, the place in which they were heard.
    pub index: u8,
    /// Whether the page itself says this index. One that does not cannot be written to by itself.
    #[serde(default = "yes")]
    pub says_index: bool,
    /// Its own address, where it has another one than the root.
    #[serde(default)]
    pub address: Option<Ipv4Addr>,
    /// Its own MAC address, where it states another one than the root.
    #[serde(with = "as_text::option", default)]
    pub mac: Option<MacAddress>,
    /// The short name it states.
    pub name: Said,
    /// The long name it states.
    pub label: Said,
    /// The priority with which its inputs send sACN; `None` when its reply is too old to tell.
    #[serde(default)]
    pub sacn_priority: Option<u8>,
    /// Its ports, in order of their slots.
    pub ports: Vec<FoundPort>,
    /// When it was last heard, since the conversation began.
    #[serde(rename = "heard_ms", with = "crate::as_millis", default)]
    pub heard: Duration,
}

/// One port as found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct FoundPort {
    /// Its slot on the page, 0 to 3; slots may have gaps.
    #[serde(default)]
    pub slot: u8,
    /// Which way it works. One that is both counts as an output.
    pub direction: Direction,
    /// Which protocol it listens to, as an output.
    pub protocol: Protocol,
    /// Its Port-Address; for sACN the universe of the same number.
    #[serde(with = "port_address")]
    pub universe: PortAddress,
    /// What an output sends to as an input at the same time; `None` on all but the few that are both.
    #[serde(with = "port_address::option", default)]
    pub also_in: Option<PortAddress>,
    /// How two sources are combined, as an output.
    pub merge: Merge,
    /// Whether RDM goes through it; `None` when its reply is too old to tell.
    #[serde(default)]
    pub rdm: Option<bool>,
    /// Whether it combines two sources now, as an output.
    #[serde(default)]
    pub merging: bool,
    /// Whether, as an input, it sends what comes in; `None` on outputs.
    #[serde(default)]
    pub input: Option<bool>,
    /// Whether data passes through it now.
    pub data: bool,
}

const fn yes() -> bool {
    true
}

impl Page {
    pub(super) fn stated(reply: &PollReply, heard: Duration) -> Self {
        Self {
            index: reply.bind_index.max(1),
            says_index: true,
            address: None,
            mac: None,
            name: reply.short_name.to_lossy().into(),
            label: reply.long_name.to_lossy().into(),
            sacn_priority: reply.tells_status3().then_some(reply.sacn_priority),
            ports: reply.stated_ports().map(|(slot, port)| FoundPort::stated(reply, slot, port)).collect(),
            heard,
        }
    }

    /// Whether it states the same ports on the same universes: then it is the same page, whatever index it says.
    pub(super) fn is_like(&self, other: &Self) -> bool {
        let ports = |page: &Self| -> Vec<_> {
            page.ports.iter().map(|port| (port.slot, port.direction, port.universe, port.also_in)).collect()
        };
        ports(self) == ports(other)
    }
}

impl FoundPort {
    fn stated(reply: &PollReply, slot: u8, port: &PortBlock) -> Self {
        let universe = |switch| PortAddress::from_switches(reply.net, reply.sub, switch);
        let is_output = port.kind.is_output();
        let is_both = is_output && port.kind.is_input();
        Self {
            slot,
            direction: if is_output { Direction::Out } else { Direction::In },
            protocol: if is_output && port.output_a.takes_sacn() { Protocol::Sacn } else { Protocol::ArtNet },
            universe: universe(if is_output { port.switch_out } else { port.switch_in }),
            also_in: is_both.then(|| universe(port.switch_in)),
            merge: if port.output_a.merges_ltp() { Merge::Ltp } else { Merge::Htp },
            rdm: reply.tells_status3().then(|| !port.output_b.rdm_off()),
            merging: is_output && port.output_a.merging(),
            input: port.kind.is_input().then(|| !port.input.disabled()),
            data: if is_output { port.output_a.sending() } else { port.input.receiving() },
        }
    }

    /// Its Port-Address in this direction; `None` where it does not work that way.
    #[must_use]
    pub fn facing(&self, direction: Direction) -> Option<PortAddress> {
        if self.direction == direction { Some(self.universe) } else { self.also_in }
    }

    /// Its universe in the notation of its protocol. sACN has no universe 0: then the Port-Address stands.
    #[must_use]
    pub fn universe(&self) -> Universe {
        self.in_notation(self.universe)
    }

    /// A Port-Address of this port in the notation of its protocol.
    #[must_use]
    pub fn in_notation(&self, address: PortAddress) -> Universe {
        match (self.protocol, address.into()) {
            (Protocol::Sacn, Some(universe)) => Universe::Sacn(universe),
            _ => Universe::ArtNet(address),
        }
    }
}

mod port_address {
    use serde::{Deserialize, Deserializer, Serializer, de};

    use crate::universe::PortAddress;

    pub(super) fn serialize<S: Serializer>(address: &PortAddress, to: S) -> Result<S::Ok, S::Error> {
        to.serialize_u16(address.flat())
    }

    pub(super) fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<PortAddress, D::Error> {
        PortAddress::new(u64::deserialize(from)?).map_err(de::Error::custom)
    }

    pub(super) mod option {
        use serde::{Deserialize, Deserializer, Serialize, Serializer, de};

        use crate::universe::PortAddress;

        pub(crate) fn serialize<S: Serializer>(address: &Option<PortAddress>, to: S) -> Result<S::Ok, S::Error> {
            address.map(PortAddress::flat).serialize(to)
        }

        pub(crate) fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Option<PortAddress>, D::Error> {
            let flat = Option::<u64>::deserialize(from)?;
            flat.map(PortAddress::new).transpose().map_err(de::Error::custom)
        }
    }
}
