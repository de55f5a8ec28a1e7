//! `apply --resume`, `undo` and `logbook`: what was broken off is gone on with, and what was done is taken back. What is said
//! is held against what the nodes really are.

use std::thread::sleep;
use std::time::Duration;

use lantern_sim::{Scene, TIDEWICK, TIDEWICK_MENDED_SHEET, Truth};
use rstest::rstest;

use crate::support::Rig;

const SHEET: &str = "tidewick.rig.toml";

/// The harbour with everybody on, the rented gateway with these habits.
fn harbour(quirks: &str) -> Rig {
    let rented = "mac = \"02:4d:42:00:30:01\"";
    let scene = TIDEWICK.replace("off = true", "").replace(rented, &format!("{rented}\nquirks = [{quirks}]"));
    let rig = Rig::with(&Scene::parse(&scene).unwrap());
    rig.write_sheet(SHEET, TIDEWICK_MENDED_SHEET);
    rig
}

/// The sheet with the addresses of two of its nodes exchanged.
fn swap(rig: &Rig, one: (u8, u8), other: (u8, u8)) {
    let (one, other) = (rig.address(one.0, one.1), rig.address(other.0, other.1));
    let quoted = |text: &str| format!("address = \"{text}\"");
    let text = rig.folder.read(SHEET).replace(&quoted(&one), "address = \"?\"");
    rig.folder
        .write(SHEET, text.replace(&quoted(&other), &quoted(&one)).replace("\"?\"", &format!("\"{other}\"")));
}

fn at(truth: &[Truth], mac_end: u8) -> String {
    truth.iter().find(|node| node.mac.0[3..] == [0, 0x10, mac_end]).unwrap().ip.0.to_string()
}

#[test]
fn nodes_change_places_and_go_back() {
    let rig = harbour("");
    let before = rig.ground.truth();
    swap(&rig, (1, 100), (1, 101));
    let dry = rig.run(&["apply", SHEET, "--dry-run", "--parking", &rig.address(1, 250)]).ended(0);
    dry.line(&["quay-north", "address", &rig.address(1, 100), &rig.address(1, 250), "waits there"]);
    dry.line(&["quay-south", "address", &rig.address(1, 101), &rig.address(1, 100)]);
    assert!(dry.out.contains("once quay-north"), "{}", dry.out);
    assert_eq!(rig.ground.truth(), before);
    let page = "plan.html";
    let json = rig.run(&["apply", SHEET, "--dry-run", "--page", page, "--json"]).ended(0).json();
    let parked =
        json["nodes"].as_array().unwrap().iter().find(|one| !one["waits"].as_array().unwrap().is_empty()).unwrap();
    assert!(
        parked["risks"].to_string().contains("it restarts") && parked["undoing"].to_string().contains("back to")
    );
    let page = rig.folder.read(page);
    for part in ["<svg", "class=\"parks\"", "quay-north", "once quay-", "may take", "with another restart"] {
        assert!(page.contains(part), "{part} is not in\n{page}");
    }
    let said = rig.run(&["apply", SHEET, "--yes"]).ended(0);
    said.line(&["waits", "quay-north", "until its place is left"]);
    said.line(&["done", "quay-north", &rig.address(1, 101)]);
    let after = rig.ground.truth();
    assert_eq!((at(&after, 1), at(&after, 2)), (rig.address(1, 101), rig.address(1, 100)));
    rig.run(&["check", SHEET]).ended(0);

    let said = rig.run(&["undo", "--yes"]).ended(0);
    said.line(&["done", "quay-south", &rig.address(1, 101)]);
    assert_eq!(rig.ground.truth(), before);
    let nothing = rig.run(&["undo", "--yes"]).ended(2);
    assert!(nothing.notes.contains("nothing to take back"), "{}", nothing.notes);
    let listed = rig.run(&["logbook", "list"]).ended(0);
    listed.line(&["apply", "everything", "taken back"]);
    listed.line(&["undo", "run ", "done"]);
}

