//! The way to one gateway through its broker. When the broker is lost, it is tried again, and looked for anew.

use std::collections::VecDeque;
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::dns_sd::{GROUP, PORT};
use lantern_wire::rdm::{Message, Uid};

use super::rdm::{Carrier, Reading, port_in_words};
use super::{News, Place, Session, own_cid};
use crate::Said;
use crate::census::{Told, Way};
use crate::conversation::{Heard, LinkId, Outgoing, Vantage, sightings};

/// How long after a connection was lost the next one is tried.
const AGAIN: Duration = Duration::from_secs(1);
/// How long a broker is looked for at least.
const LEAST_PATIENCE: Duration = Duration::from_secs(5);
/// The most that is told of others.
const MOST_REMARKS: u32 = 16;

/// A way.
#[derive(Debug)]
pub(super) struct Line {
    uid: Uid,
    place: Place,
    vantage: Vantage,
    patience: Duration,
    session: Option<Session>,
    /// How often a connection was opened.
    opened: u32,
    open_at: Duration,
    /// Since when there is none.
    lost_at: Option<Duration>,
    is_given_up: bool,
    sends: VecDeque<Outgoing>,
    /// What is to be told, and how much was.
    remarks: VecDeque<Said>,
    remarked: u32,
}

impl Line {
    /// To this gateway, through the broker there; which is looked for so long when it is lost.
    pub(super) fn new(uid: Uid, place: Place, vantage: Vantage, patience: Duration) -> Self {
        Self {
            uid,
            place,
            vantage,
            patience: patience.max(LEAST_PATIENCE),
            session: None,
            opened: 0,
            open_at: Duration::ZERO,
            lost_at: Some(Duration::ZERO),
            is_given_up: false,
            sends: VecDeque::new(),
            remarks: VecDeque::new(),
            remarked: 0,
        }
    }

    /// The number of the next link: several talks at a time open theirs, each for another gateway.
    fn next_link(&self) -> LinkId {
        LinkId { family: Way::Rdmnet, number: LinkId::seed(self.opened.rotate_left(16), &self.uid.0) }
    }

    fn open(&mut self, now: Duration) {
        // Wherever it may be by now.
        if self.opened > 0 {
            self.sends.extend(self.vantage.seats.iter().enumerate().map(|(seat, place)| {
                let to = SocketAddrV4::new(place.everybody(GROUP), PORT);
                Outgoing::Datagram { seat, to, bytes: Place::question() }
            }));
        }
        self.opened += 1;
        let cid = own_cid(&self.vantage, self.uid);
        self.session = Some(Session::open(now, self.next_link(), &self.place, cid, &mut self.sends));
    }

    fn remark(&mut self, what: &str) {
        if self.remarked < MOST_REMARKS {
            self.remarked += 1;
            self.remarks.push_back(Said::from(what));
        }
    }

    /// What became of the session; gives the answers for us.
    fn take_news(&mut self, now: Duration) -> Vec<Message> {
        let mut answers = Vec::new();
        while let Some(news) = self.session.as_mut().and_then(Session::next_news) {
            match news {
                News::Up => {
                    if self.opened > 1 {
                        self.remark(&format!("its broker at {} is there again: going on", self.place.at));
                    }
                    self.lost_at = None;
                }
                News::Answer(answer) if answer.from == self.uid => answers.push(answer),
                News::OtherSet(who, whom, order) if whom == self.uid => {
                    if let Some(what) = port_in_words(order.parameter, &order.data) {
                        self.remark(&format!("another controller, {who}, has meanwhile set {what}"));
                    }
                }
                News::Redirected(to) if !to.ip().is_unspecified() => self.place.at = to,
                News::Over(why) => {
                    self.session = None;
                    self.open_at = now + AGAIN;
                    if self.lost_at.is_none() {
                        self.lost_at = Some(now);
                        self.remark(&format!("its broker at {} is lost, {why}: looking for it", self.place.at));
                    }
                }
                News::Gone(clients) if clients.iter().any(|client| client.uid == self.uid) => {
                    self.remark("it has left its broker: waiting for it");
                }
                News::Answer(_)
                | News::OtherSet(..)
                | News::Redirected(_)
                | News::Clients(_)
                | News::Gone(_)
                | News::NoAnswer(..) => {}
            }
        }
        answers
    }

    /// A broker of the same scope was told of: it may be the lost one.
    fn consider(&mut self, now: Duration, told: &Place) {
        if self.session.is_none() && told.scope == self.place.scope && told.at != self.place.at {
            self.place = told.clone();
            self.open_at = now;
        }
    }
}

impl Carrier for Line {
    fn own(&self) -> Option<Uid> {
        self.session.as_ref().and_then(Session::own)
    }

    fn whole(&self, uid: Uid) -> Reading {
        Reading::of_gateway(uid)
    }

