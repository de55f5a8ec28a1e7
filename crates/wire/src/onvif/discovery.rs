//! Who is there: searches, answers to them, and what is said unasked (WS-Discovery, April 2005; ONVIF core, section 7).

use std::net::{Ipv4Addr, SocketAddrV4};

use super::vocabulary::{ADDRESSING, DISCOVERY, ENVELOPE, EVERYBODY, NETWORK};
use super::{DEVICE_SERVICE, Scope};
use crate::xml::{Element, escaped};
use crate::{Layer, Place, WireError};

/// The most services and scopes looked at of one device.
const MOST: usize = 64;
/// The port of a service that names none.
const HTTP: u16 = 80;

/// A message of WS-Discovery.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Discovery {
    /// Somebody searches.
    Search,
    /// These are there: as an answer, or said unasked by one that came.
    Present(Vec<Present>),
    /// This one goes.
    Gone(String),
    /// Something else.
    Other,
}

/// Whom a search is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sort {
    /// Cameras and encoders.
    Transmitters,
    /// Everybody: decoders are among them, and other things than ONVIF.
    Everybody,
}

/// One that is there.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Present {
    /// How it is known again: `urn:uuid:…`.
    pub endpoint: String,
    /// What it is, without prefixes: `NetworkVideoTransmitter`.
    pub types: Vec<String>,
    /// What it tells of itself.
    pub scopes: Vec<Scope>,
    /// Where its services are, by addresses of IPv4.
    pub places: Vec<Place>,
}

impl Discovery {
    /// The search for these, under this identifier of the message.
    #[must_use]
    pub fn search(sort: Sort, message: &str) -> Vec<u8> {
        let types = match sort {
            Sort::Transmitters => {
                format!("<d:Types xmlns:dn=\"{NETWORK}\">dn:NetworkVideoTransmitter</d:Types>")
            }
            Sort::Everybody => String::new(),
        };
        format!(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\
             <s:Envelope xmlns:s=\"{ENVELOPE}\" xmlns:a=\"{ADDRESSING}\" xmlns:d=\"{DISCOVERY}\"><s:Header>\
             <a:Action s:mustUnderstand=\"1\">{DISCOVERY}/Probe</a:Action>\
             <a:MessageID>{}</a:MessageID>\
             <a:ReplyTo><a:Address>{ADDRESSING}/role/anonymous</a:Address></a:ReplyTo>\
             <a:To s:mustUnderstand=\"1\">{EVERYBODY}</a:To>\
             </s:Header><s:Body><d:Probe>{types}</d:Probe></s:Body></s:Envelope>",
            escaped(message)
        )
        .into_bytes()
    }

    /// Reads a datagram.
    ///
    /// # Errors
    /// When it is no envelope of SOAP.
    pub fn parse(bytes: &[u8]) -> Result<Self, WireError> {
        let envelope = Element::parse(bytes)?;
        let body = envelope.child("Body").filter(|_| envelope.name == "Envelope");
        let body = body.ok_or(WireError::Foreign { layer: Layer::Onvif })?;
        let Some(said) = body.inside.first() else { return Ok(Self::Other) };
        Ok(match said.name.as_str() {
            "Probe" | "Resolve" => Self::Search,
            "ProbeMatches" => Self::Present(said.children("ProbeMatch").take(MOST).map(Present::of).collect()),
            "ResolveMatches" => Self::Present(said.children("ResolveMatch").take(MOST).map(Present::of).collect()),
            "Hello" => Self::Present(vec![Present::of(said)]),
            "Bye" => Self::Gone(endpoint(said)),
            _ => Self::Other,
        })
    }
}

impl Present {
    fn of(element: &Element) -> Self {
        let words = |name| element.text_at(&[name]).unwrap_or_default().split_whitespace().take(MOST);
        let local = |word: &str| word.rsplit(':').next().unwrap_or_default().to_owned();
        Self {
            endpoint: endpoint(element),
            types: words("Types").map(local).collect(),
            scopes: words("Scopes").map(Scope::parse).collect(),
            places: words("XAddrs").filter_map(Place::parse).collect(),
        }
    }

    /// Whether it is of ONVIF: printers and computers answer searches too.
    #[must_use]
    pub fn is_onvif(&self) -> bool {
        self.scopes.iter().any(Scope::is_onvif)
            || self.types.iter().any(|kind| kind.starts_with("NetworkVideo") || kind == "NVT")
    }

