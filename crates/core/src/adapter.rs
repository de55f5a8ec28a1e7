//! Which of this computer's network adapters to use: never all of them in silence, never a guess.

use std::net::Ipv4Addr;

use crate::address::{Mask, Subnet};
use crate::conversation::Seat;
use crate::sheet::RigSheet;

/// A network adapter as far as choosing it goes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Adapter {
    /// Its name.
    pub name: String,
    /// Whether it leads only back to this computer.
    pub loopback: bool,
    /// Whether it is switched on and has link.
    pub up: bool,
    /// Its IPv4 addresses, each with the subnet around it.
    pub addresses: Vec<(Ipv4Addr, Subnet)>,
}

/// The adapter to use, where on the network that is, and why this one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Choice {
    /// Its name.
    pub name: String,
    /// Where it sits.
    pub seat: Seat,
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
    fn usable(&self) -> bool {
        self.up && !self.loopback && !self.addresses.is_empty()
    }

    /// The adapter in one line: name, addresses, and what is the matter with it.
    #[must_use]
    pub fn line(&self) -> String {
        let addresses: Vec<String> =
            self.addresses.iter().map(|(own, subnet)| format!("{own}/{}", subnet.mask().prefix())).collect();
        let matter = match self {
            Self { loopback: true, .. } => "  (leads only to this computer)",
            Self { up: false, .. } => "  (no link)",
            Self { addresses, .. } if addresses.is_empty() => "  (no address)",
            _ => "",
        };
        format!("{}  {}{matter}", self.name, addresses.join(", "))
    }

    fn choice(&self, own: Ipv4Addr, subnet: Subnet, why: String) -> Choice {
        let seat = Seat { own, subnet, limited_broadcast: !self.loopback };
        Choice { name: self.name.clone(), seat, why }
    }
}

/// Chooses the adapter: the one asked for, or the one in a network of the sheet, or the only usable one.
///
/// `wanted` is a name, one of the adapter's addresses, or for simulated nodes a loopback address with the length
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
    let usable: Vec<&Adapter> = adapters.iter().filter(|adapter| adapter.usable()).collect();
    match usable[..] {
        [] => Err(ChooseError::NoneUsable { there: lines(adapters) }),
        [only] => {
            let (own, subnet) = only.addresses[0];
            Ok(only.choice(own, subnet, "the only adapter that is up with an address".to_owned()))
        }
        _ => Err(ChooseError::Several { there: usable.into_iter().map(Adapter::line).collect() }),
    }
}

fn lines(adapters: &[Adapter]) -> Vec<String> {
    adapters.iter().map(Adapter::line).collect()
}

fn asked_for(adapters: &[Adapter], wanted: &str, sheet: Option<&RigSheet>) -> Result<Choice, ChooseError> {
    let why = || "as asked".to_owned();
    if let Some(adapter) = adapters.iter().find(|adapter| adapter.name == wanted) {
        if !adapter.up {
            return Err(ChooseError::Down(adapter.name.clone()));
        }
        let in_sheet = sheet.and_then(|sheet| in_sheet(std::slice::from_ref(adapter), sheet).into_iter().next());
        let first = || adapter.addresses.first().map(|(own, subnet)| adapter.choice(*own, *subnet, why()));
        return in_sheet.or_else(first).ok_or_else(|| ChooseError::NoAddress(adapter.name.clone()));
    }
    let unknown = || ChooseError::Unknown { wanted: wanted.to_owned(), there: lines(adapters) };
    let (text, prefix) = wanted.split_once('/').map_or((wanted, None), |(a, p)| (a, Some(p)));
    let own: Ipv4Addr = text.parse().map_err(|_| unknown())?;
    let exact = |adapter: &Adapter| {
        let there = adapter.addresses.iter().find(|(address, _)| *address == own);
        there.filter(|_| prefix.is_none()).map(|(own, subnet)| adapter.choice(*own, *subnet, why()))
    };
    if let Some(choice) = adapters.iter().find_map(exact) {
        return Ok(choice);
    }
    let loopback = adapters.iter().find(|adapter| adapter.loopback && own.is_loopback()).ok_or_else(unknown)?;
    let mask: Mask = prefix.unwrap_or("16").parse().map_err(|_| unknown())?;
    Ok(loopback.choice(own, Subnet::around(own, mask), why()))
}

