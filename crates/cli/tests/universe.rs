//! `universe`: all notations.

use rstest::rstest;

use crate::support::Folder;

#[test]
fn all_notations_stand_side_by_side() {
    let said = Folder::new().run(&["universe", "1:1:0", "0", "0x7fff", "sacn 40000", "desk 1"]).ended(0);
    insta::assert_snapshot!(said.out);
}

#[test]
fn a_desk_that_counts_from_zero() {
    let json = Folder::new().run(&["universe", "desk 0", "--desk-from", "0", "--json"]).ended(0).json();
    let answer = &json["universes"][0];
    assert_eq!((&answer["port_address"], &answer["number"]), (&"0:0:0".into(), &0.into()));
    assert_eq!((&answer["sacn"], &answer["desk_from_1"]), (&serde_json::Value::Null, &1.into()));
}

#[rstest]
#[case("0:16:0", "sub is 16, but it runs from 0 to 15")]
#[case("sacn 0", "sACN universe is 0, but it runs from 1 to 63999")]
#[case("1:5", "write 0:1:5 if the net is 0")]
#[case("first", "a universe is written 1:1:0")]
fn what_is_no_universe_says_why(#[case] text: &str, #[case] message: &str) {
    let said = Folder::new().run(&["universe", "1:1:0", text]).ended(2);
    assert!(said.notes.contains(message), "{}", said.notes);
    assert!(said.out.is_empty());
}

#[test]
fn a_range_is_written_out() {
    let json = Folder::new().run(&["universe", "0:0:14-0:1:1", "sacn 3-sacn 4", "--json"]).ended(0).json();
    let numbers: Vec<u64> =
        json["universes"].as_array().unwrap().iter().map(|one| one["number"].as_u64().unwrap()).collect();
    assert_eq!((numbers, &json["on_sheet"]), (vec![14, 15, 16, 17, 3, 4], &serde_json::Value::Null));
}

#[rstest]
#[case::backwards("0:1:0-0:0:0", "runs from the lower to the higher")]
#[case::too_long("0-32767", "32767 has 32768 universes; ask for 1024 at most")]
fn a_range_that_cannot_be_says_why(#[case] range: &str, #[case] message: &str) {
    let said = Folder::new().run(&["universe", range]).ended(2);
    assert!(said.notes.contains(message), "{}", said.notes);
}

#[test]
fn the_sheet_says_what_is_at_a_universe_and_how_the_desk_counts() {
    let folder = Folder::new();
    folder.write(
        "t.rig.toml",
        lantern_sim::NIGHT_MENDED_SHEET.replace("desk_counts_from = 1", "desk_counts_from = 0"),
    );
    let said = folder.run_in(&["universe", "1:0:0", "desk 256", "9:0:0"], &[("COLUMNS", "160")]).ended(0);
    said.line(&["1:0:0", "Fish Hall", "desk-one, band-laptop", "hall-west 1", "10"]);
    said.line(&["t.rig.toml: nothing is at 1 of them"]);
    assert!(!said.notes.contains("was read as"));
}

#[test]
fn a_bare_number_is_warned_about() {
    let said = Folder::new().run(&["universe", "272"]).ended(0);
    assert!(said.notes.contains("Where the desk says 272, it means 1:0:15"), "{}", said.notes);
}
