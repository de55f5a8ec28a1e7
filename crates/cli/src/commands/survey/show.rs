//! The outcome of a survey for people.

use std::collections::BTreeMap;

use clap::ValueEnum;
use lantern_core::MacAddress;
use lantern_core::census::{Census, Device, FoundNode, Standing, Stream, Surroundings, Way};
use lantern_core::compare::{State, compare};
use lantern_core::facts::Field;
use lantern_core::universe::Universe;

use super::{Outcome, fixtures};
use crate::commands::universes;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::memory::Remembered;
use crate::output::{Cell, Out, Table, Tone, counted, findings, wrapped};

/// The most rows of a table; more than that nobody reads under pressure.
pub(super) const MOST_ROWS: usize = 400;
/// The most names in a line.
const MOST_NAMED: usize = 12;

/// Something that is listed only when it is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Part {
    /// Who sends which universe of sACN
    Universes,
    /// Streams of sound and picture
    Streams,
    /// Services told by DNS-SD
    Services,
}

/// What is listed besides devices.
pub(super) struct Lists<'a> {
    pub(super) parts: &'a [Part],
    /// The fixtures, in this order.
    pub(super) fixtures: Option<fixtures::Order>,
}

/// What earlier surveys saw.
pub(super) struct Earlier<'a> {
    /// Everything remembered.
    pub(super) known: &'a [Remembered],
    /// What the last survey of this network saw; empty when there was none, or this one is not whole.
    pub(super) last: &'a [&'a Remembered],
}

impl Earlier<'_> {
    pub(super) const NONE: Self = Self { known: &[], last: &[] };

    /// Whether the last survey did not see it.
    fn is_new(&self, device: &Device) -> bool {
        !self.last.is_empty() && !self.last.iter().any(|known| known.is(device))
    }

    /// Whom the last survey saw and this one did not.
    fn missing(&self, devices: &[Device]) -> Vec<Device> {
        let silent = self.last.iter().filter(|known| !devices.iter().any(|device| known.is(device)));
        silent.map(|known| known.as_missing()).collect()
    }
}

/// Everything: table, what is around, what is wrong, what was not seen.
pub(super) fn all(
    outcome: &Outcome,
    earlier: &Earlier<'_>,
    lists: &Lists<'_>,
    sheet: Option<&SheetFile>,
    out: &mut Out,
) -> Result<(), Failure> {
    let mut rows = outcome.devices.clone();
    rows.extend(earlier.missing(&outcome.devices));
    let table = table(&rows, &outcome.census, earlier);
    out.table(&table)?;
    if rows.len() > MOST_ROWS {
        out.line(&format!("and {} more; --save FILE keeps all of them", rows.len() - MOST_ROWS))?;
    }
    out.line("")?;
    out.line(&wrapped(&summary(outcome), out.width(), 0))?;
    for line in around(&outcome.census.surroundings()) {
        out.line(&line)?;
    }
    for part in lists.parts {
        out.line("")?;
        out.table(&listing(*part, &outcome.census))?;
    }
    if let Some(order) = lists.fixtures {
        out.line("")?;
        fixtures::show(&outcome.census, order, out)?;
    }
    not_talking(&rows, true, out)?;
    out.line("")?;
    findings::print(out, &outcome.findings)?;
    moved(outcome, earlier, out)?;
    if let Some(file) = sheet {
        against_sheet(file, &outcome.census, out)?;
    }
    not_seen(&outcome.blind_spots, out)?;
    if let Some(file) = sheet {
        out.hint(&format!("deft-lantern check {}", file.path.display()))?;
    }
    Ok(())
}

/// Who was found in the ranges asked for.
pub(super) fn part(outcome: &Outcome, earlier: &Earlier<'_>, out: &mut Out) -> Result<(), Failure> {
    let table = table(&outcome.devices, &outcome.census, earlier);
    out.table(&table)?;
    out.line("")?;
    out.line(&format!("{} devices there", outcome.devices.len()))?;
    // Whoever asks about a part has typed what would be advised already.
    not_talking(&outcome.devices, false, out)?;
    findings::print(out, &outcome.findings)?;
    not_seen(&outcome.blind_spots, out)
}

