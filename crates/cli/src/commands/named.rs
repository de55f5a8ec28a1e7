//! Nodes as somebody names them on the command line: by name, address or MAC address, several by a pattern.

use std::collections::BTreeSet;
use std::net::Ipv4Addr;

use lantern_core::census::{Census, DesignationError, Device, NodeName, Subject, Way};
use lantern_core::change::{Aspect, Part};
use lantern_core::compare::{FixtureState, compare_fixtures, planned_as};
use lantern_core::conversation::{Concern, Depth, OnCables};
use lantern_core::pattern::Pattern;
use lantern_core::sheet::{Fixture, Member, RigSheet, SheetNode};
use lantern_core::{MacAddress, Uid};

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
    let likely = likely(named, session.sheet());
    let on_cables = on_cables(named, session.sheet(), AboutFixtures::Perhaps, Depth::Settings);
    session.look_and_listen(concern(named, likely.iter().copied()), likely, Vec::new(), on_cables, out)
}

/// Looks for them, at these places too, and reads those of them that are fixtures so far. Where only their labels say which they
/// are, everybody is read for those, and then they alone.
pub(crate) fn look_into(
    session: &Session,
    named: &[String],
    likely: Vec<Ipv4Addr>,
    (about, depth): (AboutFixtures, Depth),
    out: &mut Out,
) -> Result<Look, Failure> {
    let concern = concern(named, likely.iter().copied());
    let on_cables = on_cables(named, session.sheet(), about, depth);
    let is_by_label = on_cables == OnCables::Read;
    let look = session.look_and_listen(concern.clone(), likely.clone(), Vec::new(), on_cables, out)?;
    let meant = subjects(named, &look.census, session.sheet()).unwrap_or_default();
    let uids: BTreeSet<Uid> = meant.iter().filter_map(Subject::fixture).map(|fixture| fixture.uid).collect();
    if !is_by_label || uids.is_empty() {
        return Ok(look);
    }
    let on_cables = OnCables::ReadSome { uids, beside: about == AboutFixtures::Surely, depth };
    session.look_and_listen(concern, likely, Vec::new(), on_cables, out)
}

/// Whether what is to be done is only done with fixtures.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum AboutFixtures {
    /// They may be meant.
    Perhaps,
    /// They are: those beside them on the cable matter too.
    Surely,
}

/// Which fixtures to read: those that are named by their identifier, or by what the sheet calls one; where that does not say
/// which they are, and fixtures are meant, all.
pub(crate) fn on_cables(
    named: &[String],
    sheet: Option<&RigSheet>,
    about: AboutFixtures,
    depth: Depth,
) -> OnCables {
    let mut uids = BTreeSet::new();
    for name in named {
        let (known, is_planned) =
            name.parse::<Uid>().map_or_else(|_| planned_uid(name, sheet), |uid| (Some(uid), true));
        match known {
            Some(uid) => {
                uids.insert(uid);
            }
            None if is_planned || about == AboutFixtures::Surely => return OnCables::Read,
            None => {}
        }
    }
    if uids.is_empty() {
        return OnCables::Nothing;
    }
    OnCables::ReadSome { uids, beside: about == AboutFixtures::Surely, depth }
}

/// Which fixtures to read so that these are known again.
pub(crate) fn known_on_cables(known: &[&NodeName], depth: Depth) -> OnCables {
    let fixtures = known.iter().filter(|node| node.family == Way::Rdm);
    let uids: BTreeSet<Uid> = fixtures.filter_map(|node| node.identity.as_ref()?.parse().ok()).collect();
    if uids.is_empty() { OnCables::Nothing } else { OnCables::ReadSome { uids, beside: false, depth } }
}

/// The identifier of the fixture that the sheet calls so, and whether there is one.
fn planned_uid(name: &str, sheet: Option<&RigSheet>) -> (Option<Uid>, bool) {
    let all = sheet.into_iter().flat_map(|sheet| &sheet.fixtures);
    let nth = |fixture: &Fixture| fixture.names().position(|own| own.eq_ignore_ascii_case(name));
    let found = all.into_iter().find_map(|fixture| Some((fixture, nth(fixture)?)));
    (found.and_then(|(fixture, nth)| fixture.uid(u32::try_from(nth).ok()?)), found.is_some())
}

