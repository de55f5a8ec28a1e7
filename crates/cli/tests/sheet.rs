//! `sheet`: without any network.

use lantern_sim::{TIDEWICK_MENDED_SHEET, TIDEWICK_SHEET};
use rstest::rstest;

use crate::support::Folder;

fn folder_with(name: &str, text: impl AsRef<[u8]>) -> Folder {
    let folder = Folder::new();
    folder.write(name, text);
    folder
}

#[test]
fn clashes_are_shown_in_their_lines() {
    let said =
        folder_with("tidewick.rig.toml", TIDEWICK_SHEET).run(&["sheet", "clashes", "tidewick.rig.toml"]).ended(1);
    insta::assert_snapshot!(said.out);
}

#[test]
fn a_clean_sheet_is_quiet_and_the_only_one_here_is_meant() {
    let folder = folder_with("tidewick.rig.toml", TIDEWICK_MENDED_SHEET);
    let said = folder.run(&["sheet", "clashes"]).ended(0);
    assert_eq!(said.out, "tidewick.rig.toml: no clash in 10 nodes, 52 ports\n");
    folder.write("other.rig.toml", TIDEWICK_SHEET);
    let said = folder.run(&["sheet", "clashes"]).ended(2);
    assert!(said.notes.contains("which sheet?"), "{}", said.notes);
}

#[test]
fn clashes_as_json_name_line_and_column() {
    let json = folder_with("t.rig.toml", TIDEWICK_SHEET).run(&["sheet", "clashes", "--json"]).ended(1).json();
    let first = &json["findings"][0];
    assert_eq!(
        (&json["format"], &first["code"], &first["severity"]),
        (&1.into(), &"U002".into(), &"error".into())
    );
    assert_eq!((&first["places"][0]["line"], &first["places"][0]["column"]), (&67.into(), &7.into()));
}

const HEAD: &str =
    "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n[[node]]\nname = \"a\"\n";

#[rstest]
#[case::broken_toml("[rig", "unclosed table")]
#[case::unknown_key("adress = \"10.40.1.1\"", "did you mean `address`?")]
#[case::wrong_sort("address = 10", "`address` is a number")]
#[case::bad_address("address = \"10.40.1.999\"", "`address` cannot be \"10.40.1.999\"")]
#[case::missing_key("", "this node has no `address`")]
#[case::duplicate_key("name = \"b\"", "duplicate key")]
#[case::no_such_area("address = \"10.40.1.1\"\narea = \"Quai\"", "there is no area named \"Quai\"")]
#[case::bad_mac("address = \"10.40.1.1\"\nmac = \"02:4d\"", "twelve hexadecimal digits")]
#[case::bad_universe("address = \"10.40.1.1\"\n[[node.port]]\nport = 1\nout = \"a\"", "a universe is written")]
#[case::bad_word("address = \"10.40.1.1\"\non_data_loss = \"drak\"", "one of: hold, dark, full, scene")]
#[case::port_twice(
    "address = \"10.40.1.1\"\n[[node.port]]\nport=1\nout=0\n[[node.port]]\nport=1\nout=1",
    "described twice"
)]
#[case::one_bracket("address = \"10.40.1.1\"\n[node.port]\nport = 1", "duplicate key")]
fn a_broken_sheet_is_refused_with_its_place(
    #[case] lines: &str,
    #[case] message: &str,
    #[values("sheet clashes", "apply", "check")] command: &str,
) {
    let folder = folder_with("b.rig.toml", format!("{HEAD}{lines}\n"));
    let mut arguments: Vec<&str> = command.split(' ').collect();
    arguments.push("b.rig.toml");
    let said = folder.run(&arguments).ended(2);
    let expected = if message == "duplicate key" && lines.starts_with("address") { "b.rig.toml" } else { message };
    assert!(said.notes.contains(expected), "{}", said.notes);
    assert!(
        said.notes.contains("--> b.rig.toml:") && said.notes.contains("next: mend the lines"),
        "{}",
        said.notes
    );
    assert!(said.out.is_empty());
}

#[rstest]
#[case::not_text(&b"[rig]\nname = \"\xff\"\n"[..], "is not UTF-8 text: byte 14 (line 2)")]
#[case::nothing(&b""[..], "the sheet has no `rig`")]
#[case::a_binary(&[0; 5000][..], "has 1 mistake")]
fn what_is_no_sheet_is_refused(#[case] bytes: &[u8], #[case] message: &str) {
    let said = folder_with("x.rig.toml", bytes).run(&["sheet", "clashes", "x.rig.toml"]).ended(2);
    assert!(said.notes.contains(message), "{}", said.notes);
}

#[test]
fn a_first_sheet_is_written_once_and_never_over_another() {
    let folder = Folder::new();
    let said =
        folder.run(&["sheet", "new", "my.rig.toml", "--name", "Harbour", "--range", "10.60.0.0/16"]).ended(0);
    assert!(said.notes.contains("next: look through it in an editor"), "{}", said.notes);
    let text = folder.read("my.rig.toml");
    assert!(text.contains("name = \"Harbour\"") && text.contains("range = \"10.60.0.0/16\""), "{text}");
    folder.run(&["sheet", "clashes", "my.rig.toml"]).ended(0);
    let said = folder.run(&["sheet", "new", "my.rig.toml"]).ended(2);
    assert!(said.notes.contains("my.rig.toml exists already"), "{}", said.notes);
    assert_eq!(folder.read("my.rig.toml"), text);
}

#[rstest]
#[case("{}", "missing field `format`")]
#[case("{\"format\": 7}", "it has format 7, this program reads 1")]
#[case("nonsense", "it is not a census")]
fn a_census_that_is_none_is_refused(#[case] text: &str, #[case] message: &str) {
    let folder = folder_with("c.census.json", text);
    let said = folder.run(&["sheet", "new", "n.rig.toml", "--from", "c.census.json"]).ended(2);
    assert!(said.notes.contains(message), "{}", said.notes);
    assert!(!folder.path("n.rig.toml").exists());
}

#[test]
fn kinds_come_from_files_beside_the_sheet_and_the_sheet_has_the_last_word() {
    let kind = |ports: u32| format!("[[kind]]\nname = \"box\"\nmaker = \"H\"\nmodel = \"B\"\nports = {ports}\n");
    let sheet = |own: &str| {
        format!(
            "[rig]\nname = \"t\"\nkinds = \"house.kinds.toml\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n{own}\
             [[node]]\nname = \"a\"\nkind = \"box\"\naddress = \"10.40.1.1\"\n[[node.port]]\nport = 2\nout = 0\n"
        )
    };
    let folder = folder_with("t.rig.toml", sheet(""));
    let said = folder.run(&["sheet", "clashes", "t.rig.toml"]).ended(2);
    assert!(said.notes.contains("house.kinds.toml cannot be read"), "{}", said.notes);
    folder.write("house.kinds.toml", kind(1));
    let said = folder.run(&["sheet", "clashes", "t.rig.toml"]).ended(1);
    assert!(said.out.contains("a has no port 2"), "{}", said.out);
    folder.write("t.rig.toml", sheet(&kind(2)));
    folder.run(&["sheet", "clashes", "t.rig.toml"]).ended(0);
    folder.write("house.kinds.toml", kind(1).replace("ports", "prots"));
    let said = folder.run(&["sheet", "clashes", "t.rig.toml"]).ended(2);
    assert!(
        said.notes.contains("house.kinds.toml:5:1") && said.notes.contains("did you mean `ports`"),
        "{}",
        said.notes
    );
}
