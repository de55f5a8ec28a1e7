//! A node of NMOS: it tells what it sends, receives and maps (IS-04), and lets itself be patched (IS-05, IS-08), by JSON over HTTP.
//!
//! Written from the published descriptions alone: what a client leaves out that has to be there is not understood here.

mod end;
mod mapping;
mod registry;
mod resources;
mod setup;

use std::collections::{BTreeMap, VecDeque};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::MacAddress;
use serde_json::{Value, json};

use super::body::Body;
use super::http::{self, Request};
use super::{DeviceSetup, Linked, Role, Utterance};

use end::{Answer, End, fault};
use mapping::Routes;
use resources::LISTS;

pub(super) use registry::Registry;
pub use setup::{NmosQuirk, NmosSetup, RegistryQuirk, RegistrySetup};

/// How late one answers that is slow.
const LATE: Duration = Duration::from_millis(700);
const JSON: &str = "application/json";

/// What a sender, a receiver or an output of a channel map really is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PatchTruth {
    /// What it is called.
    pub label: String,
    /// Its identifier.
    pub id: String,
    /// Whether it sends, or receives.
    pub enabled: bool,
    /// Of a receiver, from whom.
    pub sender: Option<String>,
    /// Where each leg goes to or comes from.
    pub legs: Vec<Option<SocketAddrV4>>,
    /// Of an output, where each channel comes from: an input, and its channel from 0.
    pub channels: Vec<Option<(String, usize)>>,
}

#[derive(Debug)]
pub(super) struct Nmos {
    setup: NmosSetup,
    mac: MacAddress,
    host_name: String,
    ends: Vec<End>,
    maps: Vec<Routes>,
    links: BTreeMap<u64, Vec<u8>>,
    waiting: VecDeque<(Duration, u64, Linked)>,
    linked: VecDeque<(u64, Linked)>,
}

/// The identifier of the `nth` thing of this sort.
fn id(mac: MacAddress, sort: &str, nth: usize) -> String {
    format!("a8d1d2a{sort}-{nth:04x}-4000-8000-{}", mac.to_string().replace(':', ""))
}

impl Nmos {
    pub(super) fn new(device: &DeviceSetup, setup: &NmosSetup) -> Self {
        let [a, b, c, d, e, _] = device.mac.0;
        let mac = if setup.has(NmosQuirk::Cloned) { MacAddress([a, b, c, d, e, 1]) } else { device.mac };
        let sender = |(nth, sender): (usize, &setup::SenderSetup)| {
            let legs: Vec<_> = sender.to.iter().copied().map(Some).collect();
            End::new(id(mac, "2", nth), &sender.label, &sender.format, false, &legs, sender.enabled)
        };
        let receiver = |(nth, receiver): (usize, &setup::ReceiverSetup)| {
            let legs: Vec<_> = (0..receiver.legs).map(|leg| receiver.from.get(leg).copied()).collect();
            End::new(id(mac, "3", nth), &receiver.label, &receiver.format, true, &legs, !receiver.from.is_empty())
        };
        let senders = setup.senders.iter().enumerate().map(sender);
        let receivers = setup.receivers.iter().enumerate().map(receiver);
        Self {
            ends: senders.chain(receivers).collect(),
            maps: setup.outputs.iter().map(mapping::routes).collect(),
            setup: setup.clone(),
            mac,
            host_name: device.name.clone(),
            links: BTreeMap::new(),
            waiting: VecDeque::new(),
            linked: VecDeque::new(),
        }
    }

    fn id(&self, sort: &str, nth: usize) -> String {
        id(self.mac, sort, nth)
    }

    fn ends(&self, receives: bool) -> impl Iterator<Item = (usize, &End)> {
        self.ends.iter().filter(move |end| end.receives == receives).enumerate()
    }