/// One loses its power with the address it is given: the others are done, and it is the only one that is left.
#[test]
fn what_failed_holds_nobody_up_and_is_gone_on_with() {
    let rig = harbour("\"dies-of-moving\"");
    let before = rig.ground.truth();
    let broken = rig.run(&["apply", SHEET, "--yes", "--restart", "3"]).ended(3);
    broken.line(&["silent", "answers neither at"]);
    broken.line(&["done", "slip-high"]);
    let says = |part: &str| assert!(broken.notes.contains(part), "{}", broken.notes);
    says("deft-lantern survey --mac 02:4d:42:00:30:01; then: deft-lantern apply tidewick.rig.toml --resume");
    // Silent still, it is told where it may be.
    let silent = rig.run(&["apply", SHEET, "--resume", "--yes"]).ended(1);
    silent.line(&["left alone lamp-room", "it was told to go from", &rig.address(3, 100)]);
    rig.ground.switch("Four", true);
    sleep(Duration::from_millis(1200));
    let said = rig.run(&["apply", SHEET, "--resume", "--yes"]).ended(0);
    assert!(said.notes.contains("going on with the run of"), "{}", said.notes);
    assert!(!said.out.contains("done  slip-high"), "what was done before is not done again: {}", said.out);
    rig.run(&["check", SHEET]).ended(0);
    let nothing = rig.run(&["apply", SHEET, "--resume"]).ended(2);
    assert!(nothing.notes.contains("nothing to go on with"), "{}", nothing.notes);
    rig.ground.switch("Four", true);
    // All of it is one run, and is taken back as one. The one that dies of moving dies once more.
    let back = rig.run(&["undo", "--yes", "--restart", "3"]).ended(3);
    back.line(&["silent", "lamp-room"]);
    rig.ground.switch("Four", true);
    sleep(Duration::from_millis(1200));
    rig.run(&["undo", "--yes", "--restart", "3"]);
    assert_eq!(rig.ground.truth(), before);
}

#[test]
fn stopping_at_the_first_failure_is_asked_for() {
    let rig = harbour("\"dies-of-moving\"");
    let how = ["--yes", "--restart", "3", "--stop-on-error", "--at-once", "1"];
    let said = rig.run(&[&["apply", SHEET][..], &how].concat()).ended(3);
    said.line(&["silent", "Four"]);
    assert!(said.notes.contains("more not begun") && !said.out.contains("done  slip-high"), "{}", said.notes);
}

/// The sheet says something else when it is gone on with: that is said, and what the sheet says now is done.
#[test]
fn a_sheet_changed_meanwhile_is_followed_and_said() {
    let rig = harbour("\"dies-of-moving\"");
    rig.run(&["apply", SHEET, "--yes", "--restart", "3"]).ended(3);
    let (was, now) = (rig.address(3, 100), rig.address(3, 105));
    rig.folder.write(SHEET, rig.folder.read(SHEET).replace(&was, &now));
    rig.ground.switch("Four", true);
    sleep(Duration::from_millis(1200));
    let said = rig.run(&["apply", SHEET, "--resume", "--yes", "--restart", "3"]);
    let expected = format!("the sheet was changed since: lamp-room: address {now}, and no longer {was}");
    assert!(said.notes.contains(&expected), "{}", said.notes);
    rig.ground.switch("Four", true);
    sleep(Duration::from_millis(1200));
    rig.run(&["apply", SHEET, "--resume", "--yes"]);
    rig.run(&["check", SHEET]).ended(0);
}

/// Killed after its last step and before it could say that it is done, an undo finds nothing to change, and is done.
#[test]
fn an_undo_that_finds_nothing_to_change_is_done() {
    let rig = harbour("");
    rig.run(&["set", "quay-north", "--name", "mast", "--yes"]).ended(0);
    rig.run(&["undo", "--yes"]).ended(0);
    let log = rig.folder.read("tidewick.log.jsonl");
    let (rest, last) = log.trim_end().rsplit_once('\n').unwrap();
    assert!(last.contains("\"how\":\"done\""), "{last}");
    rig.folder.write("tidewick.log.jsonl", format!("{rest}\n"));
    rig.run(&["logbook", "list"]).ended(0).line(&["undo", "no end: killed,"]);
    rig.run(&["undo", "--yes"]).ended(0).line(&["nothing to change"]);
    let nothing = rig.run(&["undo", "--yes"]).ended(2);
    assert!(nothing.notes.contains("nothing to take back"), "{}", nothing.notes);
}

