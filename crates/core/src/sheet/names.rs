//! Names that other parts of the sheet refer to.

use std::collections::HashMap;
use std::collections::hash_map::Entry;

use super::fields::{Mistakes, nearest};
use super::place::Placed;
use super::stream::StreamEnd;

/// The names other parts of the sheet may refer to.
pub(super) struct Names<'a> {
    what: &'static str,
    names: Vec<&'a str>,
    index: HashMap<&'a str, usize>,
    /// Some could not be read: a name that is not there may be one of those.
    some_lost: bool,
    mistakes: &'a Mistakes,
}

impl<'a> Names<'a> {
    /// Notes those `names`; the same twice is a mistake. `some_lost` where not all of them could be read.
    pub(super) fn of_their_own(
        what: &'static str,
        names: impl Iterator<Item = &'a Placed<String>>,
        some_lost: bool,
        mistakes: &'a Mistakes,
    ) -> Self {
        Self::new(what, names, (some_lost, true), mistakes)
    }

    /// Notes those `names`; of several equal ones the first is meant. `some_lost` where not all of them could be read.
    pub(super) fn shared(
        what: &'static str,
        names: impl Iterator<Item = &'a Placed<String>>,
        some_lost: bool,
        mistakes: &'a Mistakes,
    ) -> Self {
        Self::new(what, names, (some_lost, false), mistakes)
    }

    fn new(
        what: &'static str,
        names: impl Iterator<Item = &'a Placed<String>>,
        (some_lost, of_their_own): (bool, bool),
        mistakes: &'a Mistakes,
    ) -> Self {
        let mut all = Self { what, names: Vec::new(), index: HashMap::new(), some_lost, mistakes };
        for name in names {
            match all.index.entry(&name.value) {
                Entry::Vacant(vacant) => {
                    vacant.insert(all.names.len());
                }
                Entry::Occupied(_) if of_their_own => {
                    let found = format!("there are two {what}s named {:?}", name.value);
                    mistakes.note(name.span, found, "a name of its own", None);
                }
                Entry::Occupied(_) => {}
            }
            all.names.push(&name.value);
        }
        all
    }

    /// The place of the one that is named, where the name was written.
    pub(super) fn placed(&self, name: Option<&Placed<String>>) -> Option<Placed<usize>> {
        let name = name?;
        self.find(name).map(|index| Placed::new(index, name.span))
    }

    /// The end of a stream that is named, as its node or as `node/label`.
    pub(super) fn end(&self, name: &Placed<String>) -> Option<StreamEnd> {
        let text = name.value.as_str();
        let known = |node: &str| self.index.contains_key(node);
        let is_cut = |at: &usize| !known(text) && known(text[..*at].trim_end());
        let slashes = || text.match_indices('/').map(|(at, _)| at);
        // Where nothing fits, what stands before the first is meant to be a node.
        let cut = slashes().find(is_cut).or_else(|| slashes().next().filter(|_| !known(text)));
        let (node, label) = match cut {
            Some(at) => (text[..at].trim_end(), Some(text[at + 1..].trim()).filter(|label| !label.is_empty())),
            None => (text, None),
        };
        let member = self.placed(Some(&Placed::new(node.to_owned(), name.span)))?;
        Some(StreamEnd { member, label: label.map(str::to_owned) })
    }

    /// The one there is, when there is only one.
    pub(super) fn only(&self) -> Option<usize> {
        (self.names.len() == 1).then_some(0)
    }

    /// Which one is meant; a name that is none of them is a mistake.
    pub(super) fn find(&self, name: &Placed<String>) -> Option<usize> {
        let found = self.index.get(name.value.as_str()).copied();
        if found.is_none() && !self.some_lost {
            let what = format!("there is no {} named {:?}", self.what, name.value);
            let hint = nearest(&name.value, &self.names).map(|near| format!("did you mean \"{near}\"?"));
            let expected = if self.names.is_empty() {
                format!("the sheet has no {} yet", self.what)
            } else {
                format!("one of: {}", self.names.iter().take(12).copied().collect::<Vec<_>>().join(", "))
            };
            self.mistakes.note(name.span, what, expected, hint);
        }
        found
    }
}
