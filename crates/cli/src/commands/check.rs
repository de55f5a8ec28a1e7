//! `check`: does every node answer, and is it as planned.

use lantern_core::census::{Device, Way};
use lantern_core::clash::{is_same_name, world_clashes};
use lantern_core::compare::{Comparison, Kept, Row, State, after_power, compare_all, held_addresses};
use lantern_core::conversation::{Concern, Shift};
use lantern_core::facts::Difference;
use lantern_core::finding::{Finding, Severity};
use lantern_core::sheet::{RigSheet, SheetNode};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Cell, Out, Table, Tone, counted, findings, wrapped};
use crate::session::{Look, OnSheet, Session};

/// Ask every node on the sheet to answer, and compare each with the plan
///
/// Changes nothing. Asks in every way there is, those that speak no Art-Net by ARP and echo. Ends with 1 when a node is
/// missing, different, not on the sheet, or did not tell everything planned, and when two devices hold one address.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    pub(crate) on: OnSheet,

    /// Then walk me through a power cycle: switch the nodes off and on, and see what they have kept
    #[arg(long)]
    pub(crate) after_power_cycle: bool,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    as_planned: bool,
    nodes: Vec<Line<'a>>,
    unexpected: Vec<Surplus>,
    findings: &'a [Finding],
}

/// A planned node and what became of it.
#[derive(Debug, Serialize)]
struct Line<'a> {
    name: &'a str,
    planned_address: String,
    state: &'static str,
    address: Option<String>,
    mac: Option<String>,
    differences: &'a [Difference],
}

#[derive(Debug, Serialize)]
struct Surplus {
    name: String,
    address: String,
    mac: Option<String>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::read(&args.on.sheet)?;
    let session = Session::with_sheet(args.on.adapter.as_deref(), Some(file), out)?;
    let Some(file) = session.sheet_file() else { return Ok(Exit::Fine) };
    let sheet = &file.sheet;
    let addresses = sheet.nodes.iter().filter_map(SheetNode::fixed_address).collect();
    let mut look = session.look(Concern::of_sheet(sheet), addresses, out)?;
    let mut lost = false;
    if args.after_power_cycle {
        (look, lost) = power_cycle(&session, &look, out)?;
    }
    let comparison = compare_all(sheet, &look.census, look.everybody());
    let beside = around(&look, sheet);
    let found: Vec<Finding> = comparison.findings(sheet).into_iter().chain(beside.iter().cloned()).collect();
    if out.is_json() {
        out.object(&answer(&comparison, &found))?;
        return Ok(if lost { Exit::Wrong } else { Exit::of(&found) });
    }
    out.table(&table(&comparison))?;
    out.line("")?;
    // The table tells the differences; the list adds who is missing, who is too many, and what is wrong around them.
    let listed: Vec<Finding> = comparison.absences(sheet).into_iter().chain(beside).collect();
    findings::print(out, &listed)?;
    let line = summary(&comparison, &found, out);
    out.line(&line)?;
    let out_of_reach = comparison.rows.iter().find(|row| matches!(row.state, State::NotAsked));
    if let Some(address) =
        out_of_reach.and_then(|row| row.planned.fixed_address()).filter(|_| !session.is_simulated())
    {
        out.note(&format!("to ask those out of reach too: deft-lantern adapters advise {address}"))?;
    }
    if comparison.different() > 0 {
        out.hint(&format!("deft-lantern apply {} --dry-run", file.path.display()))?;
    }
    Ok(if lost { Exit::Wrong } else { Exit::of(&found) })
}

