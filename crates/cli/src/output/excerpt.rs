//! The lines of a sheet that something stands on: a renderer that gets all of a large sheet is slow.

use std::ops::Range;

use lantern_core::sheet::Span;

/// Whole lines of a text.
pub(super) struct Excerpt<'a> {
    pub(super) text: &'a str,
    /// The number of its first line.
    pub(super) line: usize,
    offset: usize,
}

impl<'a> Excerpt<'a> {
    /// The lines that these bytes stand on, of which the first is `line`.
    pub(super) fn around(text: &'a str, span: Span, line: usize) -> Self {
        let start = span.start.min(text.len());
        let end = span.end.clamp(start, text.len());
        let offset = text[..start].rfind('\n').map_or(0, |before| before + 1);
        let end = text[end..].find('\n').map_or(text.len(), |after| end + after);
        Self { text: &text[offset..end], line, offset }
    }

    /// A place of the whole text within these lines.
    pub(super) fn within(&self, span: Span) -> Range<usize> {
        let place = |at: usize| at.saturating_sub(self.offset).min(self.text.len());
        place(span.start)..place(span.end)
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case::in_the_middle(5, 6, "de f", 1..2)]
    #[case::over_two_lines(1, 6, "abc\nde f", 1..6)]
    #[case::at_a_break(3, 3, "abc", 3..3)]
    #[case::at_the_end(9, 9, "", 0..0)]
    #[case::past_the_end(70, 90, "", 0..0)]
    fn whole_lines_are_shown(
        #[case] start: usize,
        #[case] end: usize,
        #[case] lines: &str,
        #[case] within: Range<usize>,
    ) {
        let text = "abc\nde f\n";
        let span = Span { start, end };
        let excerpt = Excerpt::around(text, span, 1);
        assert_eq!(excerpt.text, lines);
        assert_eq!(excerpt.within(span), within);
    }
}
