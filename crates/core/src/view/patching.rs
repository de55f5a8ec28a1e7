//! What devices send, receive and map: as they call it, and beside that as the sheet does.

use std::collections::HashMap;
use std::net::Ipv4Addr;

use serde::Serialize;

use crate::census::{Census, Device, PatchKey, PatchPoint, PatchSort};
use crate::compare::{PatchRow, PatchState, PlannedPatch, Verdict, compare_patches, planned_as};
use crate::facts::{Difference, Field, Value};
use crate::sheet::RigSheet;
use crate::{MacAddress, Said};

/// All of it.
#[derive(Debug, Clone, Default, Serialize)]
pub struct Patching {
    /// Senders and receivers: first those of the sheet's streams, stream by stream, then the others.
    pub ends: Vec<EndLine>,
    /// The channels of outputs.
    pub channels: Vec<ChannelLine>,
}

/// A sender or a receiver.
#[derive(Debug, Clone, Serialize)]
pub struct EndLine {
    /// The stream of the sheet that it is an end of.
    pub stream: Option<String>,
    /// Which of both it is.
    pub sort: PatchSort,
    /// What the sheet calls it: `hall-amp-left/In A`.
    pub planned_as: Option<String>,
    /// What the sheet calls its device, or else what that is called on the network.
    pub node: Option<String>,
    /// What its device calls itself.
    pub device: Said,
    /// The device's address; all zero where it was not found.
    pub address: Ipv4Addr,
    /// What its device calls it.
    pub label: Said,
    /// Whether it sends, or receives; `None` where that was not told.
    pub enabled: Option<bool>,
    /// Of a receiver, from whom, in words.
    pub from: Option<String>,
    /// Where each leg goes to or comes from.
    pub groups: Vec<String>,
    /// What it carries, and in which form.
    pub form: String,
    /// What its device calls the channels of it.
    pub channels: Vec<Said>,
    /// What became of it; `None` where nothing is planned, or nobody could look.
    pub verdict: Option<Verdict>,
    /// What is otherwise than planned, in words.
    pub otherwise: Vec<String>,
}

/// A channel of an output.
#[derive(Debug, Clone, Serialize)]
pub struct ChannelLine {
    /// What the sheet calls its device, or else what that is called on the network.
    pub node: Option<String>,
    /// What its device calls itself.
    pub device: Said,
    /// The device's address.
    pub address: Ipv4Addr,
    /// What the sheet calls the output.
    pub planned_as: Option<String>,
    /// What its device calls the output.
    pub output: Said,
    /// Its number, from 1.
    pub number: u32,
    /// What its device calls it.
    pub label: Said,
    /// What the sheet calls it.
    pub name: Option<String>,
    /// Where it comes from, in words; `None` where that was not told.
    pub from: Option<String>,
    /// Where it is to come from, where that is another thing.
    pub planned: Option<String>,
}

impl Patching {
    /// Everything of these devices, held against the sheet where there is one.
    #[must_use]
    pub fn of(census: &Census, devices: &[Device], sheet: Option<&RigSheet>) -> Self {
        Self::of_those(census, devices, sheet, |_| true)
    }

    /// Only what is of this one of the devices.
    #[must_use]
    pub fn of_device(device: &Device, census: &Census, devices: &[Device], sheet: Option<&RigSheet>) -> Self {
        Self::of_those(census, devices, sheet, |point| point.is_some_and(|point| point.is_of(device)))
    }

    /// Only the points that are meant; whether what is planned and was not found is meant, `None` says.
    fn of_those(
        census: &Census,
        devices: &[Device],
        sheet: Option<&RigSheet>,
        is_meant: impl Fn(Option<&PatchPoint>) -> bool,
    ) -> Self {
        let compared = sheet.map(|sheet| compare_patches(sheet, census, devices));
        let rows = compared.as_ref().map_or(&[][..], |compared| &compared.rows);
        let planned: HashMap<PatchKey, &PatchRow<'_>> =
            rows.iter().filter_map(|row| Some((row.point()?.key(), row))).collect();
        let mut names = Names { devices, sheet, known: HashMap::new() };
        let mut all = Self::default();
        for row in rows.iter().filter(|row| !matches!(row.planned, PlannedPatch::Maps(_)) && is_meant(row.point()))
        {
            let node = row.point().and_then(|point| names.of(point));
            all.ends.push(EndLine { node, ..EndLine::of_row(row) });
        }
        for point in census.patch_points().iter().filter(|point| is_meant(Some(point))) {
            let row = planned.get(&point.key()).copied();
            match (point.sort, row) {
                (PatchSort::Output, row) => all.channels.extend(channels(point, row, names.of(point).as_ref())),
                (PatchSort::Sender | PatchSort::Receiver, Some(_)) => {}
                (PatchSort::Sender | PatchSort::Receiver, None) => {
                    all.ends.push(EndLine { node: names.of(point), ..EndLine::of(point) });
                }
            }
        }
        all
    }

    /// Whether anything is otherwise than the sheet says, or was not told.
    #[must_use]
    pub fn differs(&self) -> bool {
        self.ends.iter().any(|end| matches!(end.verdict, Some(Verdict::Fail | Verdict::Look)))
            || self.channels.iter().any(|channel| channel.planned.is_some())
    }

