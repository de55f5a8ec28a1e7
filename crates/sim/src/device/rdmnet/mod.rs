//! RDMnet (ANSI E1.33, E1.37-7): a broker, and the gateways behind it, whose ports are patched through it.
//!
//! The gateways have no connections of their own: they stand behind the broker, and what they are told reaches them at once.

mod broker;
mod endpoint;
mod gateway;

use std::time::Duration;

use lantern_wire::rdm::Uid;
use serde::Deserialize;

use super::setup::{millis, uid};

pub(super) use broker::Broker;
pub use endpoint::EndpointTruth;

/// A broker as a scene describes it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct BrokerSetup {
    /// The port on which it takes connections.
    pub port: u16,
    /// Its RDM identifier.
    #[serde(deserialize_with = "uid")]
    pub uid: Uid,
    /// Its scope.
    #[serde(default = "usual_scope")]
    pub scope: String,
    /// Who is behind it.
    #[serde(default)]
    pub gateways: Vec<GatewaySetup>,
    /// After how many requests it hangs up on everybody, once.
    pub hangs_up_after: Option<u32>,
    /// After how many orders that a gateway took it hangs up on everybody, once: in the middle of patching, however
    /// much was asked before.
    pub hangs_up_after_orders: Option<u32>,
    /// How long it takes nobody then.
    #[serde(default, rename = "away_ms", deserialize_with = "millis")]
    pub away: Duration,
    /// Another controller, who sets something meanwhile.
    pub meddler: Option<MeddlerSetup>,
    /// Its habits.
    #[serde(default)]
    pub quirks: Vec<BrokerQuirk>,
}

/// A gateway behind a broker.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct GatewaySetup {
    /// Its RDM identifier.
    #[serde(deserialize_with = "uid")]
    pub uid: Uid,
    /// What its owner calls it.
    #[serde(default)]
    pub label: String,
    /// The universe of each of its ports; 0 for none.
    pub universes: Vec<u16>,
    /// Its habits.
    #[serde(default)]
    pub quirks: Vec<GatewayQuirk>,
}

/// Another controller: after so many orders of others it sets the universe of an endpoint.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MeddlerSetup {
    /// Its RDM identifier.
    #[serde(deserialize_with = "uid")]
    pub uid: Uid,
    /// After how many orders.
    pub after: u32,
    /// Of which gateway.
    #[serde(deserialize_with = "uid")]
    pub gateway: Uid,
    /// Of which of its endpoints.
    pub endpoint: u16,
    /// To which universe.
    pub universe: u16,
}

/// What the standard leaves open or forbids of brokers, and is met all the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum BrokerQuirk {
    /// Takes connections, and says nothing.
    NeverReplies,
    /// Has no room for anybody.
    IsFull,
    /// Says something that is no RDMnet.
    Mumbles,
    /// Cuts what it says into pieces of a few bytes.
    SpeaksInPieces,
    /// Says everything twice.
    SaysTwice,
    /// Sends everybody to itself again.
    Redirects,
    /// Tells nobody of what others set.
    KeepsToItself,
    /// Leaves every third request unanswered.
    LosesRequests,
}

/// What the standard leaves open or forbids of gateways, and is met all the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum GatewayQuirk {
    /// Says that it takes what it is told, and keeps what it has.
    TakesNothing,
    /// Refuses to be patched.
    IsWriteProtected,
    /// Goes on telling the old value for a while.
    LagsBehind,
    /// Patches the next port too.
    PatchesTheNext,
    /// Keeps only the first eight bytes of labels.
    CutsLabels,
    /// Knows nothing of which way a port works.
    HasNoModes,
    /// Leaves for a while whenever it is patched.
    RestartsWithUniverse,
    /// Leaves for good when it is patched.
    DiesOfUniverse,
    /// Says "not yet" to the first question of a kind.
    PutsOff,
    /// Has no endpoints at all.
    HasNoEndpoints,
    /// Leaves out numbers: its endpoints are 1, 8, 15 and so on.
    CountsOddly,
}

fn usual_scope() -> String {
    "default".to_owned()
}
