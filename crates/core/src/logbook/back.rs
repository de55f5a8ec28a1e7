//! What it takes to take a run back.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap};
use std::net::Ipv4Addr;

use super::Run;
use crate::census::{Again, NodeName};
use crate::change::{ChangePlan, Choice, Protection, Untouched, Wish, plan_each};
use crate::compare::{Addressing, Wanted};
use crate::facts::{Difference, Field, Known, Value};

/// What one device was before a run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Back {
    /// Which device, as it was before the run.
    pub node: NodeName,
    /// What it is to be again.
    pub wanted: Wanted,
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
    /// What each device that `choice` picks was before the steps after the first `keep` of this run.
    #[must_use]
    pub fn back(&self, choice: &Choice, keep: usize) -> Vec<Back> {
        let mut all: HashMap<_, Gathered> = HashMap::new();
        for (number, taken) in self.taken.iter().enumerate() {
            let step = &taken.step;
            let one = all.entry(step.node.identity()).or_default();
            one.places.extend(step.fields.iter().filter_map(Difference::planned_address));
            if number < keep {
                continue;
            }
            let of_step = step.fields.iter().map(|difference| (difference.field, difference.found.clone()));
            let along = step.along.iter().map(|along| (along.field, Known::Told(along.before.clone())));
            for (field, found) in of_step.chain(along).filter(|(field, _)| choice.has(*field)) {
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
            choice.names(&[&node.name, planned_as, &mac]).then(|| gathered.back(node))
        };
        self.nodes().into_iter().filter_map(of_node).collect()
    }
}

impl Gathered {
    fn back(self, node: &NodeName) -> Back {
        let mut lost = Vec::new();
        let mut told = Vec::new();
        for (field, known) in self.before {
            match known {
                Known::Told(value) => told.push((field, value)),
                Known::Untold | Known::CannotTell => lost.push(field),
            }
        }
        let places = std::iter::once(node.address).chain(self.places).collect();
        Back { node: node.clone(), wanted: Wanted::of_fields(told), lost, places }
    }
}

/// What it takes to take these back, from where everybody is now. Who does not answer is left alone, and so is whoever would
/// come into the way of one that is.
#[must_use]
pub fn plan_back(backs: &[Back], protection: &Protection<'_>) -> ChangePlan {
    let mut left = Left::default();
    let mut wishes: Vec<Option<Wish>> = Vec::with_capacity(backs.len());
    for back in backs {
        let name = &back.node.name;
        wishes.push(match protection.census.again(&back.node) {
            Again::Is(subject) => {
                Some(Wish { subject, wanted: back.wanted.clone(), reason: "taken back".to_owned() })
            }
            Again::Several => {
                left.alone(name, "several units bear its MAC address", &back.places);
                None
            }
            Again::Nobody => {
                let places: Vec<String> = back.places.iter().map(ToString::to_string).collect();
                let why = format!("it does not answer; it was last at {}", places.join(" or "));
                left.alone(name, why, &back.places);
                None
            }
        });
    }
    let wants = |wish: &Option<Wish>| match wish.as_ref()?.wanted.addressing {
        Some(Addressing::Fixed(address)) => Some(address),
        _ => None,
    };
    let mut place_of: HashMap<Ipv4Addr, usize> = HashMap::new();
    for (place, address) in wishes.iter().enumerate().filter_map(|(place, wish)| Some((place, wants(wish)?))) {
        place_of.insert(address, place);
    }
    while let Some((address, holder)) = left.places.pop() {
        let Some(wish) = place_of.get(&address).and_then(|place| wishes[*place].take()) else { continue };
        let why = format!("its old address {address} may be held by {holder}, which is left alone");
        left.alone(&wish.subject.title(), why, &[wish.subject.address()]);
    }
    let wishes: Vec<Wish> = wishes.into_iter().flatten().collect();
    let back = Protection { outside: true, going_back: true, ..*protection };
    let mut plan = plan_each(&wishes, &back);
    plan.untouched = left.untouched;
    plan
}

/// Who is left alone, and which addresses are theirs.
#[derive(Default)]
struct Left {
    untouched: Vec<Untouched>,
    places: Vec<(Ipv4Addr, String)>,
}

impl Left {
    fn alone(&mut self, name: &str, why: impl Into<Cow<'static, str>>, places: &[Ipv4Addr]) {
        self.untouched.push(Untouched { name: name.to_owned(), why: why.into() });
        self.places.extend(places.iter().map(|place| (*place, name.to_owned())));
    }
}
