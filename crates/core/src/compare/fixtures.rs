//! Fixtures of the sheet, held against what hangs on the cables of the gateways.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fmt;

use lantern_wire::rdm::Uid;

use super::health::{Trouble, troubles};
use super::tables::{self, Tables, Untold};
use super::{Match, Matching};
use crate::Direction;
use crate::census::{Census, FoundFixture, FoundNode};
use crate::compare::Verdict;
use crate::facts::{Difference, Field, Known, Value};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{Fixture, RigSheet, SheetNode};
use crate::universe::{PortAddress, Universe};

pub(crate) static RULES: &[&Rule] = &[&MISSING, &DIFFERENT, &UNEXPECTED, &OTHER_FOOTPRINT, &tables::UNTOLD];

static MISSING: Rule = Rule {
    code: "R017",
    severity: Severity::Error,
    title: "a fixture of the sheet does not answer",
    why: "it has no power, hangs on no cable, or something on the way eats RDM; a look at it says which",
};
static DIFFERENT: Rule = Rule {
    code: "R018",
    severity: Severity::Error,
    title: "a fixture is set otherwise than planned",
    why: "the desk sends what is meant for another place or another mode, and the fixture does what it takes it for",
};
static UNEXPECTED: Rule = Rule {
    code: "R019",
    severity: Severity::Warning,
    title: "a fixture that is not on the sheet",
    why: "it may take slots that the sheet gives to another",
};

static OTHER_FOOTPRINT: Rule = Rule {
    code: "R024",
    severity: Severity::Error,
    title: "a mode that takes another number of slots than the sheet says",
    why: "the fixture is in the mode that is planned, so the sheet is wrong, and all that is planned behind it",
};

/// One fixture of the sheet, of a row each by itself, and what became of it.
#[derive(Debug, Clone)]
pub struct FixtureRow<'a> {
    /// As planned.
    pub planned: &'a Fixture,
    /// Which of its row, from 0.
    pub nth: u32,
    /// Its name, with its number where it stands in a row.
    pub name: String,
    /// Where it hangs as planned: "quay-north 3", or its universe where no port of the sheet has that.
    pub cable: String,
    /// The ports of the sheet that carry its universe: it hangs on one of them.
    pub ports: Vec<Port<'a>>,
    /// The port that it really hangs on, where it was found and its gateway is on the sheet.
    pub hangs_on: Option<Port<'a>>,
    /// What was found.
    pub state: FixtureState,
}

/// What was found of a planned fixture.
#[derive(Debug, Clone)]
pub enum FixtureState {
    /// None of the gateways that it may hang on answers.
    NotAsked,
    /// A gateway that answers did not tell who hangs on a port that it may hang on.
    Untold(Untold),
    /// No gateway knows it.
    Missing,
    /// A gateway knows it, and it answers nothing.
    Mute(FoundFixture),
    /// It answers; where it differs from the plan, if anywhere, and what it did not tell.
    Found(FoundFixture, Vec<Difference>),
}

/// The fixtures of a sheet beside those that were found.
#[derive(Debug, Clone)]
pub struct FixtureComparison<'a> {
    /// One row for each fixture of the sheet, in its order.
    pub rows: Vec<FixtureRow<'a>>,
    /// Found, and on no sheet.
    pub unexpected: Vec<Hanging<'a>>,
}

