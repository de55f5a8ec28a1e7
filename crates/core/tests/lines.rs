//! Lines of text: what is said comes to the device as it was meant, and what comes back is told as what it is.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_core::census::Way;
use lantern_core::conversation::{
    Conversation, Heard, LinkEnd, SayEvent, SayLine, SayPlan, SayResult, Saying, Telling, TellingStep, Vantage,
};
use lantern_core::secret::{Login, Owner, Secrets};
use lantern_core::sheet::kind::{CarriedBy, LineBreak};
use lantern_core::sheet::{RigSheet, Words};
use lantern_sim::{Link, MemoryGround};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{self, run};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

fn device(i: u8, keys: &str) -> String {
    format!(
        "[[device]]\nname = \"wall-{i}\"\nmac = \"02:54:51:00:20:0{i}\"\naddress = \"10.40.6.{i}\"\n[device.lines]\n{keys}\n\
         answers = {{ \"PWR?\" = \"PWR=0\", \"PWR ON\" = \"OK\" }}\nsets = {{ \"PWR ON\" = [\"PWR?\", \"PWR=1\"] }}\n"
    )
}

fn ground(devices: &str) -> MemoryGround {
    support::ground_of(devices, Link::new(0.0, 1), OWN)
}

fn line(text: &str, right: &str) -> SayLine {
    SayLine { text: text.to_owned(), right: right.parse().ok().filter(|_| !right.is_empty()) }
}

fn plan(last: u8, by: CarriedBy, lines: Vec<SayLine>) -> SayPlan {
    let to = SocketAddrV4::new(Ipv4Addr::new(10, 40, 6, last), 4999);
    SayPlan { to, by, ends: LineBreak::CrLf, wait: Duration::from_secs(2), lines, stays: false, number: 1 }
}

fn said(ground: &mut MemoryGround, plan: SayPlan) -> (Vec<SayResult>, Vec<SayEvent>, Duration) {
    let mut saying = Saying::new(plan, support::with_frames(OWN));
    let (events, took) = run(&mut saying, ground);
    (saying.results().to_vec(), events.into_iter().map(|(_, event)| event).collect(), took)
}

fn answered(text: &str) -> SayResult {
    SayResult::Answered(text.into())
}

/// For each habit: what comes of asking, of telling, and of asking again; and what the device really was told.
#[rstest]
#[case::plain("", CarriedBy::Tcp)]
#[case::greets("greeting = \"Welcome\\r\\nto wall\\r\\n\"", CarriedBy::Tcp)]
#[case::prompts("greeting = \"> \"", CarriedBy::Tcp)]
#[case::telnet("quirks = [\"telnet\"]", CarriedBy::Telnet)]
#[case::telnet_prompts("greeting = \"login: \"\nquirks = [\"telnet\"]", CarriedBy::Telnet)]
#[case::udp("udp = true", CarriedBy::Udp)]
#[case::late("quirks = [\"answers-late\"]", CarriedBy::Tcp)]
#[case::in_pieces("quirks = [\"in-pieces\"]", CarriedBy::Tcp)]
#[case::carriage_returns("quirks = [\"carriage-returns\"]", CarriedBy::Tcp)]
#[case::echoes("quirks = [\"echoes\"]", CarriedBy::Tcp)]
#[case::says_more("quirks = [\"says-more\"]", CarriedBy::Tcp)]
#[case::binary("quirks = [\"binary\"]", CarriedBy::Tcp)]
#[case::chatters("chatter_ms = 900", CarriedBy::Tcp)]
fn what_is_said_is_heard_and_answered(#[case] keys: &str, #[case] by: CarriedBy) {
    let mut ground = ground(&device(1, keys));
    let lines = vec![line("PWR?", "PWR=*"), line("PWR ON", "OK"), line("PWR?", "PWR=1"), line("NONE", "OK")];
    let (results, events, took) = said(&mut ground, plan(1, by, lines));
    assert_eq!(results[..3], [answered("PWR=0"), answered("OK"), answered("PWR=1")], "{events:?}");
    assert!(matches!(&results[3], SayResult::Wrong(_)), "{events:?}");
    assert_eq!(ground.devices()[0].told_lines(), ["PWR?", "PWR ON", "PWR?", "NONE"]);
    assert!(took < Duration::from_secs(9), "{took:?}");
    // What came before anything was said is no answer.
    let greeting = events.iter().take_while(|event| !matches!(event, SayEvent::Said { .. }));
    assert!(greeting.clone().all(|event| !matches!(event, SayEvent::Heard { is_answer: true, .. })), "{events:?}");
}

