//! One connection to a broker: we are let in as a controller, ask who is there, and ask those.

use std::collections::VecDeque;
use std::net::{IpAddr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::Text;
use lantern_wire::acn::Cid;
use lantern_wire::rdm::{self, Class, ResponseType, Uid};
use lantern_wire::rdmnet::{
    Broker, Client, ClientKind, Connect, ConnectCode, Content, End, Message, Rpt, RptContent, StatusCode,
};

use super::Place;
use super::rdm::OWN_MAKER;
use crate::conversation::{LinkEnd, LinkId, LinkNews, Outgoing};

/// How often each side says that the connection stands, and after which silence it does not (E1.33, section 6.3.1).
const HEARTBEAT: Duration = Duration::from_secs(15);
const SILENCE: Duration = Duration::from_secs(45);
/// How long a broker may take to take a connection, and to let somebody in.
const WELCOME: Duration = Duration::from_secs(4);
/// The most of a message that did not come whole that is kept: a little more than the longest there is.
const MOST: usize = 160 * 1024;
/// Who wants an identifier from the broker says so with this bit, and no device number (section 3.2).
const DYNAMIC: u8 = 0x80;
/// The version of the protocol.
const VERSION: u16 = 1;

/// What became of a session.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum News {
    /// We are let in.
    Up,
    /// Those are there.
    Clients(Vec<Client>),
    /// Those have left.
    Gone(Vec<Client>),
    /// One of ours was answered: all parts of the answer in one.
    Answer(rdm::Message),
    /// There is no answer to one of ours for this device.
    NoAnswer(Uid, StatusCode),
    /// Another controller has set something on a device: who, whom, and what.
    OtherSet(Uid, Uid, rdm::Message),
    /// It is to be spoken to there.
    Redirected(SocketAddrV4),
    /// It is over, and why, in words.
    Over(String),
}

/// A connection.
#[derive(Debug)]
pub(super) struct Session {
    link: LinkId,
    cid: Cid,
    scope: String,
    own: Option<Uid>,
    is_over: bool,
    rest: Vec<u8>,
    sequence: u32,
    heard_at: Duration,
    beat_at: Duration,
    news: VecDeque<News>,
}

impl Session {
    /// Opens a connection to this broker as this component.
    pub(super) fn open(now: Duration, link: LinkId, to: &Place, cid: Cid, out: &mut VecDeque<Outgoing>) -> Self {
        out.push_back(Outgoing::Open { link, to: to.at });
        Self {
            link,
            cid,
            scope: to.scope.clone(),
            own: None,
            is_over: false,
            rest: Vec::new(),
            sequence: 0,
            heard_at: now,
            beat_at: now + HEARTBEAT,
            news: VecDeque::new(),
        }
    }

    /// Its link.
    pub(super) const fn link(&self) -> LinkId {
        self.link
    }

    /// Who we are on it, once we are let in.
    pub(super) const fn own(&self) -> Option<Uid> {
        self.own
    }

    /// The next thing that became of it.
    pub(super) fn next_news(&mut self) -> Option<News> {
        self.news.pop_front()
    }

    /// When it has something to do.
    pub(super) fn next_at(&self) -> Option<Duration> {
        (!self.is_over).then(|| self.until().min(self.beat_at))
    }

    /// Until when the broker may say nothing.
    fn until(&self) -> Duration {
        self.heard_at + if self.own.is_some() { SILENCE } else { WELCOME }
    }

    /// Does what is due by now.
    pub(super) fn wake(&mut self, now: Duration, out: &mut VecDeque<Outgoing>) {
        if self.is_over {
            return;
        }
        if self.until() <= now {
            out.push_back(Outgoing::Close { link: self.link });
            return self.end("it says nothing any more".to_owned());
        }
        if self.beat_at <= now {
            self.beat_at = now + HEARTBEAT;
            if self.own.is_some() {
                self.say(Content::Broker(Broker::Null), out);
            }
        }
    }

    /// What asks a device, by its own endpoint.
    pub(super) fn asking(&mut self, request: rdm::Message) -> Option<Outgoing> {
        let (from, to) = (End { uid: self.own?, endpoint: 0 }, End { uid: request.to, endpoint: 0 });
        self.sequence = self.sequence.wrapping_add(1).max(1);
        let content = RptContent::Request(request);
        Some(self.written(Content::Rpt(Rpt { from, to, sequence: self.sequence, content })))
    }

    fn written(&self, content: Content) -> Outgoing {
        Outgoing::Write { link: self.link, bytes: Message { from: self.cid, content }.to_bytes() }
    }

    fn say(&self, content: Content, out: &mut VecDeque<Outgoing>) {
        out.push_back(self.written(content));
    }

