//! One order at a time to one device, and who asks proved in whichever way it wants.
//!
//! The first order goes out bare. One that is turned away goes out again with a digest in its envelope, or in the request where the
//! device's web server asks for that (ONVIF core, section 5.9); from then on every order does. The digest is of the moment that the
//! device's own clock shows: that one may be wrong by years.

use std::time::Duration;

use lantern_wire::Place;
use lantern_wire::http_digest::Challenge;
use lantern_wire::onvif::{self, Fault, Moment, Order, Token, Trouble};
use lantern_wire::xml::Element;

use crate::census::Way;
use crate::conversation::{LinkEnd, LinkId, Outgoing, Request, Response};
use crate::secret::Login;

/// How often one order is sent, each time with another proof of who asks.
const TRIES: u32 = 4;

/// What came of an order.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Reply {
    /// This was answered.
    Answer(Element),
    /// It does not do it, and says why.
    Fault(Fault),
    /// It wants to know who asks, and nothing is kept for it.
    Locked,
    /// It does not let in who asks.
    Refused,
    /// It answered something else, with this code.
    Foreign(u16),
    /// There is no answer.
    Gone(LinkEnd),
}

/// How it is proved who asks.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Proof {
    Nothing,
    InEnvelope,
    InRequest(Challenge),
}

/// An order under way.
#[derive(Debug)]
struct Asked {
    link: LinkId,
    order: Order,
    until: Duration,
    tries: u32,
}

/// Puts orders to one device.
#[derive(Debug)]
pub(super) struct Caller {
    pub(super) place: Place,
    login: Option<Login>,
    proof: Proof,
    /// What its clock showed, and when.
    clock: Option<(Moment, Duration)>,
    /// What tells its requests from those to others.
    seed: u32,
    count: u32,
    /// How long an answer may take.
    pub(super) patience: Duration,
    asked: Option<Asked>,
}

impl Caller {
    pub(super) fn new(place: Place, login: Option<Login>, seed: u32, patience: Duration) -> Self {
        Self { place, login, proof: Proof::Nothing, clock: None, seed, count: 0, patience, asked: None }
    }

    /// To another place, of which nothing is known yet but what the device's clock shows.
    pub(super) fn at(&self, place: Place, patience: Duration) -> Self {
        let Self { login, proof, clock, seed, count, .. } = self;
        Self {
            place,
            login: login.clone(),
            proof: proof.clone(),
            clock: *clock,
            seed: *seed,
            count: *count,
            patience,
            asked: None,
        }
    }

    /// Until when an answer is waited for; `None` when nothing is asked.
    pub(super) fn until(&self) -> Option<Duration> {
        self.asked.as_ref().map(|asked| asked.until)
    }

    /// Puts an order.
    pub(super) fn ask(&mut self, now: Duration, order: Order, out: &mut Vec<Outgoing>) {
        self.send(now, order, 1, out);
    }

    fn send(&mut self, now: Duration, order: Order, tries: u32, out: &mut Vec<Outgoing>) {
        self.count += 1;
        let link = LinkId::nth(Way::Onvif, self.seed, self.count);
        let mut request = Request {
            method: "POST",
            headers: vec![(
                "Content-Type".to_owned(),
                format!("application/soap+xml; charset=utf-8; action=\"{}\"", order.action()),
            )],
            ..Request::get(self.place.at, &self.place.path)
        };
        let mut token = None;
        if let Some(login) = &self.login {
            let password = login.password.expose();
            match &self.proof {
                Proof::InEnvelope if order != Order::Clock => {
                    token = self.moment(now).map(|at| Token::new(&login.user, password, at, self.nonce(now)));
                }
                Proof::InRequest(challenge) => {
                    let (method, path) = (request.method, &request.path);
                    let field = challenge.answer(&login.user, password, method, path, self.count);
                    request.headers.push(("Authorization".to_owned(), field));
                }
                Proof::InEnvelope | Proof::Nothing => {}
            }
        }
        request.body = order.to_envelope(token.as_ref());
        out.push(Outgoing::Fetch { link, request });
        self.asked = Some(Asked { link, order, until: now + self.patience, tries });
    }

    fn moment(&self, now: Duration) -> Option<Moment> {
        self.clock.map(|(shown, at)| shown.later(now.saturating_sub(at).as_secs()))
    }

    /// A number that is not used twice: made of which request it is, of whom, and of when.
    fn nonce(&self, now: Duration) -> [u8; 16] {
        let mut nonce = [0; 16];
        nonce[..4].copy_from_slice(&self.seed.to_be_bytes());
        nonce[4..8].copy_from_slice(&self.count.to_be_bytes());
        nonce[8..].copy_from_slice(&u64::try_from(now.as_nanos()).unwrap_or(u64::MAX).to_be_bytes());
        nonce
    }

