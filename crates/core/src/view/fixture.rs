//! One fixture with everything known of it.

use lantern_wire::rdm::Uid;
use serde::Serialize;

use crate::as_text;
use crate::census::{Census, FoundFixture, Health};
use crate::compare::{FixtureState, Trouble, compare_fixtures, troubles};
use crate::facts::{Difference, Field, Value};
use crate::finding::Finding;
use crate::sheet::RigSheet;
use crate::universe::PortAddress;

/// One fixture.
#[derive(Debug, Clone, Serialize)]
pub struct FixturePortrait {
    /// What it calls itself, and its identifier.
    pub title: String,
    /// Its identifier.
    #[serde(serialize_with = "as_text::serialize")]
    pub uid: Uid,
    /// Behind which gateway and port it hangs.
    pub cable: String,
    /// The universe of that port.
    #[serde(serialize_with = "as_text::serialize")]
    pub universe: PortAddress,
    /// What the sheet calls it, where it is on that.
    pub planned_as: Option<String>,
    /// What it tells, and what is planned where that is otherwise.
    pub facts: Vec<FixtureFact>,
    /// The parameters of its maker's own.
    pub parameters: Vec<OwnParameter>,
    /// How it is.
    pub health: Health,
    /// What is not in order with it.
    pub findings: Vec<Finding>,
}

/// One thing that it tells.
#[derive(Debug, Clone, Serialize)]
pub struct FixtureFact {
    /// What.
    pub field: String,
    /// What it tells; `None` for what is planned and was not told.
    pub told: Option<String>,
    /// What is planned, where that is otherwise.
    pub planned: Option<String>,
}

/// A parameter of its maker's own.
#[derive(Debug, Clone, Serialize)]
pub struct OwnParameter {
    /// Its number, from 0x8000.
    pub number: u16,
    /// What it is called; empty where the fixture does not say.
    pub name: String,
    /// What it is set to.
    pub value: String,
    /// What it can be; empty where that is not known.
    pub takes: String,
    /// Whether it can be set.
    pub is_set: bool,
}

impl FixturePortrait {
    /// This fixture of the census, beside what the sheet says of it.
    #[must_use]
    pub fn of(fixture: &FoundFixture, census: &Census, sheet: Option<&RigSheet>) -> Self {
        let is_it = |state: &FixtureState| matches!(state, FixtureState::Found(found, _) if found.uid == fixture.uid && found.behind == fixture.behind);
        let compared = sheet.map(|sheet| compare_fixtures(sheet, census));
        let row = compared.as_ref().and_then(|all| all.rows.iter().find(|row| is_it(&row.state)));
        let differences = match row.map(|row| &row.state) {
            Some(FixtureState::Found(_, differences)) => &differences[..],
            _ => &[],
        };
        let (gateway, port) = census.cable(&fixture.behind);
        let own = |(field, value): (Field, &Value)| match (field, value) {
            (Field::Own(number), Value::Own(value)) => Some(OwnParameter {
                number,
                name: value.name.to_string(),
                value: value.to_string(),
                takes: value.takes(),
                is_set: value.is_set,
            }),
            _ => None,
        };
        let title = fixture.title();
        let findings = troubles(fixture).iter().map(|trouble: &Trouble| trouble.finding(&title)).collect();
        Self {
            uid: fixture.uid,
            cable: port.map_or_else(|| gateway.clone(), |port| format!("{gateway} {port}")),
            universe: fixture.behind.universe,
            planned_as: row.map(|row| row.name.clone()),
            facts: facts(fixture, differences),
            parameters: fixture.facts.told().filter_map(own).collect(),
            health: fixture.health.clone(),
            findings,
            title,
        }
    }

    /// Whether anything is otherwise than planned.
    #[must_use]
    pub fn differs(&self) -> bool {
        self.facts.iter().any(|fact| fact.planned.is_some() && fact.told.is_some())
    }
}

/// Everything but what is its maker's own, in the order of fields.
fn facts(fixture: &FoundFixture, differences: &[Difference]) -> Vec<FixtureFact> {
    let is_shown = |field: &Field| match field {
        Field::Setting(setting) => !setting.is_order(),
        _ => true,
    };
    let line = |field: Field| {
        let difference = differences.iter().find(|one| one.field == field);
        let told = match difference {
            Some(difference) => difference.is_told().then(|| difference.found_in_words()),
            None => Some(field.in_words(fixture.facts.get(field)?)),
        };
        Some(FixtureFact { field: field.to_string(), told, planned: difference.map(Difference::planned_in_words) })
    };
    Field::OF_DEVICES.into_iter().filter(is_shown).filter_map(line).collect()
}
