//! Envelopes: what is read from them by namespace and name, and what is answered.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use jiff::civil::DateTime;
use lantern_wire::MacAddress;
use quick_xml::NsReader;
use quick_xml::events::Event;
use quick_xml::name::ResolveResult;
use sha1::{Digest, Sha1};

use super::super::body::IpState;

const ENVELOPE: &str = "http://www.w3.org/2003/05/soap-envelope";
const DEVICE: &str = "http://www.onvif.org/ver10/device/wsdl";
const SCHEMA: &str = "http://www.onvif.org/ver10/schema";
const DISCOVERY: &str = "http://schemas.xmlsoap.org/ws/2005/04/discovery";
const ADDRESSING: &str = "http://schemas.xmlsoap.org/ws/2004/08/addressing";
const NETWORK: &str = "http://www.onvif.org/ver10/network/wsdl";
const SECURITY: &str = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd";
const UTILITY: &str = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-utility-1.0.xsd";

/// What it calls its interface.
pub(super) const INTERFACE: &str = "eth0";
/// Entities that grow a thousandfold with every line.
pub(super) const ENTITIES: &str = "<?xml version=\"1.0\"?><!DOCTYPE l [<!ENTITY a \"aaaaaaaaaa\"><!ENTITY b \"&a;&a;&a;&a;&a;\">\
    <!ENTITY c \"&b;&b;&b;&b;&b;\">]><Envelope><Body><R>&c;</R></Body></Envelope>";

/// A call.
#[derive(Debug, Default)]
pub(super) struct Call {
    pub(super) name: String,
    /// The texts in it, each with the name of what it stands in.
    pub(super) texts: Vec<(String, String)>,
    pub(super) credentials: Option<Credentials>,
}

/// Who calls.
#[derive(Debug, Default, Clone)]
pub(super) struct Credentials {
    user: String,
    digest: String,
    pub(super) nonce: String,
    pub(super) created: String,
}

/// A search.
pub(super) struct Search {
    pub(super) message: String,
    pub(super) is_for_sort: bool,
}

/// An element: its namespace, its name, its text and the names around it.
struct Element {
    space: String,
    name: String,
    text: String,
    around: Vec<String>,
}

/// Every element, in the order in which they begin.
fn elements(text: &str) -> Option<Vec<Element>> {
    let mut reader = NsReader::from_str(text);
    let (mut all, mut open): (Vec<Element>, Vec<usize>) = (Vec::new(), Vec::new());
    let mut names: Vec<String> = Vec::new();
    loop {
        let (space, event) = reader.read_resolved_event().ok()?;
        let space = match space {
            ResolveResult::Bound(space) => space.as_ref().to_owned(),
            _ => String::new(),
        };
        match event {
            Event::Start(tag) => {
                let name = tag.local_name().as_ref().to_owned();
                open.push(all.len());
                all.push(Element { space, name: name.clone(), text: String::new(), around: names.clone() });
                names.push(name);
            }
            Event::Empty(tag) => {
                let name = tag.local_name().as_ref().to_owned();
                all.push(Element { space, name, text: String::new(), around: names.clone() });
            }
            Event::End(_) => {
                open.pop()?;
                names.pop();
            }
            Event::Text(said) => {
                if let Some(index) = open.last() {
                    all[*index].text.push_str(said.trim());
                }
            }
            Event::GeneralRef(entity) => {
                let index = *open.last()?;
                all[index].text.push(match entity.as_ref() {
                    "amp" => '&',
                    "lt" => '<',
                    "gt" => '>',
                    "quot" => '"',
                    "apos" => '\'',
                    _ => return None,
                });
            }
            Event::Eof => return open.is_empty().then_some(all),
            _ => {}
        }
    }
}

/// The call in an envelope; `None` where something is in another namespace than it has to be.
pub(super) fn read(text: &str) -> Option<Call> {
    let all = elements(text)?;
    let mut call = Call::default();
    let mut credentials = Credentials::default();
    for Element { space, name, text, around } in all {
        let around: Vec<&str> = around.iter().map(String::as_str).collect();
        match (space.as_str(), name.as_str(), &around[..]) {
            (ENVELOPE, "Envelope", []) | (ENVELOPE, "Header" | "Body", ["Envelope"]) => {}
            (DEVICE, _, ["Envelope", "Body"]) => call.name = name,
            (DEVICE | SCHEMA, _, ["Envelope", "Body", ..]) => call.texts.push((name, text)),
            (SECURITY, "Username", ..) => credentials.user = text,
            (SECURITY, "Password", ..) => credentials.digest = text,
            (SECURITY, "Nonce", ..) => credentials.nonce = text,
            (UTILITY, "Created", ..) => credentials.created = text,
            (SECURITY, ..) => {}
            _ => return None,
        }
    }
    call.credentials = Some(credentials).filter(|one| !one.user.is_empty());
    (!call.name.is_empty()).then_some(call)
}

