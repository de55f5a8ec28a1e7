//! Whole sites are patched by NMOS: by registries, by chance, broken off and taken back; held against what is really so.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::{Again, Ways};
use lantern_core::change::{Aspect, Change, Part, Protection, Wish, plan_each, plan_rig};
use lantern_core::clash::world_clashes;
use lantern_core::compare::{Everybody, PatchState, Verdict, Wanted, compare_all};
use lantern_core::conversation::{Apply, ApplyNews, Extent, Outcome, Survey, SurveyPlan, TalkEvent};
use lantern_core::facts::{Field, Known, Value};
use lantern_core::sheet::{RigSheet, SheetStream};
use lantern_sim::{MemoryGround, PatchTruth, SimDevice};
use rstest::rstest;

use crate::support::dice::Dice;
use crate::support::hall::{MAP, OWN, applied, at, compared, ground, planned, really, scene, seen, sheet, wait};
use crate::support::{self, GUEST, manner, run, seat};

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
    let wish = |change: &Change| {
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

/// A camera that is told another address in the same run is patched where it is then; who receives from it asks it there.
#[test]
fn what_moves_is_patched_where_it_is_then() {
    let eye = "[[device]]\nname = \"eye\"\nmac = \"02:54:51:00:70:01\"\naddress = \"10.40.7.101\"\n\
        onvif = { name = \"Eye\" }\nnmos = { port = 8090, label = \"Eye\", senders = [{ label = \"Out\", format = \"video\", to = [\"239.1.1.9:5004\"] }] }\n\
        [[device]]\nname = \"wall\"\nmac = \"02:54:51:00:70:02\"\naddress = \"10.40.7.2\"\n\
        nmos = { label = \"Wall\", receivers = [{ label = \"In\", format = \"video\" }], quirks = [\"wants-file\"] }\n";
    let sheet = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
        [[node]]\nname = \"hall-eye\"\nkind = \"tessaquill-eye\"\nmac = \"02:54:51:00:70:01\"\naddress = \"10.40.7.1\"\n\
        [[node]]\nname = \"hall-wall\"\nmac = \"02:54:51:00:70:02\"\naddress = \"10.40.7.2\"\n\
        [[stream]]\nname = \"picture\"\ncarries = \"video\"\nfrom = \"hall-eye\"\nto = [\"hall-wall\"]\ngroup = \"239.69.20.1:5004\"\n";
    let sheet = RigSheet::parse(sheet).unwrap();
    let mut ground = ground(eye, 0.0, 1);
    let seen = seen(&mut ground, &sheet);
    let plan = planned(&sheet, &seen);
    let (outcomes, events) = applied(&mut ground, &plan);
    assert!(
        outcomes.len() == 3 && outcomes.iter().all(|(_, one)| *one == Outcome::Done),
        "{outcomes:?}\n{events:?}"
    );
    assert_eq!(ground.devices()[0].ip().address, Ipv4Addr::new(10, 40, 7, 1));
    let (out, wall) = (really(&ground, "Out"), really(&ground, "In"));
    assert_eq!((out.enabled, out.legs[0]), (true, at("239.69.20.1:5004")));
    assert_eq!((wall.enabled, wall.sender, wall.legs[0]), (true, Some(out.id), at("239.69.20.1:5004")));
}

/// Broken off after the first change, a run of the same sheet does the rest, and nothing twice.
#[test]
fn what_was_broken_off_is_gone_on_with() {
    let mut ground = ground(&scene("", ""), 0.0, 1);
    let sheet = sheet(MAP);
    let before = seen(&mut ground, &sheet);
    let mut apply = Apply::new(&planned(&sheet, &before), support::with_frames(OWN), manner(20, 1));
    let mut made = 0;
    support::run_until(&mut apply, &mut ground, |_, _, event| {
        made += usize::from(matches!(event.news, ApplyNews::Made(_)));
        made == 0
    });
    assert!(really(&ground, "Mix").enabled && !really(&ground, "In A").enabled);
    let after = seen(&mut ground, &sheet);
    let rest = planned(&sheet, &after);
    let names: Vec<_> = rest.changes.iter().filter_map(|change| change.planned_as.as_deref()).collect();
    assert!(names.contains(&"hall-amp/In A") && !names.contains(&"hall-box/Mix"), "{names:?}");
    let (outcomes, _) = applied(&mut ground, &rest);
    assert!(outcomes.iter().all(|(_, outcome)| *outcome == Outcome::Done), "{outcomes:?}");
    assert_eq!(compared(&sheet, &seen(&mut ground, &sheet)).tally(), (3, 3));
}

/// A device that is locked is neither asked nor told; where only one sort of settings is meant, the others stay.
#[test]
fn what_is_locked_or_not_meant_is_left_alone() {
    let mut ground = ground(&scene("", ""), 0.0, 1);
    let text = sheet(MAP)
        .text()
        .replace("range = \"10.40.0.0/16\"", "range = \"10.40.0.0/16\"\nlocked_devices = [\"02:4d:42:00:60:02\"]");
    let locked = RigSheet::parse(&text).unwrap();
    let seen_locked = seen(&mut ground, &locked);
    assert!(seen_locked.0.patch_points().iter().all(|point| point.unit.address == Ipv4Addr::new(10, 40, 6, 1)));
    let (outcomes, _) = applied(&mut ground, &planned(&locked, &seen_locked));
    assert_eq!(outcomes.len(), 1, "{outcomes:?}");
    assert!(!really(&ground, "In A").enabled);
    let sheet = sheet(MAP);
    let seen = seen(&mut ground, &sheet);
    let (seats, subnets) = ([seat()], [seat().subnet]);
    let everybody = Everybody { devices: &seen.1, asked_in: &subnets, own: &[GUEST], leases: &[] };
    let comparison = compare_all(&sheet, &seen.0, everybody);
    let protection =
        Protection { devices: &seen.1, own: &[GUEST], ..support::protection(&seen.0, Some(&sheet), &seats) };
    let of = |part: Part| {
        let plan = plan_rig(&comparison, None, Some(&compared(&sheet, &seen)), &protection, &part);
        plan.changes.iter().filter_map(|change| change.planned_as.clone()).collect::<Vec<_>>()
    };
    assert_eq!(of(Part { only: vec![Aspect::Names], ..Part::default() }), [""; 0]);
    assert_eq!(
        of(Part { only: vec![Aspect::Streams], ..Part::default() }),
        ["hall-amp/In A", "hall-amp/Speakers"]
    );
    assert_eq!(of(Part { nodes: vec!["hall-box".parse().unwrap()], ..Part::default() }), [""; 0]);
    assert_eq!(of(Part { nodes: vec!["mix".parse().unwrap()], ..Part::default() }), ["hall-amp/In A"]);
}

const HABITS: &[&str] = &[
    "locked",
    "locked-twice",
    "fails",
    "fails-and-takes",
    "answers-late",
    "schedules",
    "ignores",
    "first-leg-only",
    "wants-file",
    "refuses-file",
    "stays-off",
    "no-file",
    "never-answers",
    "closed",
    "patched-elsewhere",
    "contradicts-itself",
];

/// A rig by chance: nodes of all habits, each with a sender and two receivers, and who is to receive from whom.
fn rig_by_chance(dice: &mut Dice) -> (String, String) {
    let count = 2 + dice.below(4);
    let (mut devices, mut nodes, mut streams) = (String::new(), String::new(), String::new());
    for i in 0..count {
        devices += &format!(
            "[[device]]\nname = \"box-{i}\"\nmac = \"02:4d:42:00:63:{i:02x}\"\naddress = \"10.40.6.{i}\"\n\
             nmos = {{ label = \"Box {i}\", takes_ms = {}, senders = [{{ label = \"Out {i}\", to = [\"239.1.1.{i}:5004\"] }}], \
             receivers = [{{ label = \"A{i}\", legs = {} }}, {{ label = \"B{i}\" }}], quirks = [{}] }}\n",
            dice.below(2) * dice.below(3000),
            1 + dice.below(2),
            dice.quirk(HABITS)
        );
        nodes += &format!(
            "[[node]]\nname = \"box-{i}\"\nmac = \"02:4d:42:00:63:{i:02x}\"\naddress = \"10.40.6.{i}\"\n"
        );
        let to: Vec<String> = (0..count)
            .filter(|other| (other + i) % 3 != 0)
            .map(|other| format!("\"box-{other}/{}{other}\"", if i == other % count { "A" } else { "B" }))
            .filter(|end| !streams.contains(end.as_str()))
            .collect();
        streams += &format!(
            "[[stream]]\nname = \"s{i}\"\ncarries = \"audio\"\nfrom = \"box-{i}\"\nto = [{}]\ngroup = \"239.69.3.{i}:5004\"\n",
            to.join(", ")
        );
    }
    let head = "[rig]\nname = \"chance\"\n[[network]]\nname = \"sound\"\nrange = \"10.40.0.0/16\"\n";
    (devices, format!("{head}{nodes}{streams}"))
}

/// Whatever the devices do and the wire loses: what is called done is done, what a look calls as planned is, and nobody is patched to
/// anything that the sheet does not say.
#[test]
fn rigs_by_chance_are_what_is_said_of_them() {
    let (mut done, mut passed) = (0, 0);
    for seed in 0..100 {
        let dice = &mut Dice::new(seed);
        let (devices, text) = rig_by_chance(dice);
        let loss = f64::from(dice.below(20)) / 100.0;
        let sheet = RigSheet::parse(&text).unwrap_or_else(|errors| panic!("seed {seed}: {errors}"));
        let mut ground = ground(&devices, loss, seed);
        let before = seen(&mut ground, &sheet);
        let plan = planned(&sheet, &before);
        let mut apply = Apply::new(&plan, support::with_frames(OWN), manner(12, 8));
        run(&mut apply, &mut ground);
        wait(&mut ground, Duration::from_secs(60));
        let truths: Vec<PatchTruth> = ground.devices().iter().flat_map(SimDevice::patches).collect();
        let of_id = |id: &str| truths.iter().find(|one| one.id == id).unwrap();
        for (change, made) in plan.changes.iter().zip(apply.made()) {
            let Some(made) = made.as_ref().filter(|made| made.outcome == Outcome::Done) else { continue };
            let truth = of_id(made.subject.patch_point().unwrap().unit.identity.raw());
            for difference in &change.differences {
                let is_so = match (difference.field, &difference.planned) {
                    (Field::Enabled, Value::Flag(on)) => truth.enabled == *on,
                    (Field::Group, Value::Group(group)) => truth.legs[0] == Some(*group),
                    (Field::Sender, Value::Patched(sender)) => truth.sender.as_deref() == Some(sender.id.raw()),
                    other => panic!("seed {seed}: {other:?}"),
                };
                assert!(is_so, "seed {seed}: {difference} of {truth:?}");
                done += 1;
            }
        }
        let after = seen(&mut ground, &sheet);
        for row in &compared(&sheet, &after).rows {
            let PatchState::Found(point, _) = &row.state else { continue };
            if row.verdict() == Some(Verdict::Pass) {
                let truth = of_id(point.unit.identity.raw());
                let stream = sheet.streams.iter().find(|stream| row.planned.stream() == Some(&stream.name.value));
                assert!(
                    truth.enabled && truth.legs[0] == stream.unwrap().fixed_group(),
                    "seed {seed}: {row:?} {truth:?}"
                );
                passed += 1;
            }
        }
        // Who was told anything was told what the sheet says of it.
        let groups: Vec<_> = sheet.streams.iter().map(SheetStream::fixed_group).collect();
        assert!(
            truths.iter().all(|one| one
                .legs
                .iter()
                .flatten()
                .all(|leg| groups.contains(&Some(*leg)) || leg.ip().octets()[1] == 1)),
            "seed {seed}: {truths:?}"
        );
    }
    assert!(done > 600 && passed > 200, "{done} {passed}");
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