/// Where nothing is known of a right answer, whatever comes is one; and nothing at all is said to be nothing.
#[rstest]
#[case::any("", answered("PWR=0"))]
#[case::silent("quirks = [\"never-answers\"]", SayResult::Unanswered)]
#[case::hangs_up("quirks = [\"hangs-up\"]", answered("PWR=0"))]
#[case::hangs_up_first("quirks = [\"never-answers\", \"hangs-up\"]", SayResult::Lost(LinkEnd::Finished))]
#[case::says_more("quirks = [\"says-more\"]", answered("READY"))]
fn what_comes_of_one_line(#[case] keys: &str, #[case] result: SayResult) {
    let mut ground = ground(&device(1, keys));
    let (results, events, _) = said(&mut ground, plan(1, CarriedBy::Tcp, vec![line("PWR?", "")]));
    assert_eq!(results, [result], "{events:?}");
}

/// Nobody listens, and nobody is there.
#[test]
fn where_nobody_listens_that_is_said() {
    let mut ground = ground(&device(1, "port = 23"));
    for last in [1, 2] {
        let (results, ..) = said(&mut ground, plan(last, CarriedBy::Tcp, vec![line("a", ""), line("b", "")]));
        assert_eq!(results.len(), 2);
        assert!(results.iter().all(|result| matches!(result, SayResult::Lost(_))), "{results:?}");
    }
    assert!(ground.devices()[0].told_lines().is_empty());
}

/// Whoever says things without end is left, in bounded time.
#[rstest]
#[case::one_line("never-ends")]
#[case::many_lines("floods")]
fn what_never_ends_is_left(#[case] quirk: &str) {
    let mut ground = ground(&device(1, &format!("quirks = [\"{quirk}\"]")));
    let (results, events, took) = said(&mut ground, plan(1, CarriedBy::Tcp, vec![line("PWR?", "PWR=?")]));
    assert_eq!(results.len(), 1);
    assert!(took < Duration::from_secs(4) && events.len() < 10_010, "{took:?} {}", events.len());
}

/// What a device asks for that must not be shown is marked, and what is said after it is not.
#[test]
fn what_answers_a_question_for_a_password_is_marked() {
    let mut ground = ground(&device(1, "greeting = \"Password: \""));
    let lines = vec![line("moonrise", ""), line("PWR?", "")];
    let (_, events, _) = said(&mut ground, plan(1, CarriedBy::Tcp, lines));
    let marked: Vec<bool> = events
        .iter()
        .filter_map(|event| match event {
            SayEvent::Said { is_secret, .. } => Some(*is_secret),
            _ => None,
        })
        .collect();
    assert_eq!(marked, [true, false]);
}

/// A device that repeats a password does not get it shown, nor into what is written down of the answer.
#[rstest]
#[case::at_once("quirks = [\"echoes\", \"never-answers\"]")]
#[case::beside_an_answer("quirks = [\"echoes\"]")]
#[case::in_pieces("quirks = [\"echoes\", \"in-pieces\"]")]
fn a_password_that_a_device_repeats_is_not_shown(#[case] keys: &str) {
    let mut ground = ground(&device(1, &format!("greeting = \"Password: \"\n{keys}")));
    let lines = vec![line("moonrise", ""), line("PWR?", "")];
    let plan = SayPlan { wait: Duration::from_millis(400), ..plan(1, CarriedBy::Tcp, lines) };
    let (results, events, _) = said(&mut ground, plan);
    let told = ground.devices()[0].told_lines();
    assert_eq!(told, ["moonrise", "PWR?"], "it was said as it was meant");
    let heard: Vec<&SayEvent> = events.iter().filter(|event| matches!(event, SayEvent::Heard { .. })).collect();
    let all = format!("{heard:?}{results:?}");
    assert!(all.contains("•••") && !all.contains("moonrise"), "{all}");
}

