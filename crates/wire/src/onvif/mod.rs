//! ONVIF (core specification; the device service's WSDL, version 10): cameras and decoders are found by WS-Discovery, and asked and
//! told by SOAP 1.2 over HTTP.
//!
//! ```text
//! UDP 3702  Probe to 239.255.255.250      who is there; answered by ProbeMatches with addresses of services
//!           Hello, Bye                    said unasked, to everybody
//! HTTP      POST /onvif/device_service    one order in an envelope, answered by …Response or a Fault
//! ```

mod answer;
mod discovery;
mod order;
mod scope;
mod token;

use std::net::Ipv4Addr;

pub use answer::{
    Fault, HostName, Interface, Made, Trouble, clock, gateway, host_name, interfaces, made, needs_restart, read,
    scopes,
};
pub use discovery::{Discovery, Present, Sort};
pub use order::{Order, WantedInterface};
pub use scope::{Scope, Topic};
pub use token::{Moment, Token};

/// The UDP port of WS-Discovery, and the group that hears it (WS-Discovery, section 2.4).
pub const PORT: u16 = 3702;
/// The group that hears searches.
pub const GROUP: Ipv4Addr = Ipv4Addr::new(239, 255, 255, 250);
/// Where the device service is, where nothing else is told (core specification, section 5.1.1).
pub const DEVICE_SERVICE: &str = "/onvif/device_service";

/// The names of the standards' vocabularies.
mod vocabulary {
    pub(super) const ENVELOPE: &str = "http://www.w3.org/2003/05/soap-envelope";
    pub(super) const ADDRESSING: &str = "http://schemas.xmlsoap.org/ws/2004/08/addressing";
    pub(super) const DISCOVERY: &str = "http://schemas.xmlsoap.org/ws/2005/04/discovery";
    pub(super) const EVERYBODY: &str = "urn:schemas-xmlsoap-org:ws:2005:04:discovery";
    pub(super) const NETWORK: &str = "http://www.onvif.org/ver10/network/wsdl";
    pub(super) const DEVICE: &str = "http://www.onvif.org/ver10/device/wsdl";
    pub(super) const SCHEMA: &str = "http://www.onvif.org/ver10/schema";
    pub(super) const SECURITY: &str =
        "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd";
    pub(super) const UTILITY: &str =
        "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-utility-1.0.xsd";
    pub(super) const PASSWORD_DIGEST: &str =
        "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-username-token-profile-1.0#PasswordDigest";
    pub(super) const BASE64: &str =
        "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-soap-message-security-1.0#Base64Binary";
}
