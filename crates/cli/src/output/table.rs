//! Tables that fit the width: columns that must not break keep theirs, the others wrap.

use comfy_table::{Attribute, Color, ColumnConstraint, ContentArrangement, presets};

use super::{Paint, Tone};

/// One cell.
#[derive(Debug, Clone, Default)]
pub(crate) struct Cell {
    text: String,
    tone: Tone,
}

impl Cell {
    /// Text in a tone.
    pub(crate) fn new(text: impl Into<String>, tone: Tone) -> Self {
        Self { text: text.into(), tone }
    }
}

impl<T: Into<String>> From<T> for Cell {
    fn from(text: T) -> Self {
        Self::new(text, Tone::Plain)
    }
}

/// A table being put together.
#[derive(Debug, Clone)]
pub(crate) struct Table {
    headings: Vec<&'static str>,
    unbroken: Vec<&'static str>,
    rows: Vec<Vec<Cell>>,
}

impl Table {
    /// A table with these headings.
    pub(crate) fn new(headings: &[&'static str]) -> Self {
        Self { headings: headings.to_vec(), unbroken: Vec::new(), rows: Vec::new() }
    }

    /// The columns whose cells are never broken over lines: addresses, numbers, states.
    pub(crate) fn unbroken(mut self, headings: &[&'static str]) -> Self {
        self.unbroken = headings.to_vec();
        self
    }

    /// Adds a row.
    pub(crate) fn row(&mut self, cells: Vec<Cell>) {
        self.rows.push(cells);
    }

    /// What stands in the rows, without how it looks.
    pub(crate) fn texts(&self) -> Vec<Vec<String>> {
        self.rows.iter().map(|row| row.iter().map(|cell| cell.text.clone()).collect()).collect()
    }

    /// The table as text of at most `width` columns, without a last line break.
    pub(crate) fn render(&self, width: usize, paint: Paint) -> String {
        let mut table = comfy_table::Table::new();
        table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Dynamic);
        table.set_width(u16::try_from(width).unwrap_or(u16::MAX));
        match paint {
            Paint::On => table.enforce_styling(),
            Paint::Off => table.force_no_tty(),
        };
        let heading = |text: &&str| comfy_table::Cell::new(text).add_attribute(Attribute::Dim);
        table.set_header(self.headings.iter().map(heading));
        table.add_rows(self.rows.iter().map(|row| row.iter().map(dyed).collect::<Vec<_>>()));
        for (column, heading) in table.column_iter_mut().zip(&self.headings) {
            column.set_padding((0, 2));
            if self.unbroken.contains(heading) {
                column.set_constraint(ColumnConstraint::ContentWidth);
            }
        }
        table.trim_fmt()
    }
}

fn dyed(cell: &Cell) -> comfy_table::Cell {
    let plain = comfy_table::Cell::new(&cell.text);
    match cell.tone {
        Tone::Plain => plain,
        Tone::Good => plain.fg(Color::DarkGreen),
        Tone::Doubtful => plain.fg(Color::DarkYellow),
        Tone::Bad => plain.fg(Color::DarkRed).add_attribute(Attribute::Bold),
        Tone::Strong => plain.add_attribute(Attribute::Bold),
        Tone::Faint => plain.add_attribute(Attribute::Dim),
    }
}
