//! Reading one TOML table key by key: every mistake is noted with its place, and reading goes on.

use std::borrow::Cow;
use std::cell::RefCell;
use std::fmt::Display;
use std::ops::{Range, RangeInclusive};
use std::str::FromStr;

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::error::SheetError;
use super::place::{Placed, Span};
use super::quantity::Quantity;

/// As many keys as a table has: the room for their names is made at once.
const MOST_KEYS: usize = 16;
/// The most mistakes noted in one piece.
const MOST: usize = 1000;

/// The mistakes noted so far.
#[derive(Default)]
pub(crate) struct Mistakes(RefCell<Vec<SheetError>>);

impl Mistakes {
    pub(crate) fn note(
        &self,
        span: Span,
        what: impl Into<String>,
        expected: impl Into<String>,
        hint: Option<String>,
    ) {
        let mut all = self.0.borrow_mut();
        if all.len() >= MOST {
            return;
        }
        all.push(SheetError { span, what: what.into(), expected: expected.into(), hint });
    }

    pub(crate) fn into_inner(self) -> Vec<SheetError> {
        self.0.into_inner()
    }
}

/// One table being read.
pub(crate) struct Fields<'a> {
    table: &'a DeTable<'a>,
    /// Where the table stands.
    pub(crate) span: Span,
    /// Where the piece of text stands whose offsets the table knows.
    offset: usize,
    what: &'static str,
    known: RefCell<Vec<&'static str>>,
    mistakes: &'a Mistakes,
}

impl<'a> Fields<'a> {
    /// Reads a piece of a sheet that begins at this offset.
    pub(crate) fn of_piece(table: &'a DeTable<'a>, offset: usize, mistakes: &'a Mistakes) -> Self {
        Self { table, span: Span::default(), offset, what: "the sheet", known: RefCell::default(), mistakes }
    }

    /// A table inside, which is called `what` in messages ("this node").
    fn inside(&self, table: &'a DeTable<'a>, span: Span, what: &'static str) -> Self {
        let known = RefCell::new(Vec::with_capacity(MOST_KEYS));
        Self { table, span, offset: self.offset, what, known, mistakes: self.mistakes }
    }

    fn span(&self, range: Range<usize>) -> Span {
        Span { start: range.start + self.offset, end: range.end + self.offset }
    }

    fn value(&self, key: &'static str) -> Option<(&'a DeValue<'a>, Span)> {
        self.known.borrow_mut().push(key);
        self.table.get(key).map(|v| (v.get_ref(), self.span(v.span())))
    }

    /// Notes a mistake that only the meaning shows.
    pub(crate) fn note(&self, span: Span, what: impl Into<String>, expected: impl Into<String>) {
        self.mistakes.note(span, what, expected, None);
    }

    /// Whether the key is there at all.
    pub(crate) fn has(&self, key: &str) -> bool {
        self.table.contains_key(key)
    }

    /// Text in quotes.
    pub(crate) fn text(&self, key: &'static str) -> Option<Placed<String>> {
        let (value, span) = self.value(key)?;
        self.text_in(key, value, span)
    }

    fn text_in(&self, key: &str, value: &DeValue<'_>, span: Span) -> Option<Placed<String>> {
        let Some(text) = value.as_str() else {
            self.mistakes.note(
                span,
                format!("`{key}` is {}", kind_of(value)),
                "text in quotes",
                Some(format!("write {key} = \"…\"")),
            );
            return None;
        };
        if text.trim().is_empty() {
            self.mistakes.note(span, format!("`{key}` is empty"), "some text", None);
            return None;
        }
        Some(Placed::new(text.to_owned(), span))
    }

