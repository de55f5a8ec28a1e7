//! An agent of SNMP: it answers questions of version 2c by its community, and those of a user of version 3, and is told what can be
//! set (RFC 3416, RFC 3414).

use std::collections::{BTreeMap, VecDeque};
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::snmp::{
    Authentication, Engine, Failed, Incoming, Keys, Kind, Message, Oid, PORT, Pdu, Privacy, Sealed, Signed, Value,
    objects,
};
use serde::Deserialize;

use super::body::Body;
use super::{DeviceSetup, Role, Utterance};
use crate::{Destination, Speech};

/// How late one answers that is slow.
const LATE: Duration = Duration::from_millis(800);
/// When one that forgets has forgotten.
const FORGETS_AFTER: Duration = Duration::from_secs(2);
/// So many seconds a message may be of another time (RFC 3414, section 3.2).
const WINDOW: u32 = 150;
/// The most rows in one answer.
const MOST_ROWS: u32 = 40;
/// What one that cuts keeps of a text.
const KEPT: usize = 8;

/// An agent as a scene describes it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SnmpSetup {
    /// What it is, in its maker's words.
    #[serde(default = "description")]
    pub description: String,
    /// What it is called.
    #[serde(default)]
    pub name: String,
    /// Where it stands.
    #[serde(default)]
    pub location: String,
    /// Who looks after it.
    #[serde(default)]
    pub contact: String,
    /// What whoever asks in version 2c calls; nobody may, where it is empty.
    #[serde(default = "community")]
    pub community: String,
    /// Its user of version 3.
    pub user: Option<SnmpUser>,
    /// How many interfaces it has; the first bears its MAC address.
    #[serde(default = "one")]
    pub interfaces: u32,
    /// How many frames came damaged at the first.
    #[serde(default)]
    pub damaged: u32,
    /// By how many that grows in a second.
    #[serde(default)]
    pub damaged_a_second: u32,
    /// How many frames it threw away at the first.
    #[serde(default)]
    pub dropped: u32,
    /// Further objects: what each holds.
    #[serde(default)]
    pub objects: BTreeMap<String, SnmpObject>,
    /// Its habits.
    #[serde(default)]
    pub quirks: Vec<SnmpQuirk>,
}

/// An object.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SnmpObject {
    /// What it holds.
    pub is: String,
    /// Of which sort that is.
    #[serde(default)]
    pub sort: SnmpSort,
    /// Whether it can be set.
    #[serde(default)]
    pub set: bool,
}

/// The sort of an object.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum SnmpSort {
    /// A number.
    #[default]
    Integer,
    /// A text.
    Text,
    /// A counter.
    Counter,
    /// A gauge.
    Gauge,
}

/// A user of version 3.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SnmpUser {
    /// What it is called.
    pub name: String,
    /// Its password.
    pub password: String,
    /// How its messages are signed: `md5`, `sha-1` or `sha-256`.
    #[serde(default = "sha1")]
    pub signs: String,
    /// How they are encrypted: `des` or `aes`; not at all without.
    pub encrypts: Option<String>,
    /// The password for that.
    #[serde(default)]
    pub privacy: String,
}

/// What is met all the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum SnmpQuirk {
    /// Answers late.
    AnswersLate,
    /// Says that it took what it was told, and did not.
    Ignores,
    /// Takes nothing.
    ReadOnly,
    /// Takes it, and has forgotten it soon after.
    Forgets,
    /// Keeps only the beginning of a text.
    Cuts,
    /// Takes it, and does not answer.
    TakesSilently,
    /// Tells the same row again and again.
    Circles,
    /// Tells rows without end.
    NeverEnds,
    /// Does not know how to tell several at once.
    OneByOne,
    /// Answers something that nobody asked.
    OtherRequest,
    /// Answers in another community.
    OtherCommunity,
    /// Answers with what is none of it.
    Garbage,
    /// Tells no MAC addresses.
    NoInterfaces,
    /// Tells another time to whoever asks who it is than it goes by.
    OtherClock,
}

fn description() -> String {
    "Tessaquill Eight, version 2.4".to_owned()
}

fn community() -> String {
    "public".to_owned()
}

fn sha1() -> String {
    "sha-1".to_owned()
}

const fn one() -> u32 {
    1
}

