//! How fixtures are, held against what they themselves say is in order.

use super::Verdict;
use crate::census::{FoundFixture, HowBad};
use crate::finding::{Finding, Rule, Severity};

pub(crate) static RULES: &[&Rule] = &[&OUT_OF_RANGE, &FAULT, &WARNS, &BAD_LINE];

static OUT_OF_RANGE: Rule = Rule {
    code: "R020",
    severity: Severity::Warning,
    title: "a sensor of a fixture is out of its own limits",
    why: "the fixture dims or switches off when it gets too hot or its supply fails, mostly in the show",
};
static FAULT: Rule = Rule {
    code: "R021",
    severity: Severity::Error,
    title: "a fixture reports an error",
    why: "it says itself that something of it does not work",
};
static WARNS: Rule = Rule {
    code: "R022",
    severity: Severity::Warning,
    title: "a fixture reports a warning",
    why: "it says itself that something of it will not work for long",
};
static BAD_LINE: Rule = Rule {
    code: "R023",
    severity: Severity::Note,
    title: "a fixture counted damaged messages on its cable",
    why: "a missing terminator, a bad plug or a cable that is none for data damages what the desk sends too",
};

/// One thing that is not in order with a fixture.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Trouble {
    /// What.
    pub what: String,
    rule: &'static Rule,
    remedy: &'static str,
}

impl Trouble {
    /// How bad it is.
    #[must_use]
    pub const fn severity(&self) -> Severity {
        self.rule.severity
    }

    pub(super) const fn verdict(&self) -> Verdict {
        match self.rule.severity {
            Severity::Error => Verdict::Fail,
            Severity::Warning => Verdict::Look,
            Severity::Note => Verdict::Pass,
        }
    }

    pub(crate) fn finding(&self, name: &str) -> Finding {
        self.rule.finding(format!("{name}: {}", self.what), self.remedy)
    }
}

/// What is not in order with a fixture, as it tells itself.
#[must_use]
pub fn troubles(fixture: &FoundFixture) -> Vec<Trouble> {
    let health = &fixture.health;
    let sensors = health.sensors.iter().filter(|sensor| !sensor.is_normal()).map(|sensor| Trouble {
        what: format!("{sensor}; in order is {}", sensor.normal_in_words()),
        rule: &OUT_OF_RANGE,
        remedy: "look at its fans, its filters, where it hangs, and at its supply",
    });
    let reports = health.reports.iter().filter_map(|report| {
        let rule: &'static Rule = match report.how_bad {
            HowBad::Error => &FAULT,
            HowBad::Warning => &WARNS,
            HowBad::Note | HowBad::Over => return None,
        };
        Some(Trouble {
            what: report.to_string(),
            rule,
            remedy: "look at it before the show; what it means says its manual",
        })
    });
    let line = health.line.filter(|line| line.sum() > 0).map(|line| Trouble {
        what: format!("{} damaged messages counted since it was reset", line.sum()),
        rule: &BAD_LINE,
        remedy: "look at its cable, its plugs and the terminator at the end; see whether the number still grows",
    });
    sensors.chain(reports).chain(line).collect()
}
