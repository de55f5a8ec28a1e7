//! Simulated nodes, and the grounds they stand on.
//!
//! A [`SimNode`] is a state machine without I/O that behaves as the published standard says a node behaves, with
//! faults where a scene asks for them. It knows nothing of `lantern-core`: a mistake the two shared would hide
//! itself. A [`Scene`] describes nodes; a ground lets them stand somewhere: in memory under a virtual clock
//! ([`MemoryGround`]), on real sockets ([`LoopbackGround`]), or behind a switch ([`CableGround`]).
#![forbid(unsafe_code)]

mod device;
mod fixture;
mod ground;
mod link;
mod link_local;
mod model;
mod node;
mod party;
mod scene;

pub use device::{
    BrokerQuirk, BrokerSetup, ClockSetup, DeviceSetup, DhcpClientSetup, DhcpQuirk, EndpointTruth, GatewayQuirk,
    GatewaySetup, IpState, LinesQuirk, LinesSetup, Linked, LlrpQuirk, LlrpSetup, MeddlerSetup, Names, NmosQuirk,
    NmosSetup, OnvifQuirk, OnvifSetup, PacketsSetup, PatchTruth, PjlinkQuirk, PjlinkSetup, RegistryQuirk,
    RegistrySetup, ServiceSetup, SimDevice, SnmpObject, SnmpQuirk, SnmpSetup, SnmpSort, SnmpUser, StreamSetup,
    Utterance, WebSetup,
};
pub use fixture::{Described, FixtureQuirk, FixtureSetup, FixtureTruth, Mode, Sensor, Setting, SimFixture};
#[cfg(target_os = "linux")]
pub use ground::{ADAPTER, PrivateNetwork, SegmentError, SegmentGround};
pub use ground::{CableGround, Heard, LinkHeard, LoopbackGround, MemoryGround};
pub use link::{Link, Trouble};
pub use model::Model;
pub use node::{Destination, NodeSetup, PagePorts, Quirk, Reply, SimNode, Speech, Truth, Written, firmware_file};
pub use scene::{
    BROKER, BROKER_SHEET, CASES, HARBOUR, NIGHT, NIGHT_MENDED_SHEET, NIGHT_SHEET, Scene, SceneError, TIDEWICK,
    TIDEWICK_MENDED_SHEET, TIDEWICK_SHEET,
};
