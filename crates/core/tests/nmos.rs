//! What devices send, receive and map is patched by NMOS, and what is said of it is so: held against what senders, receivers and outputs
//! really are.

use std::time::Duration;

use lantern_core::census::{PatchSort, Way};
use lantern_core::compare::Verdict;
use lantern_core::conversation::{ApplyNews, Outcome};
use lantern_core::facts::Field;
use lantern_core::logbook::Stage;
use lantern_core::sheet::RigSheet;
use lantern_core::view::Patching;
use lantern_sim::MemoryGround;
use rstest::rstest;

use crate::support::hall::{
    MAP, applied, at, compared, ground, planned, point, really, scene, seen, sheet, told, wait,
};

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

/// Of two at one address only the one that sends is shown to send.
#[test]
fn what_one_sends_is_not_shown_of_another_at_its_address() {
    let guest = "[[device]]\nname = \"guest\"\nmac = \"02:4d:42:00:60:07\"\naddress = \"10.40.6.1\"\n";
    let mut ground = ground(&format!("{}{guest}", scene("", "")), 0.0, 1);
    let (census, devices) = seen(&mut ground, &sheet(""));
    let shown = |mac: &str| -> Vec<String> {
        let device = devices.iter().find(|one| one.mac == mac.parse().ok()).unwrap_or_else(|| panic!("no {mac}"));
        let ends = Patching::of_device(device, &census, &devices, None).ends;
        ends.iter().map(|end| format!("{} of {}", end.label, end.node.as_deref().unwrap_or("-"))).collect()
    };
    assert_eq!(shown("02:4d:42:00:60:01"), ["Mix of hall-box", "Talk of hall-box"]);
    assert!(shown("02:4d:42:00:60:07").is_empty());
}

/// A map that means an output that is not there, or more channels than it has: what `check` calls wrong is not shown as right.
#[rstest]
#[case::no_such("Speakrs", &["1 Stream/Left Fail the device has Speakers", "2 in1/2 Fail the device has Speakers"])]
#[case::more("Speakers", &["1 Stream/Left Fail ", "2 Stream/Right Fail ", "3 Stream/Sub Look "])]
fn a_map_that_cannot_be_so_is_shown_so(#[case] output: &str, #[case] expected: &[&str]) {
    let channels = ["Stream/Left", "in1/2", "Stream/Sub"];
    let channels = &channels[..expected.len()];
    let map = format!("[[channel_map]]\nnode = \"hall-amp\"\noutput = \"{output}\"\nchannels = {channels:?}\n");
    let sheet = sheet(&map);
    let mut ground = ground(&scene("", ""), 0.0, 1);
    let (census, devices) = seen(&mut ground, &sheet);
    let at = "02:4d:42:00:60:02".parse().ok();
    let amp = devices.iter().find(|device| device.mac == at).unwrap_or_else(|| panic!("no amplifier"));
    let whole = Patching::of(&census, &devices, Some(&sheet));
    for shown in [whole, Patching::of_device(amp, &census, &devices, Some(&sheet))] {
        assert!(shown.differs());
        let planned = shown.channels.iter().filter(|line| line.planned_as.is_some()).map(|line| {
            assert_eq!(line.node.as_deref(), Some("hall-amp"));
            let verdict = line.verdict.map_or_else(String::new, |verdict| format!("{verdict:?}"));
            let text = |text: &Option<String>| text.clone().unwrap_or_default();
            format!("{} {} {verdict} {}", line.number, text(&line.planned), text(&line.otherwise))
        });
        assert_eq!(planned.collect::<Vec<_>>(), expected);
    }
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

/// One that gets another sender gets its group with it, which is no change that nobody meant.
#[rstest]
#[case("")]
#[case(", quirks = [\"wants-file\"]")]
fn with_a_sender_comes_its_group(#[case] habits: &str) {
    let mut ground = ground(
        &scene(", quirks = []", habits).replace("\"239.69.9.8:5004\"]", "\"239.69.9.8:5004\"], enabled = true"),
        0.0,
        1,
    );
    let text = sheet("")
        .text()
        .replace("from = \"hall-box/Mix\"", "from = \"hall-box/Talk\"")
        .replace("hall-amp/In A", "hall-amp/In B");
    let text = text
        .replace("239.69.10.1:5004", "239.69.9.8:5004")
        .replace("second_group = \"239.79.10.1:5004\"\nchannels = 2\n", "");
    let sheet = RigSheet::parse(&text).unwrap();
    let before = seen(&mut ground, &sheet);
    let mut plan = planned(&sheet, &before);
    // Somebody asks for the sender alone.
    let change =
        plan.changes.iter_mut().find(|change| change.planned_as.as_deref() == Some("hall-amp/In B")).unwrap();
    change.differences.retain(|one| one.field == Field::Sender);
    change.steps[0].differences.retain(|one| one.field == Field::Sender);
    let (outcomes, events) = applied(&mut ground, &plan);
    assert!(outcomes.iter().all(|(_, outcome)| *outcome == Outcome::Done), "{outcomes:?} {events:?}");
    assert_eq!(really(&ground, "In B").legs[0], at("239.69.9.8:5004"));
}
