//! Fixtures behind gateways: what `survey` says of them, held against what hangs there.

use std::collections::BTreeMap;

use lantern_core::sheet::{RigSheet, WantedMode};
use lantern_sim::{NIGHT, NIGHT_MENDED_SHEET, Scene, SimNode};
use rstest::rstest;
use serde_json::Value;

#[cfg(unix)]
use crate::support::terminal::AtTerminal;
use crate::support::{Rig, alone};

/// Start address, mode and label of every unit of the night behind a gateway that is on, by identifier.
fn hanging() -> BTreeMap<String, (u64, u64, String)> {
    let nodes = Scene::parse(NIGHT).unwrap().nodes();
    let of_node = |node: &SimNode| {
        let each = node.fixtures().map(|(_, unit)| unit.truth().clone());
        each.map(|so| (so.uid.to_string(), (so.start_address.into(), so.mode.into(), so.label)))
            .collect::<Vec<_>>()
    };
    nodes.iter().filter(|node| node.is_listening()).flat_map(of_node).collect()
}

fn told(fixture: &Value) -> (String, (u64, u64, String)) {
    let fact = |name: &str| &fixture["facts"]["told"][name];
    let number = |name: &str| fact(name).as_u64().unwrap_or(0);
    let label = fact("label").as_str().unwrap_or("").to_owned();
    (fixture["uid"].as_str().unwrap().to_owned(), (number("start address"), number("mode"), label))
}

#[test]
fn every_fixture_of_the_night_is_read_as_it_is() {
    let rig = Rig::with(&Scene::parse(NIGHT).unwrap());
    let said = rig.run_here(&["survey", "--fixtures", "--json"]).json();
    let found: BTreeMap<_, _> = said["fixtures"].as_array().unwrap().iter().map(told).collect();
    let so = hanging();
    assert_eq!(found.len(), so.len());
    let wrong: Vec<_> = so.iter().filter(|(uid, one)| found.get(*uid) != Some(one)).collect();
    assert!(wrong.is_empty(), "{wrong:?}");
    let text = rig.run_here(&["survey", "--fixtures=universe"]);
    let row = text.line(&["mast-spot-2"]);
    assert!(
        row.starts_with("quay-north 1") && row.contains("109 to 142") && row.contains("7ff0:00000012"),
        "{row}"
    );
    let saved = rig.run_here(&["survey", "--fixtures", "--save", "night.census.json"]);
    assert!(saved.out.contains(&format!("{} fixtures behind 18 gateways", found.len())), "{}", saved.out);
    rig.run_here(&["survey", "--record", "night.pcapng"]);
    let heard = rig.run(&["survey", "--capture", "night.pcapng", "--json"]).json();
    assert_eq!(heard["fixtures"].as_array().unwrap().len(), found.len(), "who only listens counts them too");
    let diff = rig.run(&["census", "diff", "night.census.json", "night.census.json"]).ended(0);
    assert!(diff.out.contains("0 changed"), "a census with fixtures is read back: {}", diff.out);
}

/// Counting puts nothing on the cables: nobody tells what it is. Asked for one way or one unit, nobody is counted either.
#[rstest]
#[case::counted(&["survey", "--json"], true)]
#[case::by_art_net_alone(&["survey", "--only", "art-net", "--json"], false)]
#[case::one_unit(&["survey", "--mac", "02:4d:42:00:10:01", "--json"], false)]
fn a_plain_survey_only_counts_them(#[case] arguments: &[&str], #[case] counts: bool) {
    let rig = Rig::with(&Scene::parse(NIGHT).unwrap());
    let said = rig.run_here(arguments).json();
    let found = said["fixtures"].as_array().unwrap();
    assert_eq!(found.len(), if counts { hanging().len() } else { 0 });
    let facts = found.iter().map(|one| one["facts"]["told"].as_object().unwrap().len()).sum::<usize>();
    assert_eq!(facts, 0);
}