/// One unit that was looked for by its MAC address.
pub(super) fn one(
    mac: MacAddress,
    outcome: &Outcome,
    earlier: &Earlier<'_>,
    out: &mut Out,
) -> Result<(), Failure> {
    let found: Vec<Device> = outcome.devices.iter().filter(|device| device.mac == Some(mac)).cloned().collect();
    if let [device, ..] = &found[..] {
        let table = table(&found, &outcome.census, &Earlier::NONE);
        out.table(&table)?;
        if let Some(next) = device.next() {
            out.line("")?;
            out.line(&wrapped(device.standing.because(), out.width(), 0))?;
            out.hint(&next)?;
        }
    } else {
        let (seen, time) = (outcome.devices.len(), outcome.listened.as_secs_f32());
        out.line(&format!("{mac} was not seen; {seen} others were, in {time:.1} s"))?;
    }
    if let Some(known) = earlier.known.iter().find(|known| known.mac.as_deref() == Some(mac.to_string().as_str()))
    {
        let at = known.address.as_deref().unwrap_or("no address");
        let name = if known.name.is_empty() { String::new() } else { format!(" as {}", known.name) };
        out.line(&format!("it was last at {at} on {}{name}", known.last_day()))?;
    }
    if found.is_empty() {
        not_seen(&outcome.blind_spots, out)?;
    }
    Ok(())
}

/// One row for each device. What fits less well than the rest is left out, from the right, when there is little room.
pub(crate) fn table(devices: &[Device], census: &Census, earlier: &Earlier<'_>) -> Table {
    let mut table = Table::new(&[
        "name",
        "address",
        "MAC",
        "what it is",
        "universes",
        "state",
        "seen by",
        "label",
        "firmware",
        "data",
        "mask",
    ])
    .unbroken(&["name", "address", "MAC", "firmware", "mask"])
    .needs_width("what it is", 75)
    .needs_width("universes", 95)
    .needs_width("seen by", 125)
    .on_request(&["label", "firmware", "data", "mask"]);
    let units = census.units();
    for device in devices.iter().take(MOST_ROWS) {
        let node = device.node.map(|index| &census.nodes()[index]);
        let address = device.address.map_or_else(|| "none".to_owned(), |address| address.to_string());
        // That the system knows a neighbour too says nothing more once it spoke ARP itself.
        let told = |way: Way| way != Way::Neighbours || !device.is_seen_by(Way::Arp);
        let ways = device.seen_by.iter().filter(|seen| told(seen.way)).map(|seen| seen.way.to_string());
        let ways: Vec<String> = ways.collect();
        let what = if device.what.is_empty() {
            Cell::new("unknown", Tone::Faint)
        } else {
            device.what.to_string().into()
        };
        let tells =
            |field| device.told(field, census.nodes(), &units).map_or_else(String::new, |value| value.to_string());
        table.row(vec![
            Cell::new(device.name.to_string(), Tone::Strong),
            address.into(),
            device.mac.map_or_else(|| "not told".to_owned(), |mac| mac.to_string()).into(),
            what,
            node.map(universes::summary).unwrap_or_default().into(),
            state(device, earlier.is_new(device)),
            Cell::new(ways.join(" "), Tone::Faint),
            tells(Field::Label).into(),
            tells(Field::Firmware).into(),
            node.map(universes::data).unwrap_or_default().into(),
            tells(Field::Mask).into(),
        ]);
    }
    table
}

fn state(device: &Device, is_new: bool) -> Cell {
    let tone = match device.standing {
        Standing::Answers => Tone::Good,
        Standing::OtherSubnet | Standing::OneWay | Standing::Missing => Tone::Bad,
        _ => Tone::Doubtful,
    };
    let new = if is_new { ", new" } else { "" };
    Cell::new(format!("{}{new}", device.standing), tone)
}

