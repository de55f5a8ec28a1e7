//! What a simulated device of ONVIF is, and its habits.

use std::time::Duration;

use jiff::civil::DateTime;
use serde::Deserialize;

use super::super::setup::millis;

/// A device of ONVIF as a scene describes it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OnvifSetup {
    /// What its owner calls it.
    #[serde(default)]
    pub name: String,
    /// Where it stands.
    #[serde(default)]
    pub location: String,
    /// Its maker.
    #[serde(default = "maker")]
    pub maker: String,
    /// Its model.
    #[serde(default = "model")]
    pub model: String,
    /// The port of its service.
    #[serde(default = "port")]
    pub port: u16,
    /// The user it lets in; without one, everybody.
    pub user: Option<String>,
    /// That user's password.
    #[serde(default)]
    pub password: String,
    /// What its clock shows when the ground is started.
    #[serde(default = "today")]
    pub clock: DateTime,
    /// How long it is silent when it takes another address, or starts anew.
    #[serde(default = "usual_restart", rename = "restart_ms", deserialize_with = "millis")]
    pub restart: Duration,
    /// Its habits.
    #[serde(default)]
    pub quirks: Vec<OnvifQuirk>,
}

/// What the standard leaves open or forbids, and is met all the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum OnvifQuirk {
    /// Takes an address only when it is told to start anew, and says so.
    NeedsRestart,
    /// Is gone before it has answered.
    MovesBeforeAnswering,
    /// Says that it takes an address, and does not.
    IgnoresAddress,
    /// Comes up one address further than told.
    ComesUpElsewhere,
    /// Never comes up again.
    DiesOfMoving,
    /// Loses its gateway with every other address.
    LosesGateway,
    /// Takes no gateway that lies outside its subnet.
    RefusesFarGateway,
    /// Wants the digest in the request, and none in the envelope.
    DigestInRequest,
    /// Answers every question late.
    AnswersLate,
    /// Takes connections and says nothing.
    NeverAnswers,
    /// Answers everything with an error of its own.
    Fails,
    /// Sends everybody to another address.
    Redirects,
    /// Defines entities that grow.
    Entities,
    /// Sends a page that never ends.
    Endless,
    /// States an address of another network.
    StatesFarAddress,
    /// Answers only searches for its sort.
    OnlyBySort,
    /// Answers only searches for no sort.
    OnlyByNone,
    /// Keeps only the first eight letters of its name.
    CutsNames,
    /// Its name cannot be changed.
    FixedName,
    /// Says that it takes a name, and does not.
    IgnoresName,
    /// Knows no host name.
    NoHostName,
    /// States another MAC address than it has.
    StatesOtherMac,
    /// States neither a MAC address nor a serial number.
    StatesNothing,
}

fn maker() -> String {
    "Tessaquill".to_owned()
}

fn model() -> String {
    "Eye".to_owned()
}

const fn port() -> u16 {
    8080
}

const fn today() -> DateTime {
    DateTime::constant(2026, 11, 27, 16, 0, 0, 0)
}

const fn usual_restart() -> Duration {
    Duration::from_millis(400)
}
