//! One page of a node, as its poll reply states it.

use lantern_wire::art_net::{PollReply, PortBlock};
use serde::{Deserialize, Serialize};

use crate::universe::{PortAddress, Universe};
use crate::{Direction, Merge, Protocol, Said};

/// Up to four ports that share net and sub.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Page {
    /// Its bind index, from 1.
    pub index: u8,
    /// The short name it states.
    pub name: Said,
    /// The long name it states.
    pub label: Said,
    /// Its ports, in order.
    pub ports: Vec<FoundPort>,
}

/// One port as found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct FoundPort {
    /// Which way it works. One that could do both counts as an output.
    pub direction: Direction,
    /// Which protocol it listens to, as an output.
    pub protocol: Protocol,
    /// Its Port-Address; for sACN the universe of the same number.
    #[serde(with = "port_address")]
    pub universe: PortAddress,
    /// How two sources are combined, as an output.
    pub merge: Merge,
    /// Whether data passes through it now.
    pub data: bool,
}

impl Page {
    pub(super) fn stated(reply: &PollReply) -> Self {
        Self {
            index: reply.bind_index.max(1),
            name: reply.short_name.to_lossy().into(),
            label: reply.long_name.to_lossy().into(),
            ports: reply.stated_ports().iter().map(|port| FoundPort::stated(reply, port)).collect(),
        }
    }
}

impl FoundPort {
    fn stated(reply: &PollReply, port: &PortBlock) -> Self {
        let is_input = port.kind.is_input() && !port.kind.is_output();
        let switch = if is_input { port.switch_in } else { port.switch_out };
        Self {
            direction: if is_input { Direction::In } else { Direction::Out },
            protocol: if !is_input && port.output_a.takes_sacn() { Protocol::Sacn } else { Protocol::ArtNet },
            universe: PortAddress::from_switches(reply.net, reply.sub, switch),
            merge: if port.output_a.merges_ltp() { Merge::Ltp } else { Merge::Htp },
            data: if is_input { port.input.receiving() } else { port.output_a.sending() },
        }
    }

    /// Its universe in the notation of its protocol. sACN has no universe 0: then the Port-Address stands.
    #[must_use]
    pub fn universe(&self) -> Universe {
        match (self.protocol, self.universe.into()) {
            (Protocol::Sacn, Some(universe)) => Universe::Sacn(universe),
            _ => Universe::ArtNet(self.universe),
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
}
