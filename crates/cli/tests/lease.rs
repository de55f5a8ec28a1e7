//! `lease` against real clients, a real server, simulated units, and a flood.
#![cfg(target_os = "linux")]

use rstest::rstest;

use crate::support::{Folder, Rig, Said, has, noting, on_scene};

const SHEET: &str = "[rig]\\nname = \"t\"\\n[[network]]\\nname = \"n\"\\nrange = \"10.70.0.0/24\"\\ngateway = \"10.70.0.1\"\\n\
    [[node]]\\nname = \"amp-one\"\\nmac = \"02:4d:42:00:30:01\"\\naddress = \"10.70.0.31\"\\n\
    [[node]]\\nname = \"amp-two\"\\nmac = \"02:4d:42:00:30:02\"\\naddress = \"10.70.0.32\"\\n";

/// `await COMMAND` waits until it succeeds, for a minute.
const AWAIT: &str = "await() { n=0; until \"$@\"; do sleep 0.2; n=$((n+1)); [ $n -gt 300 ] && return; done; }";

/// A script that sits on aux0 as 10.70.0.9, at a switch (br0) in a network of its own (`there COMMAND`) on which two units hang, one0
/// and two0; `serve` starts a DHCP server there. `got` gets a line for each lease that a real client was given.
fn script(text: &str) -> Option<Said> {
    let set_up = format!(
        "ip link add aux0 type veth peer name aux1; ip link set aux0 up; ip addr add 10.70.0.9/24 dev aux0\n\
         unshare -n sleep 200 & far=$!; sleep 0.3; ip link set aux1 netns $far\n\
         there() {{ nsenter -n -t $far -- \"$@\"; }}; there ip link add br0 type bridge\n\
         for one in one two; do there ip link add ${{one}}0 type veth peer name ${{one}}1; there ip link set ${{one}}1 master br0\n\
         there ip link set ${{one}}1 up; done; there ip link set aux1 master br0; there ip link set aux1 up\n\
         there ip link set one0 address 02:4d:42:00:30:01; there ip link set two0 address 02:4d:42:00:30:02\n\
         there ip link set one0 up; there ip link set two0 up; there ip link set br0 up; touch got pids\n\
         serve() {{ there ip addr add 10.70.0.1/24 dev br0; nsenter -n -t $far -- dnsmasq --conf-file=/dev/null --no-hosts --no-resolv --port=0 \\\n\
         --interface=br0 --bind-interfaces --dhcp-range=10.70.0.100,10.70.0.120,1h --dhcp-leasefile=$PWD/theirs --no-daemon \\\n\
         \"$@\" >/dev/null 2>&1 & echo $! >>pids; sleep 0.5; }}\n\
         printf '{SHEET}' >t.rig.toml; {AWAIT}\n\
         printf '#!/bin/sh\\ncase $reason in BOUND|RENEW|REBIND|REBOOT) ip addr replace $new_ip_address/24 dev $interface\\n\
         echo $interface $new_ip_address $new_subnet_mask $new_routers $new_host_name $new_dhcp_lease_time >>'$PWD/got'\\n\
         esac\\n' >first; printf '#!/bin/sh\\ncase $1 in bound|renew) ip addr replace $ip/24 dev $interface\\n\
         echo $interface $ip $subnet $router $hostname $lease >>'$PWD/got'\\nesac\\n' >second; chmod +x first second\n\
         first() {{ nsenter -n -t $far -- dhclient -d -sf $PWD/first -lf $PWD/lf -pf $PWD/pf one0 >/dev/null 2>&1 & echo $! >>pids; }}\n\
         second() {{ nsenter -n -t $far -- udhcpc -f -i two0 -s $PWD/second >/dev/null 2>&1 & echo $! >>pids; }}"
    );
    noting("aux0", &set_up, &format!("{text}\nkill $(cat pids) $far; exit 0"))
}

