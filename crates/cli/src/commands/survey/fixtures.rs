//! The units on the cables of gateways, for people.

use clap::ValueEnum;
use lantern_core::census::{Census, FoundFixture};
use lantern_core::compare::troubles;
use lantern_core::facts::{Field, Value};

use super::show::MOST_ROWS;
use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone, counted, wrapped};

/// In which order fixtures are listed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Order {
    /// Under their gateways, port by port
    Gateway,
    /// By universe, and in it by start address
    Universe,
    /// With hours, lamp, sensors and what they report, those that report something first
    Upkeep,
}

/// One fixture and where it hangs.
struct Row<'a> {
    fixture: &'a FoundFixture,
    gateway: String,
    port: Option<u32>,
}

impl Row<'_> {
    fn count(&self, field: Field) -> Option<u32> {
        match self.fixture.facts.get(field) {
            Some(Value::Count(count)) => Some(*count),
            _ => None,
        }
    }

    /// The slots it takes: "29 to 42".
    fn slots(&self) -> String {
        match (self.count(Field::StartAddress), self.count(Field::Footprint)) {
            (Some(first), Some(length)) if length > 1 => format!("{first} to {}", first + length - 1),
            (Some(first), _) => first.to_string(),
            (None, _) => String::new(),
        }
    }

    /// "2 fine".
    fn mode(&self) -> String {
        let number = self.count(Field::Mode).map(|number| number.to_string());
        number.into_iter().chain([self.text(Field::ModeName)]).collect::<Vec<_>>().join(" ").trim_end().to_owned()
    }

    fn text(&self, field: Field) -> String {
        self.fixture.facts.get(field).map_or_else(String::new, ToString::to_string)
    }

    fn cells(&self) -> Vec<Cell> {
        let answers = self.fixture.facts.told().next().is_some();
        let state = match answers {
            false => Cell::new("does not answer", Tone::Bad),
            true if !self.fixture.facts.is_whole() => Cell::new("not all told", Tone::Doubtful),
            true => Cell::from(""),
        };
        let port = self.port.map_or_else(String::new, |port| format!(" {port}"));
        vec![
            format!("{}{port}", self.gateway).into(),
            self.fixture.behind.universe.to_string().into(),
            self.slots().into(),
            Cell::new(self.text(Field::Label), Tone::Strong),
            self.text(Field::Model).into(),
            self.mode().into(),
            self.fixture.uid.to_string().into(),
            state,
            self.text(Field::Maker).into(),
            self.text(Field::Version).into(),
            self.text(Field::Footprint).into(),
        ]
    }
}

/// A row for each.
pub(super) fn show(census: &Census, order: Order, out: &mut Out) -> Result<(), Failure> {
    let fixtures = census.fixtures();
    if fixtures.is_empty() {
        let why = "no gateway has a fixture in its tables: RDM is off there, or nothing that speaks it hangs on the cables";
        return Ok(out.line(&wrapped(why, out.width(), 0))?);
    }
    out.table(&if order == Order::Upkeep { upkeep(census, &fixtures) } else { table(census, &fixtures, order) })?;
    let more = fixtures.len().saturating_sub(MOST_ROWS);
    if more > 0 {
        out.line(&format!("and {more} more; --save FILE keeps all of them"))?;
    }
    Ok(())
}

fn table(census: &Census, fixtures: &[FoundFixture], order: Order) -> Table {
    let mut rows: Vec<Row<'_>> = fixtures.iter().map(|fixture| of(fixture, census)).collect();
    match order {
        Order::Gateway | Order::Upkeep => {
            rows.sort_by_key(|row| (row.fixture.behind, row.count(Field::StartAddress), row.fixture.uid));
        }
        Order::Universe => {
            rows.sort_by_key(|row| (row.fixture.behind.universe, row.count(Field::StartAddress), row.fixture.uid));
        }
    }
    let mut table = Table::new(&[
        "port",
        "universe",
        "slots",
        "label",
        "model",
        "mode",
        "UID",
        "state",
        "maker",
        "software",
        "footprint",
    ])
    .unbroken(&["port", "universe", "slots", "UID", "state"])
    .needs_width("model", 80)
    .needs_width("mode", 95)
    .where_told("state")
    .on_request(&["maker", "software", "footprint"]);
    rows.iter().take(MOST_ROWS).for_each(|row| table.row(row.cells()));
    table
}

/// How they are: hours, lamp, sensors, reports.
fn upkeep(census: &Census, fixtures: &[FoundFixture]) -> Table {
    let mut table = Table::new(&[
        "label", "UID", "port", "hours", "lamp", "strikes", "starts", "sensors", "reports", "damaged", "software",
    ])
    .unbroken(&["label", "UID", "hours", "lamp", "strikes", "starts", "damaged"])
    .needs_width("UID", 100)
    .needs_width("port", 120)
    .needs_width("starts", 110)
    .on_request(&["software"]);
    let mut rows: Vec<Row<'_>> = fixtures.iter().map(|fixture| of(fixture, census)).collect();
    rows.sort_by_key(|row| (troubles(row.fixture).is_empty(), row.fixture.behind, row.fixture.uid));
    for row in rows.iter().take(MOST_ROWS) {
        let health = &row.fixture.health;
        let count = |count: Option<u32>| Cell::from(count.map(|count| count.to_string()).unwrap_or_default());
        let is_well = troubles(row.fixture).is_empty();
        let tone = if is_well { Tone::Plain } else { Tone::Bad };
        let list = |all: Vec<String>| Cell::new(all.join("\n"), tone);
        let port = row.port.map_or_else(String::new, |port| format!(" {port}"));
        table.row(vec![
            Cell::new(row.text(Field::Label), Tone::Strong),
            row.fixture.uid.to_string().into(),
            format!("{}{port}", row.gateway).into(),
            count(health.hours),
            count(health.lamp_hours),
            count(health.lamp_strikes),
            count(health.power_cycles),
            list(health.sensors.iter().map(ToString::to_string).collect()),
            list(health.reports.iter().map(ToString::to_string).collect()),
            count(health.line.map(|line| line.sum())),
            row.text(Field::Version).into(),
        ]);
    }
    table
}

fn of<'a>(fixture: &'a FoundFixture, census: &Census) -> Row<'a> {
    let (gateway, port) = census.cable(&fixture.behind);
    Row { fixture, gateway, port }
}

/// "211 fixtures behind 19 gateways".
pub(super) fn summary(census: &Census) -> Option<String> {
    let fixtures = census.fixtures();
    let mut gateways: Vec<_> =
        fixtures.iter().map(|fixture| (fixture.behind.address, fixture.behind.mac)).collect();
    gateways.dedup();
    let (count, behind) = (counted(fixtures.len(), "fixture"), counted(gateways.len(), "gateway"));
    (!fixtures.is_empty()).then(|| format!("{count} behind {behind}"))
}