    fn send(&mut self, _: Duration, request: Message) -> Option<Outgoing> {
        self.session.as_mut()?.asking(request)
    }

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) -> Vec<Message> {
        if let Heard::Link(link, news) = heard
            && let Some(session) = self.session.as_mut().filter(|session| session.link() == *link)
        {
            session.hear(now, *news, &mut self.sends);
            return self.take_news(now);
        }
        if self.lost_at.is_some() && self.opened > 0 {
            for sighting in sightings(&self.vantage, now, heard).1 {
                let Told::Services(answers) = &sighting.told else { continue };
                Place::of(sighting.from, answers).iter().for_each(|place| self.consider(now, place));
            }
        }
        Vec::new()
    }

    fn next_at(&self) -> Option<Duration> {
        let session = self.session.as_ref().map_or(Some(self.open_at), Session::next_at);
        let given_up = self.lost_at.map(|at| at + self.patience);
        session.into_iter().chain(given_up).min()
    }

    fn work(&mut self, now: Duration) {
        match &mut self.session {
            Some(session) => session.wake(now, &mut self.sends),
            None if self.open_at <= now => self.open(now),
            None => {}
        }
        self.take_news(now);
        self.is_given_up |= self.lost_at.is_some_and(|at| at + self.patience <= now);
    }

    fn is_over(&self) -> bool {
        self.is_given_up
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        self.sends.pop_front()
    }

    fn next_remark(&mut self) -> Option<Said> {
        self.remarks.pop_front()
    }
}

#[cfg(test)]
mod tests {
    use std::net::Ipv4Addr;

    use lantern_wire::acn::Cid;
    use lantern_wire::dns_sd::{Answer, DnsSd, Fact};
    use lantern_wire::rdmnet::{self, Broker, ConnectCode, Content};

    use super::*;
    use crate::conversation::{Datagram, LinkEnd, LinkNews, Seat};

    const UID: Uid = Uid([0x7f, 0xf0, 0, 0xa0, 0, 8]);

    fn opened(line: &mut Line) -> Option<(LinkId, SocketAddrV4)> {
        let sends: Vec<Outgoing> = std::iter::from_fn(|| line.next_send()).collect();
        sends.into_iter().find_map(|sent| match sent {
            Outgoing::Open { link, to } => Some((link, to)),
            _ => None,
        })
    }

    /// A broker that comes up at another address is found there, since it is looked for by its scope.
    #[test]
    fn a_lost_broker_is_looked_for_elsewhere() {
        let seat = Seat {
            own: Ipv4Addr::new(10, 40, 0, 7),
            subnet: "10.40.0.0/16".parse().unwrap(),
            limited_broadcast: false,
        };
        let place: Place = "10.40.0.20:8888 default".parse().unwrap();
        let mut line = Line::new(UID, place, Vantage::of_seats(vec![seat]), Duration::from_secs(30));
        line.work(Duration::ZERO);
        let (link, to) = opened(&mut line).unwrap();
        assert_eq!(to.to_string(), "10.40.0.20:8888");
        line.hear(Duration::ZERO, &Heard::Link(link, LinkNews::Opened));
        let (broker, client) = (Uid([1; 6]), Uid([0xff, 0xf0, 0, 0, 0, 1]));
        let reply = Broker::ConnectReply { code: ConnectCode::OK, version: 1, broker, client };
        let reply = rdmnet::Message { from: Cid([2; 16]), content: Content::Broker(reply) }.to_bytes();
        line.hear(Duration::ZERO, &Heard::Link(link, LinkNews::Bytes(&reply)));
        assert_eq!(line.own(), Some(client));

        let at = Duration::from_secs(1);
        line.hear(at, &Heard::Link(link, LinkNews::Closed(LinkEnd::Torn)));
        assert_eq!(line.own(), None);
        let told = |host: u8, scope: &str| {
            let name = "Night._rdmnet._tcp.local.".to_owned();
            let answer = |name: &str, fact| Answer { name: name.to_owned(), fact, is_over: false };
            let service = Fact::Service { host: "spare.local.".to_owned(), port: 8889 };
            let address = Fact::Address(Ipv4Addr::new(10, 40, 0, host));
            let text = Fact::Text(vec![format!("E133Scope={scope}")]);
            DnsSd::answering(vec![answer(&name, service), answer(&name, text), answer("spare.local.", address)])
                .to_bytes()
        };
        let mut hear = |bytes: &[u8]| {
            let from = SocketAddrV4::new(Ipv4Addr::new(10, 40, 0, 21), PORT);
            line.hear(at, &Heard::Datagram(Datagram { seat: 0, from, port: PORT, bytes }));
            line.work(at);
            opened(&mut line)
        };
        assert_eq!(hear(&told(22, "quay")), None, "another scope is another rig");
        let (other, to) = hear(&told(21, "default")).unwrap();
        assert_eq!(to.to_string(), "10.40.0.21:8889");
        assert_ne!(other, link, "what still comes of the old connection is not taken for the new one's");
        assert!(!line.is_over());
        line.work(at + Duration::from_secs(30));
        assert!(line.is_over(), "whoever lets nobody in is given up");
    }
}