    /// Takes in a page. Gives which order it answers and what came of it; `None` where it is another's, or the order had to be
    /// sent again.
    pub(super) fn hear(
        &mut self,
        now: Duration,
        link: LinkId,
        page: Result<&Response, LinkEnd>,
        out: &mut Vec<Outgoing>,
    ) -> Option<(Order, Reply)> {
        let asked = self.asked.take_if(|asked| asked.link == link)?;
        let page = match page {
            Ok(page) => page,
            Err(end) => return Some((asked.order, Reply::Gone(end))),
        };
        if self.clock.is_none() {
            // Better than nothing, until its clock itself is asked.
            self.clock = page.header("date").and_then(Moment::of_http).map(|shown| (shown, now));
        }
        let said = onvif::read(&page.body);
        let is_denied = page.status == 401
            || page.status == 403
            || matches!(&said, Err(Trouble::Fault(fault)) if fault.is_about_access());
        if is_denied {
            return self.denied(now, asked, page, out);
        }
        let reply = match said {
            Ok(answer) if page.status == 200 => Reply::Answer(answer),
            Err(Trouble::Fault(fault)) => Reply::Fault(fault),
            Ok(_) | Err(Trouble::Foreign) => Reply::Foreign(page.status),
        };
        if let (Order::Clock, Reply::Answer(answer)) = (&asked.order, &reply) {
            self.clock = onvif::clock(answer).map(|shown| (shown, now)).or(self.clock);
        }
        Some((asked.order, reply))
    }

    /// It did not let us in: again, with another proof, where there is one.
    fn denied(
        &mut self,
        now: Duration,
        asked: Asked,
        page: &Response,
        out: &mut Vec<Outgoing>,
    ) -> Option<(Order, Reply)> {
        if self.login.is_none() {
            return Some((asked.order, Reply::Locked));
        }
        let fields = page.headers.iter().filter(|(name, _)| name == "www-authenticate");
        let challenge = fields.filter_map(|(_, value)| Challenge::parse(value)).next();
        let next = match (challenge, &self.proof) {
            // One that it has taken before may be too old by now.
            (Some(challenge), Proof::InRequest(last)) if challenge != *last => Some(Proof::InRequest(challenge)),
            (Some(challenge), Proof::Nothing | Proof::InEnvelope) => Some(Proof::InRequest(challenge)),
            (None, Proof::Nothing) if self.clock.is_some() && asked.order != Order::Clock => {
                Some(Proof::InEnvelope)
            }
            _ => None,
        };
        match next.filter(|_| asked.tries < TRIES) {
            Some(proof) => {
                self.proof = proof;
                self.send(now, asked.order, asked.tries + 1, out);
                None
            }
            None => Some((asked.order, Reply::Refused)),
        }
    }

