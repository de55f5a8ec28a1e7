//! Files that grow line by line, one JSON object each: a power cut may tear off the last one, and a later version of this program
//! may have written some.

use serde_json::Value;

/// Why such a file cannot be gone by.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LinesError {
    /// It has lines of a later version of this program: what they mean cannot be known.
    #[error("line {line} was written by a later version of this program (format {format})")]
    Later {
        /// Which line, from 1.
        line: usize,
        /// Its format.
        format: u64,
    },
}

/// Its lines, up to this version of its format; `None` for one that cannot be read.
pub(crate) fn read(text: &str, newest: u32) -> impl Iterator<Item = Result<Option<Value>, LinesError>> {
    let lines = text.lines().enumerate().filter(|(_, line)| !line.trim().is_empty());
    lines.map(move |(place, line)| {
        let Ok(value) = serde_json::from_str::<Value>(line) else { return Ok(None) };
        match value["format"].as_u64().filter(|format| *format > newest.into()) {
            Some(format) => Err(LinesError::Later { line: place + 1, format }),
            None => Ok(Some(value)),
        }
    })
}
