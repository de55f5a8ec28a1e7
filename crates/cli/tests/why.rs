//! `why` on the segment: a fault for each rung, the rung it is called, and what is printed typed, where a command mends it.

use rstest::rstest;
use serde_json::Value;

use crate::support::{Folder, has, on_scene};

const NORTH: &str = "02:4d:42:00:10:01";

/// One gateway with these lines more, and others beside it.
fn scene(node: &str, pages: &str, others: &str) -> String {
    format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\nmac = \"{NORTH}\"\n{node}\npages = [{pages}]\n{others}"
    )
}

fn whole(others: &str) -> String {
    scene("address = \"10.40.1.3\"", FED, others)
}

const FED: &str = "{ out = [0, 1, 2, 3] }";
const IDLE: &str = "{ out = [0, 1, 2, 3], idle = [0, 1, 2, 3] }";

fn idle(others: &str) -> String {
    scene("address = \"10.40.1.3\"", IDLE, others)
}

fn device(number: u8, address: &str, more: &str) -> String {
    format!(
        "[[device]]\nname = \"device-{number}\"\nmac = \"02:53:44:00:00:{number:02}\"\naddress = \"{address}\"\n{more}\n"
    )
}

fn desk(universes: &str, to: &str) -> String {
    device(20, "10.40.0.20", &format!("art_net = {{ universes = [{universes}], to = [{to}] }}"))
}

const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
    [[node]]\nname = \"quay-north\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.3\"\n\
    [[node.port]]\nport = 1\nout = \"0:0:0\"\n[[node.port]]\nport = 2\nout = \"0:0:1\"\n\
    [[node.port]]\nport = 3\nout = \"0:0:2\"\n[[node.port]]\nport = 4\nout = \"0:0:3\"\n";

/// A second gateway, which is off, and waits for the universe after the first one's.
const ANOTHER: &str = "[[node]]\nname = \"quay-south\"\nmac = \"02:4d:42:00:10:02\"\naddress = \"10.40.1.4\"\n\
    [[node.port]]\nport = 1\nout = \"0:0:4\"\n";

const DESK: &str = "[[source]]\nname = \"desk-one\"\nsends = [\"0:0:0-0:0:3\"]\n";

/// Which rung is broken, and its finding's code.
fn broken(answer: &Value) -> (String, String) {
    let rungs = answer["rungs"].as_array().unwrap();
    let last = rungs.last().unwrap();
    match last["state"].as_str() {
        Some("broken") => {
            (last["rung"].as_str().unwrap().to_owned(), answer["finding"]["code"].as_str().unwrap().to_owned())
        }
        _ => ("none".to_owned(), String::new()),
    }
}

