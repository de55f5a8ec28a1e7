//! What devices send, receive and map: as they call it, and beside that as the sheet does.

use std::collections::HashMap;
use std::net::Ipv4Addr;

use serde::Serialize;

use crate::Said;
use crate::census::{Census, Device, PatchPoint, PatchSort};
use crate::compare::{PatchRow, PatchState, PlannedPatch, Verdict, compare_patches, planned_as};
use crate::facts::{Difference, Field, Value};
use crate::sheet::RigSheet;

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
        let compared = sheet.map(|sheet| compare_patches(sheet, census, devices));
        let rows = compared.as_ref().map_or(&[][..], |compared| &compared.rows);
        let is_planned =
            |point: &PatchPoint| rows.iter().any(|row| found(row).is_some_and(|one| is_same(one, point)));
        let points = census.patch_points();
        let of_sheet =
            rows.iter().filter(|row| !matches!(row.planned, PlannedPatch::Maps(_))).map(EndLine::of_row);
        let others = points.iter().filter(|point| point.sort != PatchSort::Output && !is_planned(point));
        let outputs = points.iter().filter(|point| point.sort == PatchSort::Output);
        let of_output = |point: &PatchPoint| {
            let row = rows.iter().find(|row| found(row).is_some_and(|one| is_same(one, point)));
            channels(point, row)
        };
        let mut all = Self {
            ends: of_sheet.chain(others.map(EndLine::of)).collect(),
            channels: outputs.flat_map(of_output).collect(),
        };
        all.name_devices(devices, sheet);
        all
    }

    /// Says of each what the sheet calls its device, or else what that is called on the network.
    fn name_devices(&mut self, devices: &[Device], sheet: Option<&RigSheet>) {
        let mut names: HashMap<Ipv4Addr, String> = HashMap::new();
        for device in devices {
            let planned = sheet.and_then(|sheet| planned_as(sheet, device)).map(|node| node.name.value.clone());
            let own = (!device.name.is_empty()).then(|| device.name.to_string());
            if let Some(name) = planned.or(own) {
                names.extend(device.addresses.iter().map(|address| (*address, name.clone())));
            }
        }
        for end in &mut self.ends {
            end.node = names.get(&end.address).cloned().or(end.node.take());
        }
        for channel in &mut self.channels {
            channel.node = names.get(&channel.address).cloned();
        }
    }

    /// Only what is of this device.
    #[must_use]
    pub fn of_device(mut self, device: &Device) -> Self {
        self.ends.retain(|end| device.addresses.contains(&end.address));
        self.channels.retain(|channel| device.addresses.contains(&channel.address));
        self
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

const fn found<'a>(row: &'a PatchRow<'_>) -> Option<&'a PatchPoint> {
    match &row.state {
        PatchState::Found(point, _) => Some(point),
        _ => None,
    }
}

fn is_same(one: &PatchPoint, other: &PatchPoint) -> bool {
    (&one.unit.identity, one.unit.mac, one.unit.address)
        == (&other.unit.identity, other.unit.mac, other.unit.address)
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
            stream: None,
            sort: point.sort,
            planned_as: None,
            node: None,
            device: point.of_label.clone(),
            address: point.unit.address,
            label: point.label(),
            enabled: flag(Field::Enabled),
            from: words(Field::Sender),
            groups: [Field::Group, Field::SecondGroup].into_iter().filter_map(words).collect(),
            form: form.into_iter().flatten().collect::<Vec<_>>().join(" "),
            channels: point.channels.clone(),
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
        let nothing = || Self {
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
        };
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
fn channels(point: &PatchPoint, row: Option<&PatchRow<'_>>) -> Vec<ChannelLine> {
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
            node: None,
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
