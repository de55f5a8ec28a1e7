//! Gateways behind a broker: patched by the sheet, held against what their ports really are.

use std::time::Duration;

use lantern_sim::{BROKER, BROKER_SHEET, Scene};
use rstest::rstest;

use crate::support::Rig;

/// The gateway on the orlop deck and its broker, with these further lines of that.
fn rig(of_broker: &str) -> Rig {
    rig_in(&BROKER.replace(UID, &format!("{UID}\n{of_broker}")))
}

fn rig_in(scene: &str) -> Rig {
    let rig = Rig::with(&Scene::parse(scene).unwrap());
    rig.write_sheet("orlop.rig.toml", BROKER_SHEET);
    rig
}

const UID: &str = "uid = \"7ff0:00b00001\"";

/// Universe, direction (1 in, 2 out) and label of each port as it is.
fn so(rig: &Rig) -> Vec<(u16, u8, String)> {
    rig.ground.endpoints().into_iter().map(|port| (port.universe, port.mode, port.label)).collect()
}

fn as_planned() -> Vec<(u16, u8, String)> {
    let label = |number| if number == 101 { "Orlop rail".to_owned() } else { String::new() };
    (101..=108).map(|number| (number, if number == 108 { 1 } else { 2 }, label(number))).collect()
}

/// Eight ports through the broker: found, compared, patched, proven, shown, kept, and taken back.
#[test]
fn a_gateway_is_patched_by_the_sheet_and_taken_back() {
    let rig = rig("");
    let before = so(&rig);
    let check = rig.run(&["check", "orlop.rig.toml"]).ended(1);
    assert!(check.out.contains("port 1 universe is sacn 9, planned sacn 101"), "{}", check.out);
    assert!(check.out.contains("port 8 universe is none, planned sacn 108"), "{}", check.out);
    rig.run(&["apply", "orlop.rig.toml", "--dry-run"]).ended(0);
    assert_eq!(so(&rig), before, "a dry run sets nothing");
    let said = rig.run(&["apply", "orlop.rig.toml", "--yes"]).ended(0);
    assert!(said.line(&["orlop-eight", "port 1 universe"]).contains("by RDMnet"), "{}", said.out);
    assert_eq!(so(&rig), as_planned());
    rig.run(&["check", "orlop.rig.toml"]).ended(0);
    let shown = rig.run(&["show", "orlop-eight", "--sheet", "orlop.rig.toml"]).ended(0);
    assert!(shown.line(&["1", "Orlop rail"]).contains("out sACN"), "{}", shown.out);
    assert!(shown.line(&["8", "in sACN"]).contains("sacn 108"), "{}", shown.out);
    rig.run_here(&["keep", "save", "orlop-eight"]).ended(0);
    assert!(rig.folder.read("orlop-eight.keep.toml").contains("universe = \"sacn 108\""));
    rig.run(&["undo", "--yes"]).ended(0);
    assert_eq!(so(&rig), before);
    // And from the file again.
    rig.run_here(&["keep", "diff", "orlop-eight.keep.toml"]).ended(1);
    rig.run_here(&["keep", "put", "orlop-eight.keep.toml", "--yes"]).ended(0);
    assert_eq!(so(&rig), as_planned());
}

/// Longer than the run waits for its broker, also on a slow machine.
const AWAY: Duration = Duration::from_secs(15);

/// A broker that stays away is given up, with what was patched and what was not; when it is back, the same run is gone on with.
#[test]
fn a_run_whose_broker_is_lost_is_gone_on_with() {
    let rig = rig(&format!("hangs_up_after_orders = 4\naway_ms = {}", AWAY.as_millis()));
    let said = rig.run(&["apply", "orlop.rig.toml", "--restart", "3", "--yes"]).ended(3);
    assert!(said.notes.contains("is lost, it closed the connection: looking for it"), "{}", said.notes);
    let half = so(&rig);
    assert!(half != as_planned() && half[0].0 == 101, "{half:?}");
    std::thread::sleep(AWAY);
    rig.run(&["apply", "orlop.rig.toml", "--resume", "--yes"]).ended(0);
    assert_eq!(so(&rig), as_planned());
    rig.run(&["check", "orlop.rig.toml"]).ended(0);
}

/// What another controller patches meanwhile is told, by whom; here it patches what was just patched, and the sheet has the last word.
#[test]
fn what_another_controller_does_meanwhile_is_told() {
    let meddler = "[device.broker.meddler]\nuid = \"4d42:00000009\"\nafter = 4\ngateway = \"7ff0:00a00008\"\n\
                   endpoint = 2\nuniverse = 999\n";
    let rig = rig(meddler);
    let said = rig.run(&["apply", "orlop.rig.toml", "--yes"]).ended(0);
    let told = "another controller, 4d42:00000009, has meanwhile set port 2 universe to sacn 999";
    assert!(said.notes.contains(told), "{}", said.notes);
    assert_eq!(so(&rig), as_planned());
}

