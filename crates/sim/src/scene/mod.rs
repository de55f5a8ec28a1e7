//! Scenes: which nodes there are, and what is wrong with them.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use serde::{Deserialize, Deserializer, de};

use crate::{DeviceSetup, FixtureSetup, Model, NodeSetup, PagePorts, Quirk, Reply, SimDevice, SimNode};

/// Tidewick Harbour Night: the scene of all examples.
pub const TIDEWICK: &str = include_str!("../../scenes/tidewick/tidewick.scene.toml");
/// The same harbour with everything on it: forty devices of all families.
pub const HARBOUR: &str = include_str!("../../scenes/tidewick/harbour.scene.toml");
/// The rig sheet that belongs to [`TIDEWICK`], mistakes included.
pub const TIDEWICK_SHEET: &str = include_str!("../../scenes/tidewick/tidewick.rig.toml");
/// The same sheet, mended.
pub const TIDEWICK_MENDED_SHEET: &str = include_str!("../../scenes/tidewick/tidewick-mended.rig.toml");

/// The harbour with every lighting gateway of the evening.
pub const NIGHT: &str = include_str!("../../scenes/tidewick/night.scene.toml");
/// The whole rig's sheet that belongs to [`NIGHT`], mistakes included: light, sound and picture.
pub const NIGHT_SHEET: &str = include_str!("../../scenes/tidewick/night.rig.toml");
/// The same sheet, mended.
pub const NIGHT_MENDED_SHEET: &str = include_str!("../../scenes/tidewick/night-mended.rig.toml");

/// The same rig as it comes out of the cases, before anybody has set anything; its sheet is [`NIGHT_MENDED_SHEET`].
pub const CASES: &str = include_str!("../../scenes/tidewick/cases.scene.toml");

/// A gateway that speaks sACN only, and the broker through which it is patched.
pub const BROKER: &str = include_str!("../../scenes/tidewick/broker.scene.toml");
/// The sheet that belongs to [`BROKER`].
pub const BROKER_SHEET: &str = include_str!("../../scenes/tidewick/broker.rig.toml");

/// A description of simulated nodes.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Scene {
    /// First two octets of the network, as an address: 10.40.0.0 stands for 10.40.0.0/16.
    pub network: Ipv4Addr,
    /// Where all chance comes from.
    #[serde(default)]
    pub seed: u64,
    /// Share of datagrams that get lost, each way, 0 to 1.
    #[serde(default)]
    pub loss: f64,
    /// Length of the network's prefix.
    #[serde(default = "sixteen")]
    pub prefix: u8,
    /// The nodes.
    #[serde(rename = "node", default)]
    nodes: Vec<SceneNode>,
    /// Devices that are no Art-Net nodes.
    #[serde(rename = "device", default)]
    devices: Vec<DeviceSetup>,
    /// Units on the cables of the nodes.
    #[serde(rename = "fixture", default)]
    fixtures: Vec<FixtureSetup>,
    /// How long a request takes on a cable.
    #[serde(default = "usual_cable")]
    cable_ms: u64,
}

