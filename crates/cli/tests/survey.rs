//! `survey` on simulated nodes.

use lantern_sim::{HARBOUR, Scene};
use rstest::rstest;
use serde::Deserialize;

use crate::support::{Folder, Rig};

/// The documented object, read strictly: a field that is renamed or added breaks this test.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(dead_code, reason = "read to be sure that they are there")]
struct Answer {
    format: u32,
    taken: String,
    adapter: String,
    networks: Vec<String>,
    devices: Vec<Device>,
    nodes: Vec<Node>,
    sources: Vec<serde_json::Value>,
    services: Vec<serde_json::Value>,
    streams: Vec<serde_json::Value>,
    units: Vec<serde_json::Value>,
    fixtures: Vec<serde_json::Value>,
    cables: Vec<serde_json::Value>,
    patch_points: Vec<serde_json::Value>,
    surroundings: Surroundings,
    findings: Vec<Finding>,
    blind_spots: Vec<String>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(dead_code, reason = "read to be sure that they are there")]
struct Device {
    name: String,
    what: String,
    mac: Option<String>,
    address: Option<String>,
    addresses: Vec<String>,
    standing: String,
    seen_by: Vec<SeenBy>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(dead_code, reason = "read to be sure that they are there")]
struct SeenBy {
    way: String,
    first_ms: u64,
    last_ms: u64,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(dead_code, reason = "read to be sure that they are there")]
struct Surroundings {
    switch_ports: Vec<serde_json::Value>,
    queriers: Vec<serde_json::Value>,
    listeners: Vec<serde_json::Value>,
    dhcp_servers: Vec<serde_json::Value>,
    dhcp_clients: Vec<serde_json::Value>,
    clocks: Vec<serde_json::Value>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(dead_code, reason = "read to be sure that they are there")]
struct Node {
    name: String,
    label: String,
    model: String,
    mac: Option<String>,
    heard_mac: Option<String>,
    address: String,
    states: Option<String>,
    answers_to: Option<String>,
    heard_from: String,
    seat: usize,
    esta: u16,
    oem: u16,
    firmware: String,
    style: String,
    report: String,
    on_data_loss: Option<String>,
    does_rdm: bool,
    indicators: Option<String>,
    can: Abilities,
    dhcp: Option<bool>,
    settings: Option<serde_json::Value>,
    pages: Vec<Page>,
    rounds: u32,
    first_heard_ms: u64,
    last_heard_ms: u64,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(dead_code, reason = "read to be sure that they are there")]
struct Abilities {
    dhcp: Option<bool>,
    protocol: Option<bool>,
    data_loss: Option<bool>,
    direction: Option<bool>,
    rdm: Option<bool>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(dead_code, reason = "read to be sure that they are there")]
struct Page {
    index: u8,
    says_index: bool,
    address: Option<String>,
    mac: Option<String>,
    name: String,
    label: String,
    sacn_priority: Option<u8>,
    ports: Vec<Port>,
    heard_ms: u64,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(dead_code, reason = "read to be sure that they are there")]
