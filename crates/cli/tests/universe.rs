//! `universe`: all notations.

mod support;

use rstest::rstest;

use support::Folder;

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
