//! `explain`: what a finding means.

use lantern_core::Said;
use lantern_core::codes::{CodeBook, ReportCode};
use lantern_core::explain::catalogue;
use lantern_core::explain::{Page, family, page};
use lantern_core::finding::Rule;
use serde::Serialize;

use crate::codes;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone, wrapped};

/// Explain a finding by an example, or a code that a unit reports; or list all there are
///
/// Every finding has a code, like A001, that never changes its meaning. Codes of units, like '#000d', are those of the standards,
/// and those in your own table: codes.toml in this folder or your configuration folder, with code, means, and if you like kind,
/// reading, cause and remedy. Without a code, all are listed.
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
    /// Codes of units.
    reported: Vec<ReportCode>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let is_of_a_unit = args.codes.iter().any(|code| page(code).is_none());
    let book = if is_of_a_unit { codes::book()? } else { codes::book_or_standard(out)? };
    if args.codes.is_empty() && !out.is_json() {
        list(&catalogue(), out)?;
        list_reported(&book, out)?;
        return Ok(Exit::Fine);
    }
    let all = || catalogue().iter().map(|rule| rule.code.to_owned()).collect();
    let (wanted, mut reported): (Vec<String>, Vec<ReportCode>) =
        if args.codes.is_empty() { (all(), book.all().to_vec()) } else { (args.codes.clone(), Vec::new()) };
    let mut pages: Vec<Page> = Vec::new();
    for code in &wanted {
        match (page(code), &book.meanings(code)[..]) {
            (Some(page), _) => pages.push(page),
            (None, []) => return Err(unknown(code)),
            (None, meanings) => reported.extend(meanings.iter().copied().cloned()),
        }
    }
    if out.is_json() {
        out.object(&Answer { format: 1, pages, reported })?;
        return Ok(Exit::Fine);
    }
    pages.iter().try_for_each(|page| show(page, out))?;
    reported.iter().try_for_each(|code| show_reported(code, out))?;
    Ok(Exit::Fine)
}

fn list_reported(book: &CodeBook, out: &mut Out) -> Result<(), Failure> {
    out.line("")?;
    let heading = out.paint().dye(Tone::Strong, "codes that units report");
    out.line(&heading)?;
    let mut table = Table::new(&["code", "of", "means"]).unbroken(&["code", "of"]);
    for one in book.all() {
        let of = one.kind.as_deref().unwrap_or(if one.yours { "your table" } else { "Art-Net" });
        table.row(vec![
            Said::from(one.code.as_str()).to_string().into(),
            Said::from(of).to_string().into(),
            Said::from(one.means.as_str()).to_string().into(),
        ]);
    }
    out.table(&table)?;
    Ok(())
}

fn show_reported(one: &ReportCode, out: &mut Out) -> Result<(), Failure> {
    let safe = |text: &str| Said::from(text).to_string();
    let of = match &one.kind {
        Some(kind) => format!("of {}", safe(kind)),
        None if one.yours => "your table".to_owned(),
        None => "Art-Net".to_owned(),
    };
    let of = one.reading.as_ref().map(|reading| format!("reading {}, ", safe(reading))).unwrap_or_default() + &of;
    let head = out.paint().dye(Tone::Strong, &format!("{}  {}", safe(&one.code), safe(&one.means)));
    out.line(&format!("{head}  (reported by units, {of})"))?;
    for (name, text) in [("  from", &one.cause), ("    do", &one.remedy)] {
        if let Some(text) = text {
            out.line(&wrapped(&format!("  {name}  {}", safe(text)), out.width(), 10))?;
        }
    }
    Ok(out.line("")?)
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
