//! What a survey does when there is far too much, or when its file is broken.

use std::io::{BufRead, BufReader};
use std::net::{Ipv4Addr, UdpSocket};
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use lantern_sim::Scene;
use rstest::rstest;
use serde_json::Value;

use crate::support::{Folder, Rig, alone};

/// A forged ArtPollReply with a random MAC address and a name full of terminal escapes.
fn forged(i: u32) -> Vec<u8> {
    let mut reply = vec![0; 239];
    reply[..10].copy_from_slice(b"Art-Net\0\x00\x21");
    let mark = i.wrapping_mul(0x9e37_79b9).to_be_bytes();
    reply[10..14].copy_from_slice(&[10, mark[0], mark[1], mark[2]]);
    // It says that fixtures hang on its four outputs: each is one more to be asked for its tables.
    reply[23] = 0xe2;
    reply[173] = 4;
    reply[174..178].copy_from_slice(&[0x80; 4]);
    reply[26..36].copy_from_slice(b"\x1b[2J\x1b]0;x\x07");
    reply[44..51].copy_from_slice(b"\x9b31mred");
    reply[201..207].copy_from_slice(&[2, 0xbd, mark[0], mark[1], mark[2], mark[3]]);
    reply
}

#[test]
fn a_flood_of_two_hundred_thousand_forged_replies_is_survived_and_told() {
    let _alone = alone();
    let rig = Rig::with(&Scene::crowd(3, 0.0, 1));
    let (guest, over) = (rig.ground.guest(), AtomicBool::new(false));
    let said = std::thread::scope(|scope| {
        scope.spawn(|| {
            let socket = UdpSocket::bind((rig.ground.guest().octets().map(|o| o.max(1)), 0).map_ip()).unwrap();
            for i in 0..200_000 {
                if over.load(Ordering::Relaxed) {
                    break;
                }
                socket.send_to(&forged(i), (guest, 6454)).unwrap_or(0);
                if i % 64 == 0 {
                    std::thread::sleep(Duration::from_millis(1));
                }
            }
        });
        // A limit on all memory that the program may ask for: the census and its evidence stay far below.
        let program = env!("CARGO_BIN_EXE_deft-lantern");
        let script = format!("ulimit -v 700000; exec {program} survey --adapter {guest} --save flood.census.json");
        let output =
            Command::new("sh").args(["-c", &script]).current_dir(rig.folder.path(".")).env_clear().output();
        over.store(true, Ordering::Relaxed);
        output.unwrap()
    });
    let (out, notes) = (String::from_utf8(said.stdout).unwrap(), String::from_utf8(said.stderr).unwrap());
    assert_eq!(said.status.code(), Some(1), "{notes}");
    assert!(!out.contains('\u{1b}') && !out.contains('\u{9b}') && !notes.contains('\u{1b}'));
    assert!(out.lines().count() < 1000, "{} lines", out.lines().count());
    assert!(out.contains("more; --save FILE keeps all of them"), "{notes}");
    let census: Value = serde_json::from_str(&rig.folder.read("flood.census.json")).unwrap();
    assert!(census["nodes"].as_array().unwrap().len() <= 16_384);
}

/// An address that is not the guest's own, from which somebody else floods.
trait MapIp {
    fn map_ip(self) -> (Ipv4Addr, u16);
}

impl MapIp for ([u8; 4], u16) {
    fn map_ip(self) -> (Ipv4Addr, u16) {
        let ([a, b, ..], port) = self;
        (Ipv4Addr::new(a, b, 99, 99), port)
    }
}

#[test]
fn a_node_is_shown_by_its_first_packet() {
    let _alone = alone();
    let scene = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-late\"\nmodel = \"marrowbright-four\"\n\
                 mac = \"02:4d:42:00:30:01\"\naddress = \"10.40.1.9\"\nrestart_ms = 1\noff = true\npages = [{ out = [0] }]\n";
    let rig = Rig::with(&Scene::parse(scene).unwrap());
    let guest = rig.ground.guest().to_string();
    let mut child = Command::new(env!("CARGO_BIN_EXE_deft-lantern"))
        .args(["arrivals", "--adapter", &guest, "--until", "1", "--timeout", "30s", "--json"])
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    std::thread::sleep(Duration::from_millis(4200));
    rig.ground.switch("quay-late", true);
    let mut line = String::new();
    BufReader::new(child.stdout.take().unwrap()).read_line(&mut line).unwrap();
    let came: Value = serde_json::from_str(&line).unwrap();
    assert_eq!((&came["name"], &came["mac"]), (&"quay-late".into(), &"02:4d:42:00:30:01".into()));
    assert!(child.wait().unwrap().success());
}

/// A recorded survey of three nodes.
fn recording() -> (Folder, Vec<u8>) {
    let rig = Rig::with(&Scene::crowd(3, 0.0, 1));
    rig.run_here(&["survey", "--record", "r.pcapng"]).ended(0);
    let bytes = std::fs::read(rig.folder.path("r.pcapng")).unwrap();
    (rig.folder, bytes)
}

