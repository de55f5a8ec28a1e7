//! A watch, held against what really becomes of everybody.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_core::census::Ways;
use lantern_core::conversation::{
    Conversation, Datagram, Heard, Means, OnCables, Outgoing, SurveyPlan, Vantage, Watch, WatchPlan,
};
use lantern_core::sheet::RigSheet;
use lantern_core::watch::{Happening, Kept, Log, Night, State, Watched};
use lantern_sim::{Link, MemoryGround, Scene, SimNode, Trouble};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{GUEST, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

/// Three nodes, a device that answers echoes, one that answers only ARP, a source.
const SCENE: &str = r#"
network = "10.40.0.0"
[[node]]
name = "quay-north"
model = "marrowbright-four"
mac = "02:4d:42:00:10:01"
address = "10.40.1.1"
pages = [{ out = [0] }]
[[node]]
name = "quay-south"
model = "marrowbright-four"
mac = "02:4d:42:00:10:02"
address = "10.40.1.2"
pages = [{ out = [1] }]
[[node]]
name = "quay-east"
model = "marrowbright-four"
mac = "02:4d:42:00:10:03"
address = "10.40.1.3"
pages = [{ out = [2] }]
[[device]]
name = "player"
mac = "02:4f:4c:00:00:01"
address = "10.40.2.1"
[[device]]
name = "walled"
mac = "02:4f:4c:00:00:02"
address = "10.40.2.2"
echo = false
[[device]]
name = "desk"
mac = "02:4f:4c:00:00:03"
address = "10.40.2.3"
art_net = { universes = [1] }
"#;

type Script = Vec<(u64, fn(&mut MemoryGround, Duration))>;

struct Watching {
    watch: Watch,
    ground: MemoryGround,
    told: Vec<Happening>,
    sent: Vec<Duration>,
}

/// Watches this scene for so many seconds; with frames, or by Art-Net only. At the stated seconds something befalls it.
fn watching(scene: &str, sheet: Option<&str>, frames: bool, loss: f64, seconds: u64, script: Script) -> Watching {
    watching_over(Link::new(loss, 7), scene, sheet, frames, seconds, script)
}

fn watching_over(
    link: Link,
    scene: &str,
    sheet: Option<&str>,
    frames: bool,
    seconds: u64,
    script: Script,
) -> Watching {
    // Where there are fixtures, they are asked how they are.
    let on_cables = match scene.contains("[[fixture]]") {
        true => OnCables::Watch(Duration::from_secs(20)),
        false => OnCables::Nothing,
    };
    let scene = Scene::parse(scene).unwrap();
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    let mut ground =
        MemoryGround::new(scene.nodes(), link, GUEST, broadcasts).beside(scene.devices()).with_subnets();
    if frames {
        ground = ground.with_frames(OWN);
    }
    let means = Means { frames, ..Means::default() };
    let vantage = Vantage { own_mac: Some(OWN), means, mark: 0, ..Vantage::of_seats(vec![seat()]) };
    let sheet = sheet.map(|text| RigSheet::parse(text).unwrap());
    let likely = scene.devices().iter().map(|device| device.ip().address).collect();
    let survey = SurveyPlan {
        vantage,
        ways: Ways::ALL,
        likely,
        on_cables,
        ..SurveyPlan::art_net(vec![seat()], sheet, false)
    };
    let end = Some(Duration::from_secs(seconds));
    let plan = WatchPlan { survey, every: WatchPlan::EVERY, pace: WatchPlan::PACE, end };
    let mut watching = Watching { watch: Watch::new(plan), ground, told: Vec::new(), sent: Vec::new() };
    watching.run(script);
    watching
}

impl Watching {
    /// Goes on with nothing befalling it until that second.
    fn go_on_until(&mut self, second: u64) {
        let end = Duration::from_secs(second);
        while let Some(wake_at) = self.watch.wake_at().filter(|at| *at <= end) {
            match self.ground.run_until(wake_at) {
                Some(heard) => self.watch.hear(heard.at, &Heard::Frame(&heard.frame)),
                None => self.watch.wake(self.ground.now()),
            }
            self.tell_and_send();
        }
    }

    fn run(&mut self, script: Script) {
        let mut script = script.into_iter().peekable();
        while let Some(wake_at) = self.watch.wake_at() {
            let befalls_at = script.peek().map(|(at, _)| Duration::from_secs(*at));
            let until = befalls_at.map_or(wake_at, |at| at.min(wake_at));
            match self.ground.run_until(until) {
                Some(heard) if self.ground.has_frames() => self.watch.hear(heard.at, &Heard::Frame(&heard.frame)),
                Some(heard) => {
                    let (from, port, bytes) = (heard.from, heard.port, &heard.bytes[..]);
                    if !bytes.is_empty() {
                        self.watch.hear(heard.at, &Heard::Datagram(Datagram { seat: 0, from, port, bytes }));
                    }
                }
                None if befalls_at.is_some_and(|at| at <= self.ground.now()) => {
                    let now = self.ground.now();
                    script.next().into_iter().for_each(|(_, befalls)| befalls(&mut self.ground, now));
                }
                None => self.watch.wake(self.ground.now()),
            }
            self.tell_and_send();
        }
    }

    fn tell_and_send(&mut self) {
        self.told.extend(std::iter::from_fn(|| self.watch.next_event()));
        while let Some(outgoing) = self.watch.next_send() {
            match &outgoing {
                Outgoing::Datagram { to, bytes, .. } => self.ground.send(*to, bytes),
                Outgoing::Frame(frame) => self.ground.send_frame(frame),
                _ => continue,
            }
            self.sent.push(self.ground.now());
        }
    }

    fn one(&self, called: &str) -> &Watched {
        let is = |one: &&Watched| one.title() == called || one.address.to_string() == called;
        self.watch.board().watched().find(is).unwrap_or_else(|| {
            panic!("{called}: {:?}", self.watch.board().watched().map(Watched::title).collect::<Vec<_>>())
        })
    }

    /// What was told, each as `second who what`.
    fn lines(&self) -> Vec<String> {
        self.told.iter().map(|one| format!("{} {} {}", one.at.as_secs(), one.who, one.news.word())).collect()
    }

    /// What was told of one, and when.
    fn of(&self, who: &str) -> Vec<(u64, &'static str)> {
        self.told.iter().filter(|one| one.who == who).map(|one| (one.at.as_secs(), one.news.word())).collect()
    }
}

fn switch_node(ground: &mut MemoryGround, now: Duration, on: bool) {
    ground.nodes_mut()[0].switch(now, on);
}

#[rstest]
fn nobody_is_told_of_where_nothing_happens(#[values(true, false)] frames: bool, #[values(0.0, 0.03)] loss: f64) {
    let watching = watching(SCENE, None, frames, loss, 180, Vec::new());
    assert_eq!(watching.lines(), Vec::<String>::new());
    assert!(watching.watch.board().watched().all(|one| !one.state.is_bad()), "{:?}", watching.lines());
    let states: Vec<State> = ["quay-north", "quay-south"].map(|name| watching.one(name).state).to_vec();
    assert_eq!(states, [State::Answers, State::Answers]);
    if frames {
        assert_eq!([watching.one("10.40.2.1").state, watching.one("10.40.2.2").state], [State::Answers; 2]);
        assert!(watching.one("quay-north").curve().last().unwrap() < Duration::from_millis(300));
    }
}

/// Nodes of four pages that answer in odd ways, over a way that doubles and holds up what it carries.
#[rstest]
fn odd_answers_are_no_news(
    #[values(
        "answers-twice",
        "every-second-poll",
        "sends198",
        "sends207",
        "states-another-address",
        "states-no-address",
        "pages-all-zero",
        "page-of-its-own",
        "counts-zero",
        "pads-names",
        "nameless",
        "answers-under-its-mask",
        "pages-report-themselves",
        "only-broadcast-polls"
    )]
    quirk: &str,
    #[values(true, false)] frames: bool,
    #[values(
        Trouble::default(),
        Trouble { duplicate: 0.3, reorder: 0.1, ..Trouble::default() }
    )]
    trouble: Trouble,
) {
    let pages = "pages = [{ out = [0] }, { out = [1] }, { out = [2] }, { out = [3] }]";
    let odd = format!("quirks = [\"{quirk}\"]\n{pages}");
    let scene = SCENE.replace("pages = [{ out = [0] }]", &odd).replace("pages = [{ out = [1] }]", &odd);
    let watching = watching_over(Link::with(trouble, 11), &scene, None, frames, 240, Vec::new());
    assert_eq!(watching.lines(), Vec::<String>::new());
    assert!(watching.watch.board().watched().all(|one| !one.state.is_bad()), "{:#?}", watching.watch.board());
}