/// What a fixture calls itself reaches no terminal as it is.
#[test]
fn a_hostile_label_is_harmless_and_nobody_behind_a_gateway_is_said_so() {
    let node = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\n\
                mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\npages = [{ out = [0, 1, 2, 3] }]\n";
    let unit = "[[fixture]]\nbehind = \"quay-north\"\nport = 2\nuid = \"7ff0:00000001\"\nlabel = \"\\u001b[2Jred\"\n\
                model = \"Wash\"\nmodes = [{ name = \"plain\", footprint = 4 }]\n";
    let rig = Rig::with(&Scene::parse(&format!("{node}{unit}")).unwrap());
    let said = rig.run_here(&["survey", "--fixtures"]);
    assert!(!said.out.contains('\u{1b}') && said.line(&["quay-north 2", "7ff0:00000001"]).contains("\\x1b[2Jred"));
    let bare = Rig::with(&Scene::parse(node).unwrap());
    assert!(bare.run_here(&["survey", "--fixtures"]).out.contains("no gateway has a fixture in its tables"));
}

/// Of 211 planned fixtures exactly those are called different that are, each for what it is, and those behind a gateway that is
/// off are not called missing.
#[test]
fn three_fixtures_of_the_night_are_not_as_planned() {
    let rig = Rig::with(&Scene::parse(NIGHT).unwrap());
    rig.write_sheet("night.rig.toml", NIGHT_MENDED_SHEET);
    let said = rig.run(&["check", "night.rig.toml", "--fixtures"]).ended(1);
    assert!(said.line(&["mast-wash-3", "different"]).contains("start address is 1, planned 29"));
    assert!(said.line(&["mast-spot-2", "different"]).contains("footprint is 34, planned 24"));
    assert!(said.line(&["rail-wash-8", "different"]).contains("cable is quay-north 4, planned quay-north 3"));
    let sentence = said.line(&["fixtures as planned"]);
    assert_eq!(sentence, "202 of 211 fixtures as planned; 6 behind gateways that do not answer");
    let json = rig.run(&["check", "night.rig.toml", "--fixtures", "--json"]).ended(1).json();
    let of = |state: &str| json["fixtures"].as_array().unwrap().iter().filter(|one| one["state"] == state).count();
    assert_eq!(["as planned", "different", "not asked", "missing"].map(of), [202, 3, 6, 0]);
    let codes = |code: &str| json["findings"].as_array().unwrap().iter().filter(|one| one["code"] == code).count();
    assert_eq!(["R017", "R018", "R019"].map(codes), [0, 3, 0]);
    let without = rig.run(&["check", "night.rig.toml", "--json"]).json();
    assert!(without["fixtures"].is_null(), "nobody asked");
}

/// Three gateways that tell nothing of who hangs there, each for a reason of its own: nobody is called missing, and what is advised
/// helps.
#[test]
fn a_gateway_that_tells_nothing_is_what_is_wrong_and_not_its_fixtures() {
    let node = |name: &str, mac: u8, net: u8, more: &str| {
        format!(
            "[[node]]\nname = \"{name}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:{mac:02x}\"\n\
             address = \"10.40.1.10{mac}\"\npages = [{{ net = {net}, out = [0, 1, 2, 3] }}]\n{more}\n"
        )
    };
    let unit = |behind: &str, number: u8| {
        format!(
            "[[fixture]]\nbehind = \"{behind}\"\nport = 1\nuid = \"7ff0:0000000{number}\"\nlabel = \"{behind}-wash\"\n\
             model = \"Wash\"\nmodes = [{{ name = \"plain\", footprint = 4 }}]\n"
        )
    };
    let nodes = [
        node("quay-north", 1, 0, ""),
        node("quay-east", 2, 1, "quirks = [\"tells-no-tables\"]"),
        node("quay-west", 3, 2, ""),
    ];
    let scene =
        format!("network = \"10.40.0.0\"\n{}{}{}", nodes.concat(), unit("quay-north", 1), unit("quay-east", 2));
    let rig = Rig::with(&Scene::parse(&scene).unwrap());
    let planned = |name: &str, mac: u8, net: u8| {
        format!(
            "[[node]]\nname = \"{name}\"\nmac = \"02:4d:42:00:10:{mac:02x}\"\naddress = \"10.40.1.10{mac}\"\n\
             port = [{{ port = 1, out = \"{net}:0:0\" }}]\n[[fixture]]\nname = \"{name}-wash\"\non = \"{net}:0:0\"\nslot = 1\n\
             footprint = 4\n"
        )
    };
    let nodes = [planned("quay-north", 1, 0), planned("quay-east", 2, 1), planned("quay-west", 3, 2)].concat();
    let network = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n";
    rig.write_sheet("t.rig.toml", &format!("{network}{nodes}"));
    let states = |said: &Value| {
        let of = |one: &Value| one["state"].as_str().unwrap().to_owned();
        said["fixtures"].as_array().unwrap().iter().map(of).collect::<Vec<_>>()
    };
    let check = ["check", "t.rig.toml", "--fixtures"];
    let json = rig.run(&[&check[..], &["--json"]].concat()).json();
    assert_eq!(states(&json), ["as planned", "not told", "not told"]);
    let said = rig.run(&check);
    assert!(said.line(&["R031"]).contains("quay-east did not tell who hangs on port 1"), "{}", said.out);
    assert!(
        said.out.contains("quay-west does no RDM: nothing is known of 1 fixture of the sheet"),
        "{}",
        said.out
    );
    assert!(
        said.out.contains("1 of 3 fixtures as planned; 2 of which their gateway told nothing"),
        "{}",
        said.out
    );

    rig.run(&["set", "quay-north", "--port", "1", "--rdm", "off", "--sheet", "t.rig.toml", "--yes"]).ended(0);
    let json = rig.run(&[&check[..], &["--json"]].concat()).json();
    assert_eq!(states(&json), ["not told"; 3]);
    let off = rig.run(&check);
    assert!(off.out.contains("RDM is off at quay-north 1"), "{}", off.out);
    let advice = "set quay-north --port 1 --rdm on";
    assert!(off.out.contains(advice), "{}", off.out);
    let dry = rig.run(&["apply", "t.rig.toml", "--fixtures", "--dry-run"]);
    assert!(
        dry.out.contains("quay-east did not tell who hangs on port 1") && !dry.out.contains("its cable"),
        "{}",
        dry.out
    );
    let order: Vec<&str> = advice.split(' ').chain(["--sheet", "t.rig.toml", "--yes"]).collect();
    rig.run(&order).ended(0);
    let json = rig.run(&[&check[..], &["--json"]].concat()).json();
    assert_eq!(states(&json), ["as planned", "not told", "not told"]);
}

