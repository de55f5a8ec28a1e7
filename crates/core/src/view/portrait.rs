//! Everything known of one device in one view: each field with who told it and when, and what the sheet wants beside it.

use std::collections::BTreeSet;
use std::net::Ipv4Addr;
use std::time::Duration;

use serde::Serialize;

use super::Patching;
use crate::census::{Census, Device, FoundNode, FoundPort, SeenBy, Service, Standing, Stream, Way};
use crate::codes::{CodeBook, ReportCode};
use crate::compare::{Everybody, Row, State, Wanted, compare_all};
use crate::facts::{Difference, Facts, Field, Known, PortField, ReadingName, Tells, Value};
use crate::sheet::{RigSheet, SheetNode};
use crate::{Direction, MacAddress, Said, as_millis, as_text};

/// One device.
#[derive(Debug, Clone, Serialize)]
pub struct Portrait {
    /// What it calls itself, or its address.
    pub title: String,
    /// What it is.
    pub what: String,
    /// Its MAC address.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// All its addresses.
    pub addresses: Vec<Ipv4Addr>,
    /// How it stands with this computer.
    pub standing: Standing,
    /// How it was seen.
    pub seen_by: Vec<SeenBy>,
    /// What the sheet calls it.
    pub planned_as: Option<String>,
    /// What it tells.
    pub facts: Vec<FactLine>,
    /// Its ports.
    pub ports: Vec<PortLine>,
    /// What it says about its state, and what that means.
    pub report: Option<Report>,
    /// What it offers.
    pub services: Vec<Service>,
    /// What it announces.
    pub streams: Vec<Stream>,
    /// What it sends, receives and maps.
    #[serde(skip_serializing_if = "Patching::is_empty")]
    pub patching: Patching,
    /// The universes of sACN that it sends.
    pub sends: Vec<u16>,
}

/// One field.
#[derive(Debug, Clone, Serialize)]
pub struct FactLine {
    /// Its name.
    pub field: String,
    /// What was told, in words; `None` where it could tell, and did not.
    pub told: Option<String>,
    /// What the sheet wants, in words, where that is another thing.
    pub planned: Option<String>,
    /// What the value of a reading means, by the user's own table.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub means: Option<Meaning>,
    /// By which way it was told.
    pub by: Way,
    /// When for the last time, since the look began.
    #[serde(rename = "at_ms", serialize_with = "as_millis::serialize")]
    pub at: Duration,
}

/// One port.
#[derive(Debug, Clone, Serialize)]
pub struct PortLine {
    /// Its number.
    pub number: u32,
    /// Which way it works, and in which protocol.
    pub works: String,
    /// Its universe.
    pub universe: String,
    /// What it is called, where it keeps that.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// Whether data passes through it; `None` where it does not tell that.
    pub data: Option<bool>,
    /// How it combines sources, and whether it does so now.
    pub merge: Option<String>,
    /// Whether RDM goes through it.
    pub rdm: Option<bool>,
    /// Of an input, whether it is on.
    pub input: Option<bool>,
    /// What the sheet wants of it that is otherwise.
    pub planned: Vec<String>,
}

/// What it says about its state.
#[derive(Debug, Clone, Serialize)]
pub struct Report {
    /// As it says it.
    pub text: Said,
    /// What its code means.
    #[serde(flatten)]
    pub means: Meaning,
}

/// What a code means.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize)]
pub struct Meaning {
    /// In words; `None` where the code is unknown.
    pub meaning: Option<String>,
    /// What it mostly comes from.
    pub cause: Option<String>,
    /// What to do about it.
    pub remedy: Option<String>,
}

impl From<&ReportCode> for Meaning {
    fn from(code: &ReportCode) -> Self {
        Self { meaning: Some(code.means.clone()), cause: code.cause.clone(), remedy: code.remedy.clone() }
    }
}

