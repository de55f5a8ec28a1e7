//! Which own address to take to reach something, and why that one.

use std::collections::BTreeSet;
use std::net::Ipv4Addr;

use super::{Adapter, ChooseError, Computer, WantedOwn, choose_cable};
use crate::address::{AddressRange, Mask, Role, Subnet};
use crate::sheet::{Network, RigSheet};

/// A lone address says nothing of its mask: this one reaches it, and few others that were not meant.
const USUAL: Mask = match Mask::from_prefix(24) {
    Some(mask) => mask,
    None => Mask::SIXTEEN,
};
/// How many addresses are proposed, to be probed one after the other.
const PROPOSALS: usize = 8;

/// What is to be reached.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Target {
    /// What it was called.
    pub name: String,
    /// Its addresses.
    pub range: AddressRange,
    /// The subnet it is in, where that is known.
    pub subnet: Option<Subnet>,
}

/// What is known besides the computer itself.
#[derive(Debug, Clone, Copy, Default)]
pub struct Known<'a> {
    /// The rig sheet.
    pub sheet: Option<&'a RigSheet>,
    /// Addresses at which somebody was seen.
    pub seen: &'a [Ipv4Addr],
    /// The adapter asked for.
    pub adapter: Option<&'a str>,
}

/// What to do to reach a target.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Advice {
    /// Nothing: this adapter reaches it already.
    Reachable {
        /// The adapter's name.
        adapter: String,
        /// Its address there.
        own: Ipv4Addr,
    },
    /// Take one of these addresses.
    Take {
        /// The adapter's name.
        adapter: String,
        /// The first that turns out to be free.
        proposals: Vec<WantedOwn>,
        /// Why these.
        reasons: Vec<String>,
    },
}

/// Why no address can be advised.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AdviseError {
    /// No single adapter can be meant.
    #[error(transparent)]
    Choose(#[from] ChooseError),
    /// Every address is planned, kept or seen.
    #[error("every address of {0} is planned, kept, handed out or seen")]
    NoneFree(Subnet),
}

impl Target {
    /// An address, a range, a network as `10.40.0.0/16`, or a device with its own mask as `10.40.1.101/24`: it is reached
    /// only from an address that it takes for its neighbour's.
    ///
    /// # Errors
    /// When the text is none of them.
    pub fn read(text: &str) -> Result<Self, crate::address::RangeError> {
        if let Ok(device) = text.parse::<WantedOwn>()
            && device.subnet.role(device.address) == Role::Host
        {
            let range = AddressRange::from(device.address);
            return Ok(Self { name: text.to_owned(), range, subnet: Some(device.subnet) });
        }
        Ok(Self { name: text.to_owned(), range: text.parse()?, subnet: text.parse().ok() })
    }

    /// Its address, where it has only one.
    #[must_use]
    pub fn single(&self) -> Option<Ipv4Addr> {
        Some(self.range.first()).filter(|first| *first == self.range.last())
    }

    /// Whether it is one device, whose mask is known.
    fn is_device(&self) -> bool {
        self.subnet.is_some() && self.single().is_some()
    }

    /// A network of the sheet.
    #[must_use]
    pub fn of_network(network: &Network) -> Self {
        let subnet = network.range.value;
        Self { name: network.name.value.clone(), range: subnet.hosts(), subnet: Some(subnet) }
    }
}

/// The narrowest subnet that all these targets lie in: with its mask one address reaches them all. `None` where it would reach over
/// more than a network of private addresses has (RFC 1918), or there is only one target.
#[must_use]
pub fn one_for_all(targets: &[Target]) -> Option<Subnet> {
    let [_, _, ..] = targets else { return None };
    let ends = || targets.iter().flat_map(|target| [target.range.first(), target.range.last()]);
    let (first, last) = (ends().min()?, ends().max()?);
    // Neither of them may be its network or its broadcast address.
    (8..=30)
        .rev()
        .filter_map(Mask::from_prefix)
        .map(|mask| Subnet::around(first, mask))
        .find(|subnet| {
            let is_host = |address| subnet.role(address) == Role::Host;
            let is_single = |target: &Target| target.single().is_some();
            subnet.contains(last)
                && targets.iter().filter(|target| is_single(target)).all(|target| is_host(target.range.first()))
        })
        .filter(|subnet| is_private(*subnet))
}

