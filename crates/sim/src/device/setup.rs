//! What a simulated device is.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::rdm::Uid;
use serde::{Deserialize, Deserializer, de};

use super::{
    BrokerSetup, ClockSetup, DhcpClientSetup, LinesSetup, LlrpSetup, NmosSetup, OnvifSetup, PacketsSetup,
    PjlinkSetup, RegistrySetup, SnmpSetup, WebSetup,
};

/// A device and what it does.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DeviceSetup {
    /// What the scene calls it; also its host name.
    pub name: String,
    /// Its MAC address.
    #[serde(deserialize_with = "mac")]
    pub mac: MacAddress,
    /// Its address.
    pub address: Ipv4Addr,
    /// Its mask.
    #[serde(default = "sixteen")]
    pub mask: Ipv4Addr,
    /// Its gateway; all zero for none.
    #[serde(default = "nothing")]
    pub gateway: Ipv4Addr,
    /// Whether its address comes by DHCP.
    #[serde(default)]
    pub dhcp: bool,
    /// What a DHCP server gives it; without, there is none.
    pub lease: Option<Ipv4Addr>,
    /// Whether it answers echo requests.
    #[serde(default = "yes")]
    pub echo: bool,
    /// When it is switched on, after the ground was started.
    #[serde(default, rename = "arrives_ms", deserialize_with = "millis")]
    pub arrives: Duration,
    /// How often it repeats what it tells unasked.
    #[serde(default = "often", rename = "every_ms", deserialize_with = "millis")]
    pub every: Duration,
    /// What it sends by sACN.
    pub sacn: Option<SacnSetup>,
    /// What it sends by Art-Net.
    pub art_net: Option<ArtNetSetup>,
    /// Services it tells by DNS-SD.
    #[serde(default)]
    pub services: Vec<ServiceSetup>,
    /// Streams it announces.
    #[serde(default)]
    pub streams: Vec<StreamSetup>,
    /// As a target of LLRP.
    pub llrp: Option<LlrpSetup>,
    /// As a broker of RDMnet, with who is behind it.
    pub broker: Option<BrokerSetup>,
    /// As a screen that speaks PJLink.
    pub pjlink: Option<PjlinkSetup>,
    /// As a camera or decoder of ONVIF.
    pub onvif: Option<OnvifSetup>,
    /// As a node of NMOS, with what it sends, receives and maps.
    pub nmos: Option<NmosSetup>,
    /// As a registry of NMOS.
    pub nmos_registry: Option<RegistrySetup>,
    /// As an agent of SNMP.
    pub snmp: Option<SnmpSetup>,
    /// As a device that takes lines of text.
    pub lines: Option<LinesSetup>,
    /// As a device with a web page.
    pub web: Option<WebSetup>,
    /// How it asks for its address, where it really does so: with `dhcp` it has none before somebody gives it one.
    pub dhcp_client: Option<DhcpClientSetup>,
    /// As a clock that announces itself, or the one it follows.
    pub clock: Option<ClockSetup>,
    /// The address it offers as a DHCP server.
    pub dhcp_offers: Option<Ipv4Addr>,
    /// As a switch: what it calls the port at this end of the cable.
    pub switch_port: Option<String>,
    /// Whether it asks who wants which group.
    #[serde(default)]
    pub igmp_querier: bool,
    /// Groups it wants to hear, and says so.
    #[serde(default)]
    pub groups: Vec<Ipv4Addr>,
}

/// What a source of sACN sends.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SacnSetup {
    /// What it calls itself.
    pub name: String,
    /// Its universes.
    pub universes: Vec<u16>,
    /// Its priority.
    #[serde(default = "usual_priority")]
    pub priority: u8,
}

/// What a source of Art-Net sends.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ArtNetSetup {
    /// Its Port-Addresses.
    pub universes: Vec<u16>,
    /// To whom; empty for everybody.
    #[serde(default)]
    pub to: Vec<Ipv4Addr>,
}

/// A service.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ServiceSetup {
    /// What this instance is called.
    pub name: String,
    /// Its type: `_http._tcp`.
    pub kind: String,
    /// Its port.
    pub port: u16,
    /// What it tells about itself, `key=value` each.
    #[serde(default)]
    pub text: Vec<String>,
}

/// A stream.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct StreamSetup {
    /// What its session is called.
    pub name: String,
    /// `audio` or `video`.
    pub kind: String,
    /// The group.
    pub group: Ipv4Addr,
    /// The port.
    pub port: u16,
    /// Encoding, rate and channels as in `a=rtpmap`: `L24/48000/8`.
    pub format: String,
    /// How its packets are sent; without, it is only announced.
    pub packets: Option<PacketsSetup>,
}

const fn yes() -> bool {
    true
}

const fn nothing() -> Ipv4Addr {
    Ipv4Addr::UNSPECIFIED
}

const fn sixteen() -> Ipv4Addr {
    Ipv4Addr::new(255, 255, 0, 0)
}

const fn often() -> Duration {
    Duration::from_millis(800)
}

const fn usual_priority() -> u8 {
    100
}

fn mac<'de, D: Deserializer<'de>>(from: D) -> Result<MacAddress, D::Error> {
    String::deserialize(from)?.parse().map_err(de::Error::custom)
}

pub(crate) fn uid<'de, D: Deserializer<'de>>(from: D) -> Result<Uid, D::Error> {
    String::deserialize(from)?.parse().map_err(de::Error::custom)
}

pub(super) fn millis<'de, D: Deserializer<'de>>(from: D) -> Result<Duration, D::Error> {
    u64::deserialize(from).map(Duration::from_millis)
}