/// The fixtures that the sheet calls so, as they were found.
fn planned_fixtures(is_meant: impl Fn(&str) -> bool, sheet: Option<&RigSheet>, census: &Census) -> Vec<Subject> {
    let Some(sheet) = sheet.filter(|_| !census.fixtures().is_empty()) else { return Vec::new() };
    let rows = compare_fixtures(sheet, census).rows;
    let found = rows.iter().filter(|row| is_meant(&row.name)).filter_map(|row| match &row.state {
        FixtureState::Found(found, _) => Some(Subject::of_fixture(found)),
        _ => None,
    });
    found.collect()
}

/// Where they may be, as far as their names tell, and the sheet that has them.
pub(crate) fn likely(named: &[String], sheet: Option<&RigSheet>) -> Vec<Ipv4Addr> {
    let planned = |name: &String| {
        let node = sheet?.nodes.iter().find(|node| node.name.value.eq_ignore_ascii_case(name))?;
        node.fixed_address()
    };
    named.iter().filter_map(|node| node.parse().ok().or_else(|| planned(node))).collect()
}

/// The devices that are meant, each once, in the order in which they are named.
pub(crate) fn subjects(
    named: &[String],
    census: &Census,
    sheet: Option<&RigSheet>,
) -> Result<Vec<Subject>, Failure> {
    let mut all: Vec<Subject> = Vec::new();
    for node in named {
        let meant = match pattern(node) {
            Some(pattern) => {
                let mut meant = planned_fixtures(|name| pattern.matches(name), sheet, census);
                match census.subjects(&pattern) {
                    Ok(more) => meant.extend(more),
                    Err(nobody) if meant.is_empty() => return Err(nobody.into()),
                    Err(_) => {}
                }
                meant
            }
            None => vec![subject(node, census, sheet)?],
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

/// Whoever is called so: a node, a unit, a fixture, or as the sheet calls a fixture.
pub(crate) fn subject(named: &str, census: &Census, sheet: Option<&RigSheet>) -> Result<Subject, Failure> {
    let nobody = match census.subject(named) {
        Err(nobody @ DesignationError::Nobody { .. }) => nobody,
        known => return Ok(known?),
    };
    let mut planned = planned_fixtures(|name| name.eq_ignore_ascii_case(named), sheet, census);
    planned.pop().ok_or_else(|| nobody.into())
}

/// The device that is called so, whatever it speaks: by address, MAC address, or name, also that of the sheet; by its family's identity
/// too.
pub(crate) fn device<'a>(named: &str, look: &'a Look, sheet: Option<&RigSheet>) -> Result<&'a Device, Failure> {
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
    let subject = match look.census.subject(named) {
        Ok(subject) => subject,
        Err(nobody) => {
            let is_planned = |device: &&Device| {
                let planned = sheet.and_then(|sheet| planned_as(sheet, device));
                planned.is_some_and(|node| node.name.value.eq_ignore_ascii_case(named))
            };
            return Ok(look.devices.iter().find(is_planned).ok_or(nobody)?);
        }
    };
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
                let device = device(target, &look, session.sheet())?;
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

/// The node of the sheet that is called so, or has this address or MAC address.
pub(super) fn planned<'a>(sheet: &'a RigSheet, called: &str) -> Option<&'a SheetNode> {
    let mac: Option<MacAddress> = called.parse().ok();
    let address: Option<Ipv4Addr> = called.parse().ok();
    let is_it = |node: &&SheetNode| match (mac, address) {
        (Some(mac), _) => node.mac.as_ref().is_some_and(|one| one.value == mac),
        (None, Some(address)) => node.fixed_address() == Some(address),
        (None, None) => node.name.value.eq_ignore_ascii_case(called),
    };
    sheet.nodes.iter().find(is_it)
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
    let is_fixture = |pattern: &Pattern| {
        let mut names = file.sheet.fixtures.iter().flat_map(|one| one.names().chain([one.name.value.clone()]));
        names.any(|name| pattern.matches(&name))
    };
    let is_nobody =
        |pattern: &&Pattern| !there.iter().any(|node| pattern.matches(&node.name.value)) && !is_fixture(pattern);
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