/// Whether the whole of it is for private use (RFC 1918, section 3) or link-local (RFC 3927).
fn is_private(subnet: Subnet) -> bool {
    let (first, last) = (subnet.network(), subnet.broadcast());
    [first, last].iter().all(|end| end.is_private() || end.is_link_local())
        && first.octets()[0] == last.octets()[0]
}

/// Advises how to reach `target`.
///
/// # Errors
/// When no adapter can be meant, or no address is free.
pub fn advise(computer: &Computer, target: &Target, known: &Known<'_>) -> Result<Advice, AdviseError> {
    if let Some((adapter, own)) = reaching(computer, target) {
        return Ok(Advice::Reachable { adapter: adapter.name.clone(), own });
    }
    let adapter = choose_cable(&computer.adapters, known.adapter)?;
    // A device with a mask of its own is met where it takes itself to be, whatever the sheet plans.
    let sheet = known.sheet.filter(|_| !target.is_device());
    let network = sheet.and_then(|s| s.networks.iter().find(|n| covers(n.range.value, target.range)));
    let (subnet, mut reasons) = subnet_for(target, network);
    let proposals = proposals(computer, target, subnet, network, known);
    if proposals.is_empty() {
        return Err(AdviseError::NoneFree(subnet));
    }
    if let Some(kept) = network.filter(|n| n.keep_free.iter().any(|r| r.value.contains(proposals[0].address))) {
        reasons.push(format!("kept free in {} for computers like this one", kept.name.value));
    }
    reasons.push("not planned, not handed out, not seen".to_owned());
    Ok(Advice::Take { adapter: adapter.name.clone(), proposals, reasons })
}

fn covers(subnet: Subnet, range: AddressRange) -> bool {
    AddressRange::from(subnet).covers(range)
}

/// The adapter whose subnet holds the whole target. The other side must take us for local too, as far as its mask is known.
fn reaching<'a>(computer: &'a Computer, target: &Target) -> Option<(&'a Adapter, Ipv4Addr)> {
    let up = computer.adapters.iter().filter(|adapter| adapter.is_up());
    let mut own = up.flat_map(|adapter| adapter.addresses.iter().map(move |own| (adapter, own)));
    let takes_us = |own: Ipv4Addr| !target.is_device() || target.subnet.is_some_and(|subnet| subnet.contains(own));
    own.find(|(_, own)| covers(own.subnet, target.range) && takes_us(own.address))
        .map(|(adapter, own)| (adapter, own.address))
}

fn subnet_for(target: &Target, network: Option<&Network>) -> (Subnet, Vec<String>) {
    let first = target.range.first();
    if let Some(network) = network {
        let subnet = network.range.value;
        return (subnet, vec![format!("{subnet} is the sheet's network {}", network.name.value)]);
    }
    if let Some(subnet) = target.subnet.filter(|subnet| subnet.mask().prefix() <= 30) {
        return (subnet, vec![format!("{subnet} as asked")]);
    }
    if first.is_link_local() {
        let subnet = Subnet::around(first, Mask::SIXTEEN);
        return (subnet, vec!["link-local addresses always have the mask 255.255.0.0 (RFC 3927)".to_owned()]);
    }
    let subnet = smallest(target.range);
    (subnet, vec![format!("{} is the smallest usual mask that reaches it", subnet.mask())])
}

/// The smallest subnet, of /24 or wider, in which every address of the range is a device's.
fn smallest(range: AddressRange) -> Subnet {
    let differing = range.first().to_bits() ^ range.last().to_bits();
    let common = u8::try_from(differing.leading_zeros()).unwrap_or(0).min(USUAL.prefix());
    let fits = |mask: &Mask| {
        let subnet = Subnet::around(range.first(), *mask);
        subnet.role(range.first()) == Role::Host && subnet.role(range.last()) == Role::Host
    };
    let mask = (0..=common).rev().filter_map(Mask::from_prefix).find(fits).unwrap_or(USUAL);
    Subnet::around(range.first(), mask)
}

