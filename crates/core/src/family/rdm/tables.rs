//! The tables that gateways keep of their ports: asked for until each was told whole.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::art_net::{PollReply, TodControl, TodData, TodRequest};
use lantern_wire::rdm::Uid;

use crate::census::Behind;
use crate::conversation::{Rediscovery, Retries};
use crate::universe::PortAddress;

/// How long a gateway may take to tell its tables, before it is asked again; each time twice as long.
const EVERY: Duration = Duration::from_millis(400);
/// How often a gateway is asked.
const ASKS: u32 = 4;
/// Where gateways search their cables anew: how long after that they are asked first, how often, and how often at most. A full cable
/// takes half a minute and more.
const SEARCHES: Duration = Duration::from_secs(2);
const SEARCH_EVERY: Duration = Duration::from_secs(2);
const SEARCH_ASKS: u32 = 45;
/// The most pages whose tables are asked for.
const MOST: usize = 4096;
/// The most units of one port, and of all together: more than any cable or rig has.
const MOST_ON_PORT: usize = 1024;
const MOST_UNITS: usize = 65_536;

/// The page of a gateway: what is asked for at once.
type Page = (Ipv4Addr, u8);

/// What is known of the table of one port.
#[derive(Debug)]
struct Table {
    behind: Behind,
    uids: BTreeSet<Uid>,
    /// How many it is to have, once a part of it was told.
    total: Option<usize>,
}

impl Table {
    fn is_whole(&self) -> bool {
        self.total.is_some_and(|total| self.uids.len() >= total)
    }
}

/// What a part of a table adds.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct News {
    pub(super) behind: Behind,
    /// Who is new on the cable.
    pub(super) fresh: Vec<Uid>,
    /// Whether with it everybody has been told.
    pub(super) is_whole_now: bool,
}

/// The tables of all ports, by page and slot.
#[derive(Debug)]
pub(super) struct Tables {
    all: BTreeMap<(Page, u8), Table>,
    /// Pages that are asked for the tables they have, and those that search a cable first, which takes its time.
    asked: Retries<Page>,
    searching: Retries<Page>,
    /// How many units there are in them.
    units: usize,
    /// Which cables are searched anew, the pages they are on, and those for which that is still to be said.
    rediscovers: Rediscovery,
    searched: BTreeSet<Page>,
    to_search: VecDeque<(Ipv4Addr, TodControl)>,
}

/// What is asked of a gateway.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Asks {
    /// To forget the table of a cable and search it.
    Search(TodControl),
    /// To tell its tables, for which time.
    Tables(u32, TodRequest),
}

impl Default for Tables {
    fn default() -> Self {
        Self::new(Rediscovery::Nothing)
    }
}

impl Tables {
    /// None yet, of gateways that search some of their cables anew.
    pub(super) fn new(rediscovers: Rediscovery) -> Self {
        let asked = Retries::new(ASKS, EVERY, MOST).doubling();
        let searching = Retries::new(SEARCH_ASKS, SEARCH_EVERY, MOST);
        let (all, searched, to_search) = (BTreeMap::new(), BTreeSet::new(), VecDeque::new());
        Self { all, asked, searching, units: 0, rediscovers, searched, to_search }
    }

    /// A gateway has told a page: the tables of its outputs are wanted, where RDM is on.
    pub(super) fn want(&mut self, now: Duration, gateway: (Ipv4Addr, Option<MacAddress>), reply: &PollReply) {
        let (address, mac) = gateway;
        let page = reply.bind_index.max(1);
        let outputs =
            (0..).zip(&reply.ports).filter(|(_, port)| port.kind.is_output() && !port.output_b.rdm_off());
        let outputs: Vec<(u8, PortAddress)> = outputs
            .map(|(slot, port)| (slot, PortAddress::from_switches(reply.net, reply.sub, port.switch_out)))
            .collect();
        // A page is asked at once: with one cable of it searched, all of it is told afterwards.
        let is_searched = outputs.iter().any(|(_, universe)| self.rediscovers.means(*universe));
        let first = if is_searched { now + SEARCHES } else { now };
        for (slot, universe) in outputs {
            let behind = Behind { address, mac, page, slot, universe };
            if let Some(table) = self.all.get_mut(&((address, page), slot)) {
                table.behind = behind;
            } else if self.ask_first((address, page), first, is_searched) {
                if self.rediscovers.means(universe) {
                    let [net, low] = universe.flat().to_be_bytes();
                    let control = TodControl { net, command: TodControl::FLUSH, address: low };
                    self.to_search.push_back((address, control));
                }
                let table = Table { behind, uids: BTreeSet::new(), total: None };
                self.all.insert(((address, page), slot), table);
            }
        }
    }

