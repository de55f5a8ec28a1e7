//! Its part in a survey: searches, and reads whoever answers and is near.

use std::collections::{BTreeMap, VecDeque};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::onvif::{Discovery, GROUP, PORT, Present};

use super::caller::Caller;
use super::reading::{Reading, learn_scopes};
use super::{Asker, FIELDS, handle, join, search};
use crate::census::{News, Sighting, Told, Unit, Way};
use crate::conversation::{LinkEnd, LinkId, Outgoing, Response, SurveyPlan};
use crate::facts::{Facts, Field};

/// When everybody is searched for.
const SEARCH_AT: [Duration; 2] = [Duration::from_millis(30), Duration::from_millis(900)];
/// How often a watch without an end looks again.
const AGAIN: Duration = Duration::from_secs(30);
/// The most devices read at a time, and altogether.
const AT_ONCE: usize = 16;
const MOST: usize = 4096;
/// How long a device may take for each answer.
const ANSWER_TIME: Duration = Duration::from_millis(2500);
/// How long a survey waits at most until one that answers slowly is read to the end.
const MOST_READING: Duration = Duration::from_secs(8);

/// What tells one from another: where it was heard, and the MAC address that was seen with it.
type Key = (Ipv4Addr, Option<MacAddress>);

/// Searches and reads.
#[derive(Debug)]
pub(in crate::family) struct Search {
    plan: SurveyPlan,
    searches: VecDeque<Duration>,
    messages: u16,
    found: BTreeMap<Key, Found>,
    waiting: VecDeque<Key>,
    reading: Vec<Key>,
    numbers: u32,
    told: VecDeque<Sighting>,
}

#[derive(Debug)]
struct Found {
    present: Present,
    /// The reading, and when it was begun.
    reading: Option<(Reading, Duration)>,
}

impl Search {
    pub(in crate::family) fn new(plan: &SurveyPlan) -> Self {
        Self {
            plan: plan.clone(),
            searches: SEARCH_AT.into(),
            messages: 0,
            found: BTreeMap::new(),
            waiting: VecDeque::new(),
            reading: Vec::new(),
            numbers: 0,
            told: VecDeque::new(),
        }
    }

    fn consider(&mut self, now: Duration, key: Key, present: &Present) {
        if self.found.contains_key(&key) || self.found.len() >= MOST {
            return;
        }
        self.found.insert(key, Found { present: present.clone(), reading: None });
        self.tell(now, key);
        if self.plan.may_connect(key.0, key.1) {
            self.waiting.push_back(key);
        }
    }

    /// Begins to read those whose turn it is.
    fn begin_some(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        while self.reading.len() < AT_ONCE
            && let Some(key) = self.waiting.pop_front()
        {
            let Some(found) = self.found.get_mut(&key) else { continue };
            self.numbers += 1;
            let login = self.plan.vantage.secrets.of(Way::Onvif, key.1, key.0).cloned();
            let place = found.present.service(key.0);
            let seed = self.numbers.wrapping_mul(0x9e37_79b9);
            let mut reading = Reading::new(Caller::new(place, login, seed, ANSWER_TIME));
            reading.work(now, out);
            found.reading = Some((reading, now));
            self.reading.push(key);
        }
    }

    /// Tells those that are read to the end, and reads on.
    fn go_on(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        let is_over = |found: &Found| found.reading.as_ref().is_none_or(|(reading, _)| reading.is_over());
        let is_done = |key: &Key| self.found.get(key).is_none_or(is_over);
        let (done, going): (Vec<Key>, Vec<Key>) = self.reading.iter().partition(|key| is_done(key));
        self.reading = going;
        for key in done {
            self.tell(now, key);
        }
        self.begin_some(now, out);
    }

    /// Those under way.
    fn readings(&self) -> impl Iterator<Item = &(Reading, Duration)> {
        self.reading.iter().filter_map(|key| self.found.get(key)?.reading.as_ref())
    }

