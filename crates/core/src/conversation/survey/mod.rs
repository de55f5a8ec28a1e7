//! Survey: go out to see what is there, in every way at once, and put it together.
//!
//! The families take part as askers ([`crate::family`]); [`art_net`] polls, [`sweep`] asks address after address, [`single`]
//! asks single devices, `retries` asks again. `listen` says what any packet tells about its sender. Here they are run side
//! by side, at one pace, into one census.
//!
//! One that is told to ends as soon as everybody on the sheet has answered and nobody else is waited for; any other
//! takes the whole time, so that strangers are seen too.

mod art_net;
mod echo_times;
mod events;
mod plan;
mod returns;
mod single;
mod sweep;

use std::collections::{HashMap, HashSet, VecDeque};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::{Arp, Carries, MacAddress, Packet, WireError};

use super::outbox::Outbox;
use super::retries::Retries;
use super::{Conversation, Heard, LinkEnd, LinkId, LinkNews, Neighbour, Outgoing, Response, listen};
use crate::census::{Census, NodeNews, Sighting, Told, Viewpoint, Way, Ways};
use crate::compare::{Match, Matching};
use crate::family::{self, Asker};
use crate::sheet::SheetNode;

use art_net::Calls;
use echo_times::EchoTimes;
use returns::Returns;
use sweep::Sweep;

pub use events::{Glimpse, Progress, SurveyEvent};
pub use plan::{Concern, Depth, Extent, OnCables, Rediscovery, SurveyPlan};

/// A node may take so long at random before it answers (Art-Net 4, "ArtPoll").
const REPLY_TIME: Duration = Duration::from_secs(1);
/// By when every answer should be there.
const WHOLE_TIME: Duration = Duration::from_secs(3);
/// How long answers to single questions are waited for after the survey's own time.
const ASK_GRACE: Duration = Duration::from_millis(1500);
/// A survey of ranges waits so long for answers to its one broadcast.
const RANGES_TIME: Duration = Duration::from_millis(1250);
/// How often to look whether everybody expected has answered.
const LOOK_EVERY: Duration = Duration::from_millis(100);
/// How often the system's table of neighbours is read.
const NEIGHBOURS_EVERY: Duration = Duration::from_millis(400);
/// How often a device is asked for an echo, and how many devices at most.
const ECHOES: u32 = 3;
const ECHO_EVERY: Duration = Duration::from_millis(250);
const MOST_ECHOES: usize = 8192;
/// The most events that wait to be taken out.
const MOST_EVENTS: usize = 65_536;

/// Who is asked for an echo: an address, and where frames are seen the MAC address too, since several may hold it.
type Whom = (Ipv4Addr, Option<MacAddress>);

/// The survey conversation; [`Survey::into_census`] is its result.
#[derive(Debug)]
pub struct Survey {
    plan: SurveyPlan,
    census: Census,
    outbox: Outbox,
    events: VecDeque<SurveyEvent>,
    calls: Calls,
    askers: Vec<Box<dyn Asker>>,
    sweep: Sweep,
    echoes: Retries<Whom>,
    echo_times: EchoTimes,
    returns: Returns,
    neighbours_at: Duration,
    look_at: Duration,
    seen: usize,
    asked: bool,
    echo_asked: bool,
    unreadable: u64,
    /// Addresses of nodes that it is about, whatever they are known by.
    concerned: HashSet<Ipv4Addr>,
    begun: bool,
    over: bool,
}

impl Survey {
    /// A survey that starts at its first [`Conversation::wake`].
    #[must_use]
    pub fn new(plan: SurveyPlan) -> Self {
        let own: Vec<Ipv4Addr> = plan.vantage.seats.iter().map(|seat| seat.own).collect();
        let asks_one_by_one = !plan.is_passive()
            && !plan.vantage.is_on_loopback()
            && (plan.ways.contains(Way::Arp) || plan.ways.contains(Way::Echo));
        let (likely, ranges) =
            if asks_one_by_one { (&plan.likely[..], &plan.ranges[..]) } else { (&[][..], &[][..]) };
        Self {
            outbox: Outbox::with_pace(plan.vantage.seats.clone(), plan.real_pace()),
            calls: Calls::new(&plan),
            returns: Returns::default(),
            askers: family::askers(&plan),
            sweep: Sweep::new(likely, ranges, &own, if plan.extent == Extent::Ranges { 2 } else { 3 }),
            plan,
            census: Census::default(),
            events: VecDeque::new(),
            echoes: Retries::new(ECHOES, ECHO_EVERY, MOST_ECHOES),
            echo_times: EchoTimes::default(),
            neighbours_at: Duration::ZERO,
            look_at: REPLY_TIME,
            seen: 0,
            asked: false,
            echo_asked: false,
            unreadable: 0,
            concerned: HashSet::new(),
            begun: false,
            over: false,
        }
    }

