//! From text to a sheet: pieces are read by themselves, put together, and what they name is looked up.

use toml::de::DeTable;

use super::error::{SheetError, SheetErrors};
use super::fields::{Fields, Mistakes};
use super::names::Names;
use super::pieces::{self, Piece};
use super::place::{LineIndex, Placed, Span};
use super::rig::{Rig, Thresholds};
use super::{Network, RigSheet, area, channel_map, fixture, network, node, rig, sequence, source, stream, switch};
use crate::sheet::kind::{Kind, KindBook, read_kind};
use crate::universe::DeskBase;

/// The most mistakes kept: mending these may mend the rest.
const MOST_MISTAKES: usize = 1000;

impl RigSheet {
    /// Reads the text of a rig sheet.
    ///
    /// # Errors
    /// Every mistake found, with its place: broken TOML, unknown keys, values of the wrong sort, references to
    /// areas, networks and devices that the sheet does not have.
    pub fn parse(text: &str) -> Result<Self, SheetErrors> {
        let pieces = pieces::cut(text);
        let mut reading = read(&pieces, DeskBase::default());
        // Universes in the desk's counting can only be read once that is known.
        if let Some(Rig { desk: desk @ DeskBase::Zero, .. }) = reading.rig {
            reading = read(&pieces, desk);
        }
        reading.finish(text)
    }
}