/// A datagram without a line break is a line, and a right one ends the waiting.
#[test]
fn a_datagram_is_a_line_however_it_ends() {
    let mut ground = ground(&device(1, "udp = true\nquirks = [\"bare\"]"));
    let (results, _, took) = said(&mut ground, plan(1, CarriedBy::Udp, vec![line("PWR?", "PWR=0")]));
    assert_eq!(results, [answered("PWR=0")]);
    assert!(took < Duration::from_millis(200), "{took:?}");
}

/// A person types, and tells apart what came as an answer from what somebody else caused; it ends when that one types no more.
#[test]
fn a_session_goes_on_with_what_is_typed() {
    let mut ground = ground(&device(1, "chatter_ms = 5000"));
    let mut saying =
        Saying::new(SayPlan { stays: true, ..plan(1, CarriedBy::Tcp, Vec::new()) }, support::with_frames(OWN));
    let mut events = Vec::new();
    // The ground is run in pieces, since a person types in between.
    let mut typed = vec![(Duration::from_secs(2), Some("PWR?")), (Duration::from_secs(6), None)];
    let mut links = std::collections::BTreeMap::new();
    while let Some(wake_at) = saying.wake_at() {
        let next = typed.first().map_or(wake_at, |(at, _)| wake_at.min(*at));
        match ground.run_until(next) {
            Some(heard) => {
                if let Some((number, news)) = &heard.link {
                    let news = match news {
                        lantern_sim::LinkHeard::Opened => lantern_core::conversation::LinkNews::Opened,
                        lantern_sim::LinkHeard::Bytes(bytes) => lantern_core::conversation::LinkNews::Bytes(bytes),
                        _ => continue,
                    };
                    saying.hear(heard.at, &Heard::Link(links[number], news));
                }
            }
            None if typed.first().is_some_and(|(at, _)| *at <= ground.now()) => {
                let (_, line) = typed.remove(0);
                saying.hear(ground.now(), &Heard::Typed(line));
            }
            None => saying.wake(ground.now()),
        }
        while let Some(event) = saying.next_event() {
            events.push(event);
        }
        while let Some(outgoing) = saying.next_send() {
            match outgoing {
                lantern_core::conversation::Outgoing::Open { link, to } => {
                    links.insert(1, link);
                    ground.open(1, to);
                }
                lantern_core::conversation::Outgoing::Write { bytes, .. } => ground.write(1, &bytes),
                _ => {}
            }
        }
    }
    let shown: Vec<String> = events
        .iter()
        .filter_map(|event| match event {
            SayEvent::Said { line, .. } => Some(format!("said {line}")),
            SayEvent::Heard { line, is_answer } => {
                Some(format!("{} {line}", if *is_answer { "answer" } else { "unasked" }))
            }
            _ => None,
        })
        .collect();
    assert_eq!(shown, ["said PWR?", "answer PWR=0", "unasked INPUT CHANGED BY FRONT PANEL"]);
}

fn four() -> String {
    let keys = ["", "quirks = [\"answers-late\"]", "quirks = [\"never-answers\"]", "udp = true"];
    keys.iter().zip(1..).map(|(keys, i)| device(i, keys)).collect()
}

/// Side by side one that is silent holds nobody up; one after the other nothing more is begun after it, where that is asked.
#[rstest]
#[case::together(true, false, [true, true, false, true])]
#[case::together_and_stop(true, true, [true, true, false, true])]
#[case::in_turn(false, false, [true, true, false, true])]
#[case::in_turn_and_stop(false, true, [true, true, false, false])]
fn several_are_told(#[case] together: bool, #[case] stops: bool, #[case] done: [bool; 4]) {
    let mut ground = ground(&four());
    let by = |last| if last == 4 { CarriedBy::Udp } else { CarriedBy::Tcp };
    let steps =
        (1..=4).map(|last| plan(last, by(last), vec![line("PWR ON", "OK")])).map(TellingStep::Lines).collect();
    let mut telling = Telling::new(steps, support::with_frames(OWN), together, stops);
    let (_, took) = run(&mut telling, &mut ground);
    let right: Vec<bool> = telling.results().iter().map(|result| *result == Some(answered("OK"))).collect();
    assert_eq!(right, done);
    let told: Vec<usize> = ground.devices().iter().map(|device| device.told_lines().len()).collect();
    let begun = usize::from(!stops || together);
    assert_eq!(told, [1, 1, 1, begun], "what is said to have happened has happened");
    assert!(took < Duration::from_secs(if together { 3 } else { 7 }), "{took:?}");
}

