//! One survey of the whole harbour on a private segment: forty devices of all families, some of them set wrongly.
#![cfg(target_os = "linux")]

use std::collections::BTreeMap;

use rstest::rstest;
use serde_json::Value;

use crate::support::{Said, has, on_harbour, on_scene};

fn devices(answer: &Value) -> &Vec<Value> {
    answer["devices"].as_array().unwrap()
}

fn by_mac<'a>(answer: &'a Value, mac: &str) -> &'a Value {
    devices(answer).iter().find(|device| device["mac"] == mac).unwrap_or(&Value::Null)
}

fn ways(device: &Value) -> Vec<&str> {
    device["seen_by"].as_array().unwrap().iter().map(|seen| seen["way"].as_str().unwrap()).collect()
}

fn standings(answer: &Value) -> BTreeMap<&str, usize> {
    let mut counts = BTreeMap::new();
    for device in devices(answer) {
        *counts.entry(device["standing"].as_str().unwrap()).or_default() += 1;
    }
    counts
}

fn code<'a>(answer: &'a Value, code: &str) -> &'a str {
    let found = answer["findings"].as_array().unwrap().iter().find(|finding| finding["code"] == code);
    found.unwrap_or_else(|| panic!("no {code} in {answer:#}"))["what"].as_str().unwrap()
}

#[test]
fn every_device_is_found_in_one_survey_with_its_state_and_ways() {
    let Some(said) = on_harbour("deft-lantern survey --json") else { return };
    let answer = said.ended(1).json();
    assert_eq!(devices(&answer).len(), 40);
    let expected = [("answers", 30), ("one-way", 1), ("only-arp", 3), ("other-subnet", 6)];
    assert_eq!(standings(&answer), BTreeMap::from(expected));

    let twice = code(&answer, "W001");
    assert!(twice.contains("10.40.1.120") && twice.contains("02:4d:42:00:30:01 (quay-kiosk)"), "{twice}");
    assert!(twice.contains("02:54:4b:00:00:01"), "{twice}");
    for far in ["192.168.7.9", "2.0.0.5", "10.99.0.5", "192.168.1.50", "169.254.10.20", "172.16.5.5"] {
        assert!(code(&answer, "W002").contains(far));
    }
    assert!(code(&answer, "W006").contains("10.40.0.3"));

    let stagebox = by_mac(&answer, "02:4f:4c:00:00:01");
    assert_eq!(
        (&stagebox["name"], &stagebox["what"]),
        (&"hall-stagebox".into(), &"sound, sound sender, web page".into())
    );
    for (mac, wanted) in [
        ("02:4d:42:00:10:01", &["art-net", "arp"][..]),
        ("02:4f:4c:00:00:01", &["dns-sd", "sap", "arp"]),
        ("02:53:44:00:00:01", &["sacn", "arp", "echo"]),
        ("02:53:57:00:00:01", &["lldp", "igmp", "arp"]),
        ("02:44:48:00:00:02", &["dhcp", "arp"]),
        ("02:4d:55:00:00:03", &["arp"]),
    ] {
        let seen = ways(by_mac(&answer, mac));
        assert!(wanted.iter().all(|way| seen.contains(way)), "{mac}: {seen:?}");
    }
    let surroundings = &answer["surroundings"];
    assert_eq!(
        (&surroundings["switch_ports"][0]["switch"], &surroundings["switch_ports"][0]["port"]),
        (&"quay-switch".into(), &"7".into())
    );
    assert_eq!(surroundings["queriers"][0]["address"], "10.40.0.2");
    let source = &answer["sources"][0];
    assert_eq!((&source["name"], &source["universes"]["273"]["priority"]), (&"Quay desk".into(), &100.into()));
    let stream = answer["streams"].as_array().unwrap().iter().find(|s| s["session"] == "hall-mixer mix").unwrap();
    assert_eq!((&stream["group"], &stream["channels"]), (&"239.69.10.2".into(), &16.into()));
}

/// Drops every right, as for an ordinary user.
const AS_USER: &str = "setpriv --bounding-set -all --inh-caps -all";

