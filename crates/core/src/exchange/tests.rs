//! Tables in and out, scenes of designers, sheets compared.

use std::io::{Cursor, Write};

use rstest::rstest;
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

use super::*;
use crate::sheet::RigSheet;

const SHEET: &str = r#"[rig]
name = "t"
[[network]]
name = "lights"
range = "10.40.0.0/16"
[[area]]
name = "Quay"
[[node]]
name = "quay-north" # the mast
mac = "02:4d:42:00:10:01"
address = "10.40.1.100"
[[node.port]]
port = 1
out = 0
[[node]]
name = "=cmd"
label = "@home, \"so\""
address = "fill"
[[fixture]]
name = "wash"
on = 0
slot = 1
footprint = 14
"#;

fn sheet() -> RigSheet {
    RigSheet::parse(SHEET).unwrap()
}

fn brought(subject: Subject, csv: &str) -> Result<Imported, Vec<BadCell>> {
    import(&sheet(), subject, &read_table(csv, &[]).unwrap())
}

#[rstest]
fn what_goes_out_comes_in_unchanged(
    #[values(Subject::Nodes, Subject::Ports, Subject::Fixtures)] subject: Subject,
    #[values(Delimiter::Comma, Delimiter::Semicolon, Delimiter::Tab)] delimiter: Delimiter,
    #[values("", "\u{feff}")] mark: &str,
) {
    let table = format!("{mark}{}", export(&sheet(), subject, delimiter));
    let read = read_table(&table, &[]).unwrap();
    assert_eq!(
        (read.columns.iter().map(String::as_str).collect::<Vec<_>>(), Subject::of(&read.columns)),
        (subject.columns().to_vec(), Some(subject))
    );
    let imported = import(&sheet(), subject, &read).unwrap();
    assert_eq!((imported.text.as_str(), imported.added, imported.changed), (SHEET, 0, 0));
}

#[test]
fn formulas_are_guarded_on_the_way_out() {
    let table = export(&sheet(), Subject::Nodes, Delimiter::Comma);
    assert!(table.contains("\r\n'=cmd,\"'@home, \"\"so\"\"\","), "{table}");
}

#[test]
fn a_table_changes_what_is_there_and_adds_the_rest() {
    let nodes = "name;address;label;area\nquay-north;10.40.1.101;\"two\nlines\";\nquay-south;fill;;Quay\n";
    let imported = brought(Subject::Nodes, nodes).unwrap();
    assert_eq!((imported.added, imported.changed), (1, 1));
    let expected = SHEET
        .replace("\"10.40.1.100\"", "\"10.40.1.101\"")
        .replace("# the mast\n", "# the mast\nlabel = \"two\\nlines\"\n");
    let (before, after) = (
        imported.text.strip_prefix(&expected),
        "\n[[node]]\nname = \"quay-south\"\narea = \"Quay\"\naddress = \"fill\"\n",
    );
    // The reader of TOML decides how a line break is written.
    assert!(before == Some(after) || imported.text.ends_with(after), "{}", imported.text);
    assert_eq!(RigSheet::parse(&imported.text).unwrap().nodes[0].label.as_ref().unwrap().value, "two\nlines");
}

#[test]
fn ports_come_behind_their_node() {
    let ports = "node,port,out,merge\nquay-north,1,0:0:4,htp\nquay-north,2,0:0:5,\n";
    let imported = brought(Subject::Ports, ports).unwrap();
    let expected = SHEET.replace(
        "port = 1\nout = 0\n",
        "port = 1\nmerge = \"htp\"\nout = \"0:0:4\"\n[[node.port]]\nport = 2\nout = \"0:0:5\"\n",
    );
    assert_eq!(imported.text, expected);
}

#[test]
fn columns_may_be_called_otherwise() {
    let names = vec![("IP".to_owned(), "address".to_owned()), ("Device".to_owned(), "name".to_owned())];
    let table = read_table("Device,IP,Weight\nquay-north,10.40.1.7,4 kg\n", &names).unwrap();
    let imported = import(&sheet(), Subject::Nodes, &table).unwrap();
    assert_eq!(imported.unused, ["weight"]);
    assert!(imported.text.contains("10.40.1.7"));
}