    fn tell(&mut self, now: Duration, key: Key) {
        let Some(found) = self.found.get(&key) else { return };
        let (address, seen) = key;
        let reading = found.reading.as_ref().map(|(reading, _)| reading);
        let mut facts = reading.map_or_else(|| Facts::able(&FIELDS), |reading| reading.facts.clone());
        let stated = reading.and_then(Reading::mac);
        if facts.get(Field::Name).is_none() {
            learn_scopes(&mut facts, &found.present.scopes);
        }
        let mac = seen.or(stated);
        let what = in_words(&facts);
        let mut unit = Unit::of_address(Way::Onvif, address, mac, &what, facts);
        unit.handle = handle(&found.present.service(address));
        if !found.present.endpoint.is_empty() {
            unit.identity = found.present.endpoint.as_str().into();
        }
        self.told.push_back(Sighting::of_unit(now, unit));
    }
}

impl Asker for Search {
    fn begin(&mut self, out: &mut Vec<Outgoing>) {
        // Those that come say so to the group.
        join(self.plan.vantage.seats.len(), GROUP, PORT, out);
    }

    fn hear(&mut self, now: Duration, sighting: &Sighting, _: &News, out: &mut Vec<Outgoing>) {
        let Told::Spoke { family: Way::Onvif, bytes, .. } = &sighting.told else { return };
        let Ok(Discovery::Present(all)) = Discovery::parse(bytes) else { return };
        // Whoever answers for others is no camera.
        let Some(present) = all.iter().find(|one| one.is_onvif()) else { return };
        self.consider(now, (sighting.from, sighting.mac), present);
        self.begin_some(now, out);
    }

    fn hear_page(
        &mut self,
        now: Duration,
        link: LinkId,
        page: Result<&Response, LinkEnd>,
        out: &mut Vec<Outgoing>,
    ) {
        if link.family != Way::Onvif {
            return;
        }
        for key in &self.reading {
            if let Some((reading, _)) = self.found.get_mut(key).and_then(|found| found.reading.as_mut()) {
                reading.hear(now, link, page, out);
            }
        }
        self.go_on(now, out);
    }

    fn next_at(&self) -> Option<Duration> {
        let late = self.readings().filter_map(|(reading, _)| reading.next_at());
        late.chain(self.searches.front().copied()).min()
    }

    fn ask(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        while self.searches.front().is_some_and(|at| *at <= now) {
            self.searches.pop_front();
            search(&self.plan.vantage, &mut self.messages, out);
            if self.plan.is_endless() && self.searches.is_empty() {
                self.searches.push_back(now + AGAIN);
                // Everybody who answers now is read anew; who is being read is read to the end.
                self.found.retain(|key, _| self.reading.contains(key) || self.waiting.contains(key));
            }
        }
        for key in &self.reading {
            if let Some((reading, _)) = self.found.get_mut(key).and_then(|found| found.reading.as_mut()) {
                reading.work(now, out);
            }
        }
        self.go_on(now, out);
    }

    fn waits(&self) -> bool {
        !self.reading.is_empty() || !self.waiting.is_empty()
    }

    fn busy_until(&self) -> Option<Duration> {
        let going = self.readings().filter(|(reading, _)| reading.is_heard());
        going.filter_map(|(reading, since)| Some(reading.next_at()?.min(*since + MOST_READING))).max()
    }

    fn next_sighting(&mut self) -> Option<Sighting> {
        self.told.pop_front()
    }
}

/// A device in a line.
fn in_words(facts: &Facts) -> String {
    let told = |field: Field| facts.get(field).map(|value| field.in_words(value)).filter(|text| text != "(empty)");
    let model: Vec<String> = [Field::Maker, Field::Model].into_iter().filter_map(told).collect();
    let title = format!("ONVIF {}", model.join(" ")).trim_end().to_owned();
    let place = told(Field::Location).filter(|place| !place.is_empty());
    let access = told(Field::Access).filter(|access| access != "open");
    [Some(title), place, access].into_iter().flatten().collect::<Vec<_>>().join(", ")
}
