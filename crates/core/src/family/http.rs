//! Web pages: of planned devices that answer nothing better, the first page is asked for. That it comes, and what it is
//! called, is how such a device answers.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::html::title;

use super::Asker;
use crate::census::{News, Sighting, Told, Unit, Way};
use crate::conversation::{LinkEnd, LinkId, Outgoing, Request, Response, SurveyPlan};
use crate::facts::Facts;

const PORT: u16 = 80;
/// The most pages asked for at a time, and the most devices asked.
const AT_ONCE: usize = 8;
const MOST: usize = 4096;

/// Asks for first pages.
#[derive(Debug)]
pub(super) struct Pages {
    plan: SurveyPlan,
    queue: VecDeque<Ipv4Addr>,
    known: BTreeSet<Ipv4Addr>,
    macs: BTreeMap<Ipv4Addr, MacAddress>,
    asked: BTreeMap<u32, Ipv4Addr>,
    numbers: u32,
    told: VecDeque<Sighting>,
}

impl Pages {
    pub(super) fn new(plan: &SurveyPlan) -> Self {
        Self {
            plan: plan.clone(),
            queue: VecDeque::new(),
            known: BTreeSet::new(),
            macs: BTreeMap::new(),
            asked: BTreeMap::new(),
            numbers: 0,
            told: VecDeque::new(),
        }
    }
}

impl Asker for Pages {
    fn hear(&mut self, _: Duration, sighting: &Sighting, _: &News, _: &mut Vec<Outgoing>) {
        let (address, mac) = (sighting.from, sighting.mac);
        if !matches!(sighting.told, Told::Arp | Told::Echo | Told::Neighbour | Told::Services(_)) {
            return;
        }
        self.macs.extend(mac.map(|mac| (address, mac)));
        if self.known.len() < MOST && self.plan.may_connect(address, mac) && self.known.insert(address) {
            self.queue.push_back(address);
        }
    }

    fn hear_page(&mut self, now: Duration, link: LinkId, page: Result<&Response, LinkEnd>, _: &mut Vec<Outgoing>) {
        let Some(address) = self.asked.remove(&link.number).filter(|_| link.family == Way::Http) else { return };
        let Ok(page) = page else { return };
        let mac = self.macs.get(&address).copied();
        let called = title(&page.body).map(|title| format!(" {title:?}")).unwrap_or_default();
        let state = match page.status {
            200..=399 => String::new(),
            401 | 403 => ", wants a password".to_owned(),
            status => format!(", answers with {status}"),
        };
        let what = format!("web page{called}{state}");
        let unit = Unit::of_address(Way::Http, address, mac, &what, Facts::default());
        self.told.push_back(Sighting::of_unit(now, unit));
    }

    fn next_at(&self) -> Option<Duration> {
        (!self.queue.is_empty() && self.asked.len() < AT_ONCE).then_some(Duration::ZERO)
    }

    fn ask(&mut self, _: Duration, out: &mut Vec<Outgoing>) {
        while self.asked.len() < AT_ONCE {
            let Some(address) = self.queue.pop_front() else { return };
            self.numbers += 1;
            self.asked.insert(self.numbers, address);
            let link = LinkId { family: Way::Http, number: self.numbers };
            let request = Request::get(SocketAddrV4::new(address, PORT), "/");
            out.push(Outgoing::Fetch { link, request });
        }
    }

    fn next_sighting(&mut self) -> Option<Sighting> {
        self.told.pop_front()
    }
}