#[test]
fn damaged_captures_say_so_and_what_could_be_read_is_shown() {
    let (folder, whole) = recording();
    let second_packet = 700;
    let changed = |at: usize, with: &[u8]| {
        let mut bytes = whole.clone();
        bytes[at..at + with.len()].copy_from_slice(with);
        bytes
    };
    let cases: Vec<(&str, Vec<u8>, i32, &str)> = vec![
        ("empty", Vec::new(), 2, "it is shorter than four bytes"),
        ("text", b"hello, this is a letter and no capture at all".to_vec(), 2, "neither a pcap nor a pcapng file"),
        ("head-only", whole[..10].to_vec(), 2, "neither a pcap nor a pcapng file"),
        ("bad-order-mark", changed(8, &[1, 2, 3, 4]), 2, "neither a pcap nor a pcapng file"),
        (
            "zero-length-block",
            changed(second_packet_start(&whole), &[6, 0, 0, 0, 0, 0, 0, 0]),
            3,
            "is damaged after packet",
        ),
        (
            "huge-block",
            changed(second_packet_start(&whole), &[6, 0, 0, 0, 0xfc, 0xff, 0xff, 0x7f]),
            3,
            "is damaged after packet",
        ),
        ("cut", whole[..whole.len() - 7].to_vec(), 3, "it ends in the middle"),
        ("cut-early", whole[..second_packet].to_vec(), 3, "is damaged after packet"),
        (
            "unknown-interface",
            changed(second_packet_start(&whole) + 8, &[9, 0, 0, 0]),
            3,
            "a packet names interface 9",
        ),
        (
            "pcap-cut",
            [&b"\xd4\xc3\xb2\xa1\x02\0\x04\0\0\0\0\0\0\0\0\0\xff\xff\0\0\x01\0\0\0"[..], &[1; 12]].concat(),
            3,
            "it ends in the middle",
        ),
        (
            "pcap-lies",
            [&b"\xd4\xc3\xb2\xa1\x02\0\x04\0\0\0\0\0\0\0\0\0\xff\xff\0\0\x01\0\0\0"[..], &[0xff; 64]].concat(),
            3,
            "is damaged after packet 0",
        ),
    ];
    assert!(cases.len() >= 10);
    for (name, bytes, code, text) in cases {
        folder.write(name, &bytes);
        let said = folder.run(&["survey", "--capture", name]);
        assert_eq!(said.code, code, "{name}: {} {}", said.out, said.notes);
        assert!(said.notes.contains(text), "{name}: {}", said.notes);
    }
    let said = folder.run(&["survey", "--capture", "cut"]);
    assert!(said.out.contains("3 nodes with 12 ports"), "{}", said.out);
    folder.run(&["survey", "--capture", "r.pcapng"]).ended(0);
}

/// Where the second packet of a recording begins.
fn second_packet_start(bytes: &[u8]) -> usize {
    let word = |at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap());
    let (mut at, mut packets) = (0, 0);
    loop {
        packets += u32::from(word(at) == 6);
        if packets == 2 {
            return at;
        }
        at += usize::try_from(word(at + 4)).unwrap();
    }
}

#[rstest]
#[case(&["survey", "--range", "10.40.0"], "a range is written")]
#[case(&["survey", "--only", "telepathy"], "ways of seeing are art-net")]
#[case(&["survey", "--listen", "soon"], "a time is written 30s, 2m or 500ms")]
#[case(&["survey", "--listen", "0s"], "a time is written")]
#[case(&["survey", "--pace", "0"], "0 is not in 1..=10000")]
#[case(&["survey", "--mac", "02:xx"], "twelve hexadecimal digits")]
#[case(&["survey", "--listen", "3s", "--range", "10.40.0.0/24"], "cannot be used with")]
#[case(&["arrivals", "--until", "0"], "0 is not in 1")]
#[case(&["forget"], "required arguments were not provided")]
#[case(&["survey", "--capture", "nowhere.pcap"], "nowhere.pcap: it cannot be read")]
#[case(&["census", "diff", "a", "b"], "a cannot be read")]
fn a_wrong_call_says_what_is_wrong(#[case] arguments: &[&str], #[case] text: &str) {
    let said = Folder::new().run(arguments).ended(2);
    assert!(said.notes.contains(text), "{}", said.notes);
}

#[test]
fn a_file_is_never_recorded_over_and_a_broken_memory_is_told() {
    let rig = Rig::tidewick();
    rig.folder.write("r.pcapng", "precious");
    let said = rig.run_here(&["survey", "--record", "r.pcapng"]).ended(2);
    assert!(said.notes.contains("r.pcapng exists already"), "{}", said.notes);
    assert_eq!(rig.folder.read("r.pcapng"), "precious");
    rig.folder
        .write("tidewick.memory.sqlite3", "this is no database at all, but long enough to be looked at as one");
    let said = rig.run_here(&["survey"]).ended(1);
    assert!(said.out.contains("9 devices"), "the survey goes on without it: {}", said.out);
    assert!(said.notes.contains("what is remembered in tidewick.memory.sqlite3 cannot be used"), "{}", said.notes);
    assert!(said.notes.contains("move tidewick.memory.sqlite3 away"), "{}", said.notes);
    rig.run(&["survey", "--remembered"]).ended(2);
}
