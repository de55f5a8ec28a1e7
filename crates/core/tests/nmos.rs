//! Streams and channels are patched by NMOS, and what is said of them is so: held against what senders, receivers and outputs really
//! are.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_core::census::{Again, Census, Device, PatchPoint, PatchSort, Way, Ways};
use lantern_core::change::{ChangePlan, Part, Protection, Wish, plan_each, plan_rig};
use lantern_core::clash::world_clashes;
use lantern_core::compare::{
    Everybody, PatchComparison, PatchState, Verdict, Wanted, compare_all, compare_patches,
};
use lantern_core::conversation::{
    Apply, ApplyEvent, ApplyNews, Concern, Extent, Outcome, Survey, SurveyPlan, TalkEvent,
};
use lantern_core::facts::{Field, Known};
use lantern_core::logbook::Stage;
use lantern_core::sheet::RigSheet;
use lantern_sim::{Link, MemoryGround, PatchTruth, Scene, SimDevice};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{self, GUEST, manner, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

/// A stage box that sends, and an amplifier that receives and maps; each with these further keys.
fn scene(of_box: &str, of_amp: &str) -> String {
    format!(
        "[[device]]\nname = \"hall-box\"\nmac = \"02:4d:42:00:60:01\"\naddress = \"10.40.6.1\"\n\
         nmos = {{ label = \"Hall box\", senders = [\
         {{ label = \"Mix\", to = [\"239.69.9.9:5004\", \"239.79.9.9:5004\"], channels = [\"L\", \"R\"] }}, \
         {{ label = \"Talk\", to = [\"239.69.9.8:5004\"], channels = [\"1\"] }}]{of_box} }}\n\
         [[device]]\nname = \"hall-amp\"\nmac = \"02:4d:42:00:60:02\"\naddress = \"10.40.6.2\"\n\
         nmos = {{ label = \"Hall amp\", receivers = [\
         {{ label = \"In A\", legs = 2 }}, {{ label = \"In B\", from = [\"239.1.1.1:5004\"] }}], \
         inputs = [{{ id = \"in1\", label = \"Stream\", channels = [\"Left\", \"Right\", \"Sub\"] }}], \
         outputs = [{{ id = \"out1\", label = \"Speakers\", channels = [\"1\", \"2\"], map = [\"in1/2\"] }}]{of_amp} }}\n"
    )
}

/// The sheet that belongs to it.
fn sheet(further: &str) -> RigSheet {
    let text = format!(
        "[rig]\nname = \"hall\"\n[[network]]\nname = \"sound\"\nrange = \"10.40.0.0/16\"\n\
         [[node]]\nname = \"hall-box\"\nkind = \"streamer\"\naddress = \"10.40.6.1\"\n\
         [[node]]\nname = \"hall-amp\"\nkind = \"streamer\"\naddress = \"10.40.6.2\"\n\
         [[kind]]\nname = \"streamer\"\nmaker = \"Tessaquill\"\nmodel = \"Streamer\"\nports = 0\nspeaks = [\"nmos\"]\n\
         [[stream]]\nname = \"mix\"\ncarries = \"audio\"\nfrom = \"hall-box/Mix\"\nto = [\"hall-amp/In A\"]\n\
         group = \"239.69.10.1:5004\"\nsecond_group = \"239.79.10.1:5004\"\nchannels = 2\n{further}"
    );
    RigSheet::parse(&text).unwrap_or_else(|errors| panic!("{errors}"))
}

const MAP: &str =
    "[[channel_map]]\nnode = \"hall-amp\"\noutput = \"Speakers\"\nchannels = [\"Stream/Left\", \"in1/2\"]\n";

fn ground(devices: &str, loss: f64, seed: u64) -> MemoryGround {
    let scene =
        Scene::parse(&format!("network = \"10.40.0.0\"\n{devices}")).unwrap_or_else(|error| panic!("{error}"));
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    MemoryGround::new(scene.nodes(), Link::new(loss, seed), GUEST, broadcasts)
        .beside(scene.devices())
        .with_frames(OWN)
}

type Seen = (Census, Vec<Device>);

fn seen(ground: &mut MemoryGround, sheet: &RigSheet) -> Seen {
    let plan = SurveyPlan {
        vantage: support::with_frames(OWN),
        ways: Ways::ALL,
        extent: Extent::Whole(Duration::from_secs(3)),
        concern: Concern::of_sheet(sheet),
        likely: vec![Ipv4Addr::new(10, 40, 6, 1)],
        ..SurveyPlan::art_net(vec![seat()], Some(sheet.clone()), true)
    };
    support::seen_by(ground, plan)
}

fn compared<'a>(sheet: &'a RigSheet, seen: &Seen) -> PatchComparison<'a> {
    compare_patches(sheet, &seen.0, &seen.1)
}