/// Reads a file of tables that all have this name; `what` is what one of them is called.
pub(crate) fn read_list<T>(
    text: &str,
    name: &'static str,
    what: &'static str,
    read: impl Fn(&Fields<'_>) -> Option<T>,
) -> Result<Vec<T>, SheetErrors> {
    let mistakes = Mistakes::default();
    let piece = Piece { offset: 0, text };
    let tables = with_table(piece, &mistakes, |table| {
        let tables = table.tables(name, what);
        table.refuse_unknown_keys();
        tables.iter().filter_map(read).collect::<Vec<T>>()
    });
    let errors = mistakes.into_inner();
    let all = tables.unwrap_or_default();
    if errors.is_empty() { Ok(all) } else { Err(SheetErrors::new(text, errors)) }
}

/// What was read so far, references still names.
#[derive(Default)]
struct Reading {
    rig: Option<Rig>,
    thresholds: Option<Thresholds>,
    heads: Vec<(&'static str, Span)>,
    broken: bool,
    /// Whether a network, an area, or a node, source or switch could not be read: what names it is no mistake then.
    lost: Lost,
    kinds: Vec<Kind>,
    networks: Vec<Network>,
    areas: Vec<area::Unplaced>,
    nodes: Vec<node::Unplaced>,
    sources: Vec<source::Unplaced>,
    fixtures: Vec<fixture::Unplaced>,
    streams: Vec<stream::Unplaced>,
    channel_maps: Vec<channel_map::Unplaced>,
    switches: Vec<switch::Unplaced>,
    sequences: Vec<sequence::Unplaced>,
    mistakes: Vec<SheetError>,
}

/// What could not be read.
#[derive(Default, Clone, Copy)]
struct Lost {
    network: bool,
    area: bool,
    member: bool,
}

impl Lost {
    const fn and(self, other: Self) -> Self {
        Self {
            network: self.network || other.network,
            area: self.area || other.area,
            member: self.member || other.member,
        }
    }
}

fn read(pieces: &[Piece<'_>], desk: DeskBase) -> Reading {
    let parts = pieces::read_all(pieces, |piece| Reading::of(piece, desk));
    parts.into_iter().reduce(Reading::and).unwrap_or_default()
}

fn with_table<T>(piece: Piece<'_>, mistakes: &Mistakes, read: impl FnOnce(&Fields<'_>) -> T) -> Option<T> {
    match DeTable::parse(piece.text) {
        Ok(table) => Some(read(&Fields::of_piece(table.get_ref(), piece.offset, mistakes))),
        Err(broken) => {
            let span = broken.span().unwrap_or(0..0);
            let span = Span { start: span.start + piece.offset, end: span.end + piece.offset };
            mistakes.note(span, broken.message(), "TOML: `key = value` lines under [headings]", None);
            None
        }
    }
}

impl Reading {
    fn of(piece: Piece<'_>, desk: DeskBase) -> Self {
        let mistakes = Mistakes::default();
        let read = with_table(piece, &mistakes, |sheet| Self::of_table(sheet, desk));
        let broken = read.is_none();
        Self { broken, mistakes: mistakes.into_inner(), ..read.unwrap_or_default() }
    }

    fn of_table(sheet: &Fields<'_>, desk: DeskBase) -> Self {
        let head = sheet.table("rig", "[rig]");
        let thresholds = sheet.table("thresholds", "[thresholds]");
        let networks = sheet.tables("network", "this network");
        let areas = sheet.tables("area", "this area");
        let kinds = sheet.tables("kind", "this kind");
        let nodes = sheet.tables("node", "this node");
        let sources = sheet.tables("source", "this source");
        let fixtures = sheet.tables("fixture", "this fixture");
        let streams = sheet.tables("stream", "this stream");
        let channel_maps = sheet.tables("channel_map", "this channel map");
        let switches = sheet.tables("switch", "this switch");
        let sequences = sheet.tables("sequence", "this sequence");
        sheet.refuse_unknown_keys();
        let heads = [("rig", &head), ("thresholds", &thresholds)];
        let mut reading = Self {
            heads: heads.iter().filter_map(|(name, head)| Some((*name, head.as_ref()?.span))).collect(),
            rig: head.as_ref().and_then(rig::read),
            thresholds: thresholds.as_ref().map(rig::read_thresholds),
            broken: false,
            kinds: kinds.iter().filter_map(read_kind).collect(),
            networks: networks.iter().filter_map(network::read).collect(),
            areas: areas.iter().filter_map(|fields| area::read(fields, desk)).collect(),
            nodes: nodes.iter().filter_map(|fields| node::read(fields, desk)).collect(),
            sources: sources.iter().filter_map(|fields| source::read(fields, desk)).collect(),
            fixtures: fixtures.iter().filter_map(|fields| fixture::read(fields, desk)).collect(),
            streams: streams.iter().filter_map(stream::read).collect(),
            channel_maps: channel_maps.iter().filter_map(channel_map::read).collect(),
            switches: switches.iter().filter_map(switch::read).collect(),
            sequences: sequences.iter().filter_map(sequence::read).collect(),
            lost: Lost::default(),
            mistakes: Vec::new(),
        };
        reading.lost = Lost {
            network: reading.networks.len() < networks.len(),
            area: reading.areas.len() < areas.len(),
            member: reading.nodes.len() < nodes.len()
                || reading.sources.len() < sources.len()
                || reading.switches.len() < switches.len(),
        };
        reading
    }

    /// This piece and the next one.
    fn and(mut self, next: Self) -> Self {
        for (name, span) in &next.heads {
            if self.heads.iter().any(|(earlier, _)| earlier == name) {
                let what = format!("[{name}] stands here a second time");
                self.mistakes.push(SheetError { span: *span, what, expected: "it once".to_owned(), hint: None });
            }
        }
        self.heads.extend(next.heads);
        self.rig = self.rig.or(next.rig);
        self.thresholds = self.thresholds.or(next.thresholds);
        self.broken |= next.broken;
        self.lost = self.lost.and(next.lost);
        self.kinds.extend(next.kinds);
        self.networks.extend(next.networks);
        self.areas.extend(next.areas);
        self.nodes.extend(next.nodes);
        self.sources.extend(next.sources);
        self.fixtures.extend(next.fixtures);
        self.streams.extend(next.streams);
        self.channel_maps.extend(next.channel_maps);
        self.switches.extend(next.switches);
        self.sequences.extend(next.sequences);
        let room = MOST_MISTAKES.saturating_sub(self.mistakes.len());
        self.mistakes.extend(next.mistakes.into_iter().take(room));
        self
    }

    /// Looks up everything that is named. Where the text is no TOML, only that is told: what is missing may stand in
    /// the part that could not be read.
    fn finish(mut self, text: &str) -> Result<RigSheet, SheetErrors> {
        let mistakes = Mistakes::default();
        if !self.broken {
            if !self.heads.iter().any(|(name, _)| *name == "rig") {
                let what = "the sheet has no `rig`";
                let expected = "a line like rig = the heading [rig] with a name = \"…\"";
                mistakes.note(Span::default(), what, expected, None);
            }
            self.look_up_areas(&mistakes);
            self.look_up_members(&mistakes);
        }
        let mut errors = self.mistakes;
        errors.extend(mistakes.into_inner());
        let Some(Rig { name, desk, kind_files }) = self.rig.filter(|_| errors.is_empty()) else {
            return Err(SheetErrors::new(text, errors));
        };
        Ok(RigSheet {
            name,
            desk,
            thresholds: self.thresholds.unwrap_or_default(),
            kind_files,
            kinds: KindBook::shipped_and(self.kinds.clone()),
            own_kinds: self.kinds,
            networks: self.networks,
            areas: self.areas.into_iter().map(|unplaced| unplaced.area).collect(),
            nodes: self.nodes.into_iter().map(|unplaced| unplaced.node).collect(),
            sources: self.sources.into_iter().map(|unplaced| unplaced.source).collect(),
            fixtures: self.fixtures.into_iter().map(|unplaced| unplaced.fixture).collect(),
            streams: self.streams.into_iter().map(|unplaced| unplaced.stream).collect(),
            channel_maps: self.channel_maps.into_iter().map(|unplaced| unplaced.map).collect(),
            switches: self.switches.into_iter().map(|unplaced| unplaced.switch).collect(),
            sequences: self.sequences.into_iter().map(|unplaced| unplaced.sequence).collect(),
            text: text.to_owned(),
            lines: LineIndex::new(text),
        })
    }

    fn look_up_areas(&mut self, mistakes: &Mistakes) {
        let networks =
            Names::of_their_own("network", self.networks.iter().map(|n| &n.name), self.lost.network, mistakes);
        for unplaced in &mut self.areas {
            unplaced.area.network = match (&unplaced.network, networks.only()) {
                (Some(name), only) => networks.find(name).or(only).unwrap_or(0),
                (None, Some(only)) => only,
                (None, None) if self.lost.network => 0,
                (None, None) => {
                    let expected = "a line like network = \"lights\"";
                    mistakes.note(unplaced.heading, "this area has no `network`", expected, None);
                    0
                }
            };
        }
        let areas = Names::of_their_own("area", self.areas.iter().map(|a| &a.area.name), self.lost.area, mistakes);
        let find = |name: &Option<Placed<String>>| areas.placed(name.as_ref());
        for unplaced in &mut self.nodes {
            unplaced.node.area = find(&unplaced.area);
        }
        for unplaced in &mut self.sources {
            unplaced.source.area = find(&unplaced.area);
        }
        for unplaced in &mut self.switches {
            unplaced.switch.area = find(&unplaced.area);
        }
    }

    fn look_up_members(&mut self, mistakes: &Mistakes) {
        let nodes = self.nodes.iter().map(|n| n.node.name.clone()).collect::<Vec<_>>();
        let names = Names::shared("node", nodes.iter(), self.lost.member, mistakes);
        for unplaced in &mut self.nodes {
            unplaced.node.clone_of = names.placed(unplaced.clone_of.as_ref());
            unplaced.node.behind = names.placed(unplaced.behind.as_ref());
        }
        for unplaced in &mut self.fixtures {
            unplaced.fixture.behind = names.placed(unplaced.behind.as_ref());
        }
        for unplaced in &mut self.channel_maps {
            if let Some(node) = names.placed(Some(&unplaced.node)) {
                unplaced.map.node = node;
            }
        }
        for unplaced in &mut self.sequences {
            for (step, node) in unplaced.sequence.steps.iter_mut().zip(&unplaced.nodes) {
                if let Some(node) = names.placed(Some(node)) {
                    step.node = node;
                }
            }
        }
        let own = self.sequences.iter().map(|one| &one.sequence.name);
        Names::of_their_own("sequence", own, false, mistakes);
        let switches = self.switches.iter().map(|s| s.switch.name.clone()).collect::<Vec<_>>();
        let others = self.sources.iter().map(|s| &s.source.name).chain(&switches);
        let names =
            Names::shared("node, source or switch", nodes.iter().chain(others), self.lost.member, mistakes);
        for unplaced in &mut self.streams {
            if let Some(from) = names.end(&unplaced.from) {
                unplaced.stream.from = from;
            }
            unplaced.stream.to = unplaced.to.iter().filter_map(|to| names.end(to)).collect();
        }
        for unplaced in &mut self.switches {
            for (port, to) in unplaced.switch.ports.iter_mut().zip(&unplaced.to) {
                if let Some(to) = names.placed(Some(to)) {
                    port.to = to;
                }
            }
        }
    }
}
