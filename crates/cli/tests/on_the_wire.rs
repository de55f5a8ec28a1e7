//! What passes the cable of the private segment, counted by somebody who knows nothing of us: how much the nodes have to take.
#![cfg(target_os = "linux")]

use std::collections::BTreeMap;
use std::fmt::Write;

use crate::support::{Said, has, on_scene};

/// Counts what leaves this computer, by MAC address and kind, until it is told to end.
const COUNTER: &str = r#"
import collections, json, signal, socket, struct
s = socket.socket(socket.AF_PACKET, socket.SOCK_RAW, socket.htons(3))
s.bind(("rig0", 0)); s.settimeout(0.1)
ended = []
signal.signal(signal.SIGTERM, lambda *a: ended.append(1))
count = collections.defaultdict(collections.Counter)
while not ended:
    try: frame, about = s.recvfrom(4096)
    except OSError: continue
    if about[2] != 4: continue
    kind = {0x0806: "arp", 0x0800: "ip%d" % frame[23]}.get(struct.unpack("!H", frame[12:14])[0], "other")
    if kind == "ip1": kind = "icmp%d" % frame[34]
    if kind == "ip17":
        kind = "udp%d" % struct.unpack("!H", frame[36:38])[0]
        if frame[42:50] == b"Art-Net\0": kind = "art-net%04x" % struct.unpack("<H", frame[50:52])[0]
    count[frame[:6].hex(":")][kind] += 1
print("counted", json.dumps(count))
"#;

const EVERYBODY: &str = "ff:ff:ff:ff:ff:ff";
const POLL: &str = "art-net2000";

type Counted = BTreeMap<String, BTreeMap<String, u64>>;

/// Runs each command with the counter beside it; gives what was said, and what was counted of each.
fn counted(scene: &str, commands: &[&str]) -> Option<(Said, Vec<Counted>)> {
    if !has("python3") {
        return None;
    }
    let mut script = format!("cat > count.py <<'X'\n{COUNTER}X\n");
    for command in commands {
        writeln!(
            script,
            "python3 count.py & counter=$!; sleep 0.7; {command}; sleep 0.3; kill $counter; wait $counter"
        )
        .unwrap();
    }
    let said = on_scene(scene, &script)?;
    let lines = said.out.lines().filter_map(|line| line.strip_prefix("counted "));
    let all: Vec<Counted> = lines.map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!(all.len(), commands.len(), "{}{}", said.out, said.notes);
    Some((said, all))
}

fn of(counted: &Counted, mac: &str, kind: &str) -> u64 {
    counted.get(mac).and_then(|kinds| kinds.get(kind)).copied().unwrap_or(0)
}

fn sum(counted: &Counted, mac: &str) -> u64 {
    counted.get(mac).map_or(0, |kinds| kinds.values().sum())
}

fn mac(i: usize) -> String {
    format!("02:4d:42:01:{:02x}:{:02x}", i >> 8, i & 255)
}

/// One name is set among six hundred nodes: those that are not meant hardly notice.
#[test]
fn six_hundred_are_hardly_disturbed_by_one_name() {
    let mut scene = "network = \"10.40.0.0\"\n".to_owned();
    for i in 0..600 {
        writeln!(
            scene,
            "[[node]]\nname = \"n{i}\"\nmodel = \"marrowbright-four\"\nmac = \"{}\"\naddress = \"10.40.{}.{}\"\n\
             pages = [{{ net = {}, sub = {}, out = [{}] }}]",
            mac(i),
            10 + i / 200,
            1 + i % 200,
            i / 240,
            i / 16 % 15,
            i % 16
        )
        .unwrap();
    }
    let Some((said, all)) = counted(&scene, &["deft-lantern set n17 --name mast --yes"]) else { return };
    said.line(&["done  mast at 10.40.10.18, read back"]);
    let counted = &all[0];
    let to_all: u64 = sum(counted, EVERYBODY);
    for i in (0..600).filter(|i| *i != 17) {
        let heard = sum(counted, &mac(i)) + to_all;
        assert!(heard < 12, "n{i} had to take {heard}: {:?} and {:?}", counted.get(&mac(i)), counted[EVERYBODY]);
        // Nobody who answers is told that nobody is here (ICMP type 3).
        assert_eq!(of(counted, &mac(i), "icmp3"), 0);
    }
    assert_eq!(of(counted, EVERYBODY, "udp67"), 0, "no server need offer an address");
}

/// While a node restarts for half a minute, everybody else is left in peace.
#[test]
fn a_long_restart_is_waited_for_without_calling_everybody_all_the_time() {
    let scene = "network = \"10.40.0.0\"\n[[node]]\nname = \"slow\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:01:00:01\"\n\
                 address = \"10.40.1.100\"\ngateway = \"10.40.0.2\"\nrestart_ms = 28000\npages = [{ out = [0] }]\n\
                 [[node]]\nname = \"other\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:01:00:02\"\n\
                 address = \"10.40.1.101\"\npages = [{ sub = 1, out = [0] }]\n";
    let set = "deft-lantern set slow --address 10.40.1.150 --yes";
    let look = "deft-lantern set slow --address 10.40.1.151 --dry-run";
    let Some((said, all)) = counted(scene, &[set, look]) else { return };
    said.line(&["done  slow at 10.40.1.150, read back"]);
    // The look before it is the same in both.
    let polls = of(&all[0], EVERYBODY, POLL) - of(&all[1], EVERYBODY, POLL);
    assert!((1..=14).contains(&polls), "{polls} calls to everybody in half a minute");
    let to_other = of(&all[0], &mac(2), POLL);
    assert_eq!(to_other, 0, "one that is not meant is not asked alone");
}
