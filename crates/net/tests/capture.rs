//! Capture files of every make, and what a conversation hears from them.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

use std::net::{Ipv4Addr, SocketAddrV4};
use std::path::PathBuf;
use std::time::{Duration, SystemTime};

use lantern_core::MacAddress;
use lantern_core::conversation::{Conversation, Heard, Outgoing, Seat};
use lantern_core::packets;
use lantern_net::{Capture, CaptureError, Recorder, replay};
use rstest::rstest;
use tempfile::TempDir;

/// Writes down what it hears.
#[derive(Default)]
struct Listener(Vec<(u128, String)>);

impl Conversation for Listener {
    type Event = ();

    fn hear(&mut self, now: Duration, heard: &Heard<'_>) {
        let said = match heard {
            Heard::Frame(frame) => format!("frame {}", frame.len()),
            Heard::Packet(packet) => format!("packet {}", packet.len()),
            Heard::Neighbours(table) => format!("neighbour {} {}", table[0].address, table[0].fresh),
            other => format!("{other:?}"),
        };
        self.0.push((now.as_millis(), said));
    }

    fn next_send(&mut self) -> Option<Outgoing> {
        None
    }

    fn wake_at(&self) -> Option<Duration> {
        None
    }

    fn wake(&mut self, _: Duration) {}

    fn next_event(&mut self) -> Option<()> {
        None
    }
}

fn file(bytes: &[u8]) -> (TempDir, PathBuf) {
    let folder = TempDir::new().unwrap();
    let path = folder.path().join("capture");
    std::fs::write(&path, bytes).unwrap();
    (folder, path)
}

fn played(bytes: &[u8]) -> (Vec<(u128, String)>, Option<String>) {
    let (_folder, path) = file(bytes);
    let mut listener = Listener::default();
    let (_, damage) = replay(&mut listener, &mut Capture::open(&path).unwrap(), |_, _, ()| {});
    (listener.0, damage.map(|damage| format!("{} {}", damage.after, damage.why)))
}

/// A file of the older format: magic number, link type, and packets as seconds, fraction and bytes.
fn classic(magic: u32, big: bool, link: u32, packets: &[(u32, u32, &[u8])]) -> Vec<u8> {
    let word = |n: u32| if big { n.to_be_bytes() } else { n.to_le_bytes() };
    let version = if big { [0, 2, 0, 4] } else { [2, 0, 4, 0] };
    let mut bytes = [word(magic), version, word(0), word(0), word(65_535), word(link)].concat();
    for (seconds, fraction, data) in packets {
        let length = word(u32::try_from(data.len()).unwrap());
        bytes.extend([word(*seconds), word(*fraction), length, length].concat());
        bytes.extend(*data);
    }
    bytes
}

#[rstest]
#[case::microseconds(0xa1b2_c3d4, false, 500_000)]
#[case::nanoseconds(0xa1b2_3c4d, false, 500_000_000)]
#[case::the_other_order(0xa1b2_c3d4, true, 500_000)]
fn older_files_are_read_in_either_order_and_unit(#[case] magic: u32, #[case] big: bool, #[case] half: u32) {
    let (heard, damage) = played(&classic(magic, big, 1, &[(100, 0, &[1; 60]), (101, half, &[2; 70])]));
    assert_eq!(heard, [(0, "frame 60".to_owned()), (1500, "frame 70".to_owned())]);
    assert_eq!(damage, None);
}

#[rstest]
#[case::raw(101, vec![0x45; 28], Some("packet 28"))]
#[case::ipv4(228, vec![0x45; 28], Some("packet 28"))]
#[case::cooked(113, [&[0; 14][..], &[8, 0], &[0x45; 28]].concat(), Some("packet 28"))]
#[case::cooked_again(276, [&[8, 0][..], &[0; 18], &[0x45; 28]].concat(), Some("packet 28"))]
#[case::cooked_arp(113, [&[0; 14][..], &[8, 6], &[0; 28]].concat(), None)]
#[case::radio(105, vec![0; 40], None)]
fn packets_are_taken_out_of_what_is_around_them(
    #[case] link: u32,
    #[case] data: Vec<u8>,
    #[case] expected: Option<&str>,
) {
    let (heard, _) = played(&classic(0xa1b2_c3d4, false, link, &[(100, 0, &data)]));
    assert_eq!(heard.first().map(|(_, said)| said.as_str()), expected);
}

