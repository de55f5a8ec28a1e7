//! The mistakes of a sheet, each shown in its line.

use std::io;
use std::path::Path;

use annotate_snippets::{AnnotationKind, Level, Snippet};
use lantern_core::sheet::SheetErrors;

use super::Out;
use super::excerpt::Excerpt;
use super::findings::renderer;

/// The most mistakes shown at once; mending these may mend the rest.
const MOST: usize = 20;

/// Shows the mistakes on the channel for notes.
pub(crate) fn show(out: &mut Out, path: &Path, text: &str, errors: &SheetErrors) -> io::Result<()> {
    let renderer = renderer(out.notes_paint(), out.width());
    let path = path.display().to_string();
    for error in errors.errors.iter().take(MOST) {
        let excerpt = Excerpt::around(text, error.span, errors.position(text, error).line);
        let place = AnnotationKind::Primary.span(excerpt.within(error.span));
        let annotation = place.label(format!("expected {}", error.expected));
        let snippet = Snippet::source(excerpt.text).line_start(excerpt.line).path(&path).annotation(annotation);
        let mut group = Level::ERROR.primary_title(&error.what).element(snippet);
        if let Some(hint) = &error.hint {
            group = group.element(Level::HELP.message(hint));
        }
        out.note(&format!("{}\n", renderer.render(&[group])))?;
    }
    match errors.errors.len().saturating_sub(MOST) {
        0 => Ok(()),
        more => out.note(&format!("and {more} more\n")),
    }
}
