//! Its part in a survey: hears who tells the service, asks registries whom they know, and reads everybody who is near.

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::dns_sd::Answer;
use lantern_wire::nmos::{Api, NODE_SERVICE, Node, QUERY_SERVICE, Version, older};

use super::Asker;
use super::caller::Caller;
use super::reading::Reading;
use crate::census::{News, Services, Sighting, Told, Unit, Way};
use crate::conversation::{LinkEnd, LinkId, Outgoing, Response, SurveyPlan};
use crate::facts::Facts;

/// The most nodes and registries read at a time, and altogether.
const AT_ONCE: usize = 16;
const MOST: usize = 4096;
/// The most pages of one registry.
const MOST_PAGES: u32 = 64;
/// How many entries of a registry are asked for at a time.
const PAGE: u32 = 100;
/// How long a node may take for each answer.
const ANSWER_TIME: Duration = Duration::from_millis(2500);
/// How long a survey waits at most until one that answers slowly is read to the end.
const MOST_READING: Duration = Duration::from_secs(15);
/// How often a watch without an end reads everybody again.
const AGAIN: Duration = Duration::from_secs(30);

/// Who is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Whom {
    Registry(SocketAddrV4),
    Node(SocketAddrV4),
}

#[derive(Debug)]
enum Work {
    Registry(Listing),
    Node(Box<Reading>),
}

/// A registry's list, page by page.
#[derive(Debug)]
struct Listing {
    at: SocketAddrV4,
    caller: Caller,
    version: Option<Version>,
    /// What stands behind the `?` of the next page.
    question: String,
    pages: u32,
    /// Whom it lists, by identifier.
    listed: BTreeMap<String, Option<SocketAddrV4>>,
    is_over: bool,
}

/// Searches and reads.
#[derive(Debug)]
pub(in crate::family) struct Search {
    plan: SurveyPlan,
    services: Services,
    macs: BTreeMap<Ipv4Addr, MacAddress>,
    known: BTreeSet<Whom>,
    waiting: VecDeque<Whom>,
    working: Vec<(Whom, Work, Duration)>,
    numbers: u32,
    again_at: Duration,
    told: VecDeque<Sighting>,
}

impl Search {
    pub(in crate::family) fn new(plan: &SurveyPlan) -> Self {
        Self {
            plan: plan.clone(),
            services: Services::default(),
            macs: BTreeMap::new(),
            known: BTreeSet::new(),
            waiting: VecDeque::new(),
            working: Vec::new(),
            numbers: 0,
            again_at: AGAIN,
            told: VecDeque::new(),
        }
    }

    fn consider(&mut self, whom: Whom) {
        self.consider_named(whom, false);
    }

    /// The same of one that is about by its name, or is not.
    fn consider_named(&mut self, whom: Whom, is_named: bool) {
        let (Whom::Registry(at) | Whom::Node(at)) = whom;
        let mac = self.macs.get(at.ip()).copied();
        // A registry speaks for everybody, also where it is about some only.
        let may = match whom {
            Whom::Registry(_) => self.plan.may_connect_beside(*at.ip(), mac),
            Whom::Node(_) if is_named => self.plan.may_connect_beside(*at.ip(), mac),
            Whom::Node(_) => self.plan.may_connect(*at.ip(), mac),
        };
        if may && at.port() != 0 && self.known.len() < MOST && self.known.insert(whom) {
            self.waiting.push_back(whom);
        }
    }

    /// Takes in services; those that are of a node or a registry are read.
    fn hear_services(&mut self, from: (Ipv4Addr, Option<MacAddress>), answers: &[Answer]) {
        let is_ours = |answer: &Answer| answer.name.to_ascii_lowercase().contains("_nmos-");
        if !answers.iter().any(is_ours) {
            return;
        }
        self.services.take(from, answers);
        for service in self.services.sorted() {
            let at = SocketAddrV4::new(service.address, service.port);
            let is_plain = !service.text.iter().any(|pair| pair.raw() == "api_proto=https");
            let is_named =
                [&service.name, &service.host].iter().any(|name| self.plan.concern.has_name(name.raw()));
            match service.kind.raw() {
                NODE_SERVICE if is_plain => self.consider_named(Whom::Node(at), is_named),
                QUERY_SERVICE if is_plain => self.consider(Whom::Registry(at)),
                _ => {}
            }
        }
    }

