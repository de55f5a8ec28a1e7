//! Reading sheets: what is right, and every mistake with its place.

use rstest::rstest;

use super::*;
use crate::universe::Universe;
use crate::{DataLoss, Direction, Merge};

const HEAD: &str = "[rig]\nname = \"Tidewick\"\n[[network]]\nname = \"lights\"\nrange = \"10.40.0.0/16\"\n";
const NODE: &str = "[[node]]\nname = \"quay\"\naddress = \"10.40.1.1\"\n";

/// The mistakes of a text as `line:column what; expected …`.
fn mistakes(text: &str) -> Vec<String> {
    let errors = RigSheet::parse(text).unwrap_err();
    let shown = |error: &SheetError| {
        let Position { line, column } = errors.position(text, error);
        let hint = error.hint.as_ref().map(|hint| format!(" ({hint})")).unwrap_or_default();
        format!("{line}:{column} {}; {}{hint}", error.what, error.expected)
    };
    errors.errors.iter().map(shown).collect()
}

#[rstest]
#[case::no_rig("", "1:1 the sheet has no `rig`; a line like rig = the heading [rig] with a name = \"…\"")]
#[case::no_name("[rig]\n", "1:1 [rig] has no `name`; a line like name = \"Tidewick Harbour Night\"")]
#[case::broken_toml(
    "[rig\nname = 1",
    "1:5 unclosed table, expected `]`; TOML: `key = value` lines under [headings]"
)]
#[case::unknown_heading(
    "[rig]\nname = \"t\"\n[[nodes]]\nname = \"a\"\n",
    "3:3 the sheet has no key `nodes`; one of: rig, thresholds, network, area, kind, node, source, fixture, stream, switch (did you mean `node`?)"
)]
#[case::number_for_text("[rig]\nname = 5\n", "2:8 `name` is a number; text in quotes (write name = \"…\")")]
#[case::one_bracket(
    "[rig]\nname = \"t\"\n[node]\nname = \"a\"\n",
    "3:1 `node` is a table; tables, each headed [[node]] (write [[node]] with two brackets on each side)"
)]
#[case::desk_base(
    "[rig]\nname = \"t\"\ndesk_counts_from = 2\n",
    "3:20 `desk_counts_from` is 2; a whole number from 0 to 1, without quotes"
)]
fn a_wrong_head_says_what_was_expected(#[case] text: &str, #[case] mistake: &str) {
    assert_eq!(mistakes(text), [mistake]);
}

#[rstest]
#[case::near_name(
    "adress = \"10.40.1.1\"",
    "8:1 this node has no key `adress`; one of: name, label, area, kind, mac, serial, number, clone_of, behind, address, firmware, on_data_loss, protocol, power, port (did you mean `address`?)"
)]
#[case::bad_mac(
    "mac = \"02:4d\"",
    "8:7 `mac` cannot be \"02:4d\"; a MAC address is twelve hexadecimal digits, for example 02:4d:42:00:10:01"
)]
#[case::word(
    "on_data_loss = \"holt\"",
    "8:16 `on_data_loss` cannot be \"holt\"; one of: hold, dark, full, scene (did you mean \"hold\"?)"
)]
#[case::no_area("area = \"Quai\"", "8:8 there is no area named \"Quai\"; the sheet has no area yet")]
#[case::firmware("firmware = \"1\"", "8:12 `firmware` cannot be \"1\"; two numbers like \"1.4\"")]
#[case::empty("label = \"\"", "8:9 `label` is empty; some text")]
#[case::twice("name = \"again\"", "8:1 duplicate key; TOML: `key = value` lines under [headings]")]
#[case::port_without_number("[[node.port]]\nout = 0", "8:1 this port has no `port`; a line like port = 1")]
#[case::port_without_universe(
    "[[node.port]]\nport = 1",
    "8:1 this port has no `out`; a line like out = \"0:0:0\" (or in = \"0:0:0\")"
)]
#[case::both_ways(
    "[[node.port]]\nport = 1\nout = 0\nin = 1",
    "11:6 this port has both `out` and `in`; only one of the two"
)]
#[case::universe(
    "[[node.port]]\nport = 1\nout = \"1:5\"",
    "10:7 `out` cannot be \"1:5\"; 1:5 has two parts, net:sub:universe has three; write 0:1:5 if the net is 0"
)]
#[case::port_zero(
    "[[node.port]]\nport = 0\nout = 0",
    "9:8 `port` is 0; a whole number from 1 to 1020, without quotes"
)]
#[case::split_of_one(
    "[[node.port]]\nport = 1\nout = 0\nsplits = 1",
    "11:10 `splits` is 1; a whole number from 2 to 1024, without quotes"
)]
#[case::port_twice(
    "[[node.port]]\nport = 1\nout = 0\n[[node.port]]\nport = 1\nout = 1",
    "12:8 port 1 of this node is described twice; each port once"
)]
fn a_wrong_node_says_what_was_expected(#[case] lines: &str, #[case] mistake: &str) {
    // The node's own three lines stand before, so the first added line is line 9 less one for the heading.
    let text =
        format!("{HEAD}{NODE}{lines}\n").replacen("range = \"10.40.0.0/16\"\n", "range = \"10.40.0.0/16\"\n", 1);
    let mistakes = mistakes(&text);
    let shifted =
        mistake.split_once(':').map(|(line, rest)| format!("{}:{rest}", line.parse::<usize>().unwrap() + 1));
    assert_eq!(mistakes, [shifted.unwrap()]);
}

