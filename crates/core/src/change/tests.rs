//! What speaks against a change, and in which order changes are made.

use std::collections::{BTreeMap, BTreeSet};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::art_net::{IpProgReply, PollReply, PortBlock, PortType, Status2, Status3};
use lantern_wire::{MacAddress, Text};
use rstest::rstest;

use super::*;
use crate::address::Seat;
use crate::census::{Census, FoundNode, Sighting, Subject, Told};
use crate::compare::{Addressing, Wanted, WantedPort, compare};
use crate::sheet::RigSheet;
use crate::universe::{DeskBase, Universe};
use crate::{DataLoss, Direction};

const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"lights\"\nrange = \"10.40.0.0/16\"\n\
                     keep_free = [\"10.40.0.2-10.40.0.49\"]\ndhcp = \"10.40.250.1-10.40.250.200\"\n\
                     locked = [\"10.40.9.0/24\"]\n\
                     locked_devices = \"02:4d:42:00:10:63\"\n";

fn reply(mac: u8, third: u8, last: u8) -> PollReply {
    let port = |switch_out| PortBlock { kind: PortType::DMX_OUT, switch_out, ..PortBlock::default() };
    PollReply {
        address: Ipv4Addr::new(10, 40, third, last),
        mac: if mac == 0 { MacAddress::UNKNOWN } else { MacAddress([2, 0x4d, 0x42, 0, 0x10, mac]) },
        short_name: Text::cut(&format!("node-{mac}")),
        bind_index: 1,
        port_count: 4,
        ports: [port(0), port(1), port(2), port(3)],
        ..PollReply::default()
    }
}

fn census(replies: Vec<PollReply>) -> Census {
    let mut census = Census::default();
    for reply in replies {
        let from = reply.address;
        census.take(&Sighting::plain(Duration::ZERO, from, Told::PollReply(Box::new(reply))));
        let mask = Ipv4Addr::new(255, 255, 0, 0);
        let gateway = Ipv4Addr::UNSPECIFIED;
        let told = Told::IpSettings(IpProgReply { address: from, mask, port: 6454, status: 0, gateway });
        census.take(&Sighting::plain(Duration::ZERO, from, told));
    }
    census
}

fn seat() -> Seat {
    let own = Ipv4Addr::new(10, 40, 0, 7);
    Seat { own, subnet: "10.40.0.0/16".parse().unwrap(), limited_broadcast: true }
}

/// The plan for the first of the nodes, the sheet's protections in force.
fn plan(replies: Vec<PollReply>, wanted: &Wanted) -> ChangePlan {
    let (sheet, census, seats) = (RigSheet::parse(SHEET).unwrap(), census(replies), [seat()]);
    let protection = protection(&census, &sheet, &seats);
    plan_one(&Subject::of_node(&census.nodes()[0]), wanted, &protection)
}

fn protection<'a>(census: &'a Census, sheet: &'a RigSheet, seats: &'a [Seat]) -> Protection<'a> {
    Protection { sheet: Some(sheet), ..Protection::of(census, seats) }
}

fn codes(plan: &ChangePlan) -> Vec<&'static str> {
    plan.findings.iter().map(|finding| finding.rule.code).collect()
}

fn to(address: &str) -> Wanted {
    Wanted { addressing: Some(Addressing::Fixed(address.parse().unwrap())), ..Wanted::default() }
}

#[rstest]
#[case::free("10.40.1.50", &[])]
#[case::taken("10.40.1.2", &["C001"])]
#[case::own("10.40.0.7", &["C002", "A005"])]
#[case::kept_free("10.40.0.30", &["A005"])]
#[case::pool("10.40.250.9", &["A006"])]
#[case::locked("10.40.9.1", &["A007"])]
#[case::network("10.40.0.0", &["C013", "A004"])]
#[case::broadcast("10.40.255.255", &["C013", "A004"])]
#[case::elsewhere("192.168.1.5", &["C018", "C010"])]
#[case::group("239.255.0.1", &["C017"])]
#[case::none("0.0.0.0", &["C017"])]
#[case::loopback("127.0.0.1", &["C017"])]
#[case::reserved("250.1.1.1", &["C017"])]
fn a_wanted_address_is_looked_at(#[case] address: &str, #[case] expected: &[&str]) {
    let plan = plan(vec![reply(1, 1, 1), reply(2, 1, 2)], &to(address));
    assert_eq!(codes(&plan), expected);
    assert_eq!(plan.is_refused(), !expected.is_empty());
}

