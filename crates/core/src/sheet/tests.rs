//! Reading sheets: what is right, and every mistake with its place.

use std::net::Ipv4Addr;

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
    "3:3 the sheet has no key `nodes`; one of: rig, thresholds, network, area, kind, node, source, fixture, stream, channel_map, switch, sequence (did you mean `node`?)"
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
    "8:1 this node has no key `adress`; one of: name, label, location, contact, description, area, kind, mac, serial, number, clone_of, behind, address, addressing, firmware, on_data_loss, protocol, sacn_offset, power, reading, port (did you mean `address`?)"
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

/// The only mistake of a sheet with these tables.
fn mistake_in(tables: &str) -> String {
    let mistakes = mistakes(&format!("{HEAD}{tables}\n"));
    assert_eq!(mistakes.len(), 1, "{mistakes:?}");
    mistakes[0].clone()
}

#[rstest]
#[case(
    "[[kind]]\nname = \"k\"\nmodel = \"M\"\nports = 4",
    "6:1 this kind has no `maker`; a line like maker = \"Marrowbright\""
)]
#[case(
    "[[kind]]\nname = \"k\"\nmaker = \"H\"\nmodel = \"M\"\nports = 1021",
    "10:9 `ports` is 1021; a whole number from 0 to 1020, without quotes"
)]
#[case(
    "[[kind]]\nname = \"k\"\nmaker = \"H\"\nmodel = \"M\"\nports = 4\nfactory_mode = \"dchp\"",
    "11:16 `factory_mode` cannot be \"dchp\"; one of: fixed, dhcp, link-local (did you mean \"dhcp\"?)"
)]
#[case(
    "[[kind]]\nname = \"k\"\nmaker = \"H\"\nmodel = \"M\"\nports = 4\nsettings = [\"address\", \"colour\"]",
    "11:24 `settings` cannot be \"colour\"; one of: address, dhcp, name, label, universe, direction, protocol, merge, on_data_loss, rdm, indicators, input, sacn_priority, loss_scene, factory_network"
)]
#[case(
    "[[kind]]\nname = \"k\"\nmaker = \"H\"\nmodel = \"M\"\nports = 4\nname_bytes = 18",
    "11:14 `name_bytes` is 18; a whole number from 1 to 17, without quotes"
)]
#[case(
    "[[kind]]\nname = \"k\"\nmaker = \"H\"\nmodel = \"M\"\nports = 0\n[[kind.reading]]\nname = \"x\"",
    "11:1 this reading has no `object`; a line like object = \"1.3.6.1.2.1.1.7.0\""
)]
#[case(
    "[[kind]]\nname = \"k\"\nmaker = \"H\"\nmodel = \"M\"\nports = 0\n[[kind.reading]]\nname = \"x\"\nobject = \"sysName\"",
    "13:10 `object` cannot be \"sysName\"; not the number of an object, such as 1.3.6.1.2.1.1.5.0"
)]
#[case(
    "[[kind]]\nname = \"k\"\nmaker = \"H\"\nmodel = \"M\"\nports = 0\n[[kind.reading]]\nname = \"x\"\nobject = \"1.3.6\"\nright = \"5\"\nat_most = 6",
    "14:9 it is right within limits, and has a text that is right too; one of both"
)]
#[case(
    "[[kind]]\nname = \"k\"\nmaker = \"H\"\nmodel = \"M\"\nports = 0\n[[kind.reading]]\nname = \"x\"\nobject = \"1.3.6\"\nat_least = 7\nat_most = 6",
    "13:10 the least is above the most; at_least below at_most"
)]
#[case(
    "[[kind]]\nname = \"k\"\nmaker = \"H\"\nmodel = \"M\"\nports = 0\n[[kind.reading]]\nname = \"a name that is longer than it can be\"\nobject = \"1.3.6\"",
    "12:8 a reading is called by at most 32 bytes of plain text; \"dropouts\""
)]
#[case(
    "[[kind]]\nname = \"k\"\nmaker = \"H\"\nmodel = \"M\"\nports = 0\n[[kind.reading]]\nname = \"x\"\nobject = \"1.3.6\"\n[[kind.reading]]\nname = \"x\"\nobject = \"1.3.7\"",
    "15:8 the reading \"x\" of this kind is described twice; each once"
)]
fn a_wrong_kind_says_what_was_expected(#[case] tables: &str, #[case] mistake: &str) {
    assert_eq!(mistake_in(tables), mistake);
}

#[rstest]
#[case("power = 12", Some("12 W"))]
#[case("power = 12.95", Some("12.95 W"))]
#[case("power = 0.125", Some("0.125 W"))]
#[case("power = 1_000", Some("1000 W"))]
#[case("power = 1.2345", None)]
#[case("power = 1e3", None)]
#[case("power = inf", None)]
#[case("power = 4294968", None)]
#[case("power = \"12\"", None)]
fn watts_have_three_decimals(#[case] line: &str, #[case] shown: Option<&str>) {
    let text = format!("{HEAD}[[switch]]\nname = \"s\"\n{line}\n");
    let read =
        RigSheet::parse(&text).ok().map(|sheet| sheet.switches[0].power.as_ref().unwrap().value.to_string());
    assert_eq!(read.as_deref(), shown);
}