/// The orders of a sequence of screens, read as the sheet has them.
fn orders(keys: &str) -> Vec<TellingStep> {
    let text = format!("{SHEET}[[sequence]]\nname = \"s\"\n[[sequence.step]]\nnode = \"wall\"\n{keys}\n");
    let sheet = RigSheet::parse(&text).unwrap();
    let step = |step: &lantern_core::sheet::SequenceStep| match &step.words.value {
        Words::Screen(order) => {
            let (to, wait) = (Ipv4Addr::new(10, 40, 6, 1), step.wait);
            TellingStep::Screen { to, mac: None, order: order.clone(), wait }
        }
        other => panic!("{other:?}"),
    };
    sheet.sequences[0].steps.iter().map(step).collect()
}

/// What is said of a screen that was told something is so, whatever it does; of one that was lost nothing is said.
#[rstest]
#[case::on("power = 0", "power = \"on\"", answered("warming"), (1, "31"))]
#[case::off("", "power = \"off\"", answered("cooling"), (0, "31"))]
#[case::input("", "input = \"digital 2\"", answered("digital 2"), (1, "32"))]
#[case::no_such_input("", "input = \"network 9\"", SayResult::Wrong("it has no such input".into()), (1, "31"))]
#[case::in_standby("power = 0", "input = \"digital 2\"", SayResult::Wrong("not now: it is in standby, or warms up, or cools down".into()), (0, "31"))]
#[case::ignores("power = 0, quirks = [\"ignores-orders\"]", "power = \"on\"", SayResult::Wrong("off".into()), (0, "31"))]
#[case::not_now("quirks = [\"not-now\"]", "power = \"off\"", SayResult::Wrong("not now: it is in standby, or warms up, or cools down".into()), (1, "31"))]
#[case::mute("quirks = [\"never-greets\"]", "power = \"off\"", SayResult::Unanswered, (1, "31"))]
#[case::hangs_up("quirks = [\"hangs-up\"]", "power = \"off\"", SayResult::Lost(LinkEnd::Finished), (0, "31"))]
#[case::in_pieces("quirks = [\"in-pieces\"]", "power = \"off\"", answered("cooling"), (0, "31"))]
#[case::chatters("quirks = [\"chatters\", \"line-feeds\"]", "input = \"RGB 1\"", answered("RGB 1"), (1, "11"))]
#[case::http("quirks = [\"speaks-http\"]", "power = \"off\"", SayResult::Wrong("what it says is no PJLink".into()), (1, "31"))]
#[case::locked("password = \"moonrise\"", "power = \"off\"", answered("cooling"), (0, "31"))]
#[case::wrong_password("password = \"moonset\"", "power = \"off\"", SayResult::Wrong("it refuses the password".into()), (1, "31"))]
fn what_is_said_of_a_screen_is_so(
    #[case] keys: &str,
    #[case] step: &str,
    #[case] said: SayResult,
    #[case] so: (u8, &str),
) {
    let keys = if keys.is_empty() { String::new() } else { format!(", {keys}") };
    let device = format!(
        "[[device]]\nname = \"w\"\nmac = \"02:54:51:00:20:01\"\naddress = \"10.40.6.1\"\npjlink = {{ name = \"Wall\"{keys} }}\n"
    );
    let mut ground = ground(&device);
    let mut secrets = Secrets::default();
    secrets.keep(Way::Pjlink, Owner::Everybody, Login::without_user("moonrise".to_owned()));
    let vantage = Vantage { secrets, ..support::with_frames(OWN) };
    let mut telling = Telling::new(orders(step), vantage, false, true);
    let (events, _) = run(&mut telling, &mut ground);
    assert_eq!(telling.results(), [Some(said)], "{events:?}");
    let now = ground.now();
    while ground.run_until(now + Duration::from_secs(10)).is_some() {}
    assert_eq!(ground.devices()[0].screen(), Some((so.0, so.1.to_owned())));
    assert!(!format!("{events:?}").contains("moonrise"));
}

