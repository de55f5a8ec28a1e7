//! Which node somebody means: by name, address or MAC address.

use std::collections::HashSet;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use crate::pattern::Pattern;

use super::{Census, FoundFixture, FoundNode, Subject, Unit};

/// No single node is meant.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum DesignationError {
    /// No node answers to it.
    #[error("no node {wanted:?} answers")]
    Nobody {
        /// What was asked for.
        wanted: String,
        /// The name of a node that is much like it.
        near: Option<String>,
    },
    /// Several do.
    #[error("{} nodes answer to {wanted:?}", .who.len())]
    Several {
        /// What was asked for.
        wanted: String,
        /// Those, each by something that tells it apart.
        who: Vec<String>,
    },
}

impl Census {
    /// The node called so: a MAC address, an address, or a name in any mixture of cases.
    ///
    /// # Errors
    /// When there is none, or there are several.
    pub fn designated(&self, wanted: &str) -> Result<&FoundNode, DesignationError> {
        let mut meant: Vec<&FoundNode> = if let Ok(address) = wanted.parse::<Ipv4Addr>() {
            self.nodes().iter().filter(|node| node.address == address).collect()
        } else if let Ok(mac) = wanted.parse::<MacAddress>() {
            self.nodes().iter().filter(|node| node.mac == Some(mac)).collect()
        } else {
            self.named(wanted)
        };
        meant.sort_by_key(|node| (node.address, node.mac));
        match meant[..] {
            [only] => Ok(only),
            [] => Err(DesignationError::Nobody { wanted: wanted.to_owned(), near: self.near(wanted) }),
            _ => {
                let who = meant.iter().map(|node| {
                    let mac = node.mac.map_or_else(|| "MAC not told".to_owned(), |mac| mac.to_string());
                    format!("{mac} at {} ({})", node.address, node.label())
                });
                Err(several(wanted, who))
            }
        }
    }

    /// The same among Art-Net nodes and the units of other families, which may be called by their identities too. An
    /// Art-Net node is taken before a unit of the same device.
    ///
    /// # Errors
    /// When there is none, or there are several.
    pub fn subject(&self, wanted: &str) -> Result<Subject, DesignationError> {
        let nobody = match self.designated(wanted) {
            Ok(node) => return self.beside_units(wanted, node),
            Err(several @ DesignationError::Several { .. }) => return Err(several),
            Err(nobody) => nobody,
        };
        let units = self.units();
        let meant: Vec<&Unit> = units.iter().filter(|unit| is_called(unit, wanted)).collect();
        match meant[..] {
            // What one device tells in several ways is one device.
            [first, ref others @ ..] if others.iter().all(|other| other.is_same_device(first)) => {
                let settable = meant.iter().find(|unit| unit.is_settable());
                Ok(Subject::of_unit(settable.unwrap_or(&first)))
            }
            [] => self.fixture_called(wanted).unwrap_or(Err(nobody)),
            _ => Err(several(wanted, meant.into_iter().map(described))),
        }
    }

    /// The same with everything that the other units of its device tell of it.
    #[must_use]
    pub fn completed(&self, subject: &Subject) -> Subject {
        let Subject::Unit(unit) = subject else { return subject.clone() };
        let units = self.units();
        let others = units.iter().filter(|one| one.family != unit.family && one.is_same_device(unit));
        let mut facts = unit.facts.clone();
        others.for_each(|other| facts.complete(&other.facts));
        subject.clone().telling(facts)
    }

    /// The fixture of this identifier or label; `None` when no fixture is called so.
    fn fixture_called(&self, wanted: &str) -> Option<Result<Subject, DesignationError>> {
        let fixtures = self.fixtures();
        let is_called = |fixture: &&FoundFixture| {
            let names = [fixture.uid.to_string(), fixture.label().raw().to_owned()];
            names.iter().any(|name| name.eq_ignore_ascii_case(wanted))
        };
        let meant: Vec<&FoundFixture> = fixtures.iter().filter(is_called).collect();
        match meant[..] {
            [] => None,
            [only] => Some(Ok(Subject::of_fixture(only))),
            _ => {
                let who = meant.iter().map(|one| format!("{} behind {}", one.uid, self.cable(&one.behind).0));
                Some(Err(several(wanted, who)))
            }
        }
    }