#[rstest]
#[case("channels = 8", Some("9.84 Mbit/s"))]
#[case("channels = 8\nbits = 16", Some("6.768 Mbit/s"))]
#[case("channels = 2\nsamples = 96000", Some("5.232 Mbit/s"))]
#[case("channels = 8\nrate = 3.5", Some("3.5 Mbit/s"))]
#[case("", None)]
fn the_load_of_a_stream_follows_from_its_channels(#[case] lines: &str, #[case] load: Option<&str>) {
    let stream = "[[stream]]\nname = \"s\"\ncarries = \"audio\"\nfrom = \"quay\"\ngroup = \"239.1.1.1\"\n";
    let sheet = RigSheet::parse(&format!("{HEAD}{NODE}{stream}{lines}\n")).unwrap();
    assert_eq!(sheet.streams[0].load().map(|load| load.to_string()).as_deref(), load);
    assert_eq!(sheet.streams[0].group.value.to_string(), "239.1.1.1:5004");
}

#[rstest]
#[case("10.40.1.7", Some("area Quay"))]
#[case("10.40.14.7", Some("area Tower number 5"))]
#[case("10.40.99.7", None)]
fn an_address_is_told_in_words(#[case] address: Ipv4Addr, #[case] words: Option<&str>) {
    let scheme = "[[network.scheme]]\noctet = 3\nmeans = \"area\"\nwords = { 1 = \"Quay\", 10-19 = \"Tower\" }\n";
    let sheet = RigSheet::parse(&format!("{HEAD}{scheme}")).unwrap();
    assert_eq!(sheet.networks[0].in_words(address).as_deref(), words);
}

#[rstest]
#[case::a_bare_number(5, Some("sacn 5"))]
#[case::text("\"5\"", Some("sacn 5"))]
#[case::the_other_protocol("\"0:0:5\"", Some("0:0:5"))]
#[case::none_such(0, None)]
fn a_node_of_sacn_means_sacn_by_a_number(#[case] out: impl std::fmt::Display, #[case] universe: Option<&str>) {
    let text = format!("{HEAD}{NODE}protocol = \"sacn\"\n[[node.port]]\nport = 1\nout = {out}\n");
    let sheet = RigSheet::parse(&text).unwrap();
    let read = sheet.nodes[0].ports[0].universe.value.real().map(|universe| universe.to_string());
    assert_eq!(read.as_deref(), universe);
}

#[test]
fn the_desks_counting_holds_wherever_it_is_said() {
    let port = "[[node.port]]\nport = 1\nout = \"desk 7\"\n";
    let zero = HEAD.replace("name = \"Tidewick\"", "name = \"Tidewick\"\ndesk_counts_from = 0");
    let (rig, rest) = zero.split_at(zero.find("[[network]]").unwrap());
    for text in [format!("{zero}{NODE}{port}"), format!("{rest}{NODE}{port}{rig}")] {
        let sheet = RigSheet::parse(&text).unwrap();
        assert_eq!(sheet.nodes[0].ports[0].universe.value.real().unwrap().to_string(), "0:0:7");
    }
}

#[test]
fn members_are_found_by_their_places() {
    let text = format!(
        "{HEAD}[[switch]]\nname = \"s\"\n[[switch.port]]\nport = 1\nto = \"d\"\nfeeds = false\n[[switch.port]]\nport = 2\nto = \"s\"\n\
         [[source]]\nname = \"d\"\naddress = \"10.40.0.9\"\n{NODE}behind = \"quay\"\n"
    );
    let sheet = RigSheet::parse(&text).unwrap();
    let names: Vec<&str> = sheet.members().map(|member| member.name().value.as_str()).collect();
    assert_eq!(names, ["quay", "d", "s"]);
    let to: Vec<&str> = sheet.switches[0].ports.iter().map(|port| sheet.member_name(port.to.value)).collect();
    assert_eq!(to, ["d", "s"]);
    assert_eq!((sheet.member(3), sheet.member_name(9)), (None, ""));
    assert_eq!(sheet.nodes[0].behind.as_ref().map(|first| first.value), Some(0));
}

