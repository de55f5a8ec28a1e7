//! One question at a time to one web server.

use std::net::SocketAddrV4;
use std::time::Duration;

use super::MOST_BODY;
use crate::census::Way;
use crate::conversation::{LinkEnd, LinkId, Outgoing, Request, Response};

/// Puts questions to one web server.
#[derive(Debug)]
pub(super) struct Caller {
    /// What tells its requests from those to others.
    seed: u32,
    count: u32,
    /// How long an answer may take.
    patience: Duration,
    asked: Option<(LinkId, Duration)>,
}

impl Caller {
    pub(super) const fn new(seed: u32, patience: Duration) -> Self {
        Self { seed, count: 0, patience, asked: None }
    }

    /// Until when an answer is waited for; `None` when nothing is asked.
    pub(super) fn until(&self) -> Option<Duration> {
        self.asked.map(|(_, until)| until)
    }

    pub(super) fn get(&mut self, now: Duration, to: SocketAddrV4, path: &str, out: &mut Vec<Outgoing>) {
        self.send(now, Request::get(to, path), out);
    }

    /// Hands something over.
    pub(super) fn order(
        &mut self,
        now: Duration,
        method: &'static str,
        to: SocketAddrV4,
        path: &str,
        body: Vec<u8>,
        out: &mut Vec<Outgoing>,
    ) {
        let headers = vec![("Content-Type".to_owned(), "application/json".to_owned())];
        self.send(now, Request { method, headers, body, ..Request::get(to, path) }, out);
    }

    fn send(&mut self, now: Duration, mut request: Request, out: &mut Vec<Outgoing>) {
        self.count += 1;
        let link = LinkId::nth(Way::Nmos, self.seed, self.count);
        request.most = MOST_BODY;
        out.push(Outgoing::Fetch { link, request });
        self.asked = Some((link, now + self.patience));
    }

    /// What was answered, where it is to this one's question.
    pub(super) fn hear<'a>(
        &mut self,
        link: LinkId,
        page: Result<&'a Response, LinkEnd>,
    ) -> Option<Result<&'a Response, LinkEnd>> {
        self.asked.take_if(|(asked, _)| *asked == link).map(|_| page)
    }

    /// Whether an answer is waited for no longer, since its time is over.
    pub(super) fn is_late(&mut self, now: Duration) -> bool {
        self.asked.take_if(|(_, until)| *until <= now).is_some()
    }
}
