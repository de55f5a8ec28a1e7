//! The levels of a universe as text.

use lantern_core::conversation::Listening;
use lantern_core::levels::{HeardSource, Levels, SLOTS, Slots};
use lantern_core::watch::Flow;
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Out, counted};
use crate::session::Session;

/// Slots in a line.
pub(super) const IN_LINE: usize = 32;

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    universe: String,
    protocol: &'static str,
    /// What a node makes of it that takes the highest of those with the highest priority.
    levels: &'a [u8],
    sources: Vec<Source<'a>>,
}

#[derive(Debug, Serialize)]
struct Source<'a> {
    address: std::net::Ipv4Addr,
    name: &'a str,
    cid: Option<String>,
    priority: Option<u8>,
    preview: bool,
    live: bool,
    rate: u32,
    messages: u64,
    gaps: u64,
    slots: usize,
    levels: &'a [u8],
}

/// Tells what was heard; ends with 1 where nobody sends.
pub(super) fn tell(session: &Session, listening: &Listening, out: &mut Out) -> Result<Exit, Failure> {
    let levels = listening.levels();
    let (merged, rivals) = levels.merged();
    let exit = if rivals == 0 { Exit::Wrong } else { Exit::Fine };
    if out.is_json() {
        let source = |one: &'_ HeardSource| levels.flow(one).map(|flow| (one.clone(), flow.clone()));
        let all: Vec<(HeardSource, Flow)> = levels.sources().iter().filter_map(source).collect();
        let universe = levels.universe();
        let answer = Answer {
            format: 1,
            universe: universe.to_string(),
            protocol: protocol(levels),
            levels: &merged[..],
            sources: all.iter().map(|(one, flow)| answer_of(one, flow)).collect(),
        };
        out.object(&answer)?;
        return Ok(exit);
    }
    for line in heads(session, levels) {
        out.line(&line)?;
    }
    if rivals > 0 {
        out.text("\n")?;
        for line in grid(&merged, out.width()) {
            out.line(&line)?;
        }
    }
    if listening.unreadable() > 0 {
        let count = usize::try_from(listening.unreadable()).unwrap_or(usize::MAX);
        out.note(&format!("{} could not be read", counted(count, "message")))?;
    }
    if rivals == 0 {
        out.hint("what a desk sends by Art-Net to single nodes does not come here: deft-lantern check says what they get")?;
    }
    Ok(exit)
}

fn protocol(levels: &Levels) -> &'static str {
    match levels.universe() {
        lantern_core::universe::Universe::ArtNet(_) => "art-net",
        lantern_core::universe::Universe::Sacn(_) => "sacn",
    }
}

fn answer_of<'a>(one: &'a HeardSource, flow: &'a Flow) -> Source<'a> {
    Source {
        address: one.address,
        name: flow.name.raw(),
        cid: one.cid.map(|cid| cid.to_string()),
        priority: flow.priority,
        preview: flow.preview,
        live: flow.is_live,
        rate: flow.rate,
        messages: flow.heard,
        gaps: flow.gaps,
        slots: one.count,
        levels: &one.slots[..],
    }
}

/// Who sends it, a line each.
pub(super) fn heads(session: &Session, levels: &Levels) -> Vec<String> {
    let universe = levels.universe().in_words();
    let (_, rivals) = levels.merged();
    let how = match rivals {
        0 => "nobody sends it that reaches this computer".to_owned(),
        1 => "one source".to_owned(),
        more => format!("{more} sources with the same right: the highest level of each slot is shown"),
    };
    let mut lines = vec![format!("{universe}: {how}")];
    let desk = |one: &HeardSource, flow: &Flow| {
        let planned = session
            .sheet()
            .and_then(|sheet| sheet.members().find(|member| member.fixed_address() == Some(one.address)));
        planned.map_or_else(
            || flow.title(),
            |member| format!("{} ({})", lantern_core::Said::from(member.name().value.as_str()), one.address),
        )
    };
    for one in levels.sources() {
        let Some(flow) = levels.flow(one) else { continue };
        let priority = flow.priority.map(|priority| format!(", priority {priority}")).unwrap_or_default();
        let state = match (flow.is_live, flow.preview) {
            (false, _) => ", no more",
            (true, true) => ", for visualisers only",
            (true, false) => "",
        };
        let gaps = if flow.gaps == 0 { String::new() } else { format!(", {} missing", flow.gaps) };
        lines.push(format!(
            "  {}{priority}, {} a second, {} slots{gaps}{state}",
            desk(one, flow),
            flow.rate,
            one.count
        ));
    }
    lines
}

/// The slots as numbers: decimal where there is room, else in hundredths, `FF` for full.
pub(super) fn grid(slots: &Slots, width: usize) -> Vec<String> {
    let line = |first: usize| {
        let cells: String = slots[first..first + IN_LINE].iter().map(|level| cell(*level, width)).collect();
        format!("{:>4} {cells}", first + 1)
    };
    (0..SLOTS).step_by(IN_LINE).map(line).collect()
}

/// Whether levels are written in decimals in so many columns.
pub(super) const fn is_wide(width: usize) -> bool {
    width >= 5 + IN_LINE * 4
}

/// One level in as many columns as the width has for it.
pub(super) fn cell(level: u8, width: usize) -> String {
    if is_wide(width) {
        return if level == 0 { "   ·".to_owned() } else { format!("{level:>4}") };
    }
    match level {
        0 => " ·".to_owned(),
        u8::MAX => "FF".to_owned(),
        // What is not dark is shown as not dark.
        level => format!("{:>2}", (u16::from(level) * 100 / 255).max(1)),
    }
}
