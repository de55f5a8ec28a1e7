//! Long lines, broken between words.

/// Breaks a line between words; what follows the first line is set in by `inset`.
pub(crate) fn wrapped(text: &str, width: usize, inset: usize) -> String {
    let mut out = String::new();
    let mut column = 0;
    for word in text.split_inclusive(' ') {
        let length = word.trim_end().chars().count();
        if column + length > width && column > inset {
            out.truncate(out.trim_end().len());
            out.push('\n');
            out.push_str(&" ".repeat(inset));
            column = inset;
        }
        out.push_str(word);
        column += word.chars().count();
    }
    out
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("short", 20, 2, "short")]
    #[case("one two three four", 10, 2, "one two\n  three\n  four")]
    #[case("   why  one two three", 12, 8, "   why  one\n        two\n        three")]
    #[case("a-word-longer-than-the-line x", 10, 2, "a-word-longer-than-the-line\n  x")]
    #[case("", 10, 2, "")]
    fn lines_break_between_words(
        #[case] text: &str,
        #[case] width: usize,
        #[case] inset: usize,
        #[case] out: &str,
    ) {
        assert_eq!(wrapped(text, width, inset), out);
    }
}
