//! `adapters dhcp` against a real server, presets, and lasting settings, on a private segment.
#![cfg(target_os = "linux")]

use rstest::rstest;

use crate::support::{Folder, Said, has, noting};

/// A script that can note aux0 (see [`noting`]), a second cable to aux1 in a network of its own (`there COMMAND`), with a
/// DHCP server at its far end when it is asked for with `serve`.
fn script(text: &str) -> Option<Said> {
    let cable = "ip link add aux0 type veth peer name aux1; ip link set aux0 up\n\
         unshare -n sleep 120 & far=$!; sleep 0.3; ip link set aux1 netns $far\n\
         there() { nsenter -n -t $far -- \"$@\"; }; there ip link set aux1 up\n\
         serve() { there ip addr add 10.70.0.1/24 dev aux1\n\
         there dnsmasq --conf-file=/dev/null --no-hosts --no-resolv --port=0 --interface=aux1 --bind-interfaces --no-ping \\\n\
         --dhcp-range=10.70.0.100,10.70.0.100,1h --dhcp-leasefile=$PWD/leases --dhcp-authoritative \\\n\
         --no-daemon \"$@\" >/dev/null 2>&1 & echo $! >pid; sleep 0.5; }";
    noting("aux0", cable, &format!("{text}\n[ -e pid ] && kill $(cat pid); kill $far"))
}

#[test]
fn a_real_server_gives_a_lease_that_shows_as_leased_and_is_given_back() {
    if !has("dnsmasq") {
        return;
    }
    let Some(said) = script(
        "serve --dhcp-option=option:router,10.70.0.1; note before\n\
         deft-lantern adapters dhcp --adapter aux0; echo code $?; deft-lantern adapters; ip -4 route show default\n\
         deft-lantern adapters restore; note after; same before after\n\
         deft-lantern adapters join 10.70.0.50/24 --adapter aux0; deft-lantern adapters",
    ) else {
        return;
    };
    said.line(&["leased", "aux0 has 10.70.0.100/24 from 10.70.0.1 for 3600 s, way out by 10.70.0.1"]);
    said.line(&["code 0"]);
    said.line(&["aux0", "wired", "10.70.0.100/24 leased", "10.70.0.1"]);
    said.line(&["default via 10.70.0.1 dev aux0"]);
    said.line(&["same before after"]);
    said.line(&["aux0", "wired", "10.70.0.50/24 fixed"]);
}

#[test]
fn a_second_way_out_is_not_taken() {
    if !has("dnsmasq") {
        return;
    }
    let Some(said) = script(
        "ip route add default via 10.40.0.1 dev rig0; serve --dhcp-option=option:router,10.70.0.1\n\
         deft-lantern adapters dhcp --adapter aux0 --instead; ip -4 route show default | wc -l",
    ) else {
        return;
    };
    said.line(&["leased", "its gateway 10.70.0.1 left out: this computer has a way out already"]);
    assert_eq!(said.out.lines().last(), Some("1"));
}

#[test]
fn a_leased_address_that_somebody_holds_is_declined() {
    if !has("dnsmasq") {
        return;
    }
    // The server's own end of the cable answers for the very address that it gives away.
    let Some(said) = script(
        "serve; there ip addr add 10.70.0.100/32 dev aux1; note before\n\
         deft-lantern adapters dhcp --adapter aux0; echo code $?; note after; same before after",
    ) else {
        return;
    };
    assert!(said.notes.contains("error P016  10.70.0.100 is held by"), "{}", said.notes);
    said.line(&["code 2"]);
    said.line(&["same before after"]);
}

/// A device behind a router that leads there is reached: no second address is advised.
#[test]
fn what_a_route_leads_to_needs_no_second_address() {
    let Some(said) = script(
        "echo '0 0' >/proc/sys/net/ipv4/ping_group_range && echo able\n\
         there ip addr add 10.70.0.1/24 dev aux1; there ip link set lo up; there ip addr add 10.71.0.5/32 dev lo\n\
         ip addr add 10.70.0.2/24 dev aux0; ip route add default via 10.70.0.1\n\
         deft-lantern adapters advise 10.71.0.5; deft-lantern adapters advise 10.71.0.6 --adapter aux0",
    ) else {
        return;
    };
    if !said.out.contains("able") {
        return;
    }
    said.line(&["10.71.0.5  is reached already"]);
    said.line(&["why  it answers an echo through the gateway 10.70.0.1 of aux0"]);
    said.line(&["10.71.0.6  take 10.71.0.254/24 on aux0"]);
}

/// The sheet plans it for a node that may be switched on at any time.
#[test]
fn a_leased_address_that_the_sheet_gives_to_a_node_is_declined() {
    if !has("dnsmasq") {
        return;
    }
    let Some(said) = script(
        "serve; note before\n\
         printf '[rig]\\nname = \"t\"\\n[[network]]\\nname = \"n\"\\nrange = \"10.70.0.0/24\"\\ndhcp = \"10.70.0.100-10.70.0.200\"\\n\
         [[node]]\\nname = \"quay\"\\naddress = \"10.70.0.100\"\\n' >t.rig.toml\n\
         deft-lantern adapters dhcp --adapter aux0; echo code $?; note after; same before after\n\
         sed -i '/node/,$d' t.rig.toml; sleep 1; kill $(cat pid); serve\n\
         deft-lantern adapters dhcp --adapter aux0; echo code $?",
    ) else {
        return;
    };
    assert!(said.notes.contains("error P015  10.70.0.100 is planned for quay"), "{}", said.notes);
    said.line(&["code 2"]);
    said.line(&["same before after"]);
    // In the pool is where an address comes from.
    said.line(&["code 0"]);
}

