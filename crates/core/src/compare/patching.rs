//! What is patched, held against the sheet: the ends of streams, and channel maps.

use std::collections::HashMap;

use super::device_of;
use super::verdict::Verdict;
use crate::census::{Census, Device, PatchKey, PatchPoint, PatchSort};
use crate::facts::{Difference, Field, Known, Patched, Tells, Value};
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{ChannelMap, Member, RigSheet, SheetStream, Span, StreamEnd, WantedChannel};

pub(super) static RULES: &[&Rule] = &[&DIFFERENT, &NO_SUCH, &UNTOLD, &FORMAT, &UNPATCHED];

static DIFFERENT: Rule = Rule {
    code: "R026",
    severity: Severity::Error,
    title: "a stream or channel that is patched otherwise than planned",
    why: "what is to be heard or seen there is not, or something else is",
};
static NO_SUCH: Rule = Rule {
    code: "R027",
    severity: Severity::Error,
    title: "a sender, receiver or output that the device does not have",
    why: "the sheet names it as somebody calls it, and the device calls it otherwise",
};
static UNTOLD: Rule = Rule {
    code: "R028",
    severity: Severity::Warning,
    title: "what is patched was not told whole",
    why: "what it does not tell may be as planned or not, and nobody knows",
};
static FORMAT: Rule = Rule {
    code: "R029",
    severity: Severity::Error,
    title: "a stream of another form than planned",
    why: "a receiver that is set for another number of channels, bits or samples plays noise, or nothing",
};
static UNPATCHED: Rule = Rule {
    code: "R030",
    severity: Severity::Note,
    title: "ends of streams that nobody can look at from here",
    why: "their devices tell by no open protocol what they send and receive",
};

/// Everything that the sheet patches.
#[derive(Debug, Clone)]
pub struct PatchComparison<'a> {
    /// One row for each end of each stream, and each channel map, in the order of the sheet.
    pub rows: Vec<PatchRow<'a>>,
}

/// One end of a stream, or one channel map, and what became of it.
#[derive(Debug, Clone)]
pub struct PatchRow<'a> {
    /// What is planned.
    pub planned: PlannedPatch<'a>,
    /// What the sheet calls it: `hall-amp-left/In A`.
    pub name: String,
    /// The node, desk or server that it is of: the place in [`RigSheet::member`].
    pub member: usize,
    /// What was found.
    pub state: PatchState,
}

/// What is planned of it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PlannedPatch<'a> {
    /// It sends this.
    Sends(&'a SheetStream),
    /// It receives this.
    Receives(&'a SheetStream, &'a StreamEnd),
    /// Its channels come from there.
    Maps(&'a ChannelMap),
}

/// What was found of it.
#[derive(Debug, Clone)]
pub enum PatchState {
    /// Its device was not seen.
    NotAsked,
    /// Its device tells nothing of what is patched.
    Silent,
    /// Its device has none that is called so; what those are called that it has.
    NoSuch(Vec<String>),
    /// Several could be meant, which are called so.
    Several(Vec<String>),
    /// Several streams mean it, which are called so.
    Claimed(Vec<String>),
    /// This one, and how it differs from what is planned.
    Found(Box<PatchPoint>, Vec<Difference>),
}

impl PlannedPatch<'_> {
    /// Which sort of point it is.
    #[must_use]
    pub const fn sort(self) -> PatchSort {
        match self {
            Self::Sends(_) => PatchSort::Sender,
            Self::Receives(..) => PatchSort::Receiver,
            Self::Maps(_) => PatchSort::Output,
        }
    }

    /// The name of the stream; `None` for a channel map.
    #[must_use]
    pub fn stream(&self) -> Option<&str> {
        match self {
            Self::Sends(stream) | Self::Receives(stream, _) => Some(&stream.name.value),
            Self::Maps(_) => None,
        }
    }

    /// Where the sheet says it.
    #[must_use]
    pub const fn span(&self) -> Span {
        match self {
            Self::Sends(stream) => stream.from.member.span,
            Self::Receives(_, end) => end.member.span,
            Self::Maps(map) => map.node.span,
        }
    }
}

