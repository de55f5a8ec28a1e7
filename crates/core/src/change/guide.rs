//! A guided run: what a person and the program do one after the other, where the network alone does not do. Units that share one
//! address are plugged in one at a time; which one it is, its MAC address tells, or the person; a fixture on another cable than
//! planned is plugged in there; what no message sets, the person sets at the unit. The program looks afterwards.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::{ByHand, ChangePlan, Part, Protection, Replug, plan_rig};
use crate::census::{FoundNode, Subject};
use crate::compare::{Comparison, FixtureComparison, PatchComparison, State};
use crate::sheet::{RigSheet, SheetNode};

/// How often the same device is changed before it is left.
const TRIES: u32 = 2;

/// How far a guided run is.
#[derive(Debug, Clone, Default)]
pub struct Guide {
    /// Which unit each node of the sheet is, as the person said.
    known: HashMap<String, MacAddress>,
    /// Nodes of the sheet that are skipped.
    skipped: BTreeSet<String>,
    /// Units about which nothing is asked any more.
    passed: BTreeSet<MacAddress>,
    /// Addresses that several units keep, as the person wants it for now.
    kept: BTreeSet<Ipv4Addr>,
    tried: BTreeMap<String, u32>,
}

/// What is to be done next.
#[derive(Debug, Clone)]
pub enum GuideStep {
    /// Several units have one address: all but one have to be unplugged.
    Separate {
        /// The address.
        address: Ipv4Addr,
        /// Who has it.
        units: Vec<(MacAddress, String)>,
    },
    /// These changes can be made.
    Make(Box<ChangePlan>),
    /// Somebody is there, and it has to be said which node of the sheet it is.
    Identify {
        /// Whom it is about.
        unit: Box<Subject>,
        /// Which nodes it may be, in the order of the sheet.
        candidates: Vec<String>,
    },
    /// These fixtures hang on one cable, and are to be plugged in on one other.
    Replug(Vec<Replug>),
    /// This is set at the unit itself.
    ByHand(ByHand),
    /// These do not answer: one of them is to be connected.
    Connect {
        /// Their names, in the order of the sheet.
        names: Vec<String>,
    },
    /// Nothing is left that a person could help with. What speaks against the rest, if anything.
    Over(Box<ChangePlan>),
}

/// The sheet of a guide beside what was found.
#[derive(Debug, Clone, Copy)]
pub struct Compared<'a> {
    /// Its nodes.
    pub nodes: &'a Comparison<'a>,
    /// Its fixtures, where they are meant.
    pub fixtures: Option<&'a FixtureComparison<'a>>,
    /// What is patched.
    pub patches: Option<&'a PatchComparison<'a>>,
}

impl Guide {
    /// The person said that this node of the sheet is this unit.
    pub fn learn(&mut self, name: &str, mac: MacAddress) {
        self.known.insert(name.to_owned(), mac);
    }

    /// This node of the sheet is left for now.
    pub fn skip(&mut self, name: &str) {
        self.skipped.insert(name.to_owned());
    }

    /// About this unit nothing is asked any more.
    pub fn pass(&mut self, mac: MacAddress) {
        self.passed.insert(mac);
    }

    /// These units keep their one address for now.
    pub fn keep(&mut self, address: Ipv4Addr) {
        self.kept.insert(address);
    }

    /// Which nodes of the sheet were skipped, in the order of the alphabet.
    pub fn skipped(&self) -> impl Iterator<Item = &str> {
        self.skipped.iter().map(String::as_str)
    }

    /// These changes were made, or tried: who is not done after two of them is left.
    pub fn tried(&mut self, plan: &ChangePlan) {
        for name in plan.changes.iter().filter_map(|change| change.planned_as.as_deref()) {
            let tries = self.tried.entry(name.to_owned()).or_default();
            *tries += 1;
            if *tries > TRIES {
                self.skipped.insert(name.to_owned());
            }
        }
    }

