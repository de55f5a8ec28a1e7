//! Findings for people: in the lines of the sheet where they stand in one, as a list where not.

use std::io;
use std::path::Path;

use annotate_snippets::renderer::DecorStyle;
use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use lantern_core::finding::{Finding, Severity};

use super::wrap::wrapped;
use super::{Out, Paint, Tone};

/// The most places of one finding shown in their lines.
const MOST_PLACES: usize = 4;
/// The most findings shown at once.
const MOST: usize = 100;

pub(super) fn renderer(paint: Paint, width: usize) -> Renderer {
    let renderer = match paint {
        Paint::On => Renderer::styled(),
        Paint::Off => Renderer::plain(),
    };
    renderer.decor_style(DecorStyle::Ascii).term_width(width)
}

/// Shows findings in the lines of the sheet, on the channel for notes.
pub(crate) fn show_in_sheet(out: &mut Out, path: &Path, text: &str, findings: &[Finding]) -> io::Result<()> {
    let renderer = renderer(out.notes_paint(), out.width());
    for shown in in_sheet(&renderer, path, text, findings) {
        out.note(&shown)?;
    }
    Ok(())
}

/// Prints findings in the lines of the sheet, as the result.
pub(crate) fn print_in_sheet(out: &mut Out, path: &Path, text: &str, findings: &[Finding]) -> io::Result<()> {
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
    let mut snippet = Snippet::source(text).path(path);
    for (i, place) in finding.places.iter().take(MOST_PLACES).enumerate() {
        let kind = if i == 0 { AnnotationKind::Primary } else { AnnotationKind::Context };
        snippet = snippet.annotation(kind.span(place.span.into()).label(&place.note));
    }
    let title = level(finding.rule.severity).primary_title(&finding.what).id(finding.rule.code);
    let group = title.element(snippet).element(Level::NOTE.with_name("why").message(finding.rule.why));
    group.element(Level::HELP.with_name("do").message(remedy(finding)))
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
    for line in list(findings, paint, out.width()) {
        out.line(&line)?;
    }
    Ok(())
}

/// Shows findings as a list, on the channel for notes.
pub(crate) fn show_on_notes(out: &mut Out, findings: &[Finding]) -> io::Result<()> {
    let paint = out.notes_paint();
    for line in list(findings, paint, out.width()) {
        out.note(&line)?;
    }
    Ok(())
}

fn list(findings: &[Finding], paint: Paint, width: usize) -> Vec<String> {
    let mut worst_first: Vec<&Finding> = findings.iter().collect();
    worst_first.sort_by_key(|finding| finding.rule.severity);
    let mut lines = Vec::new();
    for finding in worst_first.iter().take(MOST) {
        let tone = match finding.rule.severity {
            Severity::Error => Tone::Bad,
            Severity::Warning => Tone::Doubtful,
            Severity::Note => Tone::Faint,
        };
        let head = format!("{} {}", finding.rule.severity, finding.rule.code);
        let mut text = wrapped(&format!("{head}  {}", finding.what), width, head.len() + 2);
        text.replace_range(..head.len(), &paint.dye(tone, &head));
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
