//! Every rule just inside and just outside, on a sheet that is otherwise clean.

use std::collections::BTreeSet;

use rstest::rstest;

use super::*;

const CLEAN: &str = r#"
[rig]
name = "Tidewick"

[[network]]
name = "lights"
range = "10.40.0.0/16"
gateway = "10.40.0.1"
keep_free = ["10.40.0.2-10.40.0.49"]
dhcp = "10.40.250.1-10.40.250.200"
locked = ["10.40.9.0/24"]

[[area]]
name = "Quay"
network = "lights"
range = "10.40.1.0/24"
universes = "0:0:0-0:1:15"

[[node]]
name = "quay-north"
area = "Quay"
kind = "marrowbright-four"
mac = "02:4d:42:00:10:01"
address = "10.40.1.100"
[[node.port]]
port = 1
out = "0:0:0"

[[node]]
name = "quay-south"
label = "South"
mac = "02:4d:42:00:10:02"
address = "10.40.1.101"
[[node.port]]
port = 1
out = "0:0:1"
"#;

/// Code and line of every finding, the clean sheet changed by replacing one text.
fn codes(from: &str, to: &str) -> Vec<&'static str> {
    assert!(CLEAN.contains(from), "{from}");
    let sheet = RigSheet::parse(&CLEAN.replacen(from, to, 1)).unwrap();
    sheet_clashes(&sheet).iter().map(|finding| finding.rule.code).collect()
}

const NORTH: &str = "\"10.40.1.100\"";
const SOUTH: &str = "\"10.40.1.101\"";

#[rstest]
#[case::the_same_address(SOUTH, "\"10.40.1.100\"", &["A001"])]
#[case::the_next_address(SOUTH, "\"10.40.1.102\"", &[])]
#[case::two_by_dhcp(SOUTH, "\"dhcp\"", &[])]
#[case::below_the_network(SOUTH, "\"10.39.255.255\"", &["A002"])]
#[case::above_the_network(SOUTH, "\"10.41.0.0\"", &["A002"])]
#[case::first_host_is_the_gateway(SOUTH, "\"10.40.0.1\"", &["A008"])]
#[case::below_the_area(NORTH, "\"10.40.0.255\"", &["A003"])]
#[case::first_of_the_area(NORTH, "\"10.40.1.0\"", &[])]
#[case::last_of_the_area(NORTH, "\"10.40.1.255\"", &[])]
#[case::above_the_area(NORTH, "\"10.40.2.0\"", &["A003"])]
#[case::the_network_itself(SOUTH, "\"10.40.0.0\"", &["A004"])]
#[case::everybody(SOUTH, "\"10.40.255.255\"", &["A004"])]
#[case::last_host(SOUTH, "\"10.40.255.254\"", &[])]
#[case::first_kept_free(SOUTH, "\"10.40.0.2\"", &["A005"])]
#[case::last_kept_free(SOUTH, "\"10.40.0.49\"", &["A005"])]
#[case::after_kept_free(SOUTH, "\"10.40.0.50\"", &[])]
#[case::before_the_pool(SOUTH, "\"10.40.250.0\"", &[])]
#[case::first_of_the_pool(SOUTH, "\"10.40.250.1\"", &["A006"])]
#[case::last_of_the_pool(SOUTH, "\"10.40.250.200\"", &["A006"])]
#[case::after_the_pool(SOUTH, "\"10.40.250.201\"", &[])]
#[case::before_the_locked(SOUTH, "\"10.40.8.255\"", &[])]
#[case::in_the_locked(SOUTH, "\"10.40.9.0\"", &["A007"])]
#[case::a_gateway_elsewhere("\"10.40.0.1\"", "\"10.41.0.1\"", &["A009"])]
#[case::a_gateway_that_is_everybody("\"10.40.0.1\"", "\"10.40.255.255\"", &["A009"])]
#[case::no_gateway("\"10.40.0.1\"", "\"none\"", &[])]
#[case::still_open(SOUTH, "\"fill\"", &["A010"])]
fn addresses(#[case] from: &str, #[case] to: &str, #[case] expected: &[&str]) {
    assert_eq!(codes(from, to), expected);
}

const FIRST: &str = "out = \"0:0:0\"";
const SECOND: &str = "out = \"0:0:1\"";

