//! `sheet rename`, `move`, `renumber`, `diff`, `show`, `schema` and `explain` on files.

use lantern_core::sheet::RigSheet;
use lantern_sim::{NIGHT_MENDED_SHEET, NIGHT_SHEET};
use rstest::rstest;

use crate::support::{Folder, NIGHT};

#[test]
fn a_series_is_renamed_with_all_that_refers_to_it() {
    let folder = Folder::night();
    let said = folder.run(&["sheet", "rename", "quay-amp-*", "pier-amp-{A..B}", "--yes"]).ended(0);
    said.line(&["-", "to = [\"quay-amp-left\", \"quay-amp-right\"]"]);
    said.line(&["+", "to = [\"pier-amp-A\", \"pier-amp-B\"]"]);
    assert!(!folder.read(NIGHT).contains("quay-amp"));
}

/// A planned unit of another kind keeps its plan; what the new kind has not stays as a comment, and is said.
#[test]
fn a_unit_is_exchanged_for_one_of_another_kind() {
    let folder = Folder::night();
    let said = folder.run(&["sheet", "exchange", "quay-west", "marrowbright-two", "--yes"]).ended(0);
    assert!(said.notes.contains("quay-west port 3 is left over"), "{}", said.notes);
    said.line(&["+", "# [[node.port]]"]);
    let sheet = RigSheet::parse(&folder.read(NIGHT)).unwrap();
    let node = sheet.nodes.iter().find(|node| node.name.value == "quay-west").unwrap();
    assert_eq!((sheet.kind_of(node).unwrap().ports, node.ports.len()), (2, 2));
    let said = folder.run(&["sheet", "exchange", "quay-west", "marrowbright-eight", "--yes"]).ended(0);
    assert!(said.notes.contains("quay-west has ports 3 to 8 free"), "{}", said.notes);
}

#[test]
fn an_area_moves_and_universes_shift() {
    let folder = Folder::night();
    folder.run(&["sheet", "move", "Slipway", "10.40.6.0/24", "--yes"]).ended(0);
    assert!(folder.read(NIGHT).contains("address = \"10.40.6.100\""));
    let eight = &["sheet", "renumber", "8", "--within", "0:2:0-0:2:7", "--ports", "--dry-run"];
    folder.run(eight).ended(0).line(&["+", "out = \"0:2:15\""]);
    let before = folder.read(NIGHT);
    folder.run(&["sheet", "renumber", "+16", "--area", "Barge", "--yes"]).ended(0);
    let said = folder.run(&["sheet", "renumber", "-16", "--area", "Barge", "--yes"]).ended(0);
    assert!(said.notes.contains("written"));
    assert_eq!(folder.read(NIGHT), before);
}

#[rstest]
#[case::no_such_name(&["sheet", "rename", "pier-*", "x"], "nothing on the sheet is named \"pier-*\"")]
#[case::another_count(&["sheet", "rename", "quay-*", "q-{1..2}"], "means 11 names, but the series has 2")]
#[case::no_series(&["sheet", "rename", "quay-*", "q-{1..}"], "a series is written")]
#[case::a_name_in_use(&["sheet", "rename", "quay-east", "quay-west"], "error[N001]: 2 devices are named \"quay-west\"")]
#[case::no_area(&["sheet", "move", "Pier", "10.40.6.0/24"], "there are: Quay, Quay stage")]
#[case::no_network(&["sheet", "move", "Quay", "10.99.6.0/24"], "lies in no network of the sheet")]
#[case::no_range(&["sheet", "move", "Quay", "10.40.6"], "a range is written")]
#[case::a_torn_page(&["sheet", "renumber", "-1", "--within", "0:2:0-0:2:7", "--ports"], "error[U014]")]
#[case::off_the_end(&["sheet", "renumber", "-4000"], "cannot be shifted by -4000")]
#[case::no_universe(&["sheet", "renumber", "1", "--within", "9-1"], "runs from the lower to the higher")]
fn what_cannot_be_reworked_says_why(#[case] arguments: &[&str], #[case] note: &str) {
    let folder = Folder::night();
    let said = folder.run(&[arguments, &["--yes"]].concat()).ended(2);
    assert!(said.notes.contains(note), "{}", said.notes);
    assert_eq!(folder.read(NIGHT), NIGHT_MENDED_SHEET);
}

#[test]
fn sheets_are_compared_in_the_words_of_the_trade() {
    let folder = Folder::night();
    folder.write("hurry.rig.toml", NIGHT_SHEET);
    let said = folder.run(&["sheet", "diff", "hurry.rig.toml", NIGHT]).ended(0);
    insta::assert_snapshot!(said.out);
    let json = folder.run(&["sheet", "diff", NIGHT, NIGHT, "--json"]).ended(0).json();
    assert_eq!(json, serde_json::json!({ "format": 1, "changes": [] }));
}

