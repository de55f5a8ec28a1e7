//! Who is who, and what differs.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::art_net::{IpProgReply, PollReply, PortBlock, PortType, Status2};
use lantern_wire::{MacAddress, Text};
use rstest::rstest;

use super::*;
use crate::census::{Sighting, Told};

const HEAD: &str =
    "[rig]\nname = \"t\"\n[[network]]\nname = \"lights\"\nrange = \"10.40.0.0/16\"\ngateway = \"none\"\n";

fn sheet(nodes: &str) -> RigSheet {
    RigSheet::parse(&format!("{HEAD}{nodes}")).unwrap()
}

fn reply(name: &str, mac: u8, last: u8) -> PollReply {
    let port = |switch_out| PortBlock { kind: PortType::DMX_OUT, switch_out, ..PortBlock::default() };
    PollReply {
        address: Ipv4Addr::new(10, 40, 1, last),
        mac: MacAddress([2, 0x4d, 0x42, 0, 0x10, mac]),
        short_name: Text::cut(name),
        firmware: 0x0104,
        port_count: 2,
        ports: [port(0), port(1), PortBlock::default(), PortBlock::default()],
        ..PollReply::default()
    }
}

fn census(replies: Vec<PollReply>) -> Census {
    let mut census = Census::default();
    for reply in replies {
        let from = reply.address;
        let told = Told::PollReply(Box::new(reply));
        census.take(&Sighting::plain(Duration::ZERO, from, told));
        let settings = IpProgReply {
            address: from,
            mask: Ipv4Addr::new(255, 255, 0, 0),
            port: 6454,
            status: 0,
            gateway: Ipv4Addr::UNSPECIFIED,
        };
        census.take(&Sighting::plain(Duration::ZERO, from, Told::IpSettings(settings)));
    }
    census
}

const NORTH: &str = "[[node]]\nname = \"north\"\naddress = \"10.40.1.1\"\n";
const NORTH_BY_MAC: &str = "[[node]]\nname = \"north\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.1\"\n";

/// State of the first planned node in a word, and how many are unexpected.
fn state(nodes: &str, replies: Vec<PollReply>) -> (String, usize) {
    let (sheet, census) = (sheet(nodes), census(replies));
    let comparison = compare(&sheet, &census);
    let word = match &comparison.rows[0].state {
        State::NotAsked => "not asked".to_owned(),
        State::Missing => "missing".to_owned(),
        State::Ambiguous(who) => format!("one of {}", who.len()),
        State::Found(node, _) => node.address.to_string(),
        State::Mute(device, _) | State::Seen(device, _) => device.title(),
    };
    (word, comparison.unexpected.len())
}

#[rstest]
#[case::by_mac_wherever_it_is(NORTH_BY_MAC, vec![reply("other", 1, 99)], "10.40.1.99", 0)]
#[case::another_unit_of_the_same_name(NORTH_BY_MAC, vec![reply("north", 2, 1)], "missing", 1)]
#[case::by_name(NORTH, vec![reply("north", 2, 50)], "10.40.1.50", 0)]
#[case::by_address(NORTH, vec![reply("new", 2, 1)], "10.40.1.1", 0)]
#[case::name_before_address(NORTH, vec![reply("new", 2, 1), reply("north", 3, 2)], "10.40.1.2", 1)]
#[case::two_of_the_name_settled_by_address(NORTH, vec![reply("north", 2, 9), reply("north", 3, 1)], "10.40.1.1", 1)]
#[case::two_of_the_name(NORTH, vec![reply("north", 2, 9), reply("north", 3, 8)], "one of 2", 0)]
#[case::nobody(NORTH, vec![], "missing", 0)]
fn who_is_who(
    #[case] nodes: &str,
    #[case] replies: Vec<PollReply>,
    #[case] word: &str,
    #[case] unexpected: usize,
) {
    assert_eq!(state(nodes, replies), (word.to_owned(), unexpected));
}

#[test]
fn a_desk_is_no_unexpected_node() {
    let desk = PollReply { style: lantern_wire::art_net::Style::CONTROLLER, ..reply("desk", 7, 7) };
    assert_eq!(state(NORTH, vec![desk]), ("missing".to_owned(), 0));
}

fn differences(lines: &str, reply: PollReply) -> Vec<String> {
    let (sheet, census) = (sheet(&format!("{NORTH_BY_MAC}{lines}")), census(vec![reply]));
    let comparison = compare(&sheet, &census);
    let State::Found(_, differences) = &comparison.rows[0].state else { panic!("not found") };
    assert_eq!(comparison.is_as_planned(), differences.is_empty());
    differences.iter().map(ToString::to_string).collect()
}