#[rstest]
#[case::the_same(SECOND, "out = \"0:0:0\"", &["U002"])]
#[case::the_same_as_a_number(SECOND, "out = 0", &["U002"])]
#[case::the_same_by_the_desk(SECOND, "out = \"desk 1\"", &["U002"])]
#[case::one_in_one_out(SECOND, "in = \"0:0:0\"", &[])]
#[case::a_declared_split(SECOND, "out = \"0:0:0\"\nsplits = 2", &[])]
#[case::a_split_too_large(SECOND, "out = \"0:0:0\"\nsplits = 3", &["U003"])]
#[case::a_split_alone(SECOND, "out = \"0:0:1\"\nsplits = 2", &["U003"])]
#[case::net_too_large(SECOND, "out = \"128:0:0\"", &["U001"])]
#[case::last_net(SECOND, "out = \"127:15:15\"", &[])]
#[case::number_too_large(SECOND, "out = 32768", &["U001"])]
#[case::sacn_zero(SECOND, "out = \"sacn 0\"", &["U001"])]
#[case::sacn_last(SECOND, "out = \"sacn 63999\"", &[])]
#[case::sacn_too_large(SECOND, "out = \"sacn 64000\"", &["U001"])]
#[case::last_of_the_block(FIRST, "out = \"0:1:15\"", &[])]
#[case::past_the_block(FIRST, "out = \"0:2:0\"", &["U004"])]
#[case::last_port("port = 1", "port = 4", &[])]
#[case::no_such_port("port = 1", "port = 5", &["U005"])]
fn universes(#[case] from: &str, #[case] to: &str, #[case] expected: &[&str]) {
    assert_eq!(codes(from, to), expected);
}

#[rstest]
#[case::the_same("\"quay-south\"", "\"quay-north\"", &["N001"])]
#[case::seventeen_bytes("\"quay-south\"", "\"a2345678901234567\"", &[])]
#[case::eighteen_bytes("\"quay-south\"", "\"a23456789012345678\"", &["N002"])]
#[case::nine_letters_of_two_bytes("\"quay-south\"", "\"äöüäöüäöü\"", &["N002"])]
#[case::sixty_three("\"South\"", "\"S23456789 123456789 123456789 123456789 123456789 123456789 123\"", &[])]
#[case::sixty_four("\"South\"", "\"S23456789 123456789 123456789 123456789 123456789 123456789 1234\"", &["N002"])]
#[case::the_same_mac("02:4d:42:00:10:02", "02:4d:42:00:10:01", &["N004"])]
fn names(#[case] from: &str, #[case] to: &str, #[case] expected: &[&str]) {
    assert_eq!(codes(from, to), expected);
}

#[test]
fn names_that_become_equal_when_cut() {
    let long = CLEAN.replace("\"quay-north\"", "\"north-mast-gateway-1\"");
    let sheet = RigSheet::parse(&long.replace("\"quay-south\"", "\"north-mast-gateway-2\"")).unwrap();
    let codes: Vec<&str> = sheet_clashes(&sheet).iter().map(|finding| finding.rule.code).collect();
    assert_eq!(codes, ["N002", "N002", "N003"]);
}

#[test]
fn the_clean_sheet_is_clean() {
    assert_eq!(codes("Tidewick", "Tidewick"), [""; 0]);
}

#[test]
fn a_clash_stands_at_the_later_place_and_names_the_earlier() {
    let sheet = RigSheet::parse(&CLEAN.replace(SOUTH, NORTH)).unwrap();
    let clash = sheet_clashes(&sheet).remove(0);
    let lines: Vec<usize> = clash.places.iter().map(|place| place.position.line).collect();
    let line_of =
        |n: usize| CLEAN.lines().enumerate().filter(|(_, l)| l.starts_with("address")).nth(n).unwrap().0 + 1;
    assert_eq!(lines, [line_of(1), line_of(0)]);
    assert_eq!(clash.places[0].position.column, 11);
    assert_eq!(clash.what, "10.40.1.100 is given to quay-north and quay-south");
}

#[test]
fn codes_are_stable_and_each_is_its_own() {
    let rules = crate::explain::catalogue();
    let codes: BTreeSet<&str> = rules.iter().map(|rule| rule.code).collect();
    assert_eq!(codes.len(), rules.len());
    let well_formed = |code: &str| code.len() == 4 && code[1..].parse::<u16>().is_ok();
    assert!(codes.iter().all(|code| well_formed(code)));
    assert!(rules.iter().all(|rule| !rule.title.is_empty() && !rule.why.ends_with('.')));
}