/// All three are set and proven: two by messages, the third by a person's hands, led and looked at; nothing else is touched. Taking it
/// back leads the hands back as well, and makes everybody as before.
#[cfg(unix)]
#[test]
fn fixtures_are_set_by_the_sheet_and_taken_back() {
    // Two hundred fixtures answer within the time that a look takes only where somebody lets them.
    let _alone = alone();
    let rig = Rig::with(&Scene::parse(NIGHT).unwrap());
    rig.write_sheet("night.rig.toml", NIGHT_MENDED_SHEET);
    // A cable has no order.
    let world = |rig: &Rig| {
        let (mut fixtures, mut hanging) = (rig.ground.fixtures(), rig.ground.hanging());
        fixtures.sort_unstable_by_key(|one| one.uid);
        hanging.sort_unstable();
        (fixtures, hanging, rig.ground.truth())
    };
    let before = world(&rig);
    let cable = |rig: &Rig| {
        let all = rig.ground.hanging();
        all.into_iter().find(|(label, ..)| label == "rail-wash-8").map(|(_, node, port)| (node, port)).unwrap()
    };
    let at = |port| ("quay-north".to_owned(), port);
    assert_eq!(cable(&rig), at(4));
    let sheet = ["night.rig.toml", "--fixtures", "--node", "mast-*", "--node", "rail-*"];
    let dry = rig.run(&[&["apply"][..], &sheet, &["--dry-run"]].concat());
    assert!(dry.out.contains("footprint      34    24"), "{}", dry.out);
    assert!(
        dry.out.contains("left alone rail-wash-8: cable is quay-north 4, planned quay-north 3"),
        "{}",
        dry.out
    );
    assert!(world(&rig) == before, "a dry run sets nothing");
    let mut person = AtTerminal::start(&rig, &[&["apply"][..], &sheet, &["--guided"]].concat());
    person.sees("start address");
    person.sees("by hand  rail-wash-8: it hangs on quay-north 4; plug into quay-north 3");
    person.sees("are searched anew");
    // Said and not done: it is not believed.
    person.types("");
    person.sees("not there  rail-wash-8 is not found on quay-north 3");
    person.sees("by hand  rail-wash-8");
    assert!(rig.ground.replug("rail-wash-8", "quay-north", 3));
    person.types("");
    person.sees("done  rail-wash-8 hangs on quay-north 3");
    person.sees("all that was meant is as the sheet says");
    person.ends(0);
    assert!((cable(&rig), rig.ground.truth()) == (at(3), before.2.clone()));
    let set = world(&rig).0.into_iter().zip(&before.0).filter(|(now, then)| now != *then);
    let set: Vec<(String, u16, u8)> =
        set.map(|(now, _)| (now.uid.to_string(), now.start_address, now.mode)).collect();
    assert_eq!(set, [("7ff0:00000003".into(), 29, 1), ("7ff0:00000012".into(), 109, 1)]);
    let check = rig.run(&["check", "night.rig.toml", "--fixtures"]);
    assert_eq!(
        check.line(&["fixtures as planned"]),
        "204 of 211 fixtures as planned; 6 behind gateways that do not answer",
        "one is too hot"
    );
    let log = rig.run(&["logbook", "show", "--sheet", "night.rig.toml"]).ended(0);
    assert!(!log.line(&["rail-wash-8", "cable quay-north", "confirmed"]).is_empty());
    assert!(!log.line(&["mast-spot-2", "footprint 34 to", "confirmed"]).is_empty());

    // By messages alone it is not taken back whole, and says so.
    let mut person = AtTerminal::start(&rig, &["undo", "--sheet", "night.rig.toml", "--guided"]);
    person.sees("left alone rail-wash-8");
    person.sees("Change 2 nodes now?");
    person.types("y");
    person.sees("by hand  rail-wash-8");
    assert!(rig.ground.replug("rail-wash-8", "quay-north", 4));
    person.types("");
    person.sees("done  rail-wash-8");
    person.ends(0);
    assert!(world(&rig) == before);
    let said = rig.run(&["undo", "--sheet", "night.rig.toml", "--dry-run"]);
    assert!(said.notes.contains("nothing to undo") || said.code != 0, "{}{}", said.out, said.notes);
}