/// A person switches the nodes off and on. Gives what is seen afterwards, and whether anybody has not kept what it had.
fn power_cycle(session: &Session, before: &Look, out: &mut Out) -> Result<(Look, bool), Failure> {
    let nodes = before.census.nodes().iter().filter(|node| node.is_node()).count();
    out.line(&format!(
        "{} answer now. Switch them off, wait until they are dark, and switch them on again.",
        counted(nodes, "node")
    ))?;
    let question = "Enter when they have started again: ";
    out.asked(question)?.ok_or(Failure::NobodyToAsk)?;
    let likely = before.census.nodes().iter().map(|node| node.address).collect();
    let after = session.look(Concern::Everybody, likely, out)?;
    let all = after_power(&before.census, &after.census);
    let kept = all.iter().filter(|one| one.kept == Kept::All).count();
    for one in &all {
        match &one.kept {
            Kept::All => {}
            Kept::Silent => {
                let word = out.paint().dye(Tone::Bad, "silent");
                out.line(&format!("{word}  {} has not come back", one.name))?;
            }
            Kept::Not(lost) => {
                let word = out.paint().dye(Tone::Bad, "not kept");
                let one_of = |shift: &Shift| {
                    format!("{} was {}, is {}", shift.field, shift.before_in_words(), shift.after_in_words())
                };
                let list: Vec<String> = lost.iter().map(one_of).collect();
                let text = format!("{word}  {}: {}", one.name, list.join("; "));
                out.line(&wrapped(&text, out.width(), 2))?;
            }
        }
    }
    out.line(&format!("{kept} of {} have kept what they had over power", counted(all.len(), "node")))?;
    out.line("")?;
    Ok((after, kept < all.len()))
}

/// What is wrong on the wire around the nodes: addresses held twice, nodes out of reach, rivals. What is only worth a note
/// belongs to a survey.
fn around(look: &Look, sheet: &RigSheet) -> Vec<Finding> {
    let mut found = world_clashes(&look.census, &look.devices, &look.from, Some(sheet));
    // Two of one name differ from the plan in it, and the plan knows better names than a survey.
    found.retain(|finding| finding.rule.severity != Severity::Note && !is_same_name(finding));
    found.extend(held_addresses(sheet, &look.devices));
    found
}

fn summary(comparison: &Comparison<'_>, found: &[Finding], out: &Out) -> String {
    let (planned, not_asked) = comparison.asked();
    let (untold, unchecked) = comparison.untold();
    let mut rest = String::new();
    if untold > 0 {
        rest += &format!("; {} did not tell everything", counted(untold, "node"));
    }
    if unchecked > 0 {
        rest += &format!("; {} cannot be checked from here", counted(unchecked, "setting"));
    }
    if not_asked > 0 {
        rest += &format!("; {not_asked} speak no Art-Net and are out of reach of this computer");
    }
    let wrong = Exit::of(found) == Exit::Wrong;
    if comparison.is_as_planned() && !wrong {
        return out.paint().dye(Tone::Good, &format!("all {planned} nodes answer as planned{rest}"));
    }
    let answers = |row: &&Row<'_>| matches!(row.state, State::Found(..) | State::Seen(..));
    let answering = comparison.rows.iter().filter(answers).count();
    let (different, strangers) = (comparison.different(), comparison.unexpected.len());
    if answering == planned && different == 0 && strangers == 0 {
        let around = if wrong && untold == 0 { "; something else is wrong, see above" } else { "" };
        let tone = if wrong { Tone::Bad } else { Tone::Doubtful };
        return out
            .paint()
            .dye(tone, &format!("all {planned} nodes answer, as planned in what they tell{rest}{around}"));
    }
    let text = format!(
        "{answering} of {planned} nodes answer, {different} of them otherwise than planned; {strangers} not on the sheet{rest}"
    );
    out.paint().dye(Tone::Bad, &text)
}

fn table(comparison: &Comparison<'_>) -> Table {
    let mut table = Table::new(&["node", "state", "address", "what"]).unbroken(&["node", "state", "address"]);
    for row in &comparison.rows {
        let (word, tone) = state(row);
        let (address, what) = match &row.state {
            State::NotAsked => {
                (row.planned.address.value.to_string(), "speaks no Art-Net; out of reach here".to_owned())
            }
            State::Mute(device, way) => (address_of(device), format!("answers no {way}; {}", device.standing)),
            State::Seen(device, differences) => {
                // Of several addresses, the planned one is the one that matters.
                let planned = row.planned.fixed_address().filter(|planned| device.addresses.contains(planned));
                let address = planned.map_or_else(|| address_of(device), |address| address.to_string());
                (address, seen(device, differences))
            }
            State::Missing => (String::new(), format!("planned at {}", row.planned.address.value)),
            State::Ambiguous(several) => (String::new(), format!("{} units could be it", several.len())),
            State::Found(node, differences) => {
                let list: Vec<String> = differences.iter().map(ToString::to_string).collect();
                (node.address.to_string(), list.join("\n"))
            }
        };
        let name = Cell::new(row.planned.name.value.clone(), Tone::Strong);
        table.row(vec![name, Cell::new(word, tone), address.into(), what.into()]);
    }
    for node in &comparison.unexpected {
        table.row(vec![
            Cell::new(node.title(), Tone::Strong),
            Cell::new("unexpected", Tone::Doubtful),
            node.address.to_string().into(),
            "not on the sheet".into(),
        ]);
    }
    table
}

