//! Which adapter to use: never all of them in silence, never a guess.

use std::net::Ipv4Addr;

use super::{Adapter, OwnAddress};
use crate::address::Seat;
use crate::address::{Mask, Subnet};
use crate::sheet::RigSheet;

/// The adapter to use, where on the network that is, and why this one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Choice {
    /// Its name.
    pub name: String,
    /// Where it sits: one seat for each of its addresses, the one meant first.
    pub seats: Vec<Seat>,
    /// Why it was taken, to be told.
    pub why: String,
}

/// No adapter could be chosen.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ChooseError {
    /// None is called so.
    #[error("this computer has no adapter {wanted:?}")]
    Unknown {
        /// What was asked for.
        wanted: String,
        /// What there is, one line each.
        there: Vec<String>,
        /// The name of one that is much like it.
        near: Option<String>,
    },
    /// It has no IPv4 address.
    #[error("the adapter {0} has no IPv4 address, so it can neither ask nor be answered")]
    NoAddress(String),
    /// It has no link.
    #[error("the adapter {0} is down: no cable, or nothing switched on at its other end")]
    Down(String),
    /// None can be used.
    #[error("no adapter of this computer is up with an IPv4 address")]
    NoneUsable {
        /// What there is, one line each.
        there: Vec<String>,
    },
    /// Several can be used.
    #[error("this computer has several adapters that could lead to the rig")]
    Several {
        /// Those, one line each.
        there: Vec<String>,
    },
}

impl Adapter {
    /// Whether it leads anywhere: up, with an address, and not back to this computer.
    #[must_use]
    pub fn is_usable(&self) -> bool {
        self.is_up() && !self.is_loopback() && !self.addresses.is_empty()
    }

    fn choice(&self, own: Ipv4Addr, subnet: Subnet, why: String) -> Choice {
        // Once is enough for 255.255.255.255; on loopback it would reach every other ground.
        let meant = Seat { own, subnet, limited_broadcast: !self.is_loopback() };
        let others = self.addresses.iter().filter(|other| other.address != own && !self.is_loopback());
        let beside =
            |other: &OwnAddress| Seat { own: other.address, subnet: other.subnet, limited_broadcast: false };
        let seats = std::iter::once(meant).chain(others.map(beside)).collect();
        Choice { name: self.name.clone(), seats, why }
    }
}

/// Chooses the adapter: the one asked for, or the one in a network of the sheet, or the only usable one, or of several
/// the one its user prefers.
///
/// `wanted` is a name, a label, one of the adapter's addresses, or for simulated nodes a loopback address with the length
/// of the ground's prefix (127.77.0.1/16).
///
/// # Errors
/// When none fits, or several do.
pub fn choose(
    adapters: &[Adapter],
    wanted: Option<&str>,
    sheet: Option<&RigSheet>,
) -> Result<Choice, ChooseError> {
    if let Some(wanted) = wanted {
        return asked_for(adapters, wanted, sheet);
    }
    let by_sheet: Vec<Choice> = sheet.map(|sheet| in_sheet(adapters, sheet)).unwrap_or_default();
    if let [only] = &by_sheet[..] {
        return Ok(only.clone());
    }
    let usable: Vec<&Adapter> = adapters.iter().filter(|adapter| adapter.is_usable()).collect();
    let remembered: Vec<&Adapter> = usable.iter().copied().filter(|adapter| adapter.preferred).collect();
    if let ([only], true) = (&remembered[..], usable.len() > 1) {
        let own = only.addresses[0];
        return Ok(only.choice(own.address, own.subnet, "you prefer it".to_owned()));
    }
    match usable[..] {
        [] => Err(ChooseError::NoneUsable { there: lines(adapters) }),
        [only] => {
            let own = only.addresses[0];
            Ok(only.choice(own.address, own.subnet, "the only adapter that is up with an address".to_owned()))
        }
        _ => Err(ChooseError::Several { there: usable.into_iter().map(Adapter::line).collect() }),
    }
}

fn lines(adapters: &[Adapter]) -> Vec<String> {
    adapters.iter().map(Adapter::line).collect()
}

/// The error for a name that no adapter has; perhaps one is much like it.
#[must_use]
pub fn unknown(adapters: &[Adapter], wanted: &str) -> ChooseError {
    let likeness = |adapter: &Adapter| strsim::jaro_winkler(wanted, &adapter.name);
    let near = adapters.iter().max_by(|a, b| likeness(a).total_cmp(&likeness(b)));
    ChooseError::Unknown {
        wanted: wanted.to_owned(),
        there: lines(adapters),
        near: near.filter(|adapter| likeness(adapter) > 0.8).map(|adapter| adapter.name.clone()),
    }
}

fn asked_for(adapters: &[Adapter], wanted: &str, sheet: Option<&RigSheet>) -> Result<Choice, ChooseError> {
    let why = || "as asked".to_owned();
    if let Some(adapter) = adapters.iter().find(|adapter| adapter.is_called(wanted)) {
        if !adapter.is_up() {
            return Err(ChooseError::Down(adapter.name.clone()));
        }
        let in_sheet = sheet.and_then(|sheet| in_sheet(std::slice::from_ref(adapter), sheet).into_iter().next());
        let first = || adapter.addresses.first().map(|own| adapter.choice(own.address, own.subnet, why()));
        return in_sheet.or_else(first).ok_or_else(|| ChooseError::NoAddress(adapter.name.clone()));
    }
    let unknown = || unknown(adapters, wanted);
    let (text, prefix) = wanted.split_once('/').map_or((wanted, None), |(a, p)| (a, Some(p)));
    let own: Ipv4Addr = text.parse().map_err(|_| unknown())?;
    let exact = |adapter: &Adapter| {
        let there = adapter.addresses.iter().find(|there| there.address == own);
        there.filter(|_| prefix.is_none()).map(|own| adapter.choice(own.address, own.subnet, why()))
    };
    if let Some(choice) = adapters.iter().find_map(exact) {
        return Ok(choice);
    }
    let loopback =
        adapters.iter().find(|adapter| adapter.is_loopback() && own.is_loopback()).ok_or_else(unknown)?;
    let mask: Mask = prefix.unwrap_or("16").parse().map_err(|_| unknown())?;
    Ok(loopback.choice(own, Subnet::around(own, mask), why()))
}

/// The adapters that sit in a network of the sheet. On loopback every address is ours, so the first one is taken.
fn in_sheet(adapters: &[Adapter], sheet: &RigSheet) -> Vec<Choice> {
    let mut choices = Vec::new();
    for network in &sheet.networks {
        let range = network.range.value;
        let why = format!("it sits in the sheet's network {} ({range})", network.name.value);
        for adapter in adapters.iter().filter(|adapter| adapter.is_up()) {
            let own = if adapter.is_loopback() && range.network().is_loopback() {
                Some((range.hosts().first(), range))
            } else {
                let inside = adapter.addresses.iter().find(|own| range.contains(own.address));
                inside.filter(|_| !adapter.is_loopback()).map(|own| (own.address, own.subnet))
            };
            choices.extend(own.map(|(own, subnet)| adapter.choice(own, subnet, why.clone())));
        }
    }
    choices
}