/// Codes of the clean sheet with further tables at its end.
fn codes_with(tables: &str) -> Vec<&'static str> {
    let sheet =
        RigSheet::parse(&format!("{CLEAN}{tables}")).unwrap_or_else(|errors| panic!("{:?}", errors.errors));
    sheet_clashes(&sheet).iter().map(|finding| finding.rule.code).collect()
}

fn node(name: &str, rest: &str) -> String {
    format!("[[node]]\nname = \"{name}\"\n{rest}\n")
}

fn network(range: &str, rest: &str) -> String {
    format!("[[network]]\nname = \"second\"\nrange = \"{range}\"\n{rest}\n")
}

#[rstest]
#[case::apart(network("10.41.0.0/16", ""), &[])]
#[case::overlapping(network("10.40.255.0/24", ""), &["A011"])]
#[case::private_with_a_way_out(network("172.31.0.0/16", "gateway = \"172.31.0.1\""), &[])]
#[case::public_with_a_way_out(network("172.32.0.0/16", "gateway = \"172.32.0.1\""), &["A012"])]
#[case::public_and_closed(network("172.32.0.0/16", "gateway = \"none\""), &[])]
#[case::kept_to_the_end(network("10.41.0.0/16", "keep_free = \"10.41.255.0/24\""), &[])]
#[case::kept_past_the_end(network("10.41.0.0/16", "locked = \"10.41.255.0-10.42.0.0\""), &["A020"])]
#[case::before_link_local(node("a", "address = \"169.253.255.255\""), &["A002"])]
#[case::link_local(node("a", "address = \"169.254.0.0\""), &["A013"])]
#[case::before_the_factory(node("a", "kind = \"marrowbright-four\"\naddress = \"10.40.239.255\""), &[])]
#[case::at_the_factory(node("a", "kind = \"marrowbright-four\"\naddress = \"10.40.240.0\""), &["A014"])]
#[case::with_a_pool(node("a", "address = \"dhcp\""), &[])]
fn networks_and_places(#[case] tables: String, #[case] expected: &[&str]) {
    assert_eq!(codes_with(&tables), expected);
}

#[rstest]
#[case::last_permitted("10.40.3.255", &[])]
#[case::past_the_permitted("10.40.4.0", &["A016"])]
fn what_a_kind_accepts(#[case] address: &str, #[case] expected: &[&str]) {
    let kind = "[[kind]]\nname = \"own\"\nmaker = \"H\"\nmodel = \"M\"\nports = 1\npermitted = \"10.40.3.0/24\"\n";
    assert_eq!(
        codes_with(&format!("{kind}{}", node("a", &format!("kind = \"own\"\naddress = \"{address}\"")))),
        expected
    );
}

#[rstest]
#[case::its_own_number("10.40.1.7", "Quay", &[])]
#[case::another_ones("10.40.2.7", "Hall", &[])]
#[case::of_another_area("10.40.1.7", "Hall", &["A015"])]
#[case::without_a_word("10.40.3.7", "Hall", &["A015"])]
fn a_scheme_is_obeyed(#[case] address: &str, #[case] area: &str, #[case] expected: &[&str]) {
    let scheme = "[[network.scheme]]\noctet = 3\nmeans = \"area\"\nwords = { 1 = \"Quay\", 2 = \"Hall\" }\n\n[[area]]\nname = \"Hall\"\n[[area]]";
    let text = CLEAN.replacen("[[area]]", scheme, 1);
    let sheet =
        RigSheet::parse(&format!("{text}{}", node("a", &format!("area = \"{area}\"\naddress = \"{address}\""))))
            .unwrap();
    let codes: Vec<&str> = sheet_clashes(&sheet).iter().map(|finding| finding.rule.code).collect();
    assert_eq!(codes, expected);
}

#[rstest]
#[case::inside("range = \"10.40.2.0/24\"\nuniverses = \"32-63\"", &[])]
#[case::outside_the_network("range = \"10.39.255.0-10.40.0.255\"", &["A017"])]
#[case::next_to_the_other("range = \"10.40.0.0/24\"", &[])]
#[case::sharing_one_address("range = \"10.40.1.255-10.40.2.255\"", &["A018"])]
#[case::sharing_one_universe("universes = \"31-63\"", &["U015"])]
fn areas(#[case] lines: &str, #[case] expected: &[&str]) {
    assert_eq!(codes_with(&format!("[[area]]\nname = \"Hall\"\n{lines}\n")), expected);
}

