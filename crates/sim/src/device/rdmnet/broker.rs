//! The broker: takes controllers, tells them who is there, and carries their messages.

use std::collections::{BTreeMap, VecDeque};
use std::time::Duration;

use lantern_wire::Text;
use lantern_wire::acn::Cid;
use lantern_wire::rdm::endpoint;
use lantern_wire::rdm::{self, Class, ResponseType};
use lantern_wire::rdmnet::{
    ALL_CONTROLLERS, Broker as Said, Client, ClientKind, Connect, ConnectCode, Content, End, Message, Rpt,
    RptContent, SCOPE, StatusCode,
};

use super::gateway::Gateway;
use super::{BrokerQuirk, BrokerSetup, EndpointTruth};
use crate::device::body::Body;
use crate::device::{Linked, Role, Utterance};

/// How often it says that a connection stands, and how long somebody may say nothing (E1.33, section 6.3.1).
const HEARTBEAT: Duration = Duration::from_secs(15);
const SILENCE: Duration = Duration::from_secs(45);
/// How long a request takes through it.
const TAKES: Duration = Duration::from_millis(3);
/// The most bytes of a message that did not come whole.
const MOST: usize = 4096;
/// Who gets an identifier from it has this bit in its maker's.
const DYNAMIC: u8 = 0x80;

/// A broker.
#[derive(Debug)]
pub(in crate::device) struct Broker {
    setup: BrokerSetup,
    gateways: Vec<Gateway>,
    links: BTreeMap<u64, Link>,
    given: u32,
    requests: u32,
    orders: u32,
    /// Until when it takes nobody.
    away: Option<Duration>,
    waiting: VecDeque<(Duration, u64, Message)>,
    linked: VecDeque<(u64, Linked)>,
}

/// A connection.
#[derive(Debug)]
struct Link {
    rest: Vec<u8>,
    client: Option<Client>,
    heard: Duration,
    beats: Duration,
}

impl Broker {
    pub(in crate::device) fn new(setup: &BrokerSetup) -> Self {
        Self {
            gateways: setup.gateways.iter().map(Gateway::new).collect(),
            setup: setup.clone(),
            links: BTreeMap::new(),
            given: 0,
            requests: 0,
            orders: 0,
            away: None,
            waiting: VecDeque::new(),
            linked: VecDeque::new(),
        }
    }

    fn has(&self, quirk: BrokerQuirk) -> bool {
        self.setup.quirks.contains(&quirk)
    }

    fn cid(&self) -> Cid {
        let mut cid = [0x42; 16];
        cid[10..].copy_from_slice(&self.setup.uid.0);
        Cid(cid)
    }

    fn say(&mut self, link: u64, content: Content) {
        let bytes = Message { from: self.cid(), content }.to_bytes();
        let piece = if self.has(BrokerQuirk::SpeaksInPieces) { 7 } else { bytes.len() };
        for _ in 0..1 + u8::from(self.has(BrokerQuirk::SaysTwice)) {
            self.linked.extend(bytes.chunks(piece).map(|some| (link, Linked::Bytes(some.to_vec()))));
        }
    }

    fn hang_up(&mut self, link: u64) {
        self.links.remove(&link);
        self.linked.push_back((link, Linked::Close));
    }

    /// Who is connected, or behind it.
    fn clients(&self) -> Vec<Client> {
        let behind = self.gateways.iter().filter(|gateway| !gateway.is_away()).map(Gateway::client);
        behind.chain(self.links.values().filter_map(|link| link.client)).collect()
    }

    fn take(&mut self, now: Duration, link: u64, message: Message) {
        match message.content {
            Content::Broker(Said::Connect(connect)) => self.connect(link, &connect),
            Content::Broker(Said::Fetch) => {
                let clients = self.clients();
                self.say(link, Content::Broker(Said::Clients(clients)));
            }
            Content::Broker(Said::Disconnect(_)) => self.hang_up(link),
            Content::Rpt(rpt) => self.carry(now, link, rpt),
            Content::Broker(_) => {}
        }
    }

