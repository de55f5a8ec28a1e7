//! Lines of text: of planned devices whose kind has lines that a check asks, each is asked, and its answer held against what is right.

use std::collections::{BTreeMap, BTreeSet};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::MacAddress;

use super::Asker;
use crate::Said;
use crate::census::{News, Sighting, Unit, Way};
use crate::conversation::{
    Conversation, Heard, LinkId, LinkNews, Outgoing, SayLine, SayPlan, SayResult, Saying, SurveyPlan,
};
use crate::facts::{Facts, Field, Value};
use crate::sheet::SheetNode;
use crate::sheet::kind::{CarriedBy, NamedLine};

/// How long an answer is waited for.
const ANSWER_TIME: Duration = Duration::from_millis(1500);
/// The most devices asked at a time.
const AT_ONCE: usize = 16;

/// Asks planned devices what their kinds say.
#[derive(Debug)]
pub(super) struct Questions {
    plan: SurveyPlan,
    /// Those that are to be asked: by MAC address where the sheet has that, else by address.
    meant: Vec<Meant>,
    seen: BTreeSet<(usize, Ipv4Addr)>,
    waiting: Vec<(usize, Ipv4Addr, Option<MacAddress>)>,
    under_way: BTreeMap<u32, UnderWay>,
    numbers: u32,
    told: Vec<Sighting>,
}

#[derive(Debug)]
struct Meant {
    /// What the sheet calls it.
    name: String,
    mac: Option<MacAddress>,
    address: Option<Ipv4Addr>,
    port: u16,
    plan: SayPlan,
    lines: Vec<NamedLine>,
}

#[derive(Debug)]
struct UnderWay {
    meant: usize,
    address: Ipv4Addr,
    mac: Option<MacAddress>,
    since: Duration,
    saying: Saying,
}

impl Questions {
    pub(super) fn new(plan: &SurveyPlan) -> Self {
        let nodes = plan.sheet.iter().flat_map(|sheet| &sheet.nodes);
        let meant = nodes.filter_map(|node| Meant::of(plan, node)).collect();
        Self {
            plan: plan.clone(),
            meant,
            seen: BTreeSet::new(),
            waiting: Vec::new(),
            under_way: BTreeMap::new(),
            numbers: 0,
            told: Vec::new(),
        }
    }

    fn begin_some(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        while self.under_way.len() < AT_ONCE
            && let Some((meant, address, mac)) = self.waiting.pop()
        {
            let of = &self.meant[meant];
            self.numbers += 1;
            let plan =
                SayPlan { to: SocketAddrV4::new(address, of.port), number: self.numbers, ..of.plan.clone() };
            let saying = Saying::new(plan, self.plan.vantage.clone());
            self.under_way.insert(self.numbers, UnderWay { meant, address, mac, since: now, saying });
        }
        self.collect(now, out);
    }

    /// Takes out what they send, and tells of those that are over.
    fn collect(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        let mut over = Vec::new();
        for (number, one) in &mut self.under_way {
            while one.saying.next_event().is_some() {}
            while let Some(outgoing) = one.saying.next_send() {
                out.push(outgoing);
            }
            if one.saying.wake_at().is_none() {
                over.push(*number);
            }
        }
        for number in over {
            if let Some(one) = self.under_way.remove(&number) {
                self.told.extend(self.meant[one.meant].told(now, &one));
            }
        }
        if !self.waiting.is_empty() && self.under_way.len() < AT_ONCE {
            self.begin_some(now, out);
        }
    }
}

impl Meant {
    fn of(plan: &SurveyPlan, node: &SheetNode) -> Option<Self> {
        let kind = plan.sheet.as_ref()?.kind_of(node)?;
        // A datagram's answer is nobody's in particular.
        let speech = kind.speech.filter(|speech| speech.by != CarriedBy::Udp)?;
        let lines: Vec<NamedLine> = kind.lines.iter().filter(|line| line.is_checked).cloned().collect();
        let say = |line: &NamedLine| SayLine { text: line.say.clone(), right: line.right.clone() };
        let to = SocketAddrV4::new(Ipv4Addr::UNSPECIFIED, speech.port);
        let said = lines.iter().map(say).collect();
        (!lines.is_empty()).then(|| Self {
            name: node.name.value.clone(),
            mac: node.mac.as_ref().map(|mac| mac.value),
            address: node.fixed_address(),
            port: speech.port,
            plan: SayPlan {
                to,
                by: speech.by,
                ends: speech.ends,
                wait: ANSWER_TIME,
                lines: said,
                stays: false,
                number: 0,
            },
            lines,
        })
    }

