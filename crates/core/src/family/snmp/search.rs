//! Its part in a survey: asks whoever was seen and may be asked, and reads whoever answers.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::snmp::{Oid, PORT};

use super::caller::Caller;
use super::reading::{Extent, Reading};
use super::{Asker, handle};
use crate::Said;
use crate::census::{News, Sighting, Told, Unit, Way};
use crate::conversation::{LinkId, LinkNews, Outgoing, SurveyPlan};
use crate::facts::{Facts, Field, ReadingName, Value};
use crate::sheet::SheetNode;
use crate::sheet::kind::{Counts, KindReading};

/// The most devices asked at a time, and altogether.
const AT_ONCE: usize = 48;
const MOST: usize = 4096;
/// The most devices at one address that are told apart.
const MOST_AT_ONE: usize = 8;
/// How long a device may take for each answer.
const ANSWER_TIME: Duration = Duration::from_millis(600);
/// How long a survey waits at most until one that answers slowly is read to the end.
const MOST_READING: Duration = Duration::from_secs(8);
/// How often a watch without an end reads those again that answer.
const AGAIN: Duration = Duration::from_secs(15);
/// The most signs of a description that are shown in a line.
const MOST_SHOWN: usize = 48;

/// Asks and reads.
#[derive(Debug)]
pub(in crate::family) struct Search {
    plan: SurveyPlan,
    /// Whoever was seen at which address: a question goes to an address, and whoever has it answers.
    seen: BTreeMap<Ipv4Addr, BTreeSet<MacAddress>>,
    waiting: VecDeque<Ipv4Addr>,
    under_way: BTreeMap<LinkId, UnderWay>,
    /// Those that answered, and when they are read again.
    answered: VecDeque<(Duration, Ipv4Addr)>,
    numbers: u32,
    told: VecDeque<Sighting>,
}

#[derive(Debug)]
struct UnderWay {
    address: Ipv4Addr,
    since: Duration,
    reading: Reading,
}

impl Search {
    pub(in crate::family) fn new(plan: &SurveyPlan) -> Self {
        Self {
            plan: plan.clone(),
            seen: BTreeMap::new(),
            waiting: VecDeque::new(),
            under_way: BTreeMap::new(),
            answered: VecDeque::new(),
            numbers: 0,
            told: VecDeque::new(),
        }
    }

    /// The node of the sheet that is there.
    fn planned(&self, address: Ipv4Addr) -> Option<&SheetNode> {
        let nodes = &self.plan.sheet.as_ref()?.nodes;
        let seen = self.seen.get(&address);
        let own_mac = |node: &&SheetNode| {
            node.mac.as_ref().is_some_and(|mac| seen.is_some_and(|seen| seen.contains(&mac.value)))
        };
        let is_free = |node: &SheetNode| node.mac.is_none() || seen.is_none_or(BTreeSet::is_empty);
        let own_address = |node: &&SheetNode| node.fixed_address() == Some(address) && is_free(node);
        nodes.iter().find(own_mac).or_else(|| nodes.iter().find(own_address))
    }

    /// What it is asked for beside what all are.
    fn readings(&self, address: Ipv4Addr) -> &[KindReading] {
        let sheet = self.plan.sheet.as_ref();
        let kind = self.planned(address).and_then(|node| sheet?.kind_of(node));
        kind.map_or(&[], |kind| &kind.readings)
    }

    /// Who it was that answered: the only one who was seen there, or of several the one who says so.
    fn who(&self, address: Ipv4Addr, stated: &BTreeSet<MacAddress>) -> Option<MacAddress> {
        match self.seen.get(&address).filter(|seen| !seen.is_empty()) {
            Some(seen) => only(seen.iter().copied()).or_else(|| only(seen.intersection(stated).copied())),
            // One that has several interfaces does not say by which of them it is reached.
            None => only(stated.iter().copied()),
        }
    }

    fn begin_some(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        while self.under_way.len() < AT_ONCE
            && let Some(address) = self.waiting.pop_front()
        {
            self.numbers += 1;
            let seed = LinkId::seed(self.plan.vantage.mark.into(), &self.numbers.to_be_bytes());
            let mac = self.seen.get(&address).and_then(|seen| seen.first().copied());
            let login = self.plan.vantage.secrets.of(Way::Snmp, mac, address).cloned();
            let caller = Caller::new(SocketAddrV4::new(address, PORT), login, seed, ANSWER_TIME);
            let readings: Vec<(ReadingName, Oid)> =
                self.readings(address).iter().map(|one| (one.name, one.object.clone())).collect();
            let mut reading = Reading::new(caller, &readings, Extent::Whole);
            reading.work(now, out);
            self.under_way.insert(reading.link(), UnderWay { address, since: now, reading });
        }
    }

    /// Tells those that are read to the end, and goes on with others.
    fn go_on(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        let is_over = |one: &UnderWay| one.reading.is_over();
        let over: Vec<LinkId> =
            self.under_way.iter().filter(|(_, one)| is_over(one)).map(|(link, _)| *link).collect();
        for link in over {
            let Some(mut one) = self.under_way.remove(&link) else { continue };
            one.reading.caller_mut().close(out);
            if one.reading.is_heard() {
                self.tell(now, &one);
                self.answered.push_back((now + AGAIN, one.address));
            }
        }
        self.begin_some(now, out);
    }