/// Addresses nobody plans, keeps, hands out or was seen at: first those kept free for computers, then from the top
/// down, where the fewest devices stand.
fn proposals(
    computer: &Computer,
    target: &Target,
    subnet: Subnet,
    network: Option<&Network>,
    known: &Known<'_>,
) -> Vec<WantedOwn> {
    let mut used: BTreeSet<Ipv4Addr> = known.seen.iter().copied().collect();
    used.extend(computer.adapters.iter().flat_map(|adapter| &adapter.addresses).map(|own| own.address));
    used.extend(computer.adapters.iter().flat_map(|adapter| &adapter.gateways));
    used.extend(
        known.sheet.iter().flat_map(|sheet| &sheet.nodes).filter_map(crate::sheet::SheetNode::fixed_address),
    );
    // One single target is itself a device; a whole network is not used up by being asked for.
    used.extend(target.single());
    let barred = |address: Ipv4Addr| {
        network.is_some_and(|n| {
            let gateway = n.way_out() == Some(address);
            gateway || n.dhcp.iter().chain(&n.locked).any(|range| range.value.contains(address))
        })
    };
    let kept = network.into_iter().flat_map(|n| &n.keep_free).flat_map(|range| downwards(range.value));
    let candidates = kept.chain(downwards(subnet.hosts()));
    let free = candidates.filter(|a| subnet.role(*a) == Role::Host && !used.contains(a) && !barred(*a));
    let mut seen = BTreeSet::new();
    free.filter(|a| seen.insert(*a)).take(PROPOSALS).map(|address| WantedOwn { address, subnet }).collect()
}

/// At most as many addresses as a /16 has: whoever uses up more has other troubles.
fn downwards(range: AddressRange) -> impl Iterator<Item = Ipv4Addr> {
    (range.first().to_bits()..=range.last().to_bits()).rev().take(1 << 16).map(Ipv4Addr::from_bits)
}