/// A gateway of which nothing is known but what its broker says is a device all the same: it has a row, and can be patched.
#[test]
fn a_gateway_without_a_place_has_a_row() {
    let (alone, _) = BROKER.rsplit_once("[[device]]").unwrap();
    let rig = rig_in(alone);
    let said = rig.run_here(&["survey"]).ended(0);
    assert!(said.line(&["orlop-eight", "RDMnet"]).ends_with("answers"), "{}", said.out);
    // That all its ports are on one universe is told as of any node, with what mends it.
    assert!(said.line(&["W004"]).contains("sacn 9 (orlop-eight"), "{}", said.out);
    let free = "deft-lantern set 7ff0:00a00008 --port 7 --universe 'sacn 10'";
    assert!(said.out.replace("\n           ", " ").contains(free), "{}", said.out);
    let json = rig.run_here(&["survey", "--json"]).json();
    let devices = json["devices"].as_array().unwrap();
    let row = devices.iter().find(|one| one["name"] == "orlop-eight").unwrap();
    assert_eq!((&row["address"], &row["mac"]), (&serde_json::Value::Null, &serde_json::Value::Null));
    rig.run_here(&["set", "orlop-eight", "--port", "1", "--universe", "sacn 55", "--yes"]).ended(0);
    assert_eq!(so(&rig)[0].0, 55);
}

/// One port of a gateway shows which one it is, and ends dark; an Art-Net node has only indicators of its own.
#[test]
fn one_port_flashes_and_ends_dark() {
    let rig = rig("");
    let before = rig.ground.endpoints();
    let said = rig.run_here(&["identify", "orlop-eight", "--port", "3", "--for", "1s"]).ended(0);
    assert!(said.line(&["flashes", "orlop-eight"]).contains("port 3"), "{}", said.out);
    assert!(!said.line(&["as before", "orlop-eight"]).is_empty(), "{}", said.out);
    assert_eq!(rig.ground.endpoints(), before);
    let refused = rig.run_here(&["identify", "orlop-eight", "--port", "12", "--for", "1s"]).ended(2);
    assert!(
        refused.out.contains("has no port 12") || refused.notes.contains("has no port 12"),
        "{}",
        refused.notes
    );
}

/// What makes no sense is refused before anything is sent, in words that say what would.
#[rstest]
#[case::lamp(&["--lamp", "on"], "is no fixture, and has no lamp")]
#[case::no_port(&["--port", "12", "--port-label", "Far rail"], "has no port 12, it states 8")]
#[case::no_scope(&["--scope", ""], "--scope")]
#[case::host_name(&["--host-name", "orlop 8"], "letters, digits and hyphens")]
#[case::broker(&["--broker", "10.40.0.20"], "an address with its port")]
fn what_makes_no_sense_is_refused(#[case] wish: &[&str], #[case] said: &str) {
    let rig = rig("");
    let before = so(&rig);
    let answer = rig.run_here(&[&["set", "orlop-eight", "--yes"], wish].concat()).ended(2);
    assert!(answer.out.contains(said) || answer.notes.contains(said), "{}{}", answer.out, answer.notes);
    assert_eq!(so(&rig), before);
}

/// A gateway says what it wants of itself: nothing of it reaches a terminal as it is.
#[test]
fn a_hostile_label_behind_a_broker_is_harmless() {
    let rig = rig("");
    rig.run_here(&["set", "orlop-eight", "--port", "3", "--port-label", "\u{1b}[2Jred", "--yes"]).ended(0);
    assert_eq!(so(&rig)[2].2, "\u{1b}[2Jred");
    let shown = rig.run_here(&["show", "orlop-eight"]);
    assert!(!shown.out.contains('\u{1b}') && shown.out.contains("\\x1b[2Jred"), "{}", shown.out);
}

/// Where nobody tells of brokers, a gateway is told its own by LLRP, and is patched through that then; its host name goes with it.
#[test]
fn a_gateway_is_told_its_broker_where_none_is_found() {
    let (before, service) = BROKER.split_once("[[device.services]]").unwrap();
    let (_, after) = service.split_once("[device.broker]").unwrap();
    let rig = rig_in(&format!("{before}[device.broker]{after}"));
    let broker = format!("{}:8888", rig.address(0, 20));
    rig.run_here(&["set", "orlop-eight", "--port", "1", "--universe", "sacn 7", "--yes"]).ended(2);
    let names = ["--host-name", "orlop-8", "--name-server", "10.40.0.3", "--broker", &broker, "--yes"];
    let said = rig.run_here(&[&["set", "orlop-eight"][..], &names].concat()).ended(0);
    assert!(said.line(&["broker", "looked for"]).contains(&broker), "{}", said.out);
    let shown = rig.run_here(&["show", "orlop-eight"]);
    for parts in [["host name", "orlop-8"], ["name server", "10.40.0.3"], ["1", "sacn 9"]] {
        shown.line(&parts);
    }
    rig.run_here(&["set", "orlop-eight", "--port", "1", "--universe", "sacn 7", "--yes"]).ended(0);
    assert_eq!(so(&rig)[0].0, 7);
    rig.run(&["undo", "--yes"]).ended(0);
    rig.run(&["undo", "--yes"]).ended(0);
    assert!(rig.run_here(&["show", "orlop-eight"]).line(&["broker"]).contains("looked for"));
}
