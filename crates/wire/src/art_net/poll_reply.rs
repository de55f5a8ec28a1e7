//! ArtPollReply: a node says who it is (Art-Net 4, section "ArtPollReply").
//!
//! ```text
//!  10  4  IP address                     186  4  universe switch of each input
//!  14  2  port 6454, little-endian       190  4  universe switch of each output
//!  16  2  firmware version               194  1  sACN priority
//!  18  1  net                            195  1  macro inputs
//!  19  1  sub                            196  1  remote inputs
//!  20  2  OEM code                       200  1  style
//!  22  1  UBEA version                   201  6  MAC address
//!  23  1  status 1                       207  4  bind IP address
//!  24  2  ESTA code, little-endian       211  1  bind index
//!  26 18  short name                     212  1  status 2
//!  44 64  long name                      213  4  state of each output, second byte
//! 108 64  node report                    217  1  status 3
//! 172  2  number of ports                218  6  default responder UID
//! 174  4  type of each port              224  2  user data
//! 178  4  state of each input            226  2  refresh rate
//! 182  4  state of each output           228  1  background queue policy
//! ```
//!
//! A node of more than four ports sends one reply per page; the bind index counts the pages.

use core::fmt;
use std::net::Ipv4Addr;

use super::{
    GoodInput, GoodOutputA, GoodOutputB, LongName, OpCode, PORT, PortType, ShortName, Status1, Status2, Status3,
    Style, header,
};
use crate::{MacAddress, Text, WireError};

/// One page of a node: itself and up to four of its ports.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PollReply {
    /// The node's address.
    pub address: Ipv4Addr,
    /// The node's UDP port, normally [`PORT`].
    pub port: u16,
    /// Firmware version, usually major and minor in one byte each.
    pub firmware: u16,
    /// Bits 14–8 of every Port-Address of this page.
    pub net: u8,
    /// Bits 7–4 of every Port-Address of this page.
    pub sub: u8,
    /// OEM code of the model.
    pub oem: u16,
    /// Version of the user BIOS extension; 0 when there is none.
    pub ubea: u8,
    /// First status byte.
    pub status1: Status1,
    /// ESTA code of the manufacturer.
    pub esta: u16,
    /// Short name.
    pub short_name: ShortName,
    /// Long name.
    pub long_name: LongName,
    /// State in words: `#xxxx [count] text`.
    pub report: Text<64>,
    /// Number of inputs or of outputs of this page, whichever is larger; not to be relied on.
    pub port_count: u16,
    /// The four slots of the page; which of them are ports, their types say.
    pub ports: [PortBlock; 4],
    /// sACN priority of received data that is sent on (0–200).
    pub sacn_priority: u8,
    /// Macro key inputs.
    pub macros: u8,
    /// Remote trigger inputs.
    pub remotes: u8,
    /// What sort of device this is.
    pub style: Style,
    /// MAC address; all zero when not told.
    pub mac: MacAddress,
    /// Address of the root of a device of several pages; zero when not told.
    pub bind_address: Ipv4Addr,
    /// Which page this is; 0 and 1 both mean the root.
    pub bind_index: u8,
    /// Second status byte.
    pub status2: Status2,
    /// Third status byte.
    pub status3: Status3,
    /// RDM UID of the node's own responder.
    pub responder: [u8; 6],
    /// For the maker's own use.
    pub user: u16,
    /// Highest refresh rate, in Hz; 0 when not told.
    pub refresh_rate: u16,
    /// What is done with queued RDM messages in the background.
    pub background_queue: u8,
    /// How many bytes the sender told; what lies past them reads as zero, and was not told.
    pub length: usize,
}

/// One of the four ports of a page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct PortBlock {
    /// Direction and kind.
    pub kind: PortType,
    /// State as an input.
    pub input: GoodInput,
    /// State as an output, first byte.
    pub output_a: GoodOutputA,
    /// State as an output, second byte.
    pub output_b: GoodOutputB,
    /// Low four bits of the Port-Address it sends to as an input.
    pub switch_in: u8,
    /// Low four bits of the Port-Address it listens to as an output.
    pub switch_out: u8,
}

impl PollReply {
    /// Length as sent today, in bytes.
    pub const LENGTH: usize = 239;
    /// Where the oldest senders stop, before the style and the MAC address; fields past the end read as zero.
    pub const SHORTEST: usize = 198;

    /// A reply that states nothing.
    #[must_use]
    pub fn empty() -> Self {
        Self::from_whole(&[0; Self::LENGTH])
    }

