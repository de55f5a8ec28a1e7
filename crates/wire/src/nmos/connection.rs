//! What is sent and received (IS-05, the Connection API's schemas).

use core::net::Ipv4Addr;

use serde_json::{Map, Value, json};

use super::Id;
use super::page::{self, Trouble, entries, id, number};

/// The most legs of one stream that are looked at.
const MOST_LEGS: usize = 4;

/// What a sender or a receiver is set to.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Connection {
    /// Whether it sends, or receives.
    pub enabled: Option<bool>,
    /// Of a receiver, whom it takes it from.
    pub sender: Option<Id>,
    /// Where it goes to or comes from, each leg by itself (SMPTE ST 2022-7 has two).
    pub legs: Vec<Leg>,
}

/// One leg.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Leg {
    /// The group, or address, where it is decided.
    pub group: Option<Ipv4Addr>,
    /// The UDP port, where it is decided.
    pub port: Option<u16>,
    /// Whether this leg is used, where that is told.
    pub enabled: Option<bool>,
}

/// What one leg is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct LegOrder {
    /// The group and port; `None` leaves them, `Some(None)` is nowhere.
    pub to: Option<Option<(Ipv4Addr, u16)>>,
    /// Whether it is used; `None` leaves that.
    pub enabled: Option<bool>,
}

/// What a sender or receiver is told, to be so at once.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Order {
    /// Whether it is a receiver.
    pub receives: bool,
    /// Whether it is to send, or receive; `None` leaves that.
    pub enabled: Option<bool>,
    /// Of a receiver, from whom; `Some(None)` for nobody.
    pub sender: Option<Option<Id>>,
    /// A leg each; one that is told nothing stays as it is.
    pub legs: Vec<LegOrder>,
    /// What is sent, as the sender describes it (SDP).
    pub file: Option<String>,
}

/// How an order was taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Taken {
    /// It is so.
    Now,
    /// It will be so at a time; until then nothing else is taken.
    Later,
}

impl Connection {
    /// Reads what is `active`, or `staged`.
    ///
    /// # Errors
    /// When it is neither.
    pub fn parse(body: &[u8]) -> Result<Self, Trouble> {
        let value = page::json(body)?;
        // What belongs to it is there in every version.
        if !value.get("transport_params").is_some_and(Value::is_array) {
            return Err(Trouble::Foreign);
        }
        let legs = entries(&value, "transport_params").take(MOST_LEGS).map(Leg::of);
        Ok(Self {
            enabled: value.get("master_enable").and_then(Value::as_bool),
            sender: id(&value, "sender_id"),
            legs: legs.collect(),
        })
    }
}

impl Leg {
    /// Where it goes to, where that is decided.
    #[must_use]
    pub fn to(&self) -> Option<(Ipv4Addr, u16)> {
        Some((self.group?, self.port?))
    }

    fn of(value: &Value) -> Self {
        let address = |key: &str| value.get(key)?.as_str()?.parse::<Ipv4Addr>().ok();
        Self {
            group: address("multicast_ip").or_else(|| address("destination_ip")),
            port: number(value, "destination_port"),
            enabled: value.get("rtp_enabled").and_then(Value::as_bool),
        }
    }
}

impl Order {
    /// As it goes out.
    #[must_use]
    pub fn to_json(&self) -> Vec<u8> {
        let mut all = Map::new();
        all.insert("activation".to_owned(), json!({ "mode": "activate_immediate" }));
        if let Some(enabled) = self.enabled {
            all.insert("master_enable".to_owned(), enabled.into());
        }
        if let Some(sender) = &self.sender {
            let id = sender.as_ref().map_or(Value::Null, |id| id.as_str().into());
            all.insert("sender_id".to_owned(), id);
        }
        if let Some(file) = &self.file {
            all.insert("transport_file".to_owned(), json!({ "data": file, "type": "application/sdp" }));
        }
        let is_told = |leg: &LegOrder| *leg != LegOrder::default();
        if self.legs.iter().any(is_told) {
            let legs = self.legs.iter().map(|leg| leg.to_json(self.receives)).collect();
            all.insert("transport_params".to_owned(), Value::Array(legs));
        }
        Value::Object(all).to_string().into_bytes()
    }

    /// How it was taken, by the code that it was answered with; `None` where it was not.
    #[must_use]
    pub const fn taken(code: u16) -> Option<Taken> {
        match code {
            200 => Some(Taken::Now),
            202 => Some(Taken::Later),
            _ => None,
        }
    }
}

impl LegOrder {
    fn to_json(self, receives: bool) -> Value {
        let mut leg = Map::new();
        let key = if receives { "multicast_ip" } else { "destination_ip" };
        match self.to {
            Some(Some((group, port))) => {
                leg.insert(key.to_owned(), group.to_string().into());
                leg.insert("destination_port".to_owned(), port.into());
            }
            // A sender goes somewhere; what does not matter it chooses.
            Some(None) => {
                leg.insert(key.to_owned(), if receives { Value::Null } else { "auto".into() });
                leg.insert("destination_port".to_owned(), "auto".into());
            }
            None => {}
        }
        if let Some(enabled) = self.enabled {
            leg.insert("rtp_enabled".to_owned(), enabled.into());
        }
        Value::Object(leg)
    }
}
