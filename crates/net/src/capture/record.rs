//! Writing a capture file (pcapng): frames as they passed the adapter; where no frames are to be had, the datagrams as
//! IP packets.

use std::borrow::Cow;
use std::fs::{File, OpenOptions};
use std::io::{self, BufWriter};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::path::Path;
use std::time::{Duration, Instant, SystemTime};

use lantern_core::MacAddress;
use lantern_core::address::Subnet;
use lantern_core::conversation::{Neighbour, Seat};
use lantern_core::packets;
use pcap_file::pcapng::PcapNgWriter;
use pcap_file::pcapng::blocks::enhanced_packet::{EnhancedPacketBlock, EnhancedPacketOption};
use pcap_file::pcapng::blocks::interface_description::{InterfaceDescriptionBlock, InterfaceDescriptionOption};
use pcap_file::pcapng::blocks::interface_statistics::{InterfaceStatisticsBlock, InterfaceStatisticsOption};
use pcap_file::{DataLink, Endianness};

use super::NEIGHBOUR_MARKS;

/// Timestamps count nanoseconds.
const RESOLUTION: u8 = 9;
/// The two interfaces of the file.
const FRAMES: u32 = 0;
const PACKETS: u32 = 1;

/// A capture file being written. A failure to write stops it; [`Recorder::finish`] tells.
pub struct Recorder {
    file: PcapNgWriter<BufWriter<File>>,
    began: SystemTime,
    /// When the first conversation began, and how long after it the present one did.
    first: Option<Instant>,
    since_first: Duration,
    failed: Option<String>,
    packets: u64,
}

impl std::fmt::Debug for Recorder {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Recorder").field("packets", &self.packets).finish_non_exhaustive()
    }
}

impl Recorder {
    /// A new file, about what passes this adapter. `began` is the moment all times count from.
    ///
    /// # Errors
    /// When the file is there already or cannot be written.
    pub fn create(
        path: &Path,
        adapter: &str,
        mac: Option<MacAddress>,
        seats: &[Seat],
        began: SystemTime,
    ) -> io::Result<Self> {
        let file = OpenOptions::new().write(true).create_new(true).open(path)?;
        let mut file =
            PcapNgWriter::with_endianness(BufWriter::new(file), Endianness::Little).map_err(io::Error::other)?;
        for link in [DataLink::ETHERNET, DataLink::IPV4] {
            let about = about(link, adapter, mac, seats);
            file.write_pcapng_block(about).map_err(io::Error::other)?;
        }
        Ok(Self { file, began, first: None, since_first: Duration::ZERO, failed: None, packets: 0 })
    }

    /// A conversation begins, whose times count from now. Writes down when the first one did.
    pub(crate) fn begin(&mut self) -> io::Result<()> {
        if let Some(first) = self.first {
            self.since_first = first.elapsed();
            return Ok(());
        }
        self.first = Some(Instant::now());
        let stamp = nanoseconds(self.began, Duration::ZERO);
        let start = InterfaceStatisticsBlock {
            interface_id: FRAMES,
            timestamp: halves(stamp),
            options: vec![InterfaceStatisticsOption::IsbStartTime(halves(stamp))],
        };
        self.file.write_pcapng_block(start).map(drop).map_err(io::Error::other)
    }

    pub(crate) fn frame(&mut self, at: Duration, frame: &[u8]) {
        self.write(FRAMES, at, frame);
    }

    pub(crate) fn datagram(&mut self, at: Duration, from: SocketAddrV4, to: SocketAddrV4, bytes: &[u8]) {
        if let Some(packet) = packets::datagram(from, to, bytes) {
            self.write(PACKETS, at, &packet);
        }
    }

    pub(crate) fn echo_request(&mut self, at: Duration, from: Ipv4Addr, to: Ipv4Addr, number: u16) {
        self.write(PACKETS, at, &packets::echo_request(from, to, number));
    }

    pub(crate) fn echo_reply(&mut self, at: Duration, from: Ipv4Addr, to: Ipv4Addr, number: u16) {
        self.write(PACKETS, at, &packets::echo_reply(from, to, number));
    }

    pub(crate) fn neighbours(&mut self, at: Duration, table: &[Neighbour]) {
        for neighbour in table {
            let mark = NEIGHBOUR_MARKS.iter().find(|(_, fresh)| *fresh == neighbour.fresh).map(|(mark, _)| *mark);
            self.write_marked(FRAMES, at, &packets::neighbour(neighbour), mark);
        }
    }

    fn write(&mut self, interface_id: u32, at: Duration, bytes: &[u8]) {
        self.write_marked(interface_id, at, bytes, None);
    }

    fn write_marked(&mut self, interface_id: u32, at: Duration, bytes: &[u8], mark: Option<&'static str>) {
        if self.failed.is_some() {
            return;
        }
        let length = u32::try_from(bytes.len()).unwrap_or(u32::MAX);
        let block = EnhancedPacketBlock {
            interface_id,
            timestamp: Duration::from_nanos(nanoseconds(self.began, self.since_first + at)),
            original_len: length,
            data: Cow::Borrowed(bytes),
            options: mark.map(|mark| EnhancedPacketOption::Comment(mark.into())).into_iter().collect(),
        };
        match self.file.write_pcapng_block(block) {
            Ok(_) => self.packets += 1,
            Err(error) => self.failed = Some(error.to_string()),
        }
    }

    /// Puts everything on disk; gives how many packets were written.
    ///
    /// # Errors
    /// When any of it could not be written.
    pub fn finish(self) -> io::Result<u64> {
        if let Some(failed) = self.failed {
            return Err(io::Error::other(failed));
        }
        let file = self.file.into_inner().into_inner().map_err(io::IntoInnerError::into_error)?;
        file.sync_all()?;
        Ok(self.packets)
    }
}

fn about(
    link: DataLink,
    adapter: &str,
    mac: Option<MacAddress>,
    seats: &[Seat],
) -> InterfaceDescriptionBlock<'static> {
    let mut block = InterfaceDescriptionBlock::new(link, 0);
    block.options.push(InterfaceDescriptionOption::IfName(adapter.to_owned().into()));
    block.options.push(InterfaceDescriptionOption::IfTsResol(RESOLUTION));
    let address = |seat: &Seat| {
        let octets: Vec<u8> = seat.own.octets().into_iter().chain(mask(seat.subnet)).collect();
        InterfaceDescriptionOption::IfIpv4Addr(octets.into())
    };
    block.options.extend(seats.iter().map(address));
    if let Some(mac) = mac {
        block.options.push(InterfaceDescriptionOption::IfMacAddr(mac.0.to_vec().into()));
    }
    block
}

fn mask(subnet: Subnet) -> [u8; 4] {
    subnet.mask().bits().to_be_bytes()
}

fn nanoseconds(began: SystemTime, at: Duration) -> u64 {
    let since = began.duration_since(SystemTime::UNIX_EPOCH).unwrap_or_default() + at;
    u64::try_from(since.as_nanos()).unwrap_or(u64::MAX)
}

/// The format keeps the upper half of a time stamp first, whatever the order of bytes (pcapng, section 4.3).
const fn halves(stamp: u64) -> u64 {
    stamp.rotate_left(32)
}
