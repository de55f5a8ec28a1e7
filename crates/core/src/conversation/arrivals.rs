//! Arrivals: who comes next, and who comes back.
//!
//! A survey without an end, of which only the news are told. Who is heard for the first time is new only when it would have
//! been heard before, had it been here: some tell of themselves seldom.

use std::collections::HashMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;

use super::{Conversation, Extent, Glimpse, Heard, Outgoing, Survey, SurveyEvent, SurveyPlan};
use crate::census::{Device, Standing};

/// How long it is looked who is there already: every answer is due by then.
const BASELINE: Duration = Duration::from_millis(3000);
/// What somebody is, is told when nothing of it is open any more, or after so long at the latest.
const GETTING_KNOWN: Duration = Duration::from_millis(1300);
/// How often it is looked whether more is known.
const LOOK_EVERY: Duration = Duration::from_millis(100);

/// News of one device.
#[derive(Debug, Clone)]
pub struct Arrival {
    /// The how-manieth it is, from 1; 0 for one that may have been here all along.
    pub number: u32,
    /// What is new.
    pub kind: ArrivalKind,
}

/// What is new of a device.
#[derive(Debug, Clone)]
pub enum ArrivalKind {
    /// It came, and this is the first that was heard.
    Came(Glimpse),
    /// It was heard for the first time, but tells of itself so seldom that it may have been here all along.
    Heard(Glimpse),
    /// It was here before, was away for so long, and is back.
    Back(Glimpse, Duration),
    /// What it turned out to be.
    Known(Box<Device>),
}

/// The conversation. It ends when so many have come, or after a time, or never.
#[derive(Debug)]
pub struct Arrivals {
    survey: Survey,
    until: Option<u32>,
    timeout: Option<Duration>,
    came: u32,
    /// When the last one came.
    last: Duration,
    /// Who came, and of whom it is still to be told what it is: the number and when.
    unknown: HashMap<(Option<MacAddress>, Ipv4Addr), (u32, Duration)>,
    known: Vec<Arrival>,
    look_at: Duration,
    over: bool,
}

impl Arrivals {
    /// Waits with a survey of this plan, until so many have come and for so long at most, where that is wanted.
    #[must_use]
    pub fn new(plan: SurveyPlan, until: Option<u32>, timeout: Option<Duration>) -> Self {
        Self {
            survey: Survey::new(SurveyPlan { extent: Extent::Endless, ..plan }),
            until,
            timeout,
            came: 0,
            last: Duration::ZERO,
            unknown: HashMap::new(),
            known: Vec::new(),
            look_at: BASELINE,
            over: false,
        }
    }

    /// How many came, or came back.
    #[must_use]
    pub const fn came(&self) -> u32 {
        self.came
    }

    /// How many devices are known.
    #[must_use]
    pub fn seen(&self, now: Duration) -> usize {
        self.survey.progress(now).seen
    }

    /// Whether it is still looked who is there already.
    #[must_use]
    pub fn is_looking(&self, now: Duration) -> bool {
        now < BASELINE
    }

    /// How long it goes on; `None` when it has no end.
    #[must_use]
    pub fn left(&self, now: Duration) -> Option<Duration> {
        self.timeout.map(|time| time.saturating_sub(now))
    }

    fn has_all(&self) -> bool {
        self.until.is_some_and(|wanted| self.came >= wanted)
    }

    /// The news in an event of the survey.
    fn news(&mut self, event: SurveyEvent) -> Option<Arrival> {
        let (glimpse, away) = match event {
            SurveyEvent::Seen(glimpse) if glimpse.at < BASELINE => return None,
            SurveyEvent::Seen(glimpse) if glimpse.at < glimpse.way.rhythm().unwrap_or(BASELINE) => {
                return Some(Arrival { number: 0, kind: ArrivalKind::Heard(glimpse) });
            }
            SurveyEvent::Seen(glimpse) => (glimpse, None),
            SurveyEvent::Back(glimpse, away) if glimpse.at >= BASELINE => (glimpse, Some(away)),
            _ => return None,
        };
        if self.has_all() {
            return None;
        }
        self.came += 1;
        self.last = glimpse.at;
        self.unknown.insert((glimpse.mac, glimpse.address), (self.came, glimpse.at));
        let kind = away.map_or(ArrivalKind::Came(glimpse.clone()), |away| ArrivalKind::Back(glimpse, away));
        Some(Arrival { number: self.came, kind })
    }

    /// Tells what those who came are, once nothing of it is open any more.
    fn look(&mut self, now: Duration) {
        if self.unknown.is_empty() {
            return;
        }
        for device in self.survey.census().devices(&self.survey.viewpoint()) {
            let is = |(mac, address): &(Option<MacAddress>, Ipv4Addr)| match (mac, device.mac) {
                (Some(came), Some(mac)) => *came == mac,
                _ => device.address == Some(*address),
            };
            let found = self.unknown.iter().find(|(key, _)| is(key)).map(|(key, came)| (*key, *came));
            let Some((key, (number, came_at))) = found else { continue };
            let stands = matches!(device.standing, Standing::Answers | Standing::OtherSubnet);
            let is_known = stands && !device.what.is_empty() && !device.name.is_empty();
            if is_known || now >= came_at + GETTING_KNOWN || self.over {
                self.unknown.remove(&key);
                self.known.push(Arrival { number, kind: ArrivalKind::Known(Box::new(device)) });
            }
        }
        self.known.sort_by_key(|known| std::cmp::Reverse(known.number));
    }
}

impl Conversation for Arrivals {
    type Event = Arrival;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        self.survey.hear(now, heard);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.survey.next_send()
    }

    fn wake_at(&self) -> Option<Duration> {
        if self.over {
            return None;
        }
        let ends = self.has_all().then(|| self.last + GETTING_KNOWN);
        let looks = (!self.unknown.is_empty()).then_some(self.look_at);
        self.survey.wake_at().into_iter().chain(self.timeout).chain(ends).chain(looks).min()
    }

    fn wake(&mut self, now: Duration) {
        let has_told = self.has_all() && self.last + GETTING_KNOWN <= now;
        self.over = has_told || self.timeout.is_some_and(|timeout| timeout <= now);
        self.survey.wake(now);
        if self.look_at <= now || self.over {
            self.look_at = now + LOOK_EVERY;
            self.look(now);
        }
    }

    fn next_event(&mut self) -> Option<Arrival> {
        while let Some(event) = self.survey.next_event() {
            if let Some(news) = self.news(event) {
                return Some(news);
            }
        }
        self.known.pop()
    }
}
