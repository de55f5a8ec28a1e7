//! Tables of text as spreadsheets write them: RFC 4180, with comma, semicolon or tab.

use csv::{ReaderBuilder, Terminator, WriterBuilder};

/// The most rows and columns of a table.
const MOST_ROWS: usize = 200_000;
const MOST_COLUMNS: usize = 256;

/// What the rows of a table are about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Subject {
    /// A node in each row.
    Nodes,
    /// A port in each row.
    Ports,
    /// A fixture in each row.
    Fixtures,
}

/// What stands between two cells.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Delimiter {
    /// `,`
    #[default]
    Comma,
    /// `;`
    Semicolon,
    /// A tab.
    Tab,
}

/// A table of text.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Table {
    /// The columns' names.
    pub columns: Vec<String>,
    /// The rows. Each knows its place in the file, counted from 1 with the heading.
    pub rows: Vec<(usize, Vec<String>)>,
}

/// Why a text is no table.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TableError {
    /// It has no heading.
    #[error("the table is empty: its first row must name the columns")]
    Empty,
    /// It cannot be taken apart.
    #[error("row {row}: {why}")]
    Row {
        /// The row, counted from 1.
        row: usize,
        /// Why.
        why: String,
    },
    /// It is larger than any plan.
    #[error("the table has more than {MOST_ROWS} rows or {MOST_COLUMNS} columns")]
    TooLarge,
}

impl Subject {
    /// The keys of the sheet that a table of this subject has as columns.
    #[must_use]
    pub const fn columns(self) -> &'static [&'static str] {
        match self {
            Self::Nodes => &[
                "name",
                "label",
                "area",
                "kind",
                "mac",
                "serial",
                "number",
                "address",
                "firmware",
                "on_data_loss",
                "protocol",
                "power",
                "location",
            ],
            Self::Ports => &["node", "port", "out", "in", "merge", "sources", "splits"],
            Self::Fixtures => &["name", "on", "slot", "footprint", "count", "behind", "port", "label", "mode"],
        }
    }

    /// What a table with these columns is about.
    #[must_use]
    pub fn of(columns: &[String]) -> Option<Self> {
        let has = |name: &str| columns.iter().any(|column| column == name);
        if has("node") && has("port") {
            Some(Self::Ports)
        } else if has("name") && (has("footprint") || has("slot") || has("on")) {
            Some(Self::Fixtures)
        } else if has("name") {
            Some(Self::Nodes)
        } else {
            None
        }
    }
}

impl Delimiter {
    const ALL: [Self; 3] = [Self::Comma, Self::Semicolon, Self::Tab];

    const fn byte(self) -> u8 {
        match self {
            Self::Comma => b',',
            Self::Semicolon => b';',
            Self::Tab => b'\t',
        }
    }

    /// The one that stands most often in the heading, outside quotes.
    fn of(text: &str) -> Self {
        let mut counts = [0_usize; 3];
        let mut is_quoted = false;
        for byte in text.bytes() {
            match byte {
                b'"' => is_quoted = !is_quoted,
                b'\n' if !is_quoted => break,
                _ if is_quoted => {}
                _ => {
                    for (count, delimiter) in counts.iter_mut().zip(Self::ALL) {
                        *count += usize::from(delimiter.byte() == byte);
                    }
                }
            }
        }
        let most = counts.iter().copied().max().unwrap_or(0);
        counts.iter().position(|count| *count == most).map_or(Self::Comma, |place| Self::ALL[place])
    }
}

/// Reads a table; columns may be called otherwise, as `names` says (from theirs to ours).
///
/// # Errors
/// When it has no heading, or is no table.
pub fn read_table(text: &str, names: &[(String, String)]) -> Result<Table, TableError> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let mut reader = ReaderBuilder::new()
        .delimiter(Delimiter::of(text).byte())
        .has_headers(false)
        .flexible(true)
        .from_reader(text.as_bytes());
    let mut table = Table::default();
    for (place, record) in reader.records().enumerate() {
        let row = place + 1;
        let record = record.map_err(|error| TableError::Row { row, why: error.to_string() })?;
        if row > MOST_ROWS || record.len() > MOST_COLUMNS {
            return Err(TableError::TooLarge);
        }
        let cells = record.iter().map(|cell| unguarded(cell.trim()).to_owned());
        if place == 0 {
            table.columns = cells.map(|name| renamed(&name, names)).collect();
        } else if record.iter().any(|cell| !cell.trim().is_empty()) {
            table.rows.push((row, cells.collect()));
        }
    }
    if table.columns.iter().all(String::is_empty) { Err(TableError::Empty) } else { Ok(table) }
}

fn renamed(theirs: &str, names: &[(String, String)]) -> String {
    let ours = names.iter().find(|(name, _)| name.eq_ignore_ascii_case(theirs)).map(|(_, ours)| ours.clone());
    ours.unwrap_or_else(|| theirs.to_ascii_lowercase().replace(' ', "_"))
}

/// Writes a table, lines ending as RFC 4180 says.
#[must_use]
pub fn write_table(columns: &[&str], rows: &[Vec<String>], delimiter: Delimiter) -> String {
    let mut writer =
        WriterBuilder::new().delimiter(delimiter.byte()).terminator(Terminator::CRLF).from_writer(Vec::new());
    // Into memory nothing fails.
    writer.write_record(columns).unwrap_or(());
    for row in rows {
        writer.write_record(row.iter().map(|cell| guarded(cell))).unwrap_or(());
    }
    String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
}

/// Whether a spreadsheet would take the text for a formula.
fn is_formula(text: &str) -> bool {
    text.starts_with(['=', '+', '-', '@', '\t', '\r'])
}

/// The text with an apostrophe in front where a spreadsheet would execute it.
fn guarded(text: &str) -> String {
    if is_formula(text) || text.strip_prefix('\'').is_some_and(is_formula) {
        format!("'{text}")
    } else {
        text.to_owned()
    }
}

fn unguarded(text: &str) -> &str {
    match text.strip_prefix('\'') {
        Some(rest) if is_formula(rest) || rest.strip_prefix('\'').is_some_and(is_formula) => rest,
        _ => text,
    }
}
