//! A registry: it lists the nodes of a site, page by page, the newest first (IS-04, Query API).
//!
//! What it knows it was told once; who has moved since is listed where it was.

use std::collections::{BTreeMap, VecDeque};
use std::net::Ipv4Addr;
use std::time::Duration;

use serde_json::{Value, json};

use super::super::body::Body;
use super::super::http::{Request, answer};
use super::super::{DeviceSetup, Linked, Role, Utterance};
use super::setup::{RegistryQuirk, RegistrySetup};

/// A node that was registered.
#[derive(Debug, Clone)]
pub(super) struct Known {
    id: String,
    label: String,
    mac: String,
    address: Ipv4Addr,
    port: u16,
}

impl RegistrySetup {
    /// Registers those that have a registry.
    pub(crate) fn register(&mut self, devices: &[DeviceSetup]) {
        let known = |device: &DeviceSetup| {
            let nmos = device.nmos.as_ref().filter(|nmos| nmos.registered)?;
            Some(Known {
                id: super::id(device.mac, "0", 0),
                label: nmos.label.clone(),
                mac: device.mac.to_string().replace(':', "-"),
                address: device.address,
                port: nmos.port,
            })
        };
        self.known = devices.iter().filter_map(known).collect();
        if self.has(RegistryQuirk::KnowsGhost) {
            let ghost = Known {
                id: "99999999-0000-4000-8000-000000000000".to_owned(),
                label: "Ghost".to_owned(),
                mac: "02-4d-42-99-99-99".to_owned(),
                address: Ipv4Addr::new(10, 40, 99, 99),
                port: 8080,
            };
            self.known.push(ghost);
        }
    }
}

#[derive(Debug)]
pub(in super::super) struct Registry {
    setup: RegistrySetup,
    links: BTreeMap<u64, Vec<u8>>,
    linked: VecDeque<(u64, Linked)>,
}

impl Registry {
    pub(in super::super) fn new(setup: &RegistrySetup) -> Self {
        Self { setup: setup.clone(), links: BTreeMap::new(), linked: VecDeque::new() }
    }

    fn page(&self, own: Ipv4Addr, request: &Request) -> Vec<u8> {
        let json = "application/json";
        if self.setup.has(RegistryQuirk::Fails) {
            return answer(
                500,
                "Internal Server Error",
                json,
                &[],
                r#"{"code":500,"error":"It broke","debug":null}"#,
            );
        }
        let path = request.path.trim_end_matches('/');
        if path == "/x-nmos/query" {
            return answer(200, "OK", json, &[], r#"["v1.2/","v1.3/"]"#);
        }
        if !matches!(path, "/x-nmos/query/v1.3/nodes" | "/x-nmos/query/v1.2/nodes") {
            return answer(404, "Not Found", json, &[], r#"{"code":404,"error":"Not Found","debug":null}"#);
        }
        let asked =
            |key: &str| request.query.split('&').find_map(|pair| pair.strip_prefix(key)?.strip_prefix('='));
        // The first was registered first; the moment of each is its number.
        let until: usize = asked("paging.until")
            .and_then(|text| text.split(':').next()?.parse().ok())
            .unwrap_or(self.setup.known.len());
        let limit = asked("paging.limit")
            .and_then(|text| text.parse().ok())
            .unwrap_or(self.setup.page)
            .min(self.setup.page);
        let end = until.min(self.setup.known.len());
        let begin = end.saturating_sub(limit);
        let node = |known: &Known| {
            json!({ "id": known.id, "label": known.label, "hostname": "", "version": "1:0", "caps": {}, "services": [],
                "href": format!("http://{}:{}/", known.address, known.port), "clocks": [],
                "api": { "versions": ["v1.3"], "endpoints": [{ "host": known.address.to_string(), "port": known.port, "protocol": "http" }] },
                "interfaces": [{ "name": "eth0", "chassis_id": null, "port_id": known.mac }] })
        };
        let nodes: Vec<Value> = self.setup.known[begin..end].iter().rev().map(node).collect();
        let host = if self.setup.has(RegistryQuirk::LeadsAway) { Ipv4Addr::new(192, 168, 1, 1) } else { own };
        let base = format!("http://{host}:{}{path}", self.setup.port);
        let before = if self.setup.has(RegistryQuirk::Circles) { end } else { begin };
        let link = format!(
            "Link: <{base}?paging.until={before}:0&paging.limit={limit}>; rel=\"prev\", <{base}?paging.since={end}:0&paging.limit={limit}>; rel=\"next\""
        );
        let fields = if self.setup.has(RegistryQuirk::OnePage) { Vec::new() } else { vec![link.as_str()] };
        answer(200, "OK", json, &fields, &Value::from(nodes).to_string())
    }
}

impl Role for Registry {
    fn link_port(&self) -> Option<u16> {
        Some(self.setup.port)
    }

    fn opened(&mut self, _: Duration, link: u64) {
        self.links.insert(link, Vec::new());
    }

    fn heard_on(&mut self, _: Duration, body: &mut Body, link: u64, bytes: &[u8]) {
        let Some(heard) = self.links.get_mut(&link) else { return };
        heard.extend_from_slice(bytes);
        let Some(request) = Request::read(heard) else { return };
        self.links.remove(&link);
        let page = self.page(body.ip.address, &request);
        self.linked.extend([Linked::Bytes(page), Linked::Close].map(|said| (link, said)));
    }

    fn closed(&mut self, link: u64) {
        self.links.remove(&link);
    }

    fn next_linked(&mut self) -> Option<(u64, Linked)> {
        self.linked.pop_front()
    }

    fn wake_at(&self) -> Option<Duration> {
        None
    }

    fn wake(&mut self, _: Duration, _: &mut Body) {}

    fn next(&mut self) -> Option<Utterance> {
        None
    }
}