    fn answer(&mut self, now: Duration, own: Ipv4Addr, request: &Request) -> Answer {
        let parts: Vec<&str> = request.path.split('/').filter(|part| !part.is_empty()).collect();
        let versions = |all: &[String]| json!(all.iter().map(|version| format!("{version}/")).collect::<Vec<_>>());
        let setup = self.setup.clone();
        match (request.method.as_str(), &parts[..]) {
            ("GET", ["x-nmos", "node"]) => (200, versions(&setup.versions)),
            ("GET", ["x-nmos", "node", version, rest @ ..]) if setup.versions.iter().any(|one| one == version) => {
                let found = match rest {
                    [name] => self.resource(name, own),
                    // One of a list by itself.
                    [name, id] if LISTS.contains(name) => {
                        let all = self.resource(name, own);
                        all.and_then(|all| all.as_array()?.iter().find(|one| one["id"] == *id).cloned())
                    }
                    _ => None,
                };
                found.map_or_else(|| fault(404, "Not Found"), |found| (200, found))
            }
            _ if setup.has(NmosQuirk::Fails) => fault(500, "It broke"),
            ("GET", ["x-nmos", "connection"]) => (200, versions(&setup.patch_versions)),
            (method, ["x-nmos", "connection", version, "single", sort, id, what])
                if setup.patch_versions.iter().any(|one| one == version) =>
            {
                let id = id.to_ascii_lowercase();
                let receives = *sort == "receivers";
                let end = self.ends.iter_mut().find(|end| end.receives == receives && end.id == id);
                let Some(end) = end.filter(|_| matches!(*sort, "senders" | "receivers")) else {
                    return fault(404, "Not Found");
                };
                let has = |quirk| setup.has(quirk);
                match (method, *what) {
                    ("GET", "active") => (200, end.told(own, true)),
                    ("GET", "staged") => (200, end.told(own, false)),
                    ("PATCH", "staged") => end.patch(now, setup.takes, own, &request.body, &has),
                    _ => fault(405, "Method Not Allowed"),
                }
            }
            (method, ["x-nmos", "channelmapping", "v1.0", rest @ ..]) => match (method, rest) {
                ("GET", ["io"]) => (200, mapping::io(&setup.inputs, &setup.outputs)),
                ("GET", ["map", "active"]) => (200, mapping::active(&setup.outputs, &self.maps)),
                ("POST", ["map", "activations"]) => {
                    let has = |quirk| setup.has(quirk);
                    mapping::activate(&request.body, &setup.inputs, &setup.outputs, &mut self.maps, &has)
                }
                _ => fault(404, "Not Found"),
            },
            _ => fault(404, "Not Found"),
        }
    }

    /// What a sender sends, as it describes it: where its path leads there.
    fn description(&self, own: Ipv4Addr, request: &Request) -> Option<String> {
        let rest = request.path.split_once("/single/senders/")?.1;
        let id = rest.strip_suffix("/transportfile").or_else(|| rest.strip_suffix("/transportfile/"))?;
        let (nth, end) = self.ends(false).find(|(_, end)| end.id == id)?;
        let described = end.active.enabled && !self.setup.has(NmosQuirk::NoFile);
        let sender = self.setup.senders.get(nth).filter(|_| described)?;
        let (bits, samples, channels) = (sender.bits, sender.samples, sender.channels.len().max(1));
        let leg = |leg: &end::Leg| {
            Some(format!(
                "m=audio {} RTP/AVP 97\r\nc=IN IP4 {}/32\r\na=rtpmap:97 L{bits}/{samples}/{channels}\r\na=ptime:1\r\n",
                leg.port?, leg.group?
            ))
        };
        let legs: String = end.active.legs.iter().filter_map(leg).collect();
        Some(format!("v=0\r\no=- {nth} 1 IN IP4 {own}\r\ns={}\r\nt=0 0\r\n{legs}", end.label))
    }