impl PatchRow<'_> {
    /// What became of it; `None` where nobody could look.
    #[must_use]
    pub fn verdict(&self) -> Option<Verdict> {
        match &self.state {
            // That its device does not answer is said of the device.
            PatchState::NotAsked | PatchState::Silent => None,
            PatchState::NoSuch(_) | PatchState::Several(_) | PatchState::Claimed(_) => Some(Verdict::Fail),
            PatchState::Found(_, differences) => Some(Verdict::of(differences)),
        }
    }

    /// What was found, where it is clear which one is meant.
    pub(crate) const fn point(&self) -> Option<&PatchPoint> {
        match &self.state {
            PatchState::Found(point, _) => Some(point),
            _ => None,
        }
    }

    /// What is set otherwise than planned.
    #[must_use]
    pub fn differences(&self) -> &[Difference] {
        match &self.state {
            PatchState::Found(_, differences) => differences,
            _ => &[],
        }
    }

    fn findings(&self, sheet: &RigSheet) -> Vec<Finding> {
        let name = &self.name;
        let list = |all: &[String]| if all.is_empty() { "none".to_owned() } else { all.join(", ") };
        let sort = self.planned.sort().word();
        let at = |finding: Finding| finding.at(sheet, self.planned.span(), name.clone());
        match &self.state {
            PatchState::NotAsked | PatchState::Silent => Vec::new(),
            PatchState::NoSuch(there) => {
                let what = format!("{name}: the device has no such {sort}; it has {}", list(there));
                vec![
                    at(NO_SUCH.finding(what, "write on the sheet what the device calls it: deft-lantern streams")),
                ]
            }
            PatchState::Several(there) => {
                let what = format!("{name}: the device has several that could be meant: {}", list(there));
                let remedy = format!("name the {sort} on the sheet, as in \"NODE/LABEL\"");
                vec![at(NO_SUCH.finding(what, remedy))]
            }
            PatchState::Claimed(streams) => {
                let what = format!("{name} is the only {sort} there is for {}", streams.join(" and "));
                let remedy =
                    format!("name the {sort} of each on the sheet, as in \"NODE/LABEL\", or take one stream off");
                vec![at(NO_SUCH.finding(what, remedy))]
            }
            PatchState::Found(_, differences) => {
                let is_form = |one: &&Difference| is_form(one.field);
                let words = |some: Vec<&Difference>| {
                    let words: Vec<String> = some.into_iter().map(ToString::to_string).collect();
                    (!words.is_empty()).then(|| format!("{name}: {}", words.join("; ")))
                };
                let (told, untold): (Vec<&Difference>, Vec<&Difference>) =
                    differences.iter().partition(|one| one.is_told());
                let (form, set): (Vec<&Difference>, Vec<&Difference>) = told.into_iter().partition(is_form);
                let set = words(set).map(|what| {
                    DIFFERENT.finding(what, "deft-lantern apply SHEET --only streams, or correct the sheet")
                });
                let form = words(form)
                    .map(|what| FORMAT.finding(what, "set the sender at the unit itself, or correct the sheet"));
                let untold = words(untold)
                    .map(|what| UNTOLD.finding(what, "check again; if it stays so, look at the unit itself"));
                [set, form, untold].into_iter().flatten().map(at).collect()
            }
        }
    }
}

impl PatchComparison<'_> {
    /// Everything that is not as planned.
    #[must_use]
    pub fn findings(&self, sheet: &RigSheet) -> Vec<Finding> {
        let mut findings: Vec<Finding> = self.rows.iter().flat_map(|row| row.findings(sheet)).collect();
        let silent: Vec<&str> = self
            .rows
            .iter()
            .filter(|row| matches!(row.state, PatchState::Silent))
            .map(|row| row.name.as_str())
            .collect();
        if let Some(first) = silent.first() {
            let more = match silent.len() {
                1 => String::new(),
                count => format!(" and {} more", count - 1),
            };
            let what = format!("{first}{more}: nobody tells what is patched there");
            findings.push(UNPATCHED.finding(what, "look at their own pages: deft-lantern open NODE"));
        }
        findings
    }

    /// How many can be looked at, and how many of them are as planned.
    #[must_use]
    pub fn tally(&self) -> (usize, usize) {
        let all: Vec<Verdict> = self.rows.iter().filter_map(PatchRow::verdict).collect();
        (all.len(), all.iter().filter(|verdict| **verdict == Verdict::Pass).count())
    }

    /// Only what is of these members of the sheet.
    #[must_use]
    pub fn only(mut self, is_meant: impl Fn(usize) -> bool) -> Self {
        self.rows.retain(|row| is_meant(row.member));
        self
    }

    /// The same without those that are left, by what the sheet calls them.
    #[must_use]
    pub fn without(mut self, is_left: impl Fn(&str) -> bool) -> Self {
        self.rows.retain(|row| !is_left(&row.name));
        self
    }
}

/// What a stream is, and not where it goes: no message sets that.
const fn is_form(field: Field) -> bool {
    matches!(field, Field::Carries | Field::Channels | Field::Bits | Field::Samples)
}

