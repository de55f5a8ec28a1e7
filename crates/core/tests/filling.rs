//! Whatever is filled in holds: on rigs from chance, with what is written already anywhere among it.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fmt::Write;
use std::net::Ipv4Addr;

use lantern_core::address::AddressRange;
use lantern_core::clash::{Loads, sheet_clashes};
use lantern_core::exchange::{Delimiter, Subject, export, from_json, import, read_table, sheet_diff, to_json};
use lantern_core::fill::{Filled, fill};
use lantern_core::finding::Severity;
use lantern_core::rework::{Goal, Renumbered, Series, rename, renumber, resettle};
use lantern_core::sheet::RigSheet;
use lantern_core::view::{Run, address_runs, universe_uses};
use proptest::prelude::*;

use crate::support::cases;

/// Codes of what is open and will be filled in.
const OPEN: [&str; 4] = ["A010", "U006", "F004", "S007"];

const HEAD: &str = "# A rig from chance.\n[rig]\nname = \"t\"\n\n[[network]]\nname = \"lights\"\nrange = \"10.40.0.0/16\"\n\
    gateway = \"10.40.0.1\"\nkeep_free = [\"10.40.0.2-10.40.0.49\", \"10.40.1.10-10.40.1.12\"]\ndhcp = \"10.40.250.1-10.40.250.200\"\n\
    groups = \"239.69.0.0/28\"\n\n[[kind]]\nname = \"picky\"\nmaker = \"H\"\nmodel = \"P\"\nports = 4\n\
    permitted = [\"10.40.1.0/29\", \"10.40.0.0/26\"]\n\n\
    [[area]]\nname = \"Quay\"\nrange = \"10.40.1.0/27\" # narrow\nnodes_from = 4\nuniverses = \"0-31\"\n\n\
    [[area]]\nname = \"Hall\"\nrange = \"10.40.2.0/24\"\nuniverses = \"32-95\"\n\n";

#[derive(Debug, Clone)]
struct Node {
    area: Option<&'static str>,
    kind: Option<&'static str>,
    pinned: bool,
    ports: Vec<Port>,
}

#[derive(Debug, Clone, Copy)]
enum Port {
    Fill,
    Split,
    Sacn,
    Pinned,
}

fn node() -> impl Strategy<Value = Node> {
    let area = prop_oneof![Just(None), Just(Some("Quay")), Just(Some("Quay")), Just(Some("Hall"))];
    let kind = prop_oneof![Just(None), Just(Some("marrowbright-eight")), Just(Some("picky"))];
    let port =
        prop_oneof![6 => Just(Port::Fill), 1 => Just(Port::Split), 1 => Just(Port::Sacn), 1 => Just(Port::Pinned)];
    let ports = prop::collection::vec(port, 0..5);
    (area, kind, prop::bool::weighted(0.2), ports).prop_map(|(area, kind, pinned, mut ports)| {
        if kind == Some("picky") {
            ports.truncate(4);
        }
        Node { area, kind, pinned, ports }
    })
}