fn planned(sheet: &RigSheet, seen: &Seen) -> ChangePlan {
    let seats = [seat()];
    let subnets = [seat().subnet];
    let everybody = Everybody { devices: &seen.1, asked_in: &subnets, own: &[GUEST] };
    let comparison = compare_all(sheet, &seen.0, everybody);
    let protection =
        Protection { devices: &seen.1, own: &[GUEST], ..support::protection(&seen.0, Some(sheet), &seats) };
    plan_rig(&comparison, None, Some(&compared(sheet, seen)), &protection, &Part::default())
}

/// Makes a plan's changes; gives what became of each, and everything that was told.
fn applied(ground: &mut MemoryGround, plan: &ChangePlan) -> (Vec<(String, Outcome)>, Vec<ApplyEvent>) {
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let mut apply = Apply::new(plan, support::with_frames(OWN), manner(20, 16));
    let (events, _) = run(&mut apply, ground);
    let outcome = |(change, made): (&lantern_core::change::Change, &Option<lantern_core::conversation::Made>)| {
        let name = change.planned_as.clone().unwrap_or_default();
        Some((name, made.as_ref()?.outcome.clone()))
    };
    let outcomes = plan.changes.iter().zip(apply.made()).filter_map(outcome).collect();
    (outcomes, events.into_iter().map(|(_, event)| event).collect())
}

fn wait(ground: &mut MemoryGround, time: Duration) {
    let until = ground.now() + time;
    while ground.run_until(until).is_some() {}
}

/// What one of them really is.
fn really(ground: &MemoryGround, label: &str) -> PatchTruth {
    let all = ground.devices().iter().flat_map(SimDevice::patches);
    all.into_iter().find(|one| one.label == label).unwrap_or_else(|| panic!("no {label}"))
}

fn at(text: &str) -> Option<SocketAddrV4> {
    Some(text.parse().unwrap())
}

fn point(seen: &Seen, label: &str) -> PatchPoint {
    let points = seen.0.patch_points();
    points.into_iter().find(|point| point.label().raw() == label).unwrap_or_else(|| panic!("no {label}"))
}

fn told(point: &PatchPoint, field: Field) -> String {
    point.unit.facts.get(field).map_or_else(|| "-".to_owned(), |value| field.in_words(value))
}

#[test]
fn what_devices_send_receive_and_map_is_read() {
    let mut ground = ground(&scene("", ""), 0.0, 1);
    let seen = seen(&mut ground, &sheet(MAP));
    let mix = point(&seen, "Mix");
    let of = |field| told(&mix, field);
    assert_eq!((mix.sort, mix.title().as_str()), (PatchSort::Sender, "Mix of Hall box"));
    assert_eq!(
        [Field::Carries, Field::Channels, Field::Bits, Field::Samples].map(of),
        ["audio", "2", "24", "48000"]
    );
    let of = |field| told(&mix, field);
    assert_eq!(
        [Field::Enabled, Field::Group, Field::SecondGroup].map(of),
        ["off", "239.69.9.9:5004", "239.79.9.9:5004"]
    );
    let b = point(&seen, "In B");
    let of = |field| told(&b, field);
    assert_eq!(
        [Field::Enabled, Field::Sender, Field::Group, Field::SecondGroup].map(of),
        ["on", "nobody", "239.1.1.1:5004", "-"]
    );
    let speakers = point(&seen, "Speakers");
    let of = |field| told(&speakers, field);
    assert_eq!([Field::Channel(1), Field::Channel(2), Field::Channel(3)].map(of), ["Stream/Sub", "nowhere", "-"]);
    let units = seen.0.units();
    let what =
        |label: &str| units.iter().find(|unit| unit.name().raw() == label).map(|unit| unit.what.to_string());
    assert_eq!(what("Hall box").as_deref(), Some("NMOS node, 2 senders"));
    assert_eq!(what("Hall amp").as_deref(), Some("NMOS node, 2 receivers, 1 output"));
    // Two devices, and no third of what is in them.
    assert_eq!(seen.1.len(), 2, "{:?}", seen.1);
}

