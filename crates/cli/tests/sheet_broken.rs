//! Broken sheets: each one clear, pointed mistake, fast, and the file is as it was.

use rstest::rstest;

use crate::support::Folder;

const HEAD: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n";

/// What is said about a sheet by a command that would write it. There is one mistake, and the file stays.
fn mistake(text: impl AsRef<[u8]>) -> String {
    let folder = Folder::new();
    folder.write("t.rig.toml", text.as_ref());
    let said = folder.run(&["sheet", "fill", "--yes"]).ended(2);
    assert_eq!(std::fs::read(folder.path("t.rig.toml")).unwrap(), text.as_ref());
    assert!(said.out.is_empty());
    said.notes
}

fn line_of(notes: &str) -> &str {
    notes.lines().find(|line| line.contains("--> t.rig.toml:")).unwrap_or_else(|| panic!("{notes}"))
}

#[rstest]
#[case::a_list_for_text("[[node]]\nname = [\"a\"]\naddress = \"fill\"", "`name` is a list", 7)]
#[case::text_for_a_list_of_numbers("[[area]]\nname = \"A\"\nnodes_from = \"100\"", "`nodes_from` is text", 8)]
#[case::a_date("[[node]]\nname = 2026-11-23\naddress = \"fill\"", "`name` is a date", 7)]
#[case::a_table_for_text("[[node]]\nname = { a = 1 }\naddress = \"fill\"", "`name` is a table", 7)]
#[case::yes_for_a_flag(
    "[[node]]\nname = \"a\"\naddress = \"fill\"\n[[node.port]]\nport = 1\nout = 0\nrdm = \"yes\"",
    "`rdm` is text",
    12
)]
#[case::a_number_for_words("[[network.scheme]]\noctet = 3\nmeans = \"area\"\nwords = 3", "`words` is a number", 9)]
#[case::near_heading("[[fixtures]]\nname = \"a\"", "did you mean `fixture`?", 6)]
#[case::near_key_of_a_stream(
    "[[stream]]\nname = \"a\"\ncarries = \"audio\"\nfrom = \"n\"\ngroup = \"fill\"\nchannel = 2\n[[node]]\nname = \"n\"\naddress = \"fill\"",
    "did you mean `channels`?",
    11
)]
#[case::near_key_of_a_switch("[[switch]]\nname = \"s\"\nsocket = 8", "did you mean `sockets`?", 8)]
#[case::near_word(
    "[[stream]]\nname = \"a\"\ncarries = \"adio\"\nfrom = \"n\"\ngroup = \"fill\"\n[[node]]\nname = \"n\"\naddress = \"fill\"",
    "did you mean \"audio\"?",
    8
)]
#[case::near_name(
    "[[switch]]\nname = \"s\"\n[[switch.port]]\nport = 1\nto = \"quay-nort\"\n[[node]]\nname = \"quay-north\"\naddress = \"fill\"",
    "did you mean \"quay-north\"?",
    10
)]
#[case::a_negative_number("[[fixture]]\nname = \"f\"\non = 0\nslot = 1\nfootprint = -3", "`footprint` is -3", 10)]
#[case::a_huge_number(
    "[[fixture]]\nname = \"f\"\non = 0\nslot = 1\nfootprint = 99999999999999999999",
    "`footprint` is 99999999999999999999",
    10
)]
#[case::slot_zero("[[fixture]]\nname = \"f\"\non = 0\nslot = 0\nfootprint = 3", "`slot` cannot be \"0\"", 9)]
#[case::slot_513("[[fixture]]\nname = \"f\"\non = 0\nslot = 513\nfootprint = 3", "a slot from 1 to 512", 9)]
#[case::not_a_number("[[switch]]\nname = \"s\"\npower = nan", "`power` is nan", 8)]
#[case::below_nothing("[[switch]]\nname = \"s\"\npower = -1.5", "`power` is -1.5", 8)]
#[case::a_fraction_of_a_port(
    "[[node]]\nname = \"a\"\naddress = \"fill\"\n[[node.port]]\nport = 1.5\nout = 0",
    "`port` is 1.5",
    10
)]
#[case::octet_five("[[network.scheme]]\noctet = 5\nmeans = \"area\"\nwords = {}", "`octet` is 5", 7)]
#[case::a_run_backwards(
    "[[network.scheme]]\noctet = 3\nmeans = \"area\"\nwords = { 9-1 = \"A\" }",
    "`words` cannot be \"9-1\"",
    9
)]
#[case::a_block_backwards("[[area]]\nname = \"A\"\nuniverses = \"9-1\"", "runs from the lower to the higher", 8)]
#[case::no_group(
    "[[stream]]\nname = \"a\"\ncarries = \"audio\"\nfrom = \"n\"\ngroup = \"239.1\"\n[[node]]\nname = \"n\"\naddress = \"fill\"",
    "a group and port like",
    10
)]
#[case::key_twice("[[node]]\nname = \"a\"\nname = \"b\"\naddress = \"fill\"", "duplicate key", 8)]
#[case::heading_twice("[rig]\nname = \"again\"", "duplicate key", 6)]
#[case::area_twice("[[area]]\nname = \"A\"\n[[area]]\nname = \"A\"", "there are two areas named \"A\"", 9)]
#[case::no_closing_quote("[[node]]\nname = \"a\naddress = \"fill\"", "invalid basic string", 7)]
#[case::no_value("[[node]]\nname =", "string values must be quoted", 7)]
#[case::a_later_format("[thresholds]\npower = 0", "`power` is 0", 7)]
#[case::filled_universe_of_a_fixture(
    "[[fixture]]\nname = \"f\"\non = \"fill\"\nslot = 1\nfootprint = 3",
    "only people know where a fixture hangs",
    8
)]
#[case::priority("[[source]]\nname = \"d\"\npriority = 201", "`priority` is 201", 8)]
fn a_mistake_is_told_at_its_line(#[case] lines: &str, #[case] says: &str, #[case] line: usize) {
    let notes = mistake(format!("{HEAD}{lines}\n"));
    assert!(notes.contains(says), "{notes}");
    assert!(line_of(&notes).contains(&format!("t.rig.toml:{line}:")), "{notes}");
    assert!(notes.contains("has 1 mistake\n"), "{notes}");
}

#[rstest]
#[case::not_utf_8(b"[rig]\nname = \"\xff\"\n".to_vec(), "is not UTF-8 text: byte 14 (line 2)")]
#[case::utf_16(b"\xff\xfe[\0r\0i\0g\0]\0".to_vec(), "is not UTF-8 text: byte 0 (line 1)")]
#[case::deep("a = ".to_owned().into_bytes().into_iter().chain("[".repeat(100_000).into_bytes()).collect(), "cannot recurse further")]
#[case::nonsense(b"0123456789abcdef\n".repeat(3 << 20), "TOML: `key = value`")]
#[case::tables_without_end(b"[[node]]\n".repeat(1 << 20), "and 98")]
#[case::too_large(vec![b'#'; 65 << 20], "at most 67108864 are read")]
fn a_hostile_file_is_refused_fast(#[case] text: Vec<u8>, #[case] says: &str) {
    let notes = mistake(text);
    assert!(notes.contains(says), "{}", &notes[..notes.len().min(2000)]);
    assert!(notes.len() < 100_000);
}