    /// Has a page asked from then on, and says whether there is room for that, or it is asked already.
    fn ask_first(&mut self, page: Page, first: Duration, is_searched: bool) -> bool {
        if is_searched {
            self.searched.insert(page);
        }
        self.retries(page).ask(first, page) || self.tables(page).next().is_some()
    }

    fn retries(&mut self, page: Page) -> &mut Retries<Page> {
        if self.searched.contains(&page) { &mut self.searching } else { &mut self.asked }
    }

    fn tables(&self, page: Page) -> impl Iterator<Item = &Table> {
        self.all.range((page, 0)..=(page, u8::MAX)).map(|(_, table)| table)
    }

    /// A gateway has told a part of a table.
    pub(super) fn hear(&mut self, from: Ipv4Addr, told: &TodData) -> Option<News> {
        let page = (from, told.bind_index.max(1));
        // What it told before it was asked to search is the old table.
        if self.searched.contains(&page) && !self.searching.was_asked(page) {
            return None;
        }
        let table = self.all.get_mut(&(page, told.port.checked_sub(1)?))?;
        // It is being made: asked again, it is there.
        if told.response != TodData::FULL {
            return None;
        }
        let was_whole = table.is_whole();
        table.total = Some(usize::from(told.total));
        let room = MOST_ON_PORT.saturating_sub(table.uids.len()).min(MOST_UNITS - self.units);
        let devices = told.uids.iter().filter(|uid| !uid.is_broadcast());
        let fresh: Vec<Uid> = devices.filter(|uid| !table.uids.contains(uid)).take(room).copied().collect();
        table.uids.extend(&fresh);
        self.units += fresh.len();
        let (behind, is_whole_now) = (table.behind, table.is_whole() && !was_whole);
        if self.tables(page).all(Table::is_whole) {
            self.retries(page).answered(page);
        }
        Some(News { behind, fresh, is_whole_now })
    }

    /// How many units they have together.
    pub(super) const fn units(&self) -> usize {
        self.units
    }

    /// When somebody is to be asked; `None` when every table was told, or given up.
    pub(super) fn next_at(&self) -> Option<Duration> {
        if !self.to_search.is_empty() {
            return Some(Duration::ZERO);
        }
        [self.asked.next_at(), self.searching.next_at()].into_iter().flatten().min()
    }

    /// Until when an answer is waited for.
    pub(super) fn waits_until(&self) -> Option<Duration> {
        self.asked.last_at().max(self.searching.last_at())
    }

    /// The next request that is due, and to which gateway. It asks for all that is missing of a page.
    pub(super) fn ask(&mut self, now: Duration) -> Option<(Ipv4Addr, Asks)> {
        if let Some((gateway, control)) = self.to_search.pop_front() {
            return Some((gateway, Asks::Search(control)));
        }
        let (page, nth) = self.asked.next(now).or_else(|| self.searching.next(now))?;
        let missing = || self.tables(page).filter(|table| !table.is_whole()).map(|table| table.behind.universe);
        let addresses: BTreeSet<u8> = missing().map(|universe| universe.flat().to_be_bytes()[1]).collect();
        let net = missing().next()?.net();
        let addresses = addresses.into_iter().collect();
        Some((page.0, Asks::Tables(nth, TodRequest { net, command: TodRequest::FULL, addresses })))
    }
}

#[cfg(test)]
mod tests {
    use lantern_wire::art_net::{PortBlock, PortType};

    use super::*;