#[test]
fn real_clients_get_what_is_planned_and_are_told_to_keep_it() {
    if !["dhclient", "udhcpc"].into_iter().all(has) {
        return;
    }
    let Some(said) = script(
        "first; second; deft-lantern lease t.rig.toml --adapter aux0 --yes --until-all; echo code $?; cat got\n\
         there ip -4 addr show; deft-lantern check t.rig.toml --adapter aux0 | cat",
    ) else {
        return;
    };
    said.line(&["code 0"]);
    said.line(&["keeps", "10.70.0.31", "amp-one (02:4d:42:00:30:01) is told to keep it for 30 days"]);
    said.line(&["keeps", "10.70.0.32", "amp-two (02:4d:42:00:30:02) is told to keep it for 30 days"]);
    said.line(&["one0 10.70.0.31 255.255.255.0 10.70.0.1 amp-one 60"]);
    said.line(&["one0 10.70.0.31 255.255.255.0 10.70.0.1 amp-one 2592000"]);
    said.line(&["two0 10.70.0.32 255.255.255.0 10.70.0.1 amp-two 60"]);
    said.line(&["two0 10.70.0.32 255.255.255.0 10.70.0.1 amp-two 2592000"]);
    said.line(&["inet 10.70.0.31/24", "one0"]);
    said.line(&["inet 10.70.0.32/24", "two0"]);
}

/// With a real server there from the start, which looks for three seconds before it offers, nothing is given; one that comes
/// later ends it with the first unit that it answers.
#[test]
fn a_real_server_stops_it() {
    if !["dnsmasq", "dhclient", "udhcpc"].into_iter().all(has) {
        return;
    }
    let Some(said) = script(
        "serve; second; sleep 0.2; deft-lantern lease t.rig.toml --adapter aux0 --yes; echo before $?; cat got\n\
         kill $(cat pids); sleep 4; there ip addr flush dev two0; : >pids; : >got\n\
         deft-lantern lease t.rig.toml --adapter aux0 --yes & lease=$!; sleep 4.5; first; await grep -q one0 got\n\
         serve --no-ping; second; wait $lease; echo after $?; cat got t.leases.jsonl",
    ) else {
        return;
    };
    said.line(&["before 2"]);
    said.line(&["after 3"]);
    said.line(&["stops", "10.70.0.1 gives addresses too"]);
    assert!(said.notes.contains("error G001  10.70.0.1"), "{}", said.notes);
    assert!(!said.out.contains("two0 10.70.0.32"), "{}", said.out);
    assert_eq!(said.out.lines().filter(|line| line.contains("\"node\":\"amp-two\"")).count(), 0, "{}", said.out);
}

/// The same for good, by servers that others wrote. The second unit is not on the sheet then.
#[rstest]
#[case::dnsmasq(
    "dnsmasq",
    "there dnsmasq --test -C conf && { nsenter -n -t $far -- dnsmasq -C conf --no-daemon --interface=br0 --bind-interfaces \\\n\
     --dhcp-leasefile=$PWD/theirs --no-ping --no-resolv --no-hosts >/dev/null 2>&1 & echo $! >>pids; }"
)]
#[case::kea(
    "kea",
    "sed -i 's/\"\\*\"/\"br0\"/; s/\"memfile\"/\"memfile\", \"persist\": false/' conf\n\
     export KEA_PIDFILE_DIR=$PWD KEA_LOCKFILE_DIR=none; there kea-dhcp4 -t conf >/dev/null && \
     { nsenter -n -t $far -- kea-dhcp4 -c conf >/dev/null 2>&1 & echo $! >>pids; }"
)]
fn other_servers_give_what_is_exported_for_them(#[case] name: &str, #[case] start: &str) {
    let server = if name == "kea" { "kea-dhcp4" } else { name };
    if ![server, "dhclient", "udhcpc"].into_iter().all(has) {
        return;
    }
    let Some(said) = script(&format!(
        "sed -i 's/30:02/30:77/' t.rig.toml; deft-lantern sheet export dhcp t.rig.toml --for {name} --to conf\n\
         there ip addr add 10.70.0.1/24 dev br0; {start}\nsleep 1; first; second; await grep -q one0 got; sleep 3; cat got",
    )) else {
        return;
    };
    said.line(&["one0 10.70.0.31 255.255.255.0 10.70.0.1", "2592000"]);
    assert!(!said.out.contains("two0"), "{}", said.out);
}