/// Whoever watches changes nothing, and does not take what it sent itself for a device.
#[rstest]
fn a_watch_leaves_everything_as_it_is(#[values(true, false)] frames: bool) {
    let mut watching = watching(SCENE, None, frames, 0.0, 60, Vec::new());
    assert!(watching.ground.nodes().iter().all(|node| node.writes().is_empty()));
    let (now, from) = (watching.ground.now(), SocketAddrV4::new(GUEST, 6454));
    let bytes = &lantern_wire::art_net::Poll::default().to_bytes();
    watching.watch.hear(now, &Heard::Datagram(Datagram { seat: 0, from, port: 6454, bytes }));
    assert!(watching.watch.board().watched().all(|one| one.address != GUEST));
}

/// Off at 20, on at 60: silent within two polls, and back with the time it was away.
#[rstest]
fn one_that_loses_power_is_silent_within_two_polls(
    #[values(true, false)] frames: bool,
    #[values(0.0, 0.03)] loss: f64,
) {
    let script: Script = vec![
        (20, |ground, now| switch_node(ground, now, false)),
        (60, |ground, now| switch_node(ground, now, true)),
    ];
    let watching = watching(SCENE, None, frames, loss, 90, script);
    let told = watching.of("quay-north");
    let at = |word: &str| told.iter().find(|(_, one)| *one == word).map(|(at, _)| *at);
    let silent_at = at("silent").unwrap_or_else(|| panic!("{:?}", watching.lines()));
    assert!((22..=28).contains(&silent_at), "{told:?}");
    assert!(at("back").is_some_and(|at| (60..70).contains(&at)), "{told:?}");
    let one = watching.one("quay-north");
    assert_eq!((one.state, one.silences), (State::Answers, 1));
    assert!((38..50).contains(&one.silent_for.as_secs()), "{:?}", one.silent_for);
    let others: Vec<String> = watching.lines().into_iter().filter(|line| !line.contains("quay-north")).collect();
    assert_eq!(others, Vec::<String>::new());
}

