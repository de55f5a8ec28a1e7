//! A page about each rule: what it means, why it matters, an example and what is said about it.

use std::collections::BTreeMap;
use std::sync::LazyLock;

use serde::{Deserialize, Serialize};

use crate::clash::{self, sheet_clashes};
use crate::fill::fill;
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::RigSheet;

/// The sheet that examples stand behind.
const BASE: &str = include_str!("base.rig.toml");

#[derive(Deserialize)]
struct Examples {
    sheet: BTreeMap<String, String>,
    situation: BTreeMap<String, String>,
}

static EXAMPLES: LazyLock<Examples> =
    LazyLock::new(|| toml::from_str(include_str!("examples.toml")).expect("the examples are read in a test"));

/// What a code means.
#[derive(Debug, Clone, Serialize)]
pub struct Page {
    /// The code.
    pub code: &'static str,
    /// How bad it is.
    pub severity: Severity,
    /// What it is, in a few words.
    pub title: &'static str,
    /// Why it matters.
    pub why: &'static str,
    /// Which family it belongs to.
    pub family: &'static str,
    /// A piece of a rig sheet, or a situation in words.
    pub example: &'static str,
    /// Whether the example is a piece of a sheet.
    pub is_sheet: bool,
    /// What is said about it.
    pub said: Option<Finding>,
}

/// Every rule there is, in the order of their codes.
#[must_use]
pub fn catalogue() -> Vec<&'static Rule> {
    let mut rules = clash::RULES.concat();
    rules.extend([crate::compare::RULES, crate::ladder::RULES, crate::change::RULES, crate::fill::RULES].concat());
    rules.extend(crate::compare::sending_rules());
    rules.extend(crate::adapter::rules());
    rules.extend(crate::lease::RULES);
    rules.sort_by_key(|rule| rule.code);
    rules
}

/// The page about a code, in whatever case it is written.
#[must_use]
pub fn page(code: &str) -> Option<Page> {
    let code = code.to_ascii_uppercase();
    let rule = catalogue().into_iter().find(|rule| rule.code == code)?;
    let of_sheet = EXAMPLES.sheet.get(&code).map(String::as_str);
    let example = of_sheet.or_else(|| EXAMPLES.situation.get(&code).map(String::as_str)).unwrap_or_default();
    Some(Page {
        code: rule.code,
        severity: rule.severity,
        title: rule.title,
        why: rule.why,
        family: family(rule),
        example,
        is_sheet: of_sheet.is_some(),
        said: of_sheet.and_then(|example| said(rule, example)),
    })
}

/// What a rule says about its example.
fn said(rule: &Rule, example: &str) -> Option<Finding> {
    let sheet = RigSheet::parse(&format!("{BASE}{example}")).ok()?;
    let findings = fill(&sheet).err().into_iter().flatten().chain(sheet_clashes(&sheet));
    let mut of_rule = findings.filter(|finding| finding.rule.code == rule.code);
    of_rule.next()
}

/// What a rule's family is about.
#[must_use]
pub fn family(rule: &Rule) -> &'static str {
    match rule.code.as_bytes().first() {
        Some(b'A') => "addresses on the sheet",
        Some(b'U') => "universes on the sheet",
        Some(b'F') => "fixtures on the sheet",
        Some(b'S') => "streams on the sheet",
        Some(b'N') => "names and identities on the sheet",
        Some(b'L') => "load and cabling on the sheet",
        Some(b'B') => "what cannot be filled in",
        Some(b'W') => "the network by itself",
        Some(b'R') => "the rig against the sheet",
        Some(b'P') => "this computer",
        Some(b'D') => "why one device is silent",
        Some(b'G') => "giving addresses by DHCP",
        _ => "a change to a node",
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[test]
    fn every_rule_has_an_example_and_every_example_a_rule() {
        let codes: Vec<&str> = catalogue().iter().map(|rule| rule.code).collect();
        let mut examples: Vec<&str> =
            EXAMPLES.sheet.keys().chain(EXAMPLES.situation.keys()).map(String::as_str).collect();
        examples.sort_unstable();
        assert_eq!(examples, codes);
    }

    #[test]
    fn every_example_of_a_sheet_shows_what_it_is_an_example_of() {
        for code in EXAMPLES.sheet.keys() {
            let page = page(code).unwrap();
            assert!(page.said.is_some(), "{code} says nothing about its example");
        }
        assert_eq!(sheet_clashes(&RigSheet::parse(BASE).unwrap()), []);
    }

    #[rstest]
    #[case("a001", true)]
    #[case("A999", false)]
    #[case("", false)]
    fn codes_are_found_in_any_case(#[case] code: &str, #[case] there: bool) {
        assert_eq!(page(code).is_some(), there);
    }
}
