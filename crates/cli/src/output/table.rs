//! Tables that fit the width: columns that must not break keep theirs, the others wrap, and some are left out where there is
//! little room. Which are shown, and in which order, can be chosen.

use std::collections::BTreeSet;

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

/// When a column is shown where none are chosen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Shown {
    /// Where the output is at least so wide.
    From(usize),
    /// Only where it is chosen.
    Chosen,
}

#[derive(Debug, Clone, Copy)]
struct Column {
    heading: &'static str,
    is_unbroken: bool,
    shown: Shown,
}

/// What stands in a table.
#[derive(Debug)]
pub(crate) struct Texts {
    /// Of each column its heading.
    pub(crate) headings: Vec<&'static str>,
    /// Of each row a text for each column.
    pub(crate) rows: Vec<Vec<String>>,
}

/// A table being put together.
#[derive(Debug, Clone)]
pub(crate) struct Table {
    columns: Vec<Column>,
    rows: Vec<Vec<Cell>>,
}

/// The columns that somebody wants, in their order, as they were typed.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
struct Choice(Vec<String>);

impl Choice {
    fn new(names: &[String]) -> Self {
        Self(names.iter().map(|name| plain(name)).filter(|name| !name.is_empty()).collect())
    }

    /// The places of the wanted columns among these headings.
    fn places(&self, headings: &[&str]) -> Vec<usize> {
        let place = |name: &String| headings.iter().position(|heading| plain(heading) == *name);
        self.0.iter().filter_map(place).collect()
    }

    /// Those that none of these columns are called.
    fn unknown<'s>(&'s self, headings: &'s [&str]) -> impl Iterator<Item = &'s str> {
        let is_there = |name: &str| headings.iter().any(|heading| plain(heading) == name);
        self.0.iter().map(String::as_str).filter(move |name| !is_there(name))
    }
}

/// What was chosen among the headings of all that was shown.
#[derive(Debug, Default)]
pub(crate) struct Chosen {
    choice: Option<Choice>,
    was_there: bool,
    headings: BTreeSet<String>,
}

impl Chosen {
    pub(crate) fn new(names: &[String]) -> Self {
        Self { choice: (!names.is_empty()).then(|| Choice::new(names)), ..Self::default() }
    }

    /// The places of the wanted columns among these headings; `None` where none of these is wanted, and all are shown as they
    /// fit.
    pub(crate) fn among(&mut self, headings: &[&str]) -> Option<Vec<usize>> {
        self.headings.extend(headings.iter().map(|heading| plain(heading)).filter(|heading| !heading.is_empty()));
        let places = self.choice.as_ref()?.places(headings);
        self.was_there |= !places.is_empty();
        (!places.is_empty()).then_some(places)
    }

    /// What is to be said where columns were wanted that nothing had.
    pub(crate) fn complaint(&self) -> Option<String> {
        self.choice.as_ref().filter(|_| !self.was_there)?;
        let there: Vec<&str> = self.headings.iter().map(String::as_str).collect();
        Some(match there.is_empty() {
            true => "--columns: there was no table to choose from".to_owned(),
            false => format!("--columns: nothing is called so; there are {}", there.join(", ")),
        })
    }
}

/// A heading as it may be typed: in small letters, with hyphens for spaces.
fn plain(name: &str) -> String {
    name.trim().to_lowercase().replace(' ', "-")
}