#[derive(Debug)]
pub(super) struct Snmp {
    setup: SnmpSetup,
    held: BTreeMap<Oid, Value>,
    can_be_set: Vec<Oid>,
    engine: Engine,
    keys: Option<Keys>,
    /// What it falls back to, and when.
    forgets: Option<(Duration, BTreeMap<Oid, Value>)>,
    waiting: VecDeque<(Duration, Speech)>,
    said: VecDeque<Utterance>,
    asked: u32,
}

impl Snmp {
    pub(super) fn new(device: &DeviceSetup, setup: &SnmpSetup) -> Self {
        let number = |text: &str| text.parse::<Oid>().ok();
        let mut held = BTreeMap::new();
        let text = |text: &str| Value::Bytes(text.as_bytes().to_vec());
        let mut hold = |object: Option<Oid>, value: Value| held.extend(object.map(|object| (object, value)));
        hold(number(objects::DESCRIPTION), text(&setup.description));
        hold(number(objects::MAKE), number("1.3.6.1.4.1.64000.1").map_or(Value::Missing, Value::Oid));
        hold(number(objects::CONTACT), text(&setup.contact));
        hold(number(objects::NAME), text(&setup.name));
        hold(number(objects::LOCATION), text(&setup.location));
        let rows = if setup.quirks.contains(&SnmpQuirk::NoInterfaces) { 0 } else { setup.interfaces };
        for row in 1..=rows {
            let mut mac = device.mac;
            mac.0[5] = mac.0[5].wrapping_add(u8::try_from(row - 1).unwrap_or(u8::MAX));
            let of = |column: &str| number(column).map(|column| column.row(row));
            hold(of(objects::MAC_ADDRESSES), Value::Bytes(mac.0.to_vec()));
            let first = |count: u32| Value::Counter(if row == 1 { count.into() } else { 0 });
            hold(of(objects::IN_DAMAGED), first(setup.damaged));
            hold(of(objects::IN_DROPPED), first(setup.dropped));
            hold(of(objects::OUT_DAMAGED), first(0));
            hold(of(objects::OUT_DROPPED), first(0));
        }
        let mut can_be_set: Vec<Oid> =
            [objects::CONTACT, objects::NAME, objects::LOCATION].into_iter().filter_map(number).collect();
        for (object, is) in &setup.objects {
            let value = match is.sort {
                SnmpSort::Text => text(&is.is),
                SnmpSort::Integer => Value::Integer(is.is.parse().unwrap_or(0)),
                SnmpSort::Counter => Value::Counter(is.is.parse().unwrap_or(0)),
                SnmpSort::Gauge => Value::Gauge(is.is.parse().unwrap_or(0)),
            };
            hold(number(object), value);
            can_be_set.extend(number(object).filter(|_| is.set));
        }
        let engine =
            Engine { id: [&[0x80, 0, 0xfa, 0, 3][..], &device.mac.0].concat(), boots: 4, time: 1_000_000 };
        let keys = setup.user.as_ref().and_then(|user| keys(user, &engine));
        Self {
            setup: setup.clone(),
            held,
            can_be_set,
            engine,
            keys,
            forgets: None,
            waiting: VecDeque::new(),
            said: VecDeque::new(),
            asked: 0,
        }
    }

    fn has(&self, quirk: SnmpQuirk) -> bool {
        self.setup.quirks.contains(&quirk)
    }

    /// Its name and clock at this moment.
    fn engine(&self, now: Duration) -> Engine {
        let elapsed = u32::try_from(now.as_secs()).unwrap_or(u32::MAX);
        Engine { time: self.engine.time.saturating_add(elapsed), ..self.engine.clone() }
    }

    fn answer(&mut self, now: Duration, bytes: &[u8]) -> Option<Vec<u8>> {
        if self.has(SnmpQuirk::Garbage) {
            return Some([&[0x30, 0x84, 0xff, 0xff, 0xff, 0xff][..], &[0x24, 0x80].repeat(2000)].concat());
        }
        match Incoming::parse(bytes).ok()? {
            Incoming::Community(community, pdu) => {
                let own = self.setup.community.as_bytes().to_vec();
                // Whoever calls another community hears nothing.
                let pdu = Some(pdu).filter(|_| !own.is_empty() && community == own)?;
                let pdu = self.fulfil(now, &pdu)?;
                let community = if self.has(SnmpQuirk::OtherCommunity) { b"theirs".to_vec() } else { community };
                Message::Community { community, pdu }.to_bytes()
            }
            Incoming::User(sealed) => self.answer_user(now, &sealed)?.to_bytes(),
        }
    }

