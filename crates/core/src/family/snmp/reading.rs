//! A whole reading of one agent: question after question, and what is learned from the answers.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::snmp::{Failed, Oid, Value as Told, objects};

use super::caller::{Caller, Reply, Request};
use super::{FIELDS, mask_of, object};
use crate::conversation::{LinkId, LinkNews, Outgoing};
use crate::facts::{Facts, Field, ReadingName, Value};
use crate::{Access, Said};

/// How many rows of a column are asked for at a time, and the most that are looked at.
const ROWS_AT_ONCE: u32 = 24;
const MOST_ROWS: usize = 512;
/// How many objects are asked for at a time.
const AT_ONCE: usize = 8;

/// How much is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Extent {
    /// Everything.
    Whole,
    /// Only what tells who it is, and what can be set.
    Settings,
}

/// A column that is walked through.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Walk {
    column: Oid,
    last: Oid,
    rows: usize,
    of: Column,
}

/// What a column holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Column {
    Macs,
    /// Frames, counted for this field.
    Frames(Field),
}

/// One question.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Question {
    Objects(Vec<(Field, Oid)>),
    Column(Walk),
}

/// One reading.
#[derive(Debug)]
pub(super) struct Reading {
    caller: Caller,
    /// What is asked of it, and what it may tell.
    all: Vec<Question>,
    able: Facts,
    open: VecDeque<Question>,
    /// Whether it has answered anything.
    is_heard: bool,
    pub(super) facts: Facts,
    /// The MAC addresses of its interfaces.
    pub(super) macs: BTreeSet<MacAddress>,
    /// What was told of each field, as it was told, and by which object.
    pub(super) told: BTreeMap<Field, (Oid, Told)>,
    frames: BTreeMap<Field, u64>,
}

impl Reading {
    /// Of whoever is there, with these readings beside what all tell.
    pub(super) fn new(caller: Caller, readings: &[(ReadingName, Oid)], extent: Extent) -> Self {
        let fields = [Field::Description, Field::Name, Field::Location, Field::Contact];
        let mask = mask_of(caller.address()).map(|object| (Field::Mask, object));
        let system = fields.into_iter().filter_map(|field| Some((field, object(field)?))).chain(mask).collect();
        let columns: &[(Column, &str)] = match extent {
            Extent::Settings => &[(Column::Macs, objects::MAC_ADDRESSES)],
            Extent::Whole => &[
                (Column::Macs, objects::MAC_ADDRESSES),
                (Column::Frames(Field::DamagedFrames), objects::IN_DAMAGED),
                (Column::Frames(Field::DamagedFrames), objects::OUT_DAMAGED),
                (Column::Frames(Field::DroppedFrames), objects::IN_DROPPED),
                (Column::Frames(Field::DroppedFrames), objects::OUT_DROPPED),
            ],
        };
        let walk = |(of, column): &(Column, &str)| {
            let column: Oid = column.parse().ok()?;
            Some(Question::Column(Walk { last: column.clone(), column, rows: 0, of: *of }))
        };
        let readings: Vec<(Field, Oid)> =
            readings.iter().map(|(name, object)| (Field::Reading(*name), object.clone())).collect();
        let mut able = Facts::able(&FIELDS);
        readings.iter().for_each(|(field, _)| able.can_tell(*field));
        if extent == Extent::Settings {
            able.cannot_tell(Field::DamagedFrames);
            able.cannot_tell(Field::DroppedFrames);
        }
        let all = std::iter::once(Question::Objects(system))
            .chain(columns.iter().filter_map(walk))
            .chain(readings.chunks(AT_ONCE).map(|some| Question::Objects(some.to_vec())));
        let mut reading = Self {
            caller,
            all: all.collect(),
            able,
            open: VecDeque::new(),
            is_heard: false,
            facts: Facts::default(),
            macs: BTreeSet::new(),
            told: BTreeMap::new(),
            frames: BTreeMap::new(),
        };
        reading.begin();
        reading
    }

    /// Asks everything anew; what was told before is forgotten.
    pub(super) fn begin(&mut self) {
        self.open = self.all.iter().cloned().collect();
        self.facts = self.able.clone();
        self.is_heard = false;
        self.macs.clear();
        self.told.clear();
        self.frames.clear();
    }

    /// What its answers come on.
    pub(super) const fn link(&self) -> LinkId {
        self.caller.link()
    }

    /// Whoever asks.
    pub(super) const fn caller(&self) -> &Caller {
        &self.caller
    }

    /// Whoever asked, to ask for something else.
    pub(super) const fn caller_mut(&mut self) -> &mut Caller {
        &mut self.caller
    }

    /// Whether it has answered anything.
    pub(super) const fn is_heard(&self) -> bool {
        self.is_heard
    }

    /// Whether everything was answered, or is not going to be.
    pub(super) fn is_over(&self) -> bool {
        self.open.is_empty()
    }

    /// When an answer is too late; `None` once it is over.
    pub(super) fn next_at(&self) -> Option<Duration> {
        (!self.is_over()).then(|| self.caller.until().unwrap_or(Duration::ZERO))
    }