impl FixtureRow<'_> {
    /// What became of it.
    #[must_use]
    pub fn verdict(&self) -> Verdict {
        match &self.state {
            FixtureState::Missing | FixtureState::Mute(_) => Verdict::Fail,
            FixtureState::NotAsked | FixtureState::Untold(_) => Verdict::Look,
            FixtureState::Found(found, differences) => match Verdict::of(differences) {
                Verdict::Pass => troubles(found).iter().map(Trouble::verdict).max().unwrap_or(Verdict::Pass),
                verdict => verdict,
            },
        }
    }

    /// Whether it answers, and hangs where it is planned.
    #[must_use]
    pub fn is_on_its_cable(&self) -> bool {
        let FixtureState::Found(_, differences) = &self.state else { return false };
        differences.iter().all(|one| one.field != Field::Cable)
    }

    /// What its gateway has in its table, whether it answers or not.
    #[must_use]
    pub const fn found(&self) -> Option<&FoundFixture> {
        match &self.state {
            FixtureState::Mute(found) | FixtureState::Found(found, _) => Some(found),
            FixtureState::NotAsked | FixtureState::Untold(_) | FixtureState::Missing => None,
        }
    }

    /// What is not in order with it, as it tells itself.
    #[must_use]
    pub fn troubles(&self) -> Vec<Trouble> {
        match &self.state {
            FixtureState::Found(found, _) => troubles(found),
            _ => Vec::new(),
        }
    }

    /// That it is in the mode that is planned, and takes another number of slots in it than the sheet says.
    #[must_use]
    pub fn has_other_footprint(&self) -> Option<&Difference> {
        let FixtureState::Found(_, differences) = &self.state else { return None };
        // In another mode than planned its footprint is not compared.
        let footprint = differences.iter().find(|one| one.field == Field::Footprint && one.is_told());
        footprint.filter(|_| self.planned.mode.is_some())
    }

    fn footprint_finding(&self, sheet: &RigSheet) -> Option<Finding> {
        let difference = self.has_other_footprint()?;
        let what = format!("{} is in its mode, and {difference}", self.name);
        let finding = OTHER_FOOTPRINT.finding(what, "correct the sheet: its footprint, or its mode");
        Some(finding.at(sheet, self.planned.footprint.span, self.name.clone()))
    }

    /// Where it says that it is set otherwise than planned.
    fn set_otherwise(&self) -> Vec<&Difference> {
        let FixtureState::Found(_, differences) = &self.state else { return Vec::new() };
        let of_sheet = self.has_other_footprint();
        differences.iter().filter(|one| one.is_told() && Some(*one) != of_sheet).collect()
    }

    fn finding(&self, sheet: &RigSheet) -> Option<Finding> {
        let (name, cable) = (&self.name, &self.cable);
        let finding = match &self.state {
            FixtureState::Missing => MISSING.finding(
                format!("{name} on {cable} is in no gateway's table"),
                "look at its power and its cable, then check again",
            ),
            FixtureState::Mute(found) => MISSING.finding(
                format!("{name} ({}) on {cable} is in the gateway's table, and answers nothing", found.uid),
                "look whether it hangs on a splitter that lets no RDM back, then check again",
            ),
            FixtureState::Found(..) => {
                let otherwise = self.set_otherwise();
                if otherwise.is_empty() {
                    return None;
                }
                let list: Vec<String> = otherwise.iter().map(ToString::to_string).collect();
                let hangs_elsewhere = otherwise.iter().any(|difference| difference.field == Field::Cable);
                let remedy = if hangs_elsewhere {
                    "plug it in where it is planned, or correct the sheet"
                } else {
                    "deft-lantern apply SHEET --fixtures, or correct the sheet"
                };
                DIFFERENT.finding(format!("{name}: {}", list.join("; ")), remedy)
            }
            FixtureState::NotAsked | FixtureState::Untold(_) => return None,
        };
        Some(finding.at(sheet, self.planned.name.span, name.clone()))
    }
}