#[rstest]
#[case(
    "range = \"10.40.1.0/16\"",
    "5:9 `range` cannot be \"10.40.1.0/16\"; 10.40.1.0 is an address inside 10.40.0.0/16; the network itself is written 10.40.0.0/16"
)]
#[case(
    "range = \"10.40.0.0/16\"\ngateway = \"nobody\"",
    "6:11 `gateway` cannot be \"nobody\"; an address like \"10.40.0.1\", or \"none\""
)]
#[case(
    "range = \"10.40.0.0/16\"\nkeep_free = [\"10.40.0.9-10.40.0.1\"]",
    "6:14 `keep_free` cannot be \"10.40.0.9-10.40.0.1\"; the range runs backwards: 10.40.0.9 comes after 10.40.0.1"
)]
#[case("range = \"10.40.0.0/16\"\nlocked = [7]", "6:11 `locked` holds a number; a list of texts in quotes")]
fn a_wrong_network_says_what_was_expected(#[case] lines: &str, #[case] mistake: &str) {
    let text = HEAD.replace("range = \"10.40.0.0/16\"", lines);
    assert_eq!(mistakes(&text), [mistake]);
}

#[test]
fn every_mistake_is_told_at_once_in_the_order_of_the_text() {
    let text = format!(
        "{HEAD}[[node]]\nnane = \"a\"\naddress = \"10.40\"\n[[area]]\nname = \"Quay\"\nnetwork = \"lihgts\"\n"
    );
    let lines: Vec<String> = mistakes(&text).iter().map(|m| m.split(' ').next().unwrap().to_owned()).collect();
    assert_eq!(lines, ["6:1", "7:1", "8:11", "11:11"]);
}

#[test]
fn nothing_makes_the_parser_panic() {
    let deep = format!("a = {}", "[".repeat(2000));
    let long = "x".repeat(100_000);
    for text in ["\u{feff}", "\0", "= = =", &deep, &long, "[rig]\nname = \"\\ud800\"\n", "[[a.b.c]]\n[a]\n"] {
        assert!(RigSheet::parse(text).is_err());
    }
}

#[test]
fn a_whole_node_is_read() {
    let text = format!(
        "{HEAD}{NODE}label = \"Quay\"\nfirmware = \"1.4\"\non_data_loss = \"scene\"\n\
         [[node.port]]\nport = 2\nin = \"desk 273\"\nmerge = \"ltp\"\nsources = 2\n"
    );
    let sheet = RigSheet::parse(&text).unwrap();
    let node = &sheet.nodes[0];
    assert_eq!(node.firmware.as_ref().map(|f| f.value.to_string()).as_deref(), Some("1.4"));
    assert_eq!(node.on_data_loss.as_ref().map(|loss| loss.value), Some(DataLoss::Scene));
    let port = &node.ports[0];
    assert_eq!(
        (port.number.value, port.direction, port.merge.as_ref().map(|m| m.value)),
        (2, Direction::In, Some(Merge::Ltp))
    );
    assert_eq!(
        port.universe.value.real().and_then(Universe::port_address).map(|a| a.to_string()).as_deref(),
        Some("1:1:0")
    );
    assert_eq!(sheet.position(port.universe.span), Position { line: 14, column: 6 });
}

#[rstest]
#[case("127.77.0.0/16", "range = \"127.77.0.0/16\"", "127.77.1.1")]
#[case("192.168.4.0/22", "range = \"192.168.4.0/22\"", "192.168.5.1")]
fn a_network_is_carried_and_all_else_stays(#[case] to: &str, #[case] range: &str, #[case] address: &str) {
    let text = format!("# keep me\n{HEAD}keep_free = [\"10.40.0.1-10.40.0.9\", \"10.99.0.1\"]  # and me\n{NODE}");
    let sheet = RigSheet::parse(&text).unwrap();
    let moved = sheet.relocated("10.40.0.0/16".parse().unwrap(), to.parse().unwrap());
    assert!(moved.contains(range) && moved.contains(&format!("address = \"{address}\"")));
    let back = RigSheet::parse(&moved).unwrap().relocated(to.parse().unwrap(), "10.40.0.0/16".parse().unwrap());
    assert_eq!(back, text);
}
