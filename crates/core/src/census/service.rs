//! Services that devices tell by multicast DNS.

use std::collections::{BTreeMap, BTreeSet};
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use lantern_wire::dns_sd::{self, Answer, EVERY_TYPE, Fact};
use serde::{Deserialize, Serialize};

use super::meaning::Meaning;
use crate::{Said, as_text};

/// A service of a device.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Service {
    /// What this instance is called.
    pub name: Said,
    /// The type of service, as registered: `_http._tcp`.
    pub kind: Said,
    /// What the type means, where it is one of the open registrations known here.
    pub meaning: Option<Meaning>,
    /// The host it runs on.
    pub host: Said,
    /// The host's address; the one that told of it when the host's own is not known.
    pub address: Ipv4Addr,
    /// The host's MAC address, where it told of itself and frames are seen.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// The port; 0 when it was not told.
    pub port: u16,
    /// What it tells about itself.
    pub text: Vec<Said>,
}

/// What was told so far, name by name.
#[derive(Debug, Clone, Default)]
pub(crate) struct Services {
    /// Types of services.
    types: BTreeSet<String>,
    instances: BTreeMap<String, Instance>,
    hosts: BTreeMap<String, Ipv4Addr>,
    overlooked: u64,
}

#[derive(Debug, Clone)]
struct Instance {
    told_by: Ipv4Addr,
    /// The MAC address it was told from, where frames are seen.
    mac: Option<MacAddress>,
    target: Option<(String, u16)>,
    text: Vec<String>,
}

impl Services {
    const MOST: usize = 4096;
    /// The most lines kept of what an instance tells about itself.
    const MOST_TEXT: usize = 32;

    /// Takes in answers that came from this address. Gives the types that were not known before.
    pub(crate) fn take(&mut self, from: (Ipv4Addr, Option<MacAddress>), answers: &[Answer]) -> Vec<String> {
        let mut new_types = Vec::new();
        for answer in answers {
            if self.types.len() + self.instances.len() + self.hosts.len() >= Self::MOST {
                self.overlooked += 1;
                break;
            }
            let name = answer.name.to_lowercase();
            if answer.is_over {
                self.end(&name, answer);
                continue;
            }
            match &answer.fact {
                Fact::Pointer(kind) if name == EVERY_TYPE => {
                    let kind = kind.to_lowercase();
                    if self.types.insert(kind.clone()) {
                        new_types.push(kind);
                    }
                }
                Fact::Pointer(instance) if dns_sd::parent(instance).to_lowercase() == name => {
                    self.instance(from, instance);
                }
                Fact::Service { host, port } => {
                    self.instance(from, &answer.name).target = Some((host.to_lowercase(), *port));
                }
                Fact::Text(pairs) => {
                    let pairs = pairs.iter().filter(|pair| !pair.is_empty()).take(Self::MOST_TEXT);
                    self.instance(from, &answer.name).text = pairs.cloned().collect();
                }
                Fact::Address(address) => {
                    self.hosts.insert(name, *address);
                }
                Fact::Pointer(_) => {}
            }
        }
        new_types
    }

    /// Takes in that something is over.
    fn end(&mut self, name: &str, answer: &Answer) {
        match &answer.fact {
            Fact::Pointer(instance) => drop(self.instances.remove(instance)),
            Fact::Service { .. } => drop(self.instances.remove(&answer.name)),
            Fact::Address(_) => drop(self.hosts.remove(name)),
            Fact::Text(_) => {}
        }
    }

    fn instance(&mut self, (told_by, mac): (Ipv4Addr, Option<MacAddress>), name: &str) -> &mut Instance {
        let new = || Instance { told_by, mac, target: None, text: Vec::new() };
        self.instances.entry(name.to_owned()).or_insert_with(new)
    }

    pub(crate) fn sorted(&self) -> Vec<Service> {
        let mut all: Vec<Service> =
            self.instances.iter().map(|(name, instance)| self.service(name, instance)).collect();
        all.sort_by(|a, b| (a.address, &a.kind, &a.name).cmp(&(b.address, &b.kind, &b.name)));
        all
    }

    fn service(&self, name: &str, instance: &Instance) -> Service {
        let kind = dns_sd::parent(name).to_lowercase();
        let kind = kind.strip_suffix(".local.").unwrap_or(&kind);
        let (host, port) = instance.target.clone().unwrap_or_default();
        let address = self.hosts.get(&host).copied().unwrap_or(instance.told_by);
        Service {
            name: dns_sd::first_label(name).into(),
            kind: kind.into(),
            meaning: Meaning::of(kind),
            address,
            // Somebody may tell for others.
            mac: instance.mac.filter(|_| address == instance.told_by),
            host: host.strip_suffix(".local.").unwrap_or(&host).into(),
            port,
            text: instance.text.iter().map(|pair| pair.as_str().into()).collect(),
        }
    }

    pub(crate) const fn overlooked(&self) -> u64 {
        self.overlooked
    }
}
