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
    let rules = catalogue();
    let codes: BTreeSet<&str> = rules.iter().map(|rule| rule.code).collect();
    assert_eq!(codes.len(), rules.len());
    let well_formed = |code: &str| code.len() == 4 && code[1..].parse::<u16>().is_ok();
    assert!(codes.iter().all(|code| well_formed(code)));
    assert!(rules.iter().all(|rule| !rule.title.is_empty() && !rule.why.ends_with('.')));
}
