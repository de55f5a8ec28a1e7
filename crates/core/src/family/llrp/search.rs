//! Its part in a survey: probes range by range, and reads whoever is found.

use std::collections::{BTreeMap, VecDeque};
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::llrp::{Component, Content, Message, ProbeReply};
use lantern_wire::sacn::Cid;

use super::line::{Line, Target};
use super::ranges::Ranges;
use super::reading::Reading;
use super::{Asker, FIELDS};
use crate::census::{News, Sighting, Told, Unit, Way};
use crate::conversation::{Deadlines, Outgoing, SurveyPlan};
use crate::facts::Facts;

/// A target waits up to a second and a half at random before it answers (section 5.3); whoever probes waits two seconds.
const WAIT: Duration = Duration::from_secs(2);
/// A survey of three seconds has room for a second question only when that comes early; whoever answers late answers twice.
const FIRST_WAIT: Duration = Duration::from_millis(1200);
/// How often a watch without an end looks again, once everybody was found.
const AGAIN: Duration = Duration::from_secs(10);
/// How far apart questions to single targets are: every one goes to all of them.
const ASK_EVERY: Duration = Duration::from_millis(2);
/// The most targets read; a network has hundreds.
const MOST_READ: usize = 4096;

/// Probes for targets, range by range, and reads them.
#[derive(Debug)]
pub(in crate::family) struct Search {
    line: Line,
    asks: bool,
    plan: SurveyPlan,
    ranges: Ranges,
    probe_at: Duration,
    ask_at: Duration,
    found: BTreeMap<Key, Found>,
    /// Those of each component identifier: several may bear one.
    of_cid: BTreeMap<Cid, Vec<Key>>,
    /// When each is to be read on.
    due: Deadlines<Key>,
    told: VecDeque<Sighting>,
}

/// What tells one target from another.
type Key = (Target, Option<MacAddress>);

/// A target that was found.
#[derive(Debug)]
struct Found {
    /// What it is, as far as a probe tells.
    title: String,
    unit: Unit,
    reading: Option<Reading>,
}

impl Search {
    pub(in crate::family) fn new(plan: &SurveyPlan) -> Self {
        Self {
            line: Line::from(&plan.vantage),
            asks: !plan.is_passive(),
            plan: plan.clone(),
            ranges: Ranges::default(),
            probe_at: Duration::ZERO,
            ask_at: Duration::ZERO,
            found: BTreeMap::new(),
            of_cid: BTreeMap::new(),
            due: Deadlines::default(),
            told: VecDeque::new(),
        }
    }

    /// Somebody answered a probe.
    fn hear_reply(&mut self, now: Duration, message: &Message, reply: ProbeReply, sighting: &Sighting) {
        self.ranges.found(reply.uid);
        let target = Target { uid: reply.uid, cid: message.from };
        let (mac, address) = sighting.holder();
        if let Some(found) = self.found.get_mut(&(target, mac)) {
            found.unit.address = address;
            return self.tell(now, target, mac);
        }
        if self.found.len() >= MOST_READ {
            return;
        }
        let is_locked = self.plan.sheet.as_ref().is_some_and(|sheet| sheet.is_locked(address, mac));
        let reads = self.asks && !is_locked && reply.component == Component::DEVICE;
        // Where it is about some devices only, there is time for more.
        let is_about_some = !self.plan.concern.is_everybody();
        let reading = reads.then(|| Reading::new(now, target, mac.unwrap_or(reply.mac)));
        let reading = reading.map(|reading| if is_about_some { reading.with_names() } else { reading });
        let sort =
            if reply.component == Component::DEVICE { String::new() } else { format!("{} ", reply.component) };
        let title = format!("LLRP {sort}{}", reply.uid);
        let unit = Unit {
            family: Way::Llrp,
            identity: reply.uid.to_string().as_str().into(),
            handle: target.cid.to_string(),
            what: title.as_str().into(),
            address,
            mac,
            facts: Facts::able(&FIELDS),
        };
        self.due.set((target, mac), reading.as_ref().and_then(Reading::next_at));
        self.of_cid.entry(target.cid).or_default().push((target, mac));
        self.found.insert((target, mac), Found { title, unit, reading });
        self.tell(now, target, mac);
    }

    /// A target answered a question.
    fn hear_answer(&mut self, now: Duration, message: &Message, sighting: &Sighting) {
        let mut news = Vec::new();
        // Where frames are seen, they tell two of one identifier apart.
        let spoke = |(_, mac): &&Key| sighting.mac.is_none() || sighting.mac == *mac;
        for (target, mac) in self.of_cid.get(&message.from).into_iter().flatten().filter(spoke) {
            let Some(found) = self.found.get_mut(&(*target, *mac)) else { continue };
            let Some(reading) = found.reading.as_mut() else { continue };
            reading.hear(now, message);
            self.due.set((*target, *mac), reading.next_at());
            found.unit.facts = reading.facts.clone();
            found.unit.what = format!("{} {}", found.title, reading.what()).trim_end().into();
            found.unit.address = sighting.from;
            news.push((*target, *mac));
        }
        for (target, mac) in news {
            self.tell(now, target, mac);
        }
    }

    fn tell(&mut self, now: Duration, target: Target, mac: Option<MacAddress>) {
        if let Some(found) = self.found.get(&(target, mac)) {
            let told = Told::Unit(Box::new(found.unit.clone()));
            self.told.push_back(Sighting { mac, ..Sighting::plain(now, found.unit.address, told) });
        }
    }

    fn next_reading(&self) -> Option<Duration> {
        self.due.first().map(|(at, _)| at.max(self.ask_at))
    }

    fn probe(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        let questions = self.ranges.next();
        if questions.is_empty() {
            self.ranges.again();
            self.probe_at = now + AGAIN;
            return;
        }
        self.probe_at = now + if self.line.spoken() == 0 { FIRST_WAIT } else { WAIT };
        for (lowest, highest, known) in questions {
            self.line.probe(lowest, highest, known, out);
        }
    }
}

impl Asker for Search {
    fn begin(&mut self, out: &mut Vec<Outgoing>) {
        if self.asks {
            self.line.join(out);
        }
    }

    fn hear(&mut self, now: Duration, sighting: &Sighting, _: &News, _: &mut Vec<Outgoing>) {
        let Told::Spoke { family: Way::Llrp, bytes, .. } = &sighting.told else { return };
        let Ok(message) = Message::parse(bytes) else { return };
        match &message.content {
            Content::Reply(reply) => self.hear_reply(now, &message, *reply, sighting),
            Content::Rdm(_) => self.hear_answer(now, &message, sighting),
            Content::Probe(_) => {}
        }
    }

    fn next_at(&self) -> Option<Duration> {
        let next = self.next_reading().map_or(self.probe_at, |at| at.min(self.probe_at));
        self.asks.then_some(next)
    }

    fn ask(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        if self.probe_at <= now {
            self.probe(now, out);
        }
        if self.ask_at > now {
            return;
        }
        let Some((_, whom)) = self.due.first().filter(|(at, _)| *at <= now) else { return };
        let Some(reading) = self.found.get_mut(&whom).and_then(|found| found.reading.as_mut()) else { return };
        reading.ask(now, &mut self.line, out);
        self.due.set(whom, reading.next_at());
        self.ask_at = now + ASK_EVERY;
    }

    fn waits(&self) -> bool {
        self.next_reading().is_some()
    }

    fn next_sighting(&mut self) -> Option<Sighting> {
        self.told.pop_front()
    }
}
