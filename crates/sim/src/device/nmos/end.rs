//! What a sender or a receiver is set to, and how it is told something else (IS-05, "Behaviour").

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use serde_json::{Value, json};

use super::NmosQuirk;

/// What one end of a stream is set to.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(super) struct Set {
    pub(super) enabled: bool,
    pub(super) sender: Option<String>,
    pub(super) legs: Vec<Leg>,
    pub(super) file: Option<String>,
}

/// One leg.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Leg {
    pub(super) group: Option<Ipv4Addr>,
    pub(super) port: Option<u16>,
    pub(super) enabled: bool,
}

/// A sender or receiver.
#[derive(Debug, Clone)]
pub(super) struct End {
    pub(super) id: String,
    pub(super) label: String,
    pub(super) format: String,
    pub(super) receives: bool,
    pub(super) active: Set,
    staged: Set,
    /// What is active from when on; it is locked until then.
    pub(super) later: Option<(Duration, Set)>,
    /// How often it has said that it is locked.
    locked: u32,
}

/// What is answered: code and body.
pub(super) type Answer = (u16, Value);

impl End {
    pub(super) fn new(
        id: String,
        label: &str,
        format: &str,
        receives: bool,
        legs: &[Option<SocketAddrV4>],
        enabled: bool,
    ) -> Self {
        let leg = |to: &Option<SocketAddrV4>| Leg {
            group: to.map(|to| *to.ip()),
            port: to.map(|to| to.port()),
            enabled: true,
        };
        let active = Set { enabled, legs: legs.iter().map(leg).collect(), ..Set::default() };
        Self {
            id,
            label: label.to_owned(),
            format: format.to_owned(),
            receives,
            staged: active.clone(),
            active,
            later: None,
            locked: 0,
        }
    }

    /// `active` or `staged`, as it is answered.
    pub(super) fn told(&self, own: Ipv4Addr, is_active: bool) -> Value {
        let set = if is_active { &self.active } else { &self.staged };
        let leg = |leg: &Leg| {
            let port = leg.port.map_or_else(|| json!("auto"), |port| json!(port));
            let group = leg.group.map(|group| group.to_string());
            if self.receives {
                json!({ "multicast_ip": group, "destination_port": port, "interface_ip": own.to_string(),
                    "source_ip": null, "rtp_enabled": leg.enabled })
            } else {
                json!({ "destination_ip": group, "destination_port": port, "source_ip": own.to_string(),
                    "source_port": 5004, "rtp_enabled": leg.enabled })
            }
        };
        let legs: Vec<Value> = set.legs.iter().map(leg).collect();
        let activation = json!({ "mode": null, "requested_time": null, "activation_time": null });
        let mut told = json!({ "master_enable": set.enabled, "activation": activation, "transport_params": legs });
        if self.receives {
            let kind = set.file.as_ref().map(|_| "application/sdp");
            told["sender_id"] = json!(set.sender);
            told["transport_file"] = json!({ "data": set.file, "type": kind });
        } else {
            told["receiver_id"] = Value::Null;
        }
        told
    }