/// The sheet's text. Pinned addresses and universes are such as clash with nothing.
fn text(nodes: &[Node], fixtures: usize, streams: usize) -> String {
    let mut text = HEAD.to_owned();
    let base = |area: Option<&str>| match area {
        Some("Quay") => (Ipv4Addr::new(10, 40, 1, 20), 24),
        Some(_) => (Ipv4Addr::new(10, 40, 2, 9), 80),
        None => (Ipv4Addr::new(10, 40, 0, 60), 200),
    };
    let mut used: HashMap<Option<&str>, (u32, u16)> = HashMap::new();
    for (i, node) in nodes.iter().enumerate() {
        let (first, universe) = base(node.area);
        let (addresses, universes) = used.entry(node.area).or_default();
        let mut address = "fill".to_owned();
        if node.pinned && *addresses < 4 && node.kind != Some("picky") {
            address = Ipv4Addr::from_bits(first.to_bits() + *addresses * 3).to_string();
            *addresses += 1;
        }
        writeln!(text, "[[node]] # the {i}th\nname = \"node-{i}\"\naddress   =  \"{address}\" # here").unwrap();
        for (key, value) in [("area", node.area), ("kind", node.kind)] {
            if let Some(value) = value {
                writeln!(text, "{key} = \"{value}\"").unwrap();
            }
        }
        // One page has one sub-net, so a written universe stands on it only where the page is its own.
        for (number, port) in node.ports.iter().enumerate() {
            let out = match port {
                Port::Pinned if *universes < 8 && node.ports.iter().all(|p| !matches!(p, Port::Split)) => {
                    *universes += 1;
                    (universe + *universes - 1).to_string()
                }
                Port::Split => "\"fill\"\nsplits = 2".to_owned(),
                Port::Sacn => "\"sacn fill\"".to_owned(),
                Port::Pinned | Port::Fill => "\"fill\"".to_owned(),
            };
            writeln!(text, "[[node.port]]\nport = {}\nout = {out}", number + 1).unwrap();
        }
        text.push('\n');
    }
    writeln!(text, "[[node]]\nname = \"box\"\naddress = \"10.40.0.50\"\n[[node.port]]\nport = 1\nout = 300")
        .unwrap();
    for i in 0..fixtures {
        writeln!(text, "[[fixture]]\nname = \"f{i}\"\non = 300\nslot = \"fill\"\nfootprint = {}", 1 + i * 7 % 40)
            .unwrap();
    }
    for i in 0..streams {
        let to = "carries = \"audio\"\nfrom = \"box\"\nto = \"box\"";
        writeln!(text, "[[stream]]\nname = \"s{i}\"\n{to}\ngroup = \"fill\"").unwrap();
    }
    text
}

/// Where the ports of an area's splits do not come in pairs, the last one is no split.
fn make_splits_whole(nodes: &mut [Node]) {
    for area in [None, Some("Quay"), Some("Hall")] {
        let of_area = nodes.iter_mut().filter(|node| node.area == area).flat_map(|node| &mut node.ports);
        let mut splits: Vec<&mut Port> = of_area.filter(|port| matches!(port, Port::Split)).collect();
        if !splits.len().is_multiple_of(2)
            && let Some(last) = splits.last_mut()
        {
            **last = Port::Fill;
        }
    }
}

fn parsed(text: &str) -> RigSheet {
    RigSheet::parse(text).unwrap_or_else(|errors| panic!("{:?}\n{text}", errors.errors))
}

/// Codes of errors and warnings.
fn codes(sheet: &RigSheet) -> Vec<&'static str> {
    let findings = sheet_clashes(sheet);
    findings.iter().filter(|f| f.rule.severity != Severity::Note).map(|f| f.rule.code).collect()
}

/// Every line of `after` that differs from `before` stood open there.
fn only_open_lines_changed(before: &str, after: &str) -> bool {
    let lines = || before.split('\n').zip(after.split('\n'));
    before.split('\n').count() == after.split('\n').count() && lines().all(|(a, b)| a == b || a.contains("fill\""))
}

/// Whether each node that wants an address can have one, found by trying every way to move others on.
fn addresses_can_be_dealt(nodes: &[Node], sheet: &RigSheet) -> bool {
    let taken: HashSet<u32> = sheet
        .nodes
        .iter()
        .filter_map(lantern_core::sheet::SheetNode::fixed_address)
        .map(Ipv4Addr::to_bits)
        .collect();
    let allowed = |node: &Node, address: u32| {
        let last = address & 0xff;
        let area = match node.area {
            Some("Quay") => (0x0a28_0104..=0x0a28_011f).contains(&address) && !(10..=12).contains(&last),
            Some(_) => address >> 8 == 0x000a_2802,
            None => address >> 8 == 0x000a_2800 && last >= 50,
        };
        let kind = node.kind != Some("picky")
            || (0x0a28_0100..=0x0a28_0107).contains(&address)
            || (0x0a28_0000..=0x0a28_003f).contains(&address);
        area && kind && !taken.contains(&address)
    };
    let open: Vec<&Node> = nodes
        .iter()
        .zip(&sheet.nodes)
        .filter(|(_, planned)| planned.fixed_address().is_none())
        .map(|(node, _)| node)
        .collect();
    let mut holder: BTreeMap<u32, usize> = BTreeMap::new();
    (0..open.len()).all(|node| find_place(node, &open, &allowed, &mut holder, &mut HashSet::new()))
}