    /// An answer is not waited for any longer, once its time is over.
    pub(super) fn late(&mut self, now: Duration) -> Option<(Order, Reply)> {
        let asked = self.asked.take_if(|asked| asked.until <= now)?;
        Some((asked.order, Reply::Gone(LinkEnd::Silent)))
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;
    use crate::secret::Secret;

    const FAULT: &str = "<Envelope><Body><Fault><Code><Value>s:Sender</Value><Subcode><Value>ter:NotAuthorized</Value></Subcode></Code></Fault></Body></Envelope>";
    const CLOCK: &str = "<Envelope><Body><R><SystemDateAndTime><UTCDateTime><Time><Hour>1</Hour><Minute>2</Minute><Second>3</Second></Time>\
        <Date><Year>2026</Year><Month>2</Month><Day>3</Day></Date></UTCDateTime></SystemDateAndTime></R></Body></Envelope>";

    fn caller(login: bool) -> Caller {
        let place = Place { at: "10.40.7.1:80".parse().unwrap(), path: "/onvif/device_service".to_owned() };
        let kept = Login::of_user("tess".to_owned(), Secret::new("moonrise".to_owned()));
        Caller::new(place, login.then_some(kept), 7, Duration::from_secs(2))
    }

    fn page(status: u16, fields: &[(&str, &str)], body: &str) -> Response {
        let headers = fields.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect();
        Response { status, headers, body: body.as_bytes().to_vec() }
    }

    fn last(out: &[Outgoing]) -> (LinkId, &Request) {
        match out.last() {
            Some(Outgoing::Fetch { link, request }) => (*link, request),
            other => panic!("{other:?}"),
        }
    }

    /// Asks, and answers with these pages in turn; gives every request, and what came of it.
    fn asked(caller: &mut Caller, order: Order, pages: &[Response]) -> (Vec<Outgoing>, Option<(Order, Reply)>) {
        let (mut out, mut came) = (Vec::new(), None);
        caller.ask(Duration::from_secs(5), order, &mut out);
        for page in pages {
            assert_eq!(came, None, "it was over before");
            let (link, _) = last(&out);
            came = caller.hear(Duration::from_secs(6), link, Ok(page), &mut out);
        }
        (out, came)
    }

    fn bodies(out: &[Outgoing]) -> Vec<String> {
        let body = |outgoing: &Outgoing| match outgoing {
            Outgoing::Fetch { request, .. } => String::from_utf8_lossy(&request.body).into_owned(),
            _ => String::new(),
        };
        out.iter().map(body).collect()
    }

    #[test]
    fn nobody_is_named_before_that_is_wanted_and_no_digest_is_sent_twice() {
        let mut caller = caller(true);
        asked(&mut caller, Order::Clock, &[page(200, &[], CLOCK)]);
        let fine = page(200, &[], "<Envelope><Body><R/></Body></Envelope>");
        let (out, came) = asked(&mut caller, Order::Made, &[page(400, &[], FAULT), fine.clone()]);
        assert!(matches!(came, Some((Order::Made, Reply::Answer(_)))), "{came:?}");
        let first = bodies(&out);
        assert!(!first[0].contains("tess") && first[1].contains("tess"), "{first:?}");
        // One second by its own clock later than it was asked.
        assert!(first[1].contains("2026-02-03T01:02:0"), "{first:?}");
        let (out, _) = asked(&mut caller, Order::Scopes, &[fine]);
        let nonce = |text: &str| text.split("Nonce").nth(1).map(str::to_owned);
        let nonces: BTreeSet<Option<String>> =
            [&first[1], &bodies(&out)[0]].into_iter().map(|text| nonce(text)).collect();
        assert_eq!(nonces.len(), 2);
        assert!(!format!("{caller:?}{out:?}").contains("moonrise"));
    }

    #[test]
    fn a_web_server_that_asks_is_answered_and_one_that_forgets_is_answered_anew() {
        let mut caller = caller(true);
        let ask = |nonce: &str| {
            let digest = format!("Digest realm=\"x\", qop=\"auth\", nonce=\"{nonce}\"");
            page(401, &[("www-authenticate", "Basic realm=\"x\""), ("www-authenticate", &digest)], "")
        };
        let fine = page(200, &[], "<Envelope><Body><R/></Body></Envelope>");
        let (out, came) = asked(&mut caller, Order::Made, &[ask("a"), fine.clone()]);
        assert!(matches!(came, Some((_, Reply::Answer(_)))));
        let (_, request) = last(&out);
        let field =
            request.headers.iter().find(|(name, _)| name == "Authorization").map(|(_, value)| value.as_str());
        assert!(field.is_some_and(|field| field.contains("nonce=\"a\"")), "{field:?}");
        assert!(!bodies(&out)[1].contains("tess"), "the envelope need not prove it too");
        let (_, came) = asked(&mut caller, Order::Scopes, &[ask("b"), fine]);
        assert!(matches!(came, Some((_, Reply::Answer(_)))));
        let (_, came) = asked(&mut caller, Order::Scopes, &[ask("b")]);
        assert!(matches!(came, Some((_, Reply::Refused))), "the same question again is a refusal: {came:?}");
    }

    #[test]
    fn whoever_is_not_let_in_is_told_so_in_bounded_time() {
        let (_, came) = asked(&mut caller(false), Order::Made, &[page(400, &[], FAULT)]);
        assert!(matches!(came, Some((_, Reply::Locked))));
        // Without its clock there is nothing to make a digest of, but for the date of its web server.
        let (_, came) = asked(&mut caller(true), Order::Made, &[page(400, &[], FAULT)]);
        assert!(matches!(came, Some((_, Reply::Refused))));
        let date = [("date", "Tue, 03 Feb 2026 01:02:03 GMT")];
        let (out, came) =
            asked(&mut caller(true), Order::Made, &[page(400, &date, FAULT), page(400, &date, FAULT)]);
        assert!(matches!(came, Some((_, Reply::Refused))));
        assert!(bodies(&out)[1].contains("2026-02-03T01:02:03Z"));
        let mut forgetful = caller(true);
        let pages: Vec<Response> = (0..TRIES)
            .map(|nth| page(401, &[("www-authenticate", &format!("Digest nonce=\"{nth}\""))], ""))
            .collect();
        let (out, came) = asked(&mut forgetful, Order::Made, &pages);
        assert!(matches!(came, Some((_, Reply::Refused))));
        assert_eq!(out.len(), 4);
    }

    #[test]
    fn other_answers_are_what_they_are_and_late_ones_are_nobodys() {
        for (answer, reply) in [
            (page(302, &[("location", "http://192.168.1.1/")], ""), Reply::Foreign(302)),
            (page(500, &[], "it broke"), Reply::Foreign(500)),
            (page(200, &[], "<html/>"), Reply::Foreign(200)),
        ] {
            let (out, came) = asked(&mut caller(true), Order::Made, &[answer]);
            assert_eq!(came, Some((Order::Made, reply)));
            assert_eq!(out.len(), 1, "nobody is followed elsewhere");
        }
        let mut caller = caller(true);
        let mut out = Vec::new();
        caller.ask(Duration::ZERO, Order::Made, &mut out);
        let (link, _) = last(&out);
        assert_eq!(caller.late(Duration::from_secs(1)), None);
        let late = caller.late(Duration::from_secs(2));
        assert_eq!(late, Some((Order::Made, Reply::Gone(LinkEnd::Silent))));
        let page = page(200, &[], "<Envelope><Body><R/></Body></Envelope>");
        assert_eq!(caller.hear(Duration::from_secs(3), link, Ok(&page), &mut out), None);
    }
}