    /// Reads a poll reply of 198 bytes or more.
    ///
    /// # Errors
    /// When the datagram is no ArtPollReply or is shorter than that.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        header::expect(datagram, OpCode::POLL_REPLY)?;
        if datagram.len() < Self::SHORTEST {
            return Err(header::short(datagram, OpCode::POLL_REPLY, Self::SHORTEST));
        }
        let mut whole = [0; Self::LENGTH];
        let there = datagram.len().min(Self::LENGTH);
        whole[..there].copy_from_slice(&datagram[..there]);
        Ok(Self { length: there, ..Self::from_whole(&whole) })
    }

    fn from_whole(m: &[u8; Self::LENGTH]) -> Self {
        let port = |i: usize| PortBlock {
            kind: PortType(m[174 + i]),
            input: GoodInput(m[178 + i]),
            output_a: GoodOutputA(m[182 + i]),
            output_b: GoodOutputB(m[213 + i]),
            switch_in: m[186 + i],
            switch_out: m[190 + i],
        };
        Self {
            address: take::<4>(m, 10).into(),
            port: u16::from_le_bytes(take(m, 14)),
            firmware: u16::from_be_bytes(take(m, 16)),
            net: m[18],
            sub: m[19],
            oem: u16::from_be_bytes(take(m, 20)),
            ubea: m[22],
            status1: Status1(m[23]),
            esta: u16::from_le_bytes(take(m, 24)),
            short_name: Text::from_wire(take(m, 26)),
            long_name: Text::from_wire(take(m, 44)),
            report: Text::from_wire(take(m, 108)),
            port_count: u16::from_be_bytes(take(m, 172)),
            ports: [port(0), port(1), port(2), port(3)],
            sacn_priority: m[194],
            macros: m[195],
            remotes: m[196],
            style: Style(m[200]),
            mac: MacAddress(take(m, 201)),
            bind_address: take::<4>(m, 207).into(),
            bind_index: m[211],
            status2: Status2(m[212]),
            status3: Status3(m[217]),
            responder: take(m, 218),
            user: u16::from_be_bytes(take(m, 224)),
            refresh_rate: u16::from_be_bytes(take(m, 226)),
            background_queue: m[228],
            length: Self::LENGTH,
        }
    }

    /// The ports this page states, each with its slot (0 to 3). A slot whose type is neither input nor output is
    /// none, whatever the count says: the count is the larger of inputs and outputs, and on some nodes zero.
    pub fn stated_ports(&self) -> impl Iterator<Item = (u8, &PortBlock)> {
        (0..).zip(&self.ports).filter(|(_, port)| port.kind.is_output() || port.kind.is_input())
    }

    /// Whether the second status byte was told: how the address is taken, and what can be switched.
    #[must_use]
    pub const fn tells_status2(&self) -> bool {
        self.length > 212
    }

    /// Whether the third status byte was told: what happens on data loss.
    #[must_use]
    pub const fn tells_status3(&self) -> bool {
        self.length > 217
    }

    /// The address of the page's root, where another one than the page's own is told.
    #[must_use]
    pub fn root_elsewhere(&self) -> Option<Ipv4Addr> {
        let other = !self.bind_address.is_unspecified() && self.bind_address != self.address;
        (self.bind_index > 1 && other).then_some(self.bind_address)
    }

    /// Writes the message over the whole of `out`.
    pub fn emit(&self, out: &mut [u8; Self::LENGTH]) {
        out.fill(0);
        header::emit(out, OpCode::POLL_REPLY);
        let mut put = |at: usize, bytes: &[u8]| out[at..at + bytes.len()].copy_from_slice(bytes);
        put(10, &self.address.octets());
        put(14, &self.port.to_le_bytes());
        put(16, &self.firmware.to_be_bytes());
        put(18, &[self.net, self.sub]);
        put(20, &self.oem.to_be_bytes());
        put(22, &[self.ubea, self.status1.0]);
        put(24, &self.esta.to_le_bytes());
        put(26, self.short_name.as_wire());
        put(44, self.long_name.as_wire());
        put(108, self.report.as_wire());
        put(172, &self.port_count.to_be_bytes());
        put(174, &self.ports.map(|p| p.kind.0));
        put(178, &self.ports.map(|p| p.input.0));
        put(182, &self.ports.map(|p| p.output_a.0));
        put(186, &self.ports.map(|p| p.switch_in));
        put(190, &self.ports.map(|p| p.switch_out));
        put(194, &[self.sacn_priority, self.macros, self.remotes]);
        put(200, &[self.style.0]);
        put(201, &self.mac.0);
        put(207, &self.bind_address.octets());
        put(211, &[self.bind_index, self.status2.0]);
        put(213, &self.ports.map(|p| p.output_b.0));
        put(217, &[self.status3.0]);
        put(218, &self.responder);
        put(224, &self.user.to_be_bytes());
        put(226, &self.refresh_rate.to_be_bytes());
        put(228, &[self.background_queue]);
    }

    /// The message as bytes of its own.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = [0; Self::LENGTH];
        self.emit(&mut out);
        out.to_vec()
    }
}

impl Default for PollReply {
    /// An empty reply with the usual port.
    fn default() -> Self {
        Self { port: PORT, ..Self::empty() }
    }
}

impl fmt::Display for PollReply {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ArtPollReply: {} {} page {}", self.address, self.mac, self.bind_index.max(1))
    }
}

fn take<const N: usize>(from: &[u8; PollReply::LENGTH], at: usize) -> [u8; N] {
    core::array::from_fn(|i| from[at + i])
}