/// So short an absence that no question falls into it: its own count says that it has started anew.
#[rstest]
fn one_that_restarts_between_two_questions_is_told(#[values(true, false)] frames: bool) {
    let script: Script = vec![(31, |ground, now| {
        switch_node(ground, now, false);
        switch_node(ground, now, true);
    })];
    let watching = watching(SCENE, None, frames, 0.0, 60, script);
    let words: Vec<&str> = watching.of("quay-north").into_iter().map(|(_, word)| word).collect();
    assert!(words.contains(&"restarted"), "{:?}", watching.lines());
    assert_eq!(watching.one("quay-north").state, State::Answers);
}

#[test]
fn one_that_moves_is_followed() {
    let script: Script =
        vec![(20, |ground, now| ground.nodes_mut()[1].set_by_hand(now, Ipv4Addr::new(10, 40, 1, 77)))];
    let watching = watching(SCENE, None, true, 0.0, 60, script);
    let one = watching.one("quay-south");
    assert_eq!(one.address, watching.ground.nodes()[1].address(), "{:?}", watching.lines());
    assert_eq!(one.state, State::Answers, "{:?}", watching.lines());
    assert!(watching.of("quay-south").iter().any(|(_, word)| *word == "moved"), "{:?}", watching.lines());
}

#[test]
fn one_that_takes_the_address_of_another_is_told_at_once() {
    let script: Script =
        vec![(20, |ground, now| ground.nodes_mut()[1].set_by_hand(now, Ipv4Addr::new(10, 40, 1, 1)))];
    let watching = watching(SCENE, None, true, 0.0, 60, script);
    let contested: Vec<(u64, &str)> =
        watching.of("quay-north").into_iter().filter(|(_, word)| *word == "contested").collect();
    assert_eq!(contested.len(), 1, "once, not each round: {:?}", watching.lines());
    assert!(contested[0].0 < 40, "{contested:?}");
}

