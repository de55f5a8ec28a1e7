//! `show`: everything known of one device.

mod fixture;

use std::time::Duration;

use lantern_core::census::{SeenBy, Service, Stream, Subject};
use lantern_core::conversation::Depth;
use lantern_core::view::{FactLine, FixturePortrait, Meaning, PortLine, Portrait};
use lantern_core::{Said, typed};
use serde::Serialize;

use super::named::{self, AboutFixtures};
use super::streams;
use crate::codes;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone, wrapped};
use crate::session::{Session, Where};

/// Show everything known of one device
///
/// Every field with who told it and when; its ports with their data; what it says about its state, in words; and what the sheet
/// wants, where that is otherwise. Of a fixture also how it is, and the parameters of its maker's own.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The device: its name, address or MAC address; a fixture: its RDM identifier, or its name on the sheet
    #[arg(value_name = "NODE")]
    node: String,

    #[command(flatten)]
    at: Where,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    device: &'a Portrait,
}

#[derive(Debug, Serialize)]
struct FixtureAnswer<'a> {
    format: u32,
    fixture: &'a FixturePortrait,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let session = Session::open(&args.at, out)?;
    let named = std::slice::from_ref(&args.node);
    let fixtures = (AboutFixtures::Perhaps, Depth::Everything);
    let look = named::look_into(&session, named, named::likely(named, session.sheet()), fixtures, out)?;
    let sheet = session.sheet_file().map(|file| file.path.display().to_string());
    if let Ok(Subject::Fixture(fixture)) = named::subject(&args.node, &look.census, session.sheet()) {
        let portrait = FixturePortrait::of(&fixture, &look.census, session.sheet());
        if out.is_json() {
            out.object(&FixtureAnswer { format: 1, fixture: &portrait })?;
        } else {
            fixture::show(&portrait, sheet.as_deref(), out)?;
        }
        let is_fine = !portrait.differs() && portrait.findings.is_empty();
        return Ok(if is_fine { Exit::Fine } else { Exit::Wrong });
    }
    let device = named::device(&args.node, &look, session.sheet())?;
    let portrait =
        Portrait::of(device, &look.census, look.everybody(), session.sheet(), &codes::book_or_standard(out)?);
    if out.is_json() {
        out.object(&Answer { format: 1, device: &portrait })?;
    } else {
        show(&portrait, sheet.as_deref(), out)?;
    }
    Ok(if differs(&portrait) { Exit::Wrong } else { Exit::Fine })
}

/// Whether it tells something that the sheet wants otherwise.
fn differs(one: &Portrait) -> bool {
    one.facts.iter().any(|fact| fact.planned.is_some() && fact.told.is_some())
        || one.ports.iter().any(|port| !port.planned.is_empty())
        || one.patching.differs()
}

fn show(one: &Portrait, sheet: Option<&str>, out: &mut Out) -> Result<(), Failure> {
    let name = out.paint().dye(Tone::Strong, &one.title);
    let mac = one.mac.map(|mac| format!("  {mac}")).unwrap_or_default();
    out.line(&wrapped(&format!("{name}  {}{mac}", one.what), out.width(), 2))?;
    let addresses: Vec<String> = one.addresses.iter().map(ToString::to_string).collect();
    let at = if addresses.is_empty() { "no address".to_owned() } else { addresses.join(", ") };
    let because = if one.standing.is_fine() { String::new() } else { format!(": {}", one.standing.because()) };
    let tone = if one.standing.is_fine() { Tone::Good } else { Tone::Doubtful };
    let standing = out.paint().dye(tone, &one.standing.to_string());
    out.line(&wrapped(&format!("{at}, {standing}{because}"), out.width(), 2))?;
    let way = |seen: &SeenBy| format!("{} {}", seen.way, after(seen.last)).trim_end().to_owned();
    let ways: Vec<String> = one.seen_by.iter().map(way).collect();
    out.line(&wrapped(&format!("seen by {}", ways.join(", ")), out.width(), 2))?;
    if let Some(planned) = &one.planned_as {
        out.line(&format!("on the sheet as {planned}"))?;
    }
    if let Some(report) = &one.report {
        means(&format!("reports \"{}\"", report.text), &report.means, out)?;
    }
    for fact in &one.facts {
        if let (Some(told), Some(meaning)) = (&fact.told, &fact.means) {
            means(&format!("{} is {told}", fact.field), meaning, out)?;
        }
    }
    facts(one, out)?;
    ports(&one.ports, out)?;
    if !one.patching.is_empty() {
        out.line("")?;
        streams::show(&one.patching, out)?;
    }
    offers(one, out)?;
    if let (Some(sheet), Some(planned)) = (sheet, one.planned_as.as_ref().filter(|_| differs(one))) {
        out.hint(&format!(
            "to make it what the sheet says: deft-lantern apply {sheet} --node {}",
            typed(planned)
        ))?;
    }
    Ok(())
}