    /// The sheet, with what the person said.
    #[must_use]
    pub fn sheet(&self, sheet: &RigSheet) -> RigSheet {
        let mut sheet = sheet.clone();
        sheet.learn_macs(&self.known);
        sheet
    }

    /// What is to be done next, as things are now. What is compared and the protection are those of [`Guide::sheet`].
    #[must_use]
    pub fn next(&self, compared: Compared<'_>, protection: &Protection<'_>, part: &Part) -> GuideStep {
        let comparison = compared.nodes;
        if let Some(step) = self.separate(comparison, protection) {
            return step;
        }
        let is_open = |planned: &SheetNode| {
            !self.skipped.contains(&planned.name.value) && part.means(protection.sheet, planned)
        };
        let open = comparison.clone().only(is_open, |_| false);
        let is_left = |name: &str| self.skipped.contains(name);
        let fixtures = compared.fixtures.map(|all| all.clone().only(|row| !is_left(&row.name)));
        let patches = compared.patches.map(|all| all.clone().without(is_left));
        let by_hand = Protection { by_hand: true, ..*protection };
        let plan = plan_rig(&open, fixtures.as_ref(), patches.as_ref(), &by_hand, part);
        if !plan.changes.is_empty() && !plan.is_refused() {
            return GuideStep::Make(Box::new(plan));
        }
        let missing = || open.rows.iter().filter(|row| matches!(row.state, State::Missing));
        let nameless = missing().filter(|row| row.planned.mac.is_none());
        if let Some(unit) = self.stranger(comparison) {
            let candidates: Vec<String> = nameless.map(|row| row.planned.name.value.clone()).collect();
            if !candidates.is_empty() {
                return GuideStep::Identify { unit: Box::new(Subject::of_node(unit)), candidates };
            }
        }
        if let Some(first) = plan.replugs.first().map(Replug::from_to) {
            return GuideStep::Replug(plan.replugs.iter().filter(|one| one.from_to() == first).cloned().collect());
        }
        if let Some(by_hand) = plan.by_hand.iter().find(|one| !is_left(&one.name)) {
            return GuideStep::ByHand(by_hand.clone());
        }
        let names: Vec<String> = missing().map(|row| row.planned.name.value.clone()).collect();
        if names.is_empty() || plan.is_refused() {
            GuideStep::Over(Box::new(plan))
        } else {
            GuideStep::Connect { names }
        }
    }

    /// Nodes that answer from one address, where one of them at least could belong to the sheet.
    fn separate(&self, comparison: &Comparison<'_>, protection: &Protection<'_>) -> Option<GuideStep> {
        let mut at: BTreeMap<Ipv4Addr, Vec<(MacAddress, String)>> = BTreeMap::new();
        for node in protection.census.nodes() {
            let Some(mac) = node.mac.filter(|mac| !self.passed.contains(mac)) else { continue };
            at.entry(node.address).or_default().push((mac, node.title()));
        }
        let is_of_sheet = |mac: &MacAddress| {
            comparison.rows.iter().any(|row| row.planned.mac.as_ref().is_some_and(|own| own.value == *mac))
        };
        let has_place = comparison
            .rows
            .iter()
            .any(|row| row.planned.mac.is_none() && matches!(row.state, State::Missing | State::Ambiguous(_)));
        let mut shared = at.into_iter().filter(|(address, units)| units.len() > 1 && !self.kept.contains(address));
        let (address, units) =
            shared.find(|(_, units)| has_place || units.iter().any(|(mac, _)| is_of_sheet(mac)))?;
        Some(GuideStep::Separate { address, units })
    }

    /// A node that the sheet does not know, and about which the person was not asked.
    fn stranger<'a>(&self, comparison: &Comparison<'a>) -> Option<&'a FoundNode> {
        let is_open = |node: &&&FoundNode| {
            node.is_node()
                && node.mac.is_some_and(|mac| !self.passed.contains(&mac))
                && !self.kept.contains(&node.address)
        };
        comparison.unexpected.iter().find(is_open).copied()
    }
}