#[rstest]
fn devices_without_art_net_are_watched_too(#[values(0, 1)] place: usize) {
    let script: Script = match place {
        0 => vec![(20, |ground, _| ground.devices_mut()[0].switch(false))],
        _ => vec![(20, |ground, _| ground.devices_mut()[1].switch(false))],
    };
    let watching = watching(SCENE, None, true, 0.0, 60, script);
    let gone = ["10.40.2.1", "10.40.2.2"][place];
    assert_eq!(watching.one(gone).state, State::Silent, "{:?}", watching.lines());
    assert_eq!(watching.of(gone).iter().map(|(_, word)| *word).collect::<Vec<_>>(), ["silent"]);
}

#[test]
fn who_stops_sending_is_told() {
    let script: Script = vec![(20, |ground, _| ground.devices_mut()[2].switch(false))];
    let watching = watching(SCENE, None, true, 0.0, 60, script);
    assert!(
        watching.told.iter().any(|one| one.news.word() == "source-went" && (28..33).contains(&one.at.as_secs())),
        "{:?}",
        watching.lines()
    );
    let flows: Vec<_> = watching.watch.board().traffic().flows().collect();
    assert!(flows.len() == 1 && !flows[0].is_live && flows[0].gaps == 0, "{flows:?}");
}

#[test]
fn what_gets_lost_on_the_way_is_counted_as_a_gap() {
    let watching = watching(SCENE, None, true, 0.1, 60, Vec::new());
    let flow = watching.watch.board().traffic().flows().next().unwrap();
    let lost = flow.gaps * 100 / (flow.heard + flow.gaps);
    assert!((3..20).contains(&lost), "{flow:?}");
}

/// Three that hear only polls to everybody, since they lie in other subnets: nobody is told of them, under load or not.
#[rstest]
fn who_hears_only_polls_to_everybody_is_not_silent(#[values(0.0, 0.05)] loss: f64, #[values(1, 2, 3)] third: u8) {
    let strays: String = (1..=5)
        .map(|i| {
            format!(
                "[[node]]\nname = \"stray-{i}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:3{third}:0{i}\"\n\
                 address = \"192.168.{third}.{i}\"\nmask = \"255.255.255.0\"\npages = [{{ out = [0] }}]\n"
            )
        })
        .collect();
    let watching = watching(&format!("{SCENE}{strays}"), None, true, loss, 180, Vec::new());
    let of_strays: Vec<String> = watching.lines().into_iter().filter(|line| line.contains("stray")).collect();
    assert_eq!(of_strays, Vec::<String>::new());
    assert!((1..=5).all(|i| watching.one(&format!("stray-{i}")).state == State::Answers));
}

const SHEET: &str = "[rig]\nname = \"Quay\"\n[[network]]\nname = \"rig\"\nrange = \"10.40.0.0/16\"\n\
    [[node]]\nname = \"quay-north\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.1\"\n\
    [[node]]\nname = \"quay-south\"\naddress = \"10.40.9.9\"\n\
    [[node]]\nname = \"quay-west\"\nmac = \"02:4d:42:00:10:99\"\naddress = \"10.40.1.9\"\n";

