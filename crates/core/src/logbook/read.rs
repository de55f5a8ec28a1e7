//! A logbook read again.

use serde::Deserialize;

use super::{FORMAT, Line, Record, Run, StepTaken};

/// Why a logbook cannot be gone by.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LogbookError {
    /// It has lines of a later version of this program.
    #[error("line {line} was written by a later version of this program (format {format})")]
    Later {
        /// Which line, from 1.
        line: usize,
        /// Its format.
        format: u64,
    },
}

/// The runs of a logbook, the oldest first, and how many lines could not be read: a power cut may tear off the line that
/// was being written, which tells of nothing that was sent.
///
/// # Errors
/// When there are lines of a later version: what they mean cannot be known.
pub fn read(text: &str) -> Result<(Vec<Run>, usize), LogbookError> {
    let mut runs: Vec<Run> = Vec::new();
    let mut torn = 0;
    for (place, line) in text.lines().enumerate().filter(|(_, line)| !line.trim().is_empty()) {
        match read_line(place + 1, line)? {
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

fn read_line(number: usize, line: &str) -> Result<Option<Line>, LogbookError> {
    let Ok(value) = serde_json::from_str::<serde_json::Value>(line) else { return Ok(None) };
    if let Some(format) = value["format"].as_u64().filter(|format| *format > FORMAT.into()) {
        return Err(LogbookError::Later { line: number, format });
    }
    let Ok(head) = Head::deserialize(&value) else { return Ok(None) };
    let record = match head.format {
        // The first version had lines of steps only.
        1 => StepTaken::deserialize(&value).map(Record::Step),
        _ => Record::deserialize(&value),
    };
    Ok(record.ok().map(|record| Line { format: FORMAT, at: head.at, run: head.run, record }))
}
