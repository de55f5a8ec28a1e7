//! Which units the fixtures of a sheet are: their identifiers written into it.

use std::collections::BTreeMap;

use lantern_wire::rdm::Uid;

use crate::sheet::{Edits, Fixture, RigSheet, UNKNOWN};

/// One of a row of fixtures, each by its place.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct InRow {
    /// Which table of the sheet, from 0.
    pub fixture: usize,
    /// Which of its row, from 0.
    pub nth: u32,
}

/// Writes down which unit each of these is; `None` for one of which that is not known any more.
#[must_use]
pub fn with_uids(sheet: &RigSheet, known: &BTreeMap<InRow, Option<Uid>>) -> Edits {
    let mut edits = Edits::default();
    for (place, fixture) in sheet.fixtures.iter().enumerate() {
        let mut uids: Vec<Option<Uid>> = fixture.uids.iter().map(|uid| uid.value).collect();
        let mut is_changed = false;
        for (at, uid) in known.range(InRow { fixture: place, nth: 0 }..InRow { fixture: place + 1, nth: 0 }) {
            let nth = at.nth as usize;
            uids.resize(uids.len().max(nth + 1), None);
            is_changed |= uids[nth] != *uid;
            uids[nth] = *uid;
        }
        if !is_changed {
            continue;
        }
        while uids.last() == Some(&None) {
            uids.pop();
        }
        let text = written(fixture, &uids);
        match fixture.uid_list {
            Some(span) => edits.replace(span, text),
            None => edits.add_toml_behind(sheet.text(), fixture.footprint.span, "uid", &text),
        }
    }
    edits
}

/// One that stands alone has one identifier; a row has a list, which goes as far as the last one that is known.
fn written(fixture: &Fixture, uids: &[Option<Uid>]) -> String {
    let each =
        |uid: &Option<Uid>| format!("\"{}\"", uid.map_or_else(|| UNKNOWN.to_owned(), |uid| uid.to_string()));
    match uids {
        [] if fixture.count.is_none() => format!("\"{UNKNOWN}\""),
        [only] if fixture.count.is_none() => each(only),
        all => format!("[{}]", all.iter().map(each).collect::<Vec<_>>().join(", ")),
    }
}
