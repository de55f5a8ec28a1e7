//! Runs a conversation against simulated nodes under a virtual clock.

use std::collections::BTreeMap;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_core::census::{Census, Device};
use lantern_core::change::Protection;
use lantern_core::conversation::{
    Conversation, Datagram, Heard, LinkEnd, LinkId, LinkNews, Manner, Means, Outgoing, Request, Response, Seat,
    Survey, SurveyPlan, Vantage,
};
use lantern_core::sheet::RigSheet;
use lantern_sim::{Link, LinkHeard, MemoryGround, Scene};
use lantern_wire::MacAddress;
use proptest::prelude::ProptestConfig;
use proptest::test_runner::FileFailurePersistence;

pub(crate) mod dice;
pub(crate) mod frames;
pub(crate) mod hall;
pub(crate) mod night;

pub(crate) const GUEST: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 7);

/// A datagram as it comes in on the Art-Net port.
pub(crate) fn datagram(from: SocketAddrV4, bytes: &[u8]) -> Heard<'_> {
    Heard::Datagram(Datagram { seat: 0, from, port: 6454, bytes })
}

/// Where the program under test sits.
pub(crate) fn seat() -> Seat {
    Seat { own: GUEST, subnet: "10.40.0.0/16".parse().expect("a subnet"), limited_broadcast: true }
}

/// A ground on which the nodes of `scene` stand, each datagram lost with the scene's share.
pub(crate) fn ground(scene: &Scene) -> MemoryGround {
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    MemoryGround::new(scene.nodes(), Link::new(scene.loss, scene.seed), GUEST, broadcasts)
}

/// A ground of these nodes and devices, for a guest that hears frames.
pub(crate) fn ground_of(scene: &str, link: Link, own: MacAddress) -> MemoryGround {
    let scene =
        Scene::parse(&format!("network = \"10.40.0.0\"\n{scene}")).unwrap_or_else(|error| panic!("{error}"));
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    MemoryGround::new(scene.nodes(), link, GUEST, broadcasts).beside(scene.devices()).with_frames(own)
}

/// A scene of one node, whose habits are the `extra` lines.
pub(crate) fn one_node(extra: &str) -> Scene {
    let text = format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nlabel = \"Quay north mast\"\n\
         model = \"marrowbright-eight\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\n\
         pages = [{{ net = 0, sub = 1, out = [0, 1, 2, 3] }}, {{ net = 0, sub = 2, out = [0, 1], in = [9, 10] }}]\n{extra}"
    );
    Scene::parse(&text).expect("a scene")
}

/// What is known around a change, when only Art-Net nodes were seen.
pub(crate) fn protection<'a>(
    census: &'a Census,
    sheet: Option<&'a RigSheet>,
    seats: &'a [Seat],
) -> Protection<'a> {
    Protection { sheet, ..Protection::of(census, seats) }
}

/// From where a program sits that hears and sends frames, with this MAC address.
pub(crate) fn with_frames(own: MacAddress) -> Vantage {
    let means = Means { frames: true, ..Means::default() };
    Vantage { own_mac: Some(own), means, ..Vantage::of_seats(vec![seat()]) }
}

/// Who is there, looked for so.
pub(crate) fn seen_by(ground: &mut MemoryGround, plan: SurveyPlan) -> (Census, Vec<Device>) {
    let mut survey = Survey::new(plan);
    run(&mut survey, ground);
    let from = survey.viewpoint();
    let census = survey.into_census();
    let devices = census.devices(&from);
    (census, devices)
}

/// Gives each device so many seconds to restart, and changes so many at once.
pub(crate) fn manner(seconds: u64, at_once: usize) -> Manner {
    Manner { restart_time: Duration::from_secs(seconds), at_once, stop_on_failure: false }
}

/// Runs the conversation to its end; gives its events with their times, and how long it took.
pub(crate) fn run<C>(conversation: &mut C, ground: &mut MemoryGround) -> (Vec<(Duration, C::Event)>, Duration)
where
    C: Conversation,
{
    run_with(conversation, ground, |_, _, _| {})
}

/// The same, with somebody who sees every datagram that is sent: to whom, and what.
pub(crate) fn run_seeing<C: Conversation>(
    conversation: &mut C,
    ground: &mut MemoryGround,
    mut see: impl FnMut(Ipv4Addr, &[u8]),
) -> Vec<(Duration, C::Event)> {
    let (events, _) = drive(
        conversation,
        ground,
        |_, _, _| true,
        |outgoing| {
            if let Some((_, to, bytes)) = outgoing.as_datagram() {
                see(*to.ip(), bytes);
            }
        },
    );
    events
}

/// The same, with somebody who may meddle with the ground at every event.
pub(crate) fn run_with<C>(
    conversation: &mut C,
    ground: &mut MemoryGround,
    mut meddle: impl FnMut(&mut MemoryGround, Duration, &C::Event),
) -> (Vec<(Duration, C::Event)>, Duration)
where
    C: Conversation,
{
    let go_on = |ground: &mut MemoryGround, now, event: &C::Event| {
        meddle(ground, now, event);
        true
    };
    drive(conversation, ground, go_on, |_| {})
}

/// The same, until whoever watches says that it is over: then nothing more is sent, and the conversation is lost.
pub(crate) fn run_until<C: Conversation>(
    conversation: &mut C,
    ground: &mut MemoryGround,
    go_on: impl FnMut(&mut MemoryGround, Duration, &C::Event) -> bool,
) {
    drive(conversation, ground, go_on, |_| {});
}

