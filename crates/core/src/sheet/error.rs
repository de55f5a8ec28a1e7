//! What is wrong with the text of a sheet.

use super::place::{LineIndex, Position, Span};

/// One mistake in the text: the sheet cannot be used until it is mended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SheetError {
    /// Where it stands.
    pub span: Span,
    /// What is wrong.
    pub what: String,
    /// What was expected there.
    pub expected: String,
    /// What to do, where that can be said.
    pub hint: Option<String>,
}

/// Every mistake found in one sheet, in the order of the text. Never empty.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the rig sheet has {} mistake{}", .errors.len(), if .errors.len() == 1 { "" } else { "s" })]
pub struct SheetErrors {
    /// The mistakes.
    pub errors: Vec<SheetError>,
    lines: LineIndex,
}

impl SheetErrors {
    pub(super) fn new(text: &str, mut errors: Vec<SheetError>) -> Self {
        errors.sort_by_key(|e| e.span.start);
        Self { errors, lines: LineIndex::new(text) }
    }

    /// Line and column of a mistake in the `text` that was parsed.
    #[must_use]
    pub fn position(&self, text: &str, error: &SheetError) -> Position {
        self.lines.position(text, error.span.start)
    }
}
