//! What it takes to take a run back.

use std::collections::{BTreeMap, HashMap};
use std::net::Ipv4Addr;

use super::Run;
use crate::census::{Again, NodeName, Subject};
use crate::change::{ChangePlan, Part, Protection, Replug, Silent, Untouched, Wish, plan_each};
use crate::compare::{CablesInWords, Wanted};
use crate::facts::{Difference, Facts, Field, FixtureSetting, Known, Value};

/// What one device was before a run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Back {
    /// Which device, as it was before the run.
    pub node: NodeName,
    /// What it is to be again.
    pub wanted: Wanted,
    /// The cable that it is to hang on again, in words, where a person plugged it in elsewhere.
    pub cable: Option<Value>,
    /// What was changed and not told before: nobody knows what it was.
    pub lost: Vec<Field>,
    /// Where it may stand now: the address it had, and those it was given.
    pub places: Vec<Ipv4Addr>,
}

/// What is gathered of one device.
#[derive(Default)]
struct Gathered {
    before: BTreeMap<Field, Known<Value>>,
    places: Vec<Ipv4Addr>,
}

impl Run {
    /// What each device that `part` picks was before the steps after the first `keep` of this run.
    #[must_use]
    pub fn back(&self, part: &Part, keep: usize) -> Vec<Back> {
        let mut all: HashMap<_, Gathered> = HashMap::new();
        for (number, taken) in self.sent.iter().enumerate() {
            let step = &taken.step;
            let one = all.entry(step.node.identity()).or_default();
            one.places.extend(step.fields.iter().filter_map(Difference::planned_address));
            if number < keep {
                continue;
            }
            let of_step = step.fields.iter().map(|difference| (difference.field, difference.found.clone()));
            let along = step.along.iter().map(|along| (along.field, Known::Told(along.before.clone())));
            // Where others chose the address, what went with it was told before.
            let by_others = step.fields.iter().any(|one| one.wants_dhcp() || one.field == Field::FactoryNetwork);
            let before = by_others.then(|| self.told_before(&step.node, Field::is_ip)).into_iter().flatten();
            // Of a mode that was chosen by how many slots it takes, the number of the one before is known.
            let by_slots = step.fields.iter().any(|one| one.field == Field::Footprint);
            let mode = by_slots.then(|| self.mode_before(&step.node)).flatten();
            let is_everything =
                step.fields.iter().any(|one| one.field == Field::Setting(FixtureSetting::FactoryDefaults));
            let everything = is_everything.then(|| self.told_before(&step.node, is_setting)).into_iter().flatten();
            // With its sender a receiver gets another group.
            let by_sender = step.fields.iter().any(|one| one.field == Field::Sender);
            let groups = by_sender.then(|| self.told_before(&step.node, is_group)).into_iter().flatten();
            let along = along.chain(
                before
                    .chain(mode)
                    .chain(everything)
                    .chain(groups)
                    .map(|(field, value)| (field, Known::Told(value))),
            );
            for (field, found) in of_step.chain(along).filter(|(field, _)| part.has(*field)) {
                one.before.entry(field).or_insert(found);
            }
        }
        let planned: HashMap<_, &str> = self
            .planned
            .iter()
            .filter_map(|planned| Some((planned.node.identity(), planned.planned_as.as_deref()?)))
            .collect();
        let of_node = |node: &NodeName| {
            let identity = node.identity();
            let planned_as = planned.get(&identity).copied().unwrap_or_default();
            let gathered = all.remove(&identity).filter(|gathered| !gathered.before.is_empty())?;
            let mac = node.mac.map(|mac| mac.to_string()).unwrap_or_default();
            part.names(&[&node.name, planned_as, &mac]).then(|| gathered.back(node))
        };
        self.nodes().into_iter().filter_map(of_node).collect()
    }
}

impl Run {
    /// What it told of these fields before the run.
    fn told_before(&self, node: &NodeName, is_meant: fn(Field) -> bool) -> Vec<(Field, Value)> {
        let told = self.before(node).into_iter().flat_map(Facts::told);
        told.filter(|(field, _)| is_meant(*field)).map(|(field, value)| (field, value.clone())).collect()
    }

