//! The tables that gateways keep of their ports: asked for until each was told whole.

use std::collections::{BTreeMap, BTreeSet};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::art_net::{PollReply, TodData, TodRequest};
use lantern_wire::rdm::Uid;

use crate::census::Behind;
use crate::universe::PortAddress;

/// How long a gateway may take to tell its tables, before it is asked again; each time twice as long.
const EVERY: Duration = Duration::from_millis(400);
/// How often a gateway is asked.
const ASKS: u32 = 4;
/// The most ports whose tables are asked for.
const MOST: usize = 16_384;

/// What is known of the table of one port.
#[derive(Debug)]
struct Table {
    behind: Behind,
    uids: BTreeSet<Uid>,
    /// How many it is to have, once a part of it was told.
    total: Option<usize>,
    asked: u32,
    ask_at: Duration,
}

impl Table {
    fn is_whole(&self) -> bool {
        self.total.is_some_and(|total| self.uids.len() >= total)
    }

    fn is_open(&self) -> bool {
        !self.is_whole() && self.asked < ASKS
    }
}

/// The tables of all ports, by the gateway's address, page and slot.
#[derive(Debug, Default)]
pub(super) struct Tables {
    all: BTreeMap<(Ipv4Addr, u8, u8), Table>,
}

impl Tables {
    /// A gateway has told a page: the tables of its outputs are wanted, where RDM is on.
    pub(super) fn want(&mut self, now: Duration, gateway: (Ipv4Addr, Option<MacAddress>), reply: &PollReply) {
        let (address, mac) = gateway;
        let page = reply.bind_index.max(1);
        let outputs =
            (0..).zip(&reply.ports).filter(|(_, port)| port.kind.is_output() && !port.output_b.rdm_off());
        for (slot, port) in outputs {
            let universe = PortAddress::from_switches(reply.net, reply.sub, port.switch_out);
            let behind = Behind { address, mac, page, slot, universe };
            let key = (address, page, slot);
            if self.all.len() < MOST || self.all.contains_key(&key) {
                let fresh = Table { behind, uids: BTreeSet::new(), total: None, asked: 0, ask_at: now };
                let table = self.all.entry(key).or_insert(fresh);
                table.behind = behind;
            }
        }
    }

    /// A gateway has told a part of a table. Gives the cable and who is new on it.
    pub(super) fn hear(&mut self, from: Ipv4Addr, told: &TodData) -> Option<(Behind, Vec<Uid>)> {
        let slot = told.port.checked_sub(1)?;
        let table = self.all.get_mut(&(from, told.bind_index.max(1), slot))?;
        // It is being made: asked again, it is there.
        if told.response != TodData::FULL {
            return None;
        }
        table.total = Some(usize::from(told.total));
        let devices = told.uids.iter().filter(|uid| !uid.is_broadcast());
        let fresh = devices.filter(|uid| table.uids.insert(**uid)).copied().collect();
        Some((table.behind, fresh))
    }

    /// When somebody is to be asked; `None` when every table was told, or given up.
    pub(super) fn next_at(&self) -> Option<Duration> {
        self.all.values().filter(|table| table.is_open()).map(|table| table.ask_at).min()
    }

    /// Until when an answer is waited for.
    pub(super) fn waits_until(&self) -> Option<Duration> {
        self.all.values().filter(|table| !table.is_whole() && table.asked > 0).map(|table| table.ask_at).max()
    }

    /// The next request that is due: to which gateway, and for which time. One asks for all that a gateway
    /// has in one net.
    pub(super) fn ask(&mut self, now: Duration) -> Option<(Ipv4Addr, u32, TodRequest)> {
        let due = |table: &Table| table.is_open() && table.ask_at <= now;
        let (key, first) = self.all.iter().find(|(_, table)| due(table))?;
        let gateway = key.0;
        let net = first.behind.universe.net();
        let mut request = TodRequest { net, command: TodRequest::FULL, addresses: Vec::new() };
        let mut nth = 0;
        for table in self.all.range_mut((gateway, 0, 0)..=(gateway, u8::MAX, u8::MAX)).map(|(_, table)| table) {
            let [of, low] = table.behind.universe.flat().to_be_bytes();
            let has_room = request.addresses.len() < TodRequest::MOST || request.addresses.contains(&low);
            if of != net || !due(table) || !has_room {
                continue;
            }
            if !request.addresses.contains(&low) {
                request.addresses.push(low);
            }
            table.ask_at = now + EVERY * 2_u32.pow(table.asked);
            table.asked += 1;
            nth = nth.max(table.asked);
        }
        Some((gateway, nth, request))
    }
}
