//! What devices send, receive and map: as they call it, and beside that as the sheet does.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::net::{Ipv4Addr, SocketAddrV4};

use serde::Serialize;

use crate::census::{Census, Device, PatchKey, PatchPoint, PatchSort};
use crate::compare::{PatchRow, PatchState, PlannedPatch, Verdict, compare_patches, planned_as, routed};
use crate::facts::{Difference, Field, Value};
use crate::sheet::{ChannelMap, RigSheet, SheetStream};
use crate::{MacAddress, Said};

/// All of it.
#[derive(Debug, Clone, Default, Serialize)]
pub struct Patching {
    /// Senders and receivers: first those of the sheet's streams, stream by stream, then the others.
    pub ends: Vec<EndLine>,
    /// The channels of outputs.
    pub channels: Vec<ChannelLine>,
    /// Who was heard to want which group, by IGMP; those of universes are left out.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub wanted: Vec<WantedGroup>,
}

/// A group that somebody wants to hear.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct WantedGroup {
    /// The group.
    pub group: Ipv4Addr,
    /// What it carries: streams of the sheet, else sessions that are announced there. Empty where nobody tells.
    pub carries: Vec<String>,
    /// Who wants it: by the sheet, else by its own name, else its address.
    pub by: Vec<String>,
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
    /// Where it is to come from, where that is another thing or not known.
    pub planned: Option<String>,
    /// What became of it; `None` where nothing is planned, or nobody could look.
    pub verdict: Option<Verdict>,
    /// Why nobody knows where it comes from, in words.
    pub otherwise: Option<String>,
}

impl Patching {
    /// Everything of these devices, held against the sheet where there is one.
    #[must_use]
    pub fn of(census: &Census, devices: &[Device], sheet: Option<&RigSheet>) -> Self {
        let wanted = wanted(census, devices, sheet);
        Self { wanted, ..Self::of_those(census, devices, sheet, |_| true, |_| true) }
    }

