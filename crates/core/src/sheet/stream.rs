//! Streams of sound and picture.

use std::fmt;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::str::FromStr;

use super::fields::Fields;
use super::place::Placed;
use super::quantity::Rate;

/// The port of a stream that names none: the one RTP is registered for (RFC 3551, section 8).
pub const RTP_PORT: u16 = 5004;
/// Samples in a second, where a sound stream does not say.
const USUAL_SAMPLES: u32 = 48_000;
/// Bits of a sample, where a sound stream does not say.
const USUAL_BITS: u32 = 24;
/// Packets of sound in a second, each of one millisecond (AES67-2018, section 7.2).
const SOUND_PACKETS: u32 = 1000;
/// RTP, UDP, IP and Ethernet headers, check sequence, preamble and gap between frames.
const PACKET_EXTRA: u32 = 12 + 8 + 20 + 18 + 20;

/// A stream as it should be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SheetStream {
    /// Its name.
    pub name: Placed<String>,
    /// What it carries.
    pub carries: Placed<Carried>,
    /// Who sends it.
    pub from: StreamEnd,
    /// Who receives it.
    pub to: Vec<StreamEnd>,
    /// Its multicast group and port.
    pub group: Placed<WantedGroup>,
    /// The same of its second leg, where it goes two ways (SMPTE ST 2022-7).
    pub second_group: Option<Placed<WantedGroup>>,
    /// How many channels of sound.
    pub channels: Option<Placed<u32>>,
    /// Bits of a sample.
    pub bits: Option<Placed<u32>>,
    /// Samples in a second.
    pub samples: Option<Placed<u32>>,
    /// What it takes of a link, where that is known better.
    pub rate: Option<Placed<Rate>>,
}

/// One end of a stream.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StreamEnd {
    /// Who: the place in [`super::RigSheet::member`].
    pub member: Placed<usize>,
    /// Which of its senders or receivers, as the device calls it; `None` for the only one it has.
    pub label: Option<String>,
}

/// What a stream carries.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Carried {
    /// Sound.
    Audio,
    /// Picture.
    Video,
    /// Anything else.
    Data,
}

/// Where a stream goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WantedGroup {
    /// To this group and port.
    Fixed(SocketAddrV4),
    /// Not decided yet.
    Fill,
}

/// A stream whose ends are names still.
pub(super) struct Unplaced {
    pub(super) stream: SheetStream,
    pub(super) from: Placed<String>,
    pub(super) to: Vec<Placed<String>>,
}

impl Carried {
    /// The words of the rig sheet.
    pub const WORDS: [(&'static str, Self); 3] =
        [("audio", Self::Audio), ("video", Self::Video), ("data", Self::Data)];
}

impl SheetStream {
    /// Its group and port, where they are decided.
    #[must_use]
    pub const fn fixed_group(&self) -> Option<SocketAddrV4> {
        self.group.value.fixed()
    }

    /// The same of its second leg.
    #[must_use]
    pub fn fixed_second_group(&self) -> Option<SocketAddrV4> {
        self.second_group.as_ref().and_then(|group| group.value.fixed())
    }

    /// Where it goes: one way, or two.
    pub fn groups(&self) -> impl Iterator<Item = &Placed<WantedGroup>> {
        std::iter::once(&self.group).chain(&self.second_group)
    }

    /// What it takes of a link; `None` where the sheet does not tell enough.
    #[must_use]
    pub fn load(&self) -> Option<Rate> {
        if let Some(rate) = &self.rate {
            return Some(rate.value);
        }
        let channels = self.channels.as_ref()?.value;
        let samples = self.samples.as_ref().map_or(USUAL_SAMPLES, |samples| samples.value);
        let bits = self.bits.as_ref().map_or(USUAL_BITS, |bits| bits.value);
        let sound = u64::from(channels) * u64::from(samples) * u64::from(bits);
        let extra = u64::from(SOUND_PACKETS * PACKET_EXTRA * 8);
        Some(Rate::from_kilobits(u32::try_from((sound + extra).div_ceil(1000)).unwrap_or(u32::MAX)))
    }
}

impl WantedGroup {
    /// The group and port, when they are fixed.
    #[must_use]
    pub const fn fixed(self) -> Option<SocketAddrV4> {
        match self {
            Self::Fixed(group) => Some(group),
            Self::Fill => None,
        }
    }
}

impl FromStr for WantedGroup {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        if text == "fill" {
            return Ok(Self::Fill);
        }
        let bare = |text: &str| text.parse::<Ipv4Addr>().map(|group| SocketAddrV4::new(group, RTP_PORT));
        text.parse()
            .or_else(|_| bare(text))
            .map(Self::Fixed)
            .map_err(|_: std::net::AddrParseError| "a group and port like \"239.69.10.1:5004\", or \"fill\"")
    }
}

impl fmt::Display for WantedGroup {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Fixed(group) => group.fmt(f),
            Self::Fill => f.write_str("fill"),
        }
    }
}

impl fmt::Display for Carried {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Audio => "audio",
            Self::Video => "video",
            Self::Data => "data",
        })
    }
}

pub(super) fn read(fields: &Fields<'_>) -> Option<Unplaced> {
    let name = fields.required("name", fields.text("name"), "\"hall-mix\"");
    let carries = fields.required("carries", fields.word("carries", &Carried::WORDS), "\"audio\"");
    let from = fields.required("from", fields.text("from"), "\"hall-stagebox\"");
    let to = fields.list("to");
    let group = fields.required("group", fields.parsed("group"), "\"239.69.10.1:5004\" or \"fill\"");
    let second_group = fields.parsed("second_group");
    let channels = fields.number("channels", 1..=1024);
    let bits = fields.number("bits", 8..=32);
    let samples = fields.number("samples", 8_000..=384_000);
    let rate = fields.quantity("rate");
    fields.refuse_unknown_keys();
    let from = from?;
    let unknown = StreamEnd { member: Placed::new(usize::MAX, from.span), label: None };
    let stream = SheetStream {
        name: name?,
        carries: carries?,
        from: unknown,
        to: Vec::new(),
        group: group?,
        second_group,
        channels,
        bits,
        samples,
        rate,
    };
    Some(Unplaced { stream, from, to })
}