#[rstest]
#[case::without_echo("", "not-asked", "no echo requests")]
#[case::with_echo("echo '0 0' >/proc/sys/net/ipv4/ping_group_range;", "only-arp", "no raw frames")]
fn without_any_rights_everything_else_works_and_the_rest_is_said(
    #[case] before: &str,
    #[case] mute: &str,
    #[case] blind: &str,
) {
    if !has("setpriv") {
        return;
    }
    let Some(said) = on_harbour(&format!("{before} {AS_USER} deft-lantern survey --json")) else { return };
    let answer = said.ended(1).json();
    let found = devices(&answer);
    // Who shares an address is seen by frames only.
    assert_eq!(found.len(), 39);
    let nodes = found.iter().filter(|device| ways(device).contains(&"art-net")).count();
    assert_eq!(
        (nodes, answer["sources"].as_array().unwrap().len(), answer["streams"].as_array().unwrap().len()),
        (19, 2, 5)
    );
    assert_eq!(by_mac(&answer, "02:4d:55:00:00:03")["standing"], mute);
    assert_eq!(standings(&answer)["other-subnet"], 6);
    let spots = answer["blind_spots"].to_string();
    assert!(spots.contains("no raw frames") && spots.contains(blind), "{spots}");
}

/// The census of a survey without its moment, its findings and what limited it.
fn plain(said: &str) -> Value {
    let mut answer: Value = serde_json::from_str(said).unwrap_or_else(|error| panic!("{error}: {said}"));
    for key in ["taken", "findings", "blind_spots"] {
        answer.as_object_mut().unwrap().remove(key);
    }
    answer
}

#[rstest]
#[case::by_frames("")]
#[case::by_datagrams(AS_USER)]
fn a_recorded_survey_gives_the_same_census_from_its_file(#[case] rights: &str) {
    if !has("setpriv") {
        return;
    }
    let script = format!(
        "{rights} deft-lantern survey --json --record r.pcapng >live.json; deft-lantern survey --json --capture r.pcapng >file.json\n\
         deft-lantern survey --capture r.pcapng | tail -n 3; cat live.json; echo ===; cat file.json"
    );
    let Some(said) = on_harbour(&script) else { return };
    let (live, file) = said.out.split_once("===").unwrap();
    let live = live.split_once('{').map(|(_, rest)| format!("{{{rest}")).unwrap();
    assert_eq!(plain(&live), plain(file));
    let recorded =
        said.notes.lines().find_map(|line| line.strip_prefix("recorded ")?.split(' ').next()?.parse::<u32>().ok());
    // Every address of the /22 was asked for, by frame or by datagram.
    assert!(recorded > Some(1022), "{}", said.notes);
}

#[test]
fn listening_sends_not_a_single_packet() {
    let script = "count() { ip -s link show rig0 | tail -n 1 | tr -s ' ' | cut -d' ' -f3; }\n\
                  echo 1 >/proc/sys/net/ipv6/conf/all/disable_ipv6; before=$(count); deft-lantern survey --listen 3s --json; echo $before $(count) >&2";
    let Some(said) = on_harbour(script) else { return };
    let counts: Vec<&str> = said.notes.lines().last().unwrap().split(' ').collect();
    assert_eq!(counts[0], counts[1], "{}", said.notes);
    let answer = said.json();
    assert!(by_mac(&answer, "02:53:44:00:00:01")["what"] == "sACN source", "{answer:#}");
    assert!(answer["blind_spots"].to_string().contains("nothing was asked"));
}

#[test]
fn a_range_one_unit_and_some_ways_can_be_asked_for() {
    let script = "deft-lantern survey --range 10.40.3.0/24; deft-lantern survey --mac 024D.5500.0002\n\
                  deft-lantern survey --mac 02:00:00:00:00:99; echo code $?; deft-lantern survey --only sap --show streams";
    let Some(said) = on_harbour(script) else { return };
    said.line(&["6 devices there"]);
    said.line(&["10.40.3.41", "02:4d:55:00:00:02", "seen: ARP only"]);
    said.line(&["02:00:00:00:00:99 was not seen"]);
    said.line(&["code 1"]);
    said.line(&["5 devices, 5 streams of sound and picture"]);
    said.line(&["hall-mixer mix", "audio", "10.40.2.21", "239.69.10.2", "L24 48000 Hz", "16"]);
}