    /// Begins to read those whose turn it is.
    fn begin_some(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        while self.working.len() < AT_ONCE
            && let Some(whom) = self.waiting.pop_front()
        {
            self.numbers += 1;
            let caller = Caller::new(self.numbers.wrapping_mul(0x9e37_79b9), ANSWER_TIME);
            let work = match whom {
                Whom::Registry(at) => {
                    let mut listing = Listing::new(at, caller);
                    listing.work(now, out);
                    Work::Registry(listing)
                }
                Whom::Node(at) => {
                    let seen = self.macs.get(at.ip()).copied();
                    let deep = self.plan.reads_patches || !self.plan.concern.is_everybody();
                    let mut reading = Reading::new(at, seen, caller, deep);
                    reading.work(now, out);
                    Work::Node(Box::new(reading))
                }
            };
            self.working.push((whom, work, now));
        }
    }

    /// Tells those that are read to the end, and reads on.
    fn go_on(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        let mut found = Vec::new();
        for (_, work, _) in &self.working {
            if let Work::Registry(listing) = work {
                found.extend(listing.listed.values().flatten().copied());
            }
        }
        found.into_iter().for_each(|at| self.consider(Whom::Node(at)));
        let (done, going): (Vec<_>, Vec<_>) = self.working.drain(..).partition(|(_, work, _)| work.is_over());
        self.working = going;
        for (_, work, _) in done {
            match work {
                Work::Node(reading) => self.tell(now, &reading),
                Work::Registry(listing) => self.tell_registry(now, &listing),
            }
        }
        self.begin_some(now, out);
    }

    fn tell(&mut self, now: Duration, reading: &Reading) {
        let Some(unit) = reading.unit() else { return };
        self.told.push_back(Sighting::of_unit(now, unit));
        let points = reading.points().iter().cloned();
        self.told.extend(points.map(|point| Sighting::of_patch_point(now, point)));
    }

    fn tell_registry(&mut self, now: Duration, listing: &Listing) {
        if listing.version.is_none() {
            return;
        }
        let what = format!(
            "NMOS registry, lists {}",
            match listing.listed.len() {
                1 => "1 node".to_owned(),
                count => format!("{count} nodes"),
            }
        );
        let (address, facts) = (*listing.at.ip(), Facts::default());
        let mac = self.macs.get(&address).copied();
        let mut unit = Unit::of_address(Way::Nmos, address, mac, &what, facts);
        unit.handle = format!(":{}", listing.at.port());
        self.told.push_back(Sighting::of_unit(now, unit));
    }
}

impl Work {
    fn is_over(&self) -> bool {
        match self {
            Self::Registry(listing) => listing.is_over,
            Self::Node(reading) => reading.is_over(),
        }
    }

    fn is_heard(&self) -> bool {
        match self {
            Self::Registry(listing) => listing.version.is_some(),
            Self::Node(reading) => reading.is_heard(),
        }
    }

    fn next_at(&self) -> Option<Duration> {
        match self {
            Self::Registry(listing) => (!listing.is_over).then(|| listing.caller.until()).flatten(),
            Self::Node(reading) => reading.next_at(),
        }
    }

    fn work(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        match self {
            Self::Registry(listing) => listing.work(now, out),
            Self::Node(reading) => reading.work(now, out),
        }
    }

    fn hear(&mut self, now: Duration, link: LinkId, page: Result<&Response, LinkEnd>, out: &mut Vec<Outgoing>) {
        match self {
            Self::Registry(listing) => listing.hear(now, link, page, out),
            Self::Node(reading) => reading.hear(now, link, page, out),
        }
    }
}

