//! `sheet import` and `export` on files, as spreadsheets and designers hand them over.

use std::io::{Cursor, Write};

use lantern_sim::NIGHT_MENDED_SHEET;
use rstest::rstest;
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

use crate::support::{Folder, NIGHT, in_own_network};

#[rstest]
fn a_table_that_goes_out_comes_back_unchanged(
    #[values("nodes", "ports", "fixtures")] what: &str,
    #[values("comma", "semicolon", "tab")] between: &str,
) {
    let folder = Folder::night();
    folder.run(&["sheet", "export", what, "--between", between, "--to", "t.csv"]).ended(0);
    let table = folder.read("t.csv");
    assert!(table.ends_with("\r\n") && table.lines().count() > 30);
    folder.write("t.csv", format!("\u{feff}{table}"));
    let said = folder.run(&["sheet", "import", "t.csv", "--yes"]).ended(0);
    assert!(said.notes.contains("0 new, 0 changed") && said.notes.contains("nothing to change"), "{}", said.notes);
}

#[test]
fn a_table_with_other_names_changes_and_adds() {
    let folder = Folder::night();
    folder.write("rented.csv", "Device;IP;Text\nquay-north;10.40.1.130;\"two\nlines\"\nrented-1;fill;=1+1\n");
    let names = "Device=name,IP=address,Text=label";
    let said = folder.run(&["sheet", "import", "rented.csv", "--headings", names, "--yes"]).ended(0);
    said.line(&["+", "address = \"10.40.1.130\""]);
    assert!(said.notes.contains("1 new, 1 changed"), "{}", said.notes);
    let text = folder.read(NIGHT);
    assert!(
        text.ends_with("[[node]]\nname = \"rented-1\"\nlabel = \"=1+1\"\naddress = \"fill\"\n"),
        "{}",
        &text[text.len() - 200..]
    );
    // Kept as text, and guarded when it goes out again.
    assert!(folder.run(&["sheet", "export", "nodes"]).ended(0).out.contains("rented-1,'=1+1,"));
}

#[test]
fn every_bad_cell_is_named_by_row_and_column() {
    let folder = Folder::night();
    folder.write("bad.csv", "name,address,mac\nquay-north,10.40.1.999,\nnew-one,10.40.1.140,02:4d\n,fill,\n");
    let said = folder.run(&["sheet", "import", "bad.csv", "--yes"]).ended(2);
    for part in [
        "row 2, column address: `address` cannot be \"10.40.1.999\"",
        "row 3, column mac: `mac` cannot be \"02:4d\"",
        "row 4, column name: the row has no name",
        "3 cells cannot be brought in, so nothing was written",
    ] {
        assert!(said.notes.contains(part), "{part} is not in\n{}", said.notes);
    }
    assert_eq!(folder.read(NIGHT), NIGHT_MENDED_SHEET);
}

#[rstest]
#[case::no_columns("a;b\n1;2\n", "none that says what a row is")]
#[case::empty("", "the table is empty")]
fn a_table_that_is_none_says_why(#[case] table: &str, #[case] note: &str) {
    let folder = Folder::night();
    folder.write("t.csv", table);
    let said = folder.run(&["sheet", "import", "t.csv", "--yes"]).ended(2);
    assert!(said.notes.contains(note), "{}", said.notes);
}

#[test]
fn json_becomes_the_same_sheet() {
    let folder = Folder::night();
    folder.run(&["sheet", "export", "json", "--to", "t.json"]).ended(0);
    folder.run(&["sheet", "import", "t.json", "--sheet", "again.rig.toml"]).ended(0);
    assert_eq!(folder.run(&["sheet", "diff", NIGHT, "again.rig.toml"]).ended(0).out, "both sheets say the same\n");
    let said = folder.run(&["sheet", "import", "t.json", "--sheet", "again.rig.toml"]).ended(2);
    assert!(said.notes.contains("exists already"), "{}", said.notes);
}

fn zipped(parts: &[(&str, &[u8])]) -> Vec<u8> {
    let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in parts {
        writer.start_file(*name, SimpleFileOptions::default()).unwrap();
        writer.write_all(bytes).unwrap();
    }
    writer.finish().unwrap().into_inner()
}

const SCENE: &str = "GeneralSceneDescription.xml";

#[test]
fn a_designers_fixtures_are_brought_in() {
    let folder = Folder::night();
    let scene = "<GeneralSceneDescription><Scene><Fixture name=\"Barge Beam\"><GDTFMode>Full</GDTFMode>\
        <FixtureID>501</FixtureID><Addresses><Address break=\"0\">4.101</Address></Addresses></Fixture>\
        </Scene></GeneralSceneDescription>";
    folder.write("design.mvr", zipped(&[(SCENE, scene.as_bytes())]));
    let said = folder.run(&["sheet", "import", "design.mvr", "--yes"]).ended(2);
    assert!(said.notes.contains("row 1: this fixture has no `footprint`"), "{}", said.notes);
    folder.run(&["sheet", "import", "design.mvr", "--footprint", "16", "--yes"]).ended(0);
    assert!(
        folder.read(NIGHT).ends_with("name = \"Barge Beam\"\non = \"0:0:3\"\nslot = \"101\"\nfootprint = 16\n")
            || folder.read(NIGHT).contains("slot = 101\n")
    );
}

#[rstest]
#[case::zip_bomb(zipped(&[(SCENE, &vec![b' '; 200 << 20])]), "unpacks to more than")]
#[case::xml_bomb(
    zipped(&[(SCENE, b"<!DOCTYPE a [<!ENTITY b \"bbbb\"><!ENTITY c \"&b;&b;\">]><a>&c;</a>")]),
    "defines a document type"
)]
#[case::nested(zipped(&[(SCENE, "<a>".repeat(1 << 20).as_bytes())]), "nested too deeply")]
#[case::no_zip(b"PK\x03\x04 broken".to_vec(), "no zip archive")]
fn what_strangers_send_is_refused_within_bounds(#[case] file: Vec<u8>, #[case] note: &str) {
    let folder = Folder::night();
    folder.write("evil.mvr", &file);
    // 700 MiB of address space for everything, what it unpacks among it.
    let output = folder.run_limited("ulimit -v 700000;", "sheet import evil.mvr --yes");
    let notes = String::from_utf8_lossy(&output.stderr);
    assert_eq!(output.status.code(), Some(2), "{notes}");
    assert!(notes.contains(note), "{notes}");
    assert_eq!(folder.read(NIGHT), NIGHT_MENDED_SHEET);
}

/// The lines are those of hosts(5): the system's own resolver reads them, where it may be given them.
#[test]
fn names_become_lines_of_a_hosts_file() {
    let folder = Folder::night();
    let lines = folder.run(&["sheet", "export", "hosts"]).ended(0).out;
    assert!(
        lines.contains("10.40.0.10      desk-one\n") && lines.contains("10.40.1.100     quay-north\n"),
        "{lines}"
    );
    folder.run(&["sheet", "export", "hosts", "--to", "hosts"]).ended(0);
    let Some(said) = in_own_network(&format!(
        "mount --bind '{}' /etc/hosts && getent hosts quay-north",
        folder.path("hosts").display()
    )) else {
        return;
    };
    assert_eq!(said.ended(0).out.split_whitespace().collect::<Vec<_>>(), ["10.40.1.100", "quay-north"]);
}
