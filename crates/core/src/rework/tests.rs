//! What a sheet becomes.

use rstest::rstest;

use super::*;
use crate::sheet::RigSheet;
use crate::universe::{DeskBase, UniverseBlock};

const SHEET: &str = r#"[rig]
name = "t"
[[network]]
name = "lights"
range = "10.40.0.0/16"
[[network]]
name = "picture"
range = "10.60.0.0/16"
[[area]] # the quay
name = "Quay"
network = "lights" # for now
range = "10.40.1.0/24"
universes = "0:0:0-31"
[[node]]
name = "quay-a" # first
area = "Quay"
address = "10.40.1.100"
[[node.port]]
port = 1
out = "0:0:1"
[[node.port]]
port = 2
out = 2
[[node.port]]
port = 3
out = "sacn 5"
[[node]]
name = "quay-b"
behind = "quay-a"
area = "Quay"
address = "10.40.1.101"
[[node.port]]
port = 1
out = "desk 31"
[[node.port]]
port = 2
out = 0x1f
[[source]]
name = "desk"
sends = ["0-31", "40"]
[[fixture]]
name = "wash"
on = "0:0:1"
slot = 1
footprint = 4
[[stream]]
name = "mix"
carries = "audio"
from = "quay-a"
to = ["quay-b", "desk"]
group = "239.69.1.1"
[[switch]]
name = "sw"
[[switch.port]]
port = 1
to = "quay-a"
"#;

/// The lines that changed, before and after.
fn changed(edits: Result<crate::sheet::Edits, ReworkError>) -> Vec<String> {
    let after = edits.unwrap().apply(SHEET);
    RigSheet::parse(&after).unwrap();
    SHEET.lines().zip(after.lines()).filter(|(a, b)| a != b).map(|(_, b)| b.to_owned()).collect()
}

fn sheet() -> RigSheet {
    RigSheet::parse(SHEET).unwrap()
}

#[rstest]
#[case("quay-{A..C}", &["quay-A", "quay-B", "quay-C"])]
#[case("{9..11}x", &["9x", "10x", "11x"])]
#[case("n{08..10}", &["n08", "n09", "n10"])]
#[case("alone", &["alone"])]
fn series_count_letters_and_numbers(#[case] text: &str, #[case] names: &[&str]) {
    assert_eq!(text.parse::<Series>().unwrap().names(), names);
}

#[rstest]
fn anything_else_is_no_series(
    #[values("", "a{", "a}", "a{1..}", "a{C..A}", "a{A..c}", "a{1..99999}", "a{A..Fx}", "a{-1..3}")] text: &str,
) {
    assert_eq!(text.parse::<Series>(), Err(SeriesError));
}

#[test]
fn a_rename_takes_every_reference_along() {
    let edits = rename(&sheet(), "quay-?", &"mast-{1..2}".parse().unwrap());
    assert_eq!(
        changed(edits),
        [
            "name = \"mast-1\" # first",
            "name = \"mast-2\"",
            "behind = \"mast-1\"",
            "from = \"mast-1\"",
            "to = [\"mast-2\", \"desk\"]",
            "to = \"mast-1\""
        ]
    );
}

#[rstest]
#[case("pier-*", "x", "nothing on the sheet is named \"pier-*\"")]
#[case("quay-*", "q-{1..3}", "\"quay-*\" means 2 names, but the series has 3")]
fn a_rename_that_does_not_fit(#[case] pattern: &str, #[case] series: &str, #[case] says: &str) {
    assert_eq!(rename(&sheet(), pattern, &series.parse().unwrap()).unwrap_err().to_string(), says);
}

fn goal(text: &str) -> Goal {
    Goal { range: text.parse().unwrap(), as_subnet: text.parse().ok() }
}

#[test]
fn an_area_moves_with_its_host_parts() {
    let edits = resettle(&sheet(), 0, goal("10.60.7.0/24"));
    assert_eq!(
        changed(edits),
        [
            "network = \"picture\" # for now",
            "range = \"10.60.7.0/24\"",
            "address = \"10.60.7.100\"",
            "address = \"10.60.7.101\""
        ]
    );
}

#[rstest]
#[case("10.60.7.0-10.60.7.100", "quay-b at 10.40.1.101 does not fit into 10.60.7.0-10.60.7.100")]
#[case("10.70.1.0/24", "10.70.1.0-10.70.1.255 lies in no network of the sheet")]
fn an_area_that_cannot_move(#[case] to: &str, #[case] says: &str) {
    assert_eq!(resettle(&sheet(), 0, goal(to)).unwrap_err().to_string(), says);
}

#[test]
fn universes_are_shifted_in_their_own_notation() {
    assert_eq!(
        changed(renumber(&sheet(), 16, &Renumbered::default())),
        [
            "universes = \"0:1:0-47\"",
            "out = \"0:1:1\"",
            "out = 18",
            "out = \"sacn 21\"",
            "out = \"desk 47\"",
            "out = 0x2f",
            "sends = [\"16-47\", \"56\"]",
            "on = \"0:1:1\""
        ]
    );
}

#[rstest]
#[case(Renumbered { ports_only: true, ..Renumbered::default() }, &["out = \"0:0:0\"", "out = 1", "out = \"sacn 4\"", "out = \"desk 30\"", "out = 0x1e"])]
#[case(Renumbered { within: UniverseBlock::read("2-5", DeskBase::One).ok(), ..Renumbered::default() }, &["out = 1", "out = \"sacn 4\""])]
fn only_what_is_asked_for_is_shifted(#[case] what: Renumbered, #[case] lines: &[&str]) {
    assert_eq!(changed(renumber(&sheet(), -1, &what)), lines);
}

#[test]
fn a_shift_off_the_end_says_where() {
    let error = renumber(&sheet(), -2, &Renumbered::default()).unwrap_err();
    assert_eq!(error.to_string(), "quay-a port 1: 0:0:1 cannot be shifted by -2");
}

/// What a device calls its sender stays, whatever the device is called.
#[test]
fn a_stream_keeps_the_name_of_its_end() {
    let text = SHEET
        .replace("from = \"quay-a\"", "from = \"quay-a/Mix/L\"")
        .replace("to = [\"quay-b\"", "to = [\"quay-b/In 1\"");
    let sheet = RigSheet::parse(&text).unwrap();
    let edits = rename(&sheet, "quay-a", &"quay-north".parse().unwrap()).unwrap();
    let after = edits.apply(sheet.text());
    assert!(after.contains("from = \"quay-north/Mix/L\"") && after.contains("to = [\"quay-b/In 1\""), "{after}");
}
