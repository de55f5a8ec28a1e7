//! Which channel goes where (IS-08, the Channel Mapping API's schemas).

use std::collections::BTreeMap;

use serde_json::{Map, Value, json};

use super::Id;
use super::page::{self, Trouble, entries, id, number, text};

/// The most channels of one input or output that are looked at.
const MOST_CHANNELS: usize = 512;

/// What there is to be mapped in a device.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Io {
    /// Where channels come from.
    pub inputs: Vec<Input>,
    /// Where they go to.
    pub outputs: Vec<Output>,
}

/// Where channels come from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Input {
    /// Its identifier.
    pub id: Id,
    /// What it is called.
    pub name: String,
    /// What its channels are called.
    pub channels: Vec<String>,
}

/// Where channels go to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Output {
    /// Its identifier.
    pub id: Id,
    /// What it is called.
    pub name: String,
    /// What its channels are called.
    pub channels: Vec<String>,
}

/// Where a channel of an output comes from: an input, and its channel from 0.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Routed {
    /// The input.
    pub input: Id,
    /// Its channel, from 0.
    pub channel: u32,
}

/// What is mapped now: of each output, each channel from 0.
pub type Active = BTreeMap<Id, BTreeMap<u32, Option<Routed>>>;

impl Io {
    /// Reads `io`.
    ///
    /// # Errors
    /// When it is something else.
    pub fn parse(body: &[u8]) -> Result<Self, Trouble> {
        let value = page::json(body)?;
        let of = |key: &str| value.get(key).and_then(Value::as_object).ok_or(Trouble::Foreign);
        let named = |(key, one): (&String, &Value)| {
            let name = one.get("properties").and_then(|own| text(own, "name")).unwrap_or_default();
            let channels = entries(one, "channels").take(MOST_CHANNELS);
            Some((
                key.parse::<Id>().ok()?,
                name,
                channels.map(|one| text(one, "label").unwrap_or_default()).collect(),
            ))
        };
        let inputs = of("inputs")?.iter().take(page::MOST).filter_map(named);
        let outputs = of("outputs")?.iter().take(page::MOST).filter_map(named);
        Ok(Self {
            inputs: inputs.map(|(id, name, channels)| Input { id, name, channels }).collect(),
            outputs: outputs.map(|(id, name, channels)| Output { id, name, channels }).collect(),
        })
    }

    /// Reads `map/active`.
    ///
    /// # Errors
    /// When it is something else.
    pub fn active(body: &[u8]) -> Result<Active, Trouble> {
        let value = page::json(body)?;
        let map = value.get("map").and_then(Value::as_object).ok_or(Trouble::Foreign)?;
        let output = |(key, channels): (&String, &Value)| {
            let channel = |(number, one): (&String, &Value)| Some((number.parse().ok()?, Routed::of(one)));
            let channels = channels.as_object()?.iter().take(MOST_CHANNELS).filter_map(channel);
            Some((key.parse::<Id>().ok()?, channels.collect()))
        };
        Ok(map.iter().take(page::MOST).filter_map(output).collect())
    }
}

impl Routed {
    fn of(value: &Value) -> Option<Self> {
        Some(Self { input: id(value, "input")?, channel: number(value, "channel_index")? })
    }
}

/// What makes these channels of an output come from there at once; `None` for nowhere.
#[must_use]
pub fn map_order(output: &Id, channels: &BTreeMap<u32, Option<Routed>>) -> Vec<u8> {
    let entry = |(number, from): (&u32, &Option<Routed>)| {
        let (input, channel) = match from {
            Some(from) => (Value::from(from.input.as_str()), Value::from(from.channel)),
            None => (Value::Null, Value::Null),
        };
        (number.to_string(), json!({ "input": input, "channel_index": channel }))
    };
    let action: Map<String, Value> = channels.iter().map(entry).collect();
    json!({ "activation": { "mode": "activate_immediate" }, "action": { output.as_str(): action } })
        .to_string()
        .into_bytes()
}
