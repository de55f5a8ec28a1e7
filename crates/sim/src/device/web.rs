//! A device with a web page (RFC 9112), and nothing behind it.

use std::collections::{BTreeMap, VecDeque};
use std::time::Duration;

use serde::Deserialize;

use super::body::Body;
use super::{Linked, Role, Utterance};

const PORT: u16 = 80;
const END_OF_HEAD: &[u8] = b"\r\n\r\n";

/// A web page as a scene describes it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct WebSetup {
    /// What the page is called.
    pub title: String,
    /// The code it answers with.
    #[serde(default = "fine")]
    pub status: u16,
    /// Whether it takes connections and never answers.
    #[serde(default)]
    pub mute: bool,
}

const fn fine() -> u16 {
    200
}

#[derive(Debug)]
pub(super) struct Web {
    setup: WebSetup,
    heard: BTreeMap<u64, Vec<u8>>,
    linked: VecDeque<(u64, Linked)>,
}

impl Web {
    pub(super) fn new(setup: &WebSetup) -> Self {
        Self { setup: setup.clone(), heard: BTreeMap::new(), linked: VecDeque::new() }
    }
}

impl Role for Web {
    fn link_port(&self) -> Option<u16> {
        Some(PORT)
    }

    fn opened(&mut self, _: Duration, link: u64) {
        self.heard.insert(link, Vec::new());
    }

    fn heard_on(&mut self, _: Duration, _: &mut Body, link: u64, bytes: &[u8]) {
        let Some(heard) = self.heard.get_mut(&link) else { return };
        heard.extend_from_slice(bytes);
        let whole = heard.windows(END_OF_HEAD.len()).any(|part| part == END_OF_HEAD);
        if !whole || self.setup.mute {
            return;
        }
        let page = format!("<html><head><title>{}</title></head><body></body></html>", self.setup.title);
        let head = format!(
            "HTTP/1.1 {} Told\r\nContent-Type: text/html\r\nContent-Length: {}\r\nConnection: close\r\n\r\n",
            self.setup.status,
            page.len()
        );
        self.linked.push_back((link, Linked::Bytes([head, page].concat().into_bytes())));
        self.linked.push_back((link, Linked::Close));
    }

    fn closed(&mut self, link: u64) {
        self.heard.remove(&link);
    }

    fn next_linked(&mut self) -> Option<(u64, Linked)> {
        self.linked.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        None
    }

    fn wake(&mut self, _: Duration, _: &mut Body) {}

    fn next(&mut self) -> Option<Utterance> {
        None
    }
}