#[rstest]
fn everybody_on_the_sheet_is_waited_for(#[values(true, false)] frames: bool) {
    let watching = watching(SCENE, Some(SHEET), frames, 0.0, 30, Vec::new());
    let found = |name: &str| (watching.one(name).state, watching.one(name).address.to_string());
    assert_eq!(found("quay-north"), (State::Answers, "10.40.1.1".to_owned()));
    // The sheet knows it by its name alone, and it stands elsewhere.
    assert_eq!(found("quay-south"), (State::Answers, "10.40.1.2".to_owned()));
    assert_eq!(found("quay-west").0, State::NotSeen);
    let named: Vec<&str> = watching.watch.board().watched().filter_map(|one| one.planned.as_deref()).collect();
    assert_eq!(named.iter().filter(|name| **name == "quay-south").count(), 1, "{named:?}");
}

/// A rig of many is asked no faster than stated, however often is wanted.
#[test]
fn no_second_has_more_questions_than_the_pace() {
    let nodes: String = (1..=200)
        .map(|i| {
            format!(
                "[[node]]\nname = \"node-{i}\"\nmodel = \"marrowbright-four\"\n\
                 mac = \"02:4d:42:00:20:{i:02x}\"\naddress = \"10.40.3.{i}\"\npages = [{{ out = [0] }}]\n"
            )
        })
        .collect();
    let scene = format!("network = \"10.40.0.0\"\n{nodes}");
    let watching = watching(&scene, None, true, 0.0, 30, Vec::new());
    let later = watching.sent.iter().filter(|at| **at > Duration::from_secs(6)).collect::<Vec<_>>();
    for second in 6..29 {
        let from = Duration::from_secs(second);
        let sent = later.iter().filter(|at| ***at >= from && ***at < from + Duration::from_secs(1)).count();
        assert!((40..=120).contains(&sent), "{sent} in second {second}: evenly, about 80 and some polls");
    }
    assert!(watching.watch.board().watched().all(|one| one.state == State::Answers));
}

/// When a third of everything is lost, it is the network, and it is asked less often until it is well again.
#[test]
fn a_network_that_loses_much_is_asked_less_often() {
    let script: Script = vec![(40, |ground, _| ground.link_mut().heal())];
    let watching = watching(SCENE, None, true, 0.45, 120, script);
    let told = watching.of("network");
    let words: Vec<&str> = told.iter().map(|(_, word)| *word).collect();
    assert!(words.first() == Some(&"slower") && words.last() == Some(&"as-meant"), "{:?}", watching.lines());
    assert!(watching.watch.board().watched().all(|one| !one.state.is_bad()), "{:?}", watching.lines());
}

#[test]
fn what_is_written_of_a_night_tells_who_fared_badly() {
    let script: Script = vec![
        (20, |ground, now| switch_node(ground, now, false)),
        (60, |ground, now| switch_node(ground, now, true)),
    ];
    let watching = watching(SCENE, None, true, 0.0, 90, script);
    let mut log = Log::default();
    let mut lines = vec![Log::began("2026-11-25T21:00:00Z".to_owned())];
    lines.extend(watching.told.iter().map(Log::happened));
    lines.extend(log.minute(Duration::from_secs(90), watching.watch.board()));
    lines.push(Log::ended(Duration::from_secs(90)));
    let text: String = lines.iter().map(|line: &Kept| serde_json::to_string(line).unwrap() + "\n").collect();
    let night = Night::read(&text).unwrap();
    assert_eq!((night.length.as_secs(), night.ended, night.torn), (90, true, 0));
    let worst = &night.lives[0];
    assert_eq!((worst.name.raw(), worst.silences), ("quay-north", 1), "{night:#?}");
    assert!(worst.answered < worst.asked && night.lives[1].answered == night.lives[1].asked, "{night:#?}");
    // A power cut tears off the last line.
    let night = Night::read(&text[..text.len() - 9]).unwrap();
    assert_eq!((night.ended, night.torn), (false, 1));
    assert!(Night::read("{}\n").is_err() && Night::read("").is_err());
    assert!(Night::read(&text.replace("\"format\":1", "\"format\":2")).is_err());
}