#[rstest]
#[case::area("area", &["quay-north", "10.40.1.100", "Marrowbright Four", "0:0:0 to 0:0:3"])]
#[case::universe("universe", &["0:0:0", "1", "Quay", "desk-one", "quay-north 1", "188 of 512", "189"])]
#[case::node("node", &["quay-north", "02:4d:42:00:10:01", "1 out", "0:0:0", "hold"])]
#[case::address("address", &["10.40.0.10", "source", "desk-one (area desks)"])]
#[case::stream("stream", &["hall-picture", "video", "hall-eye", "hall-wall, barge-wall", "160 Mbit/s"])]
#[case::switch("switch", &["hall-switch", "75.45 W", "150 W", "hall-amp-left"])]
fn the_rig_is_shown_in_tables(#[case] by: &str, #[case] parts: &[&str]) {
    let said = Folder::night().run_in(&["sheet", "show", "--by", by], &[("COLUMNS", "180")]).ended(0);
    said.line(parts);
}

#[test]
fn the_rig_as_json() {
    let json = Folder::night().run(&["sheet", "show", "--json"]).ended(0).json();
    let network = &json["networks"][0];
    let count: u64 = network["addresses"]
        .as_array()
        .unwrap()
        .iter()
        .map(|run| {
            let end = |key: &str| run[key].as_str().unwrap().parse::<std::net::Ipv4Addr>().unwrap().to_bits();
            u64::from(end("last") - end("first")) + 1
        })
        .sum();
    assert_eq!((&json["format"], count), (&1.into(), 65_536));
    assert_eq!(json["switches"][0]["name"], "hall-switch");
}

#[test]
fn the_page_is_one_file_and_escapes_what_the_sheet_says() {
    let folder = Folder::new();
    folder.write(NIGHT, NIGHT_MENDED_SHEET.replace("Quay north mast", "<script>alert(1)</script> & \\\"so\\\""));
    folder.run(&["sheet", "show", "--page", "rig.html"]).ended(0);
    let page = folder.read("rig.html");
    assert!(page.contains("&lt;script&gt;alert(1)&lt;") && !page.contains("<script"));
    for part in [
        "<title>10.40.1.100 quay-north</title>",
        "prefers-color-scheme: dark",
        "@media print",
        "hall-switch port 2",
    ] {
        assert!(page.contains(part), "{part}");
    }
    assert!(!page.contains("http://") && !page.contains("https://"), "nothing from elsewhere");
}

#[test]
fn the_schema_is_json() {
    let schema = Folder::new().run(&["sheet", "schema"]).ended(0).json();
    assert_eq!(schema["properties"]["node"]["items"]["properties"]["address"]["type"], "string");
    assert_eq!(schema["additionalProperties"], false);
}

#[test]
fn every_code_can_be_explained() {
    let folder = Folder::new();
    let list = folder.run(&["explain", "--json"]).ended(0).json();
    let codes: Vec<&str> =
        list["pages"].as_array().unwrap().iter().map(|page| page["code"].as_str().unwrap()).collect();
    assert!(codes.len() > 100);
    for part in ["the same address twice", "For example, this on a sheet", "says  10.40.1.100 is given to"] {
        assert!(folder.run(&["explain", "a001"]).ended(0).out.contains(part), "{part}");
    }
    let said = folder.run(&["explain", "A099"]).ended(2);
    assert!(said.notes.contains("did you mean A0"), "{}", said.notes);
}

#[test]
fn a_census_and_this_computer_are_held_against_the_sheet() {
    let folder = Folder::night();
    let census = serde_json::json!({
        "format": 1, "taken": "2026-11-23T10:00:00Z", "nodes": [],
        "devices": [{
            "name": "camera", "what": "", "mac": "02:54:51:00:00:09", "address": "10.40.1.100",
            "addresses": ["10.40.1.100"], "standing": "answers", "seen_by": [],
        }],
    });
    folder.write("t.census.json", census.to_string());
    let json = folder.run(&["sheet", "clashes", "--census", "t.census.json", "--json"]).ended(1).json();
    let held = json["findings"].as_array().unwrap().iter().find(|finding| finding["code"] == "R005").unwrap();
    assert_eq!(held["places"][0]["note"], "planned for quay-north");
    let json = folder.run(&["sheet", "clashes", "--here", "--json"]).ended(1).json();
    assert!(
        json["findings"]
            .as_array()
            .unwrap()
            .iter()
            .any(|finding| finding["code"].as_str().unwrap().starts_with('P'))
    );
}
