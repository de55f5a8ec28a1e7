//! Which channel goes where (IS-08).

use serde_json::{Map, Value, json};

use super::end::{Answer, fault};
use super::setup::{ChannelsSetup, NmosQuirk};

/// Where each channel of an output comes from: an input, and its channel from 0.
pub(super) type Routes = Vec<Option<(String, usize)>>;

/// Where the channels come from, as a scene writes it.
pub(super) fn routes(output: &ChannelsSetup) -> Routes {
    let route = |nth: usize| {
        let (input, channel) = output.map.get(nth)?.split_once('/')?;
        Some((input.to_owned(), channel.parse().ok()?))
    };
    (0..output.channels.len()).map(route).collect()
}

/// Everything there is to be mapped.
pub(super) fn io(inputs: &[ChannelsSetup], outputs: &[ChannelsSetup]) -> Value {
    let all = |of: &[ChannelsSetup]| -> Map<String, Value> {
        let one = |one: &ChannelsSetup| {
            let channels: Vec<Value> = one.channels.iter().map(|label| json!({ "label": label })).collect();
            let properties = json!({ "name": one.label, "description": "" });
            (one.id.clone(), json!({ "properties": properties, "channels": channels, "caps": {}, "parent": {} }))
        };
        of.iter().map(one).collect()
    };
    json!({ "inputs": all(inputs), "outputs": all(outputs) })
}

/// What is mapped now.
pub(super) fn active(outputs: &[ChannelsSetup], maps: &[Routes]) -> Value {
    let output = |(output, routes): (&ChannelsSetup, &Routes)| {
        let channel = |(nth, route): (usize, &Option<(String, usize)>)| {
            let (input, channel) = route.clone().unzip();
            (nth.to_string(), json!({ "input": input, "channel_index": channel }))
        };
        (output.id.clone(), Value::Object(routes.iter().enumerate().map(channel).collect()))
    };
    let map: Map<String, Value> = outputs.iter().zip(maps).map(output).collect();
    json!({ "activation": { "mode": null, "requested_time": null, "activation_time": null }, "map": map })
}

/// Takes an order to map something otherwise.
pub(super) fn activate(
    body: &str,
    inputs: &[ChannelsSetup],
    outputs: &[ChannelsSetup],
    maps: &mut [Routes],
    has: &dyn Fn(NmosQuirk) -> bool,
) -> Answer {
    if has(NmosQuirk::Locked) {
        return fault(423, "The map is locked by an activation");
    }
    let Ok(told) = serde_json::from_str::<Value>(body) else { return fault(400, "This is no JSON") };
    if told["activation"]["mode"] != "activate_immediate" {
        return fault(400, "activation.mode is not supported");
    }
    let Some(action) = told["action"].as_object() else { return fault(400, "There is no action") };
    let mut wanted = maps.to_vec();
    for (id, channels) in action {
        let place = outputs.iter().position(|output| output.id == *id);
        let (Some(place), Some(channels)) = (place, channels.as_object()) else {
            return fault(400, "No such output");
        };
        for (number, from) in channels {
            let Some(slot) = number.parse().ok().and_then(|nth: usize| wanted[place].get_mut(nth)) else {
                return fault(400, "No such channel");
            };
            let route = match (from["input"].as_str(), from["channel_index"].as_u64()) {
                (Some(input), Some(channel)) => {
                    let channel = usize::try_from(channel).unwrap_or(usize::MAX);
                    let is_there = |one: &&ChannelsSetup| one.id == input && channel < one.channels.len();
                    if !inputs.iter().any(|one| is_there(&one)) {
                        return fault(400, "No such input");
                    }
                    Some((input.to_owned(), channel))
                }
                (None, None) => None,
                _ => return fault(400, "An input needs its channel"),
            };
            *slot = if has(NmosQuirk::DropsSecondChannel) && number == "1" { None } else { route };
        }
    }
    if !has(NmosQuirk::Ignores) {
        maps.clone_from_slice(&wanted);
    }
    (200, json!({ "1": { "activation": { "mode": "activate_immediate" }, "action": told["action"] } }))
}
