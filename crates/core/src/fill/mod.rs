//! Filling in what the sheet leaves open: addresses, universes, slots and groups, each with the reason for it.
//!
//! What is written already is never changed, so a sheet that was filled stays as it is when something is added. Where
//! not everything can be filled, nothing is: the findings name what contradicts each other.

mod addresses;
mod domain;
#[cfg(test)]
mod domain_tests;
mod groups;
mod slots;
mod universes;

use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{Edits, RigSheet, Span};

pub(crate) static RULES: &[&Rule] =
    &[&TOO_FEW_ADDRESSES, &NO_NETWORK, &TOO_FEW_UNIVERSES, &SPLIT_LEFT_OVER, &TOO_FEW_SLOTS, &TOO_FEW_GROUPS];

static TOO_FEW_ADDRESSES: Rule = Rule {
    code: "B001",
    severity: Severity::Error,
    title: "more nodes than addresses",
    why: "what the sheet asks for cannot all hold at once, however the addresses are dealt out",
};
static NO_NETWORK: Rule = Rule {
    code: "B002",
    severity: Severity::Error,
    title: "no network to take an address from",
    why: "the sheet has several networks, and nothing says in which one the node stands",
};
static TOO_FEW_UNIVERSES: Rule = Rule {
    code: "B003",
    severity: Severity::Error,
    title: "more ports than universes",
    why: "ports of one page need universes of one net and sub, and each output needs its own",
};
static SPLIT_LEFT_OVER: Rule = Rule {
    code: "B004",
    severity: Severity::Error,
    title: "a split that cannot be made whole",
    why: "a split of n outputs needs n ports that can carry the same universe",
};
static TOO_FEW_SLOTS: Rule = Rule {
    code: "B005",
    severity: Severity::Error,
    title: "no room left on a universe",
    why: "a universe has 512 slots, and a fixture needs its own in one run",
};
static TOO_FEW_GROUPS: Rule = Rule {
    code: "B006",
    severity: Severity::Error,
    title: "more streams than groups",
    why: "each stream needs a group of its own whose MAC address no other group shares",
};

/// One thing that was left open, and what it becomes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Choice {
    /// Where it stands.
    pub span: Span,
    /// What gets it: a node, a port, a fixture, a stream.
    pub for_what: String,
    /// The value.
    pub value: String,
    /// Why this one.
    pub why: String,
}

/// Everything that was left open, filled in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Filled {
    /// The choices, in the order of the sheet.
    pub choices: Vec<Choice>,
    /// The sheet's new text.
    pub text: String,
}

/// Fills in everything that the sheet leaves open.
///
/// # Errors
/// What contradicts each other, where not everything can be filled in.
pub fn fill(sheet: &RigSheet) -> Result<Filled, Vec<Finding>> {
    let mut choices = Vec::new();
    let mut findings = Vec::new();
    for family in [addresses::fill, universes::fill, slots::fill, groups::fill] {
        match family(sheet) {
            Ok(chosen) => choices.extend(chosen),
            Err(contradictions) => findings.extend(contradictions),
        }
    }
    if !findings.is_empty() {
        findings.sort_by_key(Finding::line);
        return Err(findings);
    }
    choices.sort_by_key(|choice| choice.span.start);
    let mut edits = Edits::default();
    for choice in &choices {
        match choice.value.parse::<u32>() {
            Ok(number) => edits.replace(choice.span, number.to_string()),
            Err(_) => edits.quote(choice.span, &choice.value),
        }
    }
    Ok(Filled { choices, text: edits.apply(sheet.text()) })
}

#[cfg(test)]
mod tests;