#[rstest]
#[case::all_right(whole(""), SHEET.to_owned(), "", ("none", ""), "", "")]
#[case::no_link(whole(""), SHEET.to_owned(), "ip link set rig0 down", ("link", "D001"), "ip link set rig0 up; ip addr add 10.40.0.7/16 dev rig0 2>/dev/null", "-")]
#[case::no_address(whole(""), SHEET.to_owned(), "ip addr flush dev rig0", ("own-address", "D002"), "ip addr add 10.40.0.9/16 dev rig0", "-")]
#[case::another_subnet(scene("address = \"192.168.1.3\"", FED, ""), SHEET.replace("10.40.1.3", "192.168.1.3"), "", ("subnet", "D003"), "ip addr add 192.168.1.9/24 dev rig0", "R006 W002")]
#[case::its_mask(scene("address = \"10.40.1.3\"\nmask = \"255.255.255.0\"", FED, ""), SHEET.to_owned(), "", ("subnet", "D004"), "ip addr add 10.40.1.9/24 dev rig0; deft-lantern set 10.40.1.3 --mask 255.255.0.0 --yes --adapter rig0; ip addr del 10.40.1.9/24 dev rig0", "R003")]
#[case::another_adapter(whole(""), SHEET.to_owned(), "ip link add other0 type veth peer name other1; ip link set other0 up; ip link set other1 up; ip addr add 10.40.0.8/16 dev other0", ("way-out", "D005"), "ip link set other0 down", "P005")]
#[case::off(scene("address = \"10.40.1.3\"\noff = true", FED, ""), SHEET.to_owned(), "", ("arp", "D006"), "", "R001")]
#[case::elsewhere(scene("address = \"10.40.240.1\"", FED, ""), SHEET.to_owned(), "", ("arp", "D007"), "deft-lantern apply s.rig.toml --node quay-north --yes --adapter rig0", "R003")]
#[case::somebody_else(scene("address = \"10.40.1.3\"\noff = true", FED, &device(5, "10.40.1.3", "")), SHEET.to_owned(), "", ("arp", "D008"), "", "R001 R005")]
#[case::held_twice(whole(&device(5, "10.40.1.3", "")), SHEET.to_owned(), "", ("alone", "D009"), "", "W001 | R006 W001")]
#[case::our_own(whole(&device(5, "10.40.0.7", "")), SHEET.to_owned(), "", ("alone", "D010"), "ip addr flush dev rig0; ip addr add 10.40.0.9/16 dev rig0", "W012")]
#[case::only_arp(device_alone("echo = false"), SHEET.replace(NORTH, "02:53:44:00:00:05"), "", ("echo", "D011"), "", "R001")]
#[case::no_art_net(device_alone(""), SHEET.replace(NORTH, "02:53:44:00:00:05"), "", ("protocol", "D013"), "", "R001")]
#[case::set_otherwise(scene("address = \"10.40.1.3\"", "{ out = [0, 1, 1, 3] }", ""), SHEET.to_owned(), "", ("patch", "D016"), "deft-lantern apply s.rig.toml --node quay-north --yes --adapter rig0", "R003")]
#[case::by_sacn(idle(&device(20, "10.40.0.20", "sacn = { name = \"desk\", universes = [1] }")), SHEET.to_owned(), "", ("patch", "D017"), "", "R011")]
#[case::one_beside(idle(&desk("4", "")), SHEET.to_owned(), "", ("patch", "D018"), "", "R012")]
#[case::one_beside_the_last_of_a_row(idle(&desk("0, 1, 2, 4", "")), SHEET.to_owned(), "", ("patch", "D018"), "", "R012")]
// The universe beside it is somebody else's.
#[case::nobody_sends_and_the_next_is_for_another(idle(&desk("4", "")), format!("{SHEET}{ANOTHER}"), "", ("none", ""), "", "R001")]
#[case::nobody_sends(idle(""), format!("{SHEET}{DESK}"), "", ("patch", "D019"), "", "R008")]
#[case::not_to_it(idle(&(desk("0, 1, 2, 3", "\"10.40.1.3\"") + &device(21, "10.40.0.21", "sacn = { name = \"x\", universes = [9] }"))), format!("{SHEET}{DESK}"), "", ("none", ""), "", "R009")]
#[case::does_not_arrive(scene("address = \"10.40.1.3\"", "{ out = [0, 1, 2, 3], idle = [1] }", &desk("1", "\"10.40.0.7\"")), SHEET.to_owned(), "", ("data", "D020"), "", "R015")]
#[case::merged(scene("address = \"10.40.1.3\"", "{ out = [0, 1, 2, 3], merging = [2] }", ""), SHEET.to_owned(), "", ("merge", "D021"), "deft-lantern set 10.40.1.3 --stop-merging --yes --adapter rig0", "R016")]
fn the_broken_rung_is_named_and_mended(
    #[case] scene: String,
    #[case] sheet: String,
    #[case] fault: &str,
    #[case] expected: (&str, &str),
    #[case] mending: &str,
    #[case] checked: &str,
) {
    if !has("ip") {
        return;
    }
    let script = format!(
        "cat > s.rig.toml <<'END'\n{sheet}END\n{fault}\ndeft-lantern why quay-north --adapter rig0 --json > before.json 2> notes || true\n\
         deft-lantern check s.rig.toml --adapter rig0 --json > check.json 2>> notes || true\n\
         {{ {}\n}} > mended 2>&1\ndeft-lantern why quay-north --adapter rig0 --json > after.json 2>> notes || true\n\
         [ -s check.json ] || echo null > check.json; echo '['; cat before.json; echo ','; cat after.json; echo ','; cat check.json; echo ']'; cat notes mended >&2",
        if mending.is_empty() { ":" } else { mending }
    );
    let Some(said) = on_scene(&scene, &script) else { return };
    let said = said.ended(0);
    let notes = said.notes.clone();
    let both: Value = serde_json::from_str(&said.out).unwrap_or_else(|_| panic!("{}\n{notes}", said.out));
    let (rung, code) = broken(&both[0]);
    assert_eq!((rung.as_str(), code.as_str()), expected, "{:#}\n{notes}", both[0]);
    // A check finds the same, by its own rules, and nothing else; where there is no way to the rig it cannot be made.
    let findings = both[2]["findings"].as_array();
    let mut codes: Vec<&str> =
        findings.into_iter().flatten().map(|finding| finding["code"].as_str().unwrap()).collect();
    codes.sort_unstable();
    codes.dedup();
    let found = findings.map_or_else(|| "-".to_owned(), |_| codes.join(" "));
    // Of two at one address it is chance which of them is asked.
    assert!(
        checked.split(" | ").any(|one| one == found),
        "{found}, not {checked}: {:#}\n{notes}",
        both[2]["findings"]
    );
    if !mending.is_empty() {
        assert_eq!(broken(&both[1]).0, "none", "after mending: {:#}\n{notes}", both[1]);
    }
}

/// Somebody who is where the gateway should be, and is none.
fn device_alone(more: &str) -> String {
    format!("network = \"10.40.0.0\"\n{}{}", device(5, "10.40.1.3", more), device(6, "10.40.0.6", ""))
}

#[test]
fn a_recording_tells_as_much_as_it_has() {
    let script = format!(
        "cat > s.rig.toml <<'END'\n{SHEET}END\ndeft-lantern survey --record r.pcapng --adapter rig0 >/dev/null 2>&1\n\
         exec deft-lantern why quay-north --capture r.pcapng --json"
    );
    let Some(said) = on_scene(&whole(&device(5, "10.40.1.3", "")), &script) else { return };
    let answer = said.ended(1).json();
    assert_eq!(broken(&answer), ("alone".to_owned(), "D009".to_owned()), "{answer:#}");
    assert_eq!(answer["rungs"][0]["state"], "not-looked-at");
}

#[test]
fn whoever_is_unknown_is_said() {
    let said = Folder::new().run(&["why", "zebra", "--adapter", "127.0.0.1/8"]);
    assert!(said.code != 0 && said.notes.contains("zebra"), "{}", said.notes);
}
