//! Targets of LLRP: devices that can be found, and given an address, in any subnet (E1.33, section 5).

use std::collections::BTreeMap;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use lantern_wire::acn::Cid;
use lantern_wire::llrp::ProbeReply;
use lantern_wire::rdm::Uid;
use serde::{Deserialize, Serialize};

use crate::as_text;

/// A target as it told itself.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Target {
    /// Its RDM identifier.
    #[serde(with = "as_text")]
    pub uid: Uid,
    /// Its component identifier, by which it takes orders.
    pub cid: String,
    /// `device`, `controller`, `broker`, or a code.
    pub component: String,
    /// The address it answered from; all zero for one that has none.
    pub address: Ipv4Addr,
    /// The MAC address: the frame's where frames are seen, else the one it states.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
}

/// All targets, by their identifiers.
#[derive(Debug, Clone, Default)]
pub(crate) struct Targets {
    known: BTreeMap<(Uid, Option<MacAddress>), Target>,
    overlooked: u64,
}

impl Targets {
    /// The most targets kept.
    const MOST: usize = 16_384;

    pub(crate) fn take(&mut self, mac: Option<MacAddress>, address: Ipv4Addr, cid: Cid, reply: ProbeReply) {
        let key = (reply.uid, mac);
        if self.known.len() >= Self::MOST && !self.known.contains_key(&key) {
            self.overlooked += 1;
            return;
        }
        let component = reply.component.to_string();
        self.known.insert(key, Target { uid: reply.uid, cid: cid.to_string(), component, address, mac });
    }

    /// In the order of identifiers.
    pub(crate) fn sorted(&self) -> Vec<Target> {
        self.known.values().cloned().collect()
    }

    pub(crate) const fn overlooked(&self) -> u64 {
        self.overlooked
    }
}
