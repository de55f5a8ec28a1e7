//! All output goes through one object: results on stdout; progress, notes and errors on stderr.

mod board;
pub(crate) mod changed_lines;
mod excerpt;
pub(crate) mod findings;
mod look;
pub(crate) mod page;
mod progress;
mod screen;
pub(crate) mod sheet_errors;
mod table;
mod tone;
mod wrap;

use std::cell::RefCell;
use std::env;
use std::io::{self, BufRead, IsTerminal, Write};
use std::rc::Rc;
use std::time::Duration;

use clap::ValueEnum;
use serde::Serialize;

pub(crate) use board::Board;
pub(crate) use look::Look;
pub(crate) use progress::Progress;
pub(crate) use screen::Screen;
use table::Chosen;
pub(crate) use table::{Cell, Table, Texts};
pub(crate) use tone::{Paint, Tone};
pub(crate) use wrap::wrapped;

/// The narrowest output that is arranged for; a terminal may be narrower, then lines wrap.
const NARROWEST: usize = 60;
/// The width where nobody looks: a file or a pipe.
const WITHOUT_TERMINAL: usize = 100;

/// When to use colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ColorChoice {
    Auto,
    Always,
    Never,
}

/// Where output goes, and how it may look. The terminal is asked once.
pub(crate) struct Out {
    results: Box<dyn Write>,
    notes: Box<dyn Write>,
    json: bool,
    detail: Option<Detail>,
    /// Which columns of tables are wanted.
    columns: Chosen,
    width: usize,
    paint: Paint,
    notes_paint: Paint,
    live: bool,
}

/// How much is told of each finding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Detail {
    /// A line each.
    Brief,
    /// Each with its reason and what to do.
    Full,
}

/// More findings than this are told in a line each, unless wanted otherwise.
const MANY: usize = 20;

/// A channel that keeps what is written to it.
#[derive(Clone, Default)]
struct Kept(Rc<RefCell<Vec<u8>>>);

impl Write for Kept {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.borrow_mut().extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Whether a terminal here understands what colours are written as: an old console of Windows has to be told to, if it can.
#[cfg(windows)]
fn understands_colour() -> bool {
    ratatui::crossterm::ansi_support::supports_ansi()
}

/// Every terminal of such a system does.
#[cfg(not(windows))]
const fn understands_colour() -> bool {
    true
}

impl Out {
    /// Output as the terminal, the environment and the user want it.
    pub(crate) fn to_terminal(color: ColorChoice, json: bool, detail: Option<Detail>) -> Self {
        let (stdout, stderr) = (io::stdout(), io::stderr());
        let plain = env::var_os("NO_COLOR").is_some_and(|v| !v.is_empty())
            || env::var_os("TERM").is_some_and(|term| term == "dumb");
        let paint = |terminal: bool| match color {
            ColorChoice::Always => Paint::On,
            ColorChoice::Auto if terminal && !plain && understands_colour() => Paint::On,
            ColorChoice::Auto | ColorChoice::Never => Paint::Off,
        };
        Self {
            json,
            detail,
            columns: Chosen::default(),
            width: width(),
            paint: paint(stdout.is_terminal()),
            notes_paint: paint(stderr.is_terminal()),
            live: stderr.is_terminal(),
            results: Box::new(stdout),
            notes: Box::new(stderr),
        }
    }

    /// The same with tables of these columns only; none means as usual.
    pub(crate) fn with_columns(self, names: &[String]) -> Self {
        Self { columns: Chosen::new(names), ..self }
    }

    /// How much is told of each of so many findings.
    pub(crate) fn detail(&self, findings: usize) -> Detail {
        self.detail.unwrap_or(if findings > MANY { Detail::Brief } else { Detail::Full })
    }

    /// Lets something tell its findings in a line each.
    pub(crate) fn briefly<T>(&mut self, speak: impl FnOnce(&mut Self) -> T) -> T {
        let detail = self.detail.replace(Detail::Brief);
        let spoken = speak(self);
        self.detail = detail;
        spoken
    }

    /// Lets something speak, and keeps what it says instead of showing it: results and notes as they came.
    pub(crate) fn aside<T>(&mut self, speak: impl FnOnce(&mut Self) -> T) -> (T, String) {
        let kept = Kept::default();
        let results = std::mem::replace(&mut self.results, Box::new(kept.clone()));
        let notes = std::mem::replace(&mut self.notes, Box::new(kept.clone()));
        let spoken = speak(self);
        (self.results, self.notes) = (results, notes);
        let said = String::from_utf8_lossy(&kept.0.borrow()).into_owned();
        (spoken, said)
    }

    /// Whether the result is wanted as JSON.
    pub(crate) const fn is_json(&self) -> bool {
        self.json
    }

