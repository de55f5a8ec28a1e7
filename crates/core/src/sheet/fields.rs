//! Reading one TOML table key by key: every mistake is noted with its place, and reading goes on.

use std::cell::RefCell;
use std::fmt::Display;
use std::ops::RangeInclusive;
use std::str::FromStr;

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::error::SheetError;
use super::place::{Placed, Span};

/// The mistakes noted so far.
#[derive(Default)]
pub(super) struct Mistakes(RefCell<Vec<SheetError>>);

impl Mistakes {
    pub(super) fn note(
        &self,
        span: Span,
        what: impl Into<String>,
        expected: impl Into<String>,
        hint: Option<String>,
    ) {
        self.0.borrow_mut().push(SheetError { span, what: what.into(), expected: expected.into(), hint });
    }

    pub(super) fn into_inner(self) -> Vec<SheetError> {
        self.0.into_inner()
    }
}

/// One table being read.
pub(super) struct Fields<'a> {
    table: &'a DeTable<'a>,
    /// Where the table stands.
    pub(super) span: Span,
    what: &'static str,
    known: RefCell<Vec<&'static str>>,
    mistakes: &'a Mistakes,
}

impl<'a> Fields<'a> {
    /// Reads `table`, which is called `what` in messages ("a node").
    pub(super) fn new(table: &'a DeTable<'a>, span: Span, what: &'static str, mistakes: &'a Mistakes) -> Self {
        Self { table, span, what, known: RefCell::default(), mistakes }
    }

    fn value(&self, key: &'static str) -> Option<(&'a DeValue<'a>, Span)> {
        self.known.borrow_mut().push(key);
        self.table.get(key).map(|v| (v.get_ref(), v.span().into()))
    }

    /// Whether the key is there at all.
    pub(super) fn has(&self, key: &str) -> bool {
        self.table.contains_key(key)
    }

    /// Text in quotes.
    pub(super) fn text(&self, key: &'static str) -> Option<Placed<String>> {
        let (value, span) = self.value(key)?;
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
    pub(super) fn parsed<T>(&self, key: &'static str) -> Option<Placed<T>>
    where
        T: FromStr<Err: Display>,
    {
        let text = self.text(key)?;
        self.parse(key, &text.value, text.span)
    }

    fn parse<T>(&self, key: &str, text: &str, span: Span) -> Option<Placed<T>>
    where
        T: FromStr<Err: Display>,
    {
        text.parse().map(|value| Placed::new(value, span)).map_err(|e| self.refuse(key, text, span, &e)).ok()
    }

    /// Notes that `text` at `key` is not what it should be.
    pub(super) fn refuse(&self, key: &str, text: &str, span: Span, why: &dyn Display) {
        self.mistakes.note(span, format!("`{key}` cannot be {text:?}"), why.to_string(), None);
    }

    /// One of a few words.
    pub(super) fn word<T: Copy>(&self, key: &'static str, words: &[(&str, T)]) -> Option<Placed<T>> {
        let text = self.text(key)?;
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
    pub(super) fn number(&self, key: &'static str, range: RangeInclusive<u32>) -> Option<Placed<u32>> {
        let (value, span) = self.value(key)?;
        let number = value
            .as_integer()
            .and_then(|i| u32::from_str_radix(i.as_str(), i.radix()).ok())
            .filter(|n| range.contains(n));
        if number.is_none() {
            let found = value.as_integer().map_or_else(|| kind_of(value).to_owned(), ToString::to_string);
            let expected = format!("a whole number from {} to {}, without quotes", range.start(), range.end());
            self.mistakes.note(span, format!("`{key}` is {found}"), expected, None);
        }
        number.map(|n| Placed::new(n, span))
    }

    /// Text in quotes or a bare number, as text.
    pub(super) fn text_or_number(&self, key: &'static str) -> Option<Placed<String>> {
        match self.table.get(key).map(|v| (v.get_ref(), v.span())) {
            Some((DeValue::Integer(number), span)) => {
                self.known.borrow_mut().push(key);
                Some(Placed::new(number.to_string(), span.into()))
            }
            _ => self.text(key),
        }
    }

    /// A list of texts in quotes, each meaning a `T`; one text alone is a list of one.
    pub(super) fn list<T>(&self, key: &'static str) -> Vec<Placed<T>>
    where
        T: FromStr<Err: Display>,
    {
        let Some((DeValue::Array(items), _)) = self.value(key) else {
            return self.parsed(key).into_iter().collect();
        };
        let read = |item: &Spanned<DeValue<'_>>| {
            let span = item.span().into();
            let Some(text) = item.get_ref().as_str() else {
                let found = format!("`{key}` holds {}", kind_of(item.get_ref()));
                self.mistakes.note(span, found, "a list of texts in quotes", None);
                return None;
            };
            self.parse(key, text, span)
        };
        items.iter().filter_map(read).collect()
    }

    /// The tables written as `[[key]]`, called `what` in messages.
    pub(super) fn tables(&self, key: &'static str, what: &'static str) -> Vec<Self> {
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
            let span = item.span().into();
            match item.get_ref() {
                DeValue::Table(table) => Some(Self::new(table, span, what, self.mistakes)),
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
    pub(super) fn table(&self, key: &'static str, what: &'static str) -> Option<Self> {
        let (value, span) = self.value(key)?;
        if let DeValue::Table(table) = value {
            return Some(Self::new(table, span, what, self.mistakes));
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
    pub(super) fn required<T>(&self, key: &'static str, value: Option<T>, example: &str) -> Option<T> {
        if value.is_none() && !self.table.contains_key(key) {
            let what = format!("{} has no `{key}`", self.what);
            self.mistakes.note(self.span, what, format!("a line like {key} = {example}"), None);
        }
        value
    }

    /// Notes every key that nobody asked for.
    pub(super) fn refuse_unknown_keys(&self) {
        let known = self.known.borrow();
        for key in self.table.keys() {
            let name: &str = key.get_ref();
            if known.contains(&name) {
                continue;
            }
            let hint = nearest(name, &known).map(|near| format!("did you mean `{near}`?"));
            let expected = format!("one of: {}", known.join(", "));
            self.mistakes.note(key.span().into(), format!("{} has no key `{name}`", self.what), expected, hint);
        }
    }
}

/// The candidate most like `word`, when one is close enough to be meant.
pub(super) fn nearest<'w>(word: &str, candidates: &[&'w str]) -> Option<&'w str> {
    candidates
        .iter()
        .map(|c| (strsim::jaro_winkler(word, c), *c))
        .filter(|(likeness, _)| *likeness > 0.8)
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .map(|(_, c)| c)
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
