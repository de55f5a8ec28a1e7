//! Lines of a text before and after: what goes, what comes.

use std::io;

use serde::Serialize;
use similar::{ChangeTag, TextDiff};

use super::{Out, Tone};

/// The most lines shown.
const MOST: usize = 200;

/// A line that changes.
#[derive(Debug, Serialize)]
pub(crate) struct ChangedLine {
    pub(crate) line: usize,
    pub(crate) before: Option<String>,
    pub(crate) after: Option<String>,
}

/// Every line that differs, in order.
pub(crate) fn between(before: &str, after: &str) -> Vec<ChangedLine> {
    let text = |line: &str| Some(line.trim_end_matches(['\r', '\n']).to_owned());
    // Texts of equally many lines are compared line by line: a sheet of thousands of nodes is filled at once.
    if before.lines().count() == after.lines().count() {
        let pairs = before.lines().zip(after.lines()).enumerate().filter(|(_, (a, b))| a != b);
        return pairs.map(|(i, (a, b))| ChangedLine { line: i + 1, before: text(a), after: text(b) }).collect();
    }
    let diff = TextDiff::from_lines(before, after);
    let changes = diff.iter_all_changes().filter_map(|change| match change.tag() {
        ChangeTag::Equal => None,
        ChangeTag::Delete => {
            Some(ChangedLine { line: change.old_index()? + 1, before: text(change.value()), after: None })
        }
        ChangeTag::Insert => {
            Some(ChangedLine { line: change.new_index()? + 1, before: None, after: text(change.value()) })
        }
    });
    changes.collect()
}

/// Prints what differs: a sign, the line's number, the line.
pub(crate) fn print(out: &mut Out, before: &str, after: &str) -> io::Result<()> {
    let paint = out.paint();
    let mut shown = 0;
    let all = between(before, after);
    for line in &all {
        for (sign, tone, text) in [("-", Tone::Bad, &line.before), ("+", Tone::Good, &line.after)] {
            let Some(text) = text else { continue };
            shown += 1;
            if shown <= MOST {
                out.line(&paint.dye(tone, &format!("{sign} {:>4}  {text}", line.line)))?;
            }
        }
    }
    if shown > MOST { out.line(&format!("and {} more lines", shown - MOST)) } else { Ok(()) }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn shown(before: &str, after: &str) -> Vec<String> {
        let sign = |text: &Option<String>, sign: &str| text.as_ref().map(|text| format!("{sign}{text}"));
        let one = |line: &ChangedLine| {
            let both = [sign(&line.before, "-"), sign(&line.after, "+")];
            format!("{} {}", line.line, both.into_iter().flatten().collect::<Vec<_>>().join(" "))
        };
        between(before, after).iter().map(one).collect()
    }

    #[rstest]
    #[case::nothing("a\nb\n", "a\nb\n", &[])]
    #[case::one_line("a\nb\nc\n", "a\nx\nc\n", &["2 -b +x"])]
    #[case::a_line_more("a\nb\n", "a\nx\nb\n", &["2 +x"])]
    #[case::a_line_less("a\nx\nb\n", "a\nb\n", &["2 -x"])]
    #[case::windows_line_ends("a\r\nb\r\n", "a\r\nc\r\n", &["2 -b +c"])]
    #[case::no_last_break("a\nb", "a\nc", &["2 -b +c"])]
    fn what_differs_is_told_by_its_line(#[case] before: &str, #[case] after: &str, #[case] lines: &[&str]) {
        assert_eq!(shown(before, after), lines);
    }
}
