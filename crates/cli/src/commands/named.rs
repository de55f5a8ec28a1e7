//! Nodes as somebody names them on the command line: by name, address or MAC address, several by a pattern.

use std::net::Ipv4Addr;

use lantern_core::MacAddress;
use lantern_core::census::{Census, DesignationError, Device, Subject};
use lantern_core::change::{Aspect, Part};
use lantern_core::conversation::Concern;
use lantern_core::pattern::Pattern;
use lantern_core::sheet::{Member, RigSheet, SheetNode};

use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::Out;
use crate::session::{Look, Session};

/// Whom it is about: one node is looked for by itself, at these addresses too, several among everybody.
pub(crate) fn concern(named: &[String], at: impl IntoIterator<Item = Ipv4Addr>) -> Concern {
    match named {
        [only] if pattern(only).is_none() => Concern::of_one(only, at),
        _ => Concern::Everybody,
    }
}

/// Looks for them.
pub(crate) fn look(session: &Session, named: &[String], out: &mut Out) -> Result<Look, Failure> {
    let likely = likely(named);
    session.look(concern(named, likely.iter().copied()), likely, out)
}

/// Where they may be, as far as their names tell.
fn likely(named: &[String]) -> Vec<Ipv4Addr> {
    named.iter().filter_map(|node| node.parse().ok()).collect()
}

/// The devices that are meant, each once, in the order in which they are named.
pub(crate) fn subjects(named: &[String], census: &Census) -> Result<Vec<Subject>, Failure> {
    let mut all: Vec<Subject> = Vec::new();
    for node in named {
        let meant = match pattern(node) {
            Some(pattern) => census.subjects(&pattern)?,
            None => vec![census.subject(node)?],
        };
        for subject in meant {
            let identity = subject.node_name().identity();
            if !all.iter().any(|one| one.node_name().identity() == identity) {
                all.push(subject);
            }
        }
    }
    Ok(all)
}

/// The device that is called so, whatever it speaks: by address, MAC address, or name; by its family's identity too.
pub(crate) fn device<'a>(named: &str, look: &'a Look) -> Result<&'a Device, Failure> {
    let mac: Option<MacAddress> = named.parse().ok();
    let address: Option<Ipv4Addr> = named.parse().ok();
    let is_called = |device: &&Device| match (mac, address) {
        (Some(mac), _) => device.mac == Some(mac),
        (_, Some(address)) => device.addresses.contains(&address),
        _ => device.name.raw().eq_ignore_ascii_case(named),
    };
    let meant: Vec<&Device> = look.devices.iter().filter(is_called).collect();
    if let [only] = meant[..] {
        return Ok(only);
    }
    // Who is meant otherwise, or why nobody is, the nodes and units say.
    let subject = look.census.subject(named)?;
    let is_it = |device: &&Device| {
        subject.macs().any(|mac| Some(mac) == device.mac) || device.addresses.contains(&subject.address())
    };
    let nobody = || DesignationError::Nobody { wanted: named.to_owned(), near: None };
    Ok(look.devices.iter().find(is_it).ok_or_else(nobody)?)
}

/// The address of each target: as it is written, as the sheet has it, as it was seen lately, or as somebody says who is called so
/// now.
pub(super) fn addresses(
    named: &[String],
    session: &Session,
    out: &mut Out,
) -> Result<Vec<(String, Ipv4Addr)>, Failure> {
    let mut all = Vec::new();
    let mut seen: Option<Look> = None;
    for target in named {
        let known = target.parse().ok().or_else(|| on_sheet(target, session.sheet()));
        let address = match known {
            Some(address) => address,
            None => {
                let look = match seen.take() {
                    Some(look) => look,
                    None => session.look(Concern::Everybody, Vec::new(), out)?,
                };
                let device = device(target, &look)?;
                let nobody = || DesignationError::Nobody { wanted: target.clone(), near: None };
                let address = device.address.ok_or_else(nobody)?;
                seen = Some(look);
                address
            }
        };
        all.push((target.clone(), address));
    }
    Ok(all)
}

/// Where the sheet has whoever is called so: a node, a source or a switch, or a MAC address.
pub(super) fn on_sheet(target: &str, sheet: Option<&RigSheet>) -> Option<Ipv4Addr> {
    let sheet = sheet?;
    let mac: Option<MacAddress> = target.parse().ok();
    let by_mac = || sheet.nodes.iter().find(|node| mac.is_some() && node.mac.as_ref().map(|one| one.value) == mac);
    let named = sheet.members().find(|member| member.name().value.eq_ignore_ascii_case(target));
    named.and_then(Member::fixed_address).or_else(|| by_mac().and_then(SheetNode::fixed_address))
}

/// The part of a sheet that these nodes and areas are; whoever is named must be on it.
pub(crate) fn part(
    file: &SheetFile,
    nodes: &[Pattern],
    areas: &[String],
    only: Vec<Aspect>,
) -> Result<Part, Failure> {
    let there = &file.sheet.nodes;
    let is_nobody = |pattern: &&Pattern| !there.iter().any(|node| pattern.matches(&node.name.value));
    if let Some(wanted) = nodes.iter().find(is_nobody) {
        let there = there.iter().map(|node| node.name.value.clone()).collect();
        return Err(Failure::NotOnSheet { wanted: wanted.to_string(), there });
    }
    areas.iter().try_for_each(|area| file.area(area).map(drop))?;
    Ok(Part { nodes: nodes.to_vec(), areas: areas.to_vec(), only })
}

/// The pattern, where it may mean several.
pub(crate) fn pattern(node: &str) -> Option<Pattern> {
    node.parse::<Pattern>().ok().filter(Pattern::is_open)
}