#[test]
fn what_was_seen_is_remembered_compared_and_forgotten() {
    let script = "deft-lantern survey --save a.census.json >/dev/null\n\
        ip link add extra type veth peer name extra1 2>/dev/null\n\
        deft-lantern survey --range 10.40.1.0/24 --save b.census.json >/dev/null; deft-lantern census diff a.census.json b.census.json\n\
        deft-lantern survey --remembered; deft-lantern survey --mac 02:4d:42:00:10:01\n\
        deft-lantern forget 02:4D:42:00:10:01 10.9.9.9; deft-lantern survey --remembered | tail -n 1; deft-lantern forget --all";
    let Some(said) = on_harbour(script) else { return };
    said.line(&["gone", "hall-stagebox", "10.40.2.20", "02:4f:4c:00:00:01"]);
    said.line(&["0 new, 25 gone, 0 changed, 15 as before"]);
    said.line(&["quay-north", "10.40.1.100", "02:4d:42:00:10:01", "10.40.0.0/22"]);
    said.line(&["it was last at 10.40.1.100 on 20", "as quay-north"]);
    said.line(&["1 devices forgotten in "]);
    said.line(&["39 devices remembered"]);
    assert!(said.notes.contains("10.9.9.9 was not remembered"), "{}", said.notes);
}

const LATECOMER: &str = "network = \"10.40.0.0\"\n\
    [[device]]\nname = \"desk\"\nmac = \"02:53:44:00:00:01\"\naddress = \"10.40.0.20\"\n\
    [[device]]\nname = \"late-stagebox\"\nmac = \"02:4f:4c:00:00:09\"\naddress = \"10.40.2.29\"\narrives_ms = 5500\n\
    services = [{ name = \"late\", kind = \"_oca._tcp\", port = 65000 }]\n\
    streams = [{ name = \"late mix\", kind = \"audio\", group = \"239.69.10.9\", port = 5004, format = \"L24/48000/2\" }]\n";

#[test]
fn whoever_comes_is_shown_with_what_it_turns_out_to_be() {
    let Some(said) = on_scene(LATECOMER, "deft-lantern arrivals --until 1 --timeout 20s") else { return };
    let said: Said = said.ended(0);
    said.line(&["1 came", "10.40.2.29", "02:4f:4c:00:00:09"]);
    said.line(&["is late-stagebox, sound, sound sender; answers"]);
    assert!(!said.out.contains("02:53:44:00:00:01"), "who was there already is no arrival: {}", said.out);
    let Some(said) = on_scene(LATECOMER, "deft-lantern arrivals --until 9 --timeout 8s --json") else { return };
    let lines: Vec<Value> = said.ended(1).out.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let told: Vec<(&str, u64)> =
        lines.iter().map(|l| (l["event"].as_str().unwrap(), l["number"].as_u64().unwrap())).collect();
    assert_eq!(told, [("came", 1), ("known", 1)]);
    assert!(lines[1]["what"].as_str().unwrap().contains("sound"));
}

#[test]
fn a_survey_of_a_part_does_not_make_the_rest_new() {
    let scene = "network = \"10.40.0.0\"\nprefix = 24\n\
        [[device]]\nname = \"one\"\nmac = \"02:4f:4c:00:00:01\"\naddress = \"10.40.0.21\"\n\
        [[device]]\nname = \"two\"\nmac = \"02:4f:4c:00:00:02\"\naddress = \"10.40.0.22\"\n";
    let script = "deft-lantern survey >/dev/null; deft-lantern survey --range 10.40.0.21 >/dev/null\n\
                  deft-lantern survey --only sap >/dev/null; deft-lantern survey";
    let Some(said) = on_scene(scene, script) else { return };
    said.line(&["10.40.0.22", "answers"]);
    assert!(!said.out.contains("new") && !said.out.contains("silent"), "{}", said.out);
}

#[test]
fn what_was_seen_last_time_and_is_silent_now_is_told_and_what_is_new_is_marked() {
    let scene = "network = \"10.40.0.0\"\nprefix = 24\n\
        [[device]]\nname = \"late\"\nmac = \"02:4f:4c:00:00:09\"\naddress = \"10.40.0.29\"\narrives_ms = 4500\n";
    let script = "ip addr add 10.40.0.99/32 dev lo; deft-lantern survey >/dev/null; sleep 3; deft-lantern survey\n\
                  deft-lantern survey --remembered --json";
    let Some(said) = on_scene(
        &format!("{scene}[[device]]\nname = \"box\"\nmac = \"02:4f:4c:00:00:08\"\naddress = \"10.40.0.28\"\n"),
        script,
    ) else {
        return;
    };
    said.line(&["10.40.0.29", "answers, new"]);
    let old = said.line(&["10.40.0.28", "02:4f:4c:00:00:08", "answers"]);
    assert!(!old.contains("new"), "{old}");
}
