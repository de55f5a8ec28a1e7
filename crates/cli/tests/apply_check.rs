//! `apply` and `check`: the sheet against simulated nodes.

use lantern_sim::TIDEWICK_SHEET;
use rstest::rstest;
use serde_json::Value;

use crate::support::Rig;

const SHEET: &str = "tidewick.rig.toml";

/// Names of the nodes in one state.
fn in_state(check: &Value, state: &str) -> Vec<String> {
    let nodes = check["nodes"].as_array().unwrap().iter();
    nodes.filter(|node| node["state"] == state).map(|node| node["name"].as_str().unwrap().to_owned()).collect()
}

#[test]
fn check_names_exactly_the_missing_and_the_unexpected() {
    let rig = Rig::tidewick();
    // Without the guest on it, the sheet as it was first thought.
    let sheet = rig.folder.read(SHEET);
    let at = sheet.find("[[node]]\nname = \"barge-guest\"").unwrap();
    rig.folder.write(SHEET, &sheet[..at]);
    let json = rig.run(&["check", SHEET, "--json"]).ended(1).json();
    assert_eq!(in_state(&json, "missing"), ["slip-low"]);
    assert_eq!(json["unexpected"].as_array().unwrap().len(), 1);
    assert_eq!(json["unexpected"][0]["name"], "barge-guest");
    assert_eq!(in_state(&json, "different"), ["quay-north", "hall-west", "hall-east", "lamp-room", "slip-high"]);
    let said = rig.run(&["check", SHEET]).ended(1);
    said.line(&["slip-low", "missing"]);
    said.line(&["barge-guest", "unexpected"]);
    said.line(&["8 of 9 nodes answer, 5 of them otherwise than planned; 1 not on the sheet"]);
}

#[test]
fn apply_sets_everything_and_check_finds_it_so() {
    let rig = Rig::tidewick();
    rig.ground.switch("slip-low", true);
    let said = rig.run(&["apply", SHEET, "--yes"]).ended(0);
    said.line(&["quay-north", "port 3 universe", "0:0:1", "0:0:2"]);
    said.line(&["done", "lamp-room", &rig.address(3, 100)]);
    let checked = rig.run(&["check", SHEET]).ended(0);
    checked.line(&["all 10 nodes answer as planned"]);
    rig.run(&["apply", SHEET, "--yes"]).ended(0).line(&["nothing to change"]);
    let log = rig.folder.read("tidewick.log.jsonl");
    let stage = |word: &str| log.matches(&format!("\"stage\":\"{word}\"")).count();
    assert_eq!((stage("sending"), stage("confirmed")), (6, 6));
}

#[test]
fn apply_leaves_alone_what_does_not_answer_and_says_so() {
    let rig = Rig::tidewick();
    let said = rig.run(&["apply", SHEET, "--yes", "--node", "slip-low", "--node", "quay-n*"]).ended(1);
    said.line(&["left alone slip-low: it does not answer"]);
    said.line(&["done", "quay-north"]);
    assert!(!said.out.contains("hall-east"));
}

#[test]
fn apply_refuses_a_sheet_with_clashes() {
    let rig = Rig::tidewick();
    rig.write_sheet(SHEET, TIDEWICK_SHEET);
    let said = rig.run(&["apply", SHEET, "--yes"]).ended(2);
    assert!(said.notes.contains("error[U002]") && said.notes.contains("error[A001]"), "{}", said.notes);
    assert!(
        said.notes.contains("next: mend the sheet until this is quiet: deft-lantern sheet clashes"),
        "{}",
        said.notes
    );
    assert!(!rig.folder.path("tidewick.log.jsonl").exists());
}

#[test]
fn apply_refuses_when_a_stranger_holds_a_wanted_address() {
    let rig = Rig::tidewick();
    let sheet = rig.folder.read(SHEET);
    let at = sheet.find("[[node]]\nname = \"barge-guest\"").unwrap();
    let wanted = format!("address = \"{}\"", rig.address(3, 100));
    let taken = format!("address = \"{}\"", rig.address(5, 100));
    rig.folder.write(SHEET, sheet[..at].replace(&wanted, &taken));
    let said = rig.run(&["apply", SHEET, "--yes"]).ended(2);
    assert!(said.notes.contains("error C001") && said.notes.contains("barge-guest"), "{}", said.notes);
    assert_eq!(rig.node("02:4d:42:00:20:02")["name"], "hall-west", "nothing at all was sent");
}

#[test]
fn a_dry_run_of_apply_changes_nothing() {
    let rig = Rig::tidewick();
    let json = rig.run(&["apply", SHEET, "--dry-run", "--json"]).ended(1).json();
    assert_eq!((&json["dry_run"], json["nodes"].as_array().unwrap().len()), (&true.into(), 5));
    assert!(json["nodes"].as_array().unwrap().iter().all(|node| node["result"].is_null()));
    assert_eq!(rig.node("02:4d:42:00:20:02")["name"], "hall-west");
}

#[rstest]
#[case(&["apply", SHEET, "--node", "zebra"], "there is no node \"zebra\" on the sheet")]
#[case(&["apply", "none.rig.toml"], "none.rig.toml cannot be read")]
#[case(&["check", "none.rig.toml"], "none.rig.toml cannot be read")]
#[case(&["apply"], "<FILE.rig.toml>")]
fn a_wrong_call_says_what_to_do(#[case] arguments: &[&str], #[case] error: &str) {
    let said = Rig::tidewick().run(arguments).ended(2);
    assert!(said.notes.contains(error), "{}", said.notes);
}