#[test]
fn a_recording_says_through_which_adapter_and_is_never_written_over() {
    let folder = TempDir::new().unwrap();
    let path = folder.path().join("r.pcapng");
    let seat = Seat {
        own: Ipv4Addr::new(10, 40, 0, 7),
        subnet: "10.40.0.0/16".parse().unwrap(),
        limited_broadcast: true,
    };
    let mac = MacAddress([2, 0, 0, 0, 0, 7]);
    let began = SystemTime::UNIX_EPOCH + Duration::from_secs(1_793_750_400);
    let recorder = Recorder::create(&path, "eth1", Some(mac), &[seat], began).unwrap();
    assert_eq!(recorder.finish().unwrap(), 0);
    let capture = Capture::open(&path).unwrap();
    assert_eq!((capture.adapter(), capture.own_mac()), (Some("eth1"), Some(mac)));
    assert_eq!((capture.seats()[0].own, capture.seats()[0].subnet), (seat.own, seat.subnet));
    let again = Recorder::create(&path, "eth1", Some(mac), &[seat], began);
    assert_eq!(again.unwrap_err().kind(), std::io::ErrorKind::AlreadyExists);
}

#[rstest]
#[case::nothing(b"", "it is shorter than four bytes")]
#[case::text(b"a letter, and a long one at that, of more than a header", "neither a pcap nor a pcapng file")]
fn other_files_are_refused(#[case] bytes: &[u8], #[case] why: &str) {
    let (_folder, path) = file(bytes);
    let error = Capture::open(&path).err().unwrap();
    assert!(matches!(error, CaptureError::Foreign(_)) && error.to_string().contains(why), "{error}");
}

#[test]
fn a_file_that_is_not_there_is_unreadable() {
    let error = Capture::open(&PathBuf::from("nowhere.pcap")).err().unwrap();
    assert!(matches!(error, CaptureError::Unreadable(_)));
}

#[test]
fn a_file_that_ends_in_the_middle_is_played_until_there() {
    let whole = classic(0xa1b2_c3d4, false, 1, &[(100, 0, &[1; 60]), (101, 0, &[2; 70])]);
    let (heard, damage) = played(&whole[..whole.len() - 3]);
    assert_eq!((heard.len(), damage.as_deref()), (1, Some("1 it ends in the middle")));
}

#[test]
fn bare_packets_say_who_spoke_to_whom() {
    let (from, to) = (
        SocketAddrV4::new(Ipv4Addr::new(10, 40, 1, 1), 6454),
        SocketAddrV4::new(Ipv4Addr::new(10, 40, 0, 7), 6454),
    );
    let datagram = packets::datagram(from, to, b"hello").unwrap();
    assert_eq!((datagram.len(), datagram[0]), (33, 0x45));
    assert_eq!(packets::echo_request(*from.ip(), *to.ip(), 1)[20], 8);
    assert_eq!(packets::echo_reply(*from.ip(), *to.ip(), 1)[20], 0);
}

/// One block of the newer format.
fn block(kind: u32, body: &[u8]) -> Vec<u8> {
    let mut body = body.to_vec();
    body.resize(body.len().next_multiple_of(4), 0);
    let length = u32::try_from(body.len() + 12).unwrap().to_le_bytes();
    [&kind.to_le_bytes()[..], &length, &body, &length].concat()
}

/// A file with tens of thousands of interfaces takes no longer for it, and each packet has the unit of its own one.
#[test]
fn every_packet_is_read_by_its_own_interface_however_many_there_are() {
    const MANY: u32 = 30_000;
    let words = |words: &[u32]| words.iter().flat_map(|word| word.to_le_bytes()).collect::<Vec<u8>>();
    let mut bytes = block(0x0a0d_0d0a, &words(&[0x1a2b_3c4d, 1, u32::MAX, u32::MAX]));
    for i in 0..MANY {
        // Link type Ethernet; every second one counts milliseconds (if_tsresol), the others microseconds.
        let resolution = if i % 2 == 0 { words(&[0x0001_0009, 3, 0]) } else { words(&[0]) };
        bytes.extend(block(1, &[words(&[1, 0]), resolution].concat()));
    }
    for i in 0..MANY {
        let count = if i % 2 == 0 { i } else { i * 1000 };
        bytes.extend(block(6, &[words(&[i, 0, count, 4, 4]), vec![0; 4]].concat()));
    }
    let (heard, damage) = played(&bytes);
    assert_eq!((heard.len(), damage), (30_000, None));
    assert!(heard.iter().zip(0..).all(|((at, _), i)| *at == i), "{:?}", &heard[..4]);
}
