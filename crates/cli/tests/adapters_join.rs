//! `adapters join` and `adapters restore` on a private segment: a real kernel's addresses and routes.
#![cfg(target_os = "linux")]

use crate::support::{Said, has, noting};

/// Runs a script that can note rig0 (see [`noting`]), and count the adapters whose state is kept.
fn script(text: &str) -> Option<Said> {
    let kept = "kept() { ls state/deft-lantern/adapters 2>/dev/null | wc -l; }";
    noting("rig0", kept, text)
}

#[test]
fn addresses_are_taken_side_by_side_and_put_back_exactly() {
    let Some(said) = script(
        "note before; deft-lantern adapters join 192.168.0.50/24 169.254.9.9/16; echo code $?\n\
         ip -4 -br addr show dev rig0; deft-lantern adapters join 10.99.0.5/24 >/dev/null; echo kept $(kept)\n\
         deft-lantern adapters restore; note after; same before after; echo kept $(kept)\n\
         deft-lantern adapters restore",
    ) else {
        return;
    };
    let said = said.ended(0);
    said.line(&[
        "joined",
        "rig0 has 192.168.0.50/24, 169.254.9.9/16, beside what was there; nobody else holds it",
    ]);
    said.line(&["rig0", "10.40.0.7/16 192.168.0.50/24 169.254.9.9/16"]);
    said.line(&["restored", "10.99.0.5/24 taken off, 169.254.9.9/16 taken off, 192.168.0.50/24 taken off"]);
    said.line(&["same before after"]);
    said.line(&["nothing to put back"]);
    let kept: Vec<&str> = said.out.lines().filter(|line| line.starts_with("kept")).collect();
    assert_eq!(kept, ["kept 1", "kept 0"]);
}

#[test]
fn an_address_that_a_node_holds_is_refused_with_its_mac_and_nothing_changed() {
    let Some(said) = script(
        "note before; deft-lantern adapters join 10.40.1.101/16; echo code $?\n\
         deft-lantern adapters join 10.40.1.102/16 10.40.2.100/16 --sheet ../mended/tidewick.rig.toml; echo code $?\n\
         note after; same before after; echo kept $(kept)",
    ) else {
        return;
    };
    assert!(said.notes.contains("error P016  10.40.1.101 is held by 02:4d:42:00:10:02"), "{}", said.notes);
    assert!(said.notes.contains("error P015  10.40.2.100 is planned for hall-west"), "{}", said.notes);
    assert_eq!(said.out.matches("code 2").count(), 2);
    said.line(&["same before after"]);
    said.line(&["kept 0"]);
}

#[test]
fn one_that_a_silent_node_defends_is_given_back_by_itself() {
    let Some(said) = script(
        "note before; deft-lantern adapters join 10.99.0.5/24 >/dev/null; note joined\n\
         deft-lantern adapters join 10.40.5.100/16; echo code $?; note after; same joined after\n\
         deft-lantern adapters restore; note restored; same before restored",
    ) else {
        return;
    };
    assert!(said.notes.contains("error P017  10.40.5.100 is defended by 02:4d:42:00:50:01"), "{}", said.notes);
    assert!(said.notes.contains("so it was given back; nothing is changed"), "{}", said.notes);
    said.line(&["code 3"]);
    said.line(&["same joined after"]);
    said.line(&["same before restored"]);
}

/// The first address of a subnet takes the others along when it goes: both ways are exact all the same.
#[test]
fn several_addresses_of_one_subnet_come_and_go_in_order() {
    let Some(said) = script(
        "ip addr add 10.40.0.8/16 dev rig0; ip addr add 10.40.0.9/16 dev rig0; note before\n\
         deft-lantern adapters join 10.99.0.5/24 10.99.0.6/24 --instead; ip -4 -br addr show dev rig0\n\
         deft-lantern adapters restore; note after; same before after\n\
         deft-lantern adapters join 10.40.0.9/16 --instead; ip -4 -br addr show dev rig0\n\
         deft-lantern adapters restore; note again; same before again; echo kept $(kept)",
    ) else {
        return;
    };
    let said = said.ended(0);
    let shown: Vec<Vec<&str>> = said
        .out
        .lines()
        .filter(|line| line.starts_with("rig0@"))
        .map(|line| line.split_whitespace().skip(2).collect())
        .collect();
    assert_eq!(shown, [vec!["10.99.0.5/24", "10.99.0.6/24"], vec!["10.40.0.9/16"]], "{}", said.notes);
    said.line(&["same before after"]);
    said.line(&["same before again"]);
    said.line(&["kept 0"]);
}