    /// Asks what is to be asked, and waits no longer for what is too late.
    pub(super) fn work(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        if let Some((_, reply)) = self.caller.late(now, out) {
            self.take(reply);
        }
        if self.caller.until().is_none()
            && let Some(next) = self.open.front()
        {
            let request = match next {
                Question::Objects(all) => Request::Get(all.iter().map(|(_, object)| object.clone()).collect()),
                Question::Column(walk) => Request::Behind(walk.last.clone(), ROWS_AT_ONCE),
            };
            self.caller.ask(now, request, out);
        }
    }

    /// Takes in what came on its link, and asks on.
    pub(super) fn hear(&mut self, now: Duration, news: LinkNews<'_>, out: &mut Vec<Outgoing>) {
        let answered = match news {
            LinkNews::Opened => None,
            LinkNews::Bytes(bytes) => self.caller.hear(now, bytes, out),
            LinkNews::Closed(end) => self.caller.hear_end(end),
        };
        if let Some((_, reply)) = answered {
            self.take(reply);
        }
        self.work(now, out);
    }

    fn take(&mut self, reply: Reply) {
        let Some(question) = self.open.pop_front() else { return };
        match (reply, question) {
            (Reply::Values(values), question) => {
                self.is_heard = true;
                self.facts.learn(Field::Access, Value::Access(Access::Open));
                match question {
                    Question::Objects(asked) => self.learn(asked, &values),
                    Question::Column(walk) => self.learn_rows(walk, values),
                }
            }
            (Reply::Failed(failed), _) if failed.status == Failed::NOT_ALLOWED && self.told.is_empty() => {
                self.refused();
            }
            // One of them is the reason: each by itself.
            (Reply::Failed(_), Question::Objects(asked)) if asked.len() > 1 => {
                self.is_heard = true;
                asked.into_iter().rev().for_each(|one| self.open.push_front(Question::Objects(vec![one])));
            }
            (Reply::Failed(_), Question::Objects(asked)) => {
                asked.iter().for_each(|(field, _)| self.facts.cannot_tell(*field));
            }
            (Reply::Failed(_), Question::Column(walk)) => self.end_of(&walk, false),
            // Whoever lets nobody in lets nobody in for the rest either.
            (Reply::Refused, _) => self.refused(),
            // What does not answer the first question is none of these; what is lost later was asked often enough.
            (Reply::Gone, _) if !self.is_heard => self.open.clear(),
            (Reply::Gone, _) => {}
        }
    }

    fn refused(&mut self) {
        self.is_heard = true;
        self.facts.learn(Field::Access, Value::Access(Access::Refused));
        self.open.clear();
    }

    fn learn(&mut self, asked: Vec<(Field, Oid)>, values: &[(Oid, Told)]) {
        for (field, object) in asked {
            match values.iter().find(|(told, _)| *told == object) {
                Some((_, Told::Address(mask))) if field == Field::Mask => {
                    self.facts.learn(field, Value::Address(*mask));
                }
                Some((_, value)) if value.is_there() && field != Field::Mask => {
                    self.facts.learn(field, Value::Text(Said::from(value.to_string().trim())));
                    self.told.insert(field, (object, value.clone()));
                }
                Some(_) => self.facts.cannot_tell(field),
                None => {}
            }
        }
    }

    /// Rows of a column: on behind the last of them, as long as each comes behind the one before.
    fn learn_rows(&mut self, mut walk: Walk, values: Vec<(Oid, Told)>) {
        let is_told = !values.is_empty();
        for (object, value) in values {
            let goes_on =
                object.is_in(&walk.column) && object > walk.last && value.is_there() && walk.rows < MOST_ROWS;
            if !goes_on {
                return self.end_of(&walk, true);
            }
            (walk.last, walk.rows) = (object, walk.rows + 1);
            match (walk.of, &value) {
                (Column::Macs, Told::Bytes(bytes)) => {
                    let mac = bytes.as_slice().try_into().map(MacAddress).ok();
                    self.macs.extend(mac.filter(|mac| mac.0 != [0; 6]));
                }
                (Column::Frames(field), value) => {
                    let count = value.number().and_then(|count| u64::try_from(count).ok()).unwrap_or(0);
                    let sum = self.frames.entry(field).or_default();
                    *sum = sum.saturating_add(count);
                }
                (Column::Macs, _) => {}
            }
        }
        if is_told { self.open.push_front(Question::Column(walk)) } else { self.end_of(&walk, true) }
    }

    fn end_of(&mut self, walk: &Walk, is_whole: bool) {
        let Column::Frames(field) = walk.of else { return };
        let column = |question: &Question| matches!(question, Question::Column(other) if other.of == walk.of);
        if !is_whole {
            // Half a count is none.
            self.frames.remove(&field);
            self.open.retain(|question| !column(question));
            self.facts.cannot_tell(field);
        } else if !self.open.iter().any(column) {
            match self.frames.get(&field) {
                Some(count) => {
                    self.facts.learn(field, Value::Count(u32::try_from(*count).unwrap_or(u32::MAX)));
                }
                None => self.facts.cannot_tell(field),
            }
        }
    }
}