#[rstest]
#[case::bad_address("name,address\nquay-north,10.40.1.999\n", 2, "address", "`address` cannot be \"10.40.1.999\"")]
#[case::of_a_new_node("name,mac,address\na,,fill\nb,02:4d,fill\n", 3, "mac", "`mac` cannot be \"02:4d\"")]
#[case::no_address("name,label\nnew,x\n", 2, "", "this node has no `address`")]
#[case::no_area("name,area\nquay-north,Quai\n", 2, "area", "there is no area named \"Quai\"")]
#[case::no_name("name,address\n,10.40.1.1\n", 2, "name", "the row has no name")]
#[case::too_many_cells("name,address\na,fill,more\n", 2, "", "the row has more cells than there are columns")]
#[case::not_a_number("name,number\nquay-north,seven\n", 2, "number", "`number` is text")]
#[case::injected(
    "name,address\n\"x\"\"]\n[rig]\",10.40.1.1.\n",
    2,
    "address",
    "`address` cannot be \"10.40.1.1.\""
)]
fn a_bad_cell_is_named(#[case] csv: &str, #[case] row: usize, #[case] column: &str, #[case] what: &str) {
    let bad = brought(Subject::Nodes, csv).unwrap_err();
    assert_eq!((bad[0].row, bad[0].column.as_str(), bad[0].what.as_str()), (row, column, what), "{bad:?}");
    assert_eq!(bad.len(), 1);
}

#[rstest]
#[case("", TableError::Empty)]
#[case(",,\n", TableError::Empty)]
fn no_table(#[case] text: &str, #[case] error: TableError) {
    assert_eq!(read_table(text, &[]), Err(error));
}

fn zipped(parts: &[(&str, &[u8])]) -> Vec<u8> {
    let mut writer = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in parts {
        writer
            .start_file(*name, SimpleFileOptions::default().compression_method(CompressionMethod::Deflated))
            .unwrap();
        writer.write_all(bytes).unwrap();
    }
    writer.finish().unwrap().into_inner()
}

fn scene(fixtures: &str) -> String {
    format!(
        "<?xml version=\"1.0\"?><GeneralSceneDescription><Scene><Layers><Layer><ChildList>{fixtures}</ChildList></Layer></Layers></Scene></GeneralSceneDescription>"
    )
}

fn scene_fixture(name: &str, id: u32, address: &str) -> String {
    format!(
        "<Fixture name=\"{name}\" uuid=\"x\"><GDTFSpec>Made Up@Wash.gdtf</GDTFSpec><GDTFMode>Full</GDTFMode>\
         <Addresses><Address break=\"0\">{address}</Address><Address break=\"1\">9</Address></Addresses>\
         <FixtureID>{id}</FixtureID></Fixture>"
    )
}

fn device() -> Vec<u8> {
    let modes = "<GDTF><FixtureType><DMXModes><DMXMode Name=\"Short\"><DMXChannels><DMXChannel Offset=\"1\"/></DMXChannels></DMXMode>\
        <DMXMode Name=\"Full\"><DMXChannels><DMXChannel Offset=\"1,2\"/><DMXChannel Offset=\"14\"/></DMXChannels></DMXMode></DMXModes></FixtureType></GDTF>";
    zipped(&[("description.xml", modes.as_bytes())])
}

#[test]
fn fixtures_come_out_of_a_scene() {
    let fixtures = scene_fixture("Wash &amp; Go", 1, "1")
        + &scene_fixture("Wash &amp; Go", 2, "513")
        + &scene_fixture("", 3, "2.100");
    let file =
        zipped(&[("GeneralSceneDescription.xml", scene(&fixtures).as_bytes()), ("Made Up@Wash.gdtf", &device())]);
    let table = read_scene_file(&file, None).unwrap();
    let rows: Vec<Vec<&str>> =
        table.rows.iter().map(|(_, cells)| cells.iter().map(String::as_str).collect()).collect();
    assert_eq!(
        rows,
        [
            ["Wash & Go", "0:0:0", "1", "14"],
            ["Wash & Go 2", "0:0:1", "1", "14"],
            ["fixture 3", "0:0:1", "100", "14"],
        ]
    );
    let imported = import(&sheet(), Subject::Fixtures, &table).unwrap();
    assert_eq!(RigSheet::parse(&imported.text).unwrap().fixtures.len(), 4);
}

