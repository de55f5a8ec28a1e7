//! What stands around a change: the logbook, a second run, the memory, files that are none.

use std::fs::{self, File};

use lantern_sim::{Scene, TIDEWICK};
use rstest::rstest;
use serde_json::Value;

use crate::support::{Folder, Rig};

const NORTH: &str = "02:4d:42:00:10:01";

/// A logbook that cannot be written: nothing is sent, and the code says so.
#[test]
fn without_a_logbook_nothing_is_sent() {
    let rig = Rig::tidewick();
    fs::create_dir(rig.folder.path("tidewick.log.jsonl")).unwrap();
    let said = rig.run(&["set", "quay-north", "--name", "mast", "--yes"]).ended(2);
    assert!(said.notes.contains("tidewick.log.jsonl cannot be read"), "{}", said.notes);
    assert_eq!(rig.node(NORTH)["name"], "quay-north");
}

/// A disk that fills up, wherever in the run: nothing is sent that is not written down, the code says whether anything was,
/// and with room again it is taken back.
#[test]
fn a_full_disk_stops_before_the_next_send() {
    let rig = Rig::tidewick();
    let before = rig.ground.truth();
    let mut codes = Vec::new();
    for blocks in 1..=7 {
        // Blocks of 512 bytes.
        let limited = format!(
            "set quay-north --name mast --port 4 --universe 0:0:3 --address {} --yes --restart 5",
            rig.address(1, 150)
        );
        let output = rig.folder.run_limited(&format!("ulimit -f {blocks}; trap '' XFSZ;"), &limited);
        let notes = String::from_utf8_lossy(&output.stderr).into_owned();
        let code = output.status.code().unwrap();
        let log = rig.folder.read("tidewick.log.jsonl");
        let sent =
            log.lines().filter(|line| line.ends_with('}') && line.contains("\"stage\":\"sending\"")).count();
        let node = &rig.ground.truth()[0];
        let moved = usize::from(node.name == "mast") + usize::from(node.ip != before[0].ip);
        assert!(moved <= sent, "{blocks}: {moved} of {sent} written down\n{log}");
        let expected = if sent == 0 { "nothing was sent to any node" } else { "nothing further was sent" };
        assert!(code == 0 || notes.contains(expected), "{blocks}: {notes}");
        assert_eq!(code == 2, sent == 0, "{blocks}: {notes}");
        codes.push(code);
        if sent > 0 {
            rig.run(&["undo", "--yes"]).ended(0);
        }
        assert_eq!(rig.ground.truth(), before, "{blocks}");
        fs::remove_file(rig.folder.path("tidewick.log.jsonl")).unwrap();
    }
    assert!(codes.contains(&2) && codes.contains(&3), "{codes:?}");
}

/// A last line that a power cut tore off is ended, so that what follows can be read.
#[test]
fn a_torn_last_line_is_ended() {
    let rig = Rig::tidewick();
    rig.folder.write("tidewick.log.jsonl", "{\"format\":1,\"at\":\"2026-11-0");
    rig.run(&["set", "quay-north", "--name", "mast", "--yes"]).ended(0);
    let log = rig.folder.read("tidewick.log.jsonl");
    let whole = log.lines().skip(1).map(serde_json::from_str::<Value>).filter(Result::is_ok).count();
    assert_eq!((log.lines().count(), whole), (6, 5), "{log}");
    let listed = rig.run(&["logbook", "list"]).ended(0);
    assert!(listed.notes.contains("1 line could not be read"), "{}", listed.notes);
}

/// While one run changes nodes by a sheet, a second is kept out.
#[test]
fn a_second_run_on_the_same_sheet_is_kept_out() {
    let rig = Rig::tidewick();
    let sheet = File::open(rig.folder.path("tidewick.rig.toml")).unwrap();
    sheet.lock().unwrap();
    for command in [&["apply", "tidewick.rig.toml", "--yes"][..], &["set", "quay-north", "--name", "x", "--yes"]] {
        let said = rig.run(command).ended(2);
        assert!(said.notes.contains("another run is changing nodes by tidewick.rig.toml"), "{}", said.notes);
    }
    // Looking is no changing.
    rig.run(&["apply", "tidewick.rig.toml", "--dry-run"]);
    sheet.unlock().unwrap();
    rig.run(&["set", "quay-north", "--name", "mast", "--yes"]).ended(0);
}

