//! A camera or decoder of ONVIF: it answers searches (WS-Discovery), and lets itself be read and set by SOAP over HTTP.
//!
//! Written from the published descriptions alone, namespaces and all: what a client writes carelessly is not understood here.

mod digest;
mod setup;
mod soap;

use std::collections::{BTreeMap, BTreeSet, VecDeque};
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use jiff::SignedDuration;
use jiff::civil::DateTime;

use super::body::{Body, IpState};
use super::http::{self, Request};
use super::{DeviceSetup, Linked, Role, Utterance};
use crate::{Destination, Speech};

use soap::{Call, Credentials};

pub use setup::{OnvifQuirk, OnvifSetup};

const SEARCH_PORT: u16 = 3702;
const SEARCH_GROUP: Ipv4Addr = Ipv4Addr::new(239, 255, 255, 250);
/// How long after its answer it changes its address, or starts anew.
const AFTER_ANSWER: Duration = Duration::from_millis(60);
/// How late one answers that is slow.
const LATE: Duration = Duration::from_millis(700);
/// How far the moment of a digest may be from its own clock, in seconds.
const TOLERANCE: i64 = 60;
const SCOPE: &str = "onvif://www.onvif.org/";

#[derive(Debug)]
pub(super) struct Onvif {
    setup: OnvifSetup,
    endpoint: String,
    /// Its scopes that can be changed.
    scopes: Vec<String>,
    /// What its address is to be when it starts anew.
    pending: Option<IpState>,
    /// When it takes which address.
    becomes: Option<(Duration, IpState)>,
    nonces: BTreeSet<String>,
    links: BTreeMap<u64, Vec<u8>>,
    waiting: VecDeque<(Duration, u64, Linked)>,
    linked: VecDeque<(u64, Linked)>,
    said: VecDeque<Utterance>,
    messages: u32,
}

impl Onvif {
    pub(super) fn new(device: &DeviceSetup, setup: &OnvifSetup) -> Self {
        let mac = device.mac.to_string().replace(':', "");
        let about = |topic: &str, text: &str| (!text.is_empty()).then(|| scope(topic, text));
        let fixed_name = setup.quirks.contains(&OnvifQuirk::FixedName);
        let name = about("name", &setup.name).filter(|_| !fixed_name);
        Self {
            setup: setup.clone(),
            endpoint: format!("urn:uuid:4d4f0000-0000-4000-8000-{mac}"),
            scopes: name.into_iter().chain(about("location", &setup.location)).collect(),
            pending: None,
            becomes: None,
            nonces: BTreeSet::new(),
            links: BTreeMap::new(),
            waiting: VecDeque::new(),
            linked: VecDeque::new(),
            said: VecDeque::new(),
            messages: 0,
        }
    }

    fn has(&self, quirk: OnvifQuirk) -> bool {
        self.setup.quirks.contains(&quirk)
    }

    /// Its clock shows this now.
    fn clock(&self, now: Duration) -> DateTime {
        let passed = SignedDuration::try_from(now).unwrap_or(SignedDuration::MAX);
        self.setup.clock.saturating_add(passed)
    }

    /// Those that nobody can change.
    fn fixed_scopes(&self) -> Vec<String> {
        let mut all = vec![format!("{SCOPE}type/video_encoder"), scope("hardware", &self.setup.model)];
        if self.has(OnvifQuirk::FixedName) {
            all.push(scope("name", &self.setup.name));
        }
        all
    }

    fn say_here(&mut self, to: Destination, body: &Body, what: &str, about: Option<&str>) {
        self.messages += 1;
        let address =
            if self.has(OnvifQuirk::StatesFarAddress) { Ipv4Addr::new(192, 168, 1, 64) } else { body.ip.address };
        let inside = format!(
            "<w:{what}><a:EndpointReference><a:Address>{}</a:Address></a:EndpointReference>\
             <w:Types>n:NetworkVideoTransmitter t:Device</w:Types><w:Scopes>{}</w:Scopes>\
             <w:XAddrs>http://{address}:{}/onvif/device_service</w:XAddrs>\
             <w:MetadataVersion>1</w:MetadataVersion></w:{what}>",
            self.endpoint,
            [self.fixed_scopes(), self.scopes.clone()].concat().join(" "),
            self.setup.port
        );
        let bytes = soap::discovery(what, &inside, about, self.messages).into_bytes();
        self.said.push_back(Utterance::Speech(Speech { port: SEARCH_PORT, to, bytes }));
    }