#[test]
fn a_large_sheet_reads_the_same_in_pieces() {
    let node = |i: u32| {
        format!(
            "[[node]] # {i}\nname = \"n-{i}\"\naddress = \"10.40.{}.{}\"\n[[node.port]]\nport = 1\nout = {i}\n",
            i / 200,
            i % 200 + 1
        )
    };
    let nodes: String = (0..2000).map(node).collect();
    let sheet = RigSheet::parse(&format!("{HEAD}{nodes}")).unwrap();
    assert_eq!((sheet.nodes.len(), sheet.nodes[1999].name.value.as_str()), (2000, "n-1999"));
    let span = sheet.nodes[1999].ports[0].universe.span;
    assert_eq!(&sheet.text()[span.start..span.end], "1999");
    assert_eq!(sheet.position(span).line, 5 + 2000 * 6);
    // The same heading in two pieces is told, and what stands in a broken piece is not missed elsewhere.
    let twice = mistakes(&format!("{HEAD}{nodes}[rig]\nname = \"again\"\n"));
    assert_eq!(twice, [format!("{}:1 [rig] stands here a second time; it once", 6 + 2000 * 6)]);
    let broken = nodes.replacen("name = \"n-7\"", "name = ", 1)
        + "[[switch]]\nname = \"s\"\n[[switch.port]]\nport = 1\nto = \"n-7\"\n";
    assert_eq!(mistakes(&format!("{HEAD}{broken}")).len(), 1);
}

#[test]
fn what_could_not_be_read_is_not_missed() {
    let text = format!(
        "{HEAD}[[area]]\nname = \"Quay\"\nnodes_from = \"x\"\n{NODE}area = \"Quay\"\n[[switch]]\nname = 5\n[[switch.port]]\nport = 1\nto = \"gone\"\n"
    );
    let lines: Vec<String> = mistakes(&text).iter().map(|m| m.split(' ').next().unwrap().to_owned()).collect();
    assert_eq!(lines, ["8:14", "14:8"]);
}

#[test]
fn a_line_is_added_behind_another() {
    let sheet = RigSheet::parse(&format!("{HEAD}{NODE}")).unwrap();
    let mut edits = Edits::default();
    edits.add_line_behind(sheet.text(), sheet.nodes[0].name.span, "label", "so \"far\"");
    let text = edits.apply(sheet.text());
    assert_eq!(RigSheet::parse(&text).unwrap().nodes[0].label.as_ref().unwrap().value, "so \"far\"");
    assert!(text.contains("name = \"quay\"\nlabel = "));
}

/// An end of a stream is a node and what the device calls it; a slash may be in both.
#[rstest]
#[case("quay", "quay", None)]
#[case("quay/In A", "quay", Some("In A"))]
#[case("quay / In A/B", "quay", Some("In A/B"))]
#[case("mix/left", "mix/left", None)]
#[case("mix/left/1", "mix/left", Some("1"))]
#[case("quay/", "quay", None)]
fn ends_of_streams_are_nodes_and_what_these_call_them(
    #[case] written: &str,
    #[case] node: &str,
    #[case] label: Option<&str>,
) {
    let second = "[[node]]\nname = \"mix/left\"\naddress = \"10.40.1.2\"\n";
    let stream = format!(
        "[[stream]]\nname = \"s\"\ncarries = \"audio\"\nfrom = \"{written}\"\nto = [\"{written}\"]\ngroup = \"239.1.1.1\"\n"
    );
    let sheet = RigSheet::parse(&format!("{HEAD}{NODE}{second}{stream}")).unwrap();
    let stream = &sheet.streams[0];
    for end in [&stream.from, &stream.to[0]] {
        assert_eq!((sheet.member_name(end.member.value), end.label.as_deref()), (node, label));
    }
}

#[test]
fn an_end_of_a_stream_that_is_no_node_is_told() {
    let stream = "[[stream]]\nname = \"s\"\ncarries = \"audio\"\nfrom = \"kuay/In A\"\ngroup = \"239.1.1.1\"\nsecond_group = \"x\"\n";
    let told = mistakes(&format!("{HEAD}{NODE}{stream}"));
    assert!(
        told.iter().any(|line| line.contains("\"kuay\"") && line.contains("did you mean \"quay\"?")),
        "{told:?}"
    );
    assert!(told.iter().any(|line| line.contains("second_group") || line.contains("\"x\"")), "{told:?}");
}

#[test]
fn a_channel_map_is_read() {
    let map = "[[channel_map]]\nnode = \"quay\"\noutput = \"PA\"\nchannels = [\"A/B/Mic 1\", \"none\"]\nnames = [\"left\"]\n";
    let sheet = RigSheet::parse(&format!("{HEAD}{NODE}{map}")).unwrap();
    let map = &sheet.channel_maps[0];
    let from = WantedChannel::From { input: "A/B".to_owned(), channel: "Mic 1".to_owned() };
    let channels: Vec<_> = map.channels.iter().map(|channel| channel.value.clone()).collect();
    assert_eq!(channels, [from, WantedChannel::Nowhere]);
    assert_eq!(map.output.as_ref().map(|output| output.value.as_str()), Some("PA"));
    let told = mistakes(&format!("{HEAD}{NODE}[[channel_map]]\nnode = \"quay\"\nchannels = [\"Mic\", \"/1\"]\n"));
    assert_eq!(told.iter().filter(|line| line.contains("an input and its channel")).count(), 2, "{told:?}");
}
