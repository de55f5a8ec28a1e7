//! `explain`: what a finding means.

use lantern_core::explain::catalogue;
use lantern_core::explain::{Page, family, page};
use lantern_core::finding::Rule;
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone, wrapped};

/// Explain a finding, with an example, or list all there are
///
/// Every finding has a code, like A001, that never changes its meaning. Without a code, all are listed.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The codes
    #[arg(value_name = "CODE")]
    codes: Vec<String>,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    pages: Vec<Page>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    if args.codes.is_empty() && !out.is_json() {
        list(&catalogue(), out)?;
        return Ok(Exit::Fine);
    }
    let all = || catalogue().iter().map(|rule| rule.code.to_owned()).collect();
    let wanted: Vec<String> = if args.codes.is_empty() { all() } else { args.codes.clone() };
    let pages: Vec<Page> =
        wanted.iter().map(|code| page(code).ok_or_else(|| unknown(code))).collect::<Result<_, _>>()?;
    if out.is_json() {
        out.object(&Answer { format: 1, pages })?;
        return Ok(Exit::Fine);
    }
    for page in &pages {
        show(page, out)?;
    }
    Ok(Exit::Fine)
}

/// A code of the same family is what was meant more likely than one of another.
fn unknown(wanted: &str) -> Failure {
    let near = wanted.chars().next().and_then(|letter| {
        let letter = letter.to_ascii_uppercase();
        catalogue().into_iter().map(|rule| rule.code).rfind(|code| code.starts_with(letter))
    });
    Failure::NoCode { wanted: wanted.to_owned(), near }
}

fn list(rules: &[&'static Rule], out: &mut Out) -> Result<(), Failure> {
    let paint = out.paint();
    for (place, chunk) in rules.chunk_by(|a, b| family(a) == family(b)).enumerate() {
        if place > 0 {
            out.line("")?;
        }
        out.line(&paint.dye(Tone::Strong, family(chunk[0])))?;
        let mut table = Table::new(&["code", "how bad", "what"]).unbroken(&["code", "how bad"]);
        for rule in chunk {
            table.row(vec![
                rule.code.into(),
                Cell::new(rule.severity.to_string(), rule.severity.into()),
                rule.title.into(),
            ]);
        }
        out.table(&table)?;
    }
    Ok(())
}

fn show(page: &Page, out: &mut Out) -> Result<(), Failure> {
    let (paint, width) = (out.paint(), out.width());
    let head = paint.dye(Tone::Strong, &format!("{}  {}", page.code, page.title));
    out.line(&format!("{head}  ({}, {})", page.severity, page.family))?;
    out.line("")?;
    out.line(&wrapped(&format!("    why  {}", page.why), width, 9))?;
    out.line("")?;
    if page.is_sheet {
        out.line("For example, this on a sheet:")?;
        out.line("")?;
        for line in page.example.lines() {
            out.line(&format!("    {line}"))?;
        }
    } else {
        out.line(&wrapped(&format!("For example: {}", page.example), width, 0))?;
    }
    if let Some(said) = &page.said {
        out.line("")?;
        out.line(&wrapped(&format!("   says  {}", said.what), width, 9))?;
        out.line(&wrapped(&format!("     do  {}", said.remedy), width, 9))?;
        if let Some(command) = &said.command {
            out.line(&format!("     by  deft-lantern {command}"))?;
        }
    }
    out.line("")?;
    Ok(())
}
