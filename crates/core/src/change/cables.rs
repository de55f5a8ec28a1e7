//! Fixtures: what of them is changed by the sheet, and from where they are reached once their gateways are set.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use lantern_wire::rdm::Uid;

use super::holders::Surroundings;
use super::rules::{BEYOND_END, SLOTS_TAKEN};
use super::{Change, ChangePlan, Part, Untouched, Wait, Why, plan, settable};
use crate::Direction;
use crate::census::{Behind, Census, FoundFixture, FoundNode, Subject};
use crate::compare::{CablesInWords, FixtureComparison, FixtureRow, FixtureState};
use crate::facts::{Difference, Field, PortField, Value};
use crate::finding::Finding;
use crate::sheet::SLOTS;
use crate::universe::{PortAddress, Universe};

const NO_TABLE: &str = "it is in no gateway's table; look at its power and its cable";
const MUTE: &str = "it is in its gateway's table, and answers nothing";
const GATEWAY_GOES: &str = "where its gateway will be reached shows when that is set; run the same command again";
const GATEWAY_TURNS: &str = "its port becomes an input, behind which nobody is reached";

/// A fixture that hangs on another cable than it is to: no message plugs it in there, a person does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Replug {
    /// What the sheet calls it, or what it calls itself.
    pub name: String,
    /// The fixture, where it hangs now.
    pub fixture: Box<FoundFixture>,
    /// Where it hangs and where it is to, in words.
    pub cable: Difference,
    /// The universes of both, as far as they are known: only on ports that carry one of them is it to be looked for.
    pub universes: BTreeSet<PortAddress>,
}

impl Replug {
    /// The cable it hangs on now, and the one it is to hang on.
    #[must_use]
    pub fn from_to(&self) -> (String, String) {
        (self.cable.found_in_words(), self.cable.planned_in_words())
    }

    /// Why it is not done from here, and what to do.
    fn why(&self) -> String {
        format!("{}: plug it in there and run the same command again, or let --guided lead you", self.cable)
    }

    /// Writes down that a plan leaves it to a person.
    pub(crate) fn leave(self, plan: &mut ChangePlan) {
        plan.untouched.push(Untouched { name: self.name.clone(), why: self.why().into() });
        plan.replugs.push(self);
    }
}

/// The changes of fixtures by the sheet, as far as `part` means them.
pub(super) fn by_sheet(
    fixtures: &FixtureComparison<'_>,
    part: &Part,
    around: &Surroundings<'_>,
    plan: &mut ChangePlan,
) -> Vec<Change> {
    let meant = fixtures.rows.iter().filter(|row| is_meant(row, part, around));
    let cables = CablesInWords::of(around.around.sheet, around.around.census);
    meant.filter_map(|row| of_row(row, part, around, &cables, plan)).collect()
}

fn is_meant(row: &FixtureRow<'_>, part: &Part, around: &Surroundings<'_>) -> bool {
    let sheet = around.around.sheet;
    let area_of = |name: &str| {
        let node = sheet?.nodes.iter().find(|node| node.name.value == name)?;
        sheet?.area_of(node).map(|area| area.name.value.as_str())
    };
    let in_area = part.areas.is_empty() || row.ports.iter().any(|port| part.has_area(area_of(port.node)));
    part.names(&[&row.name, &row.planned.name.value]) && in_area
}

