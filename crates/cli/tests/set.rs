//! `set` on simulated nodes: one node, with care.

use lantern_sim::{Scene, TIDEWICK};
use rstest::rstest;
use serde_json::Value;

use crate::support::{Folder, Rig};

const NORTH: &str = "02:4d:42:00:10:01";

#[test]
fn a_moved_node_is_found_at_its_new_address_under_the_same_mac() {
    let rig = Rig::tidewick();
    let to = rig.address(1, 150);
    let said = rig.run(&["set", "quay-north", "--address", &to, "--yes"]).ended(0);
    let row = said.line(&["quay-north", "address"]);
    assert!(row.contains(&rig.address(1, 100)) && row.contains(&to) && row.contains("asked for"), "{row}");
    said.line(&["done", "quay-north", &to, "read back"]);
    let node = rig.node(NORTH);
    assert_eq!((node["address"].as_str(), node["name"].as_str()), (Some(to.as_str()), Some("quay-north")));

    let log = rig.folder.read("tidewick.log.jsonl");
    let lines: Vec<Value> = log.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let records: Vec<&str> = lines.iter().map(|line| line["record"].as_str().unwrap()).collect();
    assert_eq!(records, ["begun", "planned", "step", "step", "ended"]);
    let stages: Vec<&str> = lines.iter().filter_map(|line| line["stage"].as_str()).collect();
    assert_eq!(stages, ["sending", "confirmed"]);
    assert_eq!(lines[1]["before"]["told"]["address"], rig.address(1, 100));
    assert_eq!(lines[2]["node"]["mac"], NORTH);
    assert_eq!(lines[2]["fields"][0]["found"], rig.address(1, 100));
    assert_eq!(lines[2]["fields"][0]["planned"], to);
    assert_eq!(lines[2]["at"], "2026-11-04T00:00:00Z");
}

#[test]
fn names_and_universes_are_set_and_read_back() {
    let rig = Rig::tidewick();
    let arguments = ["set", "02-4D-42-00-20-02", "--name", "hall-east", "--port", "2", "--universe", "desk 266"];
    let said = rig.run(&[&arguments[..], &["--yes", "--json"]].concat()).ended(0);
    let json = said.json();
    assert_eq!((&json["format"], &json["dry_run"]), (&1.into(), &false.into()));
    assert_eq!(json["nodes"][0]["result"], "confirmed");
    assert_eq!(json["nodes"][0]["changes"][1]["planned"], "1:0:9");
    let node = rig.node("02:4d:42:00:20:02");
    assert_eq!(node["name"], "hall-east");
    let universes: Vec<u64> =
        node["pages"][0]["ports"].as_array().unwrap().iter().map(|p| p["universe"].as_u64().unwrap()).collect();
    assert_eq!(universes, [260, 265, 262, 263]);
}

#[test]
fn an_address_already_taken_is_refused_and_nothing_sent() {
    let rig = Rig::tidewick();
    let taken = rig.address(1, 101);
    let said = rig.run(&["set", "quay-north", "--address", &taken, "--yes"]).ended(2);
    let expected = format!("{taken}, wanted for quay-north, is held by quay-south (02:4d:42:00:10:02)");
    assert!(said.notes.replace("\n             ", " ").contains(&expected), "{}", said.notes);
    assert!(said.notes.contains("nothing was sent to any node"), "{}", said.notes);
    assert!(!rig.folder.path("tidewick.log.jsonl").exists());
    assert_eq!(rig.node(NORTH)["address"], rig.address(1, 100));
}

#[rstest]
#[case::locked(9, 1, "A007")]
#[case::kept_free(0, 20, "A005")]
#[case::pool(250, 9, "A006")]
#[case::everybody(255, 255, "A004")]
#[case::our_own(0, 1, "C002")]
fn a_protected_address_is_refused(#[case] third: u8, #[case] fourth: u8, #[case] code: &str) {
    let rig = Rig::tidewick();
    let said = rig.run(&["set", "quay-north", "--address", &rig.address(third, fourth), "--yes"]).ended(2);
    assert!(said.notes.contains(&format!("error {code}")), "{}", said.notes);
    assert!(!rig.folder.path("tidewick.log.jsonl").exists());
}