fn summary(outcome: &Outcome) -> String {
    let census = &outcome.census;
    let ports: u32 = census.nodes().iter().map(FoundNode::port_count).sum();
    let mut parts = vec![format!("{} devices", outcome.devices.len())];
    let nodes = census.nodes().len();
    if nodes > 0 {
        parts.push(format!("{nodes} nodes with {ports} ports"));
    }
    parts.extend(fixtures::summary(census));
    let sources = census.sources();
    if !sources.is_empty() {
        let universes: usize = sources.iter().map(|source| source.universes.len()).sum();
        parts.push(format!("{} with {universes} universes", counted(sources.len(), "source")));
    }
    let streams = census.streams();
    if !streams.is_empty() {
        parts.push(format!("{} streams of sound and picture", streams.len()));
    }
    let services = census.services().len();
    if services > 0 {
        parts.push(format!("{services} services"));
    }
    parts.join(", ")
}

/// The network around the devices, a line each.
fn around(surroundings: &Surroundings) -> Vec<String> {
    let mut lines = Vec::new();
    for port in &surroundings.switch_ports {
        lines.push(format!("this cable ends at {}, port {}", port.switch, port.port));
    }
    for querier in &surroundings.queriers {
        let who = if querier.address.is_unspecified() {
            querier.mac.map_or_else(|| "a switch without an address".to_owned(), |mac| mac.to_string())
        } else {
            querier.address.to_string()
        };
        lines.push(format!("IGMP querier: {who}, version {}", querier.version));
    }
    let servers: Vec<String> = surroundings.dhcp_servers.iter().map(|server| server.address.to_string()).collect();
    if !servers.is_empty() {
        lines.push(format!("DHCP server: {}", servers.join(", ")));
    }
    for clock in surroundings.clocks.iter().take(MOST_NAMED) {
        let by = match clock.is_grandmaster() {
            true => format!("itself at {}", clock.address),
            false => {
                format!("{}, {}", clock.address, counted(clock.steps.into(), "clock").replace("clock", "step"))
            }
        };
        let (domain, leader, priority) = (clock.domain, clock.grandmaster, clock.priority1);
        let (class, source) = (clock.class_in_words(), clock.source_in_words());
        lines.push(format!(
            "clock of domain {domain}: {leader}, priority {priority}, {class}, time from {source}; announced by {by}"
        ));
    }
    lines
}

/// Whom one cannot talk to, by why; with `leads_on` what to do next. Other subnets have a finding of their own.
fn not_talking(devices: &[Device], leads_on: bool, out: &mut Out) -> Result<(), Failure> {
    let mut by_standing: BTreeMap<Standing, Vec<&Device>> = BTreeMap::new();
    for device in
        devices.iter().filter(|device| !device.standing.is_fine() && device.standing != Standing::OtherSubnet)
    {
        by_standing.entry(device.standing).or_default().push(device);
    }
    if !by_standing.is_empty() {
        out.line("")?;
    }
    for (standing, devices) in by_standing {
        let names: Vec<String> = devices.iter().take(MOST_NAMED).map(|device| device.title()).collect();
        let more = devices.len().saturating_sub(MOST_NAMED);
        let more = if more > 0 { format!(" and {more} more") } else { String::new() };
        let head = standing.to_string();
        let text = format!("{head}  {}{more}", names.join(", "));
        let text = wrapped(&text, out.width(), head.len() + 2);
        let dyed = text.replacen(&head, &out.paint().dye(Tone::Doubtful, &head), 1);
        out.line(&dyed)?;
        out.line(&wrapped(&format!("      why  {}", standing.because()), out.width(), 11))?;
        if let Some(next) = devices.iter().find_map(|device| device.next()).filter(|_| leads_on) {
            out.line(&format!("       do  {next}"))?;
        }
    }
    Ok(())
}

/// Who is at another address than earlier.
fn moved(outcome: &Outcome, earlier: &Earlier<'_>, out: &mut Out) -> Result<(), Failure> {
    for device in outcome.devices.iter().take(MOST_ROWS) {
        let before = earlier
            .last
            .iter()
            .find(|known| known.is(device))
            .and_then(|known| Some((known, known.address.as_deref()?)));
        let now = device.address.map(|address| address.to_string());
        if let Some((known, at)) = before.filter(|(_, at)| now.as_deref().is_some_and(|now| now != *at)) {
            let mark = out.paint().dye(Tone::Doubtful, "moved:");
            let now = now.unwrap_or_default();
            out.line(&format!(
                "{mark} {} was last at {at} on {}, and is at {now}",
                device.title(),
                known.last_day()
            ))?;
        }
    }
    Ok(())
}