    /// Only what is of this one of the devices, and what the sheet plans of it that it does not have.
    #[must_use]
    pub fn of_device(device: &Device, census: &Census, devices: &[Device], sheet: Option<&RigSheet>) -> Self {
        let planned = sheet.and_then(|sheet| planned_as(sheet, device)).map(|node| node.name.value.as_str());
        let is_own = |row: &PatchRow<'_>| {
            let member = sheet.map(|sheet| sheet.member_name(row.member));
            row.verdict().is_some() && planned.is_some() && member == planned
        };
        Self::of_those(census, devices, sheet, |point| point.is_of(device), is_own)
    }

    /// Only the points that are meant, and of what is planned and was not found what is meant.
    fn of_those(
        census: &Census,
        devices: &[Device],
        sheet: Option<&RigSheet>,
        is_meant: impl Fn(&PatchPoint) -> bool,
        is_missed: impl Fn(&PatchRow<'_>) -> bool,
    ) -> Self {
        let compared = sheet.map(|sheet| compare_patches(sheet, census, devices));
        let rows = compared.as_ref().map_or(&[][..], |compared| &compared.rows);
        let planned: HashMap<PatchKey, &PatchRow<'_>> =
            rows.iter().filter_map(|row| Some((row.point()?.key(), row))).collect();
        let mut names = Names { devices, sheet, known: HashMap::new() };
        let mut all = Self::default();
        for row in rows {
            let is_shown = row.point().map_or_else(|| is_missed(row), &is_meant);
            let node = || sheet.map(|sheet| sheet.member_name(row.member).to_owned());
            match row.planned {
                _ if !is_shown => {}
                PlannedPatch::Sends(_) | PlannedPatch::Receives(..) => {
                    all.ends.push(EndLine { node: node(), ..EndLine::of_row(row) });
                }
                PlannedPatch::Maps(map) => all.channels.extend(ChannelLine::of_row(row, map, node().as_ref())),
            }
        }
        for point in census.patch_points().iter().filter(|point| is_meant(point)) {
            match (point.sort, planned.get(&point.key())) {
                (_, Some(_)) => {}
                (PatchSort::Output, None) => {
                    all.channels.extend(ChannelLine::of(point, names.of(point).as_ref()));
                }
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
        let ends = self.ends.iter().map(|end| end.verdict);
        let mut all = ends.chain(self.channels.iter().map(|channel| channel.verdict));
        all.any(|verdict| matches!(verdict, Some(Verdict::Fail | Verdict::Look)))
    }

    /// Whether there is nothing.
    #[must_use]
    pub const fn is_empty(&self) -> bool {
        self.ends.is_empty() && self.channels.is_empty() && self.wanted.is_empty()
    }
}

/// Who wants which group, without those of universes (E1.31, section 9.3).
fn wanted(census: &Census, devices: &[Device], sheet: Option<&RigSheet>) -> Vec<WantedGroup> {
    let mut all: BTreeMap<Ipv4Addr, BTreeSet<String>> = BTreeMap::new();
    let (surroundings, mut names) = (census.surroundings(), Names { devices, sheet, known: HashMap::new() });
    for one in surroundings.listeners.iter().filter(|one| !matches!(one.group.octets(), [239, 255, ..])) {
        let name = names.at((one.address, one.mac), |device| device.is_at(one.address, one.mac));
        let name = name.unwrap_or_else(|| one.address.to_string());
        all.entry(one.group).or_default().insert(name);
    }
    let announced = census.streams();
    let carries = |group: Ipv4Addr| {
        let legs = |stream: &SheetStream| [stream.fixed_group(), stream.fixed_second_group()];
        let is_there = |legs: [Option<SocketAddrV4>; 2]| legs.into_iter().flatten().any(|at| *at.ip() == group);
        let of_sheet =
            sheet.map_or(&[][..], |sheet| &sheet.streams).iter().filter(|stream| is_there(legs(stream)));
        let mut names: Vec<String> = of_sheet.map(|stream| stream.name.value.clone()).collect();
        if names.is_empty() {
            let there = announced.iter().filter(|stream| stream.group == Some(group));
            names = there.map(|stream| stream.session.to_string()).collect();
        }
        names.sort();
        names.dedup();
        names
    };
    let line = |(group, by): (Ipv4Addr, BTreeSet<String>)| WantedGroup {
        group,
        carries: carries(group),
        by: by.into_iter().collect(),
    };
    all.into_iter().map(line).collect()
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
        self.at((point.unit.address, point.unit.mac), |device| point.is_of(device))
    }

    fn at(&mut self, place: (Ipv4Addr, Option<MacAddress>), is_it: impl Fn(&Device) -> bool) -> Option<String> {
        let (devices, sheet) = (self.devices, self.sheet);
        let name = || {
            let device = devices.iter().find(|device| is_it(device))?;
            let planned = sheet.and_then(|sheet| planned_as(sheet, device)).map(|node| node.name.value.clone());
            planned.or_else(|| (!device.name.is_empty()).then(|| device.name.to_string()))
        };
        self.known.entry(place).or_insert_with(name).clone()
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
        let line = row.point().map_or_else(|| Self::unknown(row.planned.sort()), Self::of);
        let otherwise = match missed(row) {
            Some(why) => vec![why],
            None => row.differences().iter().map(ToString::to_string).collect(),
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

/// Why it is not known which one is meant, in words; `None` where it is.
fn missed(row: &PatchRow<'_>) -> Option<String> {
    let sort = row.planned.sort().word();
    match &row.state {
        PatchState::Found(..) => None,
        PatchState::NotAsked => Some("its device was not seen".to_owned()),
        PatchState::Silent => Some("its device does not tell what is patched".to_owned()),
        PatchState::NoSuch(labels) if labels.is_empty() => Some(format!("the device has no {sort}")),
        PatchState::NoSuch(labels) => Some(format!("the device has {}", labels.join(", "))),
        PatchState::Claimed(streams) => Some(format!("it is meant for {}", streams.join(" and "))),
        PatchState::Several(labels) => Some(format!("several could be meant: {}", labels.join(", "))),
    }
}

impl ChannelLine {
    /// A line for each channel that the output has.
    fn of(point: &PatchPoint, node: Option<&String>) -> Vec<Self> {
        let told = match point.unit.facts.get(Field::Channels) {
            Some(Value::Count(count)) => *count,
            _ => 0,
        };
        (1..=told).map(|number| Self { node: node.cloned(), ..Self::of_channel(point, number) }).collect()
    }

    fn of_channel(point: &PatchPoint, number: u32) -> Self {
        let field = Field::Channel(number);
        Self {
            device: point.of_label.clone(),
            address: point.unit.address,
            output: point.label(),
            label: point.channels.get(number as usize - 1).cloned().unwrap_or_default(),
            from: point.unit.facts.get(field).map(|value| field.in_words(value)),
            ..Self::unknown(number)
        }
    }

    /// One of which nothing is known yet.
    fn unknown(number: u32) -> Self {
        Self {
            node: None,
            device: Said::default(),
            address: Ipv4Addr::UNSPECIFIED,
            planned_as: None,
            output: Said::default(),
            number,
            label: Said::default(),
            name: None,
            from: None,
            planned: None,
            verdict: None,
            otherwise: None,
        }
    }

    /// A line for each channel that the output or its map on the sheet has, whether the output was found or not.
    fn of_row(row: &PatchRow<'_>, map: &ChannelMap, node: Option<&String>) -> Vec<Self> {
        let told = row.point().map_or_else(Vec::new, |point| Self::of(point, node)).len();
        let count = told.max(map.channels.len()).max(map.names.len());
        let why = missed(row);
        let line = |(number, place): (u32, usize)| {
            let own = row.point().map_or_else(|| Self::unknown(number), |point| Self::of_channel(point, number));
            let field = Field::Channel(number);
            let other = row.differences().iter().find(|difference| difference.field == field);
            let wanted = map.channels.get(place);
            let unseen = wanted.filter(|_| why.is_some());
            let verdict = match (wanted, other) {
                (None, _) => None,
                (Some(_), Some(other)) => Some(Verdict::of(std::slice::from_ref(other))),
                (Some(_), None) => row.verdict().map(|of_row| if why.is_some() { of_row } else { Verdict::Pass }),
            };
            Self {
                node: node.cloned(),
                planned_as: Some(row.name.clone()),
                name: map.names.get(place).map(|name| name.value.clone()),
                planned: other
                    .map(Difference::planned_in_words)
                    .or_else(|| unseen.map(|from| field.in_words(&routed(&from.value, &[])))),
                verdict,
                otherwise: why.clone(),
                ..own
            }
        };
        (1..).zip(0..count).map(line).collect()
    }
}