#[rstest]
#[case::locked_range(vec![reply(1, 9, 1)], &["C003"])]
#[case::locked_device(vec![reply(0x63, 1, 1)], &["C003"])]
#[case::no_mac(vec![reply(0, 1, 1)], &["C008"])]
#[case::held_twice(vec![reply(1, 1, 1), reply(2, 1, 1)], &["C011"])]
#[case::other_subnet(vec![PollReply { address: Ipv4Addr::new(192, 168, 7, 9), ..reply(1, 1, 1) }], &["C007"])]
fn a_node_that_must_not_be_touched_is_not(#[case] replies: Vec<PollReply>, #[case] expected: &[&str]) {
    assert_eq!(codes(&plan(replies, &to("10.40.1.50"))), expected);
}

fn port(number: u32, universe: &str) -> WantedPort {
    let universe = Universe::read(universe, DeskBase::One).unwrap();
    WantedPort { number, universe: Some(universe), ..WantedPort::default() }
}

fn ports(ports: Vec<WantedPort>) -> Wanted {
    Wanted { ports, ..Wanted::default() }
}

#[rstest]
#[case::name_too_long(Wanted { name: Some("a23456789012345678".to_owned()), ..Wanted::default() }, &["C012"])]
#[case::name_fits(Wanted { name: Some("a2345678901234567".to_owned()), ..Wanted::default() }, &[])]
#[case::label_too_long(Wanted { label: Some("a".repeat(64)), ..Wanted::default() }, &["C012"])]
#[case::label_fits(Wanted { label: Some("a".repeat(63)), ..Wanted::default() }, &[])]
#[case::a_name_of_its_own(Wanted { name: Some("node-1".to_owned()), ..Wanted::default() }, &[])]
#[case::above_what_can_be_programmed(ports(vec![port(1, "sacn 40000")]), &["C005", "C005"])]
#[case::merge_off(ports(vec![WantedPort { number: 1, merge: Some(crate::Merge::Off), ..WantedPort::default() }]), &["C004"])]
#[case::gateway_outside(Wanted { gateway: "10.41.0.1".parse().ok(), ..Wanted::default() }, &["C014"])]
#[case::gateway_inside(Wanted { gateway: "10.40.0.1".parse().ok(), ..Wanted::default() }, &[])]
#[case::mask_leaves_no_host(Wanted { mask: "/30".parse().ok(), ..to("10.40.1.4") }, &["C013"])]
#[case::within_the_page(ports(vec![port(2, "0:0:9")]), &[])]
#[case::tears_the_page(ports(vec![port(2, "0:1:9")]), &["C006"])]
#[case::moves_the_page(ports(vec![port(1, "1:1:0"), port(2, "1:1:1"), port(3, "1:1:2"), port(4, "1:1:3")]), &[])]
#[case::no_such_port(ports(vec![port(5, "0:0:5")]), &["C005"])]
#[case::no_sacn(ports(vec![port(1, "sacn 1")]), &["C005"])]
#[case::no_direction(ports(vec![WantedPort { direction: Some(Direction::In), ..port(1, "0:0:0") }]), &["C005"])]
#[case::no_data_loss(Wanted { on_data_loss: Some(DataLoss::Full), ..Wanted::default() }, &["C005"])]
#[case::no_dhcp(Wanted { addressing: Some(Addressing::Dhcp), ..Wanted::default() }, &["C005"])]
#[case::firmware(Wanted { firmware: "2.0".parse().ok(), ..Wanted::default() }, &["C004"])]
fn a_wish_is_looked_at(#[case] wanted: Wanted, #[case] expected: &[&str]) {
    let plan = plan(vec![reply(1, 1, 1)], &wanted);
    assert_eq!(codes(&plan), expected);
    assert_eq!(plan.is_refused(), !expected.is_empty() && expected != ["C004"]);
}