/// Named by its identifier, its label, or as the sheet calls it; what is said of it is so.
#[rstest]
#[case::identifier("7ff0:00000003", "--start-address=29", "start address  1     29")]
#[case::name("MAST-WASH-3", "--label=Mast three", "label  mast-wash-3  Mast three")]
#[case::mode("7ff0:00000003", "--mode=9", "does not take its mode: the value is out of its range")]
#[case::words("mast-wash-3", "--mode=Spot", "no mode is called Spot; it has 1 ")]
#[case::beyond("mast-wash-3", "--start-address=512", "would take the slots 512 to 525")]
fn one_fixture_is_set(#[case] who: &str, #[case] what: &str, #[case] said: &str) {
    let rig = Rig::with(&Scene::parse(NIGHT).unwrap());
    rig.write_sheet("night.rig.toml", NIGHT_MENDED_SHEET);
    let before = rig.ground.fixtures();
    let ran = rig.run(&["set", who, what, "--sheet", "night.rig.toml", "--yes", "--restart", "3"]);
    assert!(format!("{}{}", ran.out, ran.notes).contains(said), "{}{}", ran.out, ran.notes);
    let after = rig.ground.fixtures();
    let changed: Vec<_> =
        after.iter().zip(&before).filter(|(now, then)| now != then).map(|(now, _)| now).collect();
    match &changed[..] {
        [] => assert_ne!(ran.code, 0, "{}", ran.out),
        [one] => {
            assert_eq!((ran.code, one.uid.to_string().as_str()), (0, "7ff0:00000003"));
            let expected = what.split_once('=').unwrap().1;
            assert!([one.label.clone(), one.start_address.to_string()].iter().any(|so| so == expected));
        }
        many => panic!("{many:?}"),
    }
}

#[test]
fn a_fixture_flashes_and_ends_dark() {
    let rig = Rig::with(&Scene::parse(NIGHT).unwrap());
    let said = rig.run_here(&["identify", "7ff0:00000003", "--for", "1s"]).ended(0);
    assert!(said.out.contains("flashes  mast-wash-3 (7ff0:00000003)"), "{}", said.out);
    assert!(rig.ground.fixtures().iter().all(|one| !one.identifies));
}

