//! `handover`: papers whose proof is held against what was done to the nodes.

use lantern_core::sheet::{Fixture, RigSheet};
use quick_xml::Reader;
use quick_xml::events::Event;
use rstest::rstest;

use crate::support::{Folder, Rig};

#[test]
fn the_proof_says_what_is_so() {
    let rig = Rig::tidewick();
    rig.ground.switch("slip-low", false);
    let sheet = "tidewick.rig.toml";
    let said =
        rig.run(&["handover", sheet, "--page", "all.html", "--markdown", "all.md", "--tables", "csv"]).ended(1);
    let (page, text, table) =
        (rig.folder.read("all.html"), rig.folder.read("all.md"), rig.folder.read("csv/check.csv"));
    assert!(said.out.starts_with("checked "), "{}", said.out);
    let missing = |text: &str| text.lines().any(|line| line.contains("slip-low") && line.contains("missing"));
    assert!(missing(&text) && missing(&table), "{text}{table}");
    assert!(page.contains("<td class=\"fail\">fail<td><b>slip-low</b><td>missing"), "{page}");
    let proof = &page[page.find("<th>verdict").unwrap()..];
    let proof = &proof[..proof.find("</table>").unwrap()];
    let columns = proof.matches("<th>").count();
    for row in proof.lines().filter(|line| line.starts_with("<tr>")) {
        assert_eq!(row.matches("<td").count(), columns, "a cell under each heading: {row}");
    }
    assert!(proof.contains("<td class=\"lines\">planned at "), "what is wrong stands under what: {proof}");
    let checked = rig.run(&["check", sheet, "--json"]).ended(1).json();
    let tally = |verdict: &str| table.lines().filter(|line| line.starts_with(&format!("{verdict},"))).count();
    let counts = ["pass", "look", "fail"].map(|word| checked["tally"][word].as_u64().unwrap());
    let unexpected = checked["unexpected"].as_array().unwrap().len();
    assert_eq!(tally("pass") as u64, counts[0], "{table}");
    assert_eq!(tally("look"), usize::try_from(counts[1]).unwrap() + unexpected, "{table}");
    assert_eq!(tally("fail") as u64, counts[2], "{table}");
    for name in ["nodes.csv", "ports.csv"] {
        assert!(rig.folder.read(&format!("csv/{name}")).contains("slip-low"), "{name}");
    }
    assert!(!page.contains("<script") && !page.contains("src="), "nothing runs, nothing is fetched");
}

#[test]
fn without_a_look_it_says_so_and_writes_the_page_beside_the_sheet() {
    let folder = Folder::night();
    let said = folder.run(&["handover", "--unchecked"]).ended(0);
    assert!(said.out.contains("without looking at the rig"), "{}", said.out);
    let page = folder.read("t.handover.html");
    assert!(!page.contains("id=\"proof\"") && page.contains("At three in the morning"), "{page}");
    assert!(page.contains("id=\"patch\"") && page.contains("id=\"maps\""));
}

#[rstest]
#[case("--labels", "70mm", 24)]
#[case("--tape", "62mm", 1)]
fn every_node_has_one_label(#[case] option: &str, #[case] size: &str, #[case] on_page: usize) {
    let folder = Folder::night();
    folder.run(&["handover", "--unchecked", option, "l.html"]).ended(0);
    let page = folder.read("l.html");
    let nodes = folder.read("t.rig.toml").matches("[[node]]").count();
    assert_eq!(page.matches("<div class=\"label\">").count(), nodes);
    assert_eq!(page.matches("<div class=\"sheet\">").count(), nodes.div_ceil(on_page));
    assert!(page.contains(&format!("width: {size}")));
    // Every label is closed: the body reads as XML.
    let body = &page[page.find("<body>").unwrap()..page.find("</html>").unwrap()];
    let mut reader = Reader::from_str(body);
    while !matches!(reader.read_event().unwrap(), Event::Eof) {}
}

/// Every fixture of a row stands on paper by itself, with the slot it starts at.
#[test]
fn every_fixture_has_its_line_and_its_label() {
    let folder = Folder::night();
    let papers = ["handover", "--unchecked", "--page", "p.html", "--markdown", "p.md", "--labels", "l.html"];
    folder.run(&[&papers[..], &["--labels-of", "fixtures"]].concat()).ended(0);
    let sheet = RigSheet::parse(&folder.read("t.rig.toml")).unwrap();
    let slot = |row: &Fixture, nth| row.slot_of(nth).map_or_else(|| "open".to_owned(), |slot| slot.to_string());
    let all: Vec<(String, String)> = sheet
        .fixtures
        .iter()
        .flat_map(|row| row.names().zip(0..).map(|(name, nth)| (name, slot(row, nth))).collect::<Vec<_>>())
        .collect();
    assert!(all.len() > 200);
    let (labels, page, text) = (folder.read("l.html"), folder.read("p.html"), folder.read("p.md"));
    assert_eq!(labels.matches("<div class=\"label\">").count(), all.len());
    for (name, slot) in &all {
        assert!(
            labels.contains(&format!("<b>{name}</b><div class=\"row\"><div class=\"big\">{slot}</div>")),
            "{name}"
        );
        assert!(page.contains(&format!("<b>{slot}</b>")) && page.contains(&format!("<b>{name}</b>")), "{name}");
        assert!(text.contains(&format!("| {name} |")), "{name}");
    }
}

#[test]
fn what_the_sheet_says_cannot_become_a_tag() {
    let folder = Folder::new();
    folder.write(
        "t.rig.toml",
        "[rig]\nname = \"<b>t</b>\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n[[node]]\nname = \"a\"\n\
         label = \"<img src=x>\"\naddress = \"10.40.1.1\"\n",
    );
    folder
        .run(&["handover", "--unchecked", "--page", "p.html", "--markdown", "p.md", "--labels", "l.html"])
        .ended(0);
    for name in ["p.html", "l.html"] {
        let page = folder.read(name);
        assert!(!page.contains("<img") && !page.contains("<b>t"), "{name}");
    }
    assert!(!folder.read("p.md").contains("<b>t"));
}