#[rstest]
#[case::of_another("node-2", &["C021"])]
#[case::of_nobody("node-3", &[])]
fn a_name_is_looked_for_among_the_others(#[case] name: &str, #[case] expected: &[&str]) {
    let wanted = Wanted { name: Some(name.to_owned()), ..Wanted::default() };
    let plan = plan(vec![reply(1, 1, 1), reply(2, 1, 2)], &wanted);
    assert_eq!((codes(&plan), plan.is_refused()), (expected.to_vec(), false));
}

/// An area of another network says nothing; a node planned in one area belongs there, one that is not planned in any of them.
#[rstest]
#[case::in_its_own("10.40.1.50", "node-1", false, "")]
#[case::in_another("10.40.2.50", "node-1", false, "outside Quay (10.40.1.0-10.40.1.255)")]
#[case::in_another_and_meant("10.40.2.50", "node-1", true, "")]
#[case::not_planned_in_one_of_them("10.40.2.50", "node-9", false, "")]
#[case::in_none_of_them("10.40.3.50", "node-9", false, "outside every area of the sheet")]
#[case::in_no_network("10.41.0.1", "node-9", false, "outside every network of the sheet")]
#[case::in_no_network_and_meant("10.41.0.1", "node-9", true, "")]
fn where_a_node_may_stand(#[case] address: &str, #[case] planned: &str, #[case] meant: bool, #[case] said: &str) {
    let sheet = format!(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"lights\"\nrange = \"10.40.0.0/16\"\n\
         [[network]]\nname = \"sound\"\nrange = \"10.60.0.0/16\"\n\
         [[area]]\nname = \"Quay\"\nnetwork = \"lights\"\nrange = \"10.40.1.0/24\"\n\
         [[area]]\nname = \"Hall\"\nnetwork = \"lights\"\nrange = \"10.40.2.0/24\"\n\
         [[area]]\nname = \"Stage\"\nnetwork = \"sound\"\nrange = \"10.60.1.0/24\"\n\
         [[node]]\nname = \"{planned}\"\narea = \"Quay\"\naddress = \"10.40.1.1\"\n"
    );
    let (sheet, census, seats) = (RigSheet::parse(&sheet).unwrap(), census(vec![reply(1, 1, 1)]), [seat()]);
    let protection = Protection { outside: meant, ..protection(&census, &sheet, &seats) };
    let plan = plan_one(&Subject::of_node(&census.nodes()[0]), &to(address), &protection);
    let told: Vec<&str> =
        plan.findings.iter().filter(|f| f.rule.code == "C018").map(|finding| finding.what.as_str()).collect();
    match said {
        "" => assert_eq!(told, [""; 0]),
        said => assert!(told.len() == 1 && told[0].ends_with(said), "{told:?}"),
    }
}

/// A mask that leaves no host speaks against an address, not against one that a server will give.
#[test]
fn what_a_server_will_give_is_not_judged_by_the_old_address() {
    let able = PollReply { status2: Status2(0x1d), ..reply(1, 1, 1) };
    let narrow = Wanted { mask: "/30".parse().ok(), ..to("10.40.1.4") };
    assert_eq!(codes(&plan(vec![able.clone()], &narrow)), ["C013"]);
    let able = PollReply { address: Ipv4Addr::new(10, 40, 1, 4), ..able };
    let leased = Wanted { addressing: Some(Addressing::Dhcp), ..narrow };
    assert_eq!(codes(&plan(vec![able], &leased)), [""; 0]);
}

#[test]
fn a_port_on_a_page_that_does_not_say_which_it_is_is_not_set() {
    let zero = PollReply { bind_index: 0, ..reply(1, 1, 1) };
    let twin = PollReply { sub: 1, ..zero.clone() };
    let wanted = ports(vec![port(5, "0:1:9")]);
    assert_eq!(codes(&plan(vec![zero, twin], &wanted)), ["C022"]);
}

#[test]
fn one_that_can_is_allowed_to() {
    let able = PollReply { status2: Status2(0x1d), status3: Status3(0x28), ..reply(1, 1, 1) };
    let wanted = Wanted {
        addressing: Some(Addressing::Dhcp),
        on_data_loss: Some(DataLoss::Full),
        ports: vec![WantedPort { direction: Some(Direction::In), ..port(1, "0:0:0") }, port(2, "sacn 1")],
        ..Wanted::default()
    };
    assert_eq!(codes(&plan(vec![able], &wanted)), [""; 0]);
}