/// Says who of the sheet is silent and who is not on it; `check` says the rest.
fn against_sheet(file: &SheetFile, census: &Census, out: &mut Out) -> Result<(), Failure> {
    let comparison = compare(&file.sheet, census);
    let missing = comparison.rows.iter().filter(|row| matches!(row.state, State::Missing));
    let missing: Vec<&str> = missing.map(|row| row.planned.name.value.as_str()).collect();
    let unexpected: Vec<String> = comparison.unexpected.iter().map(|node| node.title()).collect();
    if !missing.is_empty() {
        let mark = out.paint().dye(Tone::Bad, "on the sheet, but silent:");
        out.line(&format!("{mark} {}", missing.join(", ")))?;
    }
    if !unexpected.is_empty() {
        let mark = out.paint().dye(Tone::Doubtful, "not on the sheet:");
        out.line(&format!("{mark} {}", unexpected.join(", ")))?;
    }
    Ok(())
}

fn not_seen(blind_spots: &[String], out: &mut Out) -> Result<(), Failure> {
    if blind_spots.is_empty() {
        return Ok(());
    }
    out.note("what this survey could not see:")?;
    for spot in blind_spots {
        out.note(&wrapped(&format!("  - {spot}"), out.width(), 4))?;
    }
    Ok(())
}

fn listing(part: Part, census: &Census) -> Table {
    match part {
        Part::Universes => universe_table(census),
        Part::Streams => stream_table(&census.streams()),
        Part::Services => service_table(census),
    }
}

fn universe_table(census: &Census) -> Table {
    let mut by_universe: BTreeMap<Universe, Vec<Vec<Cell>>> = BTreeMap::new();
    for source in census.sources() {
        for (number, sending) in &source.universes {
            let Some(universe) = source.universe(*number) else { continue };
            let state = match (sending.heard, sending.ended, sending.preview) {
                (0, ..) => "told, no levels heard",
                (_, true, _) => "ended",
                (_, _, true) => "preview only",
                _ => "live",
            };
            by_universe.entry(universe).or_default().push(vec![
                universe.to_string().into(),
                source.name.to_string().into(),
                source.address.to_string().into(),
                sending.priority.map_or_else(String::new, |priority| priority.to_string()).into(),
                sending.rate().map_or_else(String::new, |rate| format!("{rate:.0}")).into(),
                state.into(),
            ]);
        }
    }
    let mut table =
        Table::new(&["universe", "source", "address", "priority", "a second", "state"]).unbroken(&["address"]);
    by_universe.into_values().flatten().take(MOST_ROWS).for_each(|row| table.row(row));
    table
}

fn stream_table(streams: &[Stream]) -> Table {
    let mut table = Table::new(&["stream", "kind", "sender", "group", "port", "format", "channels", "clock"])
        .unbroken(&["sender", "group"]);
    for stream in streams.iter().take(MOST_ROWS) {
        let format = match (&stream.encoding, stream.rate) {
            (Some(encoding), Some(rate)) => format!("{encoding} {rate} Hz"),
            (Some(encoding), None) => encoding.to_string(),
            _ => String::new(),
        };
        let over = if stream.over { " (over)" } else { "" };
        table.row(vec![
            format!("{}{over}", stream.session).into(),
            stream.kind.to_string().into(),
            stream.sender.to_string().into(),
            stream.group.map_or_else(String::new, |group| group.to_string()).into(),
            stream.port.to_string().into(),
            format.into(),
            stream.channels.map_or_else(String::new, |channels| channels.to_string()).into(),
            stream.clock.as_ref().map_or_else(String::new, ToString::to_string).into(),
        ]);
    }
    table
}

fn service_table(census: &Census) -> Table {
    let mut table = Table::new(&["service", "type", "means", "host", "address", "port"]).unbroken(&["address"]);
    for service in census.services().iter().take(MOST_ROWS) {
        table.row(vec![
            service.name.to_string().into(),
            service.kind.to_string().into(),
            service.meaning.map_or_else(String::new, |meaning| meaning.to_string()).into(),
            service.host.to_string().into(),
            service.address.to_string().into(),
            if service.port == 0 { String::new() } else { service.port.to_string() }.into(),
        ]);
    }
    table
}
