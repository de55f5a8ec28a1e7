//! A whole reading of one node: question after question, and what is learned from the answers.

use std::collections::VecDeque;
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::nmos::{Api, Connection, Device, Flow, Id, Io, Node, Receiver, Sender, Source, Version};
use lantern_wire::{MacAddress, Place};

use super::caller::Caller;
use super::point;
use crate::Access;
use crate::Said;
use crate::census::{PatchPoint, Unit, Way};
use crate::conversation::{LinkEnd, LinkId, Outgoing, Response};
use crate::facts::{Facts, Field, Value};

/// How often a question is asked that was not answered.
const ASKS: u32 = 2;
/// The most senders, receivers and outputs of one node that are read one by one.
const MOST_POINTS: usize = 2048;

/// One question.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Question {
    Versions,
    Own,
    Devices,
    Sources,
    Flows,
    Senders,
    Receivers,
    /// What one of its points is set to, by its place among them.
    Active(usize),
    /// What there is to be mapped in a device, by its place among them.
    Io(usize),
    /// What of that is mapped where.
    Map(usize),
}

/// One reading.
#[derive(Debug)]
pub(super) struct Reading {
    at: SocketAddrV4,
    caller: Caller,
    open: VecDeque<Question>,
    asks: u32,
    /// Whether each of its points is asked what it is set to.
    deep: bool,
    version: Option<Version>,
    /// The version that it offers, where none is understood.
    foreign: Option<String>,
    node: Option<Node>,
    devices: Vec<Device>,
    sources: Vec<Source>,
    flows: Vec<Flow>,
    senders: Vec<Sender>,
    unit: Unit,
    points: Vec<PatchPoint>,
    access: Option<Access>,
    /// Where it says that it is told things, and that is another address.
    elsewhere: Option<Place>,
}

impl Reading {
    /// Of whoever is there; `seen` is the MAC address that was seen with it.
    pub(super) fn new(at: SocketAddrV4, seen: Option<MacAddress>, caller: Caller, deep: bool) -> Self {
        let facts = Facts::able(&[Field::Label, Field::Access]);
        Self {
            at,
            caller,
            open: VecDeque::from([Question::Versions]),
            asks: 0,
            deep,
            version: None,
            foreign: None,
            node: None,
            devices: Vec::new(),
            sources: Vec::new(),
            flows: Vec::new(),
            senders: Vec::new(),
            unit: Unit {
                handle: format!(":{}", at.port()),
                ..Unit::of_address(Way::Nmos, *at.ip(), seen, "", facts)
            },
            points: Vec::new(),
            access: None,
            elsewhere: None,
        }
    }

    /// Whether it has answered as such nodes do, or would not.
    pub(super) const fn is_heard(&self) -> bool {
        self.node.is_some() || self.access.is_some() || self.foreign.is_some()
    }

    /// Whether everything was answered, or is not going to be.
    pub(super) fn is_over(&self) -> bool {
        self.open.is_empty()
    }

    /// When an answer is too late; `None` once it is over.
    pub(super) fn next_at(&self) -> Option<Duration> {
        (!self.is_over()).then(|| self.caller.until().unwrap_or(Duration::ZERO))
    }

    /// The node, in a line and with what it told; `None` for what is none.
    pub(super) fn unit(&self) -> Option<Unit> {
        let mut unit = self.unit.clone();
        let count = |number: usize, what: &str| match number {
            0 => None,
            1 => Some(format!("1 {what}")),
            number => Some(format!("{number} {what}s")),
        };
        let of = |sort: &str| self.points.iter().filter(|point| point.sort.word() == sort).count();
        let mut parts = vec!["NMOS node".to_owned()];
        parts.extend(["sender", "receiver", "output"].into_iter().filter_map(|sort| count(of(sort), sort)));
        parts.extend(self.foreign.as_ref().map(|foreign| format!("speaks only {foreign}")));
        parts.extend(self.access.map(|access| access.to_string()));
        parts.extend(
            self.elsewhere
                .as_ref()
                .map(|place| format!("says that it is patched at {}, where nobody is sent", place.at)),
        );
        unit.what = parts.join(", ").as_str().into();
        self.is_heard().then_some(unit)
    }