fn of_row(
    row: &FixtureRow<'_>,
    part: &Part,
    around: &Surroundings<'_>,
    cables: &CablesInWords<'_>,
    plan: &mut ChangePlan,
) -> Option<Change> {
    let mut leave = |why: String| plan.untouched.push(Untouched { name: row.name.clone(), why: why.into() });
    let (found, differences) = match &row.state {
        // That its gateway does not answer is said of the gateway.
        FixtureState::NotAsked => return None,
        FixtureState::Untold(why) => {
            leave(why.what().to_owned());
            return None;
        }
        FixtureState::Missing => {
            leave(NO_TABLE.to_owned());
            return None;
        }
        FixtureState::Mute(_) => {
            leave(MUTE.to_owned());
            return None;
        }
        FixtureState::Found(found, differences) => (found, differences),
    };
    let of_sheet = row.has_other_footprint();
    if let Some(difference) = of_sheet {
        leave(format!("it is in its mode, and {difference}: correct the sheet"));
    }
    let subject = Subject::of_fixture(found);
    let meant = differences.iter().filter(|one| Some(*one) != of_sheet);
    let meant = meant.filter(|difference| part.has(difference.field) || difference.field == Field::Cable);
    let (mut open, untold): (Vec<Difference>, Vec<Difference>) = meant.cloned().partition(Difference::is_told);
    for difference in &untold {
        leave(match difference.cannot_be_told() {
            true => format!("it does not tell its {}: set it at the unit itself", difference.field),
            false => format!("its {} was not heard; run the same command again", difference.field),
        });
    }
    // Where it hangs it may be in somebody's way; where it is to hang, it is set then.
    if let Some(cable) = open.iter().find(|difference| difference.field == Field::Cable) {
        // What the port carries now: it may be set to the planned universe only later.
        let there = row.ports.iter().filter_map(|port| cables.universe(&port.to_string()));
        let planned = row.planned.on.value.real().and_then(Universe::port_address);
        let universes = std::iter::once(found.behind.universe).chain(there).chain(planned).collect();
        let (name, fixture) = (row.name.clone(), Box::new(found.clone()));
        Replug { name, fixture, cable: cable.clone(), universes }.leave(plan);
        return None;
    }
    settable::keep_settable(&subject, &mut open, leave);
    let change = plan::draft(&subject, &open, around.by_sheet_line(row.planned.name.span), around, plan)?;
    Some(Change { planned_as: Some(row.name.clone()), ..change })
}

/// The gateways that a plan changes: the last change of each, since one that is parked on its way is changed twice.
#[derive(Default)]
struct Gateways<'a> {
    of_mac: HashMap<MacAddress, (usize, &'a Change)>,
    /// One that tells no MAC address is not moved.
    at: HashMap<Ipv4Addr, (usize, &'a Change)>,
}

impl<'a> Gateways<'a> {
    fn of(changes: &'a [Change]) -> Self {
        let mut all = Self::default();
        for placed in changes.iter().enumerate().filter(|(_, change)| change.subject.node().is_some()) {
            let subject = &placed.1.subject;
            all.of_mac.extend(subject.macs().map(|mac| (mac, placed)));
            if subject.macs().next().is_none() {
                all.at.insert(subject.address(), placed);
            }
        }
        all
    }

    /// Where a cable begins once its gateway is changed, and by which change: as it is where that does not touch it.
    ///
    /// # Errors
    /// When nobody knows that before: why.
    fn after(&self, behind: &Behind) -> Result<(Behind, Option<usize>), &'static str> {
        let by_mac = behind.mac.and_then(|mac| self.of_mac.get(&mac));
        let own = by_mac.or_else(|| self.at.get(&behind.address));
        let Some((place, node, change)) =
            own.and_then(|(place, change)| Some((*place, change.subject.node()?, change)))
        else {
            return Ok((*behind, None));
        };
        let after = begins(behind, node, change)?;
        Ok((after, (after != *behind).then_some(place)))
    }
}

/// Where a cable begins once this change of its gateway is made.
fn begins(behind: &Behind, node: &FoundNode, change: &Change) -> Result<Behind, &'static str> {
    let number = behind.port_of(node);
    let mut after = *behind;
    for difference in &change.differences {
        match (difference.field, &difference.planned) {
            (Field::Address, Value::Address(to)) => after.address = *to,
            (Field::Addressing, Value::Flag(true)) | (Field::FactoryNetwork, _) => return Err(GATEWAY_GOES),
            (Field::Port(port, field), planned) if Some(port) == number => match (field, planned) {
                (PortField::Universe, Value::Universe(universe)) => {
                    after.universe = universe.port_address().ok_or(GATEWAY_GOES)?;
                }
                (PortField::Direction, Value::Direction(Direction::In)) => return Err(GATEWAY_TURNS),
                _ => {}
            },
            _ => {}
        }
    }
    Ok(after)
}

