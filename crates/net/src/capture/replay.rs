//! Playing a capture file (pcap or pcapng): the conversation hears what is in it, and nothing is sent.

use std::borrow::Cow;
use std::fs::File;
use std::io::{self, Read};
use std::net::Ipv4Addr;
use std::path::Path;
use std::time::Duration;

use lantern_core::MacAddress;
use lantern_core::address::{Mask, Subnet};
use lantern_core::conversation::{Conversation, Heard, Neighbour, Seat};
use lantern_core::packets;
use pcap_file::pcap::PcapReader;
use pcap_file::pcapng::blocks::enhanced_packet::EnhancedPacketOption;
use pcap_file::pcapng::blocks::interface_description::{InterfaceDescriptionBlock, InterfaceDescriptionOption};
use pcap_file::pcapng::blocks::interface_statistics::InterfaceStatisticsOption;
use pcap_file::pcapng::{Block, PcapNgReader};
use pcap_file::{DataLink, Endianness, PcapError};

use super::NEIGHBOUR_MARKS;

/// How a pcapng file begins, in either order of bytes.
const NEXT_GENERATION: [u8; 4] = [0x0a, 0x0d, 0x0d, 0x0a];
/// Time stamps count microseconds where nothing else is said (pcapng, section 4.2).
const USUAL_RESOLUTION: u8 = 6;
/// A cooked capture has a header of its own in front of each packet: its length, and where the protocol stands.
const COOKED: [(DataLink, usize, usize); 2] = [(DataLink::LINUX_SLL, 16, 14), (DataLink::LINUX_SLL2, 20, 0)];

/// A capture file that was opened.
pub struct Capture {
    file: Kind,
    adapter: Option<String>,
    own_mac: Option<MacAddress>,
    seats: Vec<Seat>,
    /// What was read ahead to learn about the adapter.
    first: Option<Captured>,
    start: Option<Duration>,
}

enum Kind {
    Classic(Box<PcapReader<Source>>),
    /// With the interfaces described so far: of what kind, and in which unit their times are.
    NextGeneration(Box<PcapNgReader<Source>>, Vec<(DataLink, u8)>),
}

type Source = io::Chain<io::Cursor<[u8; 4]>, File>;

/// A packet of the file.
struct Captured {
    at: Duration,
    link: DataLink,
    bytes: Vec<u8>,
    /// What the system's table of neighbours held, where the packet says that.
    neighbour: Option<Neighbour>,
}

/// Why a file cannot be played at all.
#[derive(Debug, thiserror::Error)]
pub enum CaptureError {
    /// It cannot be read.
    #[error("it cannot be read: {0}")]
    Unreadable(#[from] io::Error),
    /// It is something else.
    #[error("it is neither a pcap nor a pcapng file: {0}")]
    Foreign(String),
}

/// The file cannot be read to its end.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Damage {
    /// How many packets were read until there.
    pub after: u64,
    /// What is wrong there.
    pub why: String,
}

impl Capture {
    /// Opens a file and learns what it says about the adapter.
    ///
    /// # Errors
    /// When it cannot be read, or is no capture file.
    pub fn open(path: &Path) -> Result<Self, CaptureError> {
        let mut file = File::open(path)?;
        let mut magic = [0; 4];
        file.read_exact(&mut magic)
            .map_err(|_| CaptureError::Foreign("it is shorter than four bytes".to_owned()))?;
        let source = io::Cursor::new(magic).chain(file);
        let foreign = |error: PcapError| CaptureError::Foreign(said(&error));
        let file = if magic == NEXT_GENERATION {
            Kind::NextGeneration(Box::new(PcapNgReader::new(source).map_err(foreign)?), Vec::new())
        } else {
            Kind::Classic(Box::new(PcapReader::new(source).map_err(foreign)?))
        };
        let mut capture = Self { file, adapter: None, own_mac: None, seats: Vec::new(), first: None, start: None };
        // What is wrong further on is told when it is played.
        capture.first = capture.next().ok().flatten();
        capture.learn_adapter();
        Ok(capture)
    }

    /// The adapter it was recorded on, where it says so.
    #[must_use]
    pub fn adapter(&self) -> Option<&str> {
        self.adapter.as_deref()
    }