    /// What was found so far.
    #[must_use]
    pub const fn census(&self) -> &Census {
        &self.census
    }

    /// What was found.
    #[must_use]
    pub fn into_census(self) -> Census {
        self.census
    }

    /// How long the quickest answer to an echo took, by address; of those it was asked of.
    #[must_use]
    pub const fn echo_times(&self) -> &HashMap<Ipv4Addr, Duration> {
        self.echo_times.all()
    }

    /// What it was told to do.
    #[must_use]
    pub const fn plan(&self) -> &SurveyPlan {
        &self.plan
    }

    /// From where the result is to be looked at. In a recorded survey, our own packets show what we asked.
    #[must_use]
    pub fn viewpoint(&self) -> Viewpoint {
        let viewpoint = self.plan.viewpoint();
        let (asked, echo_asked) = (viewpoint.asked || self.asked, viewpoint.echo_asked || self.echo_asked);
        Viewpoint { asked, echo_asked, ..viewpoint }
    }

    /// How many messages could not be read.
    #[must_use]
    pub const fn unreadable(&self) -> u64 {
        self.unreadable
    }

    /// One without an end polls everybody so often from now on.
    pub(super) fn poll_every(&mut self, every: Duration) {
        self.calls.poll_every(every);
    }

    /// How far it is.
    #[must_use]
    pub fn progress(&self, now: Duration) -> Progress {
        let left = (self.plan.extent != Extent::Endless).then(|| self.end().saturating_sub(now));
        let of_each = self.askers.iter().map(|asker| asker.read_of());
        let read = of_each.fold((0, 0), |(done, all), one| (done + one.0, all + one.1));
        Progress { found: self.census.nodes().len(), seen: self.seen, swept: self.sweep.progress(), read, left }
    }

    /// When it ends, as far as can be said now.
    fn end(&self) -> Duration {
        let swept = self.sweep.answered_by().unwrap_or_else(|| {
            let (_, left) = self.sweep.progress();
            self.outbox.pace().next() + self.outbox.pace().time_for(usize::try_from(left).unwrap_or(usize::MAX))
        });
        let own_time = match self.plan.extent {
            Extent::Listen(time) => return time,
            Extent::Endless => return Duration::MAX,
            Extent::Ranges => RANGES_TIME,
            Extent::Whole(least) => WHOLE_TIME.max(least),
            Extent::Until(_) => WHOLE_TIME,
        };
        // Without frames the answers are in the system's table, which must be read once more.
        let read = if self.plan.vantage.means.neighbours && !self.plan.vantage.means.frames {
            NEIGHBOURS_EVERY
        } else {
            Duration::ZERO
        };
        let busy = self.askers.iter().filter_map(|asker| asker.busy_until()).max();
        let end = own_time.max(swept + read).max(busy.unwrap_or_default());
        if self.is_asking() { end + ASK_GRACE } else { end }
    }

    fn is_asking(&self) -> bool {
        let families = self.askers.iter().any(|asker| asker.waits());
        self.calls.is_asking() || families || self.echoes.next_at().is_some() || self.outbox.release_at().is_some()
    }

    fn does(&self, way: Way) -> bool {
        self.plan.ways.contains(way) && !self.plan.is_passive()
    }

    /// Whether everybody expected has answered with every page and everything asked for, and nobody else is waited for.
    fn is_complete(&self, now: Duration) -> bool {
        if let Extent::Until(mac) = self.plan.extent
            && self.census.has_mac(mac)
        {
            return !self.is_asking();
        }
        let waits = self.does(Way::DnsSd) && now < WHOLE_TIME / 2;
        let Some(sheet) =
            self.plan.sheet.as_ref().filter(|_| self.plan.ends_early && !waits && !self.plan.is_passive())
        else {
            return false;
        };
        let answered = |(planned, matched): (&SheetNode, &Match)| match matched {
            Match::Found(index) => {
                let node = &self.census.nodes()[*index];
                node.is_whole_with(planned.last_port())
            }
            Match::Missing | Match::Ambiguous(_) => false,
        };
        let matching = || Matching::new(sheet, &self.census);
        let idle = !self.is_asking() && self.sweep.is_over() && self.next_single().is_none();
        idle && sheet.nodes.iter().zip(&matching().of_sheet).all(answered)
    }