    const GATEWAY: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 1);

    fn told(block: u8, total: u16, uids: Vec<Uid>) -> TodData {
        TodData {
            rdm_version: 1,
            port: 1,
            bind_index: 1,
            net: 0,
            response: TodData::FULL,
            address: 5,
            total,
            block,
            uids,
        }
    }

    fn tables() -> Tables {
        let output = PortBlock { kind: PortType::DMX_OUT, switch_out: 5, ..PortBlock::default() };
        let input = PortBlock { kind: PortType::DMX_IN, switch_in: 6, ..PortBlock::default() };
        let ports = [output, input, PortBlock::default(), PortBlock::default()];
        let mut tables = Tables::default();
        tables.want(Duration::ZERO, (GATEWAY, None), &PollReply { port_count: 2, ports, ..PollReply::default() });
        tables
    }

    #[test]
    fn a_gateway_is_asked_until_its_table_is_whole_and_given_up_after_a_while() {
        let mut tables = tables();
        let uid = |number: u64| Uid::of_number(0x7ff0_0000_0000 + number);
        let Some((GATEWAY, Asks::Tables(1, request))) = tables.ask(Duration::ZERO) else { panic!("no request") };
        assert_eq!(request.addresses, [5], "only the output is asked for");
        assert_eq!(tables.ask(Duration::ZERO), None, "one request for all of them");
        let news = tables.hear(GATEWAY, &told(0, 3, vec![uid(1), uid(2), Uid::EVERYBODY])).unwrap();
        assert_eq!((news.behind.slot, news.fresh.len(), news.is_whole_now), (0, 2, false));
        assert_eq!(tables.next_at(), Some(EVERY), "one is missing");
        let rest = tables.hear(GATEWAY, &told(1, 3, vec![uid(2), uid(3)])).unwrap();
        assert_eq!((&rest.fresh[..], rest.is_whole_now), (&[uid(3)][..], true));
        assert!(!tables.hear(GATEWAY, &told(1, 3, vec![uid(2), uid(3)])).unwrap().is_whole_now, "that was said");
        assert_eq!((tables.next_at(), tables.waits_until()), (None, None));
        let mut silent = self::tables();
        let mut asked = Vec::new();
        while let Some(at) = silent.next_at() {
            let Some((_, Asks::Tables(nth, _))) = silent.ask(at) else { continue };
            asked.push((at.as_millis(), nth));
        }
        assert_eq!(asked, [(0, 1), (400, 2), (1200, 3), (2800, 4)]);
    }

    /// The old table counts for nothing, whenever it comes.
    #[test]
    fn a_gateway_that_is_to_search_is_asked_for_what_it_found_then() {
        let output = PortBlock { kind: PortType::DMX_OUT, switch_out: 5, ..PortBlock::default() };
        let ports = [output, PortBlock::default(), PortBlock::default(), PortBlock::default()];
        let mut tables = Tables::new(Rediscovery::Everything);
        tables.want(Duration::ZERO, (GATEWAY, None), &PollReply { port_count: 1, ports, ..PollReply::default() });
        let search = TodControl { net: 0, command: TodControl::FLUSH, address: 5 };
        assert_eq!(tables.ask(Duration::ZERO), Some((GATEWAY, Asks::Search(search))));
        let uid = Uid::of_number(0x7ff0_0000_0001);
        assert_eq!(tables.hear(GATEWAY, &told(0, 1, vec![uid])), None);
        assert_eq!((tables.ask(Duration::ZERO), tables.next_at()), (None, Some(SEARCHES)));
        assert!(matches!(tables.ask(SEARCHES), Some((GATEWAY, Asks::Tables(1, _)))));
        let searching = TodData { response: 0xff, ..told(0, 0, Vec::new()) };
        assert_eq!(tables.hear(GATEWAY, &searching), None);
        assert_eq!(tables.next_at(), Some(SEARCHES + SEARCH_EVERY), "it is asked on");
        assert_eq!(tables.hear(GATEWAY, &told(0, 1, vec![uid])).unwrap().fresh, [uid]);
    }

    /// One cable is searched: the page of another is asked as ever, and given up as soon.
    #[test]
    fn a_page_that_searches_nothing_is_not_waited_for() {
        let output = PortBlock { kind: PortType::DMX_OUT, switch_out: 5, ..PortBlock::default() };
        let ports = [output, PortBlock::default(), PortBlock::default(), PortBlock::default()];
        let searched = PortAddress::from_switches(0, 1, 5);
        let mut tables = Tables::new(Rediscovery::Universes(BTreeSet::from([searched])));
        for (sub, bind_index) in [(0, 1), (1, 2)] {
            let reply = PollReply { port_count: 1, ports, sub, bind_index, ..PollReply::default() };
            tables.want(Duration::ZERO, (GATEWAY, None), &reply);
        }
        let mut asked = Vec::new();
        while let Some(at) = tables.next_at() {
            match tables.ask(at) {
                Some((_, Asks::Tables(..))) => asked.push(at),
                Some((_, Asks::Search(control))) => assert_eq!((control.net, control.address), (0, 0x15)),
                None => {}
            }
        }
        let early = asked.iter().filter(|at| **at < SEARCHES).count();
        assert_eq!((early, asked.len()), (3, (ASKS + SEARCH_ASKS) as usize), "{asked:?}");
    }

    #[test]
    fn whoever_tells_without_end_fills_no_memory() {
        let mut tables = tables();
        for block in 0..100_u64 {
            let uids = (0..200).map(|i| Uid::of_number(block * 200 + i)).collect();
            tables.hear(GATEWAY, &told(0, u16::MAX, uids));
        }
        assert_eq!(tables.units, MOST_ON_PORT);
        assert_eq!(tables.hear(Ipv4Addr::new(10, 40, 9, 9), &told(0, 1, vec![Uid([1; 6])])), None, "never polled");
    }
}
