//! What is said of it: who is to get what, what happens, how everybody came out of it.

use std::io;
use std::net::Ipv4Addr;
use std::path::Path;
use std::time::Duration;

use lantern_core::MacAddress;
use lantern_core::address::Seat;
use lantern_core::conversation::{LeaseNews, Leasing, LeasingStage, Stranger};
use lantern_core::lease::{LeasePlan, LeaseWishes, held_finding, left_finding};
use serde::Serialize;

use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone, counted, findings};

/// One line of `--json`.
#[derive(Debug, Default, Serialize)]
struct Line<'n> {
    format: u32,
    event: &'static str,
    at_ms: u128,
    mac: Option<String>,
    node: Option<&'n str>,
    address: Option<Ipv4Addr>,
    seconds: Option<u32>,
    /// Who holds the address, or where the unit was before.
    by: Option<String>,
    host_name: Option<String>,
    class: Option<String>,
    port: Option<String>,
}

/// How one device came out of it, for `--json`.
#[derive(Debug, Serialize)]
struct Ended<'n> {
    format: u32,
    event: &'static str,
    node: &'n str,
    address: Ipv4Addr,
    mac: Option<String>,
    state: &'static str,
}

/// Who is to get what.
pub(super) fn plan(plan: &LeasePlan, wishes: &LeaseWishes, seats: &[Seat], out: &mut Out) -> Result<(), Failure> {
    if out.is_json() {
        return Ok(());
    }
    let mut table = Table::new(&["node", "known by", "address", "gateway"]).unbroken(&["node", "address"]);
    for at in plan.awaited(seats) {
        let place = &plan.places[at];
        let by_port = || plan.circuits.iter().find(|(_, of)| *of == at).map(|(port, _)| format!("port {port}"));
        let by_turn = || Some(format!("its turn, as number {}", plan.next.iter().position(|of| *of == at)? + 1));
        let known = place.mac.map(|mac| mac.to_string()).or_else(by_port).or_else(by_turn).unwrap_or_default();
        let (address, prefix) = (place.terms.address, place.terms.mask.prefix());
        let gateway = place.terms.gateway.map_or_else(|| "none".to_owned(), |gateway| gateway.to_string());
        table.row(vec![
            Cell::new(&*place.name, Tone::Strong),
            known.into(),
            format!("{address}/{prefix}").into(),
            gateway.into(),
        ]);
    }
    out.table(&table)?;
    if let Some(pool) = wishes.pool {
        out.line(&format!("others  one of {} in {pool} that no device is planned at", plan.pool.len()))?;
    }
    out.line("")?;
    Ok(())
}

/// What has just happened.
pub(super) fn news(news: &LeaseNews, leasing: &Leasing, out: &mut Out) -> Result<(), Failure> {
    let at = leasing.elapsed();
    if out.is_json() {
        return Ok(out.json_line(&line(news, at))?);
    }
    let seconds = at.as_secs();
    let mut say = |tone, word: &str, text: String| -> Result<(), io::Error> {
        let word = out.paint().dye(tone, &format!("{word:<7}"));
        out.line(&format!("{:>2}:{:02}  {word}  {text}", seconds / 60, seconds % 60))
    };
    match news {
        LeaseNews::Giving => {
            say(Tone::Plain, "begins", "no other DHCP server answers".to_owned())?;
            out.hint(
                "a unit on a link-local address asks again by itself, mostly within minutes; at once when its cable is pulled and \
                 plugged in",
            )?;
        }
        LeaseNews::Given { is_new: false, is_kept: false, .. } => {}
        LeaseNews::Given { mac, node, address, seconds, is_kept, .. } => {
            let (word, until) = match is_kept {
                true => ("keeps", format!("is told to keep it for {}", long(*seconds))),
                false => ("given", "has it while this runs".to_owned()),
            };
            let address = address.to_string();
            say(Tone::Good, word, format!("{address:<13}  {} {until}", named(node.as_deref(), *mac)))?;
        }
        LeaseNews::Unknown(stranger) => {
            say(Tone::Doubtful, "unknown", format!("{}: not on the sheet, gets nothing", called(stranger)))?;
        }
        LeaseNews::Taken { who, node } => {
            say(Tone::Good, "taken", format!("{} is taken for {node}", called(who)))?;
        }
        LeaseNews::Locked(mac) => say(Tone::Doubtful, "locked", format!("{mac} asks, and is not spoken to"))?,
        LeaseNews::Moved { mac, from, to } => {
            let to = to.map_or_else(|| "and has none here".to_owned(), |to| format!("for {to}"));
            say(Tone::Plain, "moves", format!("{mac}  is told to leave {from} {to}"))?;
        }
        LeaseNews::Held { mac, node, address, by } => {
            say(Tone::Bad, "held", format!("{address} is not given to {}", named(node.as_deref(), *mac)))?;
            findings::print(out, &[held_finding(node.as_deref().unwrap_or(&mac.to_string()), *address, *by)])?;
        }
        LeaseNews::Released { mac, address, .. } => {
            say(Tone::Plain, "back", format!("{mac}  gives {address} back"))?;
        }
        LeaseNews::Ending => {
            let has = leasing.stages().filter(|(_, stage)| *stage == LeasingStage::Short).count();
            if has > 0 {
                say(
                    Tone::Plain,
                    "ends",
                    format!("{has} are told to keep their address when they ask the next time"),
                )?;
            }
        }
        LeaseNews::Rival { server, .. } => say(Tone::Bad, "stops", format!("{server} gives addresses too"))?,
    }
    Ok(())
}