impl Portrait {
    /// This device of the census; its report as this book has it.
    #[must_use]
    pub fn of(
        device: &Device,
        census: &Census,
        everybody: Everybody<'_>,
        sheet: Option<&RigSheet>,
        codes: &CodeBook,
    ) -> Self {
        let node = device.node.and_then(|place| census.nodes().get(place));
        let planned = sheet.and_then(|sheet| planned(device, node, census, everybody, sheet));
        let wanted = sheet.zip(planned.as_ref()).map(|(sheet, (planned, _))| Wanted::by_sheet(sheet, planned));
        let differences = planned.as_ref().map_or(&[][..], |(_, differences)| &differences[..]);
        let mut sends: Vec<u16> = (census.sources().into_iter())
            .filter(|source| device.is_at(source.address, source.mac))
            .flat_map(|source| source.universes.keys().copied().collect::<Vec<_>>())
            .collect();
        sends.sort_unstable();
        sends.dedup();
        let report = node.filter(|node| !node.report.is_empty()).map(|node| {
            let kind = node.kind().map(|kind| kind.name.value.as_str());
            let means = codes.of_report(node.report.raw(), kind).map(Meaning::from).unwrap_or_default();
            Report { text: node.report.clone(), means }
        });
        let kind = sheet
            .zip(planned.as_ref())
            .and_then(|(sheet, (planned, _))| Some(sheet.kind_of(planned)?.name.value.as_str()));
        let meaning = |reading, value: &str| codes.of_reading(value, reading, kind).map(Meaning::from);
        Self {
            title: device.title(),
            what: node.map_or_else(|| device.what.to_string(), FoundNode::model),
            mac: device.mac,
            addresses: device.addresses.clone(),
            standing: device.standing,
            seen_by: device.seen_by.clone(),
            planned_as: planned.as_ref().map(|(planned, _)| planned.name.value.clone()),
            facts: facts(device, node, census, wanted.as_ref(), meaning),
            ports: match node {
                Some(node) => ports(node, differences),
                None => ports_of_units(device, census, differences),
            },
            report,
            services: census.services().into_iter().filter(|one| device.is_at(one.address, one.mac)).collect(),
            streams: census.streams().into_iter().filter(|one| device.is_at(one.sender, one.mac)).collect(),
            patching: Patching::of_device(device, census, everybody.devices, sheet),
            sends,
        }
    }
}

/// What the sheet has it as, and where it is otherwise.
fn planned<'a>(
    device: &Device,
    node: Option<&FoundNode>,
    census: &'a Census,
    everybody: Everybody<'a>,
    sheet: &'a RigSheet,
) -> Option<(&'a SheetNode, Vec<Difference>)> {
    let comparison = compare_all(sheet, census, everybody);
    let of_device = |row: &&Row<'_>| matches!(row.state, State::Seen(seen, _) | State::Mute(seen, _) if std::ptr::eq(seen, device));
    let by_node = node.and_then(|node| comparison.row_of(node));
    let row = by_node.or_else(|| comparison.rows.iter().find(of_device))?;
    Some((row.planned, row.differences().to_vec()))
}