    fn tell(&mut self, now: Duration, one: &UnderWay) {
        let address = one.address;
        let of_kind = self.readings(address).to_vec();
        let exact: BTreeSet<ReadingName> = match (self.planned(address), &self.plan.sheet) {
            (Some(node), Some(sheet)) => sheet.readings_of(node).map(|(name, _)| name).collect(),
            _ => BTreeSet::new(),
        };
        let mut facts = one.reading.facts.clone();
        // What counts faults is known as a count from here on: whoever watches looks whether it rises.
        for reading in of_kind.iter().filter(|reading| reading.counts == Counts::Faults) {
            let field = Field::Reading(reading.name);
            let count = one.reading.told.get(&field).and_then(|(_, told)| u32::try_from(told.number()?).ok());
            if let Some(count) = count {
                facts.learn(field, Value::Count(count));
            }
        }
        // What is to be one thing exactly is compared as such.
        let judged = of_kind.iter().filter(|reading| !exact.contains(&reading.name));
        if let Some(faults) = faults(judged, &facts) {
            facts.learn(Field::Faults, Value::Text(Said::from(faults.as_str())));
        }
        let what = in_words(&facts);
        let mut unit = Unit::of_address(Way::Snmp, address, self.who(address, &one.reading.macs), &what, facts);
        let named: Vec<(ReadingName, Oid)> = of_kind.into_iter().map(|one| (one.name, one.object)).collect();
        unit.handle = handle(&named);
        self.told.push_back(Sighting::of_unit(now, unit));
    }
}

/// The one there is; `None` where there are several.
fn only(mut all: impl Iterator<Item = MacAddress>) -> Option<MacAddress> {
    all.next().filter(|_| all.next().is_none())
}

/// What is not as its kind says, in words; `None` where it says of nothing what is right.
fn faults<'a>(readings: impl Iterator<Item = &'a KindReading>, facts: &Facts) -> Option<String> {
    let judged = readings.filter(|one| one.right.is_some() || one.limits.iter().any(Option::is_some));
    let told = judged.filter_map(|one| Some((one, facts.get(Field::Reading(one.name))?)));
    let mut wrong = None;
    for (one, told) in told {
        let wrong = wrong.get_or_insert_with(Vec::new);
        let is_right = match told {
            Value::Text(told) => one.is_right(told.raw()),
            told => one.is_right(&told.to_string()),
        };
        if !is_right {
            wrong.push(format!("{} is {told}, right is {one}", one.name));
        }
    }
    let wrong = wrong?;
    Some(if wrong.is_empty() { "none".to_owned() } else { wrong.join("; ") })
}

impl Asker for Search {
    fn hear(&mut self, now: Duration, sighting: &Sighting, _: &News, out: &mut Vec<Outgoing>) {
        // Everybody who has an address is seen in one of these ways.
        if !matches!(sighting.told, Told::Arp | Told::Echo | Told::Neighbour | Told::Services(_)) {
            return;
        }
        let (address, mac) = (sighting.from, sighting.mac);
        if !self.plan.may_connect(address, mac) || (self.seen.len() >= MOST && !self.seen.contains_key(&address)) {
            return;
        }
        if !self.seen.contains_key(&address) {
            self.waiting.push_back(address);
        }
        let seen = self.seen.entry(address).or_default();
        seen.extend(mac.filter(|_| seen.len() < MOST_AT_ONE));
        self.begin_some(now, out);
    }

    fn hear_link(&mut self, now: Duration, link: LinkId, news: LinkNews<'_>, out: &mut Vec<Outgoing>) {
        if let Some(one) = self.under_way.get_mut(&link) {
            one.reading.hear(now, news, out);
            self.go_on(now, out);
        }
    }

    fn next_at(&self) -> Option<Duration> {
        let reading = self.under_way.values().filter_map(|one| one.reading.next_at());
        let again = self.answered.front().map(|(at, _)| *at).filter(|_| self.plan.is_endless());
        reading.chain(again).min()
    }

    fn ask(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        for one in self.under_way.values_mut() {
            one.reading.work(now, out);
        }
        while self.plan.is_endless() && self.answered.front().is_some_and(|(at, _)| *at <= now) {
            self.waiting.extend(self.answered.pop_front().map(|(_, address)| address));
        }
        self.go_on(now, out);
    }

    fn waits(&self) -> bool {
        self.under_way.values().any(|one| one.reading.is_heard())
    }

    fn busy_until(&self) -> Option<Duration> {
        let going = self.under_way.values().filter(|one| one.reading.is_heard());
        going.filter_map(|one| Some(one.reading.next_at()?.min(one.since + MOST_READING))).max()
    }

    fn next_sighting(&mut self) -> Option<Sighting> {
        self.told.pop_front()
    }
}

/// A device in a line: `SNMP "Twelve-port switch, version 3", Quay, mast`.
fn in_words(facts: &Facts) -> String {
    let told = |field: Field| match facts.get(field) {
        Some(Value::Text(text)) if !text.is_empty() => Some(text.raw()),
        _ => None,
    };
    let first_line = told(Field::Description).and_then(|text| text.lines().next()).unwrap_or_default();
    let shown: String = first_line.chars().take(MOST_SHOWN).collect();
    let cut = if shown.len() < first_line.len() { "…" } else { "" };
    let title = format!("SNMP {shown}{cut}").trim_end().to_owned();
    let place = told(Field::Location).map(str::to_owned);
    let faults = told(Field::Faults).filter(|faults| *faults != "none").map(str::to_owned);
    let access = facts.get(Field::Access).map(ToString::to_string).filter(|access| access != "open");
    [Some(title), place, faults, access].into_iter().flatten().collect::<Vec<_>>().join(", ")
}