#[test]
fn a_fixture_whose_size_is_not_told_is_named() {
    let file = zipped(&[("GeneralSceneDescription.xml", scene(&scene_fixture("Spot", 1, "1")).as_bytes())]);
    let bad = import(&sheet(), Subject::Fixtures, &read_scene_file(&file, None).unwrap()).unwrap_err();
    assert_eq!((bad[0].row, bad[0].what.as_str()), (1, "this fixture has no `footprint`"));
    assert!(import(&sheet(), Subject::Fixtures, &read_scene_file(&file, Some(16)).unwrap()).is_ok());
}

#[rstest]
#[case::no_archive(b"not a zip".to_vec(), "it is no zip archive")]
#[case::no_scene(zipped(&[("other.xml", b"<a/>")]), "the archive has no GeneralSceneDescription.xml")]
#[case::no_xml(zipped(&[("GeneralSceneDescription.xml", b"<a><b></a>")]), "cannot be read")]
#[case::cut_short(zipped(&[("GeneralSceneDescription.xml", b"<a><b>")]), "cannot be read")]
#[case::not_utf_8(zipped(&[("GeneralSceneDescription.xml", b"<a>\xff</a>")]), "cannot be read")]
#[case::entities(zipped(&[("GeneralSceneDescription.xml", b"<!DOCTYPE a [<!ENTITY b \"bbbb\"><!ENTITY c \"&b;&b;&b;\">]><a>&c;</a>")]), "document type")]
#[case::deep(zipped(&[("GeneralSceneDescription.xml", "<a>".repeat(100_000).as_bytes())]), "nested too deeply")]
fn a_broken_scene_says_why(#[case] file: Vec<u8>, #[case] says: &str) {
    let error = read_scene_file(&file, None).unwrap_err().to_string();
    assert!(error.contains(says), "{error}");
}

#[test]
fn what_unpacks_without_end_is_refused() {
    let zeros = vec![b' '; 220 << 20];
    let file = zipped(&[("GeneralSceneDescription.xml", &zeros)]);
    assert!(file.len() < 1 << 20);
    assert_eq!(read_scene_file(&file, None), Err(SceneFileError::TooLarge));
}

/// What differs when one text of the sheet is replaced by another.
fn differences(from: &str, to: &str) -> Vec<String> {
    let after = RigSheet::parse(&SHEET.replacen(from, to, 1)).unwrap();
    let shown = |change: SheetChange| {
        let none = || "-".to_owned();
        format!(
            "{} {}: {} > {}",
            change.what,
            change.key.unwrap_or_default(),
            change.before.unwrap_or_else(none),
            change.after.unwrap_or_else(none)
        )
    };
    sheet_diff(&sheet(), &after).into_iter().map(shown).collect()
}

#[rstest]
#[case::nothing("# the mast", "# changed", &[])]
#[case::another_notation("out = 0", "out = \"0:0:0\"", &[])]
#[case::a_value("10.40.1.100", "10.40.1.7", &["node quay-north address: 10.40.1.100 > 10.40.1.7"])]
#[case::of_a_port("out = 0", "out = 9", &["node quay-north port 1 out: 0:0:0 > 0:0:9"])]
#[case::a_rename("quay-north", "pier-north", &["node quay-north name: quay-north > pier-north"])]
#[case::a_new_node("[[fixture]]", "[[node]]\nname = \"n\"\naddress = \"dhcp\"\n[[fixture]]", &["node n : - > there"])]
#[case::a_node_less("[[node]]\nname = \"=cmd\"\nlabel = \"@home, \\\"so\\\"\"\naddress = \"fill\"\n", "", &["node =cmd : there > -"])]
#[case::a_port_more("[[node]]\nname = \"=cmd\"", "[[node.port]]\nport = 2\nout = 1\n[[node]]\nname = \"=cmd\"", &["node quay-north port 2 : - > there"])]
fn sheets_are_compared(#[case] from: &str, #[case] to: &str, #[case] expected: &[&str]) {
    assert!(SHEET.contains(from));
    assert_eq!(differences(from, to), expected);
}

