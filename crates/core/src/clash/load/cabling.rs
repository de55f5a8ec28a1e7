//! Who hangs where: sockets, chains, rings.

use std::collections::{HashMap, HashSet};

use super::{CHAIN_IN_CIRCLE, CHAIN_TOO_LONG, NO_SUCH_SOCKET, ON_TWO_SOCKETS, RING, SOCKET_TWICE};
use crate::clash::{named, repeated};
use crate::finding::Finding;
use crate::sheet::{Member, RigSheet, Switch, SwitchPort};

/// Which nodes hang directly behind which, and where each chain begins.
pub(super) struct Chains {
    behind: HashMap<usize, Vec<usize>>,
    circles: Vec<Vec<usize>>,
}

impl Chains {
    pub(super) fn of(sheet: &RigSheet) -> Self {
        let mut behind: HashMap<usize, Vec<usize>> = HashMap::new();
        for (index, node) in sheet.nodes.iter().enumerate() {
            if let Some(first) = &node.behind {
                behind.entry(first.value).or_default().push(index);
            }
        }
        let circles = circles(sheet);
        for node in circles.iter().flatten() {
            behind.remove(node);
        }
        Self { behind, circles }
    }

    /// A member and all that hangs behind it, itself first.
    pub(super) fn from(&self, member: usize) -> Vec<usize> {
        let mut all = vec![member];
        let mut next = 0;
        while let Some(member) = all.get(next) {
            all.extend(self.behind.get(member).into_iter().flatten());
            next += 1;
        }
        all
    }

    /// The nodes directly behind one.
    pub(super) fn directly_behind(&self, member: usize) -> &[usize] {
        self.behind.get(&member).map_or(&[], Vec::as_slice)
    }
}

/// Chains that lead back to where they begin.
fn circles(sheet: &RigSheet) -> Vec<Vec<usize>> {
    let mut done: HashSet<usize> = HashSet::new();
    let mut circles = Vec::new();
    for start in 0..sheet.nodes.len() {
        let mut path = Vec::new();
        let mut on_path = HashSet::new();
        let mut at = Some(start);
        while let Some(node) = at.filter(|node| !done.contains(node)) {
            if !on_path.insert(node) {
                let begins = path.iter().position(|other| *other == node).unwrap_or(0);
                circles.push(path[begins..].to_vec());
                break;
            }
            path.push(node);
            at = sheet.nodes.get(node).and_then(|node| node.behind.as_ref()).map(|first| first.value);
        }
        done.extend(path);
    }
    circles
}

pub(super) fn chain_clashes(sheet: &RigSheet, chains: &Chains) -> Vec<Finding> {
    let mut findings: Vec<Finding> = chains.circles.iter().map(|circle| in_circle(sheet, circle)).collect();
    let heads = sheet
        .nodes
        .iter()
        .enumerate()
        .filter(|(index, node)| node.behind.is_none() && !chains.directly_behind(*index).is_empty());
    findings.extend(heads.filter_map(|(head, _)| too_long(sheet, chains, head)));
    findings
}

fn in_circle(sheet: &RigSheet, circle: &[usize]) -> Finding {
    let names = named(circle.iter().map(|node| sheet.member_name(*node)), ", ");
    let finding =
        CHAIN_IN_CIRCLE.finding(format!("{names} each hang behind the next"), "take `behind` off the first");
    circle.iter().filter_map(|node| sheet.nodes.get(*node)).fold(finding, |finding, node| match &node.behind {
        Some(behind) => finding.at(sheet, behind.span, node.name.value.clone()),
        None => finding,
    })
}

