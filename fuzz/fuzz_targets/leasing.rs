#![no_main]
//! Frames of any bytes into the DHCP server of a sheet: no panic, nothing grows without bound, it always comes to an end.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_core::conversation::{Conversation, Heard, Leasing, Seat, Vantage};
use lantern_core::lease::{LeasePlan, LeaseWishes};
use lantern_core::sheet::RigSheet;
use lantern_wire::dhcp::Dhcp;
use lantern_wire::{Arp, MacAddress, UdpFrame};

const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
    [[node]]\nname = \"a\"\naddress = \"10.40.3.1\"\nmac = \"02:00:00:00:00:01\"\n[[node]]\nname = \"b\"\naddress = \"10.40.3.2\"\n";

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let subnet = "10.40.0.0/16".parse().expect("a subnet");
    let seat = Seat { own: [10, 40, 0, 7].into(), subnet, limited_broadcast: true };
    let vantage = Vantage { own_mac: Some(MacAddress([2, 0, 0, 0, 0, 7])), ..Vantage::of_seats(vec![seat]) };
    let sheet = RigSheet::parse(SHEET).expect("a sheet");
    let pool = Some("10.40.8.1-10.40.8.3".parse().expect("a range"));
    let wishes = LeaseWishes { next: vec!["b".into()], pool, ..LeaseWishes::default() };
    let plan = LeasePlan::by_sheet(&sheet, &wishes).expect("a plan");
    let mut leasing = Leasing::new(plan, &vantage, 3600, false).expect("a MAC address");
    let mut now = Duration::ZERO;
    let mut sent = 0_u32;
    // Each piece is led by how long it waits and its length; what reads as DHCP comes in a frame of its own.
    let mut rest = bytes;
    while let [wait, length, tail @ ..] = rest {
        let (piece, tail) = tail.split_at(tail.len().min(2 * usize::from(*length)));
        now += Duration::from_millis(u64::from(*wait) * 40);
        while leasing.wake_at().is_some_and(|at| at <= now) && sent < 10_000 {
            leasing.wake(now);
            sent += std::iter::from_fn(|| leasing.next_send()).count() as u32 + 1;
        }
        leasing.hear(now, &Heard::Frame(piece));
        if let Ok(message) = Dhcp::parse(piece) {
            let (from, to) = (SocketAddrV4::new(message.has, 68), SocketAddrV4::new(Ipv4Addr::BROADCAST, 67));
            let frame = UdpFrame { from_mac: message.client, to_mac: Arp::EVERYBODY, from, to, payload: piece };
            leasing.hear(now, &Heard::Frame(&frame.to_bytes().unwrap_or_default()));
        }
        while leasing.next_event().is_some() {}
        rest = tail;
    }
    leasing.turn_to_end();
    let mut steps = 0;
    while let Some(at) = leasing.wake_at() {
        leasing.wake(at);
        while leasing.next_send().is_some() {}
        steps += 1;
        assert!(steps < 100_000 && at < Duration::from_secs(70), "it does not end: {at:?} after {steps}");
    }
});