    /// The adapter's MAC address, where it says so.
    #[must_use]
    pub const fn own_mac(&self) -> Option<MacAddress> {
        self.own_mac
    }

    /// The addresses the computer had there, where it says so.
    #[must_use]
    pub fn seats(&self) -> &[Seat] {
        &self.seats
    }

    fn learn_adapter(&mut self) {
        let Kind::NextGeneration(reader, _) = &self.file else { return };
        let Some(about) = reader.interfaces().first() else { return };
        for option in &about.options {
            match option {
                InterfaceDescriptionOption::IfName(name) => self.adapter = Some(name.clone().into_owned()),
                InterfaceDescriptionOption::IfIpv4Addr(octets) => self.seats.extend(seat(octets)),
                InterfaceDescriptionOption::IfMacAddr(octets) => {
                    self.own_mac = <[u8; 6]>::try_from(&octets[..]).ok().map(MacAddress);
                }
                _ => {}
            }
        }
    }

    /// The next packet; `None` at the end.
    fn next(&mut self) -> Result<Option<Captured>, String> {
        match &mut self.file {
            Kind::Classic(reader) => {
                let link = reader.header().datalink;
                let packet = reader.next_packet().transpose().map_err(|error| said(&error))?;
                Ok(packet.map(|packet| Captured {
                    at: packet.timestamp,
                    link,
                    bytes: packet.data.into_owned(),
                    neighbour: None,
                }))
            }
            Kind::NextGeneration(reader, interfaces) => next_of(reader, interfaces, &mut self.start),
        }
    }
}

/// The next block that is a packet.
fn next_of(
    reader: &mut PcapNgReader<Source>,
    interfaces: &mut Vec<(DataLink, u8)>,
    start: &mut Option<Duration>,
) -> Result<Option<Captured>, String> {
    loop {
        let little = reader.section().endianness == Endianness::Little;
        let Some(block) = reader.next_block() else { return Ok(None) };
        let packet = match block.map_err(|error| said(&error))? {
            Block::EnhancedPacket(packet) => {
                // The reader takes every count for nanoseconds.
                let count = u64::try_from(packet.timestamp.as_nanos()).unwrap_or(u64::MAX);
                let fresh = packet.options.iter().find_map(mark);
                let neighbour = fresh.and_then(|fresh| packets::read_neighbour(&packet.data, fresh));
                Some((packet.interface_id, count, packet.data, neighbour))
            }
            Block::Packet(packet) => Some((u32::from(packet.interface_id), packet.timestamp, packet.data, None)),
            Block::SimplePacket(packet) => Some((0, 0, packet.data, None)),
            Block::InterfaceStatistics(statistics) => {
                let started = statistics.options.iter().find_map(|option| match option {
                    InterfaceStatisticsOption::IsbStartTime(stamp) => Some(*stamp),
                    _ => None,
                });
                let stamp = started.map(|stamp| if little { stamp.rotate_left(32) } else { stamp });
                let of = interfaces.get(usize::try_from(statistics.interface_id).unwrap_or(usize::MAX));
                *start = start.or_else(|| Some(time(stamp?, of?.1)));
                None
            }
            Block::InterfaceDescription(about) => {
                interfaces.push((about.linktype, resolution(&about)));
                None
            }
            Block::SectionHeader(_) => {
                interfaces.clear();
                None
            }
            _ => None,
        };
        let Some((interface, count, data, neighbour)) = packet else { continue };
        let Some((link, resolution)) = interfaces.get(usize::try_from(interface).unwrap_or(usize::MAX)) else {
            return Err(format!("a packet names interface {interface}, which the file does not describe"));
        };
        let (at, bytes) = (time(count, *resolution), Cow::into_owned(data));
        return Ok(Some(Captured { at, link: *link, bytes, neighbour }));
    }
}

fn resolution(about: &InterfaceDescriptionBlock<'_>) -> u8 {
    let told = about.options.iter().find_map(|option| match option {
        InterfaceDescriptionOption::IfTsResol(resolution) => Some(*resolution),
        _ => None,
    });
    told.unwrap_or(USUAL_RESOLUTION)
}