#[rstest]
#[case::as_planned("", reply("north", 1, 1), &[])]
#[case::address("", reply("north", 1, 9), &["address is 10.40.1.9, planned 10.40.1.1"])]
#[case::name("", reply("south", 1, 1), &["name is south, planned north"])]
#[case::no_name("", reply("", 1, 1), &["name is (empty), planned north"])]
#[case::label("label = \"mast\"", reply("north", 1, 1), &["label is (empty), planned mast"])]
#[case::firmware("firmware = \"1.10\"", reply("north", 1, 1), &["firmware is 1.4, planned 1.10"])]
#[case::loss("on_data_loss = \"dark\"", reply("north", 1, 1), &["on data loss is hold, planned dark"])]
#[case::universe("[[node.port]]\nport = 2\nout = 5", reply("north", 1, 1), &["port 2 universe is 0:0:1, planned 0:0:5"])]
#[case::same("[[node.port]]\nport = 2\nout = 1", reply("north", 1, 1), &[])]
#[case::input("[[node.port]]\nport = 2\nin = 1", reply("north", 1, 1), &["port 2 direction is out, planned in"])]
#[case::protocol("[[node.port]]\nport = 2\nout = \"sacn 1\"", reply("north", 1, 1), &["port 2 protocol is Art-Net, planned sACN"])]
#[case::merge("[[node.port]]\nport = 2\nout = 1\nmerge = \"ltp\"", reply("north", 1, 1), &["port 2 merge is htp, planned ltp"])]
#[case::merge_off("[[node.port]]\nport = 2\nout = 1\nmerge = \"off\"", reply("north", 1, 1), &["port 2 merge cannot be checked from here, planned off"])]
#[case::no_port("[[node.port]]\nport = 3\nout = 1", reply("north", 1, 1), &["port 3 is planned, the node states 2"])]
#[case::escaped("", reply("\u{1b}[31m", 1, 1), &["name is \\x1b[31m, planned north"])]
fn what_differs(#[case] lines: &str, #[case] reply: PollReply, #[case] expected: &[&str]) {
    assert_eq!(differences(lines, reply), expected);
}

#[test]
fn a_leased_address_is_no_fixed_one() {
    let leased = |name| PollReply { status2: Status2(0x06), ..reply(name, 1, 1) };
    let (sheet, mut census) = (sheet(NORTH_BY_MAC), Census::default());
    let told = Told::PollReply(Box::new(leased("north")));
    census.take(&Sighting::plain(Duration::ZERO, Ipv4Addr::new(10, 40, 1, 1), told));
    let comparison = compare(&sheet, &census);
    let found = comparison.findings(&sheet);
    assert_eq!(
        found[0].what,
        "north at 10.40.1.1: addressing is by DHCP, planned fixed; did not tell its mask, planned 255.255.0.0; \
         did not tell its gateway, planned none"
    );
}

#[test]
fn findings_name_the_missing_and_the_unexpected() {
    let (sheet, census) = (sheet(NORTH_BY_MAC), census(vec![reply("guest", 5, 5)]));
    let comparison = compare(&sheet, &census);
    let found: Vec<String> =
        comparison.findings(&sheet).iter().map(|f| format!("{} {}", f.rule.code, f.what)).collect();
    assert_eq!(
        found,
        ["R001 north does not answer", "R002 guest at 10.40.1.5 (02:4d:42:00:10:05) is not on the sheet",]
    );
}

const CAMERA: &str = "[[node]]\nname = \"camera\"\nkind = \"tessaquill-eye\"\nmac = \"02:54:51:00:00:01\"\naddress = \"10.40.1.7\"\n";

#[test]
fn what_speaks_no_art_net_is_not_asked_and_not_missed() {
    let text = format!("[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n{CAMERA}");
    let sheet = RigSheet::parse(&text).unwrap();
    let census = Census::default();
    let comparison = compare(&sheet, &census);
    assert!(matches!(comparison.rows[0].state, State::NotAsked));
    assert!(comparison.is_as_planned() && comparison.findings(&sheet).is_empty());
    assert_eq!(comparison.asked(), (0, 1));
}

#[rstest::rstest]
#[case::by_another("02:54:51:00:00:02", "10.40.1.7", 1)]
#[case::by_itself("02:54:51:00:00:01", "10.40.1.7", 0)]
#[case::elsewhere("02:54:51:00:00:02", "10.40.1.8", 0)]
fn a_planned_address_that_another_device_holds(
    #[case] mac: &str,
    #[case] address: Ipv4Addr,
    #[case] count: usize,
) {
    let text = format!("[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n{CAMERA}");
    let sheet = RigSheet::parse(&text).unwrap();
    let device = serde_json::json!({
        "name": "x", "what": "", "mac": mac, "address": address, "addresses": [address], "standing": "answers", "seen_by": [],
    });
    let found = held_addresses(&sheet, &[serde_json::from_value(device).unwrap()]);
    assert_eq!(found.len(), count);
    assert!(found.iter().all(|finding| finding.rule.code == "R005" && finding.line() == 10));
}
