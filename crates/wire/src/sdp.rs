//! Session descriptions (RFC 8866), as far as they tell where a stream goes and what it is.
//!
//! One `type=value` a line. `o=` who made it, `s=` its name, `c=` the group, `m=` a part with its port and payload
//! types, `a=rtpmap:` encoding, rate and channels, `a=ts-refclk:` the clock it follows.

use std::net::Ipv4Addr;

use crate::{Layer, WireError};

/// The most lines looked at; a real description has twenty.
const MOST_LINES: usize = 512;

/// A session.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Session {
    /// What it is called.
    pub name: String,
    /// Its number, and who made it; together they tell it from others.
    pub origin: Option<Origin>,
    /// Its parts.
    pub media: Vec<Media>,
}

/// Who made a session (section 5.2).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Origin {
    /// The session's number.
    pub session: u64,
    /// Grows when the description changes.
    pub version: u64,
    /// Who made it.
    pub address: Ipv4Addr,
}

/// One part: a stream (section 5.14).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Media {
    /// `audio`, `video`, `application`…
    pub kind: String,
    /// The UDP port.
    pub port: u16,
    /// The group or address it is sent to.
    pub group: Option<Ipv4Addr>,
    /// The payload type it is listed with.
    pub payload_type: u8,
    /// The encoding: L24, raw…
    pub encoding: Option<String>,
    /// The clock rate in hertz.
    pub rate: Option<u32>,
    /// How many channels; 1 where sound states none.
    pub channels: Option<u16>,
    /// The clock it follows, as stated.
    pub clock: Option<String>,
}

impl Session {
    /// Reads a description. Lines that are not understood are passed over.
    ///
    /// # Errors
    /// When it is no UTF-8 or does not start as a description does.
    pub fn parse(bytes: &[u8]) -> Result<Self, WireError> {
        let foreign = WireError::Foreign { layer: Layer::Sdp };
        let text = core::str::from_utf8(bytes).map_err(|_| foreign)?;
        let mut session = Self::default();
        let (mut group, mut clock) = (None, None);
        let lines = text.lines().filter_map(|line| line.split_once('=')).take(MOST_LINES);
        for (at, (kind, value)) in lines.enumerate() {
            match (kind, session.media.last_mut()) {
                ("v" | "o", _) if at == 0 => session.origin = origin(value),
                _ if at == 0 => return Err(foreign),
                ("o", _) => session.origin = origin(value),
                ("s", None) => value.trim().clone_into(&mut session.name),
                ("c", None) => group = connection(value),
                ("c", Some(media)) => media.group = connection(value),
                ("a", None) => clock = reference_clock(value).or(clock),
                ("a", Some(media)) => media.read_attribute(value),
                ("m", _) => session.media.extend(Media::parse(value, group, clock.clone())),
                _ => {}
            }
        }
        if text.contains('=') { Ok(session) } else { Err(foreign) }
    }
}

impl Media {
    fn parse(value: &str, group: Option<Ipv4Addr>, clock: Option<String>) -> Option<Self> {
        let mut words = value.split_whitespace();
        let kind = words.next()?.to_owned();
        let port = words.next()?.split('/').next()?.parse().ok()?;
        let payload_type = words.nth(1)?.parse().ok()?;
        Some(Self { kind, port, group, payload_type, encoding: None, rate: None, channels: None, clock })
    }

    fn read_attribute(&mut self, value: &str) {
        if let Some(clock) = reference_clock(value) {
            self.clock = Some(clock);
        }
        let Some((listed, map)) = value.strip_prefix("rtpmap:").and_then(|map| map.split_once(' ')) else {
            return;
        };
        if listed.parse() != Ok(self.payload_type) {
            return;
        }
        let mut parts = map.trim().split('/');
        self.encoding = parts.next().map(ToOwned::to_owned);
        self.rate = parts.next().and_then(|rate| rate.parse().ok());
        let usual = (self.kind == "audio").then_some(1);
        self.channels = parts.next().and_then(|channels| channels.parse().ok()).or(usual);
    }
}

fn reference_clock(value: &str) -> Option<String> {
    value.strip_prefix("ts-refclk:").map(|clock| clock.trim().to_owned())
}

fn origin(value: &str) -> Option<Origin> {
    let words: Vec<&str> = value.split_whitespace().collect();
    let [_, session, version, "IN", "IP4", address] = words[..] else { return None };
    Some(Origin { session: session.parse().ok()?, version: version.parse().ok()?, address: address.parse().ok()? })
}

fn connection(value: &str) -> Option<Ipv4Addr> {
    value.strip_prefix("IN IP4 ")?.split('/').next()?.trim().parse().ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_part_may_have_a_group_and_a_clock_of_its_own() {
        let text = "v=0\no=- 7 1 IN IP4 10.60.1.30\ns=barge camera\nc=IN IP4 239.69.1.1/15\na=ts-refclk:local\n\
                    m=video 5004 RTP/AVP 96\nc=IN IP4 239.69.1.2\na=rtpmap:96 raw/90000\n\
                    m=audio 5006 RTP/AVP 97\na=rtpmap:96 L16/44100/9\na=rtpmap:97 L24/48000\na=ts-refclk:ptp=x\n";
        let session = Session::parse(text.as_bytes()).unwrap();
        let [video, audio] = &session.media[..] else { panic!("{session:?}") };
        assert_eq!((video.group, video.channels), (Some(Ipv4Addr::new(239, 69, 1, 2)), None));
        assert_eq!(video.clock.as_deref(), Some("local"));
        assert_eq!(
            (audio.group, audio.rate, audio.channels),
            (Some(Ipv4Addr::new(239, 69, 1, 1)), Some(48_000), Some(1))
        );
        assert_eq!(audio.clock.as_deref(), Some("ptp=x"));
    }

    #[test]
    fn nonsense_is_foreign_and_broken_lines_are_passed_over() {
        for bytes in [&b""[..], b"hello", b"m=audio 1 RTP/AVP 9", b"\xff\xfe"] {
            assert_eq!(Session::parse(bytes), Err(WireError::Foreign { layer: Layer::Sdp }));
        }
        let session = Session::parse(b"v=0\nm=audio x RTP/AVP 9\nm=audio\no=broken\nc=IN IP6 ::1\n").unwrap();
        assert_eq!(session, Session::default());
    }
}