/// An address of ours that a device has too is told with both MAC addresses.
#[test]
fn who_else_has_our_address_is_named() {
    let Some(said) = script(
        "ip addr add 10.40.1.101/16 dev rig0; deft-lantern adapters join 10.40.1.101/16; echo code $?\n\
         echo ours $(ip -o link show dev rig0 | sed 's/.*ether \\([0-9a-f:]*\\).*/\\1/')",
    ) else {
        return;
    };
    let ours = said.line(&["ours "]).trim_start_matches("ours ").to_owned();
    let line = format!("10.40.1.101 is this computer's ({ours}), and 02:4d:42:00:10:02 has it too");
    assert!(said.notes.contains("error P014") && said.notes.contains(&line), "{}", said.notes);
    said.line(&["code 2"]);
}

/// Another adapter in the same subnet is told before anything is taken.
#[test]
fn a_second_adapter_in_one_subnet_is_told_before() {
    let Some(said) = script(
        "ip link add aux0 type veth peer name aux1; ip link set aux0 up; ip link set aux1 up\n\
         until ip link show aux0 | grep -q 'state UP'; do sleep 0.02; done\n\
         deft-lantern adapters join 10.40.0.60/16 --adapter aux0 2>&1; echo code $?",
    ) else {
        return;
    };
    let told = said.out.find("warning P020  rig0 (10.40.0.7/16) reaches addresses of 10.40.0.0/16 too");
    let joined = said.out.find("joined");
    assert!(told.is_some() && told < joined, "{}", said.out);
}

#[test]
fn killed_between_write_and_read_back_everything_can_be_restored() {
    let Some(said) = script(
        "note before; deft-lantern adapters join 10.99.0.5/24 --instead & killed=$!\n\
         until ip -4 addr show dev rig0 | grep -q 10.99.0.5; do sleep 0.005; done\n\
         kill -9 $killed; wait $killed 2>/dev/null; echo killed $?; echo kept $(kept)\n\
         deft-lantern adapters restore; note after; same before after",
    ) else {
        return;
    };
    said.line(&["killed 137"]);
    said.line(&["kept 1"]);
    said.line(&["restored", "10.99.0.5/24 taken off", "10.40.0.7/16 put back"]);
    said.line(&["same before after"]);
}

#[test]
fn instead_of_what_was_there_takes_routes_too_and_gives_them_back() {
    let Some(said) = script(
        "ip addr add 10.50.0.9/24 dev rig0; ip route add default via 10.40.0.1 metric 50\n\
         ip route add 172.20.0.0/16 via 10.50.0.1; note before\n\
         deft-lantern adapters join 192.168.7.2/24 --instead; ip -4 -br addr show dev rig0; ip -4 route\n\
         deft-lantern adapters restore; note after; same before after",
    ) else {
        return;
    };
    said.line(&["joined", "rig0 has 192.168.7.2/24, instead of what was there"]);
    assert!(
        said.out
            .lines()
            .any(|line| line.split_whitespace().collect::<Vec<_>>() == ["rig0@if2", "UP", "192.168.7.2/24"])
    );
    said.line(&["same before after"]);
}

#[test]
fn given_back_when_the_command_ends_whose_exit_code_is_ours() {
    let Some(said) = script(
        "note before; deft-lantern adapters join 10.99.0.5/24 -- sh -c 'ip -4 -br addr show dev rig0; exit 9'; echo code $?\n\
         note after; same before after; echo kept $(kept)",
    ) else {
        return;
    };
    said.line(&["10.99.0.5/24", "10.40.0.7/16"]);
    said.line(&["code 9"]);
    said.line(&["same before after"]);
    said.line(&["kept 0"]);
}

#[test]
fn without_rights_it_says_which_are_missing_and_does_nothing() {
    if !has("setpriv") {
        return;
    }
    let Some(said) = script(
        "note before; setpriv --bounding-set -net_admin,-net_raw --inh-caps -all deft-lantern adapters join 10.99.0.5/24\n\
         echo code $?; note after; same before after; echo kept $(kept)",
    ) else {
        return;
    };
    let missing = "lacks the rights for changing addresses (CAP_NET_ADMIN) and for raw frames, to probe by ARP (CAP_NET_RAW)";
    assert!(said.notes.contains(missing), "{}", said.notes);
    assert!(said.notes.contains("next: run it with sudo"), "{}", said.notes);
    said.line(&["code 2"]);
    said.line(&["same before after"]);
    said.line(&["kept 0"]);
}

#[test]
fn after_a_restart_of_the_computer_nothing_is_put_back_in_vain() {
    let Some(said) = script(
        "deft-lantern adapters join 10.99.0.5/24 >/dev/null\n\
         sed -i 's/\"start\": \"[^\"]*\"/\"start\": \"earlier\"/' state/deft-lantern/adapters/rig0.json\n\
         note before; deft-lantern adapters restore; note after; same before after; echo kept $(kept)",
    ) else {
        return;
    };
    assert!(said.notes.contains("rig0: this computer was restarted since"), "{}", said.notes);
    said.line(&["same before after"]);
    said.line(&["kept 0"]);
}