const UNITS: &str = r#"
network = "10.40.0.0"
[[device]]
name = "amp-one"
mac = "02:4d:42:00:30:01"
address = "0.0.0.0"
dhcp = true
[device.dhcp_client]
[[device]]
name = "amp-two"
mac = "02:4d:42:00:30:02"
address = "0.0.0.0"
dhcp = true
arrives_ms = 6000
[device.dhcp_client]
quirks = ["hears-its-own"]
remembers = "192.168.1.5"
[[device]]
name = "phone"
mac = "02:4d:42:00:30:09"
address = "0.0.0.0"
dhcp = true
[device.dhcp_client]
class = "tele\u001b[2Jphone"
"#;

const AMPS: &str = "[rig]\\nname = \"t\"\\n[[network]]\\nname = \"n\"\\nrange = \"10.40.0.0/16\"\\n\
    [[node]]\\nname = \"hall-left\"\\nmac = \"02:4d:42:00:30:01\"\\naddress = \"10.40.3.1\"\\n\
    [[node]]\\nname = \"hall-right\" # new\\naddress = \"10.40.3.2\"\\n";

fn beside_units(units: &str, text: &str) -> Option<Said> {
    on_scene(units, &format!("printf '{AMPS}' >t.rig.toml; {AWAIT}\n{text}"))
}

#[test]
fn an_unknown_unit_is_taken_for_the_one_whose_turn_it_is_and_written_into_the_sheet() {
    let Some(said) = beside_units(
        &UNITS.replace("02:4d:42:00:30:09\"", "02:4d:42:00:30:09\"\narrives_ms = 12000"),
        "deft-lantern lease t.rig.toml --yes --next hall-right --timeout 20s; echo code $?; cat t.rig.toml\n\
         deft-lantern reach 10.40.3.1 10.40.3.2 --json; deft-lantern lease t.rig.toml --yes --timeout 6s --json | tail -n 2",
    ) else {
        return;
    };
    said.line(&["code 0"]);
    said.line(&["taken", "02:4d:42:00:30:02, amp-two is taken for hall-right"]);
    said.line(&["moves", "02:4d:42:00:30:02", "is told to leave 192.168.1.5 for 10.40.3.2"]);
    said.line(&["unknown", "02:4d:42:00:30:09, phone, tele\\x1b[2Jphone: not on the sheet, gets nothing"]);
    said.line(&["name = \"hall-right\" # new"]);
    said.line(&["mac = \"02:4d:42:00:30:02\""]);
    assert!(!said.out.contains('\u{1b}'), "{}", said.out);
    for (address, mac) in [("10.40.3.1", "02:4d:42:00:30:01"), ("10.40.3.2", "02:4d:42:00:30:02")] {
        assert!(said.out.contains(address) && said.out.contains(mac), "{}", said.out);
    }
    said.line(&["\"event\":\"ended\"", "\"node\":\"hall-left\"", "\"address\":\"10.40.3.1\""]);
}

/// A survey shows who waits for an address, in words that it cannot misuse, and where to go on.
#[test]
fn whoever_asks_for_an_address_is_seen_and_leads_to_the_lease() {
    let Some(said) = beside_units(UNITS, "deft-lantern survey --for 9s") else { return };
    // Whoever was asked in vain for long enough has given itself one meanwhile.
    said.line(&["amp-one", "02:4d:42:00:30:01", "asks for an address", "seen: "]);
    said.line(&["phone", "asks for an address (tele\\x1b[2Jphone)"]);
    said.line(&["do", "deft-lantern lease"]);
}