    fn end(&mut self, why: String) {
        (self.is_over, self.own) = (true, None);
        self.news.push_back(News::Over(why));
    }

    /// Takes in what became of its link.
    pub(super) fn hear(&mut self, now: Duration, news: LinkNews<'_>, out: &mut VecDeque<Outgoing>) {
        if self.is_over {
            return;
        }
        self.heard_at = now;
        match news {
            LinkNews::Opened => self.introduce(out),
            LinkNews::Bytes(bytes) => self.read(bytes, out),
            LinkNews::Closed(LinkEnd::Finished) => self.end("it closed the connection".to_owned()),
            LinkNews::Closed(end) => self.end(end.to_string()),
        }
    }

    fn introduce(&self, out: &mut VecDeque<Outgoing>) {
        let [high, low] = OWN_MAKER;
        let client = Client {
            cid: self.cid,
            uid: Uid([high | DYNAMIC, low, 0, 0, 0, 0]),
            kind: ClientKind::CONTROLLER,
            bound_to: Cid([0; 16]),
        };
        let connect = Connect {
            scope: Text::cut(&self.scope),
            version: VERSION,
            domain: Text::cut("local."),
            wants_changes: true,
            client,
        };
        self.say(Content::Broker(Broker::Connect(Box::new(connect))), out);
    }

    fn read(&mut self, bytes: &[u8], out: &mut VecDeque<Outgoing>) {
        self.rest.extend_from_slice(bytes);
        while !self.is_over {
            match Message::take(&self.rest) {
                Ok(Some((message, taken))) => {
                    self.rest.drain(..taken);
                    self.take(message.content, out);
                }
                Ok(None) if self.rest.len() <= MOST => return,
                failed => match Message::framed(&self.rest) {
                    // One that is not understood is passed over, as long as it says where it ends.
                    Ok(Some(length)) if failed.is_err() => drop(self.rest.drain(..length)),
                    _ => {
                        out.push_back(Outgoing::Close { link: self.link });
                        self.end("what it says is no RDMnet".to_owned());
                    }
                },
            }
        }
    }

    fn take(&mut self, content: Content, out: &mut VecDeque<Outgoing>) {
        match content {
            Content::Broker(Broker::ConnectReply { code: ConnectCode::OK, client, .. }) if self.own.is_none() => {
                self.own = Some(client);
                self.news.push_back(News::Up);
                self.say(Content::Broker(Broker::Fetch), out);
            }
            Content::Broker(Broker::ConnectReply { code, .. }) if self.own.is_none() => {
                out.push_back(Outgoing::Close { link: self.link });
                self.end(refusal(code));
            }
            Content::Broker(Broker::Redirect(to)) => {
                out.push_back(Outgoing::Close { link: self.link });
                if let IpAddr::V4(ip) = to.ip() {
                    self.news.push_back(News::Redirected(SocketAddrV4::new(ip, to.port())));
                }
                self.end("it sends everybody elsewhere".to_owned());
            }
            Content::Broker(Broker::Disconnect(_)) => {
                out.push_back(Outgoing::Close { link: self.link });
                self.end("it closed the connection".to_owned());
            }
            Content::Broker(Broker::Clients(all) | Broker::Added(all) | Broker::Changed(all)) => {
                self.news.push_back(News::Clients(all));
            }
            Content::Broker(Broker::Removed(all)) => self.news.push_back(News::Gone(all)),
            Content::Rpt(rpt) => self.take_rpt(rpt),
            Content::Broker(_) => {}
        }
    }

    fn take_rpt(&mut self, rpt: Rpt) {
        let Some(own) = self.own else { return };
        match rpt.content {
            RptContent::Status { code, .. } if rpt.to.uid == own => {
                self.news.push_back(News::NoAnswer(rpt.from.uid, code));
            }
            RptContent::Notification(messages) => {
                let asked = messages.iter().find(|message| !message.class.is_response()).cloned();
                // What nobody asked is told without a request; what is for us bears our identifier.
                let is_ours = asked.as_ref().map_or(rpt.to.uid == own, |asked| asked.from == own);
                let Some(mut answer) = joined(messages) else { return };
                if is_ours {
                    answer.to = own;
                    self.news.push_back(News::Answer(answer));
                } else if let Some(asked) = asked
                    && asked.class == Class::SET
                    && answer.response() == Some(ResponseType::ACK)
                {
                    self.news.push_back(News::OtherSet(asked.from, answer.from, asked));
                }
            }
            RptContent::Request(_) | RptContent::Status { .. } => {}
        }
    }
}