    /// Whether there is nothing.
    #[must_use]
    pub const fn is_empty(&self) -> bool {
        self.ends.is_empty() && self.channels.is_empty()
    }
}

/// What devices are called: by the sheet, or else on the network.
struct Names<'a> {
    devices: &'a [Device],
    sheet: Option<&'a RigSheet>,
    /// By where a point is, since a device has many.
    known: HashMap<(Ipv4Addr, Option<MacAddress>), Option<String>>,
}

impl Names<'_> {
    fn of(&mut self, point: &PatchPoint) -> Option<String> {
        let (devices, sheet) = (self.devices, self.sheet);
        let name = || {
            let device = devices.iter().find(|device| point.is_of(device))?;
            let planned = sheet.and_then(|sheet| planned_as(sheet, device)).map(|node| node.name.value.clone());
            planned.or_else(|| (!device.name.is_empty()).then(|| device.name.to_string()))
        };
        self.known.entry((point.unit.address, point.unit.mac)).or_insert_with(name).clone()
    }
}

impl EndLine {
    fn of(point: &PatchPoint) -> Self {
        let facts = &point.unit.facts;
        let words = |field: Field| facts.get(field).map(|value| field.in_words(value));
        let form = [
            words(Field::Carries),
            words(Field::Channels).map(|count| format!("{count} ch")),
            words(Field::Bits).map(|bits| format!("{bits} bit")),
            words(Field::Samples).map(|samples| format!("{samples} Hz")),
        ];
        let flag = |field| match facts.get(field) {
            Some(Value::Flag(on)) => Some(*on),
            _ => None,
        };
        Self {
            device: point.of_label.clone(),
            address: point.unit.address,
            label: point.label(),
            enabled: flag(Field::Enabled),
            from: words(Field::Sender),
            groups: [Field::Group, Field::SecondGroup].into_iter().filter_map(words).collect(),
            form: form.into_iter().flatten().collect::<Vec<_>>().join(" "),
            channels: point.channels.clone(),
            ..Self::unknown(point.sort)
        }
    }

    /// One of which nothing is known yet.
    fn unknown(sort: PatchSort) -> Self {
        Self {
            stream: None,
            sort,
            planned_as: None,
            node: None,
            device: Said::default(),
            address: Ipv4Addr::UNSPECIFIED,
            label: Said::default(),
            enabled: None,
            from: None,
            groups: Vec::new(),
            form: String::new(),
            channels: Vec::new(),
            verdict: None,
            otherwise: Vec::new(),
        }
    }

    /// One of the sheet, whether it was found or not.
    fn of_row(row: &PatchRow<'_>) -> Self {
        let there = |sort: &str, labels: &[String]| match labels {
            [] => format!("the device has no {sort}"),
            labels => format!("the device has {}", labels.join(", ")),
        };
        let sort = row.planned.sort();
        let nothing = || Self::unknown(sort);
        let (line, otherwise) = match &row.state {
            PatchState::Found(point, differences) => {
                (Self::of(point), differences.iter().map(ToString::to_string).collect())
            }
            PatchState::NotAsked => (nothing(), vec!["its device was not seen".to_owned()]),
            PatchState::Silent => (nothing(), vec!["its device does not tell what is patched".to_owned()]),
            PatchState::NoSuch(labels) => (nothing(), vec![there(sort.word(), labels)]),
            PatchState::Claimed(streams) => {
                (nothing(), vec![format!("it is meant for {}", streams.join(" and "))])
            }
            PatchState::Several(labels) => {
                (nothing(), vec![format!("several could be meant: {}", labels.join(", "))])
            }
        };
        Self {
            stream: row.planned.stream().map(str::to_owned),
            planned_as: Some(row.name.clone()),
            verdict: row.verdict(),
            otherwise,
            ..line
        }
    }
}

/// A line for each channel that the device or the sheet has.
fn channels(point: &PatchPoint, row: Option<&PatchRow<'_>>, node: Option<&String>) -> Vec<ChannelLine> {
    let map = row.and_then(|row| match row.planned {
        PlannedPatch::Maps(map) => Some(map),
        PlannedPatch::Sends(_) | PlannedPatch::Receives(..) => None,
    });
    let differences = row.map_or(&[][..], PatchRow::differences);
    let told = match point.unit.facts.get(Field::Channels) {
        Some(Value::Count(count)) => *count,
        _ => 0,
    };
    let line = |number: u32| {
        let field = Field::Channel(number);
        let place = number as usize - 1;
        let name = map.and_then(|map| map.names.get(place)).map(|name| name.value.clone());
        let other = differences.iter().find(|difference| difference.field == field);
        ChannelLine {
            node: node.cloned(),
            device: point.of_label.clone(),
            address: point.unit.address,
            planned_as: row.map(|row| row.name.clone()),
            output: point.label(),
            number,
            label: point.channels.get(place).cloned().unwrap_or_default(),
            name,
            from: point.unit.facts.get(field).map(|value| field.in_words(value)),
            planned: other.map(Difference::planned_in_words),
        }
    };
    (1..=told).map(line).collect()
}