/// Puts the changes of fixtures behind those of nodes: one whose gateway moves, or whose port gets another universe, waits for
/// that, and is reached there then.
pub(super) fn behind(changes: Vec<Change>, census: &Census, plan: &mut ChangePlan) {
    let gateways = Gateways::of(&plan.changes);
    let (mut made, mut waits, mut left) = (Vec::new(), Vec::new(), Vec::new());
    // With the slots that each takes in the end, by the universe that it hangs on then.
    let mut taken = Taken::default();
    let of_change: HashMap<(Behind, Uid), &Change> = changes
        .iter()
        .filter_map(|change| change.subject.fixture().map(|fixture| ((fixture.behind, fixture.uid), change)))
        .collect();
    let is_asked = changes.iter().any(|change| start_of(change).is_some());
    for fixture in census.fixtures().into_iter().filter(|_| is_asked) {
        let start = of_change.get(&(fixture.behind, fixture.uid)).and_then(|change| start_of(change));
        let universe =
            gateways.after(&fixture.behind).map_or(fixture.behind.universe, |(after, _)| after.universe);
        taken.add(&fixture, universe, start);
    }
    for mut change in changes {
        let Subject::Fixture(fixture) = &mut change.subject else { continue };
        match gateways.after(&fixture.behind) {
            Err(why) => {
                let name = change.planned_as.unwrap_or_else(|| change.subject.title());
                left.push(Untouched { name, why: why.into() });
                continue;
            }
            Ok((after, by)) => {
                fixture.behind = after;
                let wait = by.map(|on| Wait { on, why: Why::Gateway(after.address) });
                waits.push(wait.into_iter().collect());
            }
        }
        made.push(change);
    }
    plan.findings.extend(made.iter().filter_map(|change| taken.against(change)));
    plan.untouched.extend(left);
    plan.changes.extend(made);
    waits.into_iter().for_each(|waits| plan.graph.push(waits));
}

/// Which slots fixtures take, by universe.
#[derive(Default)]
struct Taken(BTreeMap<PortAddress, Vec<(u32, u32, Uid, String)>>);

impl Taken {
    /// One that starts where it says, or where it is told to.
    fn add(&mut self, fixture: &FoundFixture, universe: PortAddress, start: Option<u32>) {
        let Some((first, last)) = fixture.slots() else { return };
        let (low, length) = (start.unwrap_or(first), last - first);
        self.0.entry(universe).or_default().push((low, low.saturating_add(length), fixture.uid, fixture.title()));
    }

    /// What speaks against where a fixture is told to start.
    fn against(&self, change: &Change) -> Option<Finding> {
        let (fixture, first) = (change.subject.fixture()?, start_of(change)?);
        let (name, universe) = (change.subject.title(), fixture.behind.universe);
        // In another mode it takes another number of slots, which it tells only then.
        let is_mode = |one: &Difference| matches!(one.field, Field::Mode | Field::ModeName | Field::Footprint);
        let is_other_mode = change.differences.iter().any(is_mode);
        let length = fixture.slots().filter(|_| !is_other_mode).map_or(1, |(first, last)| last - first + 1);
        let last = first.saturating_add(length - 1);
        if first == 0 || last > SLOTS {
            return Some(BEYOND_END.finding(
                format!("{name} would take the slots {first} to {last}"),
                format!("choose a start address from 1 to {}", (SLOTS + 1).saturating_sub(length)),
            ));
        }
        let mut others = self.0.get(&universe).into_iter().flatten().filter(|(_, _, uid, _)| *uid != fixture.uid);
        let (low, high, _, other) = others.find(|(low, high, ..)| first <= *high && *low <= last)?;
        Some(SLOTS_TAKEN.finding(
            format!("{name} is to take the slots {first} to {last} of {universe}; {other} takes {low} to {high}"),
            "choose other slots, unless both are meant to do the same",
        ))
    }
}

/// Where a fixture is told to start.
fn start_of(change: &Change) -> Option<u32> {
    change.differences.iter().find_map(|difference| match (difference.field, &difference.planned) {
        (Field::StartAddress, Value::Count(first)) => Some(*first),
        _ => None,
    })
}
