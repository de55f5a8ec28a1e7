//! The fixtures that are watched: whether each still answers, and how it is.

use std::collections::{BTreeMap, BTreeSet};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::rdm::Uid;

use super::{Counter, Happening, News};
use crate::Said;
use crate::census::{Behind, FoundFixture, HowBad, Sensor};
use crate::conversation::shifts;
use crate::facts::{Field, Value};

/// What of a fixture is a setting.
const SETTINGS: [Field; 3] = [Field::Label, Field::StartAddress, Field::Mode];

/// A fixture that is watched.
#[derive(Debug, Clone)]
pub struct WatchedFixture {
    /// Its identifier.
    pub uid: Uid,
    /// Its cable.
    pub behind: Behind,
    /// What it calls itself, or its identifier.
    pub title: String,
    /// Whether it answers; `None` before it was asked.
    pub answers: Option<bool>,
    /// Since when.
    pub since: Duration,
    /// The names of its sensors that are out of their limits.
    pub out_of_range: BTreeSet<String>,
    /// What it reports, by the number of the report.
    pub reports: BTreeMap<u16, Said>,
    /// What it measures.
    pub sensors: Vec<Sensor>,
    /// How many hours it was on.
    pub hours: Option<u32>,
    /// How many damaged messages it counted on its cable.
    pub damaged: Counter,
    told: Vec<(Field, Value)>,
    /// Since when it answers nothing although its gateway does.
    missed_since: Option<Duration>,
}

impl WatchedFixture {
    /// Whether somebody should look at it.
    #[must_use]
    pub fn is_bad(&self) -> bool {
        self.answers == Some(false) || !self.out_of_range.is_empty() || !self.reports.is_empty()
    }
}

/// All of them.
#[derive(Debug, Clone, Default)]
pub(super) struct Fixtures {
    all: BTreeMap<(Behind, Uid), WatchedFixture>,
    patience: Duration,
}

impl Fixtures {
    /// The most that are watched.
    const MOST: usize = 16_384;

    /// None yet; one is silent when it has answered nothing for so long, in which it was asked at least once.
    pub(super) fn new(patience: Duration) -> Self {
        Self { patience, ..Self::default() }
    }

    pub(super) fn all(&self) -> impl Iterator<Item = &WatchedFixture> {
        self.all.values()
    }

    /// Takes in what fixtures tell by now. Behind a gateway that is silent itself nobody answers, which says nothing of them.
    pub(super) fn learn(
        &mut self,
        now: Duration,
        told: &[FoundFixture],
        is_silent: impl Fn(Ipv4Addr) -> bool,
    ) -> Vec<Happening> {
        let mut all = Vec::new();
        for fixture in told {
            let key = (fixture.behind, fixture.uid);
            if self.all.len() >= Self::MOST && !self.all.contains_key(&key) {
                continue;
            }
            let patience = self.patience;
            let one = self.all.entry(key).or_insert_with(|| WatchedFixture::new(now, fixture));
            let mut news = Vec::new();
            if fixture.answers() {
                one.answered(now, fixture, &mut news);
            } else {
                let is_excused = is_silent(fixture.behind.address);
                news.extend(one.missed(now, is_excused, patience));
            }
            all.extend(news.into_iter().map(|news| Happening { at: now, who: one.title.clone(), news }));
        }
        all
    }
}

impl WatchedFixture {
    fn new(now: Duration, fixture: &FoundFixture) -> Self {
        Self {
            uid: fixture.uid,
            behind: fixture.behind,
            title: fixture.title(),
            answers: None,
            since: now,
            out_of_range: BTreeSet::new(),
            reports: BTreeMap::new(),
            sensors: Vec::new(),
            hours: None,
            damaged: Counter::default(),
            told: Vec::new(),
            missed_since: None,
        }
    }

    /// It answered nothing when it was asked last. One that never did was only counted.
    fn missed(&mut self, now: Duration, is_excused: bool, patience: Duration) -> Option<News> {
        if is_excused || self.answers != Some(true) {
            self.missed_since = None;
            return None;
        }
        let since = *self.missed_since.get_or_insert(now);
        (now >= since + patience).then(|| {
            (self.answers, self.since) = (Some(false), now);
            News::Silent
        })
    }

    fn answered(&mut self, now: Duration, fixture: &FoundFixture, news: &mut Vec<News>) {
        self.missed_since = None;
        if self.answers == Some(false) {
            news.push(News::Back(now.saturating_sub(self.since)));
        }
        if self.answers != Some(true) {
            (self.answers, self.since) = (Some(true), now);
        }
        self.title = fixture.title();
        let settings = fixture.facts.told().filter(|(field, _)| SETTINGS.contains(field));
        let told: Vec<(Field, Value)> = settings.map(|(field, value)| (field, value.clone())).collect();
        news.extend(shifts(&self.told, &told, &[]).into_iter().map(News::Changed));
        self.told = told;
        self.take_health(now, fixture, news);
    }