/// Parts of a run are taken back: one node, one sort of settings, down to a step.
#[test]
fn parts_of_a_run_are_taken_back() {
    let rig = harbour("");
    let set = |arguments: &[&str]| rig.run(&[&["set", "quay-north"], arguments, &["--yes"]].concat()).ended(0);
    let before = rig.ground.truth();
    let address = rig.address(1, 150);
    set(&["--name", "mast", "--on-data-loss", "dark", "--address", &address]);
    let shown = rig.run(&["logbook", "show"]).ended(0);
    shown.line(&["1", "quay-north", "name quay-north to mast", "confirmed"]);
    shown.line(&["3", "address", "confirmed"]);
    rig.run(&["undo", "--keep", "2", "--yes"]).ended(0);
    let half = rig.ground.truth();
    assert_eq!((half[0].name.as_str(), half[0].ip), ("mast", before[0].ip));
    rig.run(&["undo", "--only", "names", "--yes"]).ended(0);
    let named = rig.ground.truth();
    assert_eq!((&named[0].name, named[0].on_data_loss), (&before[0].name, half[0].on_data_loss));
    let nobody = rig.run(&["undo", "--node", "hall-*", "--yes"]).ended(2);
    assert!(nobody.notes.contains("it changed: quay-north"), "{}", nobody.notes);
    rig.run(&["undo", "--yes"]).ended(0);
    assert_eq!(rig.ground.truth(), before);
}

/// Several nodes are named at once, and only one sort of settings is meant.
#[test]
fn patterns_name_several_and_sorts_name_some_settings() {
    let rig = harbour("");
    let before = rig.ground.truth();
    rig.run(&["set", "quay-*", "--on-data-loss", "dark", "--yes"]).ended(0);
    let dark = rig.ground.truth().iter().filter(|node| node.on_data_loss == 0x40).count();
    assert_eq!(dark, before.iter().filter(|node| node.name.starts_with("quay-")).count());
    let refused = rig.run(&["set", "quay-*", "--name", "x", "--yes"]).ended(2);
    assert!(refused.notes.contains("--name is one for"), "{}", refused.notes);
    rig.run(&["undo", "--yes"]).ended(0);
    rig.run(&["apply", SHEET, "--only", "names", "--area", "Fish Hall", "--yes"]);
    let after = rig.ground.truth();
    for (before, after) in before.iter().zip(&after) {
        assert_eq!((before.ip, &before.ports), (after.ip, &after.ports));
        let may = before.mac.0[4] == 0x20 || before.name == after.name;
        assert!(may, "{} is not of the hall", before.name);
    }
    assert_ne!(before, after);
}

/// Every setting of a node and its ports that `set` has a word for is written, is really so, and is taken back.
#[rstest]
#[case::indicators(&["--indicators", "mute"])]
#[case::rdm(&["--port", "2", "--rdm", "off"])]
#[case::merge(&["--port", "1", "--merge", "ltp"])]
#[case::protocol(&["--port", "1", "--protocol", "sacn"])]
#[case::direction(&["--port", "4", "--direction", "in", "--universe", "0:0:9"])]
#[case::universe(&["--port", "3", "--universe", "0:0:7"])]
#[case::data_loss(&["--on-data-loss", "full"])]
#[case::names(&["--name", "mast", "--label", "A mast"])]
#[case::mask(&["--mask", "255.255.240.0"])]
#[case::what_it_lacks(&["--port", "9", "--universe", "0:0:1"])]
fn every_setting_is_taken_back(#[case] setting: &[&str]) {
    let rig = harbour("");
    let before = rig.ground.truth();
    let said = rig.run(&[&["set", "quay-north"], setting, &["--yes"]].concat());
    if setting.contains(&"9") {
        // What a unit lacks is told, not sent.
        assert!(said.code == 2 && said.notes.contains("C005"), "{}", said.notes);
        assert_eq!(rig.ground.truth(), before);
        return;
    }
    let said = said.ended(0);
    said.line(&["done", "read back"]);
    assert_ne!(rig.ground.truth(), before, "{}", said.out);
    rig.run(&["undo", "--yes"]).ended(0);
    assert_eq!(facing(rig.ground.truth()), facing(before));
}