    /// What of it is patched.
    pub(super) fn points(&self) -> &[PatchPoint] {
        &self.points
    }

    /// Asks what is to be asked, and waits no longer for what is too late.
    pub(super) fn work(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        if self.caller.is_late(now) {
            self.take(Err(LinkEnd::Silent));
        }
        if self.caller.until().is_none()
            && let Some(next) = self.open.front()
        {
            self.asks += 1;
            let (at, path) = (self.at, self.path(next));
            match path {
                Some((port, path)) => self.caller.get(now, SocketAddrV4::new(*at.ip(), port), &path, out),
                None => drop(self.open.pop_front()),
            }
        }
    }

    /// Takes in a page, and asks on.
    pub(super) fn hear(
        &mut self,
        now: Duration,
        link: LinkId,
        page: Result<&Response, LinkEnd>,
        out: &mut Vec<Outgoing>,
    ) {
        if let Some(page) = self.caller.hear(link, page) {
            self.take(page);
        }
        self.work(now, out);
    }

    /// Where a question is asked; `None` where it cannot be.
    fn path(&self, question: &Question) -> Option<(u16, String)> {
        let own = |name: &str| {
            let version = self.version?;
            Some((self.at.port(), format!("{}{version}/{name}", Api::Node.path())))
        };
        let of = |handle: &str, rest: &str| {
            let place = Place::parse(&format!("http://{}{handle}", self.at.ip()))?;
            Some((place.at.port(), format!("{}{rest}", place.path)))
        };
        match question {
            Question::Versions => Some((self.at.port(), Api::Node.path().to_owned())),
            Question::Own => own("self"),
            Question::Devices => own("devices"),
            Question::Sources => own("sources"),
            Question::Flows => own("flows"),
            Question::Senders => own("senders"),
            Question::Receivers => own("receivers"),
            Question::Active(place) => of(&self.points.get(*place)?.unit.handle, "active"),
            Question::Io(device) => of(&self.told_at(Api::ChannelMapping, self.devices.get(*device)?)?, "io"),
            Question::Map(device) => {
                of(&self.told_at(Api::ChannelMapping, self.devices.get(*device)?)?, "map/active")
            }
        }
    }

    /// Where a device is told things by this interface, as a handle; `None` where it is not, or elsewhere.
    fn told_at(&self, api: Api, device: &Device) -> Option<String> {
        let own = *self.at.ip();
        let place = Place::parse_named(device.control(api)?.1, own)?;
        (*place.at.ip() == own).then(|| point::handle(&place, ""))
    }

    fn take(&mut self, page: Result<&Response, LinkEnd>) {
        let Some(question) = self.open.front().cloned() else { return };
        match page {
            // Whoever answers nothing answers nothing to the next question either.
            Err(_) if self.asks < ASKS => return,
            Err(_) => match question {
                Question::Active(_) | Question::Io(_) | Question::Map(_) => {}
                _ => self.open.clear(),
            },
            Ok(page) if matches!(page.status, 401 | 403) => {
                self.access = Some(Access::Locked);
                self.unit.facts.learn(Field::Access, Value::Access(Access::Locked));
                self.open.clear();
            }
            Ok(page) => {
                let is_read = page.status == 200 && self.learn(&question, &page.body).is_some();
                if !is_read && matches!(question, Question::Versions | Question::Own) {
                    self.open.clear();
                }
            }
        }
        self.asks = 0;
        self.open.pop_front();
    }