const TWO_PORTS: &str =
    "kind = \"marrowbright-eight\"\naddress = \"10.40.3.1\"\n[[node.port]]\nport = 1\nout = 32\n";

#[rstest]
#[case::open("[[node.port]]\nport = 2\nout = \"fill\"", &["U006"])]
#[case::another_number_by_sacn("[[node.port]]\nport = 2\nout = \"sacn 34\"", &[])]
#[case::the_number_by_sacn("[[node.port]]\nport = 5\nout = \"sacn 1\"", &["U007"])]
#[case::torn_by_sacn("[[node.port]]\nport = 2\nout = \"sacn 2\"", &["U014"])]
#[case::torn_by_an_input("[[node.port]]\nport = 2\nin = 48", &["U014"])]
#[case::last_of_the_page("[[node.port]]\nport = 4\nout = 47", &[])]
#[case::another_sub_net("[[node.port]]\nport = 4\nout = 48", &["U014"])]
#[case::on_the_next_page("[[node.port]]\nport = 5\nout = 48", &[])]
fn ports(#[case] port: &str, #[case] expected: &[&str]) {
    assert_eq!(codes_with(&node("a", &format!("{TWO_PORTS}{port}"))), expected);
}

#[rstest]
#[case::a_clone_is_meant("clone_of = \"quay-north\"\nnumber = 7\n", &[])]
#[case::without_the_word("number = 7\n", &["U002", "N007"])]
fn clones(#[case] lines: &str, #[case] expected: &[&str]) {
    let north = "mac = \"02:4d:42:00:10:01\"";
    let text = CLEAN.replacen(north, &format!("{north}\nnumber = 7"), 1);
    let twin = node("twin", &format!("{lines}address = \"10.40.3.1\"\n[[node.port]]\nport = 1\nout = 0"));
    let sheet = RigSheet::parse(&format!("{text}{twin}")).unwrap();
    let mut codes: Vec<&str> = sheet_clashes(&sheet).iter().map(|finding| finding.rule.code).collect();
    codes.sort_unstable_by_key(|code| std::cmp::Reverse(*code));
    assert_eq!(codes, expected);
}

#[rstest]
#[case::both_sent("sends = \"0-1\"", "", &[])]
#[case::one_not_sent("sends = \"0\"", "", &["U008"])]
#[case::one_for_nobody("sends = \"0-2\"", "", &["U009"])]
#[case::by_another_protocol("sends = \"0-1\"\nprotocol = \"sacn\"", "", &["U010", "U010"])]
#[case::two_senders("sends = \"0-1\"", "[[source]]\nname = \"spare\"\nsends = \"1\"", &["U011"])]
fn senders(#[case] desk: &str, #[case] more: &str, #[case] expected: &[&str]) {
    assert_eq!(codes_with(&format!("[[source]]\nname = \"desk\"\n{desk}\n{more}\n")), expected);
}

#[rstest]
#[case::declared("sources = 2", &[])]
#[case::combined("sources = 2\nmerge = \"htp\"", &[])]
#[case::not_combined("sources = 2\nmerge = \"off\"", &["U012"])]
#[case::too_few_declared("sources = 1", &["U011"])]
fn two_sources(#[case] lines: &str, #[case] expected: &[&str]) {
    let text = CLEAN.replacen(SECOND, &format!("{SECOND}\n{lines}"), 1);
    let desks = "[[source]]\nname = \"desk\"\nsends = \"0-1\"\n[[source]]\nname = \"spare\"\nsends = \"1\"\n";
    let sheet = RigSheet::parse(&format!("{text}{desks}")).unwrap();
    let codes: Vec<&str> = sheet_clashes(&sheet).iter().map(|finding| finding.rule.code).collect();
    assert_eq!(codes, expected);
}

fn fixture(name: &str, on: &str, slot: &str, footprint: u32) -> String {
    format!("[[fixture]]\nname = \"{name}\"\non = {on}\nslot = {slot}\nfootprint = {footprint}\n")
}