    fn answer_user(&mut self, now: Duration, sealed: &Sealed) -> Option<Message> {
        let engine = self.engine(now);
        let own = self.setup.user.clone()?;
        let report = |object: &str, is_signed: bool, engine: &Engine| {
            let values = vec![(object.parse().ok()?, Value::Counter(1))];
            let pdu = Pdu { kind: Kind::Report, id: 0, failed: None, values };
            Some(Message::User(Signed {
                id: sealed.id,
                engine: engine.clone(),
                user: sealed.user.clone(),
                keys: self.keys.clone().filter(|_| is_signed),
                salt: 7,
                is_reportable: false,
                pdu,
            }))
        };
        if sealed.engine.id != engine.id {
            let shown =
                if self.has(SnmpQuirk::OtherClock) { Engine { boots: 0, time: 0, ..engine } } else { engine };
            return report(objects::WRONG_ENGINE, false, &shown);
        }
        if sealed.user != own.name.as_bytes() {
            return report(objects::WRONG_USER, false, &engine);
        }
        if sealed.is_private && own.encrypts.is_none() {
            return report(objects::WRONG_LEVEL, false, &engine);
        }
        let pdu = match sealed.open(self.keys.as_ref()) {
            Ok(pdu) => pdu,
            Err(lantern_wire::snmp::Unopened::Encryption) => {
                return report(objects::WRONG_ENCRYPTION, false, &engine);
            }
            Err(_) => return report(objects::WRONG_SIGNATURE, false, &engine),
        };
        let is_of_now = sealed.engine.boots == engine.boots && sealed.engine.time.abs_diff(engine.time) <= WINDOW;
        if sealed.is_signed && !is_of_now {
            return report(objects::WRONG_TIME, true, &engine);
        }
        let is_let_in = sealed.is_signed && (sealed.is_private || own.encrypts.is_none());
        let pdu = if is_let_in {
            self.fulfil(now, &pdu)?
        } else {
            pdu.answer(pdu.values.clone(), Some(Failed { status: Failed::NOT_ALLOWED, index: 0 }))
        };
        Some(Message::User(Signed {
            id: sealed.id,
            engine,
            user: sealed.user.clone(),
            keys: self
                .keys
                .as_ref()
                .filter(|_| sealed.is_signed)
                .map(|keys| if sealed.is_private { keys.clone() } else { keys.unencrypted() }),
            salt: u64::from(self.asked),
            is_reportable: false,
            pdu,
        }))
    }

    fn fulfil(&mut self, now: Duration, pdu: &Pdu) -> Option<Pdu> {
        self.asked += 1;
        self.count(now);
        let (values, failed) = match pdu.kind {
            Kind::Get if pdu.values.len() > 1 && self.has(SnmpQuirk::OneByOne) => {
                (pdu.values.clone(), Some(Failed { status: Failed::TOO_BIG, index: 0 }))
            }
            Kind::GetBulk { .. } if self.has(SnmpQuirk::OneByOne) => {
                (pdu.values.clone(), Some(Failed { status: 5, index: 0 }))
            }
            Kind::Get => {
                let told = |object: &Oid| self.held.get(object).cloned().unwrap_or(Value::Missing);
                (pdu.values.iter().map(|(object, _)| (object.clone(), told(object))).collect(), None)
            }
            Kind::GetNext => (self.behind(&pdu.values, 1), None),
            Kind::GetBulk { repeats, .. } => (self.behind(&pdu.values, repeats.min(MOST_ROWS)), None),
            Kind::Set => (pdu.values.clone(), self.set(now, &pdu.values)),
            Kind::Response | Kind::Report | Kind::Notice => return None,
        };
        if pdu.kind == Kind::Set && self.has(SnmpQuirk::TakesSilently) {
            return None;
        }
        let mut answer = pdu.answer(values, failed);
        if self.has(SnmpQuirk::OtherRequest) {
            answer.id = answer.id.wrapping_add(1);
        }
        Some(answer)
    }