#[test]
fn json_says_the_same_as_the_sheet() {
    let json = to_json(SHEET).unwrap();
    let back = RigSheet::parse(&from_json(&json.to_string()).unwrap()).unwrap();
    assert_eq!(sheet_diff(&sheet(), &back), []);
    assert!(from_json("[]").is_err() && from_json("{\"a\": null}").is_err());
}

#[rstest]
#[case::quoted_commas("\"a,b,c\";d\n1;2\n", &["a,b,c", "d"])]
#[case::one_column("name\nx\n", &["name"])]
#[case::tabs("name\tmac address\n1\t2\n", &["name", "mac_address"])]
#[case::capitals("Name;On Data Loss\n1;2\n", &["name", "on_data_loss"])]
fn the_heading_tells_what_stands_between(#[case] text: &str, #[case] columns: &[&str]) {
    assert_eq!(read_table(text, &[]).unwrap().columns, columns);
}

#[test]
fn rows_keep_their_place_and_empty_ones_are_passed_over() {
    let table = read_table("name,label\r\n\r\na,\"x\r\ny\"\r\n,\r\nb,\r\n", &[]).unwrap();
    let names: Vec<&str> = table.rows.iter().map(|(_, cells)| cells[0].as_str()).collect();
    assert_eq!((names, table.rows[0].1[1].as_str()), (vec!["a", "b"], "x\r\ny"));
}

#[rstest]
#[case("=1+1")]
#[case("+1")]
#[case("-1")]
#[case("@sum")]
#[case("'=quoted already")]
#[case("'plain")]
#[case("plain")]
fn a_text_comes_back_whatever_it_looks_like(#[case] text: &str) {
    let written = write_table(&["name"], &[vec![text.to_owned()]], Delimiter::Comma);
    assert_eq!(read_table(&written, &[]).unwrap().rows[0].1, [text]);
    let cell = written.lines().nth(1).unwrap();
    assert!(!cell.trim_start_matches('"').starts_with(['=', '+', '-', '@']), "{cell}");
}

#[rstest]
#[case("1", "0:0:0", "1")]
#[case("512", "0:0:0", "512")]
#[case("513", "0:0:1", "1")]
#[case("1.1", "0:0:0", "1")]
#[case("17.44", "0:1:0", "44")]
#[case("0", "", "")]
#[case("0.5", "", "")]
#[case("x", "", "")]
#[case("99999999999", "195312499", "511")]
fn addresses_of_a_scene(#[case] address: &str, #[case] on: &str, #[case] slot: &str) {
    let file = zipped(&[("GeneralSceneDescription.xml", scene(&scene_fixture("a", 1, address)).as_bytes())]);
    let cells = read_scene_file(&file, None).unwrap().rows.remove(0).1;
    assert_eq!((cells[1].as_str(), cells[2].as_str()), (on, slot));
}

#[rstest]
#[case::of_the_mode("Short", Some(1))]
#[case::of_another_mode("Long", None)]
fn footprints_are_those_of_the_mode(#[case] mode: &str, #[case] size: Option<u32>) {
    let scene = scene(&scene_fixture("a", 1, "1").replace("Full", mode).replace(".gdtf", ""));
    let file = zipped(&[("GeneralSceneDescription.xml", scene.as_bytes()), ("Made Up@Wash.gdtf", &device())]);
    let cells = read_scene_file(&file, None).unwrap().rows.remove(0).1;
    assert_eq!(cells[3], size.map(|size| size.to_string()).unwrap_or_default());
}

#[test]
fn a_column_that_a_node_has_not_yet_is_added_and_a_second_time_nothing_changes() {
    let csv = "name,serial,number,power\nquay-north,M4-17,7,6.5\n";
    let once = brought(Subject::Nodes, csv).unwrap();
    let sheet = RigSheet::parse(&once.text).unwrap();
    let node = &sheet.nodes[0];
    assert_eq!(
        (node.number.as_ref().map(|n| n.value), node.power.as_ref().map(|p| p.value.to_string())),
        (Some(7), Some("6.5 W".to_owned()))
    );
    let twice = import(&sheet, Subject::Nodes, &read_table(csv, &[]).unwrap()).unwrap();
    assert_eq!((twice.text == once.text, twice.changed), (true, 0));
}