/// The search in an envelope.
pub(super) fn search(bytes: &[u8]) -> Option<Search> {
    let all = elements(std::str::from_utf8(bytes).ok()?)?;
    let of = |space: &str, name: &str| all.iter().find(|one| one.space == space && one.name == name);
    of(DISCOVERY, "Probe")?;
    let types = of(DISCOVERY, "Types").map(|one| one.text.clone()).unwrap_or_default();
    let message = of(ADDRESSING, "MessageID")?.text.clone();
    let is_for_sort = !types.is_empty();
    (types.is_empty() || types.ends_with(":NetworkVideoTransmitter")).then_some(Search { message, is_for_sort })
}

impl Credentials {
    /// Whether the digest is that of this user and password.
    pub(super) fn prove(&self, user: &str, password: &str) -> bool {
        let Ok(nonce) = STANDARD.decode(&self.nonce) else { return false };
        let hash = Sha1::digest([&nonce, self.created.as_bytes(), password.as_bytes()].concat());
        self.user == user && self.digest == STANDARD.encode(hash)
    }
}

fn envelope(inside: &str) -> String {
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<env:Envelope xmlns:env=\"{ENVELOPE}\" xmlns:d=\"{DEVICE}\" xmlns:t=\"{SCHEMA}\">\
         <env:Body>{inside}</env:Body></env:Envelope>"
    )
}

/// The answer to a call.
pub(super) fn reply(name: &str, inside: &str) -> String {
    envelope(&format!("<d:{name}Response>{inside}</d:{name}Response>"))
}

/// Why a call is not done.
pub(super) fn fault(code: &str, reason: &str) -> String {
    envelope(&format!(
        "<env:Fault><env:Code><env:Value>env:Sender</env:Value><env:Subcode>\
         <env:Value xmlns:ter=\"http://www.onvif.org/ver10/error\">ter:{code}</env:Value></env:Subcode></env:Code>\
         <env:Reason><env:Text xml:lang=\"en\">{reason}</env:Text></env:Reason></env:Fault>"
    ))
}

/// A message of WS-Discovery; `about` is the search that it answers.
pub(super) fn discovery(what: &str, inside: &str, about: Option<&str>, number: u32) -> String {
    let relates = about.map(|message| format!("<a:RelatesTo>{message}</a:RelatesTo>")).unwrap_or_default();
    let inside = if what == "ProbeMatch" {
        format!("<w:ProbeMatches>{inside}</w:ProbeMatches>")
    } else {
        inside.to_owned()
    };
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?><env:Envelope xmlns:env=\"{ENVELOPE}\" xmlns:a=\"{ADDRESSING}\" \
         xmlns:w=\"{DISCOVERY}\" xmlns:n=\"{NETWORK}\" xmlns:t=\"{DEVICE}\"><env:Header>\
         <a:MessageID>urn:uuid:4d4f0000-0000-4000-9000-{number:012x}</a:MessageID>{relates}\
         <a:Action>{DISCOVERY}/{what}</a:Action></env:Header><env:Body>{inside}</env:Body></env:Envelope>"
    )
}

/// What a clock shows.
pub(super) fn date(at: DateTime) -> String {
    format!(
        "<d:SystemDateAndTime><t:DateTimeType>Manual</t:DateTimeType><t:DaylightSavings>false</t:DaylightSavings>\
         <t:UTCDateTime><t:Time><t:Hour>{}</t:Hour><t:Minute>{}</t:Minute><t:Second>{}</t:Second></t:Time>\
         <t:Date><t:Year>{}</t:Year><t:Month>{}</t:Month><t:Day>{}</t:Day></t:Date></t:UTCDateTime></d:SystemDateAndTime>",
        at.hour(),
        at.minute(),
        at.second(),
        at.year(),
        at.month(),
        at.day()
    )
}

/// Its one interface.
pub(super) fn interface(mac: MacAddress, ip: IpState) -> String {
    let prefix = ip.mask.to_bits().leading_ones();
    let place = format!("<t:Address>{}</t:Address><t:PrefixLength>{prefix}</t:PrefixLength>", ip.address);
    let place = match (ip.dhcp, ip.address.is_link_local()) {
        (false, _) => format!("<t:Manual>{place}</t:Manual>"),
        (true, false) => format!("<t:FromDHCP>{place}</t:FromDHCP>"),
        (true, true) => format!("<t:LinkLocal>{place}</t:LinkLocal>"),
    };
    format!(
        "<d:NetworkInterfaces token=\"{INTERFACE}\"><t:Enabled>true</t:Enabled><t:Info><t:Name>eth0</t:Name>\
         <t:HwAddress>{mac}</t:HwAddress><t:MTU>1500</t:MTU></t:Info><t:IPv4><t:Enabled>true</t:Enabled><t:Config>{place}\
         <t:DHCP>{}</t:DHCP></t:Config></t:IPv4></d:NetworkInterfaces>",
        ip.dhcp
    )
}
