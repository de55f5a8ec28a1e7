//! `adapters`, in situations made on a private segment with a real kernel. No test touches the machine's own adapters.
#![cfg(target_os = "linux")]

use rstest::rstest;
use serde::Deserialize;

use crate::support::{Said, has, on_segment};

/// What `adapters` says after the script has made a situation; without the demo's sheet unless one is wanted.
fn after(script: &str, adapters: &str) -> Option<Said> {
    if !has("ip") {
        return None;
    }
    on_segment(&format!("mkdir no-sheet; cd no-sheet; set -e; {script}\nset +e; deft-lantern adapters {adapters}"))
}

const SECOND_CABLE: &str = "ip link add aux0 type veth peer name aux1; ip link set aux0 up; ip link set aux1 up; \
                            ip addr add 10.99.0.1/24 dev aux1;";

#[rstest]
#[case::no_link("ip link add aux0 type veth peer name aux1; ip link set aux0 up", "P001", "aux0 has no link")]
#[case::switched_off("ip link set rig0 down", "P002", "rig0 is switched off")]
#[case::no_address("ip -4 addr flush dev rig0", "P003", "rig0 has link, but no IPv4 address")]
#[case::link_local(
    "ip -4 addr flush dev rig0; ip addr add 169.254.7.7/16 dev rig0",
    "P004",
    "rig0 has only 169.254.7.7/16"
)]
#[case::same_subnet(
    "ip addr add 10.40.0.8/16 dev aux0",
    "P005",
    "aux0 (10.40.0.8/16) and rig0 (10.40.0.7/16) reach the same addresses"
)]
#[case::tunnel_beside_the_wire(
    "ip link add vpn0 type vxlan id 5 dstport 4789 dev rig0; ip link set vpn0 up; ip addr add 10.0.0.8/8 dev vpn0",
    "P006",
    "rig0 (10.40.0.7/16) and vpn0 (10.0.0.8/8) reach the same addresses"
)]
#[case::two_ways_out(
    "ip addr add 10.70.0.1/24 dev aux0; ip route add default via 10.40.0.1; \
     ip route add default via 10.70.0.9 metric 100",
    "P007",
    "there are 2 default routes: aux0 by 10.70.0.9, rig0 by 10.40.0.1"
)]
#[case::public_with_a_way_out(
    "ip addr add 2.0.0.5/8 dev rig0; ip route add default via 2.0.0.1",
    "P008",
    "rig0 has 2.0.0.5/8, a public address, and a way out by 2.0.0.1"
)]
#[case::only_loopback("ip link del rig0", "P012", "loopback is the only adapter of this computer")]
fn each_situation_is_named(#[case] script: &str, #[case] code: &str, #[case] what: &str) {
    let cable = if script.contains("aux0") && !script.contains("type veth") { SECOND_CABLE } else { "" };
    let Some(said) = after(&format!("{cable} {script}"), "") else { return };
    let text = said.out.replace("\n            ", " ");
    assert!(text.contains(&format!(" {code}  {what}")), "{}\n{}", said.out, said.notes);
    // A note alone is nothing wrong.
    said.ended(i32::from(code != "P002"));
}

#[test]
fn all_well_says_nothing() {
    let Some(said) = after("true", "") else { return };
    let said = said.ended(0);
    said.line(&["rig0", "wired", "up", "10.40.0.7/16 fixed"]);
    said.line(&["lo", "loopback", "this computer only", "127.0.0.1/8"]);
    assert_eq!(said.out.lines().count(), 3, "{}", said.out);
}

#[rstest]
#[case::other_mask(
    "ip -4 addr flush dev rig0; ip addr add 10.40.0.7/24 dev rig0",
    "P009",
    "rig0 has 10.40.0.7/24"
)]
#[case::not_in_the_network(
    "ip -4 addr flush dev rig0; ip addr add 10.60.0.7/16 dev rig0",
    "P011",
    "no address in lights"
)]
fn the_sheet_is_compared_with(#[case] script: &str, #[case] code: &str, #[case] what: &str) {
    let Some(said) = after(script, "--sheet ../tidewick.rig.toml") else { return };
    said.ended(1).line(&["error", code, what]);
}

#[test]
fn whoever_holds_the_port_is_named() {
    let Some(said) = after("deft-lantern survey --adapter rig0 >/dev/null 2>&1 & sleep 1", "") else { return };
    said.ended(1).line(&["warning P010", "deft-lantern holds UDP 6454 on 10.40.0.7"]);
}

/// The documented object, read strictly.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(dead_code, reason = "read to be sure that they are there")]
struct Answer {
    format: u32,
    adapters: Vec<Adapter>,
    holders: Vec<serde_json::Value>,
    name_servers: Vec<String>,
    findings: Vec<serde_json::Value>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(dead_code, reason = "read to be sure that they are there")]
struct Adapter {
    name: String,
    label: Option<String>,
    preferred: bool,
    medium: String,
    on: bool,
    link: bool,
    speed: Option<u32>,
    mac: Option<String>,
    addresses: Vec<Address>,
    gateways: Vec<String>,
}

#[derive(Debug, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
struct Address {
    address: String,
    subnet: String,
    origin: String,
}

#[test]
fn leased_and_fixed_addresses_are_told_apart() {
    let script = "ip addr add 10.50.0.9/24 dev rig0 valid_lft 3600 preferred_lft 3600";
    let Some(said) = after(script, "--json") else { return };
    let answer: Answer = serde_json::from_value(said.ended(0).json()).unwrap();
    let origins: Vec<&str> = answer.adapters[0].addresses.iter().map(|own| own.origin.as_str()).collect();
    assert_eq!(origins, ["fixed", "leased"]);
    let fixed = Address { address: "10.40.0.7".into(), subnet: "10.40.0.0/16".into(), origin: "fixed".into() };
    assert_eq!(answer.adapters[0].addresses[0], fixed);
    assert!(answer.adapters[0].mac.is_some());
}

#[test]
fn an_adapter_is_chosen_by_its_label_and_by_preference() {
    let Some(said) = after(
        "export XDG_CONFIG_HOME=$PWD/config; ip link add aux0 type veth peer name aux1; ip link set aux0 up\n\
         ip link set aux1 up; ip addr add 10.99.0.1/24 dev aux0\n\
         deft-lantern adapters label rig0 show; deft-lantern survey --adapter show | tail -n 1\n\
         deft-lantern survey || echo several $?; deft-lantern adapters prefer show; deft-lantern survey | tail -n 1\n\
         deft-lantern adapters label rig0 aux0 || echo taken $?; deft-lantern adapters prefer nobody || echo nobody $?",
        "",
    ) else {
        return;
    };
    said.line(&["rig0 (show) *", "wired"]);
    said.line(&["several 2"]);
    said.line(&["taken 2"]);
    said.line(&["nobody 2"]);
    assert!(said.notes.contains("on rig0 as 10.40.0.7 in 10.40.0.0/16: you prefer it"), "{}", said.notes);
    assert!(said.notes.contains("rig0 (show)  10.40.0.7/16"), "{}", said.notes);
}