/// How much it holds beside what happened, which has a bound of its own, as far as what it is made of shows.
fn size(watch: &Watch) -> usize {
    let past: Vec<_> = watch.board().past().collect();
    format!("{watch:?}").len() - format!("{past:?}").len()
}

/// A node is switched off and on all the time, names come and go: after a week it holds no more than after a day.
#[test]
fn a_week_leaves_no_more_than_a_day() {
    let scene = Scene::parse(&SCENE.replace("art_net = { universes = [1] }", "")).unwrap();
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    let ground = MemoryGround::new(scene.nodes(), Link::new(0.001, 7), GUEST, broadcasts)
        .beside(scene.devices())
        .with_frames(OWN);
    let means = Means { frames: true, ..Means::default() };
    let vantage = Vantage { own_mac: Some(OWN), means, mark: 0, ..Vantage::of_seats(vec![seat()]) };
    let survey = SurveyPlan { vantage, ways: Ways::ALL, ..SurveyPlan::art_net(vec![seat()], None, false) };
    let plan = WatchPlan { survey, every: Duration::from_secs(20), pace: WatchPlan::PACE, end: None };
    let mut watching = Watching { watch: Watch::new(plan), ground, told: Vec::new(), sent: Vec::new() };
    let mut sizes = Vec::new();
    for day in 0..7_u64 {
        for tenth in 0..144 {
            let begin = day * 86_400 + tenth * 600;
            watching.go_on_until(begin + 300);
            watching.ground.nodes_mut()[0].switch(Duration::from_secs(begin + 300), tenth % 2 == 1);
            watching.go_on_until(begin + 600);
        }
        watching.sent.clear();
        sizes.push(size(&watching.watch));
    }
    assert!(watching.watch.board().happened() > 500, "{}", watching.watch.board().happened());
    let (first, last) = (sizes[0], sizes[6]);
    assert!(last < first + first / 50, "{sizes:?}");
}

/// Fixtures that are watched are read again and again, one request on a cable at any moment. That a gateway is off says nothing of those
/// behind it; when it is on again they are still there.
#[rstest]
fn fixtures_are_watched(#[values(0.0, 0.02)] loss: f64) {
    let gate = |i: u8| {
        format!(
            "[[node]]\nname = \"gate-{i}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:20:0{i}\"\n\
             address = \"10.40.1.{i}\"\npages = [{{ out = [{i}] }}]\n"
        )
    };
    let unit = |gate: u8, number: u8| {
        format!(
            "[[fixture]]\nbehind = \"gate-{gate}\"\nport = 1\nuid = \"7ff0:000000{gate}{number}\"\nlabel = \"wash {gate}{number}\"\n\
             model = \"Wash\"\nmodes = [{{ name = \"plain\", footprint = 4 }}]\nhours = 10\n"
        )
    };
    let units: String = (1..=2).flat_map(|gate| (1..=6).map(move |number| unit(gate, number))).collect();
    let scene = format!("network = \"10.40.0.0\"\n{}{}{units}", gate(1), gate(2));
    let script: Script = vec![
        (60, |ground, now| ground.nodes_mut()[1].switch(now, false)),
        (120, |ground, now| ground.nodes_mut()[1].switch(now, true)),
    ];
    let watching = watching(&scene, None, true, loss, 200, script);
    let board = watching.watch.board();
    assert_eq!(board.fixtures().count(), 12);
    assert!(board.fixtures().all(|one| one.answers == Some(true) && one.hours == Some(10)));
    let of_fixtures: Vec<String> = watching.lines().into_iter().filter(|line| line.contains("wash")).collect();
    assert_eq!(of_fixtures, Vec::<String>::new());
    assert_eq!(watching.ground.nodes().iter().map(SimNode::most_requests_at_once).max(), Some(1));
    let last = watching.ground.nodes().iter().flat_map(SimNode::cables_used).map(|(_, last)| last).min();
    assert!(last.is_some_and(|last| last > Duration::from_secs(175)), "{last:?}");
}