/// Sender, receiver and map: each is told, and read back.
#[test]
fn a_sheet_is_patched_and_checked() {
    let mut ground = ground(&scene("", ""), 0.0, 1);
    let sheet = sheet(MAP);
    let before = seen(&mut ground, &sheet);
    assert_eq!(compared(&sheet, &before).tally(), (3, 0));
    let plan = planned(&sheet, &before);
    let (outcomes, _) = applied(&mut ground, &plan);
    let done = |name: &str| (name.to_owned(), Outcome::Done);
    assert_eq!(outcomes, [done("hall-box/Mix"), done("hall-amp/In A"), done("hall-amp/Speakers")]);
    let (mix, a) = (really(&ground, "Mix"), really(&ground, "In A"));
    let legs = vec![at("239.69.10.1:5004"), at("239.79.10.1:5004")];
    assert_eq!((mix.enabled, &mix.legs), (true, &legs));
    assert_eq!((a.enabled, &a.sender, &a.legs), (true, &Some(mix.id), &legs));
    assert_eq!(really(&ground, "Speakers").channels, [Some(("in1".to_owned(), 0)), Some(("in1".to_owned(), 1))]);
    let after = seen(&mut ground, &sheet);
    assert_eq!(compared(&sheet, &after).tally(), (3, 3));
    assert!(planned(&sheet, &after).changes.is_empty());
    assert_eq!(told(&point(&after, "In A"), Field::Sender), "Mix of Hall box");
}

/// What is otherwise than planned after the change, as a look finds it a minute later.
fn verdicts(ground: &mut MemoryGround, sheet: &RigSheet) -> Vec<(String, Option<Verdict>)> {
    wait(ground, Duration::from_secs(60));
    let seen = seen(ground, sheet);
    compared(sheet, &seen).rows.iter().map(|row| (row.name.clone(), row.verdict())).collect()
}

/// For each habit of the one that receives: what is said of its change, and whether it really receives a minute later.
#[rstest]
#[case::plain("", Stage::Confirmed, true)]
#[case::locked(", quirks = [\"locked\"]", Stage::Refused, false)]
#[case::locked_twice(", quirks = [\"locked-twice\"]", Stage::Confirmed, true)]
#[case::breaks_and_takes(", quirks = [\"fails-and-takes\"]", Stage::Confirmed, true)]
#[case::slow(", quirks = [\"answers-late\"]", Stage::Confirmed, true)]
#[case::later(", quirks = [\"schedules\"]", Stage::Confirmed, true)]
#[case::takes_long(", takes_ms = 3000", Stage::Confirmed, true)]
#[case::ignores(", quirks = [\"ignores\"]", Stage::Refused, false)]
#[case::wants_file(", quirks = [\"wants-file\"]", Stage::Confirmed, true)]
#[case::refuses_file(", quirks = [\"refuses-file\"]", Stage::Confirmed, true)]
#[case::one_leg(", quirks = [\"first-leg-only\", \"refuses-file\"]", Stage::Refused, false)]
#[case::stays_off(", quirks = [\"stays-off\"]", Stage::Refused, false)]
#[case::old_patching(", patch_versions = [\"v1.0\"]", Stage::Confirmed, true)]
#[case::newer_patching(", patch_versions = [\"v1.0\", \"v1.7\"]", Stage::Confirmed, true)]
#[case::old_node(", versions = [\"v1.0\", \"v1.1\"]", Stage::Confirmed, true)]
#[case::newer_node(", versions = [\"v1.9\"]", Stage::Confirmed, true)]
#[case::boasts(", quirks = [\"contradicts-itself\"]", Stage::Confirmed, true)]
fn what_is_said_of_a_receiver_is_so(#[case] habits: &str, #[case] said: Stage, #[case] so: bool) {
    let mut ground = ground(&scene("", habits), 0.0, 1);
    let sheet = sheet("");
    let seen = seen(&mut ground, &sheet);
    let plan = planned(&sheet, &seen);
    let (outcomes, events) = applied(&mut ground, &plan);
    let (_, outcome) = outcomes.iter().find(|(name, _)| name == "hall-amp/In A").unwrap();
    assert_eq!(Stage::from(outcome), said, "{outcome:?}\n{events:?}");
    let found = verdicts(&mut ground, &sheet);
    let mix = really(&ground, "Mix");
    let a = really(&ground, "In A");
    let is_so =
        a.enabled && a.sender == Some(mix.id) && a.legs == [at("239.69.10.1:5004"), at("239.79.10.1:5004")];
    assert_eq!(is_so, so, "{a:?}\n{events:?}");
    let verdict = found.iter().find(|(name, _)| name == "hall-amp/In A").unwrap().1;
    assert_eq!(verdict == Some(Verdict::Pass), so, "{found:?}");
}