/// A count of time units: negative powers of ten, or of two where the top bit says so.
fn time(count: u64, resolution: u8) -> Duration {
    let (power, exponent) = (if resolution & 0x80 == 0 { 10_u128 } else { 2 }, u32::from(resolution & 0x7f));
    let units = power.checked_pow(exponent).unwrap_or(u128::MAX);
    let nanoseconds = u128::from(count).saturating_mul(1_000_000_000) / units;
    Duration::from_nanos(u64::try_from(nanoseconds).unwrap_or(u64::MAX))
}

fn seat(octets: &[u8]) -> Option<Seat> {
    let [a, b, c, d, mask @ ..] = octets else { return None };
    let own = Ipv4Addr::new(*a, *b, *c, *d);
    let mask = Mask::try_from(Ipv4Addr::from(<[u8; 4]>::try_from(mask).ok()?)).ok()?;
    Some(Seat { own, subnet: Subnet::around(own, mask), limited_broadcast: false })
}

fn said(error: &PcapError) -> String {
    match error {
        PcapError::IncompleteBuffer => "it ends in the middle".to_owned(),
        PcapError::IoError(error) if error.kind() == io::ErrorKind::UnexpectedEof => {
            "it ends in the middle".to_owned()
        }
        other => other.to_string(),
    }
}

/// Lets the conversation hear everything in the file, at the times at which it was heard. `watch` is called with every
/// event. Gives how long the file is, and where it is damaged.
pub fn replay<C: Conversation>(
    conversation: &mut C,
    capture: &mut Capture,
    mut watch: impl FnMut(&C, Duration, C::Event),
) -> (Duration, Option<Damage>) {
    let (mut now, mut packets) = (Duration::ZERO, 0);
    let mut damage = None;
    loop {
        let captured = match capture.first.take().map_or_else(|| capture.next(), |first| Ok(Some(first))) {
            Ok(Some(captured)) => captured,
            Ok(None) => break,
            Err(why) => {
                damage = Some(Damage { after: packets, why });
                break;
            }
        };
        packets += 1;
        let start = *capture.start.get_or_insert(captured.at);
        now = captured.at.saturating_sub(start).max(now);
        if let Some(heard) = heard(&captured) {
            conversation.hear(now, &heard);
        }
        while let Some(event) = conversation.next_event() {
            watch(conversation, now, event);
        }
        // Nothing is sent: the answers are in the file.
        while conversation.next_send().is_some() {}
    }
    (now, damage)
}

/// Whether a packet is marked as a neighbour, lately made sure of or not.
fn mark(option: &EnhancedPacketOption<'_>) -> Option<bool> {
    let EnhancedPacketOption::Comment(comment) = option else { return None };
    NEIGHBOUR_MARKS.iter().find(|(mark, _)| mark == comment).map(|(_, fresh)| *fresh)
}

fn heard(captured: &Captured) -> Option<Heard<'_>> {
    if let Some(neighbour) = &captured.neighbour {
        return Some(Heard::Neighbours(std::slice::from_ref(neighbour)));
    }
    match captured.link {
        DataLink::ETHERNET => Some(Heard::Frame(&captured.bytes)),
        DataLink::RAW | DataLink::IPV4 => Some(Heard::Packet(&captured.bytes)),
        link => {
            let (_, length, protocol) = COOKED.iter().find(|(cooked, ..)| *cooked == link)?;
            let is_ip = captured.bytes.get(*protocol..protocol + 2) == Some(&[0x08, 0x00]);
            captured.bytes.get(*length..).filter(|_| is_ip).map(Heard::Packet)
        }
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case(1_500_000, 6, 1_500)]
    #[case(1_500_000_000, 9, 1_500)]
    #[case(3, 0x81, 1_500)]
    #[case(7, 0, 7_000)]
    #[case(u64::MAX, 0xff, 0)]
    fn time_stamps_are_read_in_their_unit(#[case] count: u64, #[case] resolution: u8, #[case] millis: u128) {
        assert_eq!(time(count, resolution).as_millis(), millis);
    }

    #[test]
    fn an_address_of_the_adapter_is_read_with_its_mask() {
        let own = seat(&[10, 40, 0, 7, 255, 255, 0, 0]).unwrap();
        assert_eq!(
            (own.own.to_string(), own.subnet.to_string()),
            ("10.40.0.7".to_owned(), "10.40.0.0/16".to_owned())
        );
        assert!(seat(&[10, 40, 0, 7, 255, 0, 255, 0]).is_none() && seat(&[1, 2]).is_none());
    }
}