#[test]
fn a_dry_run_shows_and_sends_nothing() {
    let rig = Rig::tidewick();
    let said = rig.run(&["set", "quay-north", "--name", "mast", "--dry-run"]).ended(0);
    said.line(&["quay-north", "name", "mast"]);
    assert!(said.notes.contains("dry run: nothing was changed"), "{}", said.notes);
    assert_eq!(rig.node(NORTH)["name"], "quay-north");
}

#[test]
fn without_a_terminal_and_without_yes_nothing_is_sent() {
    let rig = Rig::tidewick();
    let said = rig.run(&["set", "quay-north", "--name", "mast"]).ended(2);
    assert!(
        said.notes.contains("next: look at it with --dry-run, then say yes beforehand with --yes"),
        "{}",
        said.notes
    );
    assert_eq!(rig.node(NORTH)["name"], "quay-north");
}

#[test]
fn what_is_so_already_needs_no_change() {
    let rig = Rig::tidewick();
    rig.run(&["set", NORTH, "--name", "quay-north", "--yes"]).ended(0).line(&["nothing to change"]);
}

#[rstest]
#[case("hall-west", "2 nodes answer to \"hall-west\"", "say which one by its MAC address")]
#[case("quay-nort", "no node \"quay-nort\" answers", "did you mean \"quay-north\"?")]
#[case("zebra", "no node \"zebra\" answers", "see who answers with: deft-lantern survey")]
#[case("02:4d:42:00:99:99", "no node \"02:4d:42:00:99:99\" answers", "see who answers")]
fn whom_is_meant_must_be_clear(#[case] node: &str, #[case] error: &str, #[case] hint: &str) {
    let said = Rig::tidewick().run(&["set", node, "--name", "x", "--yes"]).ended(2);
    assert!(said.notes.contains(error) && said.notes.contains(hint), "{}", said.notes);
}

#[rstest]
#[case(&["set", "a"], "nothing to set: give at least one of")]
#[case(&["set", "a", "--port", "1", "--port", "2", "--universe", "0"], "2 times --port but 1 times --universe")]
#[case(&["set", "a", "--port", "1"], "1 times --port but 0 times --universe")]
#[case(&["set", "a", "--address", "10.40.1"], "invalid value '10.40.1' for '--address <ADDRESS>'")]
#[case(&["set", "a", "--mask", "255.0.255.0"], "255.0.255.0 is no subnet mask")]
#[case(&["set", "a", "--dhcp", "--address", "10.0.0.1"], "cannot be used with")]
#[case(&["set", "a", "--name", "b", "--dry-run", "--yes"], "cannot be used with")]
#[case(&["set"], "<NODE>")]
fn a_wrong_call_is_refused_before_anything_is_sent(#[case] arguments: &[&str], #[case] error: &str) {
    let said = Folder::new().run(arguments).ended(2);
    assert!(said.notes.contains(error), "{}", said.notes);
    assert!(said.out.is_empty());
}

#[test]
fn a_universe_that_does_not_exist_is_refused() {
    let said =
        Rig::tidewick().run(&["set", "quay-north", "--port", "1", "--universe", "0:16:0", "--yes"]).ended(2);
    assert!(
        said.notes.contains("\"0:16:0\" is no universe: sub is 16, but it runs from 0 to 15"),
        "{}",
        said.notes
    );
}

#[test]
fn one_that_refuses_is_told_and_written_down() {
    let scene = TIDEWICK.replacen("model = ", "refuses = true\nmodel = ", 1);
    let rig = Rig::with(&Scene::parse(&scene).unwrap());
    let said = rig.run_here(&["set", NORTH, "--name", "mast", "--yes", "--restart", "4"]).ended(3);
    said.line(&["refused", "quay-north", "keeps what it had: name is quay-north, planned mast"]);
    assert!(said.notes.contains(&format!("next: see what it says of itself: deft-lantern survey --mac {NORTH}")));
    let log = rig.folder.read("deft-lantern.log.jsonl");
    let last: Vec<&str> = log.lines().rev().take(2).collect();
    assert!(last[1].contains("\"stage\":\"refused\"") && last[0].contains("\"how\":\"unfinished\""), "{log}");
}