    fn connect(&mut self, link: u64, connect: &Connect) {
        let is_known = self.links.values().filter_map(|link| link.client).any(|one| one.cid == connect.client.cid);
        let scope: Text<SCOPE> = Text::cut(&self.setup.scope);
        let code = match () {
            () if self.has(BrokerQuirk::Redirects) && self.given == 0 => {
                self.given += 1;
                let own = std::net::SocketAddr::from(([0, 0, 0, 0], self.setup.port));
                return self.say(link, Content::Broker(Said::Redirect(own)));
            }
            () if connect.scope != scope => ConnectCode::SCOPE_MISMATCH,
            () if self.has(BrokerQuirk::IsFull) => ConnectCode::NO_ROOM,
            () if is_known => ConnectCode::DUPLICATE,
            () if connect.client.kind != ClientKind::CONTROLLER => ConnectCode::INVALID,
            () => ConnectCode::OK,
        };
        let mut client = connect.client;
        if client.uid.0[0] & DYNAMIC != 0 {
            self.given += 1;
            client.uid.0[2..].copy_from_slice(&self.given.to_be_bytes());
        }
        if code == ConnectCode::OK
            && let Some(open) = self.links.get_mut(&link)
        {
            open.client = Some(client);
        }
        let (broker, uid) = (self.setup.uid, client.uid);
        self.say(link, Content::Broker(Said::ConnectReply { code, version: 1, broker, client: uid }));
    }

    /// Carries a request to whom it is for, and the answer back.
    fn carry(&mut self, now: Duration, link: u64, rpt: Rpt) {
        let RptContent::Request(request) = rpt.content else { return };
        self.requests += 1;
        let is_half_way = self.setup.hangs_up_after_orders.is_some_and(|after| after == self.orders);
        if self.setup.hangs_up_after == Some(self.requests) || is_half_way {
            self.setup.hangs_up_after_orders = None;
            self.away = Some(now + self.setup.away);
            self.waiting.clear();
            let all: Vec<u64> = self.links.keys().copied().collect();
            return all.into_iter().for_each(|link| self.hang_up(link));
        }
        if self.has(BrokerQuirk::LosesRequests) && self.requests.is_multiple_of(3) {
            return;
        }
        let is_known = |gateway: &&mut Gateway| gateway.uid() == rpt.to.uid && !gateway.is_away();
        let Some(gateway) = self.gateways.iter_mut().find(is_known) else {
            return self.refuse(now, link, rpt.from, rpt.to, rpt.sequence, 1);
        };
        let Some(answer) = gateway.answer(now, rpt.to.endpoint, &request) else {
            return self.refuse(now, link, rpt.from, rpt.to, rpt.sequence, 5);
        };
        if gateway.is_away() {
            let gone = gateway.client();
            return self.tell_all(&Said::Removed(vec![gone]));
        }
        let is_taken = answer.class == Class::SET_RESPONSE && answer.response() == Some(ResponseType::ACK);
        self.orders += u32::from(is_taken);
        self.notify(now, link, (rpt.from, rpt.to), rpt.sequence, vec![request, answer]);
        self.meddle(now);
    }

    fn refuse(&mut self, now: Duration, link: u64, asker: End, asked: End, sequence: u32, code: u16) {
        let content = RptContent::Status { code: StatusCode(code), text: String::new() };
        self.answer(now, link, Rpt { from: asked, to: asker, sequence, content });
    }

    /// Tells who asked what came of it; of an order, everybody else who controls too (E1.33, section 7.4.2).
    fn notify(
        &mut self,
        now: Duration,
        link: u64,
        (asker, asked): (End, End),
        sequence: u32,
        all: Vec<rdm::Message>,
    ) {
        let is_order = all.iter().any(|message| message.class == Class::SET_RESPONSE);
        let to = if is_order { End { uid: ALL_CONTROLLERS, endpoint: 0 } } else { asker };
        let rpt = Rpt { from: asked, to, sequence, content: RptContent::Notification(all) };
        if is_order && !self.has(BrokerQuirk::KeepsToItself) {
            let others: Vec<u64> = self.links.keys().copied().filter(|one| *one != link).collect();
            others.into_iter().for_each(|other| self.answer(now, other, rpt.clone()));
        }
        self.answer(now, link, rpt);
    }

    fn answer(&mut self, now: Duration, link: u64, rpt: Rpt) {
        self.waiting.push_back((now + TAKES, link, Message { from: self.cid(), content: Content::Rpt(rpt) }));
    }