/// How everybody came out of it; whether anything is left to do.
pub(super) fn end(leasing: &Leasing, sheet: &Path, out: &mut Out) -> Result<bool, Failure> {
    let left = left_finding(leasing, &sheet.display().to_string());
    if out.is_json() {
        for (place, stage) in leasing.stages() {
            let mac = leasing.holder(place).map(|mac| mac.to_string());
            let (node, address, (state, _)) = (place.name.as_str(), place.terms.address, state(stage));
            out.json_line(&Ended { format: 1, event: "ended", node, address, mac, state })?;
        }
        findings::show_on_notes(out, &left)?;
    } else {
        let mut table = Table::new(&["node", "MAC", "address", "state"]).unbroken(&["node", "MAC", "address"]);
        for (place, stage) in leasing.stages() {
            let mac = leasing.holder(place).or(place.mac).map(|mac| mac.to_string()).unwrap_or_default();
            let (word, tone) = state(stage);
            table.row(vec![
                Cell::new(&*place.name, Tone::Strong),
                mac.into(),
                place.terms.address.to_string().into(),
                Cell::new(word, tone),
            ]);
        }
        out.line("")?;
        out.table(&table)?;
        findings::print(out, &left)?;
    }
    let strangers = leasing.strangers();
    if strangers > 0 {
        let others = if strangers == 1 { "1 other".to_owned() } else { format!("{strangers} others") };
        out.note(&format!("{others} asked and got nothing"))?;
    }
    let is_done = leasing.stages().all(|(_, stage)| stage == LeasingStage::Kept);
    if is_done && leasing.rival().is_none() {
        out.hint(&format!("see that all answer: deft-lantern check {}", sheet.display()))?;
    }
    Ok(!is_done)
}

const fn state(stage: LeasingStage) -> (&'static str, Tone) {
    match stage {
        LeasingStage::Awaited => ("did not ask", Tone::Doubtful),
        LeasingStage::Held => ("held by another", Tone::Bad),
        LeasingStage::Short => ("given, not told to keep it", Tone::Doubtful),
        LeasingStage::Kept => ("told to keep it", Tone::Good),
    }
}

fn named(node: Option<&str>, mac: MacAddress) -> String {
    node.map_or_else(|| mac.to_string(), |node| format!("{node} ({mac})"))
}

/// What one said of itself.
fn called(stranger: &Stranger) -> String {
    let told = [&stranger.host_name, &stranger.class, &stranger.circuit];
    let told = told.iter().filter(|text| !text.is_empty()).map(|text| format!(", {text}"));
    format!("{}{}", stranger.mac, told.collect::<String>())
}

fn told<'n>(stranger: &Stranger, line: Line<'n>) -> Line<'n> {
    Line {
        host_name: Some(stranger.host_name.to_string()),
        class: Some(stranger.class.to_string()),
        port: Some(stranger.circuit.to_string()),
        ..line
    }
}

/// A lease in words.
fn long(seconds: u32) -> String {
    match seconds {
        s if s % 86_400 == 0 => counted((s / 86_400) as usize, "day"),
        s if s % 3600 == 0 => counted((s / 3600) as usize, "hour"),
        s => counted((s / 60) as usize, "minute"),
    }
}

fn line(news: &LeaseNews, at: Duration) -> Line<'_> {
    let base = |event| Line { format: 1, event, at_ms: at.as_millis(), ..Line::default() };
    let of = |event, mac: &MacAddress| Line { mac: Some(mac.to_string()), ..base(event) };
    match news {
        LeaseNews::Giving => base("begins"),
        LeaseNews::Ending => base("ends"),
        LeaseNews::Locked(mac) => of("locked", mac),
        LeaseNews::Unknown(stranger) => told(stranger, of("unknown", &stranger.mac)),
        LeaseNews::Taken { who, node } => Line { node: Some(node), ..told(who, of("taken", &who.mac)) },
        LeaseNews::Given { mac, node, address, seconds, is_kept, .. } => Line {
            node: node.as_deref(),
            address: Some(*address),
            seconds: Some(*seconds),
            ..of(if *is_kept { "keeps" } else { "given" }, mac)
        },
        LeaseNews::Moved { mac, from, to } => {
            Line { address: *to, by: Some(from.to_string()), ..of("moves", mac) }
        }
        LeaseNews::Held { mac, node, address, by } => Line {
            node: node.as_deref(),
            address: Some(*address),
            by: by.map(|by| by.to_string()),
            ..of("held", mac)
        },
        LeaseNews::Released { mac, node, address } => {
            Line { node: node.as_deref(), address: Some(*address), ..of("back", mac) }
        }
        LeaseNews::Rival { server, mac } => {
            Line { address: Some(*server), mac: mac.map(|mac| mac.to_string()), ..base("stops") }
        }
    }
}