impl<'a> FixtureComparison<'a> {
    /// The same without the fixtures that are not meant, and without those of no sheet.
    #[must_use]
    pub fn only(mut self, is_meant: impl Fn(&FixtureRow<'a>) -> bool) -> Self {
        self.rows.retain(|row| is_meant(row));
        self.unexpected.clear();
        self
    }
}

impl FixtureComparison<'_> {
    /// How many are set otherwise than planned, and hang where they are to.
    #[must_use]
    pub fn settable(&self) -> usize {
        let is_settable = |row: &&FixtureRow<'_>| {
            let otherwise = row.set_otherwise();
            !otherwise.is_empty() && otherwise.iter().all(|one| one.field != Field::Cable)
        };
        self.rows.iter().filter(is_settable).count()
    }

    /// Of which cables nothing was told, one for each.
    #[must_use]
    pub fn untold(&self) -> Vec<Finding> {
        let mut untold: BTreeMap<&Untold, usize> = BTreeMap::new();
        for row in &self.rows {
            if let FixtureState::Untold(why) = &row.state {
                *untold.entry(why).or_default() += 1;
            }
        }
        untold.into_iter().filter_map(|(why, fixtures)| why.finding(fixtures)).collect()
    }

    /// What is wrong with them.
    #[must_use]
    pub fn findings(&self, sheet: &RigSheet) -> Vec<Finding> {
        let strange = |Hanging { cable, fixture: found, .. }: &Hanging<'_>| {
            let label = found.facts.get(Field::Label).map(|label| format!(" ({label})")).unwrap_or_default();
            let what = format!("{}{label} on {cable} is not on the sheet", found.uid);
            UNEXPECTED.finding(what, "add it to the sheet, or unplug it")
        };
        let of_row = |row: &FixtureRow<'_>| {
            let at = |finding: Finding| finding.at(sheet, row.planned.name.span, row.name.clone());
            let troubles = row.troubles().into_iter().map(|trouble| at(trouble.finding(&row.name)));
            row.finding(sheet).into_iter().chain(row.footprint_finding(sheet)).chain(troubles).collect::<Vec<_>>()
        };
        let unexpected = self.unexpected.iter().map(strange);
        self.rows.iter().flat_map(of_row).chain(self.untold()).chain(unexpected).collect()
    }
}

/// A planned fixture before it is known what became of it.
struct Planned<'a> {
    fixture: &'a Fixture,
    /// Which of its row, from 0.
    nth: u32,
    name: String,
    /// The ports of the sheet that carry its universe.
    ports: Vec<Port<'a>>,
    universe: Option<PortAddress>,
}

/// A port of a node of the sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Port<'a> {
    /// What the sheet calls the node; no two are called the same.
    pub node: &'a str,
    /// Its number on that, from 1.
    pub number: u32,
}

impl fmt::Display for Port<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.node, self.number)
    }
}

impl Planned<'_> {
    /// Its identifier, where the sheet has it.
    fn uid(&self) -> Option<Uid> {
        self.fixture.uid(self.nth)
    }

    fn slot(&self) -> Option<u32> {
        self.fixture.slot_of(self.nth)
    }

    fn label(&self) -> Option<String> {
        self.fixture.label_of(self.nth)
    }

    fn cable(&self) -> String {
        match (&self.ports[..], self.universe) {
            ([], Some(universe)) => format!("universe {universe}"),
            ([], None) => "no universe".to_owned(),
            (ports, _) => ports.iter().map(ToString::to_string).collect::<Vec<_>>().join(" or "),
        }
    }

    fn hangs_on(&self, found: &Hanging<'_>) -> bool {
        match &self.ports[..] {
            [] => self.universe == Some(found.fixture.behind.universe),
            ports => found.port.is_some_and(|port| ports.contains(&port)),
        }
    }

    fn differences(&self, found: &Hanging<'_>) -> Vec<Difference> {
        let facts = &found.fixture.facts;
        let mut differences = Vec::new();
        if !self.hangs_on(found) {
            let [planned, told] =
                [self.cable(), found.cable.clone()].map(|cable| Value::Text(cable.as_str().into()));
            differences.push(Difference { field: Field::Cable, planned, found: Known::Told(told) });
        }
        let mode = self.fixture.mode.as_ref().map(|mode| mode.value.field());
        let is_other_mode = mode.and_then(|(field, wanted)| Difference::between(field, wanted, facts));
        // In another mode it has another footprint: that is one thing.
        let footprint = is_other_mode.is_none().then_some((Field::Footprint, self.fixture.footprint.value));
        differences.extend(is_other_mode);
        let counted = self.slot().map(|slot| (Field::StartAddress, slot)).into_iter().chain(footprint);
        let counted = counted.map(|(field, wanted)| (field, Value::Count(wanted)));
        let label = self.label().map(|label| (Field::Label, Value::Text(label.as_str().into())));
        let settings = &self.fixture.settings;
        let settings = settings.iter().map(|(setting, value)| (Field::Setting(*setting), value.value.clone()));
        let further = counted.chain(label).chain(settings);
        differences.extend(further.filter_map(|(field, wanted)| Difference::between(field, wanted, facts)));
        differences
    }
}