    /// What is answered to a call, or the code and reason of a fault.
    fn call(
        &mut self,
        now: Duration,
        body: &mut Body,
        call: &Call,
    ) -> Result<String, (&'static str, &'static str)> {
        let text = |name: &str| call.texts.iter().find(|(own, _)| own == name).map(|(_, text)| text.clone());
        match call.name.as_str() {
            "GetSystemDateAndTime" => Ok(soap::date(self.clock(now))),
            "GetDeviceInformation" => Ok(format!(
                "<d:Manufacturer>{}</d:Manufacturer><d:Model>{}</d:Model><d:FirmwareVersion>3.1.4</d:FirmwareVersion>\
                 <d:SerialNumber>{}</d:SerialNumber><d:HardwareId>1</d:HardwareId>",
                self.setup.maker,
                self.setup.model,
                if self.has(OnvifQuirk::StatesNothing) {
                    String::new()
                } else {
                    format!("T{}", body.mac.to_string().replace(':', ""))
                }
            )),
            "GetNetworkInterfaces" => {
                let mut mac = body.mac;
                if self.has(OnvifQuirk::StatesOtherMac) {
                    mac.0[5] ^= 0x80;
                }
                let interface = soap::interface(mac, body.ip);
                let stated = format!("<t:HwAddress>{mac}</t:HwAddress>");
                Ok(if self.has(OnvifQuirk::StatesNothing) { interface.replace(&stated, "") } else { interface })
            }
            "GetNetworkDefaultGateway" => Ok(if body.ip.gateway.is_unspecified() {
                "<d:NetworkGateway/>".to_owned()
            } else {
                let gateway = body.ip.gateway;
                format!("<d:NetworkGateway><t:IPv4Address>{gateway}</t:IPv4Address></d:NetworkGateway>")
            }),
            "GetHostname" if self.has(OnvifQuirk::NoHostName) => {
                Err(("ActionNotSupported", "Optional action not implemented"))
            }
            "GetHostname" => Ok(format!(
                "<d:HostnameInformation><t:FromDHCP>false</t:FromDHCP><t:Name>{}</t:Name></d:HostnameInformation>",
                body.names.host_name
            )),
            "GetScopes" => {
                let one = |sort: &str, scope: &String| {
                    format!(
                        "<d:Scopes><t:ScopeDef>{sort}</t:ScopeDef><t:ScopeItem>{scope}</t:ScopeItem></d:Scopes>"
                    )
                };
                let fixed: String = self.fixed_scopes().iter().map(|scope| one("Fixed", scope)).collect();
                let own: String = self.scopes.iter().map(|scope| one("Configurable", scope)).collect();
                Ok(fixed + &own)
            }
            "SetScopes" => {
                let wanted: Vec<String> =
                    call.texts.iter().filter(|(name, _)| name == "Scopes").map(|(_, text)| text.clone()).collect();
                self.set_scopes(wanted)
            }
            "SetHostname" => {
                body.names.host_name = text("Name").ok_or(("InvalidArgVal", "No name"))?;
                Ok(String::new())
            }
            "SetNetworkDefaultGateway" => {
                let gateway = match text("IPv4Address") {
                    Some(text) => text.parse().map_err(|_| ("InvalidIPv4Address", "Not an address"))?,
                    None => Ipv4Addr::UNSPECIFIED,
                };
                let ip = self.pending.unwrap_or(body.ip);
                let mask = ip.mask.to_bits();
                let is_far = gateway.to_bits() & mask != ip.address.to_bits() & mask;
                if is_far && !gateway.is_unspecified() && self.has(OnvifQuirk::RefusesFarGateway) {
                    return Err(("InvalidIPv4Address", "Gateway is not reachable"));
                }
                body.ip.gateway = gateway;
                let to_come = self.pending.iter_mut().chain(self.becomes.iter_mut().map(|(_, ip)| ip));
                to_come.for_each(|ip| ip.gateway = gateway);
                Ok(String::new())
            }
            "SetNetworkInterfaces" => self.set_interface(now, body, &text),
            "SystemReboot" => {
                let ip = self.pending.take().unwrap_or(body.ip);
                self.becomes = Some((now + AFTER_ANSWER, ip));
                Ok("<d:Message>Starting anew</d:Message>".to_owned())
            }
            _ => Err(("ActionNotSupported", "Unknown action")),
        }
    }