    fn tell_all(&mut self, said: &Said) {
        let all: Vec<u64> = self.links.keys().copied().collect();
        all.into_iter().for_each(|link| self.say(link, Content::Broker(said.clone())));
    }

    /// Another controller sets something, once.
    fn meddle(&mut self, now: Duration) {
        let Some(meddler) = self.setup.meddler.take_if(|meddler| meddler.after <= self.orders) else { return };
        let data = endpoint::write_universe(meddler.endpoint, meddler.universe);
        let (asked, asker) = (meddler.gateway, meddler.uid);
        let request = rdm::Message::request(asked, asker, 1, Class::SET, endpoint::UNIVERSE, data);
        let gateway = self.gateways.iter_mut().find(|gateway| gateway.uid() == asked);
        let Some(answer) = gateway.and_then(|gateway| gateway.answer(now, 0, &request)) else { return };
        let ends = (End { uid: asker, endpoint: 0 }, End { uid: asked, endpoint: 0 });
        // It has no connection of its own here.
        self.notify(now, u64::MAX, ends, 1, vec![request, answer]);
    }
}

impl Role for Broker {
    fn link_port(&self) -> Option<u16> {
        Some(self.setup.port)
    }

    fn opened(&mut self, now: Duration, link: u64) {
        if self.away.is_some_and(|until| now < until) {
            return self.linked.push_back((link, Linked::Close));
        }
        self.away = None;
        self.links.insert(link, Link { rest: Vec::new(), client: None, heard: now, beats: now + HEARTBEAT });
    }

    fn heard_on(&mut self, now: Duration, _: &mut Body, link: u64, bytes: &[u8]) {
        if self.has(BrokerQuirk::NeverReplies) {
            return;
        }
        if self.has(BrokerQuirk::Mumbles) {
            return self.linked.push_back((link, Linked::Bytes(b"HTTP/1.1 400 Bad Request\r\n\r\n".to_vec())));
        }
        let Some(open) = self.links.get_mut(&link) else { return };
        open.heard = now;
        open.rest.extend_from_slice(bytes);
        loop {
            let Some(open) = self.links.get_mut(&link) else { return };
            match Message::take(&open.rest) {
                Ok(Some((message, taken))) => {
                    open.rest.drain(..taken);
                    self.take(now, link, message);
                }
                Ok(None) if open.rest.len() <= MOST => return,
                Ok(None) | Err(_) => return self.hang_up(link),
            }
        }
    }

    fn closed(&mut self, link: u64) {
        self.links.remove(&link);
    }

    fn next_linked(&mut self) -> Option<(u64, Linked)> {
        self.linked.pop_front()
    }

    fn requests_carried(&self) -> u32 {
        self.requests
    }

    fn endpoints(&self) -> Vec<EndpointTruth> {
        self.gateways.iter().flat_map(Gateway::endpoints).cloned().collect()
    }

    fn wake_at(&self) -> Option<Duration> {
        let links = self.links.values().map(|link| link.beats.min(link.heard + SILENCE));
        let back = self.gateways.iter().filter_map(Gateway::back_at);
        links.chain(back).chain(self.waiting.front().map(|(at, ..)| *at)).min()
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        while self.waiting.front().is_some_and(|(at, ..)| *at <= now) {
            if let Some((_, link, message)) =
                self.waiting.pop_front().filter(|(_, link, _)| self.links.contains_key(link))
            {
                self.say(link, message.content);
            }
        }
        let back: Vec<Client> = self
            .gateways
            .iter_mut()
            .filter_map(|gateway| gateway.comes_back(now).then(|| gateway.client()))
            .collect();
        if !back.is_empty() {
            self.tell_all(&Said::Added(back));
        }
        let silent: Vec<u64> =
            self.links.iter().filter(|(_, link)| link.heard + SILENCE <= now).map(|(link, _)| *link).collect();
        silent.into_iter().for_each(|link| self.hang_up(link));
        let due: Vec<u64> = self
            .links
            .iter_mut()
            .filter(|(_, link)| link.beats <= now)
            .map(|(number, link)| {
                link.beats = now + HEARTBEAT;
                *number
            })
            .collect();
        due.into_iter().for_each(|link| self.say(link, Content::Broker(Said::Null)));
    }

    fn next(&mut self) -> Option<Utterance> {
        None
    }
}