    /// Takes in an answer; `None` where it is none to this question.
    fn learn(&mut self, question: &Question, body: &[u8]) -> Option<()> {
        match question {
            Question::Versions => {
                let offered = Version::list(body).ok()?;
                self.version = Api::Node.best(&offered);
                if self.version.is_none() {
                    let names: Vec<String> = offered.iter().take(8).map(ToString::to_string).collect();
                    self.foreign = (!names.is_empty()).then(|| names.join(", "));
                    return None;
                }
                let version = self.version?;
                self.unit.handle = format!(":{}{}{version}/", self.at.port(), Api::Node.path());
                self.open.push_back(Question::Own);
            }
            Question::Own => {
                let node = Node::parse(body).ok()?;
                self.unit.identity = node.id.as_str().into();
                // Of several interfaces nobody knows which one is this.
                let stated = node.macs.first().copied().filter(|_| node.macs.len() == 1);
                self.unit.mac = self.unit.mac.or(stated);
                self.unit.facts.learn(Field::Label, Value::Text(Said::from(node.label.as_str())));
                self.unit.facts.learn(Field::Access, Value::Access(Access::Open));
                self.node = Some(node);
                self.open.extend([
                    Question::Devices,
                    Question::Sources,
                    Question::Flows,
                    Question::Senders,
                    Question::Receivers,
                ]);
            }
            Question::Devices => self.devices = Device::list(body).ok()?,
            Question::Sources => self.sources = Source::list(body).ok()?,
            Question::Flows => self.flows = Flow::list(body).ok()?,
            Question::Senders => self.senders = Sender::list(body).ok()?,
            Question::Receivers => {
                let receivers = Receiver::list(body).ok()?;
                self.learn_points(&receivers);
            }
            Question::Active(place) => {
                let active = Connection::parse(body).ok()?;
                let point = self.points.get_mut(*place)?;
                point::learn_connection(&mut point.unit.facts, point.sort, &active);
            }
            Question::Io(device) => self.learn_io(*device, &Io::parse(body).ok()?)?,
            Question::Map(device) => {
                let active = Io::active(body).ok()?;
                let of_device = format!("{}/", self.devices.get(*device)?.id);
                let is_mapped = |point: &&mut PatchPoint| point.unit.identity.raw().starts_with(&of_device);
                for point in self.points.iter_mut().filter(is_mapped) {
                    let mut facts = std::mem::take(&mut point.unit.facts);
                    point::learn_map(point, &mut facts, &active);
                    point.unit.facts = facts;
                }
            }
        }
        Some(())
    }

    /// Everything that is sent and received is known; what each is set to is asked where that is wanted.
    fn learn_points(&mut self, receivers: &[Receiver]) {
        let handle = |reading: &Self, device: &Id, sort: &str, id: &Id| {
            let device = reading.devices.iter().find(|one| one.id == *device)?;
            Some(format!("{}single/{sort}/{id}/", reading.told_at(Api::Connection, device)?))
        };
        for sender in self.senders.iter().take(MOST_POINTS) {
            let mut point = point::of_sender(&self.unit, sender, &self.flows, &self.sources);
            point.unit.handle = handle(self, &sender.device, "senders", &sender.id).unwrap_or_default();
            self.points.push(point);
        }
        for receiver in receivers.iter().take(MOST_POINTS) {
            let mut point = point::of_receiver(&self.unit, receiver);
            point.unit.handle = handle(self, &receiver.device, "receivers", &receiver.id).unwrap_or_default();
            self.points.push(point);
        }
        let own = *self.at.ip();
        let places =
            self.devices.iter().filter_map(|device| Place::parse_named(device.control(Api::Connection)?.1, own));
        self.elsewhere = places.into_iter().find(|place| *place.at.ip() != own);
        if self.deep {
            self.open.extend((0..self.points.len()).map(Question::Active));
        }
        let maps = |device: &usize| self.devices[*device].control(Api::ChannelMapping).is_some();
        let mapped: Vec<usize> = (0..self.devices.len()).filter(maps).collect();
        for device in mapped {
            self.open.push_back(Question::Io(device));
            self.open.extend(self.deep.then_some(Question::Map(device)));
        }
    }

    fn learn_io(&mut self, device: usize, io: &Io) -> Option<()> {
        let of = self.devices.get(device)?;
        let base = self.told_at(Api::ChannelMapping, of)?;
        for output in io.outputs.iter().take(MOST_POINTS) {
            let mut point = point::of_output(&self.unit, of.id.as_str(), output, &io.inputs);
            point.unit.handle.clone_from(&base);
            self.points.push(point);
        }
        Some(())
    }
}