/// The same for the one that sends.
#[rstest]
#[case::locked(", quirks = [\"locked\"]", Stage::Refused, false)]
#[case::ignores(", quirks = [\"ignores\"]", Stage::Refused, false)]
#[case::later(", quirks = [\"schedules\"]", Stage::Confirmed, true)]
#[case::no_file(", quirks = [\"no-file\"]", Stage::Confirmed, true)]
fn what_is_said_of_a_sender_is_so(#[case] habits: &str, #[case] said: Stage, #[case] so: bool) {
    let mut ground = ground(&scene(habits, ""), 0.0, 1);
    let sheet = sheet("");
    let seen = seen(&mut ground, &sheet);
    let (outcomes, events) = applied(&mut ground, &planned(&sheet, &seen));
    assert_eq!(Stage::from(&outcomes[0].1), said, "{outcomes:?}\n{events:?}");
    let mix = really(&ground, "Mix");
    assert_eq!(mix.enabled && mix.legs[0] == at("239.69.10.1:5004"), so);
    // Who receives waits for who sends, and is left where that is not as it is to be.
    let held = events.iter().any(|event| matches!(event.news, ApplyNews::HeldBack(_)));
    assert_eq!(held, !so);
    assert_eq!(really(&ground, "In A").enabled, so);
}

/// What forgets what it was told a second later was told to be so; a look says what it is.
#[test]
fn one_that_forgets_is_found_by_the_next_look() {
    let mut ground = ground(&scene("", ", quirks = [\"forgets\"]"), 0.0, 1);
    let sheet = sheet("");
    let seen = seen(&mut ground, &sheet);
    applied(&mut ground, &planned(&sheet, &seen));
    let found = verdicts(&mut ground, &sheet);
    assert!(!really(&ground, "In A").enabled);
    assert_eq!(found[1], ("hall-amp/In A".to_owned(), Some(Verdict::Fail)));
}

/// A map that is taken half is said to be taken half.
#[rstest]
#[case("drops-second-channel", 1)]
#[case("ignores", 0)]
#[case("locked", 0)]
fn what_is_said_of_a_map_is_so(#[case] quirk: &str, #[case] taken: usize) {
    let mut ground = ground(&scene("", &format!(", quirks = [\"{quirk}\"]")), 0.0, 1);
    let sheet = sheet(MAP);
    let seen = seen(&mut ground, &sheet);
    let (outcomes, events) = applied(&mut ground, &planned(&sheet, &seen));
    let (_, outcome) = outcomes.iter().find(|(name, _)| name == "hall-amp/Speakers").unwrap();
    let Outcome::Refused(open) = outcome else { panic!("{outcome:?}\n{events:?}") };
    assert_eq!(open.len(), 2 - taken, "{open:?}");
    let channels = really(&ground, "Speakers").channels;
    assert_eq!(channels.iter().filter(|from| matches!(from, Some((_, 0 | 1)))).count(), taken, "{channels:?}");
}