#[test]
fn ports_are_not_counted_on_a_node_with_a_page_missing() {
    let second = PollReply { bind_index: 2, ..reply(1, 1, 1) };
    let plan = plan(vec![second], &ports(vec![port(1, "0:0:9")]));
    assert_eq!(codes(&plan), ["C015"]);
}

/// The order in which nodes 1, 2, 3 are moved to the last octets given, as the octets they come from.
fn order(wanted: [u8; 3]) -> Result<Vec<u8>, Vec<&'static str>> {
    let nodes: String = (1..=3)
        .map(|n| {
            let to = wanted[n - 1];
            format!("[[node]]\nname = \"node-{n}\"\nmac = \"02:4d:42:00:10:0{n}\"\naddress = \"10.40.1.{to}\"\n")
        })
        .collect();
    let sheet = RigSheet::parse(&format!("{SHEET}{nodes}")).unwrap();
    let (census, seats) = (census(vec![reply(1, 1, 1), reply(2, 1, 2), reply(3, 1, 3)]), [seat()]);
    let protection = protection(&census, &sheet, &seats);
    let plan = plan_by_sheet(&compare(&sheet, &census), &protection, &Part::default());
    if plan.is_refused() {
        return Err(codes(&plan));
    }
    Ok(plan.changes.iter().map(|change| change.subject.address().octets()[3]).collect())
}

#[rstest]
#[case::nobody_moves([1, 2, 3], Ok(vec![]))]
#[case::each_to_a_free_one([11, 12, 13], Ok(vec![1, 2, 3]))]
#[case::a_row_moves_up([2, 3, 4], Ok(vec![3, 2, 1]))]
#[case::a_row_moves_down([9, 1, 2], Ok(vec![1, 2, 3]))]
#[case::two_change_places([2, 1, 3], Ok(vec![1, 2, 254]))]
#[case::three_in_a_ring([2, 3, 1], Ok(vec![1, 3, 2, 254]))]
#[case::one_behind_a_ring([2, 1, 2], Err(vec!["C001", "C001"]))]
fn whoever_holds_a_wanted_address_goes_first(
    #[case] wanted: [u8; 3],
    #[case] expected: Result<Vec<u8>, Vec<&str>>,
) {
    assert_eq!(order(wanted), expected);
}

/// Every message that changes a node, byte for byte after its head (Art-Net 4, "ArtIpProg" and "ArtAddress").
#[rstest]
#[case::address(to("10.40.1.50"), "00f8000e00009600", "0a280132ffff0000000000000000")]
#[case::mask(Wanted { mask: "/20".parse().ok(), ..Wanted::default() }, "00f8000e00009600", "0a280101fffff000000000000000")]
#[case::gateway(Wanted { gateway: "10.40.0.1".parse().ok(), ..Wanted::default() }, "00f8000e00009600", "0a280101ffff000000000a280001")]
#[case::name(Wanted { name: Some("mast".to_owned()), ..Wanted::default() }, "0060000e7f016d61737400", "")]
#[case::universe(ports(vec![port(2, "0:0:9")]), "0060000e7f01", "7f7f7f7f7f897f7f7fff00")]
#[case::page(ports(vec![port(1, "1:1:0"), port(2, "1:1:1"), port(3, "1:1:2"), port(4, "1:1:3")]), "0060000e8101", "7f7f7f7f8081828381ff00")]
#[case::merge(ports(vec![WantedPort { number: 3, merge: Some(crate::Merge::Ltp), ..WantedPort::default() }]), "0060000e7f01", "7f7f7f7f7f7f7f7f7fff12")]
#[case::rdm(ports(vec![WantedPort { number: 2, rdm: Some(false), ..WantedPort::default() }]), "0060000e7f01", "7f7f7f7f7f7f7f7f7fffd1")]
#[case::priority(Wanted { sacn_priority: Some(150), ..Wanted::default() }, "0060000e7f01", "7f7f7f7f7f7f7f7f7f9600")]
#[case::scene(Wanted { records_scene: true, ..Wanted::default() }, "0060000e7f01", "7f7f7f7f7f7f7f7f7fff0c")]
#[case::factory(Wanted { factory_network: true, ..Wanted::default() }, "00f8000e00008800", "000000000000000000000000000000")]
fn what_is_sent_is_known_byte_for_byte(#[case] wanted: Wanted, #[case] head: &str, #[case] tail: &str) {
    let able = PollReply { status2: Status2(0x9d), status3: Status3(0x28), ..reply(1, 1, 1) };
    let plan = plan(vec![able], &wanted);
    let bytes = plan.changes[0].steps[0].sends().remove(0).1;
    let text: String = bytes[8..].iter().map(|byte| format!("{byte:02x}")).collect();
    let end = if head.starts_with("00f8") { &text[..text.len() - 8] } else { &text[..] };
    assert!(text.starts_with(head), "{text}");
    assert!(end.ends_with(tail) || text[16..].starts_with(tail), "{text}");
}