const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n[[kind]]\nname = \"house-wall\"\nmaker = \"House\"\n\
    model = \"Wall\"\nports = 0\nline_port = 4999\nline_end = \"cr\"\n[[kind.line]]\nname = \"power on\"\nsay = \"PWR ON\"\nright = \"OK*\"\n\
    [[kind.line]]\nname = \"input\"\nsay = \"INPT {}\"\n[[node]]\nname = \"wall\"\nkind = \"house-wall\"\naddress = \"10.40.6.1\"\n\
    [[node]]\nname = \"eye\"\nkind = \"tessaquill-eye\"\naddress = \"10.40.6.2\"\n";

/// What words come to for a node is what its kind says; and why nothing can be said is told.
#[rstest]
#[case::named("wall", Words::Line("power on".to_owned(), None), Ok("PWR ON"))]
#[case::with("wall", Words::Line("input".to_owned(), Some("3".to_owned())), Ok("INPT 3"))]
#[case::plain("wall", Words::Plain("MUTE".to_owned()), Ok("MUTE"))]
#[case::no_argument("wall", Words::Line("input".to_owned(), None), Err("wants an argument"))]
#[case::one_too_many("wall", Words::Line("power on".to_owned(), Some("3".to_owned())), Err("takes no argument"))]
#[case::two_lines("wall", Words::Line("input".to_owned(), Some("3\rRESET".to_owned())), Err("a line ends at its end"))]
#[case::unknown("wall", Words::Line("power off".to_owned(), None), Err("it has: power on, input"))]
#[case::no_lines("eye", Words::Plain("MUTE".to_owned()), Err("has no line_port"))]
fn words_come_to_lines(#[case] node: &str, #[case] words: Words, #[case] expected: Result<&str, &str>) {
    let sheet = RigSheet::parse(SHEET).unwrap();
    let node = sheet.nodes.iter().find(|one| one.name.value == node).unwrap();
    match (sheet.spoken(node, &words), expected) {
        (Ok(spoken), Ok(say)) => assert_eq!((spoken.say.as_str(), spoken.speech.ends), (say, LineBreak::Cr)),
        (Err(why), Err(part)) => assert!(why.contains(part), "{why}"),
        other => panic!("{other:?}"),
    }
}

/// A sheet's sequences are read, and their mistakes told where they stand.
#[test]
fn sequences_are_read_with_their_mistakes() {
    let text = format!(
        "{SHEET}[[sequence]]\nname = \"walls\"\ntogether = true\n[[sequence.step]]\nnode = \"wall\"\nline = \"input\"\nwith = 3\n\
         [[sequence.step]]\nnode = \"wall\"\nsay = \"PWR ON\"\nwait = 9\n"
    );
    let sheet = RigSheet::parse(&text).unwrap();
    let steps = &sheet.sequences[0].steps;
    assert_eq!((steps.len(), steps[0].node.value, steps[1].wait), (2, 0, Duration::from_secs(9)));
    assert_eq!(steps[0].words.value, Words::Line("input".to_owned(), Some("3".to_owned())));
    for (broken, why) in [
        ("node = \"nobody\"\nsay = \"x\"", "there is no node named"),
        ("node = \"wall\"", "has no `line`"),
        ("node = \"wall\"\nsay = \"x\"\nline = \"input\"", "says something of its own already"),
        ("node = \"wall\"\nsay = \"a\\nb\"", "a line ends at its end"),
        ("say = \"x\"", "has no `node`"),
        ("node = \"wall\"\npower = \"on\"\nsay = \"x\"", "does something else already"),
        ("node = \"wall\"\ninput = \"31\"", "`input`"),
    ] {
        let text = format!("{SHEET}[[sequence]]\nname = \"s\"\n[[sequence.step]]\n{broken}\n");
        let errors = RigSheet::parse(&text).unwrap_err();
        assert!(errors.errors.iter().any(|error| error.what.contains(why)), "{broken}: {:?}", errors.errors);
    }
}