/// A fixture that was found, and where.
#[derive(Debug, Clone)]
pub struct Hanging<'a> {
    /// What it told.
    pub fixture: FoundFixture,
    /// The port, where its gateway is on the sheet.
    pub port: Option<Port<'a>>,
    /// The same in words; as its gateway calls itself where that is not on the sheet.
    pub cable: String,
}

/// Compares every fixture of the sheet with those that were read. Each is known again by its identifier where the sheet has
/// that, else by its label, else by where it hangs and starts.
#[must_use]
pub fn compare_fixtures<'a>(sheet: &'a RigSheet, census: &Census) -> FixtureComparison<'a> {
    let of_node = gateways_of(sheet, census);
    let mut hanging: Vec<Option<Hanging<'a>>> =
        census.fixtures().into_iter().map(|fixture| Some(hanging(fixture, census, &of_node))).collect();
    let planned = planned(sheet);
    let mut matched: Vec<Option<Hanging<'a>>> = planned.iter().map(|_| None).collect();
    let by_uid = |planned: &Planned<'_>, found: &Hanging<'_>| planned.uid() == Some(found.fixture.uid);
    let by_label = |planned: &Planned<'_>, found: &Hanging<'_>| {
        let label = planned.label();
        let own = Value::Text(label.as_deref().unwrap_or(&planned.name).into());
        planned.uid().is_none() && found.fixture.facts.get(Field::Label) == Some(&own)
    };
    let by_place = |planned: &Planned<'_>, found: &Hanging<'_>| {
        let starts = planned.slot().is_some() && planned.slot() == found.fixture.start();
        planned.uid().is_none() && planned.hangs_on(found) && starts
    };
    take(&planned, &mut hanging, &mut matched, by_uid);
    take(&planned, &mut hanging, &mut matched, by_label);
    take(&planned, &mut hanging, &mut matched, by_place);
    let answering: HashSet<&str> = of_node.values().copied().collect();
    let tables = Tables::of(sheet, census, &of_node);
    let row = |(planned, found): (Planned<'a>, Option<Hanging<'a>>)| {
        let is_asked = planned.ports.is_empty() || planned.ports.iter().any(|port| answering.contains(port.node));
        let hangs_on = found.as_ref().and_then(|found| found.port);
        let state = match found {
            Some(found) if !found.fixture.answers() => FixtureState::Mute(found.fixture),
            Some(found) => {
                let differences = planned.differences(&found);
                FixtureState::Found(found.fixture, differences)
            }
            None if !is_asked => FixtureState::NotAsked,
            None => tables.untold(&planned.ports).map_or(FixtureState::Missing, FixtureState::Untold),
        };
        FixtureRow {
            cable: planned.cable(),
            planned: planned.fixture,
            name: planned.name,
            nth: planned.nth,
            hangs_on,
            ports: planned.ports,
            state,
        }
    };
    FixtureComparison {
        rows: planned.into_iter().zip(matched).map(row).collect(),
        unexpected: hanging.into_iter().flatten().collect(),
    }
}

/// The cables of everybody who was found, in words: the gateway, as the sheet calls that where there is one, and the number of the
/// port.
#[derive(Debug)]
pub(crate) struct CablesInWords<'a> {
    census: &'a Census,
    gateways: HashMap<usize, &'a str>,
}

