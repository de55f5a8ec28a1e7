//! Streams of sound and picture that somebody announces.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::sdp::{Media, Session};
use serde::{Deserialize, Serialize};

use crate::{Said, as_text};

/// A stream.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stream {
    /// What its session is called.
    pub session: Said,
    /// The address of the device that made the session.
    pub sender: Ipv4Addr,
    /// The device's MAC address, where it announces itself and frames are seen.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// `audio`, `video`…
    pub kind: Said,
    /// The group, or address, it is sent to.
    pub group: Option<Ipv4Addr>,
    /// The UDP port.
    pub port: u16,
    /// The encoding.
    pub encoding: Option<Said>,
    /// Clock rate in hertz.
    pub rate: Option<u32>,
    /// How many channels.
    pub channels: Option<u16>,
    /// The clock it follows.
    pub clock: Option<Said>,
    /// Whether it was said to be over.
    pub over: bool,
    /// When it was last announced.
    #[serde(rename = "last_heard_ms", with = "crate::as_millis")]
    pub last_heard: Duration,
}

/// All announcements, by who announced and its mark.
#[derive(Debug, Clone, Default)]
pub(crate) struct Streams {
    known: BTreeMap<(Ipv4Addr, u16), Announcement>,
    overlooked: u64,
}

#[derive(Debug, Clone)]
struct Announcement {
    session: Session,
    from: (Ipv4Addr, Option<MacAddress>),
    over: bool,
    last: Duration,
}

impl Streams {
    const MOST: usize = 4096;

    pub(crate) fn announced(
        &mut self,
        at: Duration,
        from: (Ipv4Addr, Option<MacAddress>),
        key: (Ipv4Addr, u16),
        session: &Session,
    ) {
        if self.known.len() >= Self::MOST && !self.known.contains_key(&key) {
            self.overlooked += 1;
            return;
        }
        self.known.insert(key, Announcement { session: session.clone(), from, over: false, last: at });
    }

    pub(crate) fn withdrawn(&mut self, at: Duration, key: (Ipv4Addr, u16)) {
        if let Some(announcement) = self.known.get_mut(&key) {
            (announcement.over, announcement.last) = (true, at);
        }
    }

    pub(crate) fn sorted(&self) -> Vec<Stream> {
        let parts = |(key, announcement): (&(Ipv4Addr, u16), &Announcement)| {
            let sender = announcement.session.origin.map_or(key.0, |origin| origin.address);
            announcement.session.media.iter().map(|media| announcement.stream(sender, media)).collect::<Vec<_>>()
        };
        let mut all: Vec<Stream> = self.known.iter().flat_map(parts).collect();
        all.sort_by(|a, b| (a.sender, &a.session, a.group, a.port).cmp(&(b.sender, &b.session, b.group, b.port)));
        all
    }

    pub(crate) const fn overlooked(&self) -> u64 {
        self.overlooked
    }
}

impl Announcement {
    fn stream(&self, sender: Ipv4Addr, media: &Media) -> Stream {
        Stream {
            session: self.session.name.as_str().into(),
            sender,
            // Somebody may announce for others.
            mac: self.from.1.filter(|_| self.from.0 == sender),
            kind: media.kind.as_str().into(),
            group: media.group,
            port: media.port,
            encoding: media.encoding.as_deref().map(Said::from),
            rate: media.rate,
            channels: media.channels,
            clock: media.clock.as_deref().map(Said::from),
            over: self.over,
            last_heard: self.last,
        }
    }
}
