//! Renaming nodes, sources and switches, and everything that refers to them.

use std::collections::HashMap;

use super::{ReworkError, Series};
use crate::sheet::{Edits, RigSheet};

/// Gives everything whose name fits `pattern` (`*` stands for any letters, `?` for one) a name of the series, in the
/// order of the sheet.
///
/// # Errors
/// When nothing fits, or as many names are given as do not fit.
pub fn rename(sheet: &RigSheet, pattern: &str, series: &Series) -> Result<Edits, ReworkError> {
    let all: Vec<_> = sheet.members().enumerate().filter(|(_, m)| fits(pattern, &m.name().value)).collect();
    if all.is_empty() {
        return Err(ReworkError::NoneNamed(pattern.to_owned()));
    }
    if all.len() != series.names().len() {
        let (found, given) = (all.len(), series.names().len());
        return Err(ReworkError::OtherCount { pattern: pattern.to_owned(), found, given });
    }
    let mut in_order = all;
    in_order.sort_by_key(|(_, member)| member.name().span.start);
    let new: HashMap<usize, &str> =
        in_order.iter().zip(series.names()).map(|((place, _), name)| (*place, name.as_str())).collect();
    let mut edits = Edits::default();
    for (place, member) in &in_order {
        if new[place] != member.name().value {
            edits.quote(member.name().span, new[place]);
        }
    }
    let nodes = sheet.nodes.iter().flat_map(|node| [&node.clone_of, &node.behind]).flatten();
    for end in sheet.streams.iter().flat_map(|stream| stream.to.iter().chain([&stream.from])) {
        if let Some(name) = new.get(&end.member.value).filter(|name| **name != sheet.member_name(end.member.value))
        {
            let label = end.label.as_ref().map(|label| format!("/{label}")).unwrap_or_default();
            edits.quote(end.member.span, &format!("{name}{label}"));
        }
    }
    let maps = sheet.channel_maps.iter().map(|map| &map.node);
    let cables = sheet.switches.iter().flat_map(|switch| switch.ports.iter().map(|port| &port.to));
    let hanging = sheet.fixtures.iter().filter_map(|fixture| fixture.behind.as_ref());
    let spoken_to = sheet.sequences.iter().flat_map(|sequence| sequence.steps.iter().map(|step| &step.node));
    for reference in nodes.chain(maps).chain(cables).chain(hanging).chain(spoken_to) {
        if let Some(name) = new.get(&reference.value).filter(|name| **name != sheet.member_name(reference.value)) {
            edits.quote(reference.span, name);
        }
    }
    Ok(edits)
}

/// Whether a name fits a pattern. Bounded: each star is tried from where the last one began.
fn fits(pattern: &str, name: &str) -> bool {
    let (pattern, name): (Vec<char>, Vec<char>) = (pattern.chars().collect(), name.chars().collect());
    let (mut p, mut n) = (0, 0);
    let mut star: Option<(usize, usize)> = None;
    while n < name.len() {
        match pattern.get(p) {
            Some('*') => {
                star = Some((p, n));
                p += 1;
            }
            Some(c) if *c == '?' || *c == name[n] => (p, n) = (p + 1, n + 1),
            _ => match star {
                Some((at, from)) => {
                    star = Some((at, from + 1));
                    (p, n) = (at + 1, from + 1);
                }
                None => return false,
            },
        }
    }
    pattern[p..].iter().all(|c| *c == '*')
}