    fn take_health(&mut self, now: Duration, fixture: &FoundFixture, news: &mut Vec<News>) {
        let health = &fixture.health;
        (self.sensors, self.hours) = (health.sensors.clone(), health.hours);
        let before = self.damaged.value();
        if let Some(line) = health.line {
            let sum = u64::from(line.sum());
            self.damaged.read(now, sum);
            if let Some(before) = before.filter(|before| *before < sum) {
                news.push(News::LineGrows(before, sum));
            }
        }
        for sensor in &health.sensors {
            let name = sensor.name.to_string();
            match (sensor.is_normal(), self.out_of_range.contains(&name)) {
                (false, false) => {
                    news.push(News::Trouble(Said::from(sensor.to_string().as_str()), sensor.normal_in_words()));
                    self.out_of_range.insert(name);
                }
                (true, true) => {
                    news.push(News::InOrder(Said::from(sensor.to_string().as_str())));
                    self.out_of_range.remove(&name);
                }
                _ => {}
            }
        }
        // Most units report a thing once: it stays until they say that it is over.
        for report in &health.reports {
            let words = Said::from(report.to_string().as_str());
            match report.how_bad {
                HowBad::Note => {}
                HowBad::Over => {
                    let was_known = self.reports.remove(&report.code).is_some();
                    news.extend(was_known.then_some(News::InOrder(words)));
                }
                HowBad::Warning | HowBad::Error => {
                    if self.reports.insert(report.code, words.clone()).is_none() {
                        news.push(News::Trouble(words, String::new()));
                    }
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::census::{FixtureReport, Health, Line};
    use crate::facts::Facts;
    use crate::universe::PortAddress;

    const GATEWAY: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 100);

    fn fixture(degrees: i16, reports: &[(HowBad, u16)], damaged: u16) -> FoundFixture {
        let mut facts = Facts::default();
        facts.learn(Field::Label, Value::Text("mast-wash-1".into()));
        facts.learn(Field::StartAddress, Value::Count(1));
        let universe = PortAddress::new(0).unwrap();
        let sensor = Sensor {
            name: "head".into(),
            quantity: "temperature".to_owned(),
            unit: "°C".to_owned(),
            now: degrees,
            extremes: None,
            normal: [None, Some(80)],
        };
        let reports =
            reports.iter().map(|(how_bad, code)| FixtureReport { how_bad: *how_bad, code: *code, values: [0, 0] });
        FoundFixture {
            uid: Uid([0x7f, 0xf0, 0, 0, 0, 1]),
            behind: Behind { address: GATEWAY, mac: None, page: 1, slot: 0, universe },
            facts,
            health: Health {
                sensors: vec![sensor],
                reports: reports.collect(),
                line: Some(Line { short: 0, mismatched: 0, damaged }),
                ..Health::default()
            },
        }
    }

    fn silent() -> FoundFixture {
        FoundFixture { facts: Facts::able(&SETTINGS), health: Health::default(), ..fixture(20, &[], 0) }
    }

    /// What is told of one fixture that is read again and again.
    fn told(readings: &[(FoundFixture, bool)]) -> Vec<String> {
        let mut fixtures = Fixtures::new(Duration::from_secs(90));
        let each = (0..).zip(readings).map(|(minute, (reading, is_gateway_silent))| {
            let now = Duration::from_secs(60 * minute);
            let news = fixtures.learn(now, std::slice::from_ref(reading), |_| *is_gateway_silent);
            news.iter().map(|one| one.news.to_string()).collect::<Vec<_>>().join("; ")
        });
        each.collect()
    }

    #[test]
    fn what_leaves_its_limits_and_comes_back_is_told_once() {
        let readings = [40, 85, 90, 70].map(|degrees| (fixture(degrees, &[], 0), false));
        assert_eq!(told(&readings), ["", "head 85 °C; in order is up to 80", "", "in order again: head 70 °C"]);
    }

    #[test]
    fn a_report_stays_until_it_is_over() {
        let readings = [
            (fixture(40, &[(HowBad::Error, 0x11)], 0), false),
            (fixture(40, &[], 0), false),
            (fixture(40, &[(HowBad::Error, 0x11)], 0), false),
            (fixture(40, &[(HowBad::Over, 0x11)], 0), false),
        ];
        assert_eq!(
            told(&readings),
            ["the lamp has gone out", "", "", "in order again: the lamp has gone out, over"]
        );
    }

    #[test]
    fn damaged_messages_are_told_while_they_grow() {
        let readings = [7, 7, 12].map(|damaged| (fixture(40, &[], damaged), false));
        assert_eq!(told(&readings), ["", "", "damaged messages on its cable: 7 → 12"]);
    }

    #[test]
    fn one_that_is_silent_is_told_unless_its_gateway_is() {
        let here = || (fixture(40, &[], 0), false);
        let gone = |is_gateway_silent| (silent(), is_gateway_silent);
        let back = "back after 60 s; desks that were on before may have to find it again";
        let all = [gone(false), gone(false), here(), gone(false), gone(false), gone(false), here()];
        assert_eq!(told(&all), ["", "", "", "", "", "silent", back], "one that never answered was not asked");
        let all = [here(), gone(true), gone(true), gone(true), gone(false), here()];
        assert_eq!(told(&all), [""; 6], "what it did not answer while its gateway was off says nothing");
        let moved = |start| {
            let mut moved = fixture(40, &[], 0);
            moved.facts.learn(Field::StartAddress, Value::Count(start));
            (moved, false)
        };
        assert_eq!(told(&[moved(1), moved(29)]), ["", "start address: 1 → 29"]);
    }
}