    /// Takes a PATCH of what is staged.
    pub(super) fn patch(
        &mut self,
        now: Duration,
        takes: Duration,
        own: Ipv4Addr,
        body: &str,
        has: &dyn Fn(NmosQuirk) -> bool,
    ) -> Answer {
        let is_locked =
            self.later.is_some() || has(NmosQuirk::Locked) || (has(NmosQuirk::LockedTwice) && self.locked < 2);
        if is_locked {
            self.locked += 1;
            return fault(423, "The resource is locked by an activation");
        }
        let Ok(Value::Object(told)) = serde_json::from_str::<Value>(body) else {
            return fault(400, "This is no JSON object");
        };
        let mut staged = self.staged.clone();
        let mut activates = false;
        if let Some(file) = told.get("transport_file") {
            if has(NmosQuirk::RefusesFile) {
                return fault(400, "transport_file cannot be parsed");
            }
            let data = file.get("data").and_then(Value::as_str).map(str::to_owned);
            if let Some(legs) = data.as_deref().map(described) {
                for (leg, (group, port)) in staged.legs.iter_mut().zip(&legs) {
                    (leg.group, leg.port) = (Some(*group), Some(*port));
                }
            }
            staged.file = data;
        }
        for (key, value) in &told {
            match (key.as_str(), value) {
                ("master_enable", Value::Bool(enabled)) => staged.enabled = *enabled && !has(NmosQuirk::StaysOff),
                ("sender_id", Value::Null) if self.receives => staged.sender = None,
                ("sender_id", Value::String(id)) if self.receives => {
                    if has(NmosQuirk::WantsFile) && !told.contains_key("transport_file") {
                        return fault(400, "A sender needs a transport_file");
                    }
                    staged.sender = Some(id.clone());
                }
                ("activation", Value::Object(activation)) => match activation.get("mode") {
                    Some(Value::String(mode)) if mode == "activate_immediate" => activates = true,
                    Some(Value::Null) => {}
                    _ => return fault(400, "activation.mode is not supported"),
                },
                ("transport_params", Value::Array(legs)) => {
                    if let Err(why) = self.patch_legs(&mut staged, legs, has(NmosQuirk::FirstLegOnly)) {
                        return fault(400, why);
                    }
                }
                ("transport_file", Value::Object(_)) | ("receiver_id", _) => {}
                (other, _) => return fault(400, &format!("{other} cannot be set so")),
            }
        }
        self.staged = staged;
        if !activates {
            return (200, self.told(own, false));
        }
        let mut answer = self.told(own, false);
        answer["activation"] =
            json!({ "mode": "activate_immediate", "requested_time": null, "activation_time": "0:0" });
        if has(NmosQuirk::Ignores) {
            self.staged = self.active.clone();
            return (200, answer);
        }
        if has(NmosQuirk::Schedules) {
            self.later = Some((now + Duration::from_millis(2500), self.staged.clone()));
            return (202, answer);
        }
        if has(NmosQuirk::Forgets) {
            let before = std::mem::replace(&mut self.active, self.staged.clone());
            self.later = Some((now + Duration::from_secs(1), before));
            return (200, answer);
        }
        if takes.is_zero() {
            self.active = self.staged.clone();
        } else {
            self.later = Some((now + takes, self.staged.clone()));
        }
        if has(NmosQuirk::FailsAndTakes) {
            return fault(500, "It broke");
        }
        (200, answer)
    }

    fn patch_legs(&self, staged: &mut Set, legs: &[Value], first_only: bool) -> Result<(), &'static str> {
        if legs.len() != staged.legs.len() {
            return Err("transport_params has not as many legs as there are");
        }
        let group_key = if self.receives { "multicast_ip" } else { "destination_ip" };
        for (nth, (leg, told)) in staged.legs.iter_mut().zip(legs).enumerate() {
            let Value::Object(told) = told else { return Err("a leg is no object") };
            if nth > 0 && first_only {
                continue;
            }
            for (key, value) in told {
                match (key.as_str(), value) {
                    (key, Value::String(text)) if key == group_key => {
                        leg.group = Some(text.parse().map_err(|_| "this is no address")?);
                    }
                    (key, Value::Null) if key == group_key && self.receives => leg.group = None,
                    ("destination_port", Value::Number(port)) => {
                        leg.port =
                            Some(port.as_u64().and_then(|port| port.try_into().ok()).ok_or("this is no port")?);
                    }
                    ("destination_port", Value::String(text)) if text == "auto" => leg.port = None,
                    ("rtp_enabled", Value::Bool(enabled)) => leg.enabled = *enabled,
                    ("interface_ip" | "source_ip" | "source_port", _) => {}
                    _ => return Err("a leg has no such parameter"),
                }
            }
        }
        Ok(())
    }

    /// Time has passed.
    pub(super) fn wake(&mut self, now: Duration) {
        if let Some((_, set)) = self.later.take_if(|(at, _)| *at <= now) {
            self.staged = set.clone();
            self.active = set;
        }
    }
}

/// What is answered where something is not as it should be.
pub(super) fn fault(code: u16, error: &str) -> Answer {
    (code, json!({ "code": code, "error": error, "debug": null }))
}

/// Where a description says that each leg goes (RFC 8866: `c=` and `m=`, in each part or before all).
fn described(text: &str) -> Vec<(Ipv4Addr, u16)> {
    let (mut all, mut common) = (Vec::new(), None);
    let mut open: Option<u16> = None;
    for line in text.lines() {
        let address = line
            .strip_prefix("c=IN IP4 ")
            .and_then(|rest| rest.split('/').next()?.trim().parse::<Ipv4Addr>().ok());
        if let Some(address) = address {
            match open.take() {
                Some(port) => all.push((address, port)),
                None => common = Some(address),
            }
        } else if let Some(rest) = line.strip_prefix("m=") {
            if let (Some(port), Some(address)) = (open.take(), common) {
                all.push((address, port));
            }
            open = rest.split(' ').nth(1).and_then(|port| port.parse().ok());
        }
    }
    if let (Some(port), Some(address)) = (open, common) {
        all.push((address, port));
    }
    all
}
