//! A logbook read again.

use serde::Deserialize;

use super::{FORMAT, Line, LogbookError, Record, Run, StepTaken};
use crate::lines;

/// The runs of a logbook, the oldest first, and how many lines could not be read: a power cut may tear off the line that
/// was being written, which tells of nothing that was sent.
///
/// # Errors
/// When there are lines of a later version: what they mean cannot be known.
pub fn read(text: &str) -> Result<(Vec<Run>, usize), LogbookError> {
    let mut runs: Vec<Run> = Vec::new();
    let mut torn = 0;
    for value in lines::read(text, FORMAT) {
        match value?.and_then(read_line) {
            Some(line) => {
                let run = match runs.iter().rposition(|run| run.id == line.run) {
                    Some(there) => there,
                    None => {
                        runs.push(Run::new(&line.run, &line.at));
                        runs.len() - 1
                    }
                };
                runs[run].take(line);
            }
            None => torn += 1,
        }
    }
    Ok((runs, torn))
}

/// What every line has.
#[derive(Deserialize)]
struct Head {
    format: u64,
    at: String,
    run: String,
}

fn read_line(value: serde_json::Value) -> Option<Line> {
    let head = Head::deserialize(&value).ok()?;
    let record = match head.format {
        // The first version had lines of steps only.
        1 => StepTaken::deserialize(value).map(Record::Step),
        _ => Record::deserialize(value),
    };
    Some(Line { format: FORMAT, at: head.at, run: head.run, record: record.ok()? })
}
