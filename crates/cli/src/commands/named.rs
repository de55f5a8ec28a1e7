//! Nodes as somebody names them on the command line: by name, address or MAC address, several by a pattern.

use std::net::Ipv4Addr;

use lantern_core::MacAddress;
use lantern_core::census::{Census, DesignationError, Device, Subject};
use lantern_core::conversation::Concern;
use lantern_core::pattern::Pattern;

use crate::failure::Failure;
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

/// The pattern, where it may mean several.
pub(crate) fn pattern(node: &str) -> Option<Pattern> {
    node.parse::<Pattern>().ok().filter(Pattern::is_open)
}
