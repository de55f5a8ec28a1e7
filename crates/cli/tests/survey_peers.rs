//! Real open programs at the other end of a cable: a responder of multicast DNS, a DHCP server, the kernel's own ARP,
//! echo and IGMP querier, an LLDP daemon. Where one is missing, or the system allows no network of its own, the test
//! says so and is skipped.
#![cfg(target_os = "linux")]

use serde_json::Value;

use crate::support::{Said, has, in_own_network, is_root};

/// A cable, aux0 to aux1, whose far end is a bridge in a network of its own; `peer` runs there.
fn with_peer(peer: &str, script: &str) -> Option<Said> {
    if !["ip", "unshare", "nsenter"].iter().all(|tool| has(tool)) {
        return None;
    }
    let peer = format!(
        "ip link set lo up\n\
         ip link add br0 type bridge mcast_snooping 1 mcast_querier 1 mcast_query_use_ifaddr 1 \
         mcast_startup_query_interval 100 mcast_startup_query_count 30\n\
         ip link set aux1 master br0; ip link set aux1 up; ip addr add 10.70.0.1/24 dev br0; ip link set br0 up\n{peer}"
    );
    in_own_network(&format!(
        "mount -t tmpfs tmpfs /run; mkdir -p /run/lldpd /run/avahi-daemon /run/services\n\
         ip link set lo up; ip link add aux0 type veth peer name aux1\n\
         ip link set aux0 up; ip addr add 10.70.0.7/24 dev aux0\n\
         unshare -n sh -c 'echo $$ >peer.pid; exec sleep 60' & sleep 0.3; far=$(cat peer.pid)\n\
         ip link set aux1 netns $far\n\
         cat >peer.sh <<'PEER'\n{peer}\nexec sleep 60\nPEER\n\
         nsenter -t $far -n sh peer.sh >peer.log 2>&1 & sleep 4\n{script}"
    ))
}

fn device(answer: &Value) -> &Value {
    let devices = answer["devices"].as_array().unwrap();
    devices.iter().find(|device| device["address"] == "10.70.0.1").unwrap_or_else(|| panic!("{answer:#}"))
}

fn ways(answer: &Value) -> Vec<&str> {
    device(answer)["seen_by"].as_array().unwrap().iter().map(|seen| seen["way"].as_str().unwrap()).collect()
}

#[test]
fn the_kernels_own_arp_echo_and_querier_are_seen() {
    let Some(said) = with_peer("", "deft-lantern survey --adapter aux0 --for 4s --json") else { return };
    let answer = said.ended(0).json();
    assert_eq!(device(&answer)["standing"], "answers");
    for way in ["arp", "echo", "igmp"] {
        assert!(ways(&answer).contains(&way), "{:?}", ways(&answer));
    }
    assert_eq!(answer["surroundings"]["queriers"][0]["address"], "10.70.0.1");
}

#[test]
fn a_real_dhcp_server_shows_itself_and_gives_nothing_away() {
    if !has("dnsmasq") {
        return;
    }
    let peer = "dnsmasq --conf-file=/dev/null --no-hosts --no-resolv --port=0 --interface=br0 --bind-interfaces --no-ping \
                --user=root --dhcp-range=10.70.0.100,10.70.0.110,1h --dhcp-leasefile=$PWD/leases --no-daemon &";
    let Some(said) = with_peer(peer, "deft-lantern survey --adapter aux0 --json; wc -c <leases >&2") else {
        return;
    };
    let answer = said.json();
    assert_eq!(answer["surroundings"]["dhcp_servers"][0]["address"], "10.70.0.1", "{answer:#}");
    assert!(device(&answer)["what"].as_str().unwrap().contains("DHCP server"));
    assert_eq!(said.notes.lines().last().map(str::trim), Some("0"), "a lease was given: {}", said.notes);
}

#[test]
fn the_services_of_a_real_responder_are_listed_with_what_they_mean() {
    if !has("avahi-daemon") {
        return;
    }
    let peer = "printf 'root:x:0:0::/root:/bin/sh\\navahi:x:0:0::/run:/bin/false\\n' >/run/passwd\n\
        printf 'root:x:0:\\navahi:x:0:\\n' >/run/group; mount --bind /run/passwd /etc/passwd; mount --bind /run/group /etc/group\n\
        printf '<service-group><name>Harbour page</name><service><type>_http._tcp</type><port>8080</port>\
        <txt-record>model=Quay</txt-record></service><service><type>_rtsp._tcp</type><port>554</port></service></service-group>' \
        >/run/services/x.service; mount --bind /run/services /etc/avahi/services\n\
        printf '[server]\\nhost-name=harbour-box\\nuse-ipv6=no\\nenable-dbus=no\\nallow-interfaces=br0\\n' >/run/avahi.conf\n\
        avahi-daemon -f /run/avahi.conf --no-drop-root --no-chroot --no-rlimits &";
    let Some(said) = with_peer(peer, "deft-lantern survey --adapter aux0 --json") else { return };
    let answer = said.ended(0).json();
    assert_eq!(device(&answer)["name"], "harbour-box");
    let services: Vec<String> = answer["services"]
        .as_array()
        .unwrap()
        .iter()
        .map(|s| format!("{} {} {} {} {}", s["name"], s["kind"], s["meaning"], s["address"], s["port"]))
        .collect();
    assert_eq!(
        services,
        [
            "\"Harbour page\" \"_http._tcp\" \"web-page\" \"10.70.0.1\" 8080",
            "\"Harbour page\" \"_rtsp._tcp\" \"picture\" \"10.70.0.1\" 554"
        ]
    );
    assert_eq!(answer["services"][0]["text"][0], "model=Quay");
}

#[test]
fn a_real_lldp_daemon_tells_the_port_this_cable_ends_at() {
    if !has("lldpd") {
        return;
    }
    if !is_root() {
        println!("skipped: the LLDP daemon changes its user, which needs root");
        return;
    }
    let peer = "lldpd -d -C aux1 -S 'harbour switch' & sleep 1; lldpcli configure system hostname harbour-switch; lldpcli configure lldp tx-interval 1";
    let Some(said) = with_peer(peer, "deft-lantern survey --adapter aux0 --for 5s --json") else { return };
    let answer = said.json();
    let port = &answer["surroundings"]["switch_ports"][0];
    assert_eq!(
        (&port["switch"], &port["description"]),
        (&"harbour-switch".into(), &"harbour switch".into()),
        "{answer:#}"
    );
    assert!(port["port"].as_str().unwrap().contains("aux1"), "{port}");
}