    fn page(&mut self, now: Duration, own: Ipv4Addr, request: &Request) -> Vec<u8> {
        let has = |quirk| self.setup.has(quirk);
        if has(NmosQuirk::Redirects) {
            return http::answer(302, "Found", JSON, &["Location: http://192.168.1.1/x-nmos/node/"], "");
        }
        if has(NmosQuirk::Closed) {
            return http::answer(
                401,
                "Unauthorized",
                JSON,
                &["WWW-Authenticate: Bearer realm=\"x\""],
                "{\"code\":401,\"error\":\"Unauthorized\"}",
            );
        }
        if has(NmosQuirk::Binary) {
            return http::answer(200, "OK", JSON, &[], "\u{1}\u{2}\u{1b}[2J{{{");
        }
        if has(NmosQuirk::Deep) {
            return http::answer(200, "OK", JSON, &[], &"[".repeat(100_000));
        }
        if request.method == "GET" && request.path.contains("/transportfile") && !has(NmosQuirk::Fails) {
            return match self.description(own, request) {
                Some(text) => http::answer(200, "OK", "application/sdp", &[], &text),
                None => http::answer(
                    404,
                    "Not Found",
                    JSON,
                    &[],
                    "{\"code\":404,\"error\":\"Not Found\",\"debug\":null}",
                ),
            };
        }
        let (code, body) = self.answer(now, own, request);
        let word = match code {
            200 => "OK",
            202 => "Accepted",
            423 => "Locked",
            _ => "Error",
        };
        http::answer(code, word, JSON, &[], &Value::to_string(&body))
    }
}

impl Role for Nmos {
    fn link_port(&self) -> Option<u16> {
        Some(self.setup.port)
    }

    fn patches(&self) -> Vec<PatchTruth> {
        let end = |end: &End| PatchTruth {
            label: end.label.clone(),
            id: end.id.clone(),
            enabled: end.active.enabled,
            sender: end.active.sender.clone(),
            legs: end.active.legs.iter().map(|leg| Some(SocketAddrV4::new(leg.group?, leg.port?))).collect(),
            channels: Vec::new(),
        };
        let map = |(output, routes): (&setup::ChannelsSetup, &Routes)| PatchTruth {
            label: output.label.clone(),
            id: output.id.clone(),
            enabled: true,
            sender: None,
            legs: Vec::new(),
            channels: routes.clone(),
        };
        self.ends.iter().map(end).chain(self.setup.outputs.iter().zip(&self.maps).map(map)).collect()
    }

    fn opened(&mut self, _: Duration, link: u64) {
        self.links.insert(link, Vec::new());
    }

    fn heard_on(&mut self, now: Duration, body: &mut Body, link: u64, bytes: &[u8]) {
        let Some(heard) = self.links.get_mut(&link) else { return };
        heard.extend_from_slice(bytes);
        if self.setup.has(NmosQuirk::NeverAnswers) {
            return;
        }
        let Some(request) = Request::read(heard) else { return };
        self.links.remove(&link);
        if self.setup.has(NmosQuirk::Endless) {
            let page = format!("HTTP/1.1 200 OK\r\n\r\n[{}", "{\"id\":\"a\"},".repeat(300_000));
            self.linked.push_back((link, Linked::Bytes(page.into_bytes())));
            self.links.insert(link, Vec::new());
            return;
        }
        let page = self.page(now, body.ip.address, &request);
        let parts = [Linked::Bytes(page), Linked::Close].map(|part| (link, part));
        if self.setup.has(NmosQuirk::AnswersLate) {
            self.waiting.extend(parts.map(|(link, part)| (now + LATE, link, part)));
        } else {
            self.linked.extend(parts);
        }
    }

    fn closed(&mut self, link: u64) {
        self.links.remove(&link);
    }

    fn next_linked(&mut self) -> Option<(u64, Linked)> {
        self.linked.pop_front()
    }

    fn lose_power(&mut self, _: &mut Body) {
        self.links.clear();
    }

    fn wake_at(&self) -> Option<Duration> {
        let later = self.ends.iter().filter_map(|end| end.later.as_ref().map(|(at, _)| *at));
        later.chain(self.waiting.front().map(|(at, ..)| *at)).min()
    }

    fn wake(&mut self, now: Duration, _: &mut Body) {
        self.ends.iter_mut().for_each(|end| end.wake(now));
        while self.waiting.front().is_some_and(|(at, ..)| *at <= now) {
            self.linked.extend(self.waiting.pop_front().map(|(_, link, said)| (link, said)));
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        None
    }
}