/// What it said, what that means, and what to do. The words are a user's own.
fn means(what: &str, means: &Meaning, out: &mut Out) -> Result<(), Failure> {
    let safe = |text: &str| Said::from(text).to_string();
    let words = means.meaning.as_ref().map(|words| format!(": {}", safe(words))).unwrap_or_default();
    out.line(&wrapped(&format!("{what}{words}"), out.width(), 2))?;
    if let Some(remedy) = &means.remedy {
        out.line(&wrapped(&format!("  do  {}", safe(remedy)), out.width(), 6))?;
    }
    Ok(())
}

/// How long after the look began; nothing where that is not known, as of who speaks through a broker.
fn after(time: Duration) -> String {
    if time.is_zero() { String::new() } else { format!("{:.1} s", time.as_secs_f64()) }
}

fn facts(one: &Portrait, out: &mut Out) -> Result<(), Failure> {
    if one.facts.is_empty() {
        return Ok(());
    }
    let is_planned = one.planned_as.is_some();
    let headings: &[&'static str] =
        if is_planned { &["field", "told", "planned", "by", "after"] } else { &["field", "told", "by", "after"] };
    let mut table = Table::new(headings).unbroken(&["field", "by", "after"]);
    let row = |fact: &FactLine| {
        let told = match (&fact.told, &fact.planned) {
            (None, _) => Cell::new("not told", Tone::Faint),
            (Some(told), None) => told.clone().into(),
            (Some(told), Some(_)) => Cell::new(told.clone(), Tone::Doubtful),
        };
        let mut cells = vec![fact.field.clone().into(), told];
        if is_planned {
            cells.push(Cell::new(fact.planned.clone().unwrap_or_default(), Tone::Strong));
        }
        cells.push(fact.by.to_string().into());
        cells.push(Cell::new(after(fact.at), Tone::Faint));
        cells
    };
    one.facts.iter().for_each(|fact| table.row(row(fact)));
    out.line("")?;
    out.table(&table)?;
    Ok(())
}

fn ports(ports: &[PortLine], out: &mut Out) -> Result<(), Failure> {
    if ports.is_empty() {
        return Ok(());
    }
    let has_labels = ports.iter().any(|port| port.label.is_some());
    let mut headings = vec!["port", "works", "universe", "data", "merge", "RDM", "planned"];
    if has_labels {
        headings.insert(1, "label");
    }
    let mut table = Table::new(&headings);
    for port in ports {
        let on_off = |on: Option<bool>| on.map_or("", |on| if on { "on" } else { "off" });
        let works = match port.input {
            Some(false) => format!("{}, off", port.works),
            _ => port.works.clone(),
        };
        let data = match port.data {
            Some(true) => Cell::new("passes", Tone::Good),
            Some(false) => Cell::new("none", Tone::Faint),
            None => Cell::default(),
        };
        let mut cells = vec![
            port.number.to_string().into(),
            works.into(),
            Cell::new(port.universe.clone(), Tone::Strong),
            data,
            port.merge.clone().unwrap_or_default().into(),
            on_off(port.rdm).into(),
            Cell::new(port.planned.join(", "), Tone::Doubtful),
        ];
        if has_labels {
            cells.insert(1, port.label.clone().unwrap_or_default().into());
        }
        table.row(cells);
    }
    out.line("")?;
    out.table(&table)?;
    Ok(())
}

/// What it offers, announces and sends.
fn offers(one: &Portrait, out: &mut Out) -> Result<(), Failure> {
    let services = one.services.iter().map(|Service { name, kind, meaning, port, .. }| {
        let meaning = meaning.map(|meaning| format!(" ({meaning})")).unwrap_or_default();
        format!("offers {name}: {kind}{meaning} on port {port}")
    });
    let streams = one.streams.iter().map(|Stream { session, group, port, .. }| {
        let to = group.map(|group| format!(" to {group}:{port}")).unwrap_or_default();
        format!("announces the stream {session}{to}")
    });
    let universes: Vec<String> = one.sends.iter().map(ToString::to_string).collect();
    let sends = (!universes.is_empty()).then(|| format!("sends sACN universe {}", universes.join(", ")));
    let all: Vec<String> = services.chain(streams).chain(sends).collect();
    if !all.is_empty() {
        out.line("")?;
    }
    for line in all {
        out.line(&wrapped(&line, out.width(), 2))?;
    }
    Ok(())
}
