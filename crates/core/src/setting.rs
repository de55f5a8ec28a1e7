//! Words for how a port and a node behave, shared by the sheet, the census and changes.

use std::fmt;
use std::str::FromStr;

use lantern_wire::{art_net, pjlink};
use serde::{Deserialize, Serialize};

/// Which way a port works.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Direction {
    /// From the network to the socket.
    Out,
    /// From the socket to the network.
    In,
}

/// How two sources of one universe are combined.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Merge {
    /// Not at all.
    Off,
    /// Highest takes precedence.
    Htp,
    /// Latest takes precedence.
    Ltp,
}

/// What a node does when data stops.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum DataLoss {
    /// Keep the last levels.
    Hold,
    /// All levels to zero.
    Dark,
    /// All levels to full.
    Full,
    /// Play the recorded scene.
    Scene,
}

/// What the indicators of a node do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Indicators {
    /// What they are for.
    Normal,
    /// Nothing: they are dark.
    Mute,
    /// They flash, so that the unit is found.
    Flash,
}

/// Which protocol carries a universe.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Protocol {
    /// Art-Net.
    ArtNet,
    /// Streaming ACN.
    Sacn,
}

/// Whether a device is on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Power {
    /// In standby.
    Off,
    /// On.
    On,
    /// Cooling down.
    Cooling,
    /// Warming up.
    Warming,
}

/// Whether a device lets itself be read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Access {
    /// It does.
    Open,
    /// It wants a password, and none is known.
    Locked,
    /// It refuses the password that is known.
    Refused,
}

/// A firmware version of two parts, compared as numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Firmware {
    /// The first part.
    pub major: u8,
    /// The second part.
    pub minor: u8,
}

impl Power {
    const WORDS: [(&'static str, Self); 4] =
        [("off", Self::Off), ("on", Self::On), ("cooling", Self::Cooling), ("warming", Self::Warming)];
}

impl Access {
    const WORDS: [(&'static str, Self); 3] =
        [("open", Self::Open), ("wants a password", Self::Locked), ("refuses the password", Self::Refused)];
}

impl From<pjlink::Power> for Power {
    fn from(power: pjlink::Power) -> Self {
        match power {
            pjlink::Power::Off => Self::Off,
            pjlink::Power::On => Self::On,
            pjlink::Power::Cooling => Self::Cooling,
            pjlink::Power::Warming => Self::Warming,
        }
    }
}

impl fmt::Display for Power {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(word_of(&Self::WORDS, self))
    }
}

impl fmt::Display for Access {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(word_of(&Self::WORDS, self))
    }
}

impl Protocol {
    /// The words of the rig sheet.
    pub const WORDS: [(&'static str, Self); 2] = [("art-net", Self::ArtNet), ("sacn", Self::Sacn)];

    /// Its word on the sheet and on the command line.
    #[must_use]
    pub fn word(self) -> &'static str {
        word_of(&Self::WORDS, &self)
    }
}

impl Merge {
    /// The words of the rig sheet.
    pub const WORDS: [(&'static str, Self); 3] = [("off", Self::Off), ("htp", Self::Htp), ("ltp", Self::Ltp)];
}

impl Indicators {
    /// The words of the command line. That they flash is no setting: it is asked for, and ends.
    pub const WORDS: [(&'static str, Self); 2] = [("normal", Self::Normal), ("mute", Self::Mute)];

    /// As a node tells it (Art-Net 4, ArtPollReply "Status1" bits 7-6); `None` where it does not know.
    #[must_use]
    pub const fn told(status: art_net::Status1) -> Option<Self> {
        match status.0 >> 6 {
            1 => Some(Self::Flash),
            2 => Some(Self::Mute),
            3 => Some(Self::Normal),
            _ => None,
        }
    }
}

impl fmt::Display for Indicators {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Normal => "normal",
            Self::Mute => "mute",
            Self::Flash => "flash",
        })
    }
}

impl DataLoss {
    /// The words of the rig sheet.
    pub const WORDS: [(&'static str, Self); 4] =
        [("hold", Self::Hold), ("dark", Self::Dark), ("full", Self::Full), ("scene", Self::Scene)];
}

impl From<art_net::DataLoss> for DataLoss {
    fn from(loss: art_net::DataLoss) -> Self {
        match loss {
            art_net::DataLoss::Hold => Self::Hold,
            art_net::DataLoss::Zero => Self::Dark,
            art_net::DataLoss::Full => Self::Full,
            art_net::DataLoss::Scene => Self::Scene,
        }
    }
}

fn word_of<T: PartialEq>(words: &[(&'static str, T)], value: &T) -> &'static str {
    words.iter().find(|(_, v)| v == value).map_or("", |(word, _)| word)
}

impl fmt::Display for Merge {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(word_of(&Self::WORDS, self))
    }
}

impl fmt::Display for DataLoss {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(word_of(&Self::WORDS, self))
    }
}

impl fmt::Display for Direction {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Out => "out",
            Self::In => "in",
        })
    }
}

impl fmt::Display for Protocol {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::ArtNet => "Art-Net",
            Self::Sacn => "sACN",
        })
    }
}

impl FromStr for Firmware {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let (major, minor) = text.split_once('.').ok_or("two numbers like \"1.4\"")?;
        let part = |p: &str| p.parse().map_err(|_| "two numbers from 0 to 255 like \"1.4\"");
        Ok(Self { major: part(major)?, minor: part(minor)? })
    }
}

impl fmt::Display for Firmware {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}.{}", self.major, self.minor)
    }
}