/// The longest way from the head to an end, against the strictest limit of the units on it.
fn too_long(sheet: &RigSheet, chains: &Chains, head: usize) -> Option<Finding> {
    let mut longest: Vec<usize> = vec![head];
    let mut open = vec![vec![head]];
    while let Some(path) = open.pop() {
        let last = path.last().copied().unwrap_or(head);
        open.extend(chains.directly_behind(last).iter().map(|next| {
            let mut longer = path.clone();
            longer.push(*next);
            longer
        }));
        if path.len() > longest.len() {
            longest = path;
        }
    }
    let nodes = longest.iter().filter_map(|node| sheet.nodes.get(*node));
    let limit = nodes.clone().filter_map(|node| sheet.kind_of(node)?.chain).min()?;
    let units = u32::try_from(longest.len()).unwrap_or(u32::MAX);
    if units <= limit {
        return None;
    }
    let names = named(nodes.map(|node| &node.name.value), ", ");
    let what = format!("{units} units in one chain ({names}), {limit} are allowed");
    let remedy = format!("feed it in {} places from a switch", units.div_ceil(limit));
    let past = sheet.nodes.get(longest[usize::try_from(limit).unwrap_or(0)])?;
    let span = past.behind.as_ref()?.span;
    Some(CHAIN_TOO_LONG.finding(what, remedy).at(sheet, span, format!("unit {} of the chain", limit + 1)))
}

type Socket<'s> = (&'s Switch, &'s SwitchPort);

fn sockets(sheet: &RigSheet) -> impl Iterator<Item = Socket<'_>> {
    sheet.switches.iter().flat_map(|switch| switch.ports.iter().map(move |port| (switch, port)))
}

fn title((switch, port): &Socket<'_>) -> String {
    format!("{} port {}", switch.name.value, port.number.value)
}

pub(super) fn socket_clashes(sheet: &RigSheet) -> Vec<Finding> {
    let mut findings = Vec::new();
    for switch in &sheet.switches {
        let Some(sockets) = &switch.sockets else { continue };
        for port in switch.ports.iter().filter(|port| port.number.value > sockets.value) {
            let what = format!("{} has no port {}", switch.name.value, port.number.value);
            let finding = NO_SUCH_SOCKET.finding(what, format!("choose one of its {} ports", sockets.value));
            findings.push(finding.at(sheet, port.number.span, "no such port"));
        }
    }
    for group in repeated(sockets(sheet), |(switch, port)| (switch.name.span.start, port.number.value)) {
        let names = named(group.iter().map(|(_, port)| sheet.member_name(port.to.value)), " and ");
        let finding =
            SOCKET_TWICE.finding(format!("{} is used by {names}", title(&group[0])), "choose another port");
        findings
            .push(group.iter().rev().fold(finding, |f, socket| f.at(sheet, socket.1.number.span, title(socket))));
    }
    let of_devices =
        sockets(sheet).filter(|(_, port)| !matches!(sheet.member(port.to.value), Some(Member::Switch(_))));
    for group in repeated(of_devices, |(_, port)| port.to.value) {
        let name = sheet.member_name(group[0].1.to.value);
        let what = format!("{name} hangs on {}", named(group.iter().map(title), " and "));
        let finding = ON_TWO_SOCKETS.finding(what, "take it off one of them");
        findings.push(group.iter().rev().fold(finding, |f, socket| f.at(sheet, socket.1.to.span, title(socket))));
    }
    findings
}

/// A cable between two switches that are connected without it already. A cable may be written at both its ends.
pub(super) fn rings(sheet: &RigSheet) -> Vec<Finding> {
    let first_switch = sheet.nodes.len() + sheet.sources.len();
    let mut group: Vec<usize> = (0..sheet.switches.len()).collect();
    let mut written: HashSet<(usize, usize)> = HashSet::new();
    let mut findings = Vec::new();
    for (index, switch) in sheet.switches.iter().enumerate() {
        for port in &switch.ports {
            let Some(other) = port.to.value.checked_sub(first_switch).filter(|o| *o < group.len()) else {
                continue;
            };
            if written.contains(&(other, index)) {
                continue;
            }
            written.insert((index, other));
            let (a, b) = (root(&mut group, index), root(&mut group, other));
            if a != b {
                group[a] = b;
                continue;
            }
            let what = format!("{} leads back to {}", title(&(switch, port)), sheet.member_name(port.to.value));
            let finding = RING.finding(what, "leave one cable of the ring out, or take it off the sheet");
            findings.push(finding.at(sheet, port.to.span, "closes the ring"));
        }
    }
    findings
}

/// The switch that stands for all that are connected with this one.
fn root(group: &mut [usize], of: usize) -> usize {
    let mut at = of;
    while group[at] != at {
        group[at] = group[group[at]];
        at = group[at];
    }
    at
}