/// Nothing of this may hold the survey up, fill it, or lead it away; and what was not told is not called as planned.
#[rstest]
#[case::silent("never-answers")]
#[case::closed("closed")]
#[case::leads_away("redirects")]
#[case::endless("endless")]
#[case::binary("binary")]
#[case::deep("deep")]
#[case::breaks("fails")]
#[case::elsewhere("patched-elsewhere")]
fn hostile_answers_are_bounded_and_told(#[case] quirk: &str) {
    let mut ground = ground(&scene("", &format!(", quirks = [\"{quirk}\"]")), 0.0, 1);
    let sheet = sheet(MAP);
    let before = ground.now();
    let seen = seen(&mut ground, &sheet);
    assert!(ground.now() - before < Duration::from_secs(30), "{:?}", ground.now() - before);
    let compared = compared(&sheet, &seen);
    let row = compared.rows.iter().find(|row| row.name == "hall-amp/In A").unwrap();
    assert_ne!(row.verdict(), Some(Verdict::Pass), "{row:?}");
    let findings = compared.findings(&sheet);
    assert!(findings.iter().any(|finding| finding.what.contains("hall-amp")), "{findings:?}");
    let plan = planned(&sheet, &seen);
    assert!(!plan.changes.iter().any(|change| change.planned_as.as_deref() == Some("hall-amp/In A")), "{plan:?}");
}

/// What the sheet calls otherwise than the device is told with what the device calls it; where nothing is named the only one is meant.
#[rstest]
#[case("hall-box/Mixx", "hall-amp/In A", "R027")]
#[case("hall-box", "hall-amp/In A", "R027")]
#[case("hall-box/Mix", "hall-amp", "R027")]
#[case("hall-box/Talk", "hall-amp/In A", "R029")]
fn a_wrong_name_is_told(#[case] from: &str, #[case] to: &str, #[case] code: &str) {
    let mut ground = ground(&scene("", ""), 0.0, 1);
    let text = sheet("").text().replace("hall-box/Mix", from).replace("hall-amp/In A", to);
    let sheet = RigSheet::parse(&text).unwrap();
    let seen = seen(&mut ground, &sheet);
    let findings = compared(&sheet, &seen).findings(&sheet);
    assert!(findings.iter().any(|finding| finding.rule.code == code), "{findings:?}");
}

/// Where nothing is named, of several the one is meant that is called as the stream is; one that two streams would be patched to is told
/// nothing.
#[test]
fn where_nothing_is_named_the_name_of_the_stream_says_it() {
    let named = scene("", "").replace("\"Mix\"", "\"mix\"").replace("In B", "mix");
    let text = sheet("").text().replace("hall-box/Mix", "hall-box").replace("hall-amp/In A", "hall-amp");
    let text = text.replace("second_group = \"239.79.10.1:5004\"\n", "");
    let sheet = RigSheet::parse(&text).unwrap();
    let mut ground = ground(&named, 0.0, 1);
    let seen = seen(&mut ground, &sheet);
    let (outcomes, _) = applied(&mut ground, &planned(&sheet, &seen));
    assert!(outcomes.len() == 2 && outcomes.iter().all(|(_, outcome)| *outcome == Outcome::Done), "{outcomes:?}");
    let second = text
        + "[[stream]]\nname = \"talk\"\ncarries = \"audio\"\nfrom = \"hall-box/Talk\"\nto = [\"hall-amp/mix\"]\ngroup = \"239.69.10.2:5004\"\n";
    let sheet = RigSheet::parse(&second).unwrap();
    let plan = planned(&sheet, &seen);
    let changed: Vec<_> = plan.changes.iter().filter_map(|change| change.planned_as.as_deref()).collect();
    assert_eq!(changed, ["hall-box", "hall-box/Talk"]);
    let why = plan.untouched.iter().find(|one| one.name == "hall-amp/mix").map(|one| one.why.to_string());
    assert_eq!(
        why.as_deref(),
        Some("mix, talk would all be patched to it; name the receiver of each on the sheet")
    );
}

/// A device that shows another's identifiers is not taken for it, and neither is told anything in the other's place.
#[test]
fn one_with_anothers_identifiers_is_not_taken_for_it() {
    let cloned = scene("", "")
        .replace("hall-amp\"\nmac = \"02:4d:42:00:60:02\"", "hall-amp\"\nmac = \"02:4d:42:00:60:01\"");
    let cloned = cloned.replacen("02:4d:42:00:60:01", "02:4d:42:00:60:09", 1);
    let cloned = cloned.replacen("label = \"Hall box\"", "label = \"Hall box\", quirks = [\"cloned\"]", 1);
    let mut ground = ground(&cloned, 0.0, 1);
    let sheet = sheet("");
    let seen = seen(&mut ground, &sheet);
    // Both nodes bear one identifier, and are two all the same.
    assert_eq!(seen.0.units().iter().filter(|unit| unit.family == Way::Nmos).count(), 2);
    let (outcomes, _) = applied(&mut ground, &planned(&sheet, &seen));
    assert_eq!(outcomes.len(), 2, "{outcomes:?}");
    assert!(really(&ground, "Mix").enabled && really(&ground, "In A").enabled);
    assert!(!really(&ground, "Talk").enabled);
}