    /// Where its device service is, for one that was heard from `from`: never at another address.
    #[must_use]
    pub fn service(&self, from: Ipv4Addr) -> Place {
        let own = self.places.iter().find(|place| *place.at.ip() == from);
        let place = own.or_else(|| self.places.first());
        let (port, path) = place.map_or((HTTP, DEVICE_SERVICE), |place| (place.at.port(), place.path.as_str()));
        Place { at: SocketAddrV4::new(from, port), path: path.to_owned() }
    }
}

fn endpoint(element: &Element) -> String {
    element.text_at(&["EndpointReference", "Address"]).unwrap_or_default().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    const MATCH: &str = "<?xml version=\"1.0\" encoding=\"utf-8\"?>\
        <SOAP-ENV:Envelope xmlns:SOAP-ENV=\"http://www.w3.org/2003/05/soap-envelope\"><SOAP-ENV:Header/><SOAP-ENV:Body>\
        <wsdd:ProbeMatches xmlns:wsdd=\"http://schemas.xmlsoap.org/ws/2005/04/discovery\"><wsdd:ProbeMatch>\
        <wsa:EndpointReference xmlns:wsa=\"http://schemas.xmlsoap.org/ws/2004/08/addressing\"><wsa:Address>urn:uuid:7</wsa:Address></wsa:EndpointReference>\
        <wsdd:Types>dn:NetworkVideoTransmitter tds:Device</wsdd:Types>\
        <wsdd:Scopes>onvif://www.onvif.org/name/Stage%20left onvif://www.onvif.org/location/Hall</wsdd:Scopes>\
        <wsdd:XAddrs>http://192.168.1.64/onvif/device_service http://10.40.7.1:8080/onvif/dev http://[fe80::1]/onvif</wsdd:XAddrs>\
        </wsdd:ProbeMatch></wsdd:ProbeMatches></SOAP-ENV:Body></SOAP-ENV:Envelope>";

    #[test]
    fn an_answer_tells_who_where_and_what() {
        let Ok(Discovery::Present(all)) = Discovery::parse(MATCH.as_bytes()) else { panic!() };
        let [one] = &all[..] else { panic!("{all:?}") };
        assert_eq!((one.endpoint.as_str(), one.types.len(), one.places.len()), ("urn:uuid:7", 2, 2));
        assert!(one.is_onvif());
        let place = |last| one.service(Ipv4Addr::new(10, 40, 7, last));
        assert_eq!((place(1).at.port(), place(1).path.as_str()), (8080, "/onvif/dev"));
        // What it states is of another network: where it spoke from counts.
        assert_eq!(place(2).at, "10.40.7.2:80".parse().unwrap());
    }

    #[test]
    fn a_search_is_read_as_one_and_others_say_nothing() {
        for sort in [Sort::Transmitters, Sort::Everybody] {
            assert_eq!(Discovery::parse(&Discovery::search(sort, "urn:uuid:1")), Ok(Discovery::Search));
        }
        let wrapped = |body: &str| format!("<Envelope><Body>{body}</Body></Envelope>");
        let bye = "<Bye><EndpointReference><Address>urn:uuid:9</Address></EndpointReference></Bye>";
        assert_eq!(Discovery::parse(wrapped(bye).as_bytes()), Ok(Discovery::Gone("urn:uuid:9".to_owned())));
        assert_eq!(Discovery::parse(wrapped("").as_bytes()), Ok(Discovery::Other));
        assert!(Discovery::parse(b"<html/>").is_err());
        let printer = "<Hello><Types>wsdp:Device pub:Computer</Types></Hello>";
        let Ok(Discovery::Present(all)) = Discovery::parse(wrapped(printer).as_bytes()) else { panic!() };
        assert!(!all[0].is_onvif());
    }

    #[test]
    fn only_plain_addresses_are_places() {
        for text in [
            "https://10.0.0.1/x",
            "http://camera/x",
            "http://10.0.0.1:0/",
            "http://10.0.0.1:99999/",
            "http://10.0.0.1/\u{e9}",
            "http://u:p@10.0.0.1/",
            "",
        ] {
            assert_eq!(Place::parse(text), None, "{text}");
        }
        assert_eq!(Place::parse("http://10.0.0.1").map(|place| place.path).as_deref(), Some("/"));
    }
}