    fn set_scopes(&mut self, mut wanted: Vec<String>) -> Result<String, (&'static str, &'static str)> {
        let is_name = |scope: &String| scope.starts_with(&format!("{SCOPE}name/"));
        if self.has(OnvifQuirk::FixedName) && wanted.iter().any(is_name) {
            return Err(("ScopeOverwrite", "Scope parameter overwrites fixed device scope setting"));
        }
        if self.has(OnvifQuirk::IgnoresName) {
            return Ok(String::new());
        }
        if self.has(OnvifQuirk::CutsNames) {
            for scope in wanted.iter_mut().filter(|scope| is_name(scope)) {
                scope.truncate(SCOPE.len() + "name/".len() + 8);
            }
        }
        self.scopes = wanted;
        Ok(String::new())
    }

    fn set_interface(
        &mut self,
        now: Duration,
        body: &mut Body,
        text: &dyn Fn(&str) -> Option<String>,
    ) -> Result<String, (&'static str, &'static str)> {
        if text("InterfaceToken").as_deref() != Some(soap::INTERFACE) {
            return Err(("InvalidNetworkInterface", "No such interface"));
        }
        let dhcp = text("DHCP").as_deref() == Some("true");
        let mut ip = IpState { dhcp, ..body.ip };
        if let Some(address) = text("Address") {
            ip.address = address.parse().map_err(|_| ("InvalidIPv4Address", "Not an address"))?;
            let prefix: u32 = text("PrefixLength").and_then(|text| text.parse().ok()).unwrap_or(99);
            let host = 32_u32.checked_sub(prefix).ok_or(("InvalidArgVal", "Not a prefix"))?;
            ip.mask = Ipv4Addr::from_bits(u32::MAX.checked_shl(host).unwrap_or(0));
        } else if !dhcp {
            return Err(("InvalidArgVal", "Neither an address nor DHCP"));
        }
        if self.has(OnvifQuirk::ComesUpElsewhere) {
            ip.address = Ipv4Addr::from_bits(ip.address.to_bits() + 1);
        }
        if self.has(OnvifQuirk::LosesGateway) {
            ip.gateway = Ipv4Addr::UNSPECIFIED;
        }
        let needs_restart = self.has(OnvifQuirk::NeedsRestart);
        if self.has(OnvifQuirk::IgnoresAddress) {
        } else if needs_restart {
            self.pending = Some(ip);
        } else if self.has(OnvifQuirk::MovesBeforeAnswering) {
            body.change(now + self.setup.restart, ip);
        } else {
            self.becomes = Some((now + AFTER_ANSWER, ip));
        }
        Ok(format!("<d:RebootNeeded>{needs_restart}</d:RebootNeeded>"))
    }

    /// Whether whoever calls is let in, and why not.
    fn lets_in(&mut self, now: Duration, request: &Request, call: &Call) -> bool {
        let Some(user) = self.setup.user.clone() else { return true };
        // What the time is everybody may know (core specification, section 5.9.4.4).
        if call.name == "GetSystemDateAndTime" && !self.has(OnvifQuirk::DigestInRequest) {
            return true;
        }
        if self.has(OnvifQuirk::DigestInRequest) {
            return digest::proves(request, &user, &self.setup.password);
        }
        let clock = self.clock(now);
        let Some(credentials) = &call.credentials else { return false };
        let Credentials { nonce, created, .. } = credentials;
        let is_now = DateTime::strptime("%Y-%m-%dT%H:%M:%SZ", created)
            .is_ok_and(|at| clock.duration_since(at).as_secs().abs() <= TOLERANCE);
        is_now && self.nonces.insert(nonce.clone()) && credentials.prove(&user, &self.setup.password)
    }