    /// Whether a person looks at the results on a terminal that can be drawn on.
    pub(crate) fn is_live(&self) -> bool {
        io::stdout().is_terminal()
            && io::stdin().is_terminal()
            && env::var_os("TERM").is_none_or(|term| term != "dumb")
    }

    /// Lets the lines of the result out at once.
    pub(crate) fn flush(&mut self) -> io::Result<()> {
        self.results.flush()
    }

    /// How many columns a line may have.
    pub(crate) const fn width(&self) -> usize {
        self.width
    }

    /// How results may look.
    pub(crate) const fn paint(&self) -> Paint {
        self.paint
    }

    /// How notes may look.
    pub(crate) const fn notes_paint(&self) -> Paint {
        self.notes_paint
    }

    /// A line of the result.
    pub(crate) fn line(&mut self, text: &str) -> io::Result<()> {
        writeln!(self.results, "{text}")
    }

    /// The result as text that has its own line breaks.
    pub(crate) fn text(&mut self, text: &str) -> io::Result<()> {
        self.results.write_all(text.as_bytes())
    }

    /// A table of the result.
    pub(crate) fn table(&mut self, table: &Table) -> io::Result<()> {
        let (text, note) = table.show(self.width, self.paint, &mut self.columns);
        self.line(&text)?;
        note.iter().try_for_each(|note| self.note(note))
    }

    /// Says so where columns were chosen that nothing had.
    pub(crate) fn done(&mut self) -> io::Result<()> {
        let complaint = self.columns.complaint().filter(|_| !self.json);
        complaint.map_or(Ok(()), |complaint| self.note(&complaint))
    }

    /// Which of these columns are wanted, by their places; `None` where all are, as they fit.
    pub(crate) fn columns_among(&mut self, headings: &[&str]) -> Option<Vec<usize>> {
        self.columns.among(headings)
    }

    /// The result as one JSON object.
    pub(crate) fn object(&mut self, object: &impl Serialize) -> io::Result<()> {
        serde_json::to_writer_pretty(&mut self.results, object)?;
        writeln!(self.results)
    }

    /// One object of a stream of results, on a line of its own, out at once.
    pub(crate) fn json_line(&mut self, object: &impl Serialize) -> io::Result<()> {
        serde_json::to_writer(&mut self.results, object)?;
        writeln!(self.results)?;
        self.results.flush()
    }

    /// Something worth knowing that is not the result.
    pub(crate) fn note(&mut self, text: &str) -> io::Result<()> {
        writeln!(self.notes, "{text}")
    }

    /// What went wrong.
    pub(crate) fn error(&mut self, text: &str) -> io::Result<()> {
        let head = self.notes_paint.dye(Tone::Bad, "error:");
        writeln!(self.notes, "{head} {text}")
    }

    /// What to do next.
    pub(crate) fn hint(&mut self, text: &str) -> io::Result<()> {
        let head = self.notes_paint.dye(Tone::Strong, "next:");
        writeln!(self.notes, "{head} {text}")
    }

    /// Asks on the channel for notes whether to go on; `None` where nobody is there to answer.
    pub(crate) fn confirmed(&mut self, question: &str) -> io::Result<Option<bool>> {
        let answer = self.asked(&format!("{question} Type yes: "))?;
        Ok(answer.map(|said| said.is_some_and(|said| matches!(said.trim(), "yes" | "y"))))
    }

    /// Asks something that is answered in words. `None` where there is nobody to ask, `Some(None)` where that one hangs up.
    pub(crate) fn asked(&mut self, question: &str) -> io::Result<Option<Option<String>>> {
        if !io::stdin().is_terminal() {
            return Ok(None);
        }
        write!(self.notes, "{question}")?;
        self.notes.flush()?;
        let mut answer = String::new();
        let length = io::stdin().lock().read_line(&mut answer)?;
        Ok(Some((length > 0).then_some(answer)))
    }

    /// Lines that show how far several things are, where there is a terminal to show them on.
    pub(crate) fn board(&self) -> Board {
        Board::new(self.live)
    }

    /// A line that shows how far something is, where there is a terminal to show it on.
    pub(crate) fn progress(&self) -> Progress {
        Progress::new(self.live)
    }
}

/// A time between question and answer, in words.
pub(crate) fn millis(time: Duration) -> String {
    let ms = time.as_secs_f64() * 1e3;
    if ms < 10.0 { format!("{ms:.2} ms") } else { format!("{ms:.0} ms") }
}

/// So many of something, in words.
pub(crate) fn counted(number: usize, what: &str) -> String {
    format!("{number} {what}{}", if number == 1 { "" } else { "s" })
}

fn width() -> usize {
    let told = env::var("COLUMNS").ok().and_then(|columns| columns.parse().ok());
    let terminal = || terminal_size::terminal_size().map(|(width, _)| usize::from(width.0));
    told.or_else(terminal).unwrap_or(WITHOUT_TERMINAL).max(NARROWEST)
}
