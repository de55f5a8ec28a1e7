//! `show` of a fixture: what it tells, how it is, and the parameters of its maker's own.

use lantern_core::typed;
use lantern_core::view::FixturePortrait;

use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone, findings, wrapped};

pub(super) fn show(one: &FixturePortrait, sheet: Option<&str>, out: &mut Out) -> Result<(), Failure> {
    let name = out.paint().dye(Tone::Strong, &one.title);
    out.line(&wrapped(&format!("{name}  on {}, universe {}", one.cable, one.universe), out.width(), 2))?;
    if let Some(planned) = &one.planned_as {
        out.line(&format!("on the sheet as {planned}"))?;
    }
    if one.facts.is_empty() {
        out.line("it is in its gateway's table, and answers nothing")?;
        return Ok(());
    }
    facts(one, out)?;
    health(one, out)?;
    parameters(one, out)?;
    if !one.findings.is_empty() {
        out.line("")?;
        findings::print(out, &one.findings)?;
    }
    if let (Some(sheet), Some(planned)) = (sheet, one.planned_as.as_ref().filter(|_| one.differs())) {
        out.hint(&format!(
            "to make it what the sheet says: deft-lantern apply {sheet} --fixtures --node {}",
            typed(planned)
        ))?;
    }
    Ok(())
}

fn facts(one: &FixturePortrait, out: &mut Out) -> Result<(), Failure> {
    let is_planned = one.facts.iter().any(|fact| fact.planned.is_some());
    let headings: &[&'static str] = if is_planned { &["field", "told", "planned"] } else { &["field", "told"] };
    let mut table = Table::new(headings).unbroken(&["field"]);
    for fact in &one.facts {
        let told = match (&fact.told, &fact.planned) {
            (None, _) => Cell::new("not told", Tone::Faint),
            (Some(told), None) => told.clone().into(),
            (Some(told), Some(_)) => Cell::new(told.clone(), Tone::Doubtful),
        };
        let planned = Cell::new(fact.planned.clone().unwrap_or_default(), Tone::Strong);
        table.row([fact.field.clone().into(), told].into_iter().chain(is_planned.then_some(planned)).collect());
    }
    out.line("")?;
    Ok(out.table(&table)?)
}

/// How it is: a line for each thing that it tells.
fn health(one: &FixturePortrait, out: &mut Out) -> Result<(), Failure> {
    let health = &one.health;
    let hours = |what: &str, count: Option<u32>| count.map(|count| format!("{what} {count} h"));
    let times = |what: &str, count: Option<u32>| count.map(|count| format!("{what} {count} times"));
    let counts = [
        hours("on for", health.hours),
        times("switched on", health.power_cycles),
        hours("lamp on for", health.lamp_hours),
        times("lamp struck", health.lamp_strikes),
        health.line.map(|line| format!("{} damaged messages", line.sum())),
    ];
    let counts: Vec<String> = counts.into_iter().flatten().collect();
    let counts = (!counts.is_empty()).then(|| counts.join(", "));
    let sensors = health.sensors.iter().map(ToString::to_string);
    let reports = health.reports.iter().map(|report| format!("reports {report}"));
    let all: Vec<String> = counts.into_iter().chain(sensors).chain(reports).collect();
    if !all.is_empty() {
        out.line("")?;
    }
    for line in all {
        out.line(&wrapped(&line, out.width(), 2))?;
    }
    Ok(())
}

fn parameters(one: &FixturePortrait, out: &mut Out) -> Result<(), Failure> {
    if one.parameters.is_empty() {
        return Ok(());
    }
    let mut table = Table::new(&["parameter", "called", "set to", "can be"]).unbroken(&["parameter"]);
    for parameter in &one.parameters {
        let takes = match (parameter.is_set, parameter.name.is_empty()) {
            (true, _) => parameter.takes.clone().into(),
            (false, true) => Cell::new("it does not say what this is", Tone::Faint),
            (false, false) => Cell::new("only read", Tone::Faint),
        };
        table.row(vec![
            format!("0x{:04x}", parameter.number).into(),
            parameter.name.clone().into(),
            Cell::new(parameter.value.clone(), Tone::Strong),
            takes,
        ]);
    }
    out.line("")?;
    Ok(out.table(&table)?)
}