/// The points of each member of the sheet that was seen; those that were not seen are not in it.
struct Points {
    all: Vec<PatchPoint>,
    of: HashMap<usize, Vec<usize>>,
}

impl Points {
    fn new(sheet: &RigSheet, census: &Census, devices: &[Device]) -> Self {
        let all = census.patch_points();
        let mut members: Vec<usize> = sheet
            .streams
            .iter()
            .flat_map(|stream| stream.to.iter().chain([&stream.from]).map(|end| end.member.value))
            .chain(sheet.channel_maps.iter().map(|map| map.node.value))
            .collect();
        members.sort_unstable();
        members.dedup();
        let mut of = HashMap::new();
        for member in members {
            let device = match sheet.member(member) {
                Some(Member::Node(node)) => device_of(node, devices),
                Some(other) => {
                    other.fixed_address().and_then(|at| devices.iter().find(|one| one.addresses.contains(&at)))
                }
                None => None,
            };
            if let Some(device) = device {
                let own = all.iter().enumerate().filter(|(_, point)| point.is_of(device));
                of.insert(member, own.map(|(place, _)| place).collect());
            }
        }
        Self { all, of }
    }

    /// What is meant: the only one of that sort that is called so; where nothing is named, the only one that carries that as far as it
    /// tells, or of several the one that is called as the stream is.
    fn find(
        &self,
        member: usize,
        sort: PatchSort,
        label: Option<&str>,
        of: Option<&SheetStream>,
    ) -> Result<&PatchPoint, PatchState> {
        let Some(own) = self.of.get(&member) else { return Err(PatchState::NotAsked) };
        let carries = of.map(|stream| stream.carries.value.to_string());
        let stream = of.map(|stream| stream.name.value.as_str());
        let own: Vec<&PatchPoint> = own.iter().map(|place| &self.all[*place]).collect();
        if own.is_empty() {
            return Err(PatchState::Silent);
        }
        let of_sort: Vec<&PatchPoint> = own.into_iter().filter(|point| point.sort == sort).collect();
        let labels = |some: &[&PatchPoint]| some.iter().map(|point| point.label().to_string()).collect::<Vec<_>>();
        let is_called = |point: &&&PatchPoint| {
            label.is_none_or(|label| point.label().raw() == label || point.unit.identity.raw() == label)
        };
        let carries_it = |point: &&&PatchPoint| {
            let told = point.unit.facts.get(Field::Carries);
            label.is_some()
                || told.is_none_or(|told| carries.as_ref().is_none_or(|carries| told.to_string() == *carries))
        };
        let found: Vec<&PatchPoint> = of_sort.iter().filter(is_called).filter(carries_it).copied().collect();
        let after_stream: Vec<&PatchPoint> = match (label, stream) {
            (None, Some(stream)) => found.iter().filter(|point| point.label().raw() == stream).copied().collect(),
            _ => Vec::new(),
        };
        match (&found[..], &after_stream[..]) {
            ([], _) => Err(PatchState::NoSuch(labels(&of_sort))),
            ([one], _) | (_, [one]) => Ok(one),
            (several, _) => Err(PatchState::Several(labels(several))),
        }
    }
}

/// Holds what is patched against the sheet.
#[must_use]
pub fn compare_patches<'a>(sheet: &'a RigSheet, census: &Census, devices: &[Device]) -> PatchComparison<'a> {
    let points = Points::new(sheet, census, devices);
    let mut rows = Vec::new();
    for stream in &sheet.streams {
        let carries = stream.carries.value.to_string();
        let find = |end: &StreamEnd, sort| points.find(end.member.value, sort, end.label.as_deref(), Some(stream));
        let sender = find(&stream.from, PatchSort::Sender);
        let row = |planned: PlannedPatch<'a>,
                   end: &StreamEnd,
                   found: Result<&PatchPoint, PatchState>,
                   wanted: Vec<(Field, Value)>| {
            let state = found.map_or_else(|state| state, |point| found_as(point, wanted));
            PatchRow { planned, name: sheet.end_name(end), member: end.member.value, state }
        };
        let wanted = [goes(stream), form(stream)].concat();
        rows.push(row(PlannedPatch::Sends(stream), &stream.from, sender.clone(), wanted));
        for to in &stream.to {
            let from = sender.as_ref().ok().map(|sender| (Field::Sender, patched_to(sender)));
            let carried = (Field::Carries, Value::Text(carries.as_str().into()));
            let wanted = from.into_iter().chain(goes(stream)).chain([carried]).collect();
            rows.push(row(PlannedPatch::Receives(stream, to), to, find(to, PatchSort::Receiver), wanted));
        }
    }
    for map in &sheet.channel_maps {
        let output = map.output.as_ref().map(|output| output.value.as_str());
        let found = points.find(map.node.value, PatchSort::Output, output, None);
        let state = found.map_or_else(
            |state| state,
            |point| {
                let wanted = (1..).zip(&map.channels);
                let wanted =
                    wanted.map(|(number, from)| (Field::Channel(number), routed(&from.value, &point.choices)));
                found_as(point, wanted.collect())
            },
        );
        let node = sheet.member_name(map.node.value);
        let name = output.map_or_else(|| node.to_owned(), |output| format!("{node}/{output}"));
        rows.push(PatchRow { planned: PlannedPatch::Maps(map), name, member: map.node.value, state });
    }
    refuse_claimed_twice(&mut rows);
    PatchComparison { rows }
}

