//! What holds for any input.

use std::collections::BTreeSet;
use std::net::Ipv4Addr;

use lantern_core::Said;
use lantern_core::address::{AddressRange, Mask, Role, Subnet};
use lantern_core::change::{Part, plan_by_sheet};
use lantern_core::clash::sheet_clashes;
use lantern_core::compare::{Match, Matching, compare};
use lantern_core::sheet::RigSheet;
use lantern_core::universe::{DeskBase, PortAddress, SacnUniverse, Universe};
use lantern_sim::Scene;
use proptest::prelude::*;

use crate::support::{self, cases};

/// A sheet whose nodes stand at these last octets, named by their place in the list.
fn sheet_of(octets: &[u8], universes: &[u16]) -> String {
    let mut text = "# mine\n[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n".to_owned();
    for (i, octet) in octets.iter().enumerate() {
        text += &format!("[[node]]\nname = \"crowd-{i}\"   # node {i}\naddress = \"10.40.1.{octet}\"\n");
        for (port, universe) in (1..=4).zip(universes.iter().skip(i)) {
            text += &format!("[[node.port]]\nport = {port}\nout = {universe}\n");
        }
    }
    text
}

proptest! {
    #![proptest_config(cases(200))]

    #[test]
    fn every_notation_of_a_port_address_reads_back(flat in 0_u64..=32_767, zero: bool) {
        let desk = if zero { DeskBase::Zero } else { DeskBase::One };
        let address = PortAddress::new(flat).unwrap();
        let number = desk.number(address);
        for text in [address.to_string(), flat.to_string(), format!("0x{flat:x}"), format!("desk {number}")] {
            prop_assert_eq!(Universe::read(&text, desk), Ok(Universe::ArtNet(address)));
        }
        let parts = PortAddress::from_parts(address.net().into(), address.sub().into(), address.universe().into());
        prop_assert_eq!(parts, Ok(address));
    }

    #[test]
    fn sacn_reads_back_and_its_group_carries_it(number in 1_u64..=63_999) {
        let universe = SacnUniverse::new(number).unwrap();
        prop_assert_eq!(Universe::read(&universe.to_string(), DeskBase::One), Ok(Universe::Sacn(universe)));
        let [a, b, hi, lo] = universe.group().octets();
        prop_assert_eq!((a, b, u16::from_be_bytes([hi, lo])), (239, 255, universe.number()));
    }

    #[test]
    fn no_text_makes_the_universe_reader_panic(text in "\\PC{0,30}") {
        if let Ok(universe) = Universe::read(&text, DeskBase::One) {
            prop_assert_eq!(Universe::read(&universe.to_string(), DeskBase::One), Ok(universe));
        }
    }

    #[test]
    fn roles_ranges_and_masks_agree(address: u32, prefix in 0_u8..=32, other: u32) {
        let mask = Mask::from_prefix(prefix).unwrap();
        let subnet = Subnet::around(Ipv4Addr::from_bits(address), mask);
        let other = Ipv4Addr::from_bits(other);
        prop_assert_eq!(subnet.contains(other), AddressRange::from(subnet).contains(other));
        prop_assert_eq!(subnet.role(other) == Role::Host, subnet.hosts().contains(other));
        prop_assert_eq!(subnet.to_string().parse::<Subnet>(), Ok(subnet));
        prop_assert_eq!(mask.to_string().parse::<Mask>(), Ok(mask));
        let range = AddressRange::between(subnet.network(), other);
        prop_assert_eq!(range.to_string().parse::<AddressRange>(), Ok(range));
    }

    #[test]
    fn a_host_part_is_carried_there_and_back(address: u32, from in 1_u8..=30, to: u32) {
        let mask = Mask::from_prefix(from).unwrap();
        let address = Ipv4Addr::from_bits(address);
        let (home, away) = (Subnet::around(address, mask), Subnet::around(Ipv4Addr::from_bits(to), mask));
        let there = home.carry(address, away).unwrap();
        prop_assert!(away.contains(there));
        prop_assert_eq!(away.carry(there, home), Some(address));
    }

    #[test]
    fn what_is_said_shows_nothing_that_moves_a_cursor(text in any::<String>()) {
        let shown = Said::from(text).to_string();
        let hidden = |c: char| c.is_control() || ('\u{200b}'..='\u{200f}').contains(&c) || ('\u{2028}'..='\u{202e}').contains(&c);
        prop_assert!(!shown.chars().any(hidden), "{shown:?}");
    }

    #[test]
    fn no_text_makes_the_sheet_reader_panic(text in "[\\[\\]\"=a-z0-9.\n #]{0,200}") {
        if let Err(errors) = RigSheet::parse(&text) {
            prop_assert!(!errors.errors.is_empty());
            for error in &errors.errors {
                prop_assert!(errors.position(&text, error).line <= text.lines().count() + 1);
            }
        }
    }

    #[test]
    fn a_sheet_is_carried_there_and_back_byte_for_byte(octets in prop::collection::vec(1_u8..=254, 0..8)) {
        let text = sheet_of(&octets, &[]);
        let (home, away): (Subnet, Subnet) = ("10.40.0.0/16".parse().unwrap(), "127.9.0.0/16".parse().unwrap());
        let there = RigSheet::parse(&text).unwrap().relocated(home, away);
        prop_assert_eq!(RigSheet::parse(&there).unwrap().relocated(away, home), text);
    }

    #[test]
    fn addresses_and_universes_clash_exactly_when_they_repeat(
        octets in prop::collection::vec(1_u8..=20, 1..8),
        universes in prop::collection::vec(0_u16..30, 0..4),
    ) {
        let sheet = RigSheet::parse(&sheet_of(&octets, &universes)).unwrap();
        let found = sheet_clashes(&sheet);
        let has = |code: &str| found.iter().any(|finding| finding.rule.code == code);
        let distinct = octets.iter().collect::<BTreeSet<_>>().len();
        prop_assert_eq!(has("A001"), distinct < octets.len());
        let outputs: Vec<_> = sheet.nodes.iter().flat_map(|n| &n.ports).filter_map(|p| p.universe.value.real()).collect();
        prop_assert_eq!(has("U002"), outputs.iter().collect::<BTreeSet<_>>().len() < outputs.len());
    }

    /// Whatever the sheet says of nodes that are there: nobody is matched twice, nobody vanishes from the count.
    #[test]
    fn every_found_node_is_one_planned_or_unexpected(octets in prop::collection::vec(1_u8..=30, 1..8), there in 0_u16..10) {
        let sheet = RigSheet::parse(&sheet_of(&octets, &[])).unwrap();
        let census = support::survey(&mut support::ground(&Scene::crowd(there, 0.0, 3)), None);
        let matching = Matching::new(&sheet, &census);
        let found: Vec<usize> =
            matching.of_sheet.iter().filter_map(|m| if let Match::Found(i) = m { Some(*i) } else { None }).collect();
        let all: BTreeSet<usize> = found.iter().chain(&matching.unexpected).copied().collect();
        prop_assert_eq!(all.len(), found.len() + matching.unexpected.len());
        prop_assert_eq!(all.len(), usize::from(there));
    }

    /// A plan that nothing speaks against gives no two nodes one address, at no moment while it is carried out.
    #[test]
    fn no_moment_of_a_plan_has_an_address_twice(
        octets in prop::collection::btree_set(1_u8..=12, 6).prop_map(|set| set.into_iter().collect::<Vec<u8>>()),
        turn in 0_usize..6,
    ) {
        let mut octets = octets;
        octets.rotate_left(turn);
        let sheet = RigSheet::parse(&sheet_of(&octets, &[])).unwrap();
        let census = support::survey(&mut support::ground(&Scene::crowd(6, 0.0, 3)), None);
        let seats = [support::seat()];
        let protection = support::protection(&census, Some(&sheet), &seats);
        let plan = plan_by_sheet(&compare(&sheet, &census), &protection, &Part::default());
        if !plan.is_refused() {
            let mut held: Vec<(Option<_>, Ipv4Addr)> = census.nodes().iter().map(|n| (n.mac, n.address)).collect();
            for change in &plan.changes {
                let Some(wanted) = change.new_address() else { continue };
                prop_assert!(held.iter().all(|(mac, at)| *mac == change.subject.mac() || *at != wanted));
                held.iter_mut().filter(|(mac, _)| *mac == change.subject.mac()).for_each(|one| one.1 = wanted);
            }
        }
    }
}