    /// The mode that a fixture was in before the run.
    fn mode_before(&self, node: &NodeName) -> Option<(Field, Value)> {
        Some((Field::Mode, self.before(node)?.get(Field::Mode)?.clone()))
    }

    /// Everything it told before the run.
    fn before(&self, node: &NodeName) -> Option<&Facts> {
        let identity = node.identity();
        self.planned.iter().find(|planned| planned.node.identity() == identity).map(|planned| &planned.before)
    }
}

/// Where a stream goes to or comes from.
const fn is_group(field: Field) -> bool {
    matches!(field, Field::Group | Field::SecondGroup)
}

/// Every setting of a fixture.
const fn is_setting(field: Field) -> bool {
    match field {
        Field::StartAddress | Field::Mode | Field::Label => true,
        Field::Setting(setting) => setting.is_kept(),
        _ => false,
    }
}

impl Gathered {
    fn back(self, node: &NodeName) -> Back {
        let mut lost = Vec::new();
        let (mut told, mut cable) = (Vec::new(), None);
        for (field, known) in self.before {
            match known {
                Known::Told(value) if field == Field::Cable => cable = Some(value),
                // What it was is told by the fields it stands for.
                _ if matches!(field, Field::FactoryNetwork | Field::Footprint) => {}
                // Nor is there anything to undo of an order: of the one everything else is put back, the other changes nothing.
                _ if matches!(field, Field::Setting(setting) if setting.is_order()) => {}
                // What was done once is not undone by doing something else.
                _ if matches!(field, Field::LossScene | Field::Merging | Field::Firmware) => lost.push(field),
                Known::Told(value) => told.push((field, value)),
                Known::Untold | Known::CannotTell => lost.push(field),
            }
        }
        let places = std::iter::once(node.address).chain(self.places).collect();
        Back { node: node.clone(), wanted: Wanted::of_fields(told), cable, lost, places }
    }
}

/// What it takes to take these back, from where everybody is now. Who does not answer is left alone, and so is whoever would
/// come into the way of one that is.
#[must_use]
pub fn plan_back(backs: &[Back], protection: &Protection<'_>) -> ChangePlan {
    let (mut untouched, mut wishes, mut silent) = (Vec::new(), Vec::new(), protection.silent.to_vec());
    let mut replugs = Vec::new();
    for back in backs {
        let name = &back.node.name;
        let places: Vec<String> = back.places.iter().map(ToString::to_string).collect();
        let why = match protection.census.again(&back.node) {
            Again::Is(subject) => {
                replugs.extend(back.replug(&subject, protection));
                wishes.push(Wish::as_told(subject, back.wanted.clone(), "taken back".to_owned()));
                continue;
            }
            Again::Several => "several units bear its MAC address".to_owned(),
            Again::Nobody => format!("it does not answer; it was last at {}", places.join(" or ")),
        };
        untouched.push(Untouched { name: name.clone(), why: why.into() });
        silent.push(Silent {
            name: name.clone(),
            mac: back.node.mac,
            places: back.places.clone(),
            why: Silent::NO_ANSWER,
        });
    }
    let back = Protection { outside: true, going_back: true, silent: &silent, ..*protection };
    let mut plan = plan_each(&wishes, &back);
    plan.untouched.extend(untouched);
    replugs.into_iter().for_each(|replug| replug.leave(&mut plan));
    plan
}

impl Back {
    /// That it hangs elsewhere than before, and a person has to plug it in there again.
    fn replug(&self, subject: &Subject, protection: &Protection<'_>) -> Option<Replug> {
        let (fixture, before) = (subject.fixture()?, self.cable.clone()?);
        let cables = CablesInWords::of(protection.sheet, protection.census);
        let found = Known::Told(Value::Text(cables.beneath(fixture).as_str().into()));
        let cable = Difference { field: Field::Cable, planned: before, found };
        if cable.found_in_words() == cable.planned_in_words() {
            return None;
        }
        let was = cables.universe(&cable.planned_in_words());
        let universes = std::iter::once(fixture.behind.universe).chain(was).collect();
        Some(Replug { name: self.node.name.clone(), fixture: Box::new(fixture.clone()), cable, universes })
    }
}