/// How they are: shown, kept in a census, and written as a table for the workshop.
#[test]
fn how_fixtures_are_is_told_to_the_workshop() {
    let rig = Rig::with(&Scene::parse(NIGHT).unwrap());
    rig.write_sheet("night.rig.toml", NIGHT_MENDED_SHEET);
    let said = rig.run_here(&["survey", "--fixtures=upkeep", "--save", "night.census.json"]);
    assert!(said.line(&["mast-spot-2", "4790", "733"]).contains("head 78"), "{}", said.out);
    rig.run(&[
        "sheet",
        "export",
        "fixtures",
        "night.rig.toml",
        "--facts",
        "night.census.json",
        "--to",
        "shop.csv",
    ])
    .ended(0);
    let table = rig.folder.read("shop.csv");
    assert_eq!(table.lines().count(), 212, "a heading and a row for each");
    let spot = table.lines().find(|line| line.starts_with("mast-spot-2,")).unwrap();
    let so = "mast-spot-2,0:0:0,109,7ff0:00000012,mast-spot-2,Tidelight Spot,1.4.2,4790,1199,733,340,";
    assert!(spot.starts_with(so) && spot.contains("it is too hot"), "{spot}");
    let check = rig.run(&["check", "night.rig.toml", "--fixtures"]).ended(1);
    assert!(check.out.contains("head 78 °C") && check.out.contains("415 damaged messages"), "{}", check.out);
    let json = rig.run(&["check", "night.rig.toml", "--fixtures", "--json"]).json();
    let codes = |code: &str| json["findings"].as_array().unwrap().iter().filter(|one| one["code"] == code).count();
    assert_eq!(["R020", "R021", "R022", "R023"].map(codes), [1, 0, 1, 1]);
    let not_so = rig.run(&["sheet", "export", "nodes", "night.rig.toml", "--facts", "night.census.json"]).ended(2);
    assert!(not_so.notes.contains("--facts is what fixtures told"), "{}", not_so.notes);
}

/// Questions and answers stand in the recording as they were on the wire, each readable by itself.
#[test]
fn what_was_said_to_fixtures_is_recorded() {
    let rig = Rig::with(&Scene::parse(NIGHT).unwrap());
    rig.run_here(&["survey", "--fixtures", "--record", "night.pcapng"]);
    let file = std::fs::read(rig.folder.path("night.pcapng")).unwrap();
    // Behind the head of 24 bytes stands the message without its start code (E1.20, section 6.2): length at 1, class at 19.
    let heads = file.windows(12).enumerate().filter(|(_, bytes)| bytes.starts_with(b"Art-Net\0\x00\x83"));
    let messages: Vec<&[u8]> = heads.map(|(at, _)| &file[at + 24..]).collect();
    for message in &messages {
        let length = usize::from(message[1]);
        let sum = message[..length - 1].iter().fold(0xcc_u16, |sum, byte| sum + u16::from(*byte));
        assert_eq!(message[length - 1..=length], sum.to_be_bytes(), "its checksum");
    }
    let of = |class: u8| messages.iter().filter(|message| message[19] == class).count();
    let least = 5 * hanging().len();
    assert!(of(0x20) >= least && of(0x21) >= least, "{} questions, {} answers", of(0x20), of(0x21));
    assert_eq!(of(0x20) + of(0x21), messages.len(), "nothing was told to take anything");
}

/// What a new search means for a running show is said before it is begun, and without a yes nothing is sent.
#[test]
fn a_new_search_is_asked_for_and_finds_what_was_plugged_in_later() {
    let node = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\n\
                mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\npages = [{ out = [0, 1, 2, 3] }]\n";
    let unit = |number: u32, quirks: &str| {
        format!(
            "[[fixture]]\nbehind = \"quay-north\"\nport = 2\nuid = \"7ff0:{number:08x}\"\nmodel = \"Wash\"\n{quirks}\n\
             modes = [{{ name = \"plain\", footprint = 4 }}]\n"
        )
    };
    let scene = format!("{node}{}{}", unit(1, ""), unit(2, "quirks = [\"plugged-in-later\"]"));
    let rig = Rig::with(&Scene::parse(&scene).unwrap());
    let asked = rig.run_here(&["survey", "--fixtures", "--rediscover"]).ended(2);
    assert!(asked.notes.contains("search every cable anew") && asked.notes.contains("--yes"), "{}", asked.notes);
    let before = rig.run_here(&["survey", "--fixtures"]);
    assert!(!before.out.contains("7ff0:00000002"), "{}", before.out);
    let after = rig.run_here(&["survey", "--fixtures", "--rediscover", "--yes"]);
    assert!(after.out.contains("7ff0:00000001") && after.out.contains("7ff0:00000002"), "{}", after.out);
}