fn address_of(device: &Device) -> String {
    device.address.map_or_else(String::new, |address| address.to_string())
}

/// How a device that speaks no Art-Net was seen, and where it differs.
fn seen(device: &Device, differences: &[Difference]) -> String {
    // What this computer's own table says beside an answer by ARP says nothing more.
    let tells = |way: Way| way != Way::Neighbours || !device.is_seen_by(Way::Arp);
    let ways = device.seen_by.iter().map(|seen| seen.way).filter(|way| tells(*way));
    let ways: Vec<String> = ways.map(|way| way.to_string()).collect();
    let seen_by = format!("seen by {}", ways.join(", "));
    let how = if device.what.is_empty() { seen_by } else { format!("{}; {seen_by}", device.what) };
    let (mute, told): (Vec<&Difference>, Vec<_>) = differences.iter().partition(|d| d.cannot_be_told());
    let fields: Vec<String> = mute.iter().map(|difference| difference.field.to_string()).collect();
    let untellable = (!fields.is_empty()).then(|| format!("cannot tell its {}", fields.join(", ")));
    told.into_iter().map(ToString::to_string).chain([how]).chain(untellable).collect::<Vec<_>>().join("\n")
}

/// The state of those that answer.
fn answering(differences: &[Difference]) -> (&'static str, Tone) {
    if differences.iter().any(Difference::is_told) {
        ("different", Tone::Bad)
    } else if differences.iter().any(Difference::is_untold) {
        ("not all told", Tone::Doubtful)
    } else if differences.is_empty() {
        ("as planned", Tone::Good)
    } else {
        ("as told", Tone::Doubtful)
    }
}

fn state(row: &Row<'_>) -> (&'static str, Tone) {
    match &row.state {
        State::Mute(_, Way::ArtNet) => ("no Art-Net", Tone::Bad),
        State::Mute(..) => ("mute", Tone::Bad),
        State::Seen(_, differences) => answering(differences),
        State::NotAsked => ("not asked", Tone::Faint),
        State::Missing => ("missing", Tone::Bad),
        State::Ambiguous(_) => ("ambiguous", Tone::Bad),
        State::Found(_, differences) => answering(differences),
    }
}

fn answer<'a>(comparison: &'a Comparison<'_>, findings: &'a [Finding]) -> Answer<'a> {
    let line = |row: &'a Row<'_>| {
        let (address, mac) = match &row.state {
            State::Found(node, _) => (Some(node.address), node.mac),
            State::Seen(device, _) | State::Mute(device, _) => (device.address, device.mac),
            State::NotAsked | State::Missing | State::Ambiguous(_) => (None, None),
        };
        Line {
            name: &row.planned.name.value,
            planned_address: row.planned.address.value.to_string(),
            state: state(row).0,
            address: address.map(|address| address.to_string()),
            mac: mac.map(|mac| mac.to_string()),
            differences: row.differences(),
        }
    };
    let surplus = |node: &&lantern_core::census::FoundNode| Surplus {
        name: node.title(),
        address: node.address.to_string(),
        mac: node.mac.map(|mac| mac.to_string()),
    };
    Answer {
        format: 1,
        as_planned: comparison.is_as_planned() && Exit::of(findings) == Exit::Fine,
        nodes: comparison.rows.iter().map(line).collect(),
        unexpected: comparison.unexpected.iter().map(surplus).collect(),
        findings,
    }
}