fn find_place(
    node: usize,
    open: &[&Node],
    allowed: &impl Fn(&Node, u32) -> bool,
    holder: &mut BTreeMap<u32, usize>,
    seen: &mut HashSet<u32>,
) -> bool {
    for address in (0x0a28_0000..0x0a28_0300).filter(|address| allowed(open[node], *address)) {
        if !seen.insert(address) {
            continue;
        }
        let other = holder.get(&address).copied();
        if other.is_none_or(|other| find_place(other, open, allowed, holder, seen)) {
            holder.insert(address, node);
            return true;
        }
    }
    false
}

proptest! {
    #![proptest_config(cases(400))]

    #[test]
    fn whatever_is_filled_in_has_no_clash(
        mut nodes in prop::collection::vec(node(), 0..24), fixtures in 0usize..22, streams in 0usize..18,
        whole in prop::bool::weighted(0.9),
    ) {
        if whole {
            make_splits_whole(&mut nodes);
        }
        let before = text(&nodes, fixtures, streams);
        let sheet = parsed(&before);
        prop_assert!(codes(&sheet).iter().all(|code| OPEN.contains(code)), "{:?}\n{before}", codes(&sheet));
        match fill(&sheet) {
            Ok(filled) => holds(&before, &filled)?,
            Err(findings) => {
                prop_assert!(findings.iter().all(|f| f.rule.code.starts_with('B') && f.line() > 0));
                let of_addresses = findings.iter().any(|f| f.rule.code == "B001");
                prop_assert_eq!(of_addresses, !addresses_can_be_dealt(&nodes, &sheet), "{}", before);
            }
        }
    }
}

proptest! {
    #![proptest_config(cases(100))]

    /// Read, written as JSON, and read again; written as tables, and brought in again: the sheet is the same.
    #[test]
    fn what_is_written_and_read_again_is_the_same(
        nodes in prop::collection::vec(node(), 0..20), fixtures in 0usize..10, streams in 0usize..6,
    ) {
        let before = text(&nodes, fixtures, streams);
        let sheet = parsed(&before);
        let json = to_json(&before).unwrap().to_string();
        prop_assert_eq!(sheet_diff(&sheet, &parsed(&from_json(&json).unwrap())), vec![]);
        for subject in [Subject::Nodes, Subject::Ports, Subject::Fixtures] {
            for delimiter in [Delimiter::Comma, Delimiter::Semicolon, Delimiter::Tab] {
                let table = read_table(&export(&sheet, subject, delimiter), &[]).unwrap();
                let imported = import(&sheet, subject, &table).unwrap();
                prop_assert_eq!(&imported.text, &before);
            }
        }
    }

    /// Reworking there and back leaves every byte as it was.
    #[test]
    fn there_and_back_again_changes_nothing(
        nodes in prop::collection::vec(node(), 1..20), by in 1i32..200, host in 0u8..8,
    ) {
        let before = text(&nodes, 3, 3);
        let shifted = renumber(&parsed(&before), by, &Renumbered::default()).unwrap().apply(&before);
        let back = renumber(&parsed(&shifted), -by, &Renumbered::default()).unwrap().apply(&shifted);
        prop_assert_eq!(&back, &before);

        let names: Series = format!("x{{1..{}}}", nodes.len()).parse().unwrap();
        let renamed = rename(&parsed(&before), "node-*", &names).unwrap().apply(&before);
        prop_assert!(parsed(&renamed).nodes.iter().filter(|node| node.name.value.starts_with('x')).count() == nodes.len());

        let goal = |text: String| Goal { range: text.parse().unwrap(), as_subnet: text.parse().ok() };
        let moved = resettle(&parsed(&before), 1, goal(format!("10.40.{}.0/24", 100 + host))).unwrap().apply(&before);
        let back = resettle(&parsed(&moved), 1, goal("10.40.2.0/24".to_owned())).unwrap().apply(&moved);
        prop_assert_eq!(&back, &before);
    }
}