    fn read(&mut self, now: Duration, sighting: Result<Option<Sighting>, WireError>) {
        match sighting {
            Ok(Some(sighting)) => self.take(now, &sighting),
            Ok(None) => {}
            Err(_) => self.unreadable += 1,
        }
    }

    fn hear_packet(&mut self, now: Duration, packet: &Packet<'_>) {
        if let Some((_, from, number)) = self.plan.vantage.echo_answer(packet) {
            self.echo_times.answered(from, number);
        }
        match &packet.carries {
            Carries::EchoRequest { from, .. } if self.plan.vantage.is_own(*from) => self.echo_asked = true,
            Carries::Udp { from, .. } if self.plan.vantage.is_own(*from.ip()) => self.asked = true,
            _ => {}
        }
        let sighting = listen::sighting(&self.plan.vantage, now, packet);
        self.read(now, sighting);
    }

    fn take(&mut self, now: Duration, sighting: &Sighting) {
        self.take_one(now, sighting);
        self.take_made_out(now);
    }

    fn take_one(&mut self, now: Duration, sighting: &Sighting) {
        let way = sighting.told.way();
        let is_ours = self.plan.vantage.is_own(sighting.from) && sighting.mac.is_none();
        if !self.plan.ways.contains(way) || is_ours {
            return;
        }
        let news = self.census.take(sighting);
        if news.is_new {
            self.seen += 1;
            self.tell(SurveyEvent::Seen(Glimpse::of(sighting)));
        }
        if self.plan.extent == Extent::Endless
            && let Some(away) = self.returns.heard(sighting)
        {
            self.tell(SurveyEvent::Back(Glimpse::of(sighting), away));
        }
        match news.node {
            NodeNews::New(index) => {
                self.tell(SurveyEvent::Found(index));
                self.follow_up(now, index);
            }
            NodeNews::More(index) => self.follow_up(now, index),
            NodeNews::Nothing => {}
        }
        let mut out = Vec::new();
        for asker in &mut self.askers {
            asker.hear(now, sighting, &news, &mut out);
        }
        self.send_all(out);
        self.consider_echo(now, sighting);
    }

    fn tell(&mut self, event: SurveyEvent) {
        if self.events.len() < MOST_EVENTS {
            self.events.push_back(event);
        }
    }

    fn follow_up(&mut self, now: Duration, index: usize) {
        let node = &self.census.nodes()[index];
        if self.plan.concern.has_node(node) {
            self.concerned.insert(node.address);
        }
        if self.does(Way::ArtNet) {
            self.calls.consider(now, &self.census, &self.outbox, index);
        }
    }

    fn hear_link(&mut self, now: Duration, link: LinkId, news: LinkNews<'_>) {
        let mut out = Vec::new();
        for asker in &mut self.askers {
            asker.hear_link(now, link, news, &mut out);
        }
        self.send_all(out);
        self.take_made_out(now);
    }

    fn hear_page(&mut self, now: Duration, link: LinkId, page: Result<&Response, LinkEnd>) {
        let mut out = Vec::new();
        for asker in &mut self.askers {
            asker.hear_page(now, link, page, &mut out);
        }
        self.send_all(out);
        self.take_made_out(now);
    }

    /// Takes in what families have made out.
    fn take_made_out(&mut self, now: Duration) {
        while let Some(sighting) = self.askers.iter_mut().find_map(|asker| asker.next_sighting()) {
            self.take_one(now, &sighting);
        }
    }

    fn send_all(&mut self, all: Vec<Outgoing>) {
        for outgoing in all {
            self.outbox.send_now(outgoing);
        }
    }

    fn begin(&mut self) {
        if let Some(own) = self.plan.vantage.frames_from().filter(|_| self.does(Way::Arp)) {
            // Somebody may have our own address: then what nodes answer goes to them.
            for seat in self.plan.vantage.seats.clone() {
                self.outbox.send_now(Outgoing::Frame(Arp::probe(own, seat.own).to_bytes()));
            }
        }
        let mut out = Vec::new();
        for asker in &mut self.askers {
            asker.begin(&mut out);
        }
        self.send_all(out);
    }

    fn next_neighbours(&self) -> Option<Duration> {
        let reads = self.plan.vantage.means.neighbours
            && self.plan.ways.contains(Way::Neighbours)
            && !self.plan.vantage.is_on_loopback();
        reads.then_some(self.neighbours_at)
    }

    fn next_poll(&self) -> Option<Duration> {
        let polls = self.calls.next_poll().filter(|_| self.does(Way::ArtNet));
        // Asked for a range, one more chance for a lost answer has to do.
        polls.filter(|at| self.plan.extent != Extent::Ranges || *at < REPLY_TIME / 2)
    }