/// Without the universe that a port has in the direction in which it does not work: a node keeps what it was told for it.
fn facing(mut truth: Vec<Truth>) -> Vec<Truth> {
    const OUTPUT: u8 = 0x80;
    for port in truth.iter_mut().flat_map(|node| &mut node.ports) {
        let idle = if port[2] & OUTPUT == 0 { 4 } else { 3 };
        port[idle] = 0;
    }
    truth
}

#[rstest]
#[case::no_run(&["undo", "--run", "yesterday"], "there is no run \"yesterday\"")]
#[case::nothing_yet(&["undo"], "nothing to take back")]
#[case::nothing_to_go_on_with(&["apply", SHEET, "--resume"], "nothing to go on with")]
#[case::resumed_is_chosen_already(&["apply", SHEET, "--resume", "--node", "x"], "cannot be used with")]
#[case::no_area(&["apply", SHEET, "--area", "Moon"], "there is no area \"Moon\"")]
#[case::no_pattern(&["apply", SHEET, "--node", "[a"], "not a pattern")]
fn a_wrong_call_says_what_is_wrong(#[case] arguments: &[&str], #[case] error: &str) {
    let said = Rig::tidewick().run(arguments).ended(2);
    assert!(said.notes.contains(error), "{}", said.notes);
}

/// Of a logbook that a later version wrote nothing is known: nothing is sent, and it stays as it is.
#[test]
fn a_logbook_of_a_later_version_is_left_alone() {
    let rig = harbour("");
    let later = "{\"format\":9,\"at\":\"2030-01-01T00:00:00Z\",\"run\":\"r\",\"record\":\"dance\"}\n";
    rig.folder.write("tidewick.log.jsonl", later);
    let before = rig.ground.truth();
    for command in
        [&["apply", SHEET, "--yes"][..], &["undo", "--yes"], &["set", "quay-north", "--name", "x", "--yes"]]
    {
        let said = rig.run(command).ended(2);
        assert!(said.notes.contains("written by a later version of this program (format 9)"), "{}", said.notes);
    }
    assert_eq!((rig.folder.read("tidewick.log.jsonl").as_str(), rig.ground.truth()), (later, before));
}

/// Who is sent to where nobody chose gets back what it had: address, mask, gateway, and whether by DHCP.
#[rstest]
#[case::dhcp("--dhcp")]
#[case::factory("--factory-network")]
fn what_was_given_up_is_given_back(#[case] how: &str) {
    let south = "mac = \"02:4d:42:00:10:02\"";
    let scene = TIDEWICK.replace("off = true", "").replace(south, &format!("{south}\nlease = \"10.40.1.77\""));
    let rig = Rig::with(&Scene::parse(&scene).unwrap());
    rig.write_sheet(SHEET, TIDEWICK_MENDED_SHEET);
    let before = rig.ground.truth();
    let said = rig.run(&["set", "quay-south", how, "--dry-run"]);
    assert_eq!(rig.ground.truth(), before);
    assert_eq!(said.out.contains("C024"), how == "--factory-network", "{}", said.out);
    rig.run(&["set", "quay-south", how, "--yes"]);
    let there = rig.ground.truth();
    assert_ne!(at(&there, 2), at(&before, 2));
    let listed = rig.run(&["logbook", "show"]).ended(0);
    assert!(
        listed.out.contains(if how == "--dhcp" { "by DHCP" } else { "as from the factory" }),
        "{}",
        listed.out
    );
    rig.run(&["undo", "--yes"]);
    assert_eq!(rig.ground.truth(), before);
}