    /// Text in quotes that means a `T`.
    pub(crate) fn parsed<T>(&self, key: &'static str) -> Option<Placed<T>>
    where
        T: FromStr<Err: Display>,
    {
        self.parsed_by(key, str::parse)
    }

    /// Text in quotes that `read` understands.
    pub(crate) fn parsed_by<T, E: Display>(
        &self,
        key: &'static str,
        read: impl Fn(&str) -> Result<T, E>,
    ) -> Option<Placed<T>> {
        let text = self.text(key)?;
        self.parse(key, &text.value, text.span, &read)
    }

    /// Text in quotes or a bare number that `read` understands.
    pub(crate) fn parsed_or_number<T, E: Display>(
        &self,
        key: &'static str,
        read: impl Fn(&str) -> Result<T, E>,
    ) -> Option<Placed<T>> {
        let text = self.text_or_number(key)?;
        self.parse(key, &text.value, text.span, &read)
    }

    fn parse<T, E: Display>(
        &self,
        key: &str,
        text: &str,
        span: Span,
        read: &impl Fn(&str) -> Result<T, E>,
    ) -> Option<Placed<T>> {
        read(text).map(|value| Placed::new(value, span)).map_err(|e| self.refuse(key, text, span, &e)).ok()
    }

    /// true or false.
    pub(crate) fn flag(&self, key: &'static str) -> Option<Placed<bool>> {
        let (value, span) = self.value(key)?;
        let flag = value.as_bool();
        if flag.is_none() {
            let found = format!("`{key}` is {}", kind_of(value));
            self.mistakes.note(span, found, "true or false, without quotes", None);
        }
        flag.map(|flag| Placed::new(flag, span))
    }

    /// A number with up to three decimals, in a unit.
    pub(crate) fn quantity<Q: Quantity>(&self, key: &'static str) -> Option<Placed<Q>> {
        let (value, span) = self.value(key)?;
        let written = match value {
            DeValue::Integer(number) if number.radix() == 10 => Some(number.as_str().to_owned()),
            DeValue::Float(number) => Some(number.as_str().to_owned()),
            _ => None,
        };
        let quantity = written.as_deref().and_then(thousandths).map(Q::from_thousandths);
        if quantity.is_none() {
            let found = written.unwrap_or_else(|| kind_of(value).to_owned());
            self.mistakes.note(span, format!("`{key}` is {found}"), Q::EXPECTED, None);
        }
        quantity.map(|quantity| Placed::new(quantity, span))
    }

    /// A table of words, one for each `K`.
    pub(crate) fn words<K: FromStr<Err: Display>>(&self, key: &'static str) -> Option<Vec<(K, Placed<String>)>> {
        let (value, span) = self.value(key)?;
        let DeValue::Table(table) = value else {
            let found = format!("`{key}` is {}", kind_of(value));
            self.mistakes.note(span, found, "a table like { 1 = \"Quay\" }", None);
            return None;
        };
        let read = |(name, word): (&'a Spanned<Cow<'a, str>>, &'a Spanned<DeValue<'a>>)| {
            let (at, word_at) = (self.span(name.span()), self.span(word.span()));
            let name = self.parse(key, name.get_ref(), at, &str::parse)?;
            let Some(word) = word.get_ref().as_str() else {
                self.mistakes.note(
                    word_at,
                    format!("`{key}` holds {}", kind_of(word.get_ref())),
                    "text in quotes",
                    None,
                );
                return None;
            };
            Some((name.value, Placed::new(word.to_owned(), word_at)))
        };
        Some(table.iter().filter_map(read).collect())
    }

    /// Notes that `text` at `key` is not what it should be.
    pub(crate) fn refuse(&self, key: &str, text: &str, span: Span, why: &dyn Display) {
        self.mistakes.note(span, format!("`{key}` cannot be {text:?}"), why.to_string(), None);
    }

    /// One of a few words.
    pub(crate) fn word<T: Copy>(&self, key: &'static str, words: &[(&str, T)]) -> Option<Placed<T>> {
        let text = self.text(key)?;
        self.word_of(key, &text, words)
    }

    /// A list of words.
    pub(crate) fn word_list<T: Copy>(&self, key: &'static str, words: &[(&str, T)]) -> Vec<Placed<T>> {
        let texts = self.list::<String>(key);
        texts.iter().filter_map(|text| self.word_of(key, text, words)).collect()
    }

    fn word_of<T: Copy>(&self, key: &str, text: &Placed<String>, words: &[(&str, T)]) -> Option<Placed<T>> {
        if let Some((_, value)) = words.iter().find(|(word, _)| *word == text.value) {
            return Some(Placed::new(*value, text.span));
        }
        let all: Vec<&str> = words.iter().map(|(word, _)| *word).collect();
        let hint = nearest(&text.value, &all).map(|near| format!("did you mean \"{near}\"?"));
        let expected = format!("one of: {}", all.join(", "));
        self.mistakes.note(text.span, format!("`{key}` cannot be {:?}", text.value), expected, hint);
        None
    }

    /// A whole number within `range`.
    pub(crate) fn number(&self, key: &'static str, range: RangeInclusive<u32>) -> Option<Placed<u32>> {
        let (value, span) = self.value(key)?;
        let number = value
            .as_integer()
            .and_then(|i| u32::from_str_radix(i.as_str(), i.radix()).ok())
            .filter(|n| range.contains(n));
        if number.is_none() {
            let found = match value {
                DeValue::Integer(number) => number.to_string(),
                DeValue::Float(number) => number.as_str().to_owned(),
                other => kind_of(other).to_owned(),
            };
            let expected = format!("a whole number from {} to {}, without quotes", range.start(), range.end());
            self.mistakes.note(span, format!("`{key}` is {found}"), expected, None);
        }
        number.map(|n| Placed::new(n, span))
    }

    /// Text in quotes or a bare number, as text.
    pub(crate) fn text_or_number(&self, key: &'static str) -> Option<Placed<String>> {
        match self.table.get(key).map(|v| (v.get_ref(), v.span())) {
            Some((DeValue::Integer(number), span)) => {
                self.known.borrow_mut().push(key);
                Some(Placed::new(number.to_string(), self.span(span)))
            }
            _ => self.text(key),
        }
    }

    /// Where the value of a key stands that was read.
    pub(crate) fn span_of(&self, key: &str) -> Option<Span> {
        self.table.get(key).map(|value| self.span(value.span()))
    }

    /// A list of texts in quotes, each meaning a `T`; one text alone is a list of one.
    pub(crate) fn list<T>(&self, key: &'static str) -> Vec<Placed<T>>
    where
        T: FromStr<Err: Display>,
    {
        self.list_by(key, str::parse)
    }

    /// A list of texts in quotes that `read` understands; one text alone is a list of one.
    pub(crate) fn list_by<T, E: Display>(
        &self,
        key: &'static str,
        read: impl Fn(&str) -> Result<T, E>,
    ) -> Vec<Placed<T>> {
        let items = match self.value(key) {
            Some((DeValue::Array(items), _)) => items,
            Some((value, span)) => {
                let text = self.text_in(key, value, span);
                return text.and_then(|text| self.parse(key, &text.value, text.span, &read)).into_iter().collect();
            }
            None => return Vec::new(),
        };
        let one = |item: &Spanned<DeValue<'_>>| {
            let span = self.span(item.span());
            let Some(text) = item.get_ref().as_str() else {
                let found = format!("`{key}` holds {}", kind_of(item.get_ref()));
                self.mistakes.note(span, found, "a list of texts in quotes", None);
                return None;
            };
            self.parse(key, text, span, &read)
        };
        items.iter().filter_map(one).collect()
    }

    /// The tables written as `[[key]]`, called `what` in messages.
    pub(crate) fn tables(&self, key: &'static str, what: &'static str) -> Vec<Self> {
        let Some((value, span)) = self.value(key) else { return Vec::new() };
        let DeValue::Array(items) = value else {
            self.mistakes.note(
                span,
                format!("`{key}` is {}", kind_of(value)),
                format!("tables, each headed [[{key}]]"),
                Some(format!("write [[{key}]] with two brackets on each side")),
            );
            return Vec::new();
        };
        let read = |item: &'a Spanned<DeValue<'a>>| {
            let span = self.span(item.span());
            match item.get_ref() {
                DeValue::Table(table) => Some(self.inside(table, span, what)),
                other => {
                    let found = format!("`{key}` holds {}", kind_of(other));
                    self.mistakes.note(span, found, format!("tables, each headed [[{key}]]"), None);
                    None
                }
            }
        };
        items.iter().filter_map(read).collect()
    }

    /// The table written as `[key]`.
    pub(crate) fn table(&self, key: &'static str, what: &'static str) -> Option<Self> {
        let (value, span) = self.value(key)?;
        if let DeValue::Table(table) = value {
            return Some(self.inside(table, span, what));
        }
        self.mistakes.note(
            span,
            format!("`{key}` is {}", kind_of(value)),
            format!("a table headed [{key}]"),
            None,
        );
        None
    }

    /// Notes that `key` is missing, unless it is there (then its own mistake is noted already).
    pub(crate) fn required<T>(&self, key: &'static str, value: Option<T>, example: &str) -> Option<T> {
        if value.is_none() && !self.table.contains_key(key) {
            let what = format!("{} has no `{key}`", self.what);
            self.mistakes.note(self.span, what, format!("a line like {key} = {example}"), None);
        }
        value
    }

    /// Notes every key that nobody asked for.
    pub(crate) fn refuse_unknown_keys(&self) {
        let known = self.known.borrow();
        for key in self.table.keys() {
            let name: &str = key.get_ref();
            if known.contains(&name) {
                continue;
            }
            let hint = nearest(name, &known).map(|near| format!("did you mean `{near}`?"));
            let expected = format!("one of: {}", known.join(", "));
            self.mistakes.note(
                self.span(key.span()),
                format!("{} has no key `{name}`", self.what),
                expected,
                hint,
            );
        }
    }
}

/// The candidate most like `word`, when one is close enough to be meant.
pub(crate) fn nearest<'w>(word: &str, candidates: &[&'w str]) -> Option<&'w str> {
    candidates
        .iter()
        .map(|c| (strsim::jaro_winkler(word, c), *c))
        .filter(|(likeness, _)| *likeness > 0.8)
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .map(|(_, c)| c)
}

/// A decimal number in thousandths; `None` for anything that is not a plain number of at most four million.
fn thousandths(written: &str) -> Option<u32> {
    let (whole, decimals) = written.split_once('.').unwrap_or((written, ""));
    let whole: u32 = whole.replace('_', "").parse().ok()?;
    let is_plain = decimals.len() <= 3 && decimals.bytes().all(|b| b.is_ascii_digit());
    let thousandths: u32 = format!("{decimals:0<3}").parse().ok().filter(|_| is_plain)?;
    whole.checked_mul(1000)?.checked_add(thousandths)
}

fn kind_of(value: &DeValue<'_>) -> &'static str {
    match value {
        DeValue::String(_) => "text",
        DeValue::Integer(_) | DeValue::Float(_) => "a number",
        DeValue::Boolean(_) => "true or false",
        DeValue::Datetime(_) => "a date",
        DeValue::Array(_) => "a list",
        DeValue::Table(_) => "a table",
    }
}