/// An address that a device had lately, which is off now, is given only with a warning.
#[test]
fn an_address_somebody_had_lately_is_a_warning() {
    let rig = Rig::with(&Scene::parse(TIDEWICK).unwrap());
    rig.write_sheet(
        "t.rig.toml",
        "[rig]\nname = \"t\"\n[[network]]\nname = \"lights\"\nrange = \"10.40.0.0/16\"\n",
    );
    rig.run(&["survey"]).ended(1);
    rig.ground.switch("quay-south", false);
    let said = rig.run(&["set", "quay-north", "--address", &rig.address(1, 101), "--dry-run"]).ended(1);
    said.line(&["warning C020", &rig.address(1, 101), "was held by quay-south (02:4d:42:00:10:02)"]);
}

/// A survey of a part only, in a folder without a memory yet, leaves the memory usable.
#[test]
fn a_memory_that_began_with_a_part_can_be_read() {
    let rig = Rig::tidewick();
    rig.run(&["survey", "--only", "art-net"]);
    let said = rig.run(&["survey", "--remembered"]).ended(0);
    assert!(!said.notes.contains("cannot be used"), "{}", said.notes);
    said.line(&["quay-north"]);
    rig.run(&["survey"]).ended(1);
}

#[test]
fn a_pipe_is_no_sheet() {
    let rig = Rig::tidewick();
    let made = std::process::Command::new("mkfifo").arg(rig.folder.path("pipe.rig.toml")).status();
    if !made.is_ok_and(|status| status.success()) {
        return;
    }
    let said = rig.run(&["sheet", "clashes", "pipe.rig.toml"]).ended(2);
    assert!(said.notes.contains("pipe.rig.toml is no file"), "{}", said.notes);
}

/// A file of the user's that has the name of a working file is not touched.
#[test]
fn a_file_beside_the_target_is_left_alone() {
    let rig = Rig::tidewick();
    rig.folder.write("out.census.json.part0", "mine");
    rig.run(&["survey", "--save", "out.census.json"]);
    assert_eq!(rig.folder.read("out.census.json.part0"), "mine");
    assert!(rig.folder.read("out.census.json").contains("quay-north"));
}

/// What no device can have is refused before anybody is asked.
#[rstest]
#[case("0.0.0.0", "this means DHCP in some tools; here write --dhcp")]
#[case("239.255.0.1", "choose an address of the rig's network")]
#[case("255.255.255.255", "choose an address of the rig's network")]
#[case("240.0.0.1", "choose an address of the rig's network")]
fn an_impossible_address_is_refused_at_once(#[case] address: &str, #[case] remedy: &str) {
    let said = Folder::new().run(&["set", "quay-north", "--address", address, "--yes"]).ended(2);
    assert!(said.notes.contains(&format!("{address} is no address for any device")), "{}", said.notes);
    assert!(said.notes.contains(remedy), "{}", said.notes);
}

/// An address off the plan needs to be meant.
#[test]
fn an_address_off_the_plan_needs_to_be_meant() {
    let rig = Rig::tidewick();
    let other = rig.address(2, 77);
    let said = rig.run(&["set", "quay-north", "--address", &other, "--yes"]).ended(2);
    assert!(said.notes.contains("error C018") && said.notes.contains("Quay"), "{}", said.notes);
    rig.run(&["set", "quay-north", "--address", &other, "--outside", "--yes"]).ended(0);
    assert_eq!(rig.node(NORTH)["address"], other);
}

/// Port settings by themselves, and a name that another has.
#[test]
fn ports_are_set_by_single_settings_too() {
    let rig = Rig::tidewick();
    let arguments =
        ["set", NORTH, "--port", "1", "--merge", "ltp", "--protocol", "sacn", "--on-data-loss", "full"];
    rig.run(&[&arguments[..], &["--yes"]].concat()).ended(0);
    let node = rig.node(NORTH);
    let port = &node["pages"][0]["ports"][0];
    assert_eq!((&port["merge"], &port["protocol"]), (&"ltp".into(), &"sacn".into()));
    assert_eq!(node["on_data_loss"], "full");
    let said = rig.run(&["set", NORTH, "--port", "1", "--merge", "off", "--dry-run"]).ended(1);
    said.line(&["warning C004", "merge cannot be checked from here, planned off"]);
    let said = rig.run(&["set", NORTH, "--name", "quay-south", "--dry-run"]).ended(1);
    said.line(&["warning C021", "quay-south is the name of the node at"]);
}