/// Another node at its address is told nothing.
#[test]
fn a_stranger_at_its_address_is_told_nothing() {
    let mut before = ground(&scene("", ""), 0.0, 1);
    let sheet = sheet("");
    let seen = seen(&mut before, &sheet);
    let plan = planned(&sheet, &seen);
    let mut after = ground(&scene("", "").replace("00:60:02", "00:60:05"), 0.0, 1);
    let (outcomes, _) = applied(&mut after, &plan);
    assert!(matches!(outcomes[1].1, Outcome::Stranger(_)), "{outcomes:?}");
    assert!(!really(&after, "In A").enabled);
}

/// Where the wire loses announcements it is done all the same, and what is said is so.
#[test]
fn what_is_said_is_so_on_a_bad_wire() {
    let habits = ["", "schedules", "ignores", "locked-twice", "refuses-file", "fails-and-takes"];
    let mut done = 0;
    for seed in 0..60 {
        let habit = habits[(seed % 6) as usize];
        let quirks = if habit.is_empty() { String::new() } else { format!(", quirks = [\"{habit}\"]") };
        let mut ground = ground(&scene("", &quirks), 0.2, seed);
        let sheet = sheet("");
        let seen = seen(&mut ground, &sheet);
        let plan = planned(&sheet, &seen);
        let (outcomes, _) = applied(&mut ground, &plan);
        wait(&mut ground, Duration::from_secs(60));
        let mix = really(&ground, "Mix");
        let a = really(&ground, "In A");
        for (name, outcome) in outcomes.iter().filter(|(_, outcome)| matches!(outcome, Outcome::Done)) {
            let is_so = match name.as_str() {
                "hall-box/Mix" => mix.enabled && mix.legs[0] == at("239.69.10.1:5004"),
                // Where its sender was not heard, it is told of the group alone.
                _ if outcomes.len() == 1 => a.enabled && a.legs[0] == at("239.69.10.1:5004"),
                _ => a.enabled && a.sender == Some(mix.id.clone()),
            };
            assert!(is_so, "{seed} {habit} {name}: {outcome:?}");
            done += 1;
        }
    }
    assert!(done > 80, "{done}");
}

/// A site with a registry: nodes that announce nothing are found by it, page by page; what it says wrong leads nowhere.
#[rstest]
#[case::fine("", 5)]
#[case::circles("circles", 2)]
#[case::leads_away("leads-away", 5)]
#[case::ghost("knows-ghost", 5)]
#[case::one_page("one-page", 2)]
#[case::fails("fails", 0)]
fn a_registry_is_asked_for_everybody(#[case] quirk: &str, #[case] found: usize) {
    let node = |nth: u8| {
        format!(
            "[[device]]\nname = \"box-{nth}\"\nmac = \"02:4d:42:00:61:0{nth}\"\naddress = \"10.40.6.{nth}\"\n\
             nmos = {{ label = \"Box {nth}\", registered = true, senders = [{{ label = \"Out\", to = [\"239.69.9.{nth}:5004\"] }}] }}\n"
        )
    };
    let quirks = if quirk.is_empty() { String::new() } else { format!("quirks = [\"{quirk}\"], ") };
    let registry = format!(
        "[[device]]\nname = \"registry\"\nmac = \"02:4d:42:00:61:99\"\naddress = \"10.40.6.99\"\nnmos_registry = {{ {quirks}page = 2 }}\n"
    );
    let devices: String = (1..=5).map(node).chain([registry]).collect();
    let mut ground = ground(&devices, 0.0, 1);
    let plan = SurveyPlan {
        vantage: support::with_frames(OWN),
        ways: Ways::ALL,
        extent: Extent::Whole(Duration::from_secs(3)),
        ..SurveyPlan::art_net(vec![seat()], None, true)
    };
    let (census, devices) = support::seen_by(&mut ground, plan);
    let boxes = census.patch_points().len();
    // Where it circles, the newest are listed.
    assert_eq!(boxes, found, "{:?}", census.units());
    assert!(!devices.iter().any(|device| device.addresses.contains(&Ipv4Addr::new(10, 40, 99, 99))));
}