#[rstest]
#[case::back_to_back(fixture("a", "0", "1", 10) + &fixture("b", "0", "11", 10), &[])]
#[case::one_slot_shared(fixture("a", "0", "1", 10) + &fixture("b", "0", "10", 10), &["F001"])]
#[case::the_same_slots_elsewhere(fixture("a", "0", "1", 10) + &fixture("b", "1", "1", 10), &[])]
#[case::below_a_long_one(fixture("a", "0", "1", 100) + &fixture("b", "0", "2", 1) + &fixture("c", "0", "50", 1), &["F001", "F001"])]
#[case::to_the_end(fixture("a", "0", "503", 10), &[])]
#[case::past_the_end(fixture("a", "0", "504", 10), &["F002"])]
#[case::on_no_output(fixture("a", "2", "1", 10), &["F003"])]
#[case::open(fixture("a", "0", "\"fill\"", 10), &["F004"])]
#[case::no_such_universe(fixture("a", "32768", "1", 10), &["F005"])]
fn fixtures(#[case] tables: String, #[case] expected: &[&str]) {
    assert_eq!(codes_with(&tables), expected);
}

fn stream(name: &str, group: &str) -> String {
    format!(
        "[[stream]]\nname = \"{name}\"\ncarries = \"audio\"\nfrom = \"quay-north\"\nto = \"quay-south\"\ngroup = \"{group}\"\n"
    )
}

#[rstest]
#[case::two_ports_of_one_group(stream("a", "239.69.1.1:5004") + &stream("b", "239.69.1.1:5006"), &[])]
#[case::the_same_port(stream("a", "239.69.1.1") + &stream("b", "239.69.1.1:5004"), &["S001"])]
#[case::differing_in_the_bit_that_is_lost(stream("a", "239.69.1.1") + &stream("b", "239.197.1.1"), &["S002"])]
#[case::differing_in_the_next_bit(stream("a", "239.69.1.1") + &stream("b", "239.5.1.1"), &[])]
#[case::last_flooded(stream("a", "224.0.0.255"), &["S003"])]
#[case::first_not_flooded(stream("a", "224.0.1.0"), &[])]
#[case::group_of_an_unused_universe(stream("a", "239.255.0.9"), &[])]
#[case::below_multicast(stream("a", "223.255.255.255"), &["S005"])]
#[case::last_multicast(stream("a", "239.255.255.255"), &[])]
#[case::open(stream("a", "fill"), &["S007"])]
#[case::for_nobody(stream("a", "239.69.1.1").replace("to = \"quay-south\"\n", ""), &["S006"])]
fn streams(#[case] tables: String, #[case] expected: &[&str]) {
    assert_eq!(codes_with(&tables), expected);
}

#[test]
fn a_stream_on_the_group_of_a_universe_in_use() {
    let text = CLEAN.replacen(SECOND, "out = \"sacn 9\"", 1) + &stream("a", "239.255.0.9");
    let findings = sheet_clashes(&RigSheet::parse(&text).unwrap());
    assert_eq!(findings.iter().map(|f| f.rule.code).collect::<Vec<_>>(), ["S004"]);
}

fn switch(head: &str, ports: &[(u32, &str)]) -> String {
    let ports: String =
        ports.iter().map(|(port, to)| format!("[[switch.port]]\nport = {port}\nto = \"{to}\"\n")).collect();
    format!("[[switch]]\n{head}\n{ports}")
}

const BOTH: &[(u32, &str)] = &[(1, "quay-north"), (2, "quay-south")];

#[rstest]
#[case::under_the_threshold(switch("name = \"s\"\npower = 8.2", BOTH), &[])]
#[case::at_the_threshold(switch("name = \"s\"\npower = 8.125", BOTH), &["L002"])]
#[case::all_of_it(switch("name = \"s\"\npower = 6.5", BOTH), &["L002"])]
#[case::more_than_all(switch("name = \"s\"\npower = 6.499", BOTH), &["L001"])]
#[case::last_socket(switch("name = \"s\"\nsockets = 2", BOTH), &[])]
#[case::no_such_socket(switch("name = \"s\"\nsockets = 1", BOTH), &["L006"])]
#[case::one_socket_twice(switch("name = \"s\"", &[(1, "quay-north"), (1, "quay-south")]), &["L007"])]
#[case::one_device_twice(switch("name = \"s\"", &[(1, "quay-north"), (2, "quay-north")]), &["L008"])]
#[case::a_cable_written_at_both_ends(switch("name = \"s\"", &[(1, "t")]) + &switch("name = \"t\"", &[(1, "s")]), &[])]
#[case::two_cables(switch("name = \"s\"", &[(1, "t"), (2, "t")]) + &switch("name = \"t\"", &[]), &["L009"])]
fn switches(#[case] tables: String, #[case] expected: &[&str]) {
    assert_eq!(codes_with(&tables), expected);
}

