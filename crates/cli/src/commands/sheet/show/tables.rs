//! The rig in tables.

use std::io;

use lantern_core::Direction;
use lantern_core::clash::Loads;
use lantern_core::sheet::{Member, RigSheet, SheetNode, SheetPort};
use lantern_core::view::{AddressState, Run, address_runs, universe_uses};

use crate::output::{Cell, Out, Table, Tone};

/// The most names told of one row.
const MOST_NAMES: usize = 4;

/// Each area under its heading, then what stands in none.
pub(super) fn by_area(sheet: &RigSheet, out: &mut Out) -> io::Result<()> {
    for (index, area) in sheet.areas.iter().enumerate() {
        let range = area.range.as_ref().map(|range| range.value.to_string());
        let universes = area.universes.as_ref().map(|block| format!("universes {}", block.value));
        let network = sheet.networks[area.network].name.value.clone();
        let about: Vec<String> = [Some(network), range, universes].into_iter().flatten().collect();
        heading(out, &area.name.value, &about.join(", "))?;
        members(sheet, |member| member.area().map(|area| area.value) == Some(index), out)?;
    }
    if sheet.members().any(|member| member.area().is_none()) {
        heading(out, "Without an area", "")?;
        members(sheet, |member| member.area().is_none(), out)?;
    }
    Ok(())
}

fn heading(out: &mut Out, name: &str, about: &str) -> io::Result<()> {
    let paint = out.paint();
    let name = paint.dye(Tone::Strong, name);
    out.line(&if about.is_empty() { name } else { format!("{name}  {about}") })
}

