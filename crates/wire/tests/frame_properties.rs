//! Frames and DHCP survive a round trip, and no bytes make their parsers panic.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

mod support;

use std::net::SocketAddrV4;

use lantern_wire::dhcp::{Dhcp, DhcpKind};
use lantern_wire::{Arp, ArpOperation, MacAddress, UdpFrame};
use proptest::prelude::*;

use support::cases;

proptest! {
    #![proptest_config(cases(256))]

    #[test]
    fn arp_survives(macs: [[u8; 6]; 4], operation: u16, sender: u32, target: u32) {
        let arp = Arp {
            to: MacAddress(macs[0]),
            from: MacAddress(macs[1]),
            operation: ArpOperation(operation),
            sender_mac: MacAddress(macs[2]),
            sender: sender.into(),
            target_mac: MacAddress(macs[3]),
            target: target.into(),
        };
        prop_assert_eq!(Arp::parse(&arp.to_bytes()).unwrap(), arp);
    }

    #[test]
    fn udp_frames_survive(
        macs: [[u8; 6]; 2], from: u32, to: u32, ports: [u16; 2], payload in prop::collection::vec(any::<u8>(), 0..1400),
    ) {
        let frame = UdpFrame {
            from_mac: MacAddress(macs[0]),
            to_mac: MacAddress(macs[1]),
            from: SocketAddrV4::new(from.into(), ports[0]),
            to: SocketAddrV4::new(to.into(), ports[1]),
            payload: &payload,
        };
        let bytes = frame.to_bytes().unwrap();
        prop_assert_eq!(UdpFrame::parse(&bytes).unwrap(), frame);
    }

    #[test]
    fn dhcp_survives(
        to_client: bool, transaction: u32, client: [u8; 6], kind in 1_u8.., yours: u32,
        addresses: [Option<u32>; 4], times: [Option<u32>; 3], fixed: [u32; 2], by_broadcast: bool,
        texts in prop::array::uniform5(prop::collection::vec(any::<u8>(), 0..256)),
    ) {
        let [requested, server, mask, router] = addresses.map(|address| address.map(Into::into));
        let [lease, renew_after, rebind_after] = times;
        let [has, relay] = fixed.map(Into::into);
        let [host_name, class, words, client_id, relay_info] = texts;
        let message = Dhcp {
            to_client, transaction, client: MacAddress(client), kind: DhcpKind(kind), by_broadcast, has,
            yours: yours.into(), relay, requested, server, mask, router, lease, renew_after, rebind_after,
            host_name, class, words, client_id, relay_info,
        };
        // Whatever a relay adds, looking for its port ends.
        let _ = message.circuit();
        prop_assert_eq!(Dhcp::parse(&message.to_bytes()).unwrap(), message);
    }

    #[test]
    fn no_bytes_make_them_panic(bytes in prop::collection::vec(any::<u8>(), 0..600), at in 0_usize..300) {
        let _ = (Arp::parse(&bytes), UdpFrame::parse(&bytes), Dhcp::parse(&bytes));
        // The same with a real message that was damaged in one place.
        let mut damaged = Dhcp::from_client(DhcpKind::DISCOVER, 7, MacAddress([2; 6])).to_bytes();
        if let (Some(byte), Some(new)) = (damaged.get_mut(at), bytes.first()) {
            *byte = *new;
        }
        let _ = Dhcp::parse(&damaged);
    }
}
