//! Findings for people: in the lines of the sheet where they stand in one, as a list where not.

use std::io;
use std::path::Path;

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use lantern_core::finding::{Finding, Place, Severity};
use lantern_core::sheet::Span;

use super::excerpt::Excerpt;
use super::wrap::wrapped;
use super::{Detail, Out, Paint};

/// The most places of one finding shown in their lines.
const MOST_PLACES: usize = 4;
/// Places within so many bytes are shown in one excerpt.
const NEAR: usize = 64 << 10;
/// The most findings shown at once, and in a line each.
const MOST: usize = 100;
const MOST_BRIEF: usize = 1000;

pub(super) fn renderer(paint: Paint, width: usize) -> Renderer {
    let renderer = match paint {
        Paint::On => Renderer::styled(),
        Paint::Off => Renderer::plain(),
    };
    renderer.decor_style(DecorStyle::Ascii).term_width(width)
}

/// Shows findings in the lines of the sheet, on the channel for notes.
pub(crate) fn show_in_sheet(out: &mut Out, path: &Path, text: &str, findings: &[Finding]) -> io::Result<()> {
    if out.detail(findings.len()) == Detail::Brief {
        let paint = out.notes_paint();
        return brief(Some(path), findings, paint).iter().try_for_each(|line| out.note(line));
    }
    let renderer = renderer(out.notes_paint(), out.width());
    for shown in in_sheet(&renderer, path, text, findings) {
        out.note(&shown)?;
    }
    Ok(())
}

/// Prints findings in the lines of the sheet, as the result.
pub(crate) fn print_in_sheet(out: &mut Out, path: &Path, text: &str, findings: &[Finding]) -> io::Result<()> {
    if out.detail(findings.len()) == Detail::Brief {
        let paint = out.paint();
        return brief(Some(path), findings, paint).iter().try_for_each(|line| out.line(line));
    }
    let renderer = renderer(out.paint(), out.width());
    for shown in in_sheet(&renderer, path, text, findings) {
        out.line(&shown)?;
    }
    Ok(())
}

fn in_sheet(renderer: &Renderer, path: &Path, text: &str, findings: &[Finding]) -> Vec<String> {
    let path = path.display().to_string();
    let shown =
        findings.iter().take(MOST).map(|finding| format!("{}\n", renderer.render(&[group(finding, &path, text)])));
    let more = findings.len().saturating_sub(MOST);
    shown.chain((more > 0).then(|| format!("and {more} more\n"))).collect()
}

fn group<'a>(finding: &'a Finding, path: &'a str, text: &'a str) -> Group<'a> {
    let places = &finding.places[..finding.places.len().min(MOST_PLACES)];
    let title = level(finding.rule.severity).primary_title(&finding.what).id(finding.rule.code);
    let mut group = Group::with_title(title);
    let primary = places.first();
    for near in neighbours(places) {
        let excerpt = excerpt_around(text, near);
        let mut snippet = Snippet::source(excerpt.text).line_start(excerpt.line).path(path);
        for place in near {
            let kind = if Some(place) == primary { AnnotationKind::Primary } else { AnnotationKind::Context };
            snippet = snippet.annotation(kind.span(excerpt.within(place.span)).label(&place.note));
        }
        group = group.element(snippet);
    }
    let group = group.element(Level::NOTE.with_name("why").message(finding.rule.why));
    group.element(Level::HELP.with_name("do").message(remedy(finding)))
}

/// Places that are shown in one excerpt; where they stand far apart, each has its own.
fn neighbours(places: &[Place]) -> Vec<&[Place]> {
    let starts = places.iter().map(|place| place.span.start);
    let apart = starts.clone().max().unwrap_or(0) - starts.min().unwrap_or(0);
    if apart <= NEAR || places.is_empty() { vec![places] } else { places.chunks(1).collect() }
}

fn excerpt_around<'a>(text: &'a str, places: &[Place]) -> Excerpt<'a> {
    let first = places.iter().min_by_key(|place| place.span.start);
    let end = places.iter().map(|place| place.span.end).max().unwrap_or(0);
    let (start, line) = first.map_or((0, 1), |place| (place.span.start, place.position.line));
    Excerpt::around(text, Span { start, end }, line)
}

/// What to do, and the command that does it where there is one.
fn remedy(finding: &Finding) -> String {
    match &finding.command {
        Some(command) => format!("{}: deft-lantern {command}", finding.remedy),
        None => finding.remedy.clone(),
    }
}

const fn level(severity: Severity) -> Level<'static> {
    match severity {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
        Severity::Note => Level::NOTE,
    }
}

/// Prints findings as a list, as part of the result.
pub(crate) fn print(out: &mut Out, findings: &[Finding]) -> io::Result<()> {
    let paint = out.paint();
    for line in listed(findings, paint, out) {
        out.line(&line)?;
    }
    Ok(())
}

/// Shows findings as a list, on the channel for notes.
pub(crate) fn show_on_notes(out: &mut Out, findings: &[Finding]) -> io::Result<()> {
    let paint = out.notes_paint();
    for line in listed(findings, paint, out) {
        out.note(&line)?;
    }
    Ok(())
}

fn listed(findings: &[Finding], paint: Paint, out: &Out) -> Vec<String> {
    match out.detail(findings.len()) {
        Detail::Brief => brief(None, findings, paint),
        Detail::Full => list(findings, paint, out.width()),
    }
}

/// A line each, the worst first; with the line of the sheet where they stand in one.
fn brief(path: Option<&Path>, findings: &[Finding], paint: Paint) -> Vec<String> {
    let mut worst_first: Vec<&Finding> = findings.iter().collect();
    worst_first.sort_by_key(|finding| finding.rule.severity);
    let line = |finding: &&Finding| {
        let head =
            paint.dye(finding.rule.severity.into(), &format!("{} {}", finding.rule.severity, finding.rule.code));
        let place = path.zip(finding.places.first());
        let place = place.map(|(path, place)| format!("{}:{}  ", path.display(), place.position.line));
        format!("{head}  {}{}", place.unwrap_or_default(), finding.what)
    };
    let more = findings.len().saturating_sub(MOST_BRIEF);
    let rest = (more > 0).then(|| format!("and {more} more"));
    let end = (!findings.is_empty())
        .then(|| "what each means and what to do: the same with --full, or explain CODE".to_owned());
    worst_first.iter().take(MOST_BRIEF).map(line).chain(rest).chain(end).collect()
}

fn list(findings: &[Finding], paint: Paint, width: usize) -> Vec<String> {
    let mut worst_first: Vec<&Finding> = findings.iter().collect();
    worst_first.sort_by_key(|finding| finding.rule.severity);
    let mut lines = Vec::new();
    for finding in worst_first.iter().take(MOST) {
        let head = format!("{} {}", finding.rule.severity, finding.rule.code);
        let mut text = wrapped(&format!("{head}  {}", finding.what), width, head.len() + 2);
        text.replace_range(..head.len(), &paint.dye(finding.rule.severity.into(), &head));
        lines.push(text);
        lines.push(wrapped(&format!("      why  {}", finding.rule.why), width, 11));
        lines.push(wrapped(&format!("       do  {}", remedy(finding)), width, 11));
    }
    match findings.len().saturating_sub(MOST) {
        0 => {}
        more => lines.push(format!("and {more} more")),
    }
    lines
}
