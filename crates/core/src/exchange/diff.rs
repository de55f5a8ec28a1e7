//! Two sheets compared in the words of the trade.

use std::collections::{BTreeSet, HashMap};

use serde::Serialize;
use toml::{Table, Value};

use crate::sheet::RigSheet;
use crate::universe::{DeskBase, Universe};

/// One thing in which the later sheet differs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct SheetChange {
    /// What it is about: `node quay-north`, `node quay-north port 2`, `rig`.
    pub what: String,
    /// The key that differs; `None` when all of it is new or gone.
    pub key: Option<String>,
    /// What it was; `None` when it was not there.
    pub before: Option<String>,
    /// What it is; `None` when it is gone.
    pub after: Option<String>,
}

/// What differs, in the order of the sheets' headings. A node is known again by its name, and where that changed by its
/// MAC address.
#[must_use]
pub fn sheet_diff(before: &RigSheet, after: &RigSheet) -> Vec<SheetChange> {
    let table = |sheet: &RigSheet| -> Table { toml::from_str(sheet.text()).unwrap_or_default() };
    let mut diff = Diff { desks: (before.desk, after.desk), changes: Vec::new() };
    diff.tables("", &table(before), &table(after));
    diff.changes
}

struct Diff {
    desks: (DeskBase, DeskBase),
    changes: Vec<SheetChange>,
}

impl Diff {
    fn tables(&mut self, what: &str, before: &Table, after: &Table) {
        let keys: BTreeSet<&String> = before.keys().chain(after.keys()).collect();
        for key in keys {
            match (before.get(key), after.get(key)) {
                (Some(Value::Array(a)), Some(Value::Array(b))) if are_tables(a) || are_tables(b) => {
                    self.lists(&join(what, key), a, b);
                }
                (None, Some(Value::Array(b))) if are_tables(b) => self.lists(&join(what, key), &[], b),
                (Some(Value::Array(a)), None) if are_tables(a) => self.lists(&join(what, key), a, &[]),
                (Some(Value::Table(a)), Some(Value::Table(b))) => self.tables(&join(what, key), a, b),
                (a, b) => self.values(what, key, a, b),
            }
        }
    }

    fn values(&mut self, what: &str, key: &str, before: Option<&Value>, after: Option<&Value>) {
        let before = before.map(|value| shown(key, value, self.desks.0));
        let after = after.map(|value| shown(key, value, self.desks.1));
        if before != after {
            self.changes.push(SheetChange { what: what.to_owned(), key: Some(key.to_owned()), before, after });
        }
    }

    fn lists(&mut self, what: &str, before: &[Value], after: &[Value]) {
        let before: Vec<&Table> = before.iter().filter_map(Value::as_table).collect();
        let after: Vec<&Table> = after.iter().filter_map(Value::as_table).collect();
        let mut open: HashMap<String, Vec<&Table>> = HashMap::new();
        for table in before.iter().rev() {
            open.entry(name(table)).or_default().push(table);
        }
        let mut pairs: Vec<(Option<&Table>, &Table)> = Vec::new();
        for table in after {
            pairs.push((open.get_mut(&name(table)).and_then(Vec::pop), table));
        }
        let mut gone: Vec<&Table> =
            before.into_iter().filter(|t| open.values().flatten().any(|o| std::ptr::eq(*o, *t))).collect();
        for (before, after) in &mut pairs {
            let same_unit = |gone: &&Table| gone.get("mac").is_some() && gone.get("mac") == after.get("mac");
            if before.is_none()
                && let Some(place) = gone.iter().position(same_unit)
            {
                *before = Some(gone.remove(place));
            }
        }
        for table in gone {
            self.whole(&format!("{what} {}", name(table)), true);
        }
        for (before, after) in pairs {
            let title = format!("{what} {}", name(before.unwrap_or(after)));
            match before {
                Some(before) => self.tables(&title, before, after),
                None => self.whole(&title, false),
            }
        }
    }

    fn whole(&mut self, what: &str, gone: bool) {
        let there = |is: bool| is.then(|| "there".to_owned());
        self.changes.push(SheetChange {
            what: what.to_owned(),
            key: None,
            before: there(gone),
            after: there(!gone),
        });
    }
}

fn are_tables(list: &[Value]) -> bool {
    list.iter().any(Value::is_table)
}

fn join(what: &str, key: &str) -> String {
    if what.is_empty() { key.to_owned() } else { format!("{what} {key}") }
}

/// What a table of a list is known by.
fn name(table: &Table) -> String {
    let keys = ["name", "port", "octet", "kind"];
    let value = keys.iter().find_map(|key| table.get(*key));
    value.map(bare).unwrap_or_default()
}

fn bare(value: &Value) -> String {
    match value {
        Value::String(text) => text.clone(),
        other => other.to_string(),
    }
}

/// A value for people; universes in one notation, so that only real differences show.
fn shown(key: &str, value: &Value, desk: DeskBase) -> String {
    let text = bare(value);
    if matches!(key, "out" | "in" | "on")
        && let Ok(universe) = Universe::read(&text, desk)
    {
        return universe.to_string();
    }
    text
}