fn members(sheet: &RigSheet, wanted: impl Fn(Member<'_>) -> bool, out: &mut Out) -> io::Result<()> {
    let mut table = Table::new(&["name", "address", "what", "universes"]).unbroken(&["name", "address"]);
    for member in sheet.members().filter(|member| wanted(*member)) {
        let address = member.address().map_or_else(|| "none".to_owned(), |(address, _)| address.to_string());
        let (what, universes) = match member {
            Member::Node(node) => (kind(sheet, node), ports_in_short(node)),
            Member::Source(source) => {
                let sends: Vec<String> = source.sends.iter().map(|block| block.value.to_string()).collect();
                (format!("source, {}", source.protocol), format!("sends {}", sends.join(", ")))
            }
            Member::Switch(_) => ("switch".to_owned(), String::new()),
        };
        table.row(vec![
            Cell::new(member.name().value.as_str(), Tone::Strong),
            open_or(address),
            what.into(),
            universes.into(),
        ]);
    }
    out.table(&table)?;
    out.line("")
}

fn open_or(text: String) -> Cell {
    let tone = if text == "fill" { Tone::Doubtful } else { Tone::Plain };
    Cell::new(text, tone)
}

fn kind(sheet: &RigSheet, node: &SheetNode) -> String {
    let named = || node.kind.as_ref().map(|kind| kind.value.clone()).unwrap_or_default();
    sheet.kind_of(node).map_or_else(named, lantern_core::sheet::kind::Kind::title)
}

/// Universes of a node in port order; runs of neighbours in one word.
fn ports_in_short(node: &SheetNode) -> String {
    let mut words: Vec<String> = Vec::new();
    let mut run: Option<(u16, u16)> = None;
    let mut last_flat = None;
    for port in &node.ports {
        let flat =
            port.universe.value.real().filter(|u| !u.is_sacn()).and_then(|u| Some(u.port_address()?.flat()));
        let goes_on = port.direction == Direction::Out && flat.is_some() && last_flat.map(|last| last + 1) == flat;
        match (&mut run, flat) {
            (Some((_, last)), Some(flat)) if goes_on => *last = flat,
            _ => {
                words.extend(run.take().map(in_short));
                match flat.filter(|_| port.direction == Direction::Out) {
                    Some(flat) => run = Some((flat, flat)),
                    None => words.push(port_in_short(port)),
                }
            }
        }
        last_flat = flat.filter(|_| port.direction == Direction::Out);
    }
    words.extend(run.map(in_short));
    words.join(", ")
}

fn in_short((first, last): (u16, u16)) -> String {
    let shown = |flat: u16| {
        lantern_core::universe::PortAddress::new(flat.into())
            .map(|address| address.to_string())
            .unwrap_or_default()
    };
    if first == last { shown(first) } else { format!("{} to {}", shown(first), shown(last)) }
}

fn port_in_short(port: &SheetPort) -> String {
    let universe = universe(port);
    match port.direction {
        Direction::Out => universe,
        Direction::In => format!("{universe} in"),
    }
}

fn universe(port: &SheetPort) -> String {
    port.universe.value.real().map_or_else(|| "fill".to_owned(), |universe| universe.to_string())
}

/// Each universe in a row.
pub(super) fn by_universe(sheet: &RigSheet, out: &mut Out) -> io::Result<()> {
    let mut table =
        Table::new(&["universe", "desk", "area", "sent by", "comes out of", "fixtures", "slots", "free from"])
            .unbroken(&["universe", "desk", "slots", "fixtures", "free from"]);
    for one in universe_uses(sheet) {
        let nobody = |names: &[String]| match names {
            [] => Cell::new("nobody", Tone::Faint),
            names => some_of(names).into(),
        };
        table.row(vec![
            Cell::new(one.universe.to_string(), Tone::Strong),
            one.desk.map(|desk| desk.to_string()).unwrap_or_default().into(),
            one.area.clone().unwrap_or_default().into(),
            nobody(&one.senders),
            nobody(&one.listeners),
            one.fixtures.to_string().into(),
            format!("{} of 512", one.used).into(),
            one.free_from.map_or_else(|| Cell::new("full", Tone::Doubtful), |slot| slot.to_string().into()),
        ]);
    }
    out.table(&table)
}

fn some_of(names: &[String]) -> String {
    let more = names.len().saturating_sub(MOST_NAMES);
    let shown = names[..names.len() - more].join(", ");
    if more > 0 { format!("{shown} and {more} more") } else { shown }
}

/// Each port of each node in a row.
pub(super) fn by_node(sheet: &RigSheet, out: &mut Out) -> io::Result<()> {
    let mut table =
        Table::new(&["node", "address", "kind", "MAC", "port", "universe", "merge", "splits", "on data loss"])
            .unbroken(&["node", "address", "MAC", "port", "universe"]);
    for node in &sheet.nodes {
        let head = |first: bool, text: String| if first { text } else { String::new() };
        for i in 0..node.ports.len().max(1) {
            let port = node.ports.get(i);
            let loss =
                port.and_then(|port| port.on_data_loss.as_ref()).or(node.on_data_loss.as_ref().filter(|_| i == 0));
            let mac = node.mac.as_ref().map(|mac| mac.value.to_string()).unwrap_or_default();
            table.row(vec![
                Cell::new(head(i == 0, node.name.value.clone()), Tone::Strong),
                open_or(head(i == 0, node.address.value.to_string())),
                head(i == 0, kind(sheet, node)).into(),
                head(i == 0, mac).into(),
                port.map(|port| format!("{} {}", port.number.value, port.direction)).unwrap_or_default().into(),
                open_or(port.map(universe).unwrap_or_default()),
                port.and_then(|port| port.merge.as_ref())
                    .map(|merge| merge.value.to_string())
                    .unwrap_or_default()
                    .into(),
                port.and_then(|port| port.splits.as_ref()).map(|n| n.value.to_string()).unwrap_or_default().into(),
                loss.map(|loss| loss.value.to_string()).unwrap_or_default().into(),
            ]);
        }
    }
    out.table(&table)
}

/// Each run of equal addresses in a row, one table for each network.
pub(super) fn by_address(sheet: &RigSheet, out: &mut Out) -> io::Result<()> {
    for (index, network) in sheet.networks.iter().enumerate() {
        heading(out, &network.name.value, &network.range.value.to_string())?;
        let mut table = Table::new(&["from", "to", "count", "state", "area", "who, and what it means"])
            .unbroken(&["from", "to", "count", "state", "area"]);
        for run in address_runs(sheet, index) {
            let words = network.in_words(run.first).filter(|_| run.count() == 1);
            let who =
                [Some(some_of(&run.who)).filter(|who| !who.is_empty()), words.map(|words| format!("({words})"))];
            table.row(vec![
                run.first.to_string().into(),
                run.last.to_string().into(),
                run.count().to_string().into(),
                Cell::new(run.state.to_string(), tone(&run)),
                run.area.clone().unwrap_or_default().into(),
                who.into_iter().flatten().collect::<Vec<_>>().join(" ").into(),
            ]);
        }
        out.table(&table)?;
        out.line("")?;
    }
    Ok(())
}

const fn tone(run: &Run) -> Tone {
    match run.state {
        AddressState::Node | AddressState::Source | AddressState::Switch => Tone::Strong,
        AddressState::Free => Tone::Good,
        AddressState::Pool | AddressState::Locked | AddressState::KeptFree | AddressState::Gateway => {
            Tone::Doubtful
        }
        AddressState::Unusable => Tone::Faint,
    }
}

/// Each stream in a row.
pub(super) fn by_stream(sheet: &RigSheet, out: &mut Out) -> io::Result<()> {
    let mut table =
        Table::new(&["stream", "carries", "from", "to", "group", "load"]).unbroken(&["stream", "group", "load"]);
    for stream in &sheet.streams {
        let to: Vec<String> = stream.to.iter().map(|to| sheet.end_name(to)).collect();
        table.row(vec![
            Cell::new(stream.name.value.as_str(), Tone::Strong),
            stream.carries.value.to_string().into(),
            sheet.end_name(&stream.from).into(),
            some_of(&to).into(),
            open_or(stream.group.value.to_string()),
            stream.load().map_or_else(|| "not known".to_owned(), |load| load.to_string()).into(),
        ]);
    }
    out.table(&table)
}

/// Each switch with its power, then its links.
pub(super) fn by_switch(sheet: &RigSheet, out: &mut Out) -> io::Result<()> {
    let loads = Loads::of(sheet);
    let mut table = Table::new(&["switch", "ports used", "power drawn", "of", "not known"]).unbroken(&["switch"]);
    for switch in &loads.switches {
        let sockets = switch.sockets.1.map_or_else(String::new, |all| format!(" of {all}"));
        table.row(vec![
            Cell::new(switch.name.as_str(), Tone::Strong),
            format!("{}{sockets}", switch.sockets.0).into(),
            switch.drawn.to_string().into(),
            switch.budget.map(|budget| budget.to_string()).unwrap_or_default().into(),
            some_of(&switch.unknown).into(),
        ]);
    }
    out.table(&table)?;
    out.line("")?;
    let mut table =
        Table::new(&["switch", "port", "to", "out", "back", "of"]).unbroken(&["switch", "out", "back"]);
    for link in &loads.links {
        table.row(vec![
            Cell::new(link.switch.name.as_str(), Tone::Strong),
            link.switch.port.to_string().into(),
            link.to.as_str().into(),
            link.out.to_string().into(),
            link.back.to_string().into(),
            link.capacity.map(|capacity| capacity.to_string()).unwrap_or_default().into(),
        ]);
    }
    out.table(&table)
}