    fn serve(&mut self, now: Duration, body: &mut Body, link: u64, request: &Request) {
        let known = request.method == "POST" && request.path == "/onvif/device_service";
        let page = if self.has(OnvifQuirk::Redirects) {
            answer(302, "Found", &["Location: http://192.168.1.1/onvif/device_service"], "")
        } else if self.has(OnvifQuirk::Fails) {
            answer(500, "Internal Server Error", &[], "it broke")
        } else if self.has(OnvifQuirk::Entities) {
            answer(200, "OK", &[], soap::ENTITIES)
        } else if !known {
            answer(404, "Not Found", &[], "nothing here")
        } else {
            match soap::read(&request.body) {
                None => answer(400, "Bad Request", &[], &soap::fault("WellFormed", "This is no call")),
                Some(call) if !self.lets_in(now, request, &call) => {
                    if self.has(OnvifQuirk::DigestInRequest) {
                        let digest = digest::challenge(self.messages);
                        answer(401, "Unauthorized", &["WWW-Authenticate: Basic realm=\"x\"", &digest], "")
                    } else {
                        answer(400, "Bad Request", &[], &soap::fault("NotAuthorized", "Sender not authorized"))
                    }
                }
                Some(call) => match self.call(now, body, &call) {
                    Ok(inside) => answer(200, "OK", &[], &soap::reply(&call.name, &inside)),
                    Err((code, reason)) => answer(400, "Bad Request", &[], &soap::fault(code, reason)),
                },
            }
        };
        if self.has(OnvifQuirk::MovesBeforeAnswering) && body.is_away() {
            self.linked.push_back((link, Linked::Close));
            return;
        }
        let parts = [Linked::Bytes(page), Linked::Close].map(|part| (link, part));
        if self.has(OnvifQuirk::AnswersLate) {
            self.waiting.extend(parts.map(|(link, part)| (now + LATE, link, part)));
        } else {
            self.linked.extend(parts);
        }
    }
}

impl Role for Onvif {
    fn port(&self) -> Option<u16> {
        Some(SEARCH_PORT)
    }

    fn group(&self) -> Option<Ipv4Addr> {
        Some(SEARCH_GROUP)
    }

    fn link_port(&self) -> Option<u16> {
        Some(self.setup.port)
    }

    fn scopes(&self) -> Vec<String> {
        [self.fixed_scopes(), self.scopes.clone()].concat()
    }

    fn hear(&mut self, _: Duration, body: &mut Body, from: SocketAddrV4, bytes: &[u8]) {
        let Some(search) = soap::search(bytes) else { return };
        let turned_away = match search.is_for_sort {
            true => self.has(OnvifQuirk::OnlyByNone),
            false => self.has(OnvifQuirk::OnlyBySort),
        };
        if !turned_away {
            self.say_here(Destination::One(from), body, "ProbeMatch", Some(&search.message));
        }
    }

    fn opened(&mut self, _: Duration, link: u64) {
        self.links.insert(link, Vec::new());
    }

    fn heard_on(&mut self, now: Duration, body: &mut Body, link: u64, bytes: &[u8]) {
        let Some(heard) = self.links.get_mut(&link) else { return };
        heard.extend_from_slice(bytes);
        if self.setup.quirks.contains(&OnvifQuirk::NeverAnswers) {
            return;
        }
        let Some(request) = Request::read(heard) else { return };
        self.links.remove(&link);
        if self.has(OnvifQuirk::Endless) {
            let page = format!("HTTP/1.1 200 OK\r\n\r\n<a>{}", "<b>".repeat(40_000));
            self.linked.push_back((link, Linked::Bytes(page.into_bytes())));
            self.links.insert(link, Vec::new());
            return;
        }
        self.serve(now, body, link, &request);
    }

    fn closed(&mut self, link: u64) {
        self.links.remove(&link);
    }

    fn next_linked(&mut self) -> Option<(u64, Linked)> {
        self.linked.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        let becomes = self.becomes.map(|(at, _)| at);
        becomes.into_iter().chain(self.waiting.front().map(|(at, ..)| *at)).min()
    }

    fn wake(&mut self, now: Duration, body: &mut Body) {
        while self.waiting.front().is_some_and(|(at, ..)| *at <= now) {
            self.linked.extend(self.waiting.pop_front().map(|(_, link, said)| (link, said)));
        }
        if let Some((_, ip)) = self.becomes.take_if(|(at, _)| *at <= now) {
            let never = Duration::from_secs(1 << 40);
            let dies = self.has(OnvifQuirk::DiesOfMoving);
            body.change(if dies { never } else { now + self.setup.restart }, ip);
            self.links.clear();
        }
    }

    fn next(&mut self) -> Option<Utterance> {
        self.said.pop_front()
    }
}

/// A scope that says this: what is no letter, digit or `-._~` as percent and two digits.
fn scope(topic: &str, text: &str) -> String {
    let coded: String = text
        .bytes()
        .map(|byte| match byte {
            b'-' | b'.' | b'_' | b'~' => char::from(byte).to_string(),
            _ if byte.is_ascii_alphanumeric() => char::from(byte).to_string(),
            _ => format!("%{byte:02X}"),
        })
        .collect();
    format!("{SCOPE}{topic}/{coded}")
}

fn answer(code: u16, word: &str, fields: &[&str], body: &str) -> Vec<u8> {
    http::answer(code, word, "application/soap+xml; charset=utf-8", fields, body)
}