/// One that several streams would be patched to, each otherwise, is none of theirs before the sheet says which.
fn refuse_claimed_twice(rows: &mut [PatchRow<'_>]) {
    let mut claims: HashMap<PatchKey, Vec<String>> = HashMap::new();
    let key = |row: &PatchRow<'_>| row.point().map(PatchPoint::key);
    for row in rows.iter() {
        let stream = row.planned.stream().unwrap_or(&row.name);
        key(row).into_iter().for_each(|key| claims.entry(key).or_default().push(stream.to_owned()));
    }
    for row in rows {
        let claims = key(row).and_then(|key| claims.get(&key)).filter(|claims| claims.len() > 1);
        if let Some(claims) = claims {
            row.state = PatchState::Claimed(claims.clone());
        }
    }
}

/// A point beside what is wanted of it. What it is, and cannot tell, is nobody's business.
fn found_as(point: &PatchPoint, wanted: Vec<(Field, Value)>) -> PatchState {
    let facts = &point.unit.facts;
    let between = |(field, planned): (Field, Value)| {
        let difference = Difference::between(field, planned.clone(), facts)?;
        let is_told = matches!(facts.tells(field, &planned), Known::Told(_));
        (is_told || !is_form(field)).then_some(difference)
    };
    PatchState::Found(Box::new(point.clone()), wanted.into_iter().filter_map(between).collect())
}

/// Where a stream goes, and that it does.
fn goes(stream: &SheetStream) -> Vec<(Field, Value)> {
    let group = |field, group: Option<_>| group.map(|group| (field, Value::Group(group)));
    let legs = [
        group(Field::Group, stream.fixed_group()),
        group(Field::SecondGroup, stream.fixed_second_group()),
        Some((Field::Enabled, Value::Flag(true))),
    ];
    legs.into_iter().flatten().collect()
}

/// What a stream is.
fn form(stream: &SheetStream) -> Vec<(Field, Value)> {
    let count = |field, count: &Option<crate::sheet::Placed<u32>>| {
        count.as_ref().map(|count| (field, Value::Count(count.value)))
    };
    let carries = Value::Text(stream.carries.value.to_string().as_str().into());
    let counts = [
        count(Field::Channels, &stream.channels),
        count(Field::Bits, &stream.bits),
        count(Field::Samples, &stream.samples),
    ];
    std::iter::once((Field::Carries, carries)).chain(counts.into_iter().flatten()).collect()
}

fn patched_to(sender: &PatchPoint) -> Value {
    let label = sender.title();
    Value::Patched(Box::new(Patched {
        id: sender.unit.identity.clone(),
        channel: None,
        label: label.as_str().into(),
    }))
}

/// Where a channel is to come from, as the device calls it; by its number where no channel is called so.
#[must_use]
pub fn routed(from: &WantedChannel, choices: &[Patched]) -> Value {
    let WantedChannel::From { input, channel } = from else { return Value::Nothing };
    let whole = format!("{input}/{channel}");
    let of_input = |choice: &&Patched| {
        choice.id.raw() == input
            || choice.label.raw().strip_prefix(input.as_str()).is_some_and(|rest| rest.starts_with('/'))
    };
    let number = channel.parse::<u32>().ok().and_then(|number| number.checked_sub(1));
    let by_label = choices.iter().find(|choice| choice.label.raw() == whole);
    let found = by_label
        .or_else(|| choices.iter().filter(of_input).find(|choice| choice.channel == number && number.is_some()));
    let unknown = || Patched { id: whole.as_str().into(), channel: number, label: whole.as_str().into() };
    Value::Patched(Box::new(found.cloned().unwrap_or_else(unknown)))
}