/// All parts of an answer in one.
fn joined(messages: Vec<rdm::Message>) -> Option<rdm::Message> {
    let mut answers = messages.into_iter().filter(|message| message.class.is_response());
    let mut whole = answers.next()?;
    for part in answers.filter(|part| part.parameter == whole.parameter) {
        whole.data.extend_from_slice(&part.data);
        whole.port_or_response = part.port_or_response;
    }
    Some(whole)
}

fn refusal(code: ConnectCode) -> String {
    match code {
        ConnectCode::SCOPE_MISMATCH => "it is of another scope".to_owned(),
        ConnectCode::NO_ROOM => "it has no room for another controller".to_owned(),
        ConnectCode::DUPLICATE => "somebody else is connected with our identifier".to_owned(),
        ConnectCode::INVALID => "it does not take what we say of ourselves".to_owned(),
        ConnectCode(other) => format!("it refuses the connection, code {other}"),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const LINK: LinkId = LinkId { family: crate::census::Way::Rdmnet, number: 1 };

    fn opened() -> (Session, VecDeque<Outgoing>) {
        let (mut out, place) = (VecDeque::new(), "10.40.0.20:8888 default".parse().unwrap());
        let mut session = Session::open(Duration::ZERO, LINK, &place, Cid([1; 16]), &mut out);
        session.hear(Duration::ZERO, LinkNews::Opened, &mut out);
        (session, out)
    }

    fn said(broker: Broker) -> Vec<u8> {
        Message { from: Cid([2; 16]), content: Content::Broker(broker) }.to_bytes()
    }

    fn welcome() -> Vec<u8> {
        let (broker, client) = (Uid([1; 6]), Uid([0xff, 0xf0, 0, 0, 0, 1]));
        said(Broker::ConnectReply { code: ConnectCode::OK, version: 1, broker, client })
    }

    /// A broker that says nothing is given up; one that beats is not, and hears that we are there.
    #[test]
    fn a_connection_stands_while_it_beats() {
        let (mut session, mut out) = opened();
        session.wake(WELCOME, &mut out);
        assert_eq!(session.next_news(), Some(News::Over("it says nothing any more".to_owned())));
        let (mut session, mut out) = opened();
        session.hear(Duration::ZERO, LinkNews::Bytes(&welcome()), &mut out);
        assert_eq!(session.next_news(), Some(News::Up));
        out.clear();
        for beat in 1..=10 {
            let now = HEARTBEAT * beat;
            session.hear(now, LinkNews::Bytes(&said(Broker::Null)), &mut out);
            session.wake(now, &mut out);
        }
        assert_eq!((session.next_news(), out.len()), (None, 10));
        session.wake(HEARTBEAT * 10 + SILENCE, &mut out);
        assert!(session.own().is_none() && session.next_news().is_some());
    }

    /// A message that is not understood, and clients that speak something else, cost nothing else.
    #[test]
    fn what_is_not_understood_is_passed_over() {
        let (mut session, mut out) = opened();
        let mut strange = said(Broker::Null);
        // The vector of the root, and that of the list's second client.
        strange[22] = 0x0b;
        let device =
            Client { cid: Cid([3; 16]), uid: Uid([4; 6]), kind: ClientKind::DEVICE, bound_to: Cid([0; 16]) };
        let mut clients = said(Broker::Clients(vec![device, device]));
        let second = clients.len() - 46 + 6;
        assert_eq!(clients[second], 5, "RPT");
        clients[second] = 0x0b;
        let told = [welcome(), strange, clients].concat();
        session.hear(Duration::ZERO, LinkNews::Bytes(&told), &mut out);
        let news: Vec<News> = std::iter::from_fn(|| session.next_news()).collect();
        assert_eq!(news, [News::Up, News::Clients(vec![device])]);
    }

    proptest! {
        /// Whatever a broker says, in whatever pieces, nothing panics, and nothing is kept that is no message.
        #[test]
        fn anything_may_be_said(
            bytes in proptest::collection::vec(any::<u8>(), 0..400),
            at in 0_usize..200,
            piece in 1_usize..64,
        ) {
            let (mut session, mut out) = opened();
            let mut told = [welcome(), said(Broker::Fetch), said(Broker::Clients(Vec::new()))].concat();
            let at = at.min(told.len());
            told.splice(at..at, bytes);
            for (second, some) in (0..).zip(told.chunks(piece)) {
                session.hear(Duration::from_secs(second), LinkNews::Bytes(some), &mut out);
            }
            prop_assert!(session.rest.len() <= MOST && session.news.len() < 16);
            session.wake(Duration::from_secs(3600), &mut out);
            prop_assert!(session.is_over && session.next_at().is_none());
        }
    }
}