/// What people often believe and need not, told where an address is chosen.
pub const MISBELIEFS: [&str; 3] = [
    "a number near the nodes' is not needed: any free address of the same subnet does",
    "inside a subnet no gateway is needed; leave it empty",
    "the first and the last address of a subnet cannot be used: they mean the subnet itself and everybody in it",
];

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;
    use crate::adapter::{Medium, Origin, OwnAddress};

    const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"lights\"\nrange = \"10.40.0.0/16\"\n\
                         gateway = \"10.40.255.254\"\nkeep_free = [\"10.40.0.1-10.40.0.3\"]\n\
                         dhcp = \"10.40.255.0-10.40.255.250\"\nlocked = [\"10.40.9.0/24\"]\n\
                         [[node]]\nname = \"quay\"\naddress = \"10.40.0.3\"\n";

    fn computer(own: &[&str]) -> Computer {
        let parse = |text: &&str| {
            let wanted: WantedOwn = text.parse().unwrap();
            OwnAddress { address: wanted.address, subnet: wanted.subnet, origin: Origin::Fixed }
        };
        let rig = Adapter {
            name: "rig0".to_owned(),
            label: None,
            preferred: false,
            medium: Medium::Wired,
            on: true,
            link: true,
            speed: None,
            mac: None,
            addresses: own.iter().map(parse).collect(),
            gateways: Vec::new(),
        };
        Computer { adapters: vec![rig], ..Computer::default() }
    }

    fn take(own: &[&str], target: &str, sheet: Option<&RigSheet>, seen: &[&str]) -> (String, Vec<String>) {
        let seen: Vec<Ipv4Addr> = seen.iter().map(|text| text.parse().unwrap()).collect();
        let known = Known { sheet, seen: &seen, adapter: None };
        match advise(&computer(own), &Target::read(target).unwrap(), &known).unwrap() {
            Advice::Take { proposals, reasons, .. } => {
                let first = proposals[0];
                (format!("{}/{}", first.address, first.subnet.mask().prefix()), reasons)
            }
            Advice::Reachable { own, .. } => (format!("has {own}"), Vec::new()),
        }
    }

    #[rstest]
    #[case::a_lone_address("192.168.0.5", "192.168.0.254/24")]
    #[case::the_last_of_its_subnet("192.168.0.254", "192.168.0.253/24")]
    #[case::link_local("169.254.3.4", "169.254.255.254/16")]
    #[case::a_network("172.16.0.0/20", "172.16.15.254/20")]
    #[case::two_ends_of_a_24("192.168.0.1-192.168.0.254", "192.168.0.254/24")]
    #[case::across_two_24("192.168.0.200-192.168.1.20", "192.168.1.254/23")]
    #[case::an_end_that_would_mean_everybody("192.168.0.200-192.168.1.255", "192.168.3.254/22")]
    #[case::a_device_with_its_mask("192.168.0.5/28", "192.168.0.14/28")]
    #[case::a_lone_address_that_ends_in_255("10.0.0.255", "10.0.1.254/23")]
    fn without_a_sheet_the_mask_follows_the_target(#[case] target: &str, #[case] own: &str) {
        assert_eq!(take(&[], target, None, &[]).0, own);
    }

    #[rstest]
    #[case::what_is_kept_free_for_computers(&[], "10.40.0.2/16")]
    #[case::not_what_was_seen(&["10.40.0.2"], "10.40.0.1/16")]
    #[case::then_from_the_top_past_gateway_and_pool(&["10.40.0.2", "10.40.0.1"], "10.40.255.253/16")]
    #[case::and_past_the_pool(
        &["10.40.0.2", "10.40.0.1", "10.40.255.253", "10.40.255.252", "10.40.255.251"],
        "10.40.254.255/16"
    )]
    fn with_a_sheet_its_plan_is_respected(#[case] seen: &[&str], #[case] own: &str) {
        let sheet = RigSheet::parse(SHEET).unwrap();
        let (address, reasons) = take(&[], "10.40.1.100", Some(&sheet), seen);
        assert_eq!(address, own);
        assert_eq!(reasons[0], "10.40.0.0/16 is the sheet's network lights");
        assert_eq!(reasons.len(), if own.starts_with("10.40.0.") { 3 } else { 2 });
    }

    #[test]
    fn what_is_reached_already_needs_nothing() {
        assert_eq!(take(&["10.40.0.7/16"], "10.40.1.0/24", None, &[]).0, "has 10.40.0.7");
        assert_eq!(take(&["10.40.0.7/24"], "10.40.1.0/24", None, &[]).0, "10.40.1.254/24");
        // Whoever takes only its own /24 for local does not answer an address outside.
        assert_eq!(take(&["10.40.0.7/16"], "10.40.1.101/24", None, &[]).0, "10.40.1.254/24");
        assert_eq!(take(&["10.40.1.7/16"], "10.40.1.101/24", None, &[]).0, "has 10.40.1.7");
    }

    #[test]
    fn a_full_subnet_and_a_missing_cable_are_told() {
        let target = Target::read("192.168.0.0/30").unwrap();
        let seen = ["192.168.0.1", "192.168.0.2"].map(|text| text.parse().unwrap());
        let known = Known { seen: &seen, ..Known::default() };
        let error = advise(&computer(&[]), &target, &known).unwrap_err();
        assert_eq!(error.to_string(), "every address of 192.168.0.0/30 is planned, kept, handed out or seen");
        let none = Computer::default();
        assert!(matches!(
            advise(&none, &target, &known),
            Err(AdviseError::Choose(ChooseError::NoneUsable { .. }))
        ));
    }

    #[test]
    fn what_is_no_target_says_what_is() {
        assert!(Target::read("quay").unwrap_err().to_string().starts_with("a range is written"));
    }
}