    /// What comes behind these, so many times.
    fn behind(&self, asked: &[(Oid, Value)], repeats: u32) -> Vec<(Oid, Value)> {
        let mut told = Vec::new();
        for (object, _) in asked {
            let mut last = object.clone();
            for nth in 0..repeats {
                if self.has(SnmpQuirk::NeverEnds) {
                    last = last.row(nth + 1);
                    told.push((last.clone(), Value::Counter(1)));
                    continue;
                }
                let next = self.held.range(last.clone()..).find(|(held, _)| **held > last);
                match next {
                    Some((held, value)) => {
                        told.push((held.clone(), value.clone()));
                        if !self.has(SnmpQuirk::Circles) {
                            last = held.clone();
                        }
                    }
                    None => {
                        told.push((last.clone(), Value::End));
                        break;
                    }
                }
            }
        }
        told
    }

    /// Takes all of these, or none; gives why not.
    fn set(&mut self, now: Duration, values: &[(Oid, Value)]) -> Option<Failed> {
        for (index, (object, value)) in (1..).zip(values) {
            let is_free = self.can_be_set.contains(object) && !self.has(SnmpQuirk::ReadOnly);
            let is_of_sort = self
                .held
                .get(object)
                .is_some_and(|held| std::mem::discriminant(held) == std::mem::discriminant(value));
            if !is_free {
                return Some(Failed { status: Failed::NOT_WRITABLE, index });
            }
            if !is_of_sort {
                return Some(Failed { status: Failed::WRONG_TYPE, index });
            }
        }
        if self.has(SnmpQuirk::Ignores) {
            return None;
        }
        if self.has(SnmpQuirk::Forgets) {
            self.forgets = Some((now + FORGETS_AFTER, self.held.clone()));
        }
        for (object, value) in values {
            let value = match value {
                Value::Bytes(text) if self.has(SnmpQuirk::Cuts) => {
                    Value::Bytes(text[..text.len().min(KEPT)].to_vec())
                }
                value => value.clone(),
            };
            self.held.insert(object.clone(), value);
        }
        None
    }

    /// What it counts goes on.
    fn count(&mut self, now: Duration) {
        let grown = now.as_secs().saturating_mul(self.setup.damaged_a_second.into());
        let first = objects::IN_DAMAGED.parse::<Oid>().map(|column| column.row(1));
        if let Some(held) = first.ok().and_then(|first| self.held.get_mut(&first)) {
            *held = Value::Counter(u64::from(self.setup.damaged) + grown);
        }
    }
}

fn keys(user: &SnmpUser, engine: &Engine) -> Option<Keys> {
    let signs = match user.signs.as_str() {
        "md5" => Authentication::Md5,
        "sha-256" => Authentication::Sha256,
        _ => Authentication::Sha1,
    };
    let privacy = user.encrypts.as_ref().map(|by| {
        let by = if by == "des" { Privacy::Des } else { Privacy::Aes };
        (by, user.privacy.as_str())
    });
    Keys::new(signs, &user.password, privacy, &engine.id)
}

impl Role for Snmp {
    fn port(&self) -> Option<u16> {
        Some(PORT)
    }

    fn hear(&mut self, now: Duration, body: &mut Body, from: SocketAddrV4, bytes: &[u8]) {
        // What it tells of its address is of the one it has now.
        if let Ok(table) = objects::MASKS.parse::<Oid>() {
            self.held.retain(|object, _| !object.is_in(&table));
            let own = body.ip.address.octets().into_iter().fold(table, |object, octet| object.row(octet.into()));
            self.held.insert(own, Value::Address(body.ip.mask));
        }
        let Some(bytes) = self.answer(now, bytes) else { return };
        let speech = Speech { port: PORT, to: Destination::One(from), bytes };
        if self.has(SnmpQuirk::AnswersLate) {
            self.waiting.push_back((now + LATE, speech));
        } else {
            self.said.push_back(Utterance::Speech(speech));
        }
    }

    fn objects(&self) -> BTreeMap<String, String> {
        self.held.iter().map(|(object, value)| (object.to_string(), value.to_string())).collect()
    }

    fn wake_at(&self) -> Option<Duration> {
        let forgets = self.forgets.as_ref().map(|(at, _)| *at);
        forgets.into_iter().chain(self.waiting.front().map(|(at, _)| *at)).min()
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        if let Some((_, before)) = self.forgets.take_if(|(at, _)| *at <= now) {
            self.held = before;
        }
        while self.waiting.front().is_some_and(|(at, _)| *at <= now) {
            self.said.extend(self.waiting.pop_front().map(|(_, speech)| Utterance::Speech(speech)));
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }
}