/// Every field but those of ports, told or not, in the order of fields; what cannot be told is left out.
fn facts(
    device: &Device,
    node: Option<&FoundNode>,
    census: &Census,
    wanted: Option<&Wanted>,
    meaning: impl Fn(ReadingName, &str) -> Option<Meaning>,
) -> Vec<FactLine> {
    let wishes = wanted.map(Wanted::all_fields).unwrap_or_default();
    let last =
        |way: Way| device.seen_by.iter().find(|seen| seen.way == way).map_or(Duration::ZERO, |seen| seen.last);
    let units = census.units();
    let own = device.units.iter().filter_map(|place| units.get(*place));
    let tellers = node.map(|node| (Way::ArtNet, node as &dyn Tells)).into_iter();
    let tellers: Vec<(Way, &dyn Tells)> =
        tellers.chain(own.map(|unit| (unit.family, unit as &dyn Tells))).collect();
    let mut lines = Vec::new();
    let is_order = |field: &Field| match field {
        Field::Setting(setting) => setting.is_order(),
        field => matches!(field, Field::FactoryNetwork | Field::LossScene),
    };
    let is_reading = |field: &Field| matches!(field, Field::Reading(_));
    let of_units = device.units.iter().filter_map(|place| units.get(*place)).flat_map(|unit| unit.facts.told());
    let readings: BTreeSet<Field> = of_units
        .map(|(field, _)| field)
        .chain(wishes.iter().map(|(field, _)| *field))
        .filter(is_reading)
        .collect();
    for field in Field::OF_DEVICES.into_iter().filter(|field| !is_order(field)).chain(readings) {
        let wish = wishes.iter().find(|(one, _)| *one == field).map(|(_, value)| value.clone());
        for (way, teller) in &tellers {
            let known = teller.tells(field, wish.as_ref().unwrap_or(&Value::All));
            let told = match &known {
                Known::Told(value) => Some(field.in_words(value)),
                Known::Untold => None,
                Known::CannotTell => continue,
            };
            let planned =
                wish.as_ref().filter(|wish| !matches!(&known, Known::Told(told) if wish.is_met_by(told)));
            let planned = planned.map(|wish| field.in_words(wish));
            let means = match (field, &known) {
                (Field::Reading(name), Known::Told(value)) => meaning(name, &value.to_string()),
                _ => None,
            };
            lines.push(FactLine { field: field.to_string(), told, planned, means, by: *way, at: last(*way) });
        }
    }
    lines
}

/// What the sheet wants of a port that is otherwise.
fn planned_of(number: u32, differences: &[Difference]) -> Vec<String> {
    let in_words = |difference: &Difference| match difference.field {
        Field::Port(_, PortField::Universe) => difference.planned_in_words(),
        field => {
            let what = field.to_string().replace(&format!("port {number} "), "");
            format!("{what} {}", difference.planned_in_words())
        }
    };
    differences.iter().filter(|difference| difference.field.port() == Some(number)).map(in_words).collect()
}

/// The ports that units of other families tell of.
fn ports_of_units(device: &Device, census: &Census, differences: &[Difference]) -> Vec<PortLine> {
    let units = census.units();
    let mut facts = Facts::default();
    device.units.iter().filter_map(|place| units.get(*place)).for_each(|unit| facts.complete(&unit.facts));
    let numbers: BTreeSet<u32> = facts.told().filter_map(|(field, _)| field.port()).collect();
    let line = |number: u32| {
        let told = |field| facts.get(Field::Port(number, field));
        let words = |field| told(field).map(|value| Field::Port(number, field).in_words(value));
        let works = [words(PortField::Direction), words(PortField::Protocol)];
        let flag = |field| match told(field) {
            Some(Value::Flag(on)) => Some(*on),
            _ => None,
        };
        PortLine {
            number,
            works: works.into_iter().flatten().collect::<Vec<_>>().join(" "),
            universe: words(PortField::Universe).unwrap_or_default(),
            label: told(PortField::Label).map(ToString::to_string).filter(|label| !label.is_empty()),
            data: None,
            merge: words(PortField::Merge),
            rdm: flag(PortField::Rdm),
            input: flag(PortField::Input),
            planned: planned_of(number, differences),
        }
    };
    numbers.into_iter().map(line).collect()
}

fn ports(node: &FoundNode, differences: &[Difference]) -> Vec<PortLine> {
    let line = |(number, _, port): (u32, _, &FoundPort)| {
        let is_output = port.facing(Direction::Out).is_some();
        let both =
            port.also_in.map(|also| format!(", and in from {}", port.in_notation(also))).unwrap_or_default();
        PortLine {
            number,
            works: format!("{} {}", port.direction, port.protocol),
            universe: format!("{}{both}", port.universe()),
            label: None,
            data: Some(port.data),
            merge: is_output.then(|| format!("{}{}", port.merge, if port.merging { ", merging" } else { "" })),
            rdm: port.rdm,
            input: port.input,
            planned: planned_of(number, differences),
        }
    };
    node.ports().map(line).collect()
}