/// A sheet written from what was found says what hangs there, and a check by it finds every fixture as planned.
#[test]
fn a_sheet_from_a_survey_has_every_fixture_as_it_is() {
    let rig = Rig::with(&Scene::parse(NIGHT).unwrap());
    let guest = rig.ground.guest().to_string();
    rig.run(&["sheet", "new", "found.rig.toml", "--survey", "--fixtures", "--adapter", &guest]).ended(0);
    let sheet = RigSheet::parse(&rig.folder.read("found.rig.toml")).unwrap();
    let found: BTreeMap<String, (u64, u64, String)> = sheet
        .fixtures
        .iter()
        .map(|one| {
            let mode = match one.mode.as_ref().map(|mode| &mode.value) {
                Some(WantedMode::Number(number)) => u64::from(*number),
                _ => 0,
            };
            (one.uid(0).unwrap().to_string(), (one.slot_of(0).unwrap().into(), mode, one.name.value.clone()))
        })
        .collect();
    assert_eq!(found, hanging());
    let check = rig.run(&["check", "found.rig.toml", "--fixtures", "--json"]).json();
    let states = check["fixtures"].as_array().unwrap().iter().map(|one| one["state"].as_str().unwrap());
    let other: Vec<&str> = states.filter(|state| *state != "as planned").collect();
    assert!(other.is_empty(), "{other:?}");
}

/// One fixture with a few further settings: the lamp, the display, pan.
fn one_spot() -> Rig {
    let scene = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\n\
                 mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\npages = [{ out = [0, 1, 2, 3] }]\n\
                 [[fixture]]\nbehind = \"quay-north\"\nport = 1\nuid = \"7ff0:00000001\"\nlabel = \"rail-spot\"\n\
                 model = \"Spot\"\nmodes = [{ name = \"plain\", footprint = 24 }]\n\
                 settings = [[0x0600, 0], [0x0500, 0], [0x0403, 1]]\n";
    Rig::with(&Scene::parse(scene).unwrap())
}

/// Known by its label alone, what it can be told is known too.
#[test]
fn a_fixture_that_no_sheet_has_is_set_by_its_label() {
    let rig = one_spot();
    let said = rig.run_here(&["set", "rail-spot", "--lamp", "off", "--yes"]).ended(0);
    assert!(said.line(&["rail-spot", "lamp"]).contains("off"), "{}", said.out);
    assert_eq!(rig.ground.fixtures()[0].settings[&0x0403], [0]);
}

/// One fixture with everything it tells; a parameter of its maker's own is set in the form that it says, and taken back.
#[test]
fn a_fixture_is_shown_whole_and_its_own_parameters_are_set() {
    let rig = Rig::with(&Scene::parse(NIGHT).unwrap());
    rig.write_sheet("night.rig.toml", NIGHT_MENDED_SHEET);
    let so = || rig.ground.fixtures().into_iter().find(|one| one.uid.to_string() == "7ff0:00000012").unwrap();
    let before = so();
    let said = rig.run(&["show", "mast-spot-2", "--sheet", "night.rig.toml"]).ended(1);
    assert!(said.out.starts_with("mast-spot-2 (7ff0:00000012)  on quay-north 1, universe 0:0:0"), "{}", said.out);
    let footprint = said.line(&["footprint"]);
    assert!(footprint.contains("34") && footprint.contains("24"), "{footprint}");
    assert!(said.line(&["fail mode"]).contains("scene 0 after 2 s for ever at 255"), "{}", said.out);
    assert!(said.line(&["0x8001", "Fan curve"]).ends_with("0 to 3"), "{}", said.out);
    assert!(said.line(&["0x8010", "Filter hours", "420"]).contains("only read"), "{}", said.out);
    assert!(said.out.contains("on for 4790 h") && said.out.contains("it is too hot"), "{}", said.out);
    let json = rig.run(&["show", "7ff0:00000012", "--sheet", "night.rig.toml", "--json"]).json();
    assert_eq!(json["fixture"]["parameters"][0]["value"], "1");
    for (what, why) in [
        ("0x8001=9", "Fan curve is 0 to 3"),
        ("0x8010=9", "Filter hours can only be read"),
        ("0x8099=9", "tells no parameter 0x8099"),
        ("0x0600=1", "a number from 0x8000"),
    ] {
        let refused = rig.run(&["set", "mast-spot-2", "--parameter", what, "--sheet", "night.rig.toml", "--yes"]);
        assert!(refused.notes.contains(why) && refused.code == 2, "{}", refused.notes);
    }
    assert_eq!(so(), before);
    rig.run(&["set", "mast-spot-2", "--parameter", "0x8001=3", "--sheet", "night.rig.toml", "--yes"]).ended(0);
    assert_eq!(so().settings[&0x8001], [3]);
    rig.run(&["undo", "--sheet", "night.rig.toml", "--yes"]).ended(0);
    assert_eq!(so(), before);
}