    fn is(&self, address: Ipv4Addr, mac: Option<MacAddress>) -> bool {
        match (self.mac, mac) {
            (Some(own), Some(mac)) => own == mac,
            _ => self.address == Some(address),
        }
    }

    /// What it answered; nothing for one that takes no lines.
    fn told(&self, now: Duration, one: &UnderWay) -> Option<Sighting> {
        let (mut fine, mut faults) = (Vec::new(), Vec::new());
        for (line, result) in self.lines.iter().zip(one.saying.results()) {
            match result {
                SayResult::Answered(answer) => fine.push(format!("{} {}", line.name, answer.raw())),
                SayResult::Wrong(answer) => {
                    let right = line.right.as_ref().map(ToString::to_string).unwrap_or_default();
                    faults.push(format!("{} is answered {}, right is {right}", line.name, answer.raw()));
                }
                SayResult::Unanswered | SayResult::Lost(_) => {
                    faults.push(format!("{} is not answered", line.name));
                }
            }
        }
        let is_there = one.saying.results().iter().any(|result| !matches!(result, SayResult::Lost(_)));
        let mut facts = Facts::able(&[Field::Faults]);
        let told = if faults.is_empty() { "none".to_owned() } else { faults.join("; ") };
        facts.learn(Field::Faults, Value::Text(Said::from(told.as_str())));
        let what = format!("text lines: {}", [fine, faults].concat().join(", "));
        let mut unit = Unit::of_address(Way::Lines, one.address, one.mac, &what, facts);
        unit.identity = self.name.as_str().into();
        is_there.then(|| Sighting::of_unit(now, unit))
    }
}

impl Asker for Questions {
    fn hear(&mut self, now: Duration, sighting: &Sighting, _: &News, out: &mut Vec<Outgoing>) {
        let (mac, address) = sighting.standing();
        if self.meant.is_empty() || !self.plan.may_connect(address, mac) {
            return;
        }
        for (place, meant) in self.meant.iter().enumerate() {
            if meant.is(address, mac) && self.seen.insert((place, address)) {
                self.waiting.push((place, address, mac));
            }
        }
        self.begin_some(now, out);
    }

    fn hear_link(&mut self, now: Duration, link: LinkId, news: LinkNews<'_>, out: &mut Vec<Outgoing>) {
        if link.family != Way::Lines {
            return;
        }
        if let Some(one) = self.under_way.get_mut(&link.number) {
            one.saying.hear(now.saturating_sub(one.since), &Heard::Link(link, news));
        }
        self.collect(now, out);
    }

    fn next_at(&self) -> Option<Duration> {
        let wakes =
            self.under_way.values().filter_map(|one| Some(one.since.saturating_add(one.saying.wake_at()?)));
        wakes.min()
    }

    fn ask(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        for one in self.under_way.values_mut() {
            let own = now.saturating_sub(one.since);
            if one.saying.wake_at().is_some_and(|at| at <= own) {
                one.saying.wake(own);
            }
        }
        self.collect(now, out);
    }

    fn waits(&self) -> bool {
        !self.under_way.is_empty() || !self.waiting.is_empty()
    }

    fn busy_until(&self) -> Option<Duration> {
        // What answers is asked to the end; each question has its time.
        let end = |one: &UnderWay| {
            one.since + ANSWER_TIME * u32::try_from(self.meant[one.meant].lines.len() + 1).unwrap_or(1)
        };
        self.under_way.values().filter(|one| !one.saying.results().is_empty()).map(end).max()
    }

    fn next_sighting(&mut self) -> Option<Sighting> {
        self.told.pop()
    }
}
