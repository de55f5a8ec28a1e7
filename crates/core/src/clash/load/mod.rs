//! Load: power of switches, data on links, chains, and cabling that cannot be.

mod cabling;
mod power;
mod traffic;

use crate::finding::{Finding, Rule, Severity};
use crate::sheet::RigSheet;

pub use power::SwitchLoad;
pub use traffic::{Link, LinkEnd};

pub(super) static RULES: &[&Rule] = &[
    &TOO_MUCH_POWER,
    &NEARLY_ALL_POWER,
    &TOO_MUCH_DATA,
    &NEARLY_ALL_DATA,
    &CHAIN_TOO_LONG,
    &NO_SUCH_SOCKET,
    &SOCKET_TWICE,
    &ON_TWO_SOCKETS,
    &RING,
    &CHAIN_IN_CIRCLE,
];

static TOO_MUCH_POWER: Rule = Rule {
    code: "L001",
    severity: Severity::Error,
    title: "more power than the switch gives",
    why: "the switch turns sockets off when its budget is used up, usually when everything starts at once",
};
static NEARLY_ALL_POWER: Rule = Rule {
    code: "L002",
    severity: Severity::Warning,
    title: "nearly all of the switch's power",
    why: "units draw more while they start and when they are cold",
};
static TOO_MUCH_DATA: Rule = Rule {
    code: "L003",
    severity: Severity::Error,
    title: "more data than a link carries",
    why: "what does not fit is dropped: sound clicks, picture breaks, levels jump",
};
static NEARLY_ALL_DATA: Rule = Rule {
    code: "L004",
    severity: Severity::Warning,
    title: "nearly all that a link carries",
    why: "data comes in bursts, so a link that is full on average is too full for moments",
};
static CHAIN_TOO_LONG: Rule = Rule {
    code: "L005",
    severity: Severity::Error,
    title: "a chain longer than its units allow",
    why: "every unit of a chain delays and feeds the next; beyond the limit the last ones drop out",
};
static NO_SUCH_SOCKET: Rule = Rule {
    code: "L006",
    severity: Severity::Error,
    title: "a socket the switch does not have",
    why: "nobody can plug anything in there",
};
static SOCKET_TWICE: Rule = Rule {
    code: "L007",
    severity: Severity::Error,
    title: "one socket used twice",
    why: "a socket takes one cable",
};
static ON_TWO_SOCKETS: Rule = Rule {
    code: "L008",
    severity: Severity::Error,
    title: "one device on two sockets",
    why: "a device with one network socket cannot hang in two places; one of the two was meant for another",
};
static RING: Rule = Rule {
    code: "L009",
    severity: Severity::Error,
    title: "switches in a ring",
    why: "a broadcast goes round a ring for ever and takes the network down within seconds",
};
static CHAIN_IN_CIRCLE: Rule = Rule {
    code: "L010",
    severity: Severity::Error,
    title: "a chain without a beginning",
    why: "each unit hangs behind another one of the same chain, so none of them is connected",
};

/// What the sheet's switches feed and its links carry.
#[derive(Debug, Clone, Default)]
pub struct Loads {
    /// One for each switch, in the order of the sheet.
    pub switches: Vec<SwitchLoad>,
    /// The links from switches, in the order of the sheet.
    pub links: Vec<Link>,
}

impl Loads {
    /// Adds up everything.
    #[must_use]
    pub fn of(sheet: &RigSheet) -> Self {
        Self::along(sheet, &cabling::Chains::of(sheet))
    }

    fn along(sheet: &RigSheet, chains: &cabling::Chains) -> Self {
        let switches = sheet.switches.iter().map(|switch| power::of_switch(sheet, switch, chains)).collect();
        Self { switches, links: traffic::links(sheet, chains) }
    }
}

/// `part` of `whole` in percent.
fn percent(part: u32, whole: u32) -> u32 {
    let whole = u64::from(whole.max(1));
    u32::try_from(u64::from(part) * 100 / whole).unwrap_or(u32::MAX)
}

pub(super) fn clashes(sheet: &RigSheet) -> Vec<Finding> {
    let chains = cabling::Chains::of(sheet);
    let mut findings = cabling::chain_clashes(sheet, &chains);
    if sheet.switches.is_empty() {
        return findings;
    }
    findings.extend(cabling::socket_clashes(sheet));
    findings.extend(cabling::rings(sheet));
    let loads = Loads::along(sheet, &chains);
    let switches = sheet.switches.iter().zip(&loads.switches);
    findings.extend(switches.filter_map(|(switch, load)| power::clash(sheet, switch, load)));
    findings.extend(loads.links.iter().filter_map(|link| traffic::clash(sheet, link)));
    findings
}

#[cfg(test)]
mod tests;