/// Why a text is no scene.
#[derive(Debug, thiserror::Error)]
#[error("the scene cannot be read: {0}")]
pub struct SceneError(#[from] toml::de::Error);

#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
struct SceneNode {
    name: String,
    #[serde(default)]
    label: String,
    model: Model,
    #[serde(deserialize_with = "mac")]
    mac: MacAddress,
    address: Ipv4Addr,
    mask: Option<Ipv4Addr>,
    gateway: Option<Ipv4Addr>,
    #[serde(default)]
    dhcp: bool,
    lease: Option<Ipv4Addr>,
    #[serde(default = "usual_firmware", deserialize_with = "firmware")]
    firmware: u16,
    pages: Vec<PagePorts>,
    #[serde(default)]
    reply: Reply,
    #[serde(default)]
    late_ms: u64,
    #[serde(default = "usual_restart")]
    restart_ms: u64,
    defends_late_ms: Option<u64>,
    #[serde(default)]
    refuses: bool,
    #[serde(default)]
    off: bool,
    #[serde(default)]
    quirks: Vec<Quirk>,
}

const fn sixteen() -> u8 {
    16
}

const fn usual_firmware() -> u16 {
    0x0104
}

fn firmware<'de, D: Deserializer<'de>>(from: D) -> Result<u16, D::Error> {
    let text = String::deserialize(from)?;
    let parts = text.split_once('.').and_then(|(major, minor)| Some([major.parse().ok()?, minor.parse().ok()?]));
    parts.map(u16::from_be_bytes).ok_or_else(|| de::Error::custom("two numbers from 0 to 255 like \"1.4\""))
}

const fn usual_cable() -> u64 {
    20
}

const fn usual_restart() -> u64 {
    800
}

fn mac<'de, D: Deserializer<'de>>(from: D) -> Result<MacAddress, D::Error> {
    String::deserialize(from)?.parse().map_err(de::Error::custom)
}

/// Whether a unit hangs on this node.
fn is_behind(fixture: &FixtureSetup, node: &SceneNode) -> bool {
    fixture.behind == node.name || fixture.behind == node.mac.to_string()
}

impl Scene {
    /// Reads a scene.
    ///
    /// # Errors
    /// When the text is not TOML or describes something else.
    pub fn parse(text: &str) -> Result<Self, SceneError> {
        Ok(toml::from_str(text)?)
    }

    /// A scene of `count` nodes of four ports, up to 50 000, at 10.40.1.1 and on, each with universes of its own as far as
    /// they go.
    #[must_use]
    pub fn crowd(count: u16, loss: f64, seed: u64) -> Self {
        let node = |i: u16| {
            let [high, low] = i.to_be_bytes();
            let page = PagePorts {
                net: u8::try_from(i / 64 % 128).unwrap_or(0),
                sub: u8::try_from(i / 4 % 16).unwrap_or(0),
                out: (0..4).map(|port| u8::try_from(i % 4 * 4 + port).unwrap_or(0)).collect(),
                ..PagePorts::default()
            };
            SceneNode {
                name: format!("crowd-{i}"),
                label: String::new(),
                model: Model::Four,
                mac: MacAddress([0x02, 0x4d, 0x42, 0x77, high, low]),
                address: Ipv4Addr::from_bits(0x0a28_0100 + 1 + u32::from(i)),
                mask: None,
                gateway: None,
                dhcp: false,
                lease: None,
                firmware: usual_firmware(),
                pages: vec![page],
                reply: if i.is_multiple_of(3) { Reply::ToEverybody } else { Reply::ToPoller },
                late_ms: 0,
                restart_ms: usual_restart(),
                defends_late_ms: None,
                refuses: false,
                off: false,
                quirks: Vec::new(),
            }
        };
        let network = Ipv4Addr::new(10, 40, 0, 0);
        let nodes = (0..count).map(node).collect();
        Self {
            network,
            prefix: sixteen(),
            seed,
            loss,
            nodes,
            devices: Vec::new(),
            fixtures: Vec::new(),
            cable_ms: usual_cable(),
        }
    }

    /// The address a guest takes beside the nodes.
    #[must_use]
    pub fn guest(&self) -> Ipv4Addr {
        Ipv4Addr::from_bits(self.network.to_bits() + 7)
    }

    /// The same scene with another seed, in which this share of datagrams gets lost.
    #[must_use]
    pub fn with_chance(mut self, loss: f64, seed: u64) -> Self {
        (self.loss, self.seed) = (loss, seed);
        self
    }

    /// The same scene in another /16: addresses within its network keep their host part, foreign ones stay.
    #[must_use]
    pub fn on_ground(&self, network: Ipv4Addr) -> Self {
        let [from_a, from_b, ..] = self.network.octets();
        let [to_a, to_b, ..] = network.octets();
        let carry = |address: Ipv4Addr| match address.octets() {
            [a, b, c, d] if (a, b) == (from_a, from_b) => Ipv4Addr::new(to_a, to_b, c, d),
            _ => address,
        };
        let mut moved = self.clone();
        moved.network = network;
        for node in &mut moved.nodes {
            node.address = carry(node.address);
            node.gateway = node.gateway.map(carry);
            node.lease = node.lease.map(carry);
        }
        for device in &mut moved.devices {
            device.address = carry(device.address);
            device.gateway = carry(device.gateway);
            device.lease = device.lease.map(carry);
            // Whoever asks does so by frames, which this ground does not carry.
            device.dhcp_client = None;
        }
        moved
    }

    /// The devices that are no Art-Net nodes, ready to stand somewhere.
    #[must_use]
    pub fn devices(&self) -> Vec<SimDevice> {
        let mut devices = self.devices.clone();
        let registered: Vec<DeviceSetup> =
            devices.iter().filter(|device| device.nmos.is_some()).cloned().collect();
        for registry in devices.iter_mut().filter_map(|device| device.nmos_registry.as_mut()) {
            registry.register(&registered);
        }
        devices.into_iter().map(SimDevice::new).collect()
    }

    /// The nodes, ready to stand somewhere.
    #[must_use]
    pub fn nodes(&self) -> Vec<SimNode> {
        let seeds = self.seed.wrapping_mul(0x9e37_79b9_7f4a_7c15)..;
        self.nodes.iter().zip(seeds).map(|(node, seed)| SimNode::new(self.setup(node), seed)).collect()
    }

    fn mask(&self) -> Ipv4Addr {
        Ipv4Addr::from_bits(u32::MAX.checked_shl(32 - u32::from(self.prefix.clamp(1, 32))).unwrap_or(u32::MAX))
    }

    fn setup(&self, node: &SceneNode) -> NodeSetup {
        let [a, b, ..] = self.network.octets();
        let [.., low] = node.mac.0;
        NodeSetup {
            name: node.name.clone(),
            label: node.label.clone(),
            model: node.model,
            mac: node.mac,
            address: node.address,
            mask: node.mask.unwrap_or(self.mask()),
            gateway: node.gateway.unwrap_or(Ipv4Addr::UNSPECIFIED),
            dhcp: node.dhcp,
            lease: node.lease,
            firmware: node.firmware,
            factory: Ipv4Addr::new(a, b, 240, low),
            pages: node.pages.clone(),
            fixtures: self
                .fixtures
                .iter()
                .filter(|one| is_behind(one, node))
                .flat_map(FixtureSetup::each)
                .collect(),
            cable: Duration::from_millis(self.cable_ms),
            reply: node.reply,
            late: Duration::from_millis(node.late_ms),
            restart: Duration::from_millis(node.restart_ms),
            defends_late: node.defends_late_ms.map(Duration::from_millis),
            refuses: node.refuses,
            off: node.off,
            quirks: node.quirks.clone(),
        }
    }
}