#[rstest]
#[case::below("0.69", &[])]
#[case::at_the_threshold("0.7", &["L004"])]
#[case::all_of_it("1", &["L004"])]
#[case::too_much("1.001", &["L003"])]
fn links(#[case] rate: &str, #[case] expected: &[&str]) {
    let cable =
        switch("name = \"s\"\nlink = 1", &[(1, "quay-north")]) + &switch("name = \"t\"", &[(1, "quay-south")]);
    let cable =
        cable.replacen("to = \"quay-south\"", "to = \"s\"\n[[switch.port]]\nport = 2\nto = \"quay-south\"", 1);
    assert_eq!(codes_with(&format!("{}rate = {rate}\n{cable}", stream("a", "239.69.1.1"))), expected);
}

#[rstest]
#[case::as_long_as_allowed(4, &[])]
#[case::one_more(5, &["L005"])]
fn chains(#[case] units: usize, #[case] expected: &[&str]) {
    let unit = |i: usize| {
        let behind = if i > 1 { format!("behind = \"unit-{}\"\n", i - 1) } else { String::new() };
        node(&format!("unit-{i}"), &format!("{behind}kind = \"marrowbright-four\"\naddress = \"10.40.3.{i}\""))
    };
    assert_eq!(codes_with(&(1..=units).map(unit).collect::<String>()), expected);
}

#[rstest]
#[case::in_a_circle("behind = \"two\"", &["L010"])]
#[case::one_after_the_other("", &[])]
fn chains_have_a_beginning(#[case] first: &str, #[case] expected: &[&str]) {
    let two = node("two", "behind = \"one\"\naddress = \"10.40.3.2\"");
    assert_eq!(codes_with(&(node("one", &format!("{first}\naddress = \"10.40.3.1\"")) + &two)), expected);
}

#[rstest]
#[case::known("kind = \"marrowbright-four\"", &[])]
#[case::unknown("kind = \"marrowbright-for\"", &["N006"])]
#[case::another_serial("serial = \"2\"", &[])]
#[case::what_the_kind_has_not("kind = \"tessaquill-eye\"\non_data_loss = \"hold\"", &["U016"])]
#[case::what_the_kind_has("kind = \"marrowbright-four\"\non_data_loss = \"hold\"", &[])]
fn identities(#[case] lines: &str, #[case] expected: &[&str]) {
    assert_eq!(codes_with(&node("a", &format!("{lines}\naddress = \"10.40.3.1\""))), expected);
}

#[test]
fn the_same_serial_number_twice() {
    let text = node("a", "serial = \"7\"\naddress = \"10.40.3.1\"")
        + &node("b", "serial = \"7\"\naddress = \"10.40.3.2\"");
    assert_eq!(codes_with(&text), ["N005"]);
}

#[test]
fn what_is_open_is_one_finding_for_each_sort() {
    let open = |name: &str| {
        node(
            name,
            "address = \"fill\"\n[[node.port]]\nport = 1\nout = \"fill\"\n[[node.port]]\nport = 2\nout = \"sacn fill\"",
        )
    };
    let text = format!("{CLEAN}{}{}", open("a"), open("b"));
    let findings = sheet_clashes(&RigSheet::parse(&text).unwrap());
    let said: Vec<(&str, &str, usize)> =
        findings.iter().map(|f| (f.rule.code, f.what.as_str(), f.places.len())).collect();
    assert_eq!(
        said,
        [
            ("A010", "2 have no address yet: a, b", 2),
            ("U006", "4 have no universe yet: a port 1, a port 2, b port 1, b port 2", 4),
        ]
    );
    assert!(findings.iter().all(|finding| finding.command.as_deref() == Some("sheet fill")));
}

#[test]
fn universes_for_nobody_are_told_in_runs() {
    let desk = "[[source]]\nname = \"desk\"\nsends = [\"0-4\", \"9\", \"0:0:11-0:0:12\"]\n";
    let findings = sheet_clashes(&RigSheet::parse(&format!("{CLEAN}{desk}")).unwrap());
    let said: Vec<&str> = findings.iter().map(|finding| finding.what.as_str()).collect();
    assert_eq!(
        said,
        [
            "desk sends 0:0:2 to 0:0:4, which no port listens to",
            "desk sends 0:0:9, which no port listens to",
            "desk sends 0:0:11 to 0:0:12, which no port listens to",
        ]
    );
}
