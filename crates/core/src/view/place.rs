//! One address with its mask: what is local to it, and what the sheet has there.

use std::net::Ipv4Addr;

use serde::Serialize;

use super::{AddressState, address_runs};
use crate::address::{Mask, Role, Subnet, Unusable, is_public};
use crate::sheet::RigSheet;

/// An address and what surrounds it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Place {
    /// The address.
    pub address: Ipv4Addr,
    /// Its mask.
    pub mask: Ipv4Addr,
    /// How many bits of the mask are one.
    pub prefix: u8,
    /// The subnet's own address.
    pub network: Ipv4Addr,
    /// The first address a device there can have.
    pub first: Ipv4Addr,
    /// The last.
    pub last: Ipv4Addr,
    /// The address that means everybody there.
    pub broadcast: Ipv4Addr,
    /// How many devices have room.
    pub room: u64,
    /// Which numbers of the address may differ between devices that reach each other without a router: `10.40.*.*`; a number of
    /// which only a part may vary is told with its bounds, `10.40.0-3.*`.
    pub may_vary: String,
    /// Why no device can have it; `None` where one can.
    pub unusable: Option<String>,
    /// What it is worth knowing about such addresses.
    pub about: Option<&'static str>,
    /// What the sheet has there: its network, area, state, and who.
    pub on_sheet: Option<OnSheet>,
}

/// What the sheet has at an address.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct OnSheet {
    /// The network it lies in.
    pub network: String,
    /// The area in whose block it lies.
    pub area: Option<String>,
    /// What it is there.
    pub state: AddressState,
    /// Who has it.
    pub who: Option<String>,
}

impl Place {
    /// What surrounds an address with this mask.
    #[must_use]
    pub fn of(address: Ipv4Addr, mask: Mask, sheet: Option<&RigSheet>) -> Self {
        let subnet = Subnet::around(address, mask);
        let hosts = subnet.hosts();
        let role = match subnet.role(address) {
            Role::Network => Some("it is the subnet's own address".to_owned()),
            Role::Broadcast => Some("it means every device of the subnet".to_owned()),
            Role::Host | Role::Outside => None,
        };
        let unusable = Unusable::of(address, false).map(|why| why.to_string()).or(role);
        Self {
            address,
            mask: mask.dotted(),
            prefix: mask.prefix(),
            network: subnet.network(),
            first: hosts.first(),
            last: hosts.last(),
            broadcast: subnet.broadcast(),
            room: hosts.len(),
            may_vary: may_vary(subnet),
            about: about(address).filter(|_| unusable.is_none()),
            unusable,
            on_sheet: sheet.and_then(|sheet| on_sheet(sheet, address)),
        }
    }

    /// The mask that the sheet's network has, for an address that lies in one.
    #[must_use]
    pub fn mask_on(sheet: &RigSheet, address: Ipv4Addr) -> Option<Mask> {
        network_around(sheet, address).map(|index| sheet.networks[index].range.value.mask())
    }
}

fn may_vary(subnet: Subnet) -> String {
    let (first, last) = (subnet.network().octets(), subnet.broadcast().octets());
    let number = |(first, last): (u8, u8)| match (first, last) {
        (first, last) if first == last => first.to_string(),
        (0, 255) => "*".to_owned(),
        (first, last) => format!("{first}-{last}"),
    };
    first.into_iter().zip(last).map(number).collect::<Vec<_>>().join(".")
}

fn about(address: Ipv4Addr) -> Option<&'static str> {
    if address.is_link_local() {
        return Some("chosen by a device itself, because no DHCP server answered it (RFC 3927)");
    }
    match address.octets() {
        [2, ..] => Some("where Art-Net nodes come from the factory; on the internet it belongs to somebody"),
        _ if is_public(address) => Some("it belongs to somebody on the internet"),
        _ => None,
    }
}

/// The narrowest network of the sheet around an address.
fn network_around(sheet: &RigSheet, address: Ipv4Addr) -> Option<usize> {
    let range = |index: &usize| sheet.networks[*index].range.value;
    let around = (0..sheet.networks.len()).filter(|index| range(index).contains(address));
    around.max_by_key(|index| range(index).mask().prefix())
}

fn on_sheet(sheet: &RigSheet, address: Ipv4Addr) -> Option<OnSheet> {
    let narrowest = network_around(sheet, address)?;
    let runs = address_runs(sheet, narrowest);
    let run = runs.into_iter().find(|run| run.first <= address && address <= run.last)?;
    let nth = usize::try_from(address.to_bits() - run.first.to_bits()).unwrap_or(usize::MAX);
    Some(OnSheet {
        network: sheet.networks[narrowest].name.value.clone(),
        area: run.area.clone(),
        state: run.state,
        who: run.who.get(nth).cloned(),
    })
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("10.40.1.9", "16", "10.40.0.1", "10.40.255.254", "10.40.255.255", 65_534, "10.40.*.*")]
    #[case("10.40.1.9", "22", "10.40.0.1", "10.40.3.254", "10.40.3.255", 1022, "10.40.0-3.*")]
    #[case(
        "192.168.1.77",
        "255.255.255.192",
        "192.168.1.65",
        "192.168.1.126",
        "192.168.1.127",
        62,
        "192.168.1.64-127"
    )]
    #[case("2.0.0.1", "255.0.0.0", "2.0.0.1", "2.255.255.254", "2.255.255.255", 16_777_214, "2.*.*.*")]
    #[case("10.0.0.1", "32", "10.0.0.1", "10.0.0.1", "10.0.0.1", 1, "10.0.0.1")]
    fn what_surrounds_an_address(
        #[case] address: Ipv4Addr,
        #[case] mask: Mask,
        #[case] first: Ipv4Addr,
        #[case] last: Ipv4Addr,
        #[case] broadcast: Ipv4Addr,
        #[case] room: u64,
        #[case] vary: &str,
    ) {
        let place = Place::of(address, mask, None);
        assert_eq!((place.first, place.last, place.broadcast, place.room), (first, last, broadcast, room));
        assert_eq!((place.may_vary.as_str(), place.unusable), (vary, None));
    }

    #[rstest]
    #[case("10.40.0.0", "16")]
    #[case("10.40.255.255", "16")]
    #[case("239.1.1.1", "8")]
    #[case("127.0.0.1", "8")]
    fn what_no_device_can_have_is_said(#[case] address: Ipv4Addr, #[case] mask: Mask) {
        assert!(Place::of(address, mask, None).unusable.is_some());
    }

    #[test]
    fn the_sheet_says_who_stands_there_and_which_mask_it_has() {
        let sheet = RigSheet::parse(
            "[rig]\nname = \"t\"\n[[network]]\nname = \"rig\"\nrange = \"10.40.0.0/22\"\n[[node]]\nname = \"quay\"\naddress = \"10.40.1.9\"\n",
        )
        .expect("a sheet");
        let address = Ipv4Addr::new(10, 40, 1, 9);
        let mask = Place::mask_on(&sheet, address).expect("it lies in a network");
        assert_eq!(mask.prefix(), 22);
        let at = |address| Place::of(address, mask, Some(&sheet)).on_sheet.expect("on the sheet");
        assert_eq!((at(address).state, at(address).who.as_deref()), (AddressState::Node, Some("quay")));
        assert_eq!(
            (at(Ipv4Addr::new(10, 40, 1, 10)).state, at(address).network.as_str()),
            (AddressState::Free, "rig")
        );
        assert_eq!(Place::mask_on(&sheet, Ipv4Addr::new(10, 50, 0, 1)), None);
    }
}