fn holds(before: &str, filled: &Filled) -> Result<(), TestCaseError> {
    let after = parsed(&filled.text);
    prop_assert_eq!(codes(&after), Vec::<&str>::new(), "{}", filled.text);
    prop_assert!(only_open_lines_changed(before, &filled.text));
    // Filling twice changes nothing.
    let again = fill(&after).unwrap();
    prop_assert!(again.choices.is_empty() && again.text == filled.text);
    // Adding a node, even in front of all others, changes no other.
    let newcomer = "[[node]]\nname = \"newcomer\"\narea = \"Hall\"\naddress = \"fill\"\n[[node.port]]\nport = 1\nout = \"fill\"\n";
    let (head, rest) = filled.text.split_at(HEAD.len());
    if let Ok(added) = fill(&parsed(&format!("{head}{newcomer}{rest}"))) {
        prop_assert!(added.text.starts_with(head) && added.text.ends_with(rest));
        prop_assert_eq!(added.choices.len(), 2);
        prop_assert_eq!(codes(&parsed(&added.text)), Vec::<&str>::new());
    }
    Ok(())
}

#[test]
fn a_whole_rig_from_chance_keeps_every_reason() {
    let nodes = vec![Node { area: Some("Hall"), kind: None, pinned: false, ports: vec![Port::Fill; 4] }; 3];
    let filled = fill(&parsed(&text(&nodes, 2, 2))).unwrap();
    assert_eq!(filled.choices.len(), 3 + 12 + 2 + 2);
    assert!(filled.choices.iter().all(|choice| !choice.why.is_empty()));
}

const EVERY_CLASH: &str = include_str!("sheets/every-clash.rig.toml");

proptest! {
    #![proptest_config(cases(150))]

    /// Lines left out and lines put elsewhere make nonsense of a sheet, but never more than that.
    #[test]
    fn a_shuffled_sheet_is_judged_filled_and_shown_without_a_panic(
        left_out in prop::collection::hash_set(0usize..480, 0..6),
        moved in prop::collection::vec((0usize..480, 0usize..480), 0..6),
    ) {
        let mut lines: Vec<&str> = EVERY_CLASH.lines().collect();
        for (from, to) in moved {
            let last = lines.len() - 1;
            lines.swap(from.min(last), to.min(last));
        }
        let kept = lines.iter().enumerate().filter(|(place, _)| !left_out.contains(place)).map(|(_, line)| *line);
        let text = kept.collect::<Vec<_>>().join("\n") + "\n";
        match RigSheet::parse(&text) {
            Ok(sheet) => {
                let findings = sheet_clashes(&sheet);
                prop_assert!(findings.iter().all(|f| !f.what.is_empty() && !f.remedy.is_empty() && f.line() > 0));
                prop_assert_eq!(Loads::of(&sheet).switches.len(), sheet.switches.len());
                prop_assert!(universe_uses(&sheet).iter().all(|one| one.used <= 512));
                for (index, network) in sheet.networks.iter().enumerate() {
                    let addresses: u64 = address_runs(&sheet, index).iter().map(Run::count).sum();
                    prop_assert_eq!(addresses, AddressRange::from(network.range.value).len());
                }
                if let Ok(filled) = fill(&sheet) {
                    parsed(&filled.text);
                }
            }
            Err(errors) => {
                let length = text.len();
                prop_assert!(!errors.errors.is_empty());
                prop_assert!(errors.errors.iter().all(|e| e.span.start <= e.span.end && e.span.end <= length));
            }
        }
    }
}