struct Port {
    slot: u8,
    direction: String,
    protocol: String,
    universe: u16,
    also_in: Option<u16>,
    merge: String,
    rdm: Option<bool>,
    merging: bool,
    input: Option<bool>,
    data: bool,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
#[allow(dead_code, reason = "read to be sure that they are there")]
struct Finding {
    severity: String,
    code: String,
    what: String,
    why: String,
    remedy: String,
    command: Option<String>,
    places: Vec<serde_json::Value>,
}

#[test]
fn every_live_node_is_listed_with_what_matters() {
    let rig = Rig::tidewick();
    let said = rig.run_here(&["survey"]).ended(1);
    let row = said.line(&["quay-south", &rig.address(1, 101), "02:4d:42:00:10:02", "0:1:0-6", "answers"]);
    assert!(row.contains("Marrowbright"), "{row}");
    said.line(&["lamp-gallery", "2:0:4-6, in 2:0:7"]);
    said.line(&["9 nodes with 48 ports"]);
    said.line(&["warning W003", "2 nodes say they are hall-west"]);
    said.line(&["on the sheet, but silent: slip-low"]);
    assert!(!said.out.contains("not on the sheet"), "every one of them is known by its MAC");
    assert!(said.notes.contains("next: deft-lantern check tidewick.rig.toml"), "{}", said.notes);
    assert!(said.out.lines().all(|line| line.chars().count() <= 100));
}

#[test]
fn on_loopback_all_families_that_speak_by_datagrams_are_seen() {
    let rig = Rig::with(&Scene::parse(HARBOUR).unwrap());
    let answer = rig.run_here(&["survey", "--json"]).json();
    let count = |key: &str| answer[key].as_array().unwrap().len();
    assert_eq!((count("nodes"), count("sources"), count("streams"), count("services")), (19, 2, 5, 12));
    assert!(answer["blind_spots"].to_string().contains("there is no ARP and no echo"));
    let stagebox = answer["devices"].as_array().unwrap().iter().find(|d| d["name"] == "hall-stagebox").unwrap();
    assert_eq!(stagebox["standing"], "answers");
}

#[rstest]
#[case("60")]
#[case("80")]
#[case("140")]
fn the_table_fits_the_width(#[case] columns: &str) {
    let rig = Rig::with(&Scene::crowd(3, 0.0, 1));
    let guest = rig.ground.guest().to_string();
    let said = rig.folder.run_in(&["survey", "--adapter", &guest], &[("COLUMNS", columns)]).ended(0);
    let widest = said.out.lines().map(|line| line.chars().count()).max();
    assert!(widest <= columns.parse().ok(), "{}", said.out);
    said.line(&["crowd-0", "02:4d:42:77:00:00"]);
}

/// What is left out for want of room is named, and comes where it is wanted.
#[rstest]
#[case::too_narrow("60", &[], "name address MAC state", "left out at this width: what-it-is, universes, seen-by")]
#[case::chosen("60", &["--columns", "firmware,name,data"], "firmware name data", "")]
#[case::unknown("60", &["--columns", "name,nane"], "name", "no column is called nane; there are name, address")]
#[case::all_unknown("60", &["--columns", "nane"], "name address MAC state", "--columns: nothing is called so; there are address, data")]
fn columns_are_chosen(#[case] width: &str, #[case] columns: &[&str], #[case] headings: &str, #[case] note: &str) {
    let rig = Rig::with(&Scene::crowd(2, 0.0, 1));
    let guest = rig.ground.guest().to_string();
    let arguments = [&["survey", "--adapter", &guest], columns].concat();
    let said = rig.folder.run_in(&arguments, &[("COLUMNS", width)]).ended(0);
    let head: Vec<&str> = said.out.lines().next().unwrap().split_whitespace().collect();
    assert_eq!(head.join(" "), headings, "{}", said.out);
    assert!(said.notes.contains(note), "{}", said.notes);
    assert_eq!(
        said.notes.contains("column") || said.notes.contains("left out"),
        !note.is_empty(),
        "{}",
        said.notes
    );
}

#[test]
fn two_hundred_nodes_at_two_percent_loss_are_all_found() {
    let rig = Rig::with(&Scene::crowd(200, 0.02, 5));
    let answer: Answer = serde_json::from_value(rig.run_here(&["survey", "--json"]).ended(0).json()).unwrap();
    assert_eq!(answer.nodes.len(), 200);
}

#[test]
fn json_and_the_saved_census_say_the_same() {
    let rig = Rig::tidewick();
    let said = rig.run_here(&["survey", "--json", "--save", "now.census.json"]).ended(1);
    let answer: Answer = serde_json::from_value(said.json()).unwrap();
    assert_eq!((answer.format, answer.taken.as_str(), answer.nodes.len()), (1, "2026-11-04T00:00:00Z", 9));
    assert_eq!(answer.findings[0].code, "W003");
    let mut saved: serde_json::Value = serde_json::from_str(&rig.folder.read("now.census.json")).unwrap();
    for key in ["findings", "blind_spots"] {
        saved[key] = said.json()[key].clone();
    }
    assert_eq!(saved, said.json());
    // A sheet made from it knows every node again.
    rig.run(&["sheet", "new", "found.rig.toml", "--from", "now.census.json"]).ended(0);
    let found = rig.folder.read("found.rig.toml");
    assert_eq!(found.matches("[[node]]").count(), 9);
    assert!(found.contains("in = \"2:0:7\""), "{found}");
}

#[test]
fn what_nodes_say_cannot_reach_the_terminal() {
    let scene = "network = \"10.40.0.0\"\n[[node]]\nname = \"\\u001b]0;own\\u0007\"\nlabel = \"\\u001b[2J\"\n\
                 model = \"marrowbright-four\"\nmac = \"02:4d:42:00:30:01\"\naddress = \"10.40.1.9\"\n\
                 pages = [{ out = [0] }]\n";
    let rig = Rig::with(&Scene::parse(scene).unwrap());
    for arguments in [&["survey", "--save", "x.census.json"][..], &["survey", "--json"]] {
        let said = rig.run_here(arguments).ended(0);
        assert!(!said.out.contains('\u{1b}') && !said.notes.contains('\u{1b}'), "{said:?}");
    }
    rig.run_here(&["survey"]).ended(0).line(&["\\x1b]0;own\\x07"]);
    assert!(!rig.folder.read("x.census.json").contains("\\u001b"));
}

#[test]
fn nobody_there_names_the_likely_causes() {
    let rig = Rig::with(&Scene::crowd(0, 0.0, 1));
    let said = rig.run_here(&["survey"]).ended(1);
    said.line(&["no device was seen"]);
    assert!(said.notes.contains("1. no simulated nodes run on this ground"), "{}", said.notes);
}

#[test]
fn an_unknown_adapter_is_told_with_those_there_are() {
    let said = Folder::new().run(&["survey", "--adapter", "wlan9"]).ended(2);
    assert!(said.notes.contains("error: this computer has no adapter \"wlan9\""), "{}", said.notes);
    assert!(said.notes.contains("lo  127.0.0.1/8  (leads only to this computer)"), "{}", said.notes);
    assert!(said.notes.contains("next: say which one with --adapter"), "{}", said.notes);
}

#[test]
fn a_port_held_alone_by_another_program_is_told() {
    let rig = Rig::with(&Scene::crowd(1, 0.0, 1));
    let _held = std::net::UdpSocket::bind((rig.ground.guest(), 6454)).unwrap();
    // Looking goes on in the other ways; who holds the port is named.
    let said = rig.run_here(&["survey"]).ended(1);
    assert!(said.notes.contains("here holds UDP 6454 for itself: Art-Net is not asked"), "{}", said.notes);
    // Setting and checking would only find everybody missing.
    for command in [&["set", "crowd-0", "--name", "x", "--yes"][..], &["sheet", "new", "x.rig.toml", "--survey"]] {
        let said = rig.run_here(command).ended(3);
        assert!(said.notes.contains("error: UDP port 6454 on lo is held by another program"), "{}", said.notes);
        assert!(said.notes.contains("next: close the desk or visualiser"), "{}", said.notes);
    }
}

#[rstest]
#[case(&[("NO_COLOR", "1")], &["--color", "auto"], false)]
#[case(&[], &["--color", "auto"], false)]
#[case(&[], &["--color", "always"], true)]
#[case(&[("NO_COLOR", "1")], &["--color", "always"], true)]
fn colour_is_used_where_it_is_wanted(
    #[case] environment: &[(&str, &str)],
    #[case] flags: &[&str],
    #[case] coloured: bool,
) {
    let folder = Folder::new();
    let said = folder.run_in(&[&["universe", "1:1:0"], flags].concat(), environment).ended(0);
    assert_eq!(said.out.contains('\u{1b}'), coloured);
}
