//! What a node tells of itself (IS-04).

use std::net::Ipv4Addr;

use serde_json::{Value, json};

use super::Nmos;
use super::setup::{NmosQuirk, SenderSetup};

/// The lists there are, beside `self`.
pub(super) const LISTS: [&str; 5] = ["devices", "sources", "flows", "senders", "receivers"];

impl Nmos {
    /// What stands at the Node API under this name.
    pub(super) fn resource(&self, name: &str, own: Ipv4Addr) -> Option<Value> {
        Some(match name {
            "self" => self.own(own),
            "devices" => json!([self.device(own)]),
            "sources" => self.each(|nth, sender| {
                let channel = |label: &String| json!({ "label": label, "symbol": "U01" });
                json!({ "id": self.id("5", nth), "label": sender.label, "format": urn(&sender.format),
                    "channels": sender.channels.iter().map(channel).collect::<Vec<_>>() })
            }),
            "flows" => self.each(|nth, sender| {
                let mut flow = json!({ "id": self.id("4", nth), "label": sender.label, "source_id": self.id("5", nth),
                    "format": urn(&sender.format) });
                if sender.format == "audio" {
                    flow["media_type"] = json!("audio/L24");
                    flow["bit_depth"] = json!(sender.bits);
                    flow["sample_rate"] = json!({ "numerator": sender.samples });
                }
                flow
            }),
            "senders" => {
                let sender = |(nth, end): (usize, &super::End)| {
                    json!({ "id": end.id, "label": end.label, "device_id": self.id("1", 0), "flow_id": self.id("4", nth),
                        "transport": "urn:x-nmos:transport:rtp.mcast", "interface_bindings": ["eth0"],
                        "manifest_href": format!("http://{own}:{}/x-nmos/connection/{}/single/senders/{}/transportfile",
                            self.setup.port, self.patch_version(), end.id),
                        "subscription": { "receiver_id": null, "active": end.active.enabled || self.boasts() } })
                };
                self.ends(false).map(sender).collect()
            }
            "receivers" => {
                let receiver = |(_, end): (usize, &super::End)| {
                    json!({ "id": end.id, "label": end.label, "device_id": self.id("1", 0), "format": urn(&end.format),
                        "transport": "urn:x-nmos:transport:rtp.mcast", "interface_bindings": ["eth0"], "caps": {},
                        "subscription": { "sender_id": end.active.sender, "active": end.active.enabled || self.boasts() } })
                };
                self.ends(true).map(receiver).collect()
            }
            _ => return None,
        })
    }

    fn boasts(&self) -> bool {
        self.setup.has(NmosQuirk::ContradictsItself)
    }

    fn each(&self, of: impl Fn(usize, &SenderSetup) -> Value) -> Value {
        self.setup.senders.iter().enumerate().map(|(nth, sender)| of(nth, sender)).collect()
    }

    fn own(&self, own: Ipv4Addr) -> Value {
        let mac = self.mac.to_string().replace(':', "-");
        json!({ "id": self.id("0", 0), "version": "1:0", "label": self.setup.label, "description": "", "tags": {},
            "href": format!("http://{own}:{}/", self.setup.port), "hostname": self.host_name, "caps": {}, "services": [],
            "api": { "versions": self.setup.versions,
                "endpoints": [{ "host": own.to_string(), "port": self.setup.port, "protocol": "http" }] },
            "clocks": [], "interfaces": [{ "name": "eth0", "chassis_id": null, "port_id": mac }] })
    }

    fn device(&self, own: Ipv4Addr) -> Value {
        let host = if self.setup.has(NmosQuirk::PatchedElsewhere) { Ipv4Addr::new(192, 168, 1, 1) } else { own };
        let base = format!("http://{host}:{}/x-nmos", self.setup.port);
        let patches = self.setup.patch_versions.iter().map(|version| {
            json!({ "type": format!("urn:x-nmos:control:sr-ctrl/{version}"), "href": format!("{base}/connection/{version}/") })
        });
        let maps = (!self.setup.outputs.is_empty()).then(|| {
            json!({ "type": "urn:x-nmos:control:cm-ctrl/v1.0", "href": format!("{base}/channelmapping/v1.0/") })
        });
        json!({ "id": self.id("1", 0), "label": self.setup.label, "type": "urn:x-nmos:device:generic",
            "node_id": self.id("0", 0), "controls": patches.chain(maps).collect::<Vec<_>>(), "senders": [], "receivers": [] })
    }

    pub(super) fn patch_version(&self) -> &str {
        self.setup.patch_versions.last().map_or("v1.1", String::as_str)
    }
}

/// What a format is called.
fn urn(format: &str) -> String {
    format!("urn:x-nmos:format:{format}")
}