    /// All nodes, and units that can be set and are none of those, whose name the pattern means.
    ///
    /// # Errors
    /// When there is none.
    pub fn subjects(&self, pattern: &Pattern) -> Result<Vec<Subject>, DesignationError> {
        let nodes = self.nodes().iter().filter(|node| node.is_node() && pattern.matches(node.name().raw()));
        let mut all: Vec<Subject> = nodes.map(Subject::of_node).collect();
        let known: HashSet<MacAddress> =
            self.nodes().iter().flat_map(|node| [node.mac, node.heard_mac]).flatten().collect();
        let units = self.units();
        let others = units.iter().filter(|unit| {
            unit.is_settable()
                && !unit.mac.is_some_and(|mac| known.contains(&mac))
                && pattern.matches(unit.name().raw())
        });
        all.extend(Unit::one_of_each(others).into_iter().map(Subject::of_unit));
        let fixtures = self.fixtures();
        let meant = fixtures.iter().filter(|fixture| pattern.matches(fixture.label().raw()));
        all.extend(meant.map(Subject::of_fixture));
        if all.is_empty() {
            return Err(DesignationError::Nobody { wanted: pattern.to_string(), near: None });
        }
        all.sort_by_key(|subject| (subject.address(), subject.mac()));
        Ok(all)
    }

    /// This node, unless its address is held by a unit of another device too.
    fn beside_units(&self, wanted: &str, node: &FoundNode) -> Result<Subject, DesignationError> {
        let subject = Subject::of_node(node);
        let units = self.units();
        let others: Vec<&Unit> = units
            .iter()
            .filter(|unit| {
                unit.mac.is_some() && is_called(unit, wanted) && !subject.macs().any(|mac| Some(mac) == unit.mac)
            })
            .collect();
        if others.is_empty() {
            return Ok(subject);
        }
        let own = format!("{} at {}", node.mac.map_or_else(|| node.title(), |mac| mac.to_string()), node.address);
        Err(several(wanted, std::iter::once(own).chain(others.into_iter().map(described))))
    }

    fn named(&self, wanted: &str) -> Vec<&FoundNode> {
        let exact: Vec<&FoundNode> = self.nodes().iter().filter(|node| node.name().raw() == wanted).collect();
        if !exact.is_empty() {
            return exact;
        }
        self.nodes().iter().filter(|node| node.name().raw().eq_ignore_ascii_case(wanted)).collect()
    }

    fn near(&self, wanted: &str) -> Option<String> {
        let likeness = |node: &FoundNode| strsim::jaro_winkler(wanted, node.name().raw());
        let near = self.nodes().iter().max_by(|a, b| likeness(a).total_cmp(&likeness(b)))?;
        (likeness(near) > 0.8).then(|| near.title())
    }
}

fn is_called(unit: &Unit, wanted: &str) -> bool {
    if let Ok(address) = wanted.parse::<Ipv4Addr>() {
        return unit.address == address;
    }
    if let Ok(mac) = wanted.parse::<MacAddress>() {
        return unit.mac == Some(mac);
    }
    [unit.identity.raw(), unit.name().raw()].iter().any(|name| name.eq_ignore_ascii_case(wanted))
}

fn described(unit: &Unit) -> String {
    let mac = unit.mac.map_or_else(|| "MAC not told".to_owned(), |mac| mac.to_string());
    format!("{mac} at {} ({} {})", unit.address, unit.family, unit.identity)
}

fn several(wanted: &str, who: impl Iterator<Item = String>) -> DesignationError {
    DesignationError::Several { wanted: wanted.to_owned(), who: who.collect() }
}