pub(crate) fn drive<C>(
    conversation: &mut C,
    ground: &mut MemoryGround,
    mut go_on: impl FnMut(&mut MemoryGround, Duration, &C::Event) -> bool,
    mut see: impl FnMut(&Outgoing),
) -> (Vec<(Duration, C::Event)>, Duration)
where
    C: Conversation,
{
    let began = ground.now();
    let (mut events, mut links, mut pages) = (Vec::new(), BTreeMap::new(), Pages::default());
    while let Some(wake_at) = conversation.wake_at() {
        match ground.run_until(began + wake_at) {
            Some(heard) => {
                let heard_at = heard.at.max(began) - began;
                if let Some((number, heard)) = &heard.link {
                    let news = match heard {
                        LinkHeard::Opened => LinkNews::Opened,
                        LinkHeard::Bytes(bytes) => LinkNews::Bytes(bytes),
                        LinkHeard::Refused => LinkNews::Closed(LinkEnd::Refused),
                        LinkHeard::Closed => LinkNews::Closed(LinkEnd::Finished),
                    };
                    if let Some((link, page)) = pages.hear(*number, heard, ground) {
                        conversation.hear(heard_at, &Heard::Page(link, page.as_ref().map_err(|end| *end)));
                    } else if let Some(link) = links.get(number) {
                        conversation.hear(heard_at, &Heard::Link(*link, news));
                    }
                } else if ground.has_frames() {
                    conversation.hear(heard_at, &Heard::Frame(&heard.frame));
                } else if !heard.bytes.is_empty() {
                    let (from, port, bytes) = (heard.from, heard.port, &heard.bytes);
                    conversation.hear(heard_at, &Heard::Datagram(Datagram { seat: 0, from, port, bytes }));
                }
            }
            None => conversation.wake(ground.now() - began),
        }
        let now = ground.now() - began;
        assert!(now < Duration::from_secs(600), "the conversation does not end");
        while let Some(event) = conversation.next_event() {
            let goes_on = go_on(ground, began + now, &event);
            events.push((now, event));
            if !goes_on {
                return (events, ground.now() - began);
            }
        }
        while let Some(outgoing) = conversation.next_send() {
            see(&outgoing);
            match &outgoing {
                Outgoing::Datagram { to, bytes, .. } => ground.send(*to, bytes),
                Outgoing::Frame(frame) => ground.send_frame(frame),
                Outgoing::Open { link, to } => {
                    links.insert(number_of(*link), *link);
                    ground.open(number_of(*link), *to);
                }
                Outgoing::Ask { link, to, bytes } => {
                    links.insert(number_of(*link), *link);
                    ground.ask(number_of(*link), *to, bytes);
                }
                Outgoing::Write { link, bytes } => ground.write(number_of(*link), bytes),
                Outgoing::Close { link } => ground.close(number_of(*link)),
                Outgoing::Fetch { link, request } => pages.open(*link, request, ground),
                _ => {}
            }
        }
    }
    (events, ground.now() - began)
}

/// Requests to web servers under way, as whoever drives a conversation speaks them.
#[derive(Default)]
struct Pages(BTreeMap<u64, (LinkId, Vec<u8>, Vec<u8>, usize)>);

impl Pages {
    fn open(&mut self, link: LinkId, request: &Request, ground: &mut MemoryGround) {
        let fields: String = request.headers.iter().map(|(name, value)| format!("{name}: {value}\r\n")).collect();
        let head = format!(
            "{} {} HTTP/1.1\r\nHost: {}\r\nContent-Length: {}\r\n{fields}\r\n",
            request.method,
            request.path,
            request.to.ip(),
            request.body.len()
        );
        let whole = [head.as_bytes(), &request.body].concat();
        self.0.insert(number_of(link), (link, whole, Vec::new(), request.most));
        ground.open(number_of(link), request.to);
    }

    /// The answer, once it is whole.
    fn hear(
        &mut self,
        number: u64,
        heard: &LinkHeard,
        ground: &mut MemoryGround,
    ) -> Option<(LinkId, Result<Response, LinkEnd>)> {
        let (link, request, answer, most) = self.0.get_mut(&number)?;
        let (link, most) = (*link, *most);
        match heard {
            LinkHeard::Opened => ground.write(number, request),
            LinkHeard::Bytes(bytes) => answer.extend(bytes),
            LinkHeard::Refused => return Some((link, Err(LinkEnd::Refused))),
            LinkHeard::Closed => {
                let text = String::from_utf8_lossy(answer).into_owned();
                let (head, body) = text.split_once("\r\n\r\n").unwrap_or((&text, ""));
                let Some(status) = head.split(' ').nth(1).and_then(|code| code.parse().ok()) else {
                    return Some((link, Err(LinkEnd::Torn)));
                };
                let fields = head.lines().filter_map(|line| line.split_once(": "));
                let headers = fields.map(|(name, value)| (name.to_ascii_lowercase(), value.to_owned())).collect();
                let body = body.as_bytes()[..body.len().min(most)].to_vec();
                let response = Response { status, headers, body };
                return Some((link, Ok(response)));
            }
        }
        None
    }
}

/// A connection as the ground calls it.
fn number_of(link: LinkId) -> u64 {
    (link.family as u64) << 32 | u64::from(link.number)
}

/// Surveys the ground, settings included.
pub(crate) fn survey(ground: &mut MemoryGround, expected: Option<&RigSheet>) -> Census {
    let mut survey = Survey::new(SurveyPlan::art_net(vec![seat()], expected.cloned(), true));
    run(&mut survey, ground);
    survey.into_census()
}

/// So many cases of a property; what fails is written beside the test, to be committed: it is tried first from then on.
pub(crate) fn cases(cases: u32) -> ProptestConfig {
    let beside = FileFailurePersistence::WithSource("seeds");
    ProptestConfig { failure_persistence: Some(Box::new(beside)), ..ProptestConfig::with_cases(cases) }
}