/// Whoever was seen at an address holds it, however it was seen; the node itself never stands in its own way.
#[rstest]
#[case::another_by_arp("10.40.1.50", Some(9), &["C001"])]
#[case::somebody_without_a_mac("10.40.1.50", None, &["C001"])]
#[case::itself_at_a_second_address("10.40.1.50", Some(1), &[])]
#[case::somebody_elsewhere("10.40.1.51", Some(9), &[])]
#[case::another_at_its_own_address("10.40.1.1", Some(9), &["C011"])]
#[case::itself_seen_without_a_mac("10.40.1.1", None, &[])]
fn whoever_was_seen_holds_an_address(#[case] at: &str, #[case] mac: Option<u8>, #[case] expected: &[&str]) {
    let (sheet, mut census, seats) = (RigSheet::parse(SHEET).unwrap(), census(vec![reply(1, 1, 1)]), [seat()]);
    let mac = mac.map(|last| MacAddress([2, 0x4d, 0x42, 0, 0x10, last]));
    census.take(&Sighting { mac, ..Sighting::plain(Duration::ZERO, at.parse().unwrap(), Told::Echo) });
    let devices = census.devices(&crate::census::Viewpoint::default());
    let protection = Protection { devices: &devices, ..protection(&census, &sheet, &seats) };
    assert_eq!(codes(&plan_one(&Subject::of_node(&census.nodes()[0]), &to("10.40.1.50"), &protection)), expected);
}

/// Whether every change finds its address free when its turn comes, and what it waits for stands before it. Gives where
/// everybody ends.
fn play(plan: &ChangePlan, census: &Census) -> BTreeMap<MacAddress, Ipv4Addr> {
    let mut held: BTreeMap<MacAddress, Ipv4Addr> =
        census.nodes().iter().filter_map(|node| Some((node.mac?, node.address))).collect();
    for (place, change) in plan.changes.iter().enumerate() {
        let mac = change.subject.mac().unwrap();
        assert_eq!(held[&mac], change.subject.address(), "{mac} is where its change begins");
        assert!(plan.graph.waits(place).iter().all(|wait| wait.on < place));
        let Some(wanted) = change.new_address() else { continue };
        let there = held.iter().find(|(other, at)| **other != mac && **at == wanted);
        assert_eq!(there, None, "change {place} wants {wanted}");
        held.insert(mac, wanted);
    }
    held
}

/// All that four nodes can want of each other's addresses and of two free ones: each plan that is not refused is carried out
/// without a clash at any moment, and everybody ends where wanted.
#[test]
fn four_nodes_reach_every_arrangement() {
    let mut parked = 0;
    for code in 0..6_u32.pow(4) {
        let wanted: Vec<u8> = (0..4).map(|node| 1 + (code / 6_u32.pow(node) % 6) as u8).collect();
        let census = census((1..=4).map(|n| reply(n, 1, n)).collect());
        let (sheet, seats) = (RigSheet::parse(SHEET).unwrap(), [seat()]);
        let wish = |(node, to): (&FoundNode, &u8)| {
            Wish::asked_for(Subject::of_node(node), self::to(&format!("10.40.1.{to}")))
        };
        let wishes: Vec<Wish> = census.nodes().iter().zip(&wanted).map(wish).collect();
        let plan = plan_each(&wishes, &protection(&census, &sheet, &seats));
        let distinct: BTreeSet<&u8> = wanted.iter().collect();
        assert_eq!(plan.is_refused(), distinct.len() < 4, "{wanted:?}: {:?}", plan.findings);
        if !plan.is_refused() {
            let ends: Vec<u8> = play(&plan, &census).values().map(|at| at.octets()[3]).collect();
            assert_eq!(ends, wanted);
            let parks = (0..plan.changes.len()).filter(|change| plan.graph.is_parking(*change)).count();
            assert_eq!(parks, rings(&wanted), "{wanted:?}: one waits for each ring");
            parked += parks;
        }
    }
    assert_eq!(parked, 102);
}

