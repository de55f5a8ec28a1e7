//! What a simulated node of NMOS is, and its habits.

use std::net::SocketAddrV4;
use std::time::Duration;

use serde::Deserialize;

use super::super::ServiceSetup;
use super::super::setup::millis;

/// A node of NMOS as a scene describes it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NmosSetup {
    /// What its owner calls it.
    #[serde(default)]
    pub label: String,
    /// The port of its interfaces.
    #[serde(default = "port")]
    pub port: u16,
    /// The versions in which it tells of itself.
    #[serde(default = "versions")]
    pub versions: Vec<String>,
    /// The versions in which it is patched.
    #[serde(default = "patch_versions")]
    pub patch_versions: Vec<String>,
    /// What it sends.
    #[serde(default)]
    pub senders: Vec<SenderSetup>,
    /// What it receives.
    #[serde(default)]
    pub receivers: Vec<ReceiverSetup>,
    /// Where channels come from.
    #[serde(default)]
    pub inputs: Vec<ChannelsSetup>,
    /// Where channels go to.
    #[serde(default)]
    pub outputs: Vec<ChannelsSetup>,
    /// Whether a registry knows it; then it does not announce itself.
    #[serde(default)]
    pub registered: bool,
    /// How long it takes until it is as it was told.
    #[serde(default, rename = "takes_ms", deserialize_with = "millis")]
    pub takes: Duration,
    /// Its habits.
    #[serde(default)]
    pub quirks: Vec<NmosQuirk>,
}

/// What is sent.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SenderSetup {
    /// What it is called.
    pub label: String,
    /// `audio`, `video` or `data`.
    #[serde(default = "audio")]
    pub format: String,
    /// Where each leg goes.
    pub to: Vec<SocketAddrV4>,
    /// Whether it sends.
    #[serde(default)]
    pub enabled: bool,
    /// What its channels are called.
    #[serde(default)]
    pub channels: Vec<String>,
    /// Bits of a sample.
    #[serde(default = "bits")]
    pub bits: u32,
    /// Samples in a second.
    #[serde(default = "samples")]
    pub samples: u32,
}

/// What is received.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ReceiverSetup {
    /// What it is called.
    pub label: String,
    /// `audio`, `video` or `data`.
    #[serde(default = "audio")]
    pub format: String,
    /// How many legs it takes.
    #[serde(default = "one")]
    pub legs: usize,
    /// From where it takes each leg when it is switched on; with one of them it is enabled.
    #[serde(default)]
    pub from: Vec<SocketAddrV4>,
}

/// Channels that belong together.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ChannelsSetup {
    /// How it is called among machines.
    pub id: String,
    /// What it is called.
    pub label: String,
    /// What its channels are called.
    pub channels: Vec<String>,
    /// Of an output, where each channel comes from: `input/0`; empty for nowhere.
    #[serde(default)]
    pub map: Vec<String>,
}

/// What the standards leave open or forbid, and is met all the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum NmosQuirk {
    /// Is locked whatever it is told.
    Locked,
    /// Is locked twice, and takes it then.
    LockedTwice,
    /// Answers everything about patching with an error of its own.
    Fails,
    /// Answers what it is told with an error of its own, and takes it all the same.
    FailsAndTakes,
    /// Answers everything late.
    AnswersLate,
    /// Takes connections and says nothing.
    NeverAnswers,
    /// Takes what it is told at a later time, and is locked until then.
    Schedules,
    /// Says that it takes what it is told, and does not.
    Ignores,
    /// Takes what it is told, and is as it was a second later.
    Forgets,
    /// Takes only the first leg.
    FirstLegOnly,
    /// Takes a sender only with its description.
    WantsFile,
    /// Takes no descriptions.
    RefusesFile,
    /// Takes the sender, and does not begin to receive.
    StaysOff,
    /// Does not describe what it sends.
    NoFile,
    /// Wants to know who asks.
    Closed,
    /// Sends everybody to another address.
    Redirects,
    /// Sends a page that never ends.
    Endless,
    /// Answers with something that is no JSON.
    Binary,
    /// Answers with lists in lists in lists.
    Deep,
    /// Says that it is told things at another address.
    PatchedElsewhere,
    /// Says of itself that it is on, and of its connections that they are off.
    ContradictsItself,
    /// Turns the second channel of every map to nowhere.
    DropsSecondChannel,
    /// Takes another's identity: the identifiers of the node whose MAC address ends with 01.
    Cloned,
}

/// A registry of NMOS as a scene describes it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RegistrySetup {
    /// Its port.
    #[serde(default = "registry_port")]
    pub port: u16,
    /// How many entries there are on a page at most.
    #[serde(default = "page")]
    pub page: usize,
    /// Its habits.
    #[serde(default)]
    pub quirks: Vec<RegistryQuirk>,
    /// Whom it knows: identifier, label, address and port of each.
    #[serde(skip)]
    pub(super) known: Vec<super::registry::Known>,
}

/// What registries are met with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum RegistryQuirk {
    /// Every page leads to itself.
    Circles,
    /// Its pages lead to another address.
    LeadsAway,
    /// Knows one that is not there.
    KnowsGhost,
    /// Answers with an error of its own.
    Fails,
    /// Says nothing of further pages.
    OnePage,
}

impl NmosSetup {
    /// The service it tells, unless a registry knows it.
    pub(in super::super) fn service(&self, name: &str) -> Option<ServiceSetup> {
        let text = vec![
            "api_proto=http".to_owned(),
            format!("api_ver={}", self.versions.join(",")),
            "api_auth=false".to_owned(),
        ];
        let kind = "_nmos-node._tcp".to_owned();
        (!self.registered).then(|| ServiceSetup { name: name.to_owned(), kind, port: self.port, text })
    }

    pub(super) fn has(&self, quirk: NmosQuirk) -> bool {
        self.quirks.contains(&quirk)
    }
}

impl RegistrySetup {
    /// The service it tells.
    pub(in super::super) fn service(&self, name: &str) -> ServiceSetup {
        let text = vec![
            "api_proto=http".to_owned(),
            "api_ver=v1.2,v1.3".to_owned(),
            "api_auth=false".to_owned(),
            "pri=100".to_owned(),
        ];
        ServiceSetup { name: name.to_owned(), kind: "_nmos-query._tcp".to_owned(), port: self.port, text }
    }

    pub(super) fn has(&self, quirk: RegistryQuirk) -> bool {
        self.quirks.contains(&quirk)
    }
}

const fn port() -> u16 {
    8080
}

const fn registry_port() -> u16 {
    8870
}

const fn page() -> usize {
    100
}

const fn one() -> usize {
    1
}

const fn bits() -> u32 {
    24
}

const fn samples() -> u32 {
    48_000
}

fn audio() -> String {
    "audio".to_owned()
}

fn versions() -> Vec<String> {
    ["v1.2", "v1.3"].map(str::to_owned).to_vec()
}

fn patch_versions() -> Vec<String> {
    ["v1.0", "v1.1"].map(str::to_owned).to_vec()
}