#[test]
fn a_wrong_call_is_refused_before_anything_is_asked() {
    let Some(said) = script(
        "for a in 10.40.0.50 10.40.0.0/16 10.40.255.255/16 239.1.1.1/8 10.40.0.7/16; do\n\
         deft-lantern adapters join $a; echo code $?; done\n\
         deft-lantern adapters join 10.99.0.5/24 --adapter nope; echo code $?",
    ) else {
        return;
    };
    assert_eq!(said.out.matches("code 2").count(), 6, "{}\n{}", said.out, said.notes);
    assert_eq!(said.notes.matches("error P013").count(), 3, "{}", said.notes);
    assert!(said.notes.contains("as in 10.40.0.50/16") && said.notes.contains("error P014"), "{}", said.notes);
}

/// The road of somebody who comes with a bare adapter to nodes in three subnets.
#[test]
fn advice_leads_to_three_subnets_side_by_side_and_back() {
    if !has("ping") {
        return;
    }
    let Some(said) = script(
        "cp ../tidewick.rig.toml .\n\
         deft-lantern set quay-north --address 192.168.0.5 --mask /24 --outside --yes >/dev/null\n\
         deft-lantern set quay-south --address 169.254.3.4 --mask /16 --outside --yes >/dev/null\n\
         ip -4 addr flush dev rig0; note before\n\
         deft-lantern adapters advise 192.168.0.5 10.40.2.100 169.254.3.4 >advice; cat advice\n\
         deft-lantern adapters join $(sed -n 's/^ *do .* join \\([0-9./]*\\) .*/\\1/p' advice)\n\
         for node in 192.168.0.5 10.40.2.100 169.254.3.4; do ping -c 1 -W 2 $node >/dev/null && echo echo $node; done\n\
         deft-lantern adapters advise 192.168.0.5\n\
         deft-lantern adapters restore; note after; same before after",
    ) else {
        return;
    };
    let said = said.ended(0);
    said.line(&["192.168.0.5  take 192.168.0.254/24 on rig0, no gateway"]);
    said.line(&["10.40.2.100  take 10.40.0.49/16 on rig0, no gateway"]);
    said.line(&["169.254.3.4  take 169.254.255.254/16 on rig0, no gateway"]);
    said.line(&["why", "10.40.0.0/16 is the sheet's network lights; kept free in lights"]);
    said.line(&["all of them  no one mask is wide enough"]);
    assert_eq!(said.out.matches("nobody answers for it by ARP").count(), 3);
    assert!(said.notes.contains("inside a subnet no gateway is needed"), "{}", said.notes);
    let answered: Vec<&str> = said.out.lines().filter(|line| line.starts_with("echo ")).collect();
    assert_eq!(answered, ["echo 192.168.0.5", "echo 10.40.2.100", "echo 169.254.3.4"]);
    said.line(&["192.168.0.5  is reached already"]);
    said.line(&["same before after"]);
}

/// The whole way back for a node that somebody left in another subnet.
#[test]
fn a_node_in_another_subnet_is_brought_home_through_a_second_address() {
    let Some(said) = script(
        "cp ../tidewick.rig.toml .; home='deft-lantern set quay-north --address 10.40.1.100 --mask /16 --yes'\n\
         deft-lantern set quay-north --address 192.168.0.5 --mask /24 --outside --yes >/dev/null; $home; echo refused $?\n\
         deft-lantern adapters join 192.168.0.254/24 -- sh -c \"$home; deft-lantern survey\"",
    ) else {
        return;
    };
    said.line(&["refused 2"]);
    said.line(&["done", "quay-north at 10.40.1.100, read back"]);
    said.line(&["quay-north", "10.40.1.100", "02:4d:42:00:10:01"]);
    assert!(
        said.notes.contains("on rig0 as 10.40.0.7 in 10.40.0.0/16 and 192.168.0.254 in 192.168.0.0/24"),
        "{}",
        said.notes
    );
}

#[test]
fn advice_passes_over_an_address_that_somebody_holds() {
    let Some(said) = script(
        "deft-lantern set quay-north --address 192.168.0.254 --mask /24 --outside --yes --sheet ../tidewick.rig.toml >/dev/null\n\
         deft-lantern survey --adapter rig0 --save now.census.json >/dev/null\n\
         deft-lantern adapters advise 192.168.0.0/24; deft-lantern adapters advise hall-grid --census now.census.json\n\
         deft-lantern adapters advise ../tidewick.rig.toml --json; deft-lantern adapters advise nonsense; echo code $?",
    ) else {
        return;
    };
    said.line(&["192.168.0.0/24  take 192.168.0.253/24 on rig0"]);
    said.line(&["hall-grid  is reached already"]);
    said.line(&["\"state\": \"reachable\""]);
    assert!(said.notes.contains("\"nonsense\" is no target"), "{}", said.notes);
    said.line(&["code 2"]);
}