impl Table {
    /// A table with these headings.
    pub(crate) fn new(headings: &[&'static str]) -> Self {
        let column = |heading: &&'static str| Column { heading, is_unbroken: false, shown: Shown::From(0) };
        Self { columns: headings.iter().map(column).collect(), rows: Vec::new() }
    }

    /// The columns whose cells are never broken over lines: addresses, numbers, states.
    pub(crate) fn unbroken(self, headings: &[&'static str]) -> Self {
        self.with(headings, |column| column.is_unbroken = true)
    }

    /// A column that is left out where the output is narrower, or none of its cells says anything.
    pub(crate) fn needs_width(self, heading: &'static str, width: usize) -> Self {
        self.with(&[heading], |column| column.shown = Shown::From(width))
    }

    /// A column that is left out where none of its cells says anything.
    pub(crate) fn where_told(self, heading: &'static str) -> Self {
        self.needs_width(heading, 1)
    }

    /// Columns that are shown only where they are chosen.
    pub(crate) fn on_request(self, headings: &[&'static str]) -> Self {
        self.with(headings, |column| column.shown = Shown::Chosen)
    }

    fn with(mut self, headings: &[&'static str], change: impl Fn(&mut Column)) -> Self {
        self.columns.iter_mut().filter(|column| headings.contains(&column.heading)).for_each(change);
        self
    }

    /// Adds a row: a cell for each column, those that may be left out included.
    pub(crate) fn row(&mut self, cells: Vec<Cell>) {
        debug_assert_eq!(cells.len(), self.columns.len(), "a cell for each column");
        self.rows.push(cells);
    }

    /// Whether it has no row.
    pub(crate) fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    /// What stands in it, without how it looks, of the columns that are shown where there is room for all.
    pub(crate) fn texts(&self) -> Texts {
        let shown = self.fitting(usize::MAX);
        let of_row = |row: &Vec<Cell>| shown.iter().map(|place| row[*place].text.clone()).collect();
        Texts {
            headings: shown.iter().map(|place| self.columns[*place].heading).collect(),
            rows: self.rows.iter().map(of_row).collect(),
        }
    }

    pub(crate) fn headings(&self) -> Vec<&'static str> {
        self.columns.iter().map(|column| column.heading).collect()
    }

    /// The places of the columns that are shown at this width, unless some are chosen.
    fn fitting(&self, width: usize) -> Vec<usize> {
        let fits = |place: &usize| match self.columns[*place].shown {
            Shown::From(0) => true,
            Shown::From(from) => from <= width && self.says_something(*place),
            Shown::Chosen => false,
        };
        (0..self.columns.len()).filter(fits).collect()
    }

    fn says_something(&self, place: usize) -> bool {
        self.rows.iter().any(|row| !row[place].text.is_empty())
    }

    /// What is worth saying of the columns that are not there: those left out for want of room, those it does not have.
    fn note(&self, width: usize, choice: Option<&Choice>) -> Option<String> {
        let headings = self.headings();
        let names = |is_meant: &dyn Fn(usize) -> bool| {
            let meant = (0..self.columns.len()).filter(|place| is_meant(*place));
            meant.map(|place| plain(self.columns[place].heading)).collect::<Vec<_>>().join(", ")
        };
        match choice {
            Some(choice) => {
                let unknown: Vec<&str> = choice.unknown(&headings).collect();
                let is_told = !unknown.is_empty() && unknown.len() < choice.0.len();
                is_told.then(|| {
                    format!("no column is called {}; there are {}", unknown.join(" or "), names(&|_| true))
                })
            }
            None => {
                let left_out = names(&|place| {
                    matches!(self.columns[place].shown, Shown::From(from) if from > width)
                        && self.says_something(place)
                });
                (!left_out.is_empty())
                    .then(|| format!("left out at this width: {left_out}; choose with --columns"))
            }
        }
    }

    /// The table as text of at most `width` columns, without a last line break, and what is to be said of what it lacks.
    pub(crate) fn show(&self, width: usize, paint: Paint, chosen: &mut Chosen) -> (String, Option<String>) {
        let shown = chosen.among(&self.headings()).unwrap_or_else(|| self.fitting(width));
        (self.render(&shown, width, paint), self.note(width, chosen.choice.as_ref()))
    }

    fn render(&self, shown: &[usize], width: usize, paint: Paint) -> String {
        let mut table = comfy_table::Table::new();
        table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Dynamic);
        table.set_width(u16::try_from(width).unwrap_or(u16::MAX));
        match paint {
            Paint::On => table.enforce_styling(),
            Paint::Off => table.force_no_tty(),
        };
        let heading =
            |place: &usize| comfy_table::Cell::new(self.columns[*place].heading).add_attribute(Attribute::Dim);
        table.set_header(shown.iter().map(heading));
        table.add_rows(
            self.rows.iter().map(|row| shown.iter().map(|place| dyed(&row[*place])).collect::<Vec<_>>()),
        );
        for (column, place) in table.column_iter_mut().zip(shown) {
            column.set_padding((0, 2));
            if self.columns[*place].is_unbroken {
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

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn table() -> Table {
        let mut table = Table::new(&["name", "what it is", "MAC", "firmware"])
            .unbroken(&["name"])
            .needs_width("what it is", 80)
            .on_request(&["firmware"]);
        table.row(["quay", "a node", "02:00", "1.4"].map(Cell::from).to_vec());
        table
    }

    #[rstest]
    #[case::wide(80, None, "name what it is MAC quay a node 02:00", "")]
    #[case::narrow(79, None, "name MAC quay 02:00", "left out at this width: what-it-is; choose with --columns")]
    #[case::chosen(60, Some("firmware,NAME"), "firmware name 1.4 quay", "")]
    #[case::of_two_words(60, Some("what it is"), "what it is a node", "")]
    #[case::with_a_hyphen(60, Some("what-it-is"), "what it is a node", "")]
    #[case::half_known(
        60,
        Some("mac,nane"),
        "MAC 02:00",
        "no column is called nane; there are name, what-it-is, mac, firmware"
    )]
    #[case::of_another_table(90, Some("universe"), "name what it is MAC quay a node 02:00", "")]
    fn columns_are_shown_as_there_is_room_or_as_chosen(
        #[case] width: usize,
        #[case] choice: Option<&str>,
        #[case] shown: &str,
        #[case] note: &str,
    ) {
        let names: Vec<String> = choice.iter().flat_map(|names| names.split(',')).map(str::to_owned).collect();
        let (text, told) = table().show(width, Paint::Off, &mut Chosen::new(&names));
        assert_eq!(text.split_whitespace().collect::<Vec<_>>().join(" "), shown);
        assert_eq!(told.unwrap_or_default(), note);
    }

    #[test]
    fn a_column_with_nothing_to_tell_is_left_out_without_a_word_unless_it_is_chosen() {
        let mut table = Table::new(&["name", "echo"]).needs_width("echo", 80);
        table.row(["quay", ""].map(Cell::from).to_vec());
        let show = |choice: &[String]| table.show(79, Paint::Off, &mut Chosen::new(choice));
        assert_eq!(show(&[]), ("name\nquay".to_owned(), None));
        assert_eq!(table.texts().headings, ["name"]);
        assert!(show(&["echo".to_owned()]).0.starts_with("echo"));
    }

    #[rstest]
    #[case::of_this_table("name", true, "")]
    #[case::of_no_table(
        "nane",
        true,
        "--columns: nothing is called so; there are firmware, mac, name, what-it-is"
    )]
    #[case::no_table("name", false, "--columns: there was no table to choose from")]
    #[case::none("", true, "")]
    fn columns_that_nothing_has_are_told(#[case] name: &str, #[case] is_shown: bool, #[case] said: &str) {
        let names: &[String] = if name.is_empty() { &[] } else { &[name.to_owned()] };
        let mut chosen = Chosen::new(names);
        if is_shown {
            table().show(80, Paint::Off, &mut chosen);
        }
        assert_eq!(chosen.complaint().unwrap_or_default(), said);
    }
}
