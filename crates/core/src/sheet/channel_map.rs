//! Which channel goes where within a device.

use std::fmt;
use std::str::FromStr;

use super::fields::Fields;
use super::place::Placed;

/// The most channels of one output.
const MOST_CHANNELS: usize = 512;

/// What comes out of one output of a device, channel by channel.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChannelMap {
    /// Which of [`super::RigSheet::nodes`].
    pub node: Placed<usize>,
    /// Which of its outputs, as the device calls it; `None` for the only one it has.
    pub output: Option<Placed<String>>,
    /// Where each of its channels comes from, the first first. Those behind the last are left as they are.
    pub channels: Vec<Placed<WantedChannel>>,
    /// What each of its channels is called here.
    pub names: Vec<Placed<String>>,
}

/// Where a channel comes from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum WantedChannel {
    /// From nowhere.
    Nowhere,
    /// From this channel of this input, as the device calls them, or by its number from 1.
    From {
        /// The input.
        input: String,
        /// Its channel.
        channel: String,
    },
}

/// A map whose node is a name still.
pub(super) struct Unplaced {
    pub(super) map: ChannelMap,
    pub(super) node: Placed<String>,
}

impl FromStr for WantedChannel {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        if text == "none" {
            return Ok(Self::Nowhere);
        }
        // An input may be called with a slash, a channel seldom is.
        let (input, channel) = text.rsplit_once('/').ok_or(EXPECTED)?;
        let (input, channel) = (input.trim(), channel.trim());
        if input.is_empty() || channel.is_empty() {
            return Err(EXPECTED);
        }
        Ok(Self::From { input: input.to_owned(), channel: channel.to_owned() })
    }
}

const EXPECTED: &str = "an input and its channel like \"Stage/1\", or \"none\"";

impl fmt::Display for WantedChannel {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Nowhere => f.write_str("none"),
            Self::From { input, channel } => write!(f, "{input}/{channel}"),
        }
    }
}

pub(super) fn read(fields: &Fields<'_>) -> Option<Unplaced> {
    let node = fields.required("node", fields.text("node"), "\"hall-amp\"");
    let output = fields.text("output");
    let has_channels = fields.span_of("channels").is_some();
    let channels = fields.list("channels");
    let channels = fields.required("channels", has_channels.then_some(channels), "[\"Stage/1\", \"Stage/2\"]");
    let names = fields.list("names");
    fields.refuse_unknown_keys();
    let (node, mut channels) = (node?, channels?);
    channels.truncate(MOST_CHANNELS);
    let map = ChannelMap { node: Placed::new(0, node.span), output, channels, names };
    Some(Unplaced { map, node })
}
