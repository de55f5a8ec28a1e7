//! What the sheet demands of an address, one demand after the other.

use rstest::rstest;

use super::domain::Domain;
use crate::sheet::RigSheet;

const SHEET: &str = r#"[rig]
name = "t"
[[kind]]
name = "picky"
maker = "H"
model = "P"
ports = 0
permitted = ["10.40.1.0/28", "10.40.3.0/24"]
factory = "10.40.1.8"
[[network]]
name = "lights"
range = "10.40.0.0/16"
gateway = "10.40.1.5"
keep_free = "10.40.1.0-10.40.1.2"
dhcp = "10.40.1.11"
locked = "10.40.1.13-10.40.1.255"
[[network.scheme]]
octet = 3
means = "area"
words = { 1 = "Quay", 3 = "Barge", 10-20 = "Tower" }
[[area]]
name = "Quay"
range = "10.40.1.0/24"
nodes_from = 4
[[area]]
name = "Barge"
[[node]]
name = "in-area"
area = "Quay"
kind = "picky"
address = "fill"
[[node]]
name = "by-scheme"
area = "Barge"
address = "fill"
[[node]]
name = "free"
address = "fill"
"#;

/// The last numbers, or all of the address, that a node may have.
fn allowed(node: usize, count: usize) -> Vec<String> {
    let sheet = RigSheet::parse(SHEET).unwrap();
    let domain = Domain::of(&sheet, &sheet.networks[0], &sheet.nodes[node]);
    let all: Vec<u32> = domain.iter().take(count).collect();
    assert!(all.iter().all(|address| domain.allows(*address) && domain.next(*address) == Some(*address)));
    all.into_iter().map(|bits| std::net::Ipv4Addr::from_bits(bits).to_string()).collect()
}

#[rstest]
// From 4 on, without the gateway, the factory's, the pool's, and what is locked from 13 on.
#[case::every_demand(0, &["10.40.1.4", "10.40.1.6", "10.40.1.7", "10.40.1.9", "10.40.1.10", "10.40.1.12"])]
#[case::where_the_scheme_says_its_area(1, &["10.40.3.0", "10.40.3.1", "10.40.3.2", "10.40.3.3", "10.40.3.4", "10.40.3.5"])]
#[case::where_the_scheme_has_words_and_no_area_is(2, &["10.40.3.0", "10.40.3.1", "10.40.3.2", "10.40.3.3", "10.40.3.4", "10.40.3.5"])]
fn all_demands_hold(#[case] node: usize, #[case] addresses: &[&str]) {
    assert_eq!(allowed(node, 6), addresses);
}

#[test]
fn every_demand_says_where_it_is_made() {
    let sheet = RigSheet::parse(SHEET).unwrap();
    let domain = Domain::of(&sheet, &sheet.networks[0], &sheet.nodes[0]);
    let lines: Vec<usize> = domain
        .demands
        .iter()
        .flat_map(|demand| &demand.places)
        .map(|(span, _)| sheet.position(*span).line)
        .collect();
    assert_eq!(lines, [12, 23, 24, 14, 15, 16, 13, 30, 30, 19]);
}

#[test]
fn a_demand_less_leaves_more() {
    let sheet = RigSheet::parse(SHEET).unwrap();
    let domain = Domain::of(&sheet, &sheet.networks[0], &sheet.nodes[0]);
    let all = domain.iter().count();
    for left_out in 0..domain.demands.len() {
        let mut demands = domain.demands.clone();
        demands.remove(left_out);
        assert!(Domain::made_of(demands).iter().take(100_000).count() >= all);
    }
    assert_eq!(all, 6);
}
