//! Where in the text something stands.

use std::ops::Range;

use serde::Serialize;

/// Bytes of the sheet's text, from the first to before the last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub struct Span {
    /// Offset of the first byte.
    pub start: usize,
    /// Offset after the last byte.
    pub end: usize,
}

impl From<Range<usize>> for Span {
    fn from(range: Range<usize>) -> Self {
        Self { start: range.start, end: range.end }
    }
}

impl From<Span> for Range<usize> {
    fn from(span: Span) -> Self {
        span.start..span.end
    }
}

/// A value and where it was written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Placed<T> {
    /// The value.
    pub value: T,
    /// Where it was written.
    pub span: Span,
}

impl<T> Placed<T> {
    /// `value`, written at `span`.
    pub const fn new(value: T, span: Span) -> Self {
        Self { value, span }
    }
}

/// A place as an editor shows it: both count from 1, columns in characters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct Position {
    /// The line.
    pub line: usize,
    /// The character within the line.
    pub column: usize,
}

/// Where each line starts.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(super) struct LineIndex(Vec<usize>);

impl LineIndex {
    pub(super) fn new(text: &str) -> Self {
        let after_breaks = text.match_indices('\n').map(|(place, _)| place + 1);
        Self(std::iter::once(0).chain(after_breaks).collect())
    }

    pub(super) fn position(&self, text: &str, offset: usize) -> Position {
        let offset = offset.min(text.len());
        let line = self.0.partition_point(|start| *start <= offset);
        let start = self.0[line - 1];
        let column = text.get(start..offset).map_or(1, |before| before.chars().count() + 1);
        Position { line, column }
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case(0, 1, 1)]
    #[case(2, 1, 3)]
    #[case(3, 2, 1)]
    #[case(6, 2, 3)]
    #[case(99, 3, 1)]
    fn places_count_from_one_in_characters(#[case] offset: usize, #[case] line: usize, #[case] column: usize) {
        let text = "ab\né=\n";
        assert_eq!(LineIndex::new(text).position(text, offset), Position { line, column });
    }
}
