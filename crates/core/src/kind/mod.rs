//! Kinds: what models of node there are, and what each can do.

use std::net::Ipv4Addr;
use std::sync::LazyLock;

use serde::{Deserialize, Deserializer, de};

use crate::address::AddressRange;

/// A model of node.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Kind {
    /// The name a rig sheet uses.
    pub name: String,
    /// Who makes it.
    pub maker: String,
    /// What the maker calls it.
    pub model: String,
    /// ESTA code of the maker, as the poll reply states it.
    pub esta: u16,
    /// OEM code of the model, as the poll reply states it.
    pub oem: u16,
    /// How many DMX ports it has.
    pub ports: u32,
    /// The addresses its units have as they leave the factory.
    #[serde(default, deserialize_with = "range")]
    pub factory: Option<AddressRange>,
}

#[derive(Deserialize)]
struct KindFile {
    kind: Vec<Kind>,
}

fn range<'de, D: Deserializer<'de>>(from: D) -> Result<Option<AddressRange>, D::Error> {
    String::deserialize(from)?.parse().map(Some).map_err(de::Error::custom)
}

static SHIPPED: LazyLock<Vec<Kind>> = LazyLock::new(|| {
    let file: KindFile = toml::from_str(include_str!("kinds.toml")).expect("the shipped kinds are read in a test");
    file.kind
});

impl Kind {
    /// The kind a rig sheet calls `name`.
    #[must_use]
    pub fn named(name: &str) -> Option<&'static Self> {
        SHIPPED.iter().find(|kind| kind.name == name)
    }

    /// The kind whose units state these codes.
    #[must_use]
    pub fn stating(esta: u16, oem: u16) -> Option<&'static Self> {
        SHIPPED.iter().find(|kind| (kind.esta, kind.oem) == (esta, oem))
    }

    /// Addresses that units of known kinds have as they leave the factory.
    pub fn factory_addresses() -> impl Iterator<Item = Ipv4Addr> {
        let mut ranges: Vec<AddressRange> = SHIPPED.iter().filter_map(|kind| kind.factory).collect();
        ranges.dedup();
        ranges.into_iter().flat_map(|range| (0..range.len()).filter_map(move |n| range.nth(n)))
    }

    /// Maker and model, as shown in tables.
    #[must_use]
    pub fn title(&self) -> String {
        format!("{} {}", self.maker, self.model)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_shipped_kinds_are_well_formed_and_distinct() {
        for (i, kind) in SHIPPED.iter().enumerate() {
            assert_eq!(Kind::named(&kind.name), Some(kind));
            assert_eq!(Kind::stating(kind.esta, kind.oem), Some(kind));
            assert!(SHIPPED[..i].iter().all(|other| other.title() != kind.title()));
        }
    }
}