/// Killed by force and begun again it knows who is who, and nobody loses its address meanwhile.
#[test]
fn killed_by_force_and_begun_again_it_gives_the_same() {
    let Some(said) = beside_units(
        UNITS,
        "lease='deft-lantern lease t.rig.toml --yes --next hall-right --pool 10.40.8.1-10.40.8.9'\n\
         $lease --timeout 60s >out & lease=$!; three() { [ $(grep -c given out) -ge 3 ]; }; await three; kill -9 $lease; wait $lease 2>/dev/null\n\
         cp t.leases.jsonl before; printf '{\"format\":1,\"at' >>t.leases.jsonl\n\
         deft-lantern lease t.rig.toml --yes --next hall-right --pool 10.40.8.1-10.40.8.9 --timeout 30s; echo code $?\n\
         cut -d, -f3-5 before | sort -u >a; grep -v '\"at$' t.leases.jsonl | cut -d, -f3-5 | sort -u >b; diff a b && echo same; cat a",
    ) else {
        return;
    };
    assert!(said.notes.contains("1 line could not be read"), "{}", said.notes);
    said.line(&["code 0"]);
    said.line(&["same"]);
    said.line(&["\"mac\":\"02:4d:42:00:30:01\",\"node\":\"hall-left\",\"address\":\"10.40.3.1\""]);
    assert_eq!(said.out.lines().filter(|line| line.starts_with("\"mac\"")).count(), 3, "{}", said.out);
    assert!(!said.out.contains("moves"), "{}", said.out);
}

/// Ctrl-C is how it ends; a second one ends it at once, and says who was not told.
#[test]
fn the_first_interruption_tells_everybody_and_the_second_ends_it_at_once() {
    let Some(said) = beside_units(
        UNITS,
        "deft-lantern lease t.rig.toml --yes >out 2>notes & lease=$!; await grep -q given out\n\
         kill -TERM $lease; await grep -q ends out; kill -TERM $lease; wait $lease; echo code $?; cat out",
    ) else {
        return;
    };
    said.line(&["code 1"]);
    said.line(&["hall-left", "10.40.3.1", "given, not told to keep it"]);
    said.line(&["warning G008", "hall-left"]);
}

/// Nobody reads on: the units are told to keep their address all the same, and have it when a short lease is long over.
#[test]
fn a_closed_pipe_leaves_nobody_without_its_address() {
    let Some(said) = beside_units(
        UNITS,
        "(deft-lantern lease t.rig.toml --yes 2>notes; echo code $? >code) | grep -m 1 given; await grep -q code code; cat code\n\
         sleep 62; deft-lantern reach 10.40.3.1 --json",
    ) else {
        return;
    };
    said.line(&["given", "10.40.3.1"]);
    said.line(&["code 0"]);
    said.line(&["02:4d:42:00:30:01"]);
}

/// Twelve thousand messages a second from everybody: what it needs stays as it was, and the unit that is planned is served.
#[test]
fn a_flood_takes_no_room_and_keeps_nobody_waiting() {
    if !has("python3") {
        return;
    }
    let flood = "import os,random,socket,struct,time\n\
        s=socket.socket(socket.AF_PACKET,socket.SOCK_RAW); s.bind((\"rig0\",0)); end=time.time()+12; n=0\n\
        while time.time()<end:\n\
        \\tfor _ in range(120):\n\
        \\t\\tmac=os.urandom(6); mac=bytes([mac[0]&0xfe|2])+mac[1:]\n\
        \\t\\td=bytes([1,1,6,0])+os.urandom(4)+bytes(20)+mac+bytes(202)+b\"\\\\x63\\\\x82\\\\x53\\\\x63\"+bytes([53,1,random.choice([1,3,4,7,8])])\n\
        \\t\\td+=bytes([50,4,10,40,3,1,12,200])+b\"x\"*200+b\"\\\\xff\"\n\
        \\t\\tu=struct.pack(\"!HHHH\",68,67,8+len(d),0)+d\n\
        \\t\\ti=struct.pack(\"!BBHHHBBH4s4s\",0x45,0,20+len(u),0,0,64,17,0,bytes(4),b\"\\\\xff\"*4)\n\
        \\t\\ttry: s.send(b\"\\\\xff\"*6+mac+b\"\\\\x08\\\\x00\"+i+u); n+=1\n\
        \\t\\texcept OSError: pass\n\
        \\ttime.sleep(0.01)\n\
        print(\"flooded\",n)\n";
    let Some(said) = beside_units(
        UNITS,
        &format!(
            "printf '{flood}' >flood.py; deft-lantern lease t.rig.toml --yes --timeout 25s >out 2>&1 & lease=$!; sleep 4.5\n\
             grep VmHWM /proc/$lease/status; python3 flood.py & flood=$!; sleep 13; grep VmHWM /proc/$lease/status\n\
             wait $flood; wait $lease; echo code $?; grep -v unknown out; grep -c unknown out"
        ),
    ) else {
        return;
    };
    said.line(&["given", "hall-left"]);
    said.line(&["told to keep it"]);
    let room: Vec<u64> = said
        .out
        .lines()
        .filter(|line| line.starts_with("VmHWM"))
        .filter_map(|line| line.split_whitespace().nth(1)?.parse().ok())
        .collect();
    assert!(room[1] < room[0] + 24_000, "{room:?} kB\n{}", said.out);
    let unknown: u32 = said.out.lines().last().unwrap().parse().unwrap();
    assert!(unknown <= 1025, "{unknown} lines");
}

