//! Whatever a field holds, unknown codes included, it survives a round trip; no bytes make a parser panic.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

mod support;

use lantern_wire::art_net::{
    Address, BlockKind, Command, Dmx, FirmwareMaster, FirmwareReply, Input, IpCommand, IpProg, IpProgReply,
    Message, Poll, PollFlags, PollReply, PollTarget, Program, Rdm, ReplyWord, TodControl, TodData, TodRequest,
};
use lantern_wire::rdm::{self, Uid};
use lantern_wire::{MacAddress, Text};
use proptest::prelude::*;

use support::cases;

/// A poll reply made of arbitrary bytes in every field the layout names; the spare bytes stay zero.
fn any_reply() -> impl Strategy<Value = PollReply> {
    prop::collection::vec(any::<u8>(), PollReply::LENGTH).prop_map(|mut bytes| {
        bytes[..10].copy_from_slice(b"Art-Net\0\x00\x21");
        PollReply::parse(&bytes).unwrap()
    })
}

proptest! {
    #![proptest_config(cases(256))]

    #[test]
    fn poll_replies_survive(reply in any_reply()) {
        prop_assert_eq!(PollReply::parse(&reply.to_bytes()).unwrap(), reply);
    }

    #[test]
    fn polls_survive(flags: u8, priority: u8, fields in prop::option::of(any::<[u16; 4]>())) {
        let target = fields.map(|[top, bottom, esta, oem]| PollTarget { top, bottom, esta, oem });
        let poll = Poll { flags: PollFlags(flags), priority, target };
        prop_assert_eq!(Poll::parse(&poll.to_bytes()).unwrap(), poll);
    }

    #[test]
    fn ip_messages_survive(command: u8, address: u32, mask: u32, port: u16, gateway: u32) {
        let ask = IpProg {
            command: IpCommand(command), address: address.into(), mask: mask.into(), port, gateway: gateway.into(),
        };
        prop_assert_eq!(IpProg::parse(&ask.to_bytes()).unwrap(), ask);
        let told = IpProgReply {
            address: address.into(), mask: mask.into(), port, status: command, gateway: gateway.into(),
        };
        prop_assert_eq!(IpProgReply::parse(&told.to_bytes()).unwrap(), told);
    }

    #[test]
    fn addresses_survive(head: [u8; 5], names: [u8; 18], long in any::<[[u8; 32]; 2]>(), switches: [u8; 8]) {
        let mut long_name = [0; 64];
        long_name[..32].copy_from_slice(&long[0]);
        long_name[32..].copy_from_slice(&long[1]);
        let message = Address {
            net: Program(head[0]),
            bind_index: head[1],
            short_name: Text::from_wire(names),
            long_name: Text::from_wire(long_name),
            switch_in: core::array::from_fn(|i| Program(switches[i])),
            switch_out: core::array::from_fn(|i| Program(switches[4 + i])),
            sub: Program(head[2]),
            sacn_priority: head[3],
            command: Command(head[4]),
        };
        prop_assert_eq!(Address::parse(&message.to_bytes()).unwrap(), message);
    }

    #[test]
    fn what_carries_rdm_survives(
        head: [u8; 8], total: u16, addresses in prop::collection::vec(any::<u8>(), 0..=32),
        uids in prop::collection::vec(any::<[u8; 6]>(), 0..=200), data in prop::collection::vec(any::<u8>(), 0..=231),
    ) {
        let [rdm_version, port, bind_index, net, response, address, block, command] = head;
        let asks = TodRequest { net, command, addresses };
        let bytes = asks.to_bytes();
        prop_assert_eq!(Message::parse(&bytes).unwrap(), Message::TodRequest(asks));
        let uids: Vec<Uid> = uids.into_iter().map(Uid).collect();
        let [to, from] = [uids.first(), uids.last()].map(|uid| *uid.unwrap_or(&Uid::LOWEST));
        let table = TodData { rdm_version, port, bind_index, net, response, address, total, block, uids };
        let bytes = table.to_bytes();
        prop_assert_eq!(Message::parse(&bytes).unwrap(), Message::TodData(table));
        let anew = TodControl { net, command, address };
        let bytes = anew.to_bytes();
        prop_assert_eq!(Message::parse(&bytes).unwrap(), Message::TodControl(anew));
        let message = rdm::Message::request(to, from, block, rdm::Class::GET, total, data);
        let one = Rdm { rdm_version, room: [port, block], net, command, address, message };
        let bytes = one.to_bytes();
        prop_assert_eq!(Message::parse(&bytes).unwrap(), Message::Rdm(Box::new(one)));
    }

    #[test]
    fn inputs_and_blocks_survive(bind_index: u8, port_count: u16, off: [bool; 4], byte: u8, words: u32, fill: u8) {
        let input = Input { bind_index, port_count, off };
        let bytes = input.to_bytes();
        prop_assert_eq!(Message::parse(&bytes).unwrap(), Message::Input(input));
        let data = Box::new(core::array::from_fn(|i| fill.wrapping_add(i.to_le_bytes()[0])));
        let block = FirmwareMaster { kind: BlockKind(byte), block: fill, words, data };
        let bytes = block.to_bytes();
        prop_assert_eq!(bytes.len(), FirmwareMaster::LENGTH);
        prop_assert!(FirmwareMaster::parse(&bytes[..bytes.len() - 1]).is_err());
        prop_assert_eq!(Message::parse(&bytes).unwrap(), Message::FirmwareMaster(block));
        let reply = FirmwareReply { word: ReplyWord(byte) };
        prop_assert_eq!(FirmwareReply::parse(&reply.to_bytes()).unwrap(), reply);
        prop_assert_eq!(FirmwareReply::parse(&reply.to_bytes()[..FirmwareReply::LEAST]).unwrap(), reply);
        prop_assert!(FirmwareReply::parse(&reply.to_bytes()[..14]).is_err());
    }

    #[test]
    fn levels_survive(sequence: u8, physical: u8, port_address in 0..0x8000_u16, levels in prop::collection::vec(any::<u8>(), 0..600)) {
        let sent = Dmx { sequence, physical, port_address, slots: &levels };
        let bytes = sent.to_bytes();
        let Message::Dmx(read) = Message::parse(&bytes).unwrap() else { panic!("not read as levels") };
        prop_assert_eq!((read.sequence, read.physical, read.port_address), (sequence, physical, port_address));
        let kept = levels.len().min(Dmx::MOST);
        prop_assert_eq!(&read.slots[..kept], &levels[..kept]);
        prop_assert!(read.slots.len() % 2 == 0 && read.slots[kept..].iter().all(|level| *level == 0));
    }

    #[test]
    fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..300), op: u16, headed: bool) {
        let mut bytes = bytes;
        if headed && bytes.len() >= 12 {
            bytes[..8].copy_from_slice(b"Art-Net\0");
            bytes[8..10].copy_from_slice(&op.to_le_bytes());
            bytes[10..12].copy_from_slice(&[0, 14]);
        }
        drop(Message::parse(&bytes));
    }

    #[test]
    fn mac_addresses_survive(bytes: [u8; 6]) {
        let mac = MacAddress(bytes);
        prop_assert_eq!(mac.to_string().parse::<MacAddress>().unwrap(), mac);
    }
}
