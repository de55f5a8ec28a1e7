//! What the sheet plans as the configuration of a server that gives addresses for good.

use std::collections::BTreeSet;
use std::fmt::Write;

use serde_json::{Value, json};

use super::{LeasePlan, LeaseWishes, Place};
use crate::sheet::{Network, RigSheet};

/// For how long such a server gives an address, in seconds: 30 days, and half a day out of a pool.
const LONG: u32 = 2_592_000;
const SHORT: u32 = 43_200;

/// A configuration, and who has no place in it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ServerFile {
    /// The text of the file.
    pub text: String,
    /// The devices that the server could not know, since the sheet does not say their MAC addresses.
    pub left_out: Vec<String>,
}

/// The places of one network of the sheet that the server can know.
struct Part<'s> {
    network: &'s Network,
    known: Vec<(&'s Place, String)>,
}

fn parts<'s>(sheet: &'s RigSheet, plan: &'s LeasePlan) -> Vec<Part<'s>> {
    let of = |network: &'s Network| {
        let here = plan.places.iter().filter(|place| network.range.value.contains(place.terms.address));
        let known = here.filter_map(|place| Some((place, place.mac?.to_string()))).collect();
        Part { network, known }
    };
    let parts = sheet.networks.iter().map(of);
    parts.filter(|part| !part.known.is_empty() || !part.network.dhcp.is_empty()).collect()
}

fn plan_of(sheet: &RigSheet) -> (LeasePlan, Vec<String>) {
    // Without wishes there is no name that could be unknown.
    let plan = LeasePlan::by_sheet(sheet, &LeaseWishes::default()).unwrap_or_default();
    let unknown = plan.places.iter().filter(|place| place.mac.is_none());
    let left_out = unknown.map(|place| place.name.clone()).collect();
    (plan, left_out)
}

/// A host name that nobody had before; empty for none.
fn own_name<'p>(taken: &mut BTreeSet<&'p str>, place: &'p Place) -> &'p str {
    let name = place.terms.host_name.as_str();
    if taken.insert(name) { name } else { "" }
}

/// For dnsmasq(8): who is on the sheet gets its address, others out of the pools of the sheet, if there are any.
#[must_use]
pub fn to_dnsmasq(sheet: &RigSheet) -> ServerFile {
    let (plan, left_out) = plan_of(sheet);
    let name = sheet.name.value.escape_debug();
    let mut text = format!("# {name}\n# Addresses only: no name server.\nport=0\ndhcp-authoritative\n");
    let mut taken = BTreeSet::new();
    let mut add = |line: String| {
        text += &line;
        text.push('\n');
    };
    for (at, Part { network, known }) in parts(sheet, &plan).iter().enumerate() {
        let (range, tag) = (network.range.value, format!("net{}", at + 1));
        add(format!("\n# {}: {range}", network.name.value.escape_debug()));
        add(format!("dhcp-range=set:{tag},{},static,{},{LONG}", range.network(), range.mask().dotted()));
        for pool in &network.dhcp {
            let (first, last) = (pool.value.first(), pool.value.last());
            add(format!("dhcp-range=set:{tag},{first},{last},{},{SHORT}", range.mask().dotted()));
        }
        // Named without a value it is not told at all: else the server tells its own address.
        let router = network.way_out().map(|way_out| format!(",{way_out}")).unwrap_or_default();
        add(format!("dhcp-option=tag:{tag},option:router{router}"));
        for (place, mac) in known {
            let host = match own_name(&mut taken, place) {
                "" => String::new(),
                host => format!(",{host}"),
            };
            add(format!("dhcp-host={mac},{}{host},{LONG}", place.terms.address));
        }
    }
    for name in &left_out {
        // Writing to a text does not fail.
        writeln!(text, "# {} is left out: the sheet does not say its MAC address", name.escape_debug())
            .unwrap_or(());
    }
    ServerFile { text, left_out }
}

/// For the DHCPv4 server of Kea: the same as its JSON. Of where it keeps its leases it says what the server does by itself.
#[must_use]
pub fn to_kea(sheet: &RigSheet) -> ServerFile {
    let (plan, left_out) = plan_of(sheet);
    let mut taken = BTreeSet::new();
    let mut subnets = Vec::new();
    for (at, Part { network, known }) in parts(sheet, &plan).iter().enumerate() {
        let pools: Vec<Value> = network
            .dhcp
            .iter()
            .map(|pool| json!({ "pool": format!("{} - {}", pool.value.first(), pool.value.last()) }))
            .collect();
        let options: Vec<Value> = network
            .way_out()
            .iter()
            .map(|way_out| json!({ "name": "routers", "data": way_out.to_string() }))
            .collect();
        let reservations: Vec<Value> = known
            .iter()
            .map(|(place, mac)| {
                let mut one = json!({ "hw-address": mac, "ip-address": place.terms.address.to_string() });
                let host = own_name(&mut taken, place);
                if !host.is_empty() {
                    one["hostname"] = host.into();
                }
                one
            })
            .collect();
        subnets.push(json!({
            "id": at + 1,
            "subnet": network.range.value.to_string(),
            "pools": pools,
            "option-data": options,
            "reservations": reservations,
        }));
    }
    let file = json!({ "Dhcp4": {
        "interfaces-config": { "interfaces": ["*"] },
        "lease-database": { "type": "memfile" },
        "valid-lifetime": LONG,
        "host-reservation-identifiers": ["hw-address"],
        "subnet4": subnets,
    }});
    ServerFile { text: format!("{file:#}\n"), left_out }
}