/// How many rings of more than one there are, where node n has address n.
fn rings(wanted: &[u8]) -> usize {
    let next = |node: u8| wanted.get(usize::from(node) - 1).copied();
    let comes_back = |node: u8| {
        let path: Vec<u8> = std::iter::successors(next(node), |at| next(*at)).take(4).collect();
        let there = path.iter().position(|at| *at == node)?;
        // Of each ring only its lowest counts.
        (there > 0 && path.iter().all(|at| *at >= node)).then_some(())
    };
    (1..=4).filter(|node| comes_back(*node).is_some()).count()
}

#[test]
fn a_ring_waits_where_it_is_told_to_and_nowhere_else() {
    let census = census(vec![reply(1, 1, 1), reply(2, 1, 2)]);
    let (sheet, seats) = (RigSheet::parse(SHEET).unwrap(), [seat()]);
    let wish = |node: usize, to: &str| Wish::asked_for(Subject::of_node(&census.nodes()[node]), self::to(to));
    let wishes = [wish(0, "10.40.1.2"), wish(1, "10.40.1.1")];
    let parked_in = |range: &str| {
        let parking = Some(range.parse().unwrap());
        plan_each(&wishes, &Protection { parking, ..protection(&census, &sheet, &seats) })
    };
    let plan = parked_in("10.40.0.5-10.40.0.7");
    assert_eq!(plan.changes[0].new_address(), "10.40.0.6".parse().ok(), "not where this computer is");
    let why: Vec<&[Wait]> = (0..3).map(|change| plan.graph.waits(change)).collect();
    let (at, left) = ("10.40.0.6".parse().unwrap(), |last| Why::Left(Ipv4Addr::new(10, 40, 1, last)));
    assert_eq!(why[0], []);
    assert_eq!(why[1], [Wait { on: 0, why: left(1) }]);
    assert_eq!(why[2], [Wait { on: 1, why: left(2) }, Wait { on: 0, why: Why::Parked(at) }]);
    let may_be_there = Silent {
        name: "asleep".to_owned(),
        mac: None,
        places: vec!["10.40.0.6".parse().unwrap()],
        why: Silent::NO_ANSWER,
    };
    let silent = [may_be_there];
    let parking = Some("10.40.0.5-10.40.0.7".parse().unwrap());
    let around = Protection { parking, silent: &silent, ..protection(&census, &sheet, &seats) };
    let plan = plan_each(&wishes, &around);
    assert_eq!(plan.changes[0].new_address(), "10.40.0.5".parse().ok(), "not where somebody silent may be");
    assert_eq!(codes(&parked_in("10.40.0.7-10.40.0.7")), ["C009"]);
    assert_eq!(codes(&parked_in("10.40.9.1-10.40.9.9")), ["C009"], "locked is locked");
}

/// Who leaves this computer's subnet goes last, also after a ring that has to be opened; but before whoever waits for its place.
#[test]
fn whoever_leaves_our_reach_goes_last() {
    let census = census((1..=5).map(|n| reply(n, 1, n)).collect());
    let (sheet, seats) = (RigSheet::parse("[rig]\nname = \"t\"\n").unwrap(), [seat()]);
    let wish = |(node, to): (&FoundNode, &str)| Wish::asked_for(Subject::of_node(node), self::to(to));
    let wanted = ["10.41.1.1", "10.40.1.3", "10.40.1.2", "10.40.1.1", "10.40.1.50"];
    let wishes: Vec<Wish> = census.nodes().iter().zip(wanted).map(wish).collect();
    let plan = plan_each(&wishes, &protection(&census, &sheet, &seats));
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let order: Vec<u8> = plan.changes.iter().map(|change| change.subject.mac().unwrap().0[5]).collect();
    assert_eq!(order, [5, 2, 3, 2, 1, 4]);
    assert_eq!(plan.beyond.iter().map(|one| one.address.to_string()).collect::<Vec<_>>(), ["10.41.1.1"]);
    play(&plan, &census);
}