/// Further settings by hand and by the sheet: named, set, proven, and taken back; a word that is none is refused with those there are.
#[test]
fn further_settings_of_a_fixture_are_set_and_taken_back() {
    let rig = one_spot();
    rig.write_sheet("rail.rig.toml", RAIL);
    let settings = || rig.ground.fixtures()[0].settings.values().flatten().copied().collect::<Vec<u8>>();
    // In the order of their numbers: the lamp, the display, pan.
    assert_eq!(settings(), [1, 0, 0]);
    let check = rig.run(&["check", "rail.rig.toml", "--fixtures"]).ended(1);
    assert!(check.line(&["rail-spot", "different"]).contains("pan invert is off, planned on"), "{}", check.out);
    rig.run(&["apply", "rail.rig.toml", "--fixtures", "--yes"]).ended(0);
    assert_eq!(settings(), [1, 2, 1]);
    let refused = rig.run_here(&["set", "rail-spot", "--lamp", "dim", "--yes"]).ended(2);
    assert!(refused.notes.contains("lamp is one of off, on, strike, standby"), "{}", refused.notes);
    let said = rig.run_here(&["set", "rail-spot", "--lamp", "off", "--pan-invert", "off", "--yes"]).ended(0);
    assert!(said.line(&["rail-spot", "pan invert"]).contains("off"), "{}", said.out);
    assert_eq!(settings(), [0, 2, 0]);
    rig.run(&["undo", "--yes"]).ended(0);
    rig.run(&["undo", "--yes"]).ended(0);
    assert_eq!(settings(), [1, 0, 0]);
    let refused = rig.run_here(&["set", "rail-spot", "--fail-mode", "dark", "--yes"]).ended(2);
    assert!(refused.notes.contains("fail mode is a scene like"), "{}", refused.notes);
}

/// Everything as from the factory, and back; a start anew changes nothing.
#[test]
fn a_fixture_is_as_from_the_factory_and_back() {
    let rig = one_spot();
    rig.write_sheet("rail.rig.toml", RAIL);
    let settings = || rig.ground.fixtures()[0].settings.values().flatten().copied().collect::<Vec<u8>>();
    rig.run(&["apply", "rail.rig.toml", "--fixtures", "--yes"]).ended(0);
    let so = rig.ground.fixtures()[0].clone();
    rig.run_here(&["set", "rail-spot", "--factory-defaults", "--yes"]).ended(0);
    let now = rig.ground.fixtures()[0].clone();
    assert_eq!((now.label.as_str(), now.start_address, settings()), ("", 1, vec![0, 0, 0]));
    rig.run(&["undo", "--yes"]).ended(0);
    assert_eq!(rig.ground.fixtures()[0].label, so.label);
    assert_eq!(settings()[1..], [2, 1], "the lamp is left as it is");
    let said = rig.run_here(&["set", "rail-spot", "--reset", "warm", "--yes", "--restart", "10"]).ended(1);
    assert!(said.out.contains("which did not tell its reset"), "no fixture does: {}", said.out);
    assert_eq!(rig.ground.fixtures()[0].restarts, 1);
}

const RAIL: &str = r#"[rig]
name = "Rail"

[[network]]
name = "light"
range = "10.40.0.0/16"

[[node]]
name = "quay-north"
mac = "02:4d:42:00:10:01"
address = "10.40.1.100"
port = [{ port = 1, out = "0:0:0" }]

[[fixture]]
name = "rail-spot"
on = "0:0:0"
slot = 1
footprint = 24
uid = "7ff0:00000001"
pan_invert = true
display_invert = "auto"
"#;