#[test]
fn what_cannot_be_is_refused_before_anything_is_sent() {
    let Some(said) = beside_units(
        UNITS,
        "try() { echo \"== $*\"; deft-lantern lease \"$@\" 2>&1; echo code $?; }\n\
         try t.rig.toml; try t.rig.toml --yes --next nobody; try t.rig.toml --yes --pool 10.40.3.1-10.40.3.2; try none.rig.toml --yes\n\
         try t.rig.toml --yes --keep 2s; try t.rig.toml --yes --on-port gi7; try t.rig.toml --dry-run\n\
         sed 's/10.40.3.2/10.40.3.1/' t.rig.toml >c.rig.toml; try c.rig.toml --yes\n\
         printf '{\"format\":9}\\n' >t.leases.jsonl; try t.rig.toml --yes; rm t.leases.jsonl\n\
         deft-lantern lease t.rig.toml --yes --timeout 9s >/dev/null 2>&1 & sleep 2; try t.rig.toml --yes; wait\n\
         setpriv --bounding-set -all --inh-caps -all deft-lantern lease t.rig.toml --yes 2>&1; echo code $?",
    ) else {
        return;
    };
    let expected = [
        "nobody is there to say yes",
        "there is no node \"nobody\" on the sheet",
        "G006  no address of 10.40.3.1-10.40.3.2 is free to be given",
        "none.rig.toml cannot be read",
        "a time is written 30d, 12h or 90m",
        "the name of a node, as gi7=hall-amp-left",
        "nothing was given: --dry-run",
        "the sheet contradicts itself",
        "was written by a later version of this program (format 9)",
        "G010  another program holds UDP 67 on this computer",
    ];
    for part in expected {
        assert!(said.out.contains(part), "{part}\n{}", said.out);
    }
    let codes: Vec<&str> = said.out.lines().filter(|line| line.starts_with("code ")).collect();
    assert_eq!(
        codes[..10],
        ["code 2", "code 2", "code 2", "code 2", "code 2", "code 2", "code 0", "code 2", "code 2", "code 2"]
    );
}

#[test]
fn on_loopback_nobody_can_ask() {
    let rig = Rig::tidewick();
    let said = rig.run(&["lease", "tidewick.rig.toml", "--yes"]).ended(2);
    assert!(said.notes.contains("on loopback nobody asks by DHCP"), "{}", said.notes);
}

#[test]
fn a_configuration_is_not_made_of_a_sheet_that_contradicts_itself() {
    let folder = Folder::new();
    folder.write("t.rig.toml", AMPS.replace("\\n", "\n"));
    let said = folder.run(&["sheet", "export", "dhcp", "t.rig.toml", "--for", "dnsmasq"]).ended(0);
    said.line(&["dhcp-host=02:4d:42:00:30:01,10.40.3.1,hall-left,2592000"]);
    assert!(
        said.notes.contains("left out, since the sheet does not say their MAC addresses: hall-right"),
        "{}",
        said.notes
    );
    folder.run(&["sheet", "export", "dhcp", "t.rig.toml"]).ended(2);
    folder.run(&["sheet", "export", "nodes", "t.rig.toml", "--for", "kea"]).ended(2);
    folder.write("t.rig.toml", AMPS.replace("\\n", "\n").replace("10.40.3.2", "10.40.3.1"));
    folder.run(&["sheet", "export", "dhcp", "t.rig.toml", "--for", "kea"]).ended(2);
}
