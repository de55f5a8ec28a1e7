//! Somebody who tells services when asked (RFC 6762, section 6; RFC 6763).

use std::collections::VecDeque;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::dns_sd::{Answer, DnsSd, EVERY_TYPE, Fact, GROUP, PORT, Question};

use super::body::Body;
use super::{DeviceSetup, Role, ServiceSetup, Utterance};
use crate::{Destination, Speech};

/// How long it thinks before it answers what others could answer too (RFC 6762, section 6).
const THINKING: Duration = Duration::from_millis(40);
/// The most answers kept waiting.
const MOST_WAITING: usize = 16;

#[derive(Debug)]
pub(super) struct Responder {
    host: String,
    services: Vec<ServiceSetup>,
    waiting: VecDeque<(Duration, Destination, DnsSd)>,
    said: VecDeque<Utterance>,
}

impl Responder {
    pub(super) fn new(device: &DeviceSetup) -> Self {
        Self {
            host: format!("{}.local.", device.name),
            services: device.services.clone(),
            waiting: VecDeque::new(),
            said: VecDeque::new(),
        }
    }

    fn answers(&self, own: Ipv4Addr, question: &Question) -> Vec<Answer> {
        let mut answers = Vec::new();
        for service in &self.services {
            let kind = format!("{}.local.", service.kind);
            if question.name == EVERY_TYPE {
                answers.push(Answer { name: EVERY_TYPE.to_owned(), fact: Fact::Pointer(kind), is_over: false });
            } else if question.name == kind {
                let instance = format!("{}.{kind}", service.name.replace('.', "\\."));
                let mut say =
                    |name: &str, fact| answers.push(Answer { name: name.to_owned(), fact, is_over: false });
                say(&kind, Fact::Pointer(instance.clone()));
                say(&instance, Fact::Service { host: self.host.clone(), port: service.port });
                say(&instance, Fact::Text(service.text.clone()));
                say(&self.host, Fact::Address(own));
            }
        }
        answers
    }
}

impl Role for Responder {
    fn port(&self) -> Option<u16> {
        Some(PORT)
    }

    fn group(&self) -> Option<Ipv4Addr> {
        Some(GROUP)
    }

    fn hear(&mut self, now: Duration, body: &mut Body, from: SocketAddrV4, bytes: &[u8]) {
        let Ok(message) = DnsSd::parse(bytes) else { return };
        for to_asker in [true, false] {
            let questions = message.questions.iter().filter(|question| question.to_asker == to_asker);
            let answers: Vec<Answer> =
                questions.flat_map(|question| self.answers(body.ip.address, question)).collect();
            if !answers.is_empty() && self.waiting.len() < MOST_WAITING {
                let group = Destination::Group(SocketAddrV4::new(GROUP, PORT));
                let to = if to_asker { Destination::One(from) } else { group };
                self.waiting.push_back((now + THINKING, to, DnsSd::answering(answers)));
            }
        }
    }

    fn wake_at(&self) -> Option<Duration> {
        self.waiting.front().map(|(at, ..)| *at)
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        while self.waiting.front().is_some_and(|(at, ..)| *at <= now) {
            let Some((_, to, answer)) = self.waiting.pop_front() else { break };
            self.said.push_back(Utterance::Speech(Speech { port: PORT, to, bytes: answer.to_bytes() }));
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }
}