    /// When a family asks next.
    fn next_question(&self) -> Option<Duration> {
        self.askers.iter().filter_map(|asker| asker.next_at()).min()
    }

    fn work(&mut self, now: Duration) {
        if !std::mem::replace(&mut self.begun, true) {
            self.begin();
        }
        while self.next_poll().is_some_and(|at| at <= now) {
            let (nth, limited) = self.calls.poll(now, &mut self.outbox, &self.plan.calls);
            self.tell(SurveyEvent::Asked { nth, limited });
        }
        if self.next_question().is_some_and(|at| at <= now) {
            let mut out = Vec::new();
            for asker in &mut self.askers {
                if asker.next_at().is_some_and(|at| at <= now) {
                    asker.ask(now, &mut out);
                }
            }
            self.send_all(out);
            self.take_made_out(now);
        }
        if self.next_neighbours().is_some_and(|at| at <= now) {
            self.neighbours_at = now + NEIGHBOURS_EVERY;
            self.outbox.send_now(Outgoing::Neighbours);
        }
        self.calls.ask(now, &self.census, &mut self.outbox);
        self.ask_echoes(now);
        self.outbox.release(now);
        self.ask_single(now);
        self.sweep(now);
    }
}

impl Conversation for Survey {
    type Event = SurveyEvent;

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        self.echo_times.tick(now);
        match heard {
            // Where frames are heard, every datagram is among them.
            Heard::Datagram(_) if self.plan.vantage.means.frames => {}
            Heard::Datagram(datagram) => {
                let sighting = Sighting::read(now, datagram.seat, datagram.from, datagram.port, datagram.bytes);
                self.read(now, sighting);
            }
            Heard::Frame(frame) => {
                if let Ok(packet) = Packet::parse(frame) {
                    self.hear_packet(now, &packet);
                }
            }
            Heard::Packet(bytes) => {
                if let Ok(packet) = Packet::parse_ip(bytes) {
                    self.hear_packet(now, &packet);
                }
            }
            Heard::Link(link, news) => self.hear_link(now, *link, *news),
            Heard::Page(link, page) => self.hear_page(now, *link, *page),
            Heard::Typed(_) => {}
            Heard::Echo { from, number } => {
                self.echo_times.answered(*from, *number);
                self.take(now, &Sighting { to_us: true, ..Sighting::plain(now, *from, Told::Echo) });
            }
            Heard::Neighbours(table) => {
                // An old entry says only which MAC address belongs to somebody who is seen otherwise. Where frames are heard,
                // they say that better: who has moved away stands in the system's table for a while.
                let counts = |one: &Neighbour| match self.plan.vantage.means.frames {
                    true => self.census.is_seen_as(one.mac, one.address),
                    false => one.fresh || self.census.is_seen(one.address),
                };
                for neighbour in table.iter().filter(|one| counts(one)).copied().collect::<Vec<_>>() {
                    let told = Sighting::plain(now, neighbour.address, Told::Neighbour);
                    self.take(now, &Sighting { mac: Some(neighbour.mac), ..told });
                }
            }
        }
        self.outbox.release(now);
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        let outgoing = self.outbox.next()?;
        self.echo_times.leaves(&outgoing);
        Some(outgoing)
    }

    fn wake_at(&self) -> Option<Duration> {
        if self.over {
            return None;
        }
        let watches = self.plan.ends_early || matches!(self.plan.extent, Extent::Until(_));
        let sweeps = (!self.sweep.is_over()).then(|| self.outbox.pace().next());
        let times = [
            self.next_poll(),
            self.next_question(),
            self.next_neighbours(),
            self.calls.next_ask(),
            self.echoes.next_at(),
            self.outbox.release_at(),
            self.next_single(),
            sweeps,
            watches.then_some(self.look_at),
            Some(self.end()),
        ];
        times.into_iter().flatten().min()
    }

    fn wake(&mut self, now: Duration) {
        self.echo_times.tick(now);
        self.work(now);
        if self.look_at <= now {
            self.look_at = now + LOOK_EVERY;
            self.over = self.is_complete(now);
        }
        self.over |= self.end() <= now;
    }

    fn next_event(&mut self) -> Option<SurveyEvent> {
        self.events.pop_front()
    }
}

/// The UDP ports a survey hears on, in the ways it is to see.
#[must_use]
pub fn ports_of(ways: Ways) -> Vec<u16> {
    family::ports(ways)
}