/// Two hundred nodes, two thousand receivers: patched and read back in less than ten seconds of the wire's time.
#[test]
fn a_whole_site_is_patched_in_ten_seconds() {
    let (mut devices, mut streams, mut nodes) = (String::new(), String::new(), String::new());
    let receiver = |nth: u32| format!("{{ label = \"In {nth}\" }}");
    let receivers: Vec<String> = (0..10).map(receiver).collect();
    for nth in 1..=200_u32 {
        devices += &format!(
            "[[device]]\nname = \"amp-{nth}\"\nmac = \"02:4d:42:00:62:{nth:02x}\"\naddress = \"10.40.62.{nth}\"\n\
             nmos = {{ label = \"Amp {nth}\", registered = true, receivers = [{}], senders = [{{ label = \"Out\", to = [\"239.1.62.{nth}:5004\"] }}] }}\n",
            receivers.join(", ")
        );
        nodes += &format!("[[node]]\nname = \"amp-{nth}\"\nkind = \"streamer\"\naddress = \"10.40.62.{nth}\"\n");
        let to: Vec<String> =
            (0..10).map(|input| format!("\"amp-{}/In {input}\"", (nth + input) % 200 + 1)).collect();
        streams += &format!(
            "[[stream]]\nname = \"s{nth}\"\ncarries = \"audio\"\nfrom = \"amp-{nth}\"\nto = [{}]\ngroup = \"239.69.62.{nth}:5004\"\n",
            to.join(", ")
        );
    }
    devices += "[[device]]\nname = \"registry\"\nmac = \"02:4d:42:00:61:99\"\naddress = \"10.40.6.99\"\nnmos_registry = { page = 50 }\n";
    let head = "[rig]\nname = \"site\"\n[[network]]\nname = \"sound\"\nrange = \"10.40.0.0/16\"\n\
                [[kind]]\nname = \"streamer\"\nmaker = \"Tessaquill\"\nmodel = \"Streamer\"\nports = 0\nspeaks = [\"nmos\"]\n";
    let sheet = RigSheet::parse(&format!("{head}{nodes}{streams}")).unwrap_or_else(|errors| panic!("{errors}"));
    let mut ground = ground(&devices, 0.0, 1);
    let seen = seen(&mut ground, &sheet);
    let plan = planned(&sheet, &seen);
    assert_eq!(plan.changes.len(), 2200, "{:?}", plan.untouched);
    let began = ground.now();
    let (outcomes, _) = applied(&mut ground, &plan);
    let took = ground.now() - began;
    assert!(outcomes.len() == 2200 && outcomes.iter().all(|(_, outcome)| *outcome == Outcome::Done));
    assert!(took < Duration::from_secs(10), "{took:?}");
    let truths: Vec<PatchTruth> = ground.devices().iter().flat_map(SimDevice::patches).collect();
    let receiving = truths.iter().filter(|one| one.sender.is_some() && one.enabled);
    assert_eq!(receiving.count(), 2000);
}

/// Two that send to one group are told, whoever the sheet means; one that is off is not.
#[rstest]
#[case("enabled = true, ", 1)]
#[case("", 0)]
fn two_that_send_to_one_group_are_told(#[case] second: &str, #[case] told: usize) {
    let of_box = "[[device]]\nname = \"spare-box\"\nmac = \"02:4d:42:00:60:07\"\naddress = \"10.40.6.7\"\n";
    let spare = format!(
        "{of_box}nmos = {{ label = \"Spare box\", senders = [{{ label = \"Mix\", {second}to = [\"239.69.10.1:5004\"] }}] }}\n"
    );
    let mut ground = ground(&(scene("", "") + &spare), 0.0, 1);
    let sheet = sheet("");
    let before = seen(&mut ground, &sheet);
    applied(&mut ground, &planned(&sheet, &before));
    let plan = SurveyPlan {
        vantage: support::with_frames(OWN),
        ways: Ways::ALL,
        reads_patches: true,
        extent: Extent::Whole(Duration::from_secs(3)),
        ..SurveyPlan::art_net(vec![seat()], None, true)
    };
    let mut survey = Survey::new(plan);
    run(&mut survey, &mut ground);
    let from = survey.viewpoint();
    let census = survey.into_census();
    let findings = world_clashes(&census, &census.devices(&from), &from, None);
    let of_group: Vec<&str> =
        findings.iter().filter(|one| one.rule.code == "W021").map(|one| one.what.as_str()).collect();
    assert_eq!(of_group.len(), told, "{findings:?}");
    let right = "Mix of Hall box and Mix of Spare box send to 239.69.10.1:5004";
    assert!(of_group.iter().all(|what| *what == right), "{of_group:?}");
}

