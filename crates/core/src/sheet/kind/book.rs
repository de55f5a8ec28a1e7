//! The kinds that are known: those that ship, and those that somebody added.

use std::collections::HashMap;
use std::net::Ipv4Addr;
use std::sync::{Arc, LazyLock};

use super::Kind;
use super::read_kind;
use crate::address::AddressRange;
use crate::sheet::{SheetErrors, read_list};

/// The kinds that ship, as text.
const SHIPPED_TEXT: &str = include_str!("kinds.toml");

static SHIPPED: LazyLock<KindBook> = LazyLock::new(|| {
    let kinds = KindBook::read(SHIPPED_TEXT).expect("the shipped kinds are read in a test");
    KindBook::default().and(kinds)
});

/// Kinds by name. A later one of the same name takes the place of the earlier.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct KindBook {
    kinds: Arc<HashMap<String, Kind>>,
}

impl KindBook {
    /// The kinds that ship.
    #[must_use]
    pub fn shipped() -> &'static Self {
        &SHIPPED
    }

    /// The kinds that ship, and these.
    #[must_use]
    pub fn shipped_and(kinds: Vec<Kind>) -> Self {
        SHIPPED.clone().and(kinds)
    }

    /// These kinds and further ones.
    #[must_use]
    pub fn and(mut self, kinds: Vec<Kind>) -> Self {
        if !kinds.is_empty() {
            Arc::make_mut(&mut self.kinds).extend(kinds.into_iter().map(|kind| (kind.name.value.clone(), kind)));
        }
        self
    }

    /// Reads a file of `[[kind]]` tables.
    ///
    /// # Errors
    /// Every mistake in it, with its place.
    pub fn read(text: &str) -> Result<Vec<Kind>, SheetErrors> {
        read_list(text, "kind", "this kind", read_kind)
    }

    /// The kind a rig sheet calls `name`.
    #[must_use]
    pub fn named(&self, name: &str) -> Option<&Kind> {
        self.kinds.get(name)
    }

    /// The kind whose units state these codes.
    #[must_use]
    pub fn stating(&self, esta: u16, oem: u16) -> Option<&Kind> {
        self.kinds.values().find(|kind| kind.codes == Some((esta, oem)))
    }

    /// All names, in alphabetical order.
    #[must_use]
    pub fn names(&self) -> Vec<&str> {
        let mut names: Vec<&str> = self.kinds.keys().map(String::as_str).collect();
        names.sort_unstable();
        names
    }

    /// Where units of known kinds stand as they leave the factory.
    #[must_use]
    pub fn factory_ranges(&self) -> Vec<AddressRange> {
        let mut ranges: Vec<AddressRange> = self.kinds.values().filter_map(|kind| kind.factory).collect();
        ranges.sort_by_key(|range| (range.first(), range.last()));
        ranges.dedup();
        ranges
    }

    /// Addresses that units of known kinds have as they leave the factory.
    pub fn factory_addresses(&self) -> impl Iterator<Item = Ipv4Addr> + use<> {
        self.factory_ranges().into_iter().flat_map(|range| (0..range.len()).filter_map(move |n| range.nth(n)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_shipped_kinds_are_well_formed_and_distinct() {
        let book = KindBook::shipped();
        let mut titles: Vec<String> = Vec::new();
        for name in book.names() {
            let kind = book.named(name).unwrap();
            if let Some((esta, oem)) = kind.codes {
                assert_eq!(book.stating(esta, oem), Some(kind));
            }
            assert!(!titles.contains(&kind.title()));
            titles.push(kind.title());
        }
        assert!(titles.len() >= 3);
    }

    #[test]
    fn a_house_kind_takes_the_place_of_a_shipped_one() {
        let own =
            "[[kind]]\nname = \"marrowbright-four\"\nmaker = \"House\"\nmodel = \"Own\"\nports = 2\npower = 6.5\n";
        let book = KindBook::shipped_and(KindBook::read(own).unwrap());
        let kind = book.named("marrowbright-four").unwrap();
        assert_eq!((kind.ports, kind.power.map(|p| p.to_string()).as_deref()), (2, Some("6.5 W")));
        let wrong = KindBook::read("[[kind]]\nname = \"x\"\nprots = 4\n").unwrap_err();
        assert!(wrong.errors.iter().any(|e| e.hint.as_deref() == Some("did you mean `ports`?")), "{wrong:?}");
    }
}