impl Listing {
    fn new(at: SocketAddrV4, caller: Caller) -> Self {
        let question = format!("paging.limit={PAGE}");
        Self { at, caller, version: None, question, pages: 0, listed: BTreeMap::new(), is_over: false }
    }

    fn work(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        if self.caller.is_late(now) {
            self.is_over = true;
        }
        if self.is_over || self.caller.until().is_some() {
            return;
        }
        let base = Api::Query.path();
        let path = match self.version {
            None => base.to_owned(),
            Some(version) => format!("{base}{version}/nodes?{}", self.question),
        };
        self.caller.get(now, self.at, &path, out);
    }

    fn hear(&mut self, now: Duration, link: LinkId, page: Result<&Response, LinkEnd>, out: &mut Vec<Outgoing>) {
        let Some(page) = self.caller.hear(link, page) else { return };
        if self.take(page).is_none() {
            self.is_over = true;
        }
        self.work(now, out);
    }

    /// Takes in a page; `None` when it was the last.
    fn take(&mut self, page: Result<&Response, LinkEnd>) -> Option<()> {
        let page = page.ok().filter(|page| page.status == 200)?;
        if self.version.is_none() {
            self.version = Api::Query.best(&Version::list(&page.body).ok()?);
            return self.version.map(|_| ());
        }
        let nodes = Node::list(&page.body).ok()?;
        let before = self.listed.len();
        let room = MOST.saturating_sub(before);
        let entry = |node: Node| {
            let at = node.endpoints.first().map(|(address, port)| SocketAddrV4::new(*address, *port));
            (node.id.to_string(), at)
        };
        self.listed.extend(nodes.into_iter().take(room).map(entry));
        self.pages += 1;
        // A page that lists nobody new leads nowhere, whatever it says.
        let question = page.header("link").and_then(older).filter(|_| self.listed.len() > before)?;
        self.question = question;
        (self.pages < MOST_PAGES).then_some(())
    }
}

impl Asker for Search {
    fn hear(&mut self, now: Duration, sighting: &Sighting, _: &News, out: &mut Vec<Outgoing>) {
        if let Some(mac) =
            sighting.mac.filter(|_| self.macs.len() < MOST || self.macs.contains_key(&sighting.from))
        {
            self.macs.insert(sighting.from, mac);
        }
        if let Told::Services(answers) = &sighting.told {
            self.hear_services((sighting.from, sighting.mac), answers);
            self.begin_some(now, out);
        }
    }

    fn hear_page(
        &mut self,
        now: Duration,
        link: LinkId,
        page: Result<&Response, LinkEnd>,
        out: &mut Vec<Outgoing>,
    ) {
        if link.family != Way::Nmos {
            return;
        }
        for (_, work, _) in &mut self.working {
            work.hear(now, link, page, out);
        }
        self.go_on(now, out);
    }

    fn next_at(&self) -> Option<Duration> {
        let again = self.plan.is_endless().then_some(self.again_at);
        self.working.iter().filter_map(|(_, work, _)| work.next_at()).chain(again).min()
    }

    fn ask(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        if self.plan.is_endless() && self.again_at <= now {
            self.again_at = now + AGAIN;
            let is_waited_for =
                |whom: &Whom| self.waiting.contains(whom) || self.working.iter().any(|(one, ..)| one == whom);
            let again: Vec<Whom> = self.known.iter().filter(|whom| !is_waited_for(whom)).copied().collect();
            self.waiting.extend(again);
        }
        for (_, work, _) in &mut self.working {
            work.work(now, out);
        }
        self.go_on(now, out);
    }

    fn waits(&self) -> bool {
        !self.working.is_empty() || !self.waiting.is_empty()
    }

    fn busy_until(&self) -> Option<Duration> {
        let going = self.working.iter().filter(|(_, work, _)| work.is_heard());
        going.filter_map(|(_, work, since)| Some(work.next_at()?.min(*since + MOST_READING))).max()
    }

    fn next_sighting(&mut self) -> Option<Sighting> {
        self.told.pop_front()
    }
}