/// What a run changed goes back to what was told before, as its logbook has that; each is known again by its own identifier.
#[test]
fn what_was_patched_is_taken_back_as_it_was() {
    let mut ground = ground(&scene("", ""), 0.0, 1);
    let sheet = sheet(MAP);
    let before = seen(&mut ground, &sheet);
    let truths = |ground: &MemoryGround| ground.devices().iter().flat_map(SimDevice::patches).collect::<Vec<_>>();
    let really_before = truths(&ground);
    let plan = planned(&sheet, &before);
    applied(&mut ground, &plan);
    assert_ne!(truths(&ground), really_before);
    let after = seen(&mut ground, &sheet);
    let seats = [seat()];
    let wish = |change: &lantern_core::change::Change| {
        let told = change.differences.iter().filter_map(|one| match &one.found {
            Known::Told(value) => Some((one.field, value.clone())),
            _ => None,
        });
        let Again::Is(subject) = after.0.again(&change.node_name()) else { panic!("{:?}", change.node_name()) };
        Wish::as_told(subject, Wanted::of_fields(told), "taken back".to_owned())
    };
    let wishes: Vec<Wish> = plan.changes.iter().map(wish).collect();
    let protection =
        Protection { devices: &after.1, own: &[GUEST], ..support::protection(&after.0, None, &seats) };
    let back = plan_each(&wishes, &protection);
    assert_eq!(back.changes.len(), 3, "{:?}", back.findings);
    let (outcomes, _) = applied(&mut ground, &back);
    assert!(outcomes.iter().all(|(_, outcome)| *outcome == Outcome::Done), "{outcomes:?}");
    assert_eq!(truths(&ground), really_before);
}

/// What a run changed is told in the words of the sheet, with names where machines have identifiers.
#[test]
fn what_is_told_on_the_way_says_why() {
    let mut ground = ground(&scene("", ", quirks = [\"locked\"]"), 0.0, 1);
    let sheet = sheet("");
    let seen = seen(&mut ground, &sheet);
    let plan = planned(&sheet, &seen);
    let sender = plan.changes[1].differences.iter().find(|one| one.field == Field::Sender).unwrap();
    assert_eq!(sender.to_string(), "sender is nobody, planned Mix of Hall box");
    let (_, events) = applied(&mut ground, &plan);
    let said = events.iter().filter_map(|event| match &event.news {
        ApplyNews::Talk(TalkEvent::Declined(_, why)) => Some(why.to_string()),
        _ => None,
    });
    assert_eq!(said.collect::<Vec<_>>(), ["it is locked: The resource is locked by an activation"]);
}

/// A state that nobody could look at is none that passes.
#[test]
fn what_nobody_tells_is_said() {
    let plain = "[[device]]\nname = \"hall-box\"\nmac = \"02:4d:42:00:60:01\"\naddress = \"10.40.6.1\"\n";
    let mut ground = ground(plain, 0.0, 1);
    let sheet = sheet("");
    let seen = seen(&mut ground, &sheet);
    let compared = compared(&sheet, &seen);
    assert!(matches!(compared.rows[0].state, PatchState::Silent), "{:?}", compared.rows[0]);
    assert!(matches!(compared.rows[1].state, PatchState::NotAsked), "{:?}", compared.rows[1]);
    let findings = compared.findings(&sheet);
    assert_eq!(findings.iter().map(|one| one.rule.code).collect::<Vec<_>>(), ["R030"]);
    assert!(planned(&sheet, &seen).changes.is_empty());
}
