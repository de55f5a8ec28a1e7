//! Shifting universes, each in the notation it was written in.

use super::ReworkError;
use crate::sheet::{AskedUniverse, Edits, RigSheet, Span};
use crate::universe::{DeskBase, PortAddress, SacnUniverse, Universe, UniverseBlock};

/// What is shifted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Renumbered {
    /// Only nodes and the block of this area, by its place in [`RigSheet::areas`].
    pub area: Option<usize>,
    /// Only universes of this block.
    pub within: Option<UniverseBlock>,
    /// Ports, and nothing else.
    pub ports_only: bool,
}

/// Shifts universes of ports, and with them those of fixtures, sources and areas' blocks.
///
/// # Errors
/// When a universe would leave what the standard allows.
pub fn renumber(sheet: &RigSheet, by: i32, what: &Renumbered) -> Result<Edits, ReworkError> {
    let mut shift = Shift { sheet, by, what, edits: Edits::default(), moved: Vec::new() };
    for node in &sheet.nodes {
        if what.area.is_some() && node.area.as_ref().map(|area| area.value) != what.area {
            continue;
        }
        for port in &node.ports {
            let place = format!("{} port {}", node.name.value, port.number.value);
            shift.universe(&place, &port.universe.value, port.universe.span)?;
        }
    }
    if what.ports_only {
        return Ok(shift.edits);
    }
    for fixture in &sheet.fixtures {
        // Of an area's renumbering, the fixtures on its universes go with it.
        let goes_along = fixture.on.value.real().is_some_and(|universe| shift.moved.contains(&universe));
        if what.area.is_none() || goes_along {
            shift.universe(&fixture.name.value, &fixture.on.value, fixture.on.span)?;
        }
    }
    for (index, area) in sheet.areas.iter().enumerate() {
        if let Some(block) = area.universes.as_ref().filter(|_| what.area.is_none_or(|only| only == index)) {
            shift.block(&area.name.value, block.value, block.span)?;
        }
    }
    for source in sheet.sources.iter().filter(|_| what.area.is_none()) {
        for block in &source.sends {
            shift.block(&source.name.value, block.value, block.span)?;
        }
    }
    Ok(shift.edits)
}

struct Shift<'s> {
    sheet: &'s RigSheet,
    by: i32,
    what: &'s Renumbered,
    edits: Edits,
    moved: Vec<Universe>,
}

impl Shift<'_> {
    fn universe(&mut self, place: &str, asked: &AskedUniverse, span: Span) -> Result<(), ReworkError> {
        let Some(universe) = asked.real() else { return Ok(()) };
        let is_within = |block: UniverseBlock| universe.port_address().is_some_and(|a| block.contains(a));
        if self.what.within.is_some_and(|block| !is_within(block)) {
            return Ok(());
        }
        let shifted = shifted(universe, self.by).ok_or_else(|| ReworkError::OffTheEnd {
            place: place.to_owned(),
            universe: universe.to_string(),
            by: self.by,
        })?;
        self.moved.push(universe);
        let written = self.sheet.text().get(span.start..span.end).unwrap_or_default();
        self.edits.replace(span, as_written(written, shifted, self.sheet.desk));
        Ok(())
    }

    fn block(&mut self, place: &str, block: UniverseBlock, span: Span) -> Result<(), ReworkError> {
        let is_within = |within: UniverseBlock| within.contains(block.first) && within.contains(block.last);
        if self.what.within.is_some_and(|within| !is_within(within)) {
            return Ok(());
        }
        let end = |address: PortAddress| {
            shifted(Universe::ArtNet(address), self.by).ok_or_else(|| ReworkError::OffTheEnd {
                place: place.to_owned(),
                universe: address.to_string(),
                by: self.by,
            })
        };
        let written = self.sheet.text().get(span.start..span.end).unwrap_or_default().trim_matches(['"', '\'']);
        let parts: Vec<&str> = written.splitn(2, '-').map(str::trim).collect();
        let ends = [end(block.first)?, end(block.last)?];
        let shown: Vec<String> = parts
            .iter()
            .zip(ends)
            .map(|(part, end)| as_written(part, end, self.sheet.desk).trim_matches('"').to_owned())
            .collect();
        self.edits.quote(span, &shown.join("-"));
        Ok(())
    }
}

fn shifted(universe: Universe, by: i32) -> Option<Universe> {
    let shift = |number: u16| u64::try_from(i32::from(number).checked_add(by)?).ok();
    match universe {
        Universe::ArtNet(address) => PortAddress::new(shift(address.flat())?).ok().map(Universe::ArtNet),
        Universe::Sacn(universe) => SacnUniverse::new(shift(universe.number())?).ok().map(Universe::Sacn),
    }
}

/// A universe as TOML, in the notation of the text it takes the place of.
fn as_written(before: &str, universe: Universe, desk: DeskBase) -> String {
    let bare = before.trim_matches(['"', '\'']).to_ascii_lowercase();
    let is_quoted = bare.len() < before.len();
    let text = match universe {
        Universe::Sacn(universe) if bare.starts_with("sacn") => universe.to_string(),
        Universe::Sacn(universe) => universe.number().to_string(),
        Universe::ArtNet(address) if bare.starts_with("desk") => format!("desk {}", desk.number(address)),
        Universe::ArtNet(address) if bare.starts_with("0x") => format!("0x{:x}", address.flat()),
        Universe::ArtNet(address) if bare.contains(':') => address.to_string(),
        Universe::ArtNet(address) => address.flat().to_string(),
    };
    let is_number = text.bytes().all(|b| b.is_ascii_digit()) || text.starts_with("0x");
    if is_number && !is_quoted { text } else { format!("\"{text}\"") }
}