impl<'a> CablesInWords<'a> {
    pub(crate) fn of(sheet: Option<&'a RigSheet>, census: &'a Census) -> Self {
        Self { census, gateways: sheet.map(|sheet| gateways_of(sheet, census)).unwrap_or_default() }
    }

    /// The one that this fixture hangs on.
    pub(crate) fn beneath(&self, fixture: &FoundFixture) -> String {
        hanging(fixture.clone(), self.census, &self.gateways).cable
    }

    /// The universe of the port at which the cable of these words begins.
    pub(crate) fn universe(&self, words: &str) -> Option<PortAddress> {
        let (gateway, number) = words.rsplit_once(' ')?;
        let is_it = |(at, node): &(usize, &FoundNode)| {
            self.gateways.get(at).map_or_else(|| node.title() == gateway, |name| *name == gateway)
        };
        let (_, node) = self.census.nodes().iter().enumerate().find(is_it)?;
        node.port(number.parse().ok()?).map(|(_, port)| port.universe)
    }
}

/// What the sheet calls those that were found, by their places in the census.
fn gateways_of<'a>(sheet: &'a RigSheet, census: &Census) -> HashMap<usize, &'a str> {
    let matching = Matching::new(sheet, census);
    let named = |(matched, node): (&Match, &'a SheetNode)| match matched {
        Match::Found(index) => Some((*index, node.name.value.as_str())),
        Match::Missing | Match::Ambiguous(_) => None,
    };
    matching.of_sheet.iter().zip(&sheet.nodes).filter_map(named).collect()
}

/// Gives each planned fixture that has none the first found one that it is.
fn take<'a>(
    planned: &[Planned<'_>],
    hanging: &mut [Option<Hanging<'a>>],
    matched: &mut [Option<Hanging<'a>>],
    is_it: impl Fn(&Planned<'_>, &Hanging<'_>) -> bool,
) {
    for (planned, matched) in planned.iter().zip(matched).filter(|(_, matched)| matched.is_none()) {
        let found = hanging.iter_mut().find(|one| one.as_ref().is_some_and(|found| is_it(planned, found)));
        *matched = found.and_then(Option::take);
    }
}

/// Every fixture of the sheet by itself.
fn planned(sheet: &RigSheet) -> Vec<Planned<'_>> {
    let mut ports: BTreeMap<PortAddress, Vec<Port<'_>>> = BTreeMap::new();
    for node in &sheet.nodes {
        for port in node.ports.iter().filter(|port| port.direction == Direction::Out) {
            let universe = port.universe.value.real().and_then(Universe::port_address);
            let port = Port { node: &node.name.value, number: port.number.value };
            universe.into_iter().for_each(|universe| ports.entry(universe).or_default().push(port));
        }
    }
    let each = |fixture| {
        let fixture: &Fixture = fixture;
        let universe = fixture.on.value.real().and_then(Universe::port_address);
        let mut ports = universe.and_then(|universe| ports.get(&universe)).cloned().unwrap_or_default();
        if let Some(behind) = &fixture.behind {
            let node = &sheet.nodes[behind.value].name.value;
            let number = fixture.port.as_ref().map(|port| port.value);
            ports.retain(|port| port.node == node && number.is_none_or(|number| number == port.number));
        }
        fixture
            .names()
            .zip(0..)
            .map(move |(name, nth)| Planned { fixture, nth, name, ports: ports.clone(), universe })
            .collect::<Vec<_>>()
    };
    sheet.fixtures.iter().flat_map(each).collect()
}

fn hanging<'a>(fixture: FoundFixture, census: &Census, names: &HashMap<usize, &'a str>) -> Hanging<'a> {
    let (title, number) = census.cable(&fixture.behind);
    let node = census.gateway(&fixture.behind).and_then(|(index, _)| names.get(&index).copied());
    let port = node.zip(number).map(|(node, number)| Port { node, number });
    let gateway = node.unwrap_or(&title);
    let cable = number.map_or_else(|| gateway.to_owned(), |number| format!("{gateway} {number}"));
    Hanging { fixture, port, cable }
}