/// The adapters that sit in a network of the sheet. On loopback every address is ours, so the first one is taken.
fn in_sheet(adapters: &[Adapter], sheet: &RigSheet) -> Vec<Choice> {
    let mut choices = Vec::new();
    for network in &sheet.networks {
        let range = network.range.value;
        let why = format!("it sits in the sheet's network {} ({range})", network.name.value);
        for adapter in adapters.iter().filter(|adapter| adapter.up) {
            let own = if adapter.loopback && range.network().is_loopback() {
                Some((range.hosts().first(), range))
            } else {
                adapter.addresses.iter().copied().find(|(own, _)| !adapter.loopback && range.contains(*own))
            };
            choices.extend(own.map(|(own, subnet)| adapter.choice(own, subnet, why.clone())));
        }
    }
    choices
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn adapter(name: &str, addresses: &[&str]) -> Adapter {
        let parse = |text: &&str| {
            let (own, prefix) = text.split_once('/').unwrap();
            let own = own.parse().unwrap();
            (own, Subnet::around(own, prefix.parse().unwrap()))
        };
        Adapter {
            name: name.to_owned(),
            loopback: name == "lo",
            up: !name.starts_with("down"),
            addresses: addresses.iter().map(parse).collect(),
        }
    }

    fn laptop() -> Vec<Adapter> {
        vec![
            adapter("lo", &["127.0.0.1/8"]),
            adapter("show", &["10.40.0.7/16", "192.168.0.7/24"]),
            adapter("office", &["172.16.3.4/12"]),
            adapter("bare", &[]),
            adapter("down0", &["10.60.0.7/16"]),
        ]
    }

    fn sheet(range: &str) -> RigSheet {
        RigSheet::parse(&format!("[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"{range}\"\n")).unwrap()
    }

    #[rstest]
    #[case(Some("show"), None, "10.40.0.7", "10.40.0.0/16")]
    #[case(Some("192.168.0.7"), None, "192.168.0.7", "192.168.0.0/24")]
    #[case(Some("show"), Some("192.168.0.0/24"), "192.168.0.7", "192.168.0.0/24")]
    #[case(None, Some("10.40.0.0/16"), "10.40.0.7", "10.40.0.0/16")]
    #[case(None, Some("127.9.0.0/16"), "127.9.0.1", "127.9.0.0/16")]
    #[case(Some("127.9.0.1/16"), None, "127.9.0.1", "127.9.0.0/16")]
    #[case(Some("127.9.0.1"), None, "127.9.0.1", "127.9.0.0/16")]
    fn the_adapter_meant_is_found(
        #[case] wanted: Option<&str>,
        #[case] range: Option<&str>,
        #[case] own: &str,
        #[case] subnet: &str,
    ) {
        let sheet = range.map(sheet);
        let seat = choose(&laptop(), wanted, sheet.as_ref()).unwrap().seat;
        assert_eq!((seat.own.to_string().as_str(), seat.subnet.to_string().as_str()), (own, subnet));
        assert_eq!(seat.limited_broadcast, !own.starts_with("127."));
    }

    #[rstest]
    #[case(Some("wlan9"), "this computer has no adapter \"wlan9\"")]
    #[case(Some("10.99.0.1"), "this computer has no adapter \"10.99.0.1\"")]
    #[case(Some("bare"), "the adapter bare has no IPv4 address, so it can neither ask nor be answered")]
    #[case(Some("down0"), "the adapter down0 is down: no cable, or nothing switched on at its other end")]
    #[case(None, "this computer has several adapters that could lead to the rig")]
    fn no_choice_says_why(#[case] wanted: Option<&str>, #[case] message: &str) {
        assert_eq!(choose(&laptop(), wanted, None).unwrap_err().to_string(), message);
    }

    #[test]
    fn the_only_usable_one_is_taken_and_loopback_never_is() {
        let mut few = laptop();
        few.remove(2);
        assert_eq!(choose(&few, None, None).unwrap().name, "show");
        few.remove(1);
        assert!(matches!(choose(&few, None, None), Err(ChooseError::NoneUsable { .. })));
    }
}