/// On loopback, where there are no frames, a target of LLRP is set as well.
#[test]
fn a_target_of_llrp_is_set_on_loopback_too() {
    let scene = "network = \"10.40.0.0\"\n[[device]]\nname = \"beacon\"\nmac = \"02:4d:42:00:20:01\"\naddress = \"10.40.1.9\"\n\
                 llrp = { uid = \"7ff0:00000001\", label = \"Quay beacon\" }\n";
    let rig = Rig::with(&Scene::parse(scene).unwrap());
    let to = rig.address(2, 1);
    let said = rig.run_here(&["set", "Quay beacon", "--address", &to, "--label", "Slip beacon", "--yes"]).ended(0);
    said.line(&["done", "Slip beacon", &to, "read back"]);
    let found = rig.run_here(&["survey", "--json"]).json();
    assert_eq!(found["units"][0]["address"], to);
    assert_eq!(found["units"][0]["facts"]["told"]["label"], "Slip beacon");
    rig.run_here(&["set", "7ff0:00000002", "--address", &to, "--yes"]).ended(2);
}

/// Settings with an option of their own: read back, really so, and what a node cannot is not sent.
#[test]
fn side_settings_are_set_by_their_options() {
    let scene = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\n\
                 mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\n\
                 pages = [{ sub = 1, out = [0, 1], in = [9], merging = [1] }]\n";
    let rig = Rig::with(&Scene::parse(scene).unwrap());
    let set = |options: &[&str]| rig.run_here(&[&["set", "quay-north", "--yes"], options].concat());
    let options = ["--sacn-priority", "150", "--stop-merging", "--port", "3", "--input", "off"];
    let said = set(&options).ended(0);
    said.line(&["sACN priority", "100", "150"]);
    said.line(&["merging", "on", "off"]);
    said.line(&["port 3 input", "on", "off"]);
    let truth = &rig.ground.truth()[0];
    assert_eq!((&truth.sacn_priority[..], truth.ports[1][5], truth.ports[2][7]), (&[150][..], 0, 8));
    set(&options).ended(0).line(&["nothing to change"]);
    let said = set(&["--record-scene"]).ended(1);
    said.line(&["sent", "did not tell its loss scene"]);
    assert_eq!(rig.ground.truth()[0].scenes, 1);
    let said = set(&["--port", "1", "--input", "off"]).ended(2);
    assert!(said.notes.contains("C005"), "{}", said.notes);
    set(&["--factory-network", "--dhcp"]).ended(2);
    set(&["--sacn-priority", "201"]).ended(2);
}

/// What a change said and heard is written down where that is wanted, in the order in which it was; nothing is sent where it cannot be.
#[test]
fn what_is_said_during_a_change_is_written_down() {
    let rig = Rig::tidewick();
    let set = |name: &str| rig.run(&["set", "quay-north", "--name", name, "--yes", "--record", "r.pcapng"]);
    let said = set("quay-new").ended(0);
    assert!(said.notes.contains("recorded ") && said.notes.contains("in r.pcapng"), "{}", said.notes);
    let bytes = std::fs::read(rig.folder.path("r.pcapng")).unwrap();
    let at = |opcode: [u8; 2]| {
        let message = [b"Art-Net\0", &opcode[..]].concat();
        let places = bytes.windows(message.len()).enumerate().filter(|(_, window)| *window == message);
        places.map(|(place, _)| place).collect::<Vec<usize>>()
    };
    // A poll, the order, and the reading back after it.
    let (polls, orders) = (at([0x00, 0x20]), at([0x00, 0x60]));
    assert_eq!(orders.len(), 1);
    assert!(polls.first() < orders.first() && polls.last() > orders.last(), "{polls:?} {orders:?}");
    rig.run(&["survey", "--capture", "r.pcapng"]).line(&["quay-new", "02:4d:42:00:10:01"]);
    let before = rig.ground.truth();
    assert!(set("quay-other").ended(2).notes.contains("r.pcapng"));
    assert_eq!(rig.ground.truth(), before);
    rig.run(&["check", "tidewick.rig.toml", "--record", "c.pcapng"]);
    rig.run(&["apply", "tidewick.rig.toml", "--yes", "--only", "names", "--record", "a.pcapng"]);
    for file in ["c.pcapng", "a.pcapng"] {
        assert!(rig.run(&["survey", "--capture", file]).out.contains("quay-south"), "{file}");
    }
}