/// Interrupted while it is listened whether anybody defends the address, nothing is left taken.
#[test]
fn an_interrupted_lease_is_given_back() {
    if !has("dnsmasq") {
        return;
    }
    let Some(said) = script(
        "serve; note before; deft-lantern adapters dhcp --adapter aux0 & dhcp=$!\n\
         until ip -4 addr show dev aux0 | grep -q 10.70.0.100; do sleep 0.02; done; sleep 0.5\n\
         kill -TERM $dhcp; wait $dhcp; echo code $?; note after; same before after; ls state/deft-lantern/adapters",
    ) else {
        return;
    };
    said.line(&["code 143"]);
    said.line(&["same before after"]);
    assert!(!said.out.contains("aux0.json"), "{}", said.out);
}

#[test]
fn no_server_is_told_and_nothing_changed() {
    let Some(said) = script(
        "note before; deft-lantern adapters dhcp --adapter aux0; echo code $?; note after; same before after",
    ) else {
        return;
    };
    assert!(said.notes.contains("aux0 was given no address: no DHCP server answers on it"), "{}", said.notes);
    said.line(&["code 3"]);
    said.line(&["same before after"]);
}

#[test]
fn presets_are_saved_used_listed_and_dropped() {
    let Some(said) = script(
        "p='deft-lantern adapters preset'; ip addr add 10.80.0.5/24 brd + dev aux0; note show\n\
         $p save show --adapter aux0; ip -4 addr flush dev aux0; ip addr add 172.20.0.5/16 brd + dev aux0; note office\n\
         $p save office --adapter aux0; $p list; $p use show; note back; same show back\n\
         $p use office; note again; same office again; $p use office; echo again $?\n\
         deft-lantern adapters restore; note end; same office end\n\
         $p drop show; $p list --json; $p use show; echo code $?",
    ) else {
        return;
    };
    said.line(&["show", "aux0", "10.80.0.5/24"]);
    said.line(&["same show back"]);
    said.line(&["same office again"]);
    said.line(&["again 0"]);
    said.line(&["same office end"]);
    said.line(&["\"name\": \"office\""]);
    assert!(
        said.notes.contains("there is no preset \"show\"") && said.notes.contains("next: there are: office"),
        "{}",
        said.notes
    );
    said.line(&["code 2"]);
}

#[rstest]
#[case::cut_short("head -c 20 $f >t; mv t $f", "it is no preset: EOF while parsing")]
#[case::no_address("sed -i 's/\"10.80.0.5.24\"//' $f", "it is no preset: it names no address")]
#[case::mask_with_holes(
    "sed -i 's,0.5/24,0.5/255.0.255.0,' $f",
    "it is no preset: an address with the length of its prefix"
)]
#[case::another_format(
    "sed -i 's/\"format\": 1/\"format\": 9/' $f",
    "it is no preset: this program reads format 1"
)]
fn a_broken_preset_changes_nothing(#[case] breaking: &str, #[case] message: &str) {
    let Some(said) = script(&format!(
        "ip addr add 10.80.0.5/24 dev aux0; deft-lantern adapters preset save show --adapter aux0; note before\n\
         f=config/deft-lantern/presets/show.json; {breaking}\n\
         deft-lantern adapters preset use show; echo code $?; note after; same before after"
    )) else {
        return;
    };
    assert!(said.notes.contains(message), "{}", said.notes);
    said.line(&["code 2"]);
    said.line(&["same before after"]);
}

#[rstest]
#[case("networkmanager", "nmcli connection add type ethernet ifname eth9")]
#[case("networkd", "Address=10.40.0.50/16")]
#[case("netplan", "        - 10.40.0.50/16")]
#[case("ifupdown", "    address 10.40.0.50/16")]
#[case("windows", "New-NetIPAddress -InterfaceAlias \"eth9\"")]
#[case("macos", "sudo networksetup -setmanual \"eth9\" 10.40.0.50 255.255.0.0 \"\"")]
fn lasting_settings_are_printed_and_nothing_done(#[case] system: &str, #[case] line: &str) {
    let said =
        Folder::new().run(&["adapters", "join", "10.40.0.50/16", "--adapter", "eth9", "--print", system]).ended(0);
    said.line(&[line]);
}

#[rstest]
#[case(&["adapters", "preset", "save", "../up"], "is no name for a preset")]
#[case(&["adapters", "join", "10.40.0.50/255.0.255.0", "--adapter", "lo"], "as in 10.40.0.50/16")]
#[case(&["adapters", "join", "10.40.0.50/16", "--adapter", "l0"], "this computer has no adapter \"l0\"")]
#[case(&["survey", "--adapter", "loo"], "did you mean lo?")]
fn a_wrong_call_says_why(#[case] arguments: &[&str], #[case] message: &str) {
    let said = Folder::new().run(arguments).ended(2);
    assert!(said.notes.contains(message), "{}", said.notes);
}
