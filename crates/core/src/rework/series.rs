//! Series of names: `quay-{A..F}`, `hall-{1..12}`, `hall-{01..12}`.

use std::str::FromStr;

/// The most names of a series.
const MOST: usize = 10_000;

/// Names that differ in one letter or number.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Series {
    names: Vec<String>,
}

/// The text is no series.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("a series is written quay-{{A..F}}, quay-{{1..12}} or quay-{{01..12}}; a name alone stands for itself")]
pub struct SeriesError;

impl Series {
    /// The names, in order.
    #[must_use]
    pub fn names(&self) -> &[String] {
        &self.names
    }
}

impl FromStr for Series {
    type Err = SeriesError;

    fn from_str(text: &str) -> Result<Self, SeriesError> {
        let Some((before, rest)) = text.split_once('{') else {
            return if text.is_empty() || text.contains('}') {
                Err(SeriesError)
            } else {
                Ok(Self { names: vec![text.to_owned()] })
            };
        };
        let (run, after) = rest.split_once('}').ok_or(SeriesError)?;
        let (first, last) = run.split_once("..").ok_or(SeriesError)?;
        let middles = letters(first, last).or_else(|| numbers(first, last)).ok_or(SeriesError)?;
        Ok(Self { names: middles.into_iter().map(|middle| format!("{before}{middle}{after}")).collect() })
    }
}

fn letters(first: &str, last: &str) -> Option<Vec<String>> {
    let letter = |text: &str| match text.as_bytes() {
        [one] if one.is_ascii_alphabetic() => Some(*one),
        _ => None,
    };
    let (first, last) = (letter(first)?, letter(last)?);
    let one_case = first.is_ascii_uppercase() == last.is_ascii_uppercase();
    (one_case && first <= last).then(|| (first..=last).map(|letter| char::from(letter).to_string()).collect())
}

/// Numbers; a zero in front keeps all as long as the first.
fn numbers(first: &str, last: &str) -> Option<Vec<String>> {
    let number = |text: &str| text.parse::<usize>().ok().filter(|_| text.bytes().all(|b| b.is_ascii_digit()));
    let (from, to) = (number(first)?, number(last)?);
    let width = if first.starts_with('0') { first.len() } else { 1 };
    (from <= to && to - from < MOST).then(|| (from..=to).map(|number| format!("{number:0width$}")).collect())
}
