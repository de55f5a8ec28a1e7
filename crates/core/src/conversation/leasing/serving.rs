//! What is said to whoever asks (RFC 2131, section 4.3).

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::dhcp::DhcpKind;

use super::checks::Standing;
use super::clients::{Given, Whom};
use super::news::{LeaseNews, Stranger};
use super::reply::{Reply, Times};
use super::{Asked, LAST_EVERY, LAST_WORDS, Leasing, MOST_WAITING, Phase};
use crate::address::Seat;
use crate::lease::{LeasePlan, Terms};

impl Leasing {
    pub(super) fn answer(&mut self, asked: Asked) {
        let (mac, kind) = (asked.message.client, asked.message.kind);
        if self.plan.locked.contains(&mac) {
            if self.clients.is_first_of(mac) {
                self.events.push_back(LeaseNews::Locked(mac));
            }
            return;
        }
        let before = self.clients.known(&self.plan, mac);
        let is_new_business = matches!(kind, DhcpKind::DISCOVER | DhcpKind::REQUEST | DhcpKind::INFORM);
        let whom = if is_new_business && !matches!(self.phase, Phase::Ending(_)) {
            self.clients.whose(self.now, &self.plan, &asked.message)
        } else {
            before
        };
        let Some(whom) = whom else { return self.leave_alone(&asked) };
        if let (None, Some(node)) = (before, self.node(whom)) {
            self.events.push_back(LeaseNews::Taken { who: Stranger::of(&asked.message), node });
        }
        let Some(terms) = self.terms(whom).cloned() else { return };
        if !LeasePlan::can_give(&self.seats, asked.message.relay, &terms) {
            return;
        }
        match kind {
            DhcpKind::DISCOVER => self.offer(asked, whom, &terms),
            DhcpKind::REQUEST => self.grant(asked, whom, &terms),
            DhcpKind::DECLINE if asked.message.requested == Some(terms.address) => {
                self.take_back(mac, whom, terms.address);
            }
            DhcpKind::RELEASE if asked.message.has == terms.address => {
                self.clients.forget_given(mac);
                let (node, address) = (self.node(whom), terms.address);
                self.events.push_back(LeaseNews::Released { mac, node, address });
            }
            DhcpKind::INFORM => self.say(&asked, &terms, DhcpKind::ACK, None),
            _ => {}
        }
    }

    /// Somebody for whom nothing is planned: told of, and refused only where it means us.
    fn leave_alone(&mut self, asked: &Asked) {
        let message = &asked.message;
        if self.clients.is_first_of(message.client) {
            self.events.push_back(LeaseNews::Unknown(Stranger::of(message)));
        }
        let wanted = message.requested.filter(|_| message.kind == DhcpKind::REQUEST && message.server.is_some());
        if let Some(from) = wanted {
            self.refuse(asked, from, None);
        }
    }

    fn offer(&mut self, asked: Asked, whom: Whom, terms: &Terms) {
        let mac = asked.message.client;
        match self.checks.standing(self.now, terms.address, mac) {
            Standing::Free => self.say(&asked, terms, DhcpKind::OFFER, Some(self.times())),
            Standing::Held(by) => self.tell_held(mac, whom, terms.address, by),
            Standing::Unknown => self.check(asked, terms.address),
        }
    }

    fn grant(&mut self, asked: Asked, whom: Whom, terms: &Terms) {
        let message = &asked.message;
        let (mac, has_it) = (message.client, !message.has.is_unspecified());
        let wanted = if has_it { message.has } else { message.requested.unwrap_or(message.has) };
        if wanted != terms.address {
            return self.refuse(&asked, wanted, Some(terms.address));
        }
        match self.checks.standing(self.now, terms.address, mac) {
            Standing::Held(by) => {
                self.tell_held(mac, whom, terms.address, by);
                // Whoever has it already is told nothing: it would drop what may be in the show.
                if !has_it {
                    self.refuse(&asked, wanted, None);
                }
            }
            Standing::Unknown if !has_it => self.check(asked, terms.address),
            Standing::Free | Standing::Unknown => {
                let (times, is_kept) = (self.times(), matches!(self.phase, Phase::Ending(_)));
                let until = self.now + Duration::from_secs(times.lease.into());
                let is_new = self.clients.give(mac, whom, Given { until, is_kept });
                if is_new {
                    self.last_new = self.now;
                }
                let node = self.node(whom);
                let Terms { address, mask, gateway, .. } = *terms;
                let seconds = times.lease;
                let given = LeaseNews::Given { mac, node, address, mask, gateway, seconds, is_new, is_kept };
                self.events.push_back(given);
                self.say(&asked, terms, DhcpKind::ACK, Some(times));
            }
        }
    }

    fn refuse(&mut self, asked: &Asked, from: Ipv4Addr, to: Option<Ipv4Addr>) {
        let mac = asked.message.client;
        self.clients.forget_given(mac);
        self.events.push_back(LeaseNews::Moved { mac, from, to });
        let frame = self.reply(asked, to.unwrap_or(from)).and_then(|reply| reply.refusal());
        self.send(frame);
    }

    /// A unit says that somebody else holds what it was given (RFC 2131, section 3.1.5).
    fn take_back(&mut self, mac: MacAddress, whom: Whom, address: Ipv4Addr) {
        self.clients.forget_given(mac);
        let by = self.checks.holder(address, mac);
        self.checks.decline(self.now, address);
        self.tell_held(mac, whom, address, by);
    }

    fn tell_held(&mut self, mac: MacAddress, whom: Whom, address: Ipv4Addr, by: Option<MacAddress>) {
        if self.checks.is_first_of(address, by) {
            let node = self.node(whom);
            self.events.push_back(LeaseNews::Held { mac, node, address, by });
        }
        // A stranger may have any other one.
        if let Whom::Pool(at) = whom {
            self.clients.pass_over(mac, at);
        }
    }

    fn check(&mut self, asked: Asked, address: Ipv4Addr) {
        self.checks.begin(self.now, address, asked.message.client);
        self.clients.let_wait(asked);
    }

    /// An answer about this address, from our own beside it; where there is none, as behind a relay, from our first.
    fn reply<'m>(&self, asked: &'m Asked, about: Ipv4Addr) -> Option<Reply<'m>> {
        let seat = self.seats.get(Seat::beside(&self.seats, about).unwrap_or(0))?;
        Some(Reply { own: self.own, server: seat.own, to: &asked.message, frame_from: asked.from })
    }

    fn times(&self) -> Times {
        match self.phase {
            Phase::Ending(_) => Times::of(self.keep),
            _ => Times::SHORT,
        }
    }

    fn say(&mut self, asked: &Asked, terms: &Terms, kind: DhcpKind, times: Option<Times>) {
        let frame = self.reply(asked, terms.address).and_then(|reply| reply.with(kind, terms, times));
        let Some(frame) = frame else { return };
        if kind == DhcpKind::ACK && matches!(self.phase, Phase::Ending(_)) && self.again.len() < MOST_WAITING {
            self.again.extend((1..LAST_WORDS).map(|n| (self.now + LAST_EVERY * n, frame.clone())));
            self.again.make_contiguous().sort_by_key(|(at, _)| *at);
        }
        self.send(Some(frame));
    }
}
