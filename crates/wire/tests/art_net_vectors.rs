//! The reference packets, read and written again byte for byte, and what each of them says.

#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

mod support;

use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use lantern_wire::art_net::{
    Address, BlockKind, Command, DataLoss, Dmx, FirmwareMaster, FirmwareReply, Input, IpCommand, IpProg,
    IpProgReply, Message, OpCode, Poll, PollFlags, PollReply, PollTarget, Program, Rdm, ReplyWord, TodControl,
    TodData, TodRequest,
};
use lantern_wire::{Layer, WireError};
use rstest::rstest;
use serde_json::Value;

/// All of an ArtDmx before its levels.
const DMX_HEADER: usize = 18;

fn vector(name: &str) -> (Vec<u8>, Value) {
    support::vector("art-net", name)
}

fn to_bytes(message: &Message) -> Vec<u8> {
    match message {
        Message::Poll(m) => m.to_bytes(),
        Message::PollReply(m) => m.to_bytes(),
        Message::IpProg(m) => m.to_bytes(),
        Message::IpProgReply(m) => m.to_bytes(),
        Message::Address(m) => m.to_bytes(),
        Message::Dmx(m) => m.to_bytes(),
        Message::TodRequest(m) => m.to_bytes(),
        Message::TodData(m) => m.to_bytes(),
        Message::TodControl(m) => m.to_bytes(),
        Message::Rdm(m) => m.to_bytes(),
        other => panic!("no bytes for {other:?}"),
    }
}

#[rstest]
fn every_vector_survives_both_ways(
    #[values(
        "address-hold-on-loss",
        "address-locate",
        "address-merge-htp-port-1",
        "address-merge-ltp-port-2",
        "address-names-only",
        "address-universes",
        "dmx-272-24-slots",
        "ipprog-address-mask-gateway",
        "ipprog-ask-only",
        "ipprog-defaults",
        "ipprog-dhcp-on",
        "ipprog-reply-dhcp",
        "ipprog-reply-static",
        "poll-plain-14-bytes",
        "poll-targeted",
        "reply-by-dhcp",
        "rdm-device-info",
        "rdm-get-device-info",
        "rdm-start-address-refused",
        "reply-four-outputs",
        "reply-second-page",
        "tod-control-flush",
        "tod-data",
        "tod-request"
    )]
    name: &str,
) {
    let (bytes, _) = vector(name);
    let message = Message::parse(&bytes).unwrap();
    assert_eq!(to_bytes(&message), bytes);
}

#[rstest]
#[case("poll-plain-14-bytes", Layer::ArtNet(OpCode::POLL), Poll::SHORTEST)]
#[case("poll-targeted", Layer::ArtNet(OpCode::POLL), Poll::SHORTEST)]
#[case("reply-four-outputs", Layer::ArtNet(OpCode::POLL_REPLY), PollReply::SHORTEST)]
#[case("ipprog-ask-only", Layer::ArtNet(OpCode::IP_PROG), IpProg::LENGTH)]
#[case("ipprog-reply-static", Layer::ArtNet(OpCode::IP_PROG_REPLY), IpProgReply::LENGTH)]
#[case("address-universes", Layer::ArtNet(OpCode::ADDRESS), Address::LENGTH)]
fn every_truncation_names_layer_offset_needed_and_available(
    #[case] name: &str,
    #[case] layer: Layer,
    #[case] shortest: usize,
) {
    let (bytes, _) = vector(name);
    for cut in 0..bytes.len() {
        let expected = match cut {
            0..10 => Err(WireError::Short { layer: Layer::ArtNetHeader, offset: 0, needed: 10, available: cut }),
            _ if cut < shortest => {
                Err(WireError::Short { layer, offset: 10, needed: shortest - 10, available: cut - 10 })
            }
            _ => Ok(()),
        };
        assert_eq!(Message::parse(&bytes[..cut]).map(|_| ()), expected, "cut after {cut} bytes");
    }
}

#[test]
fn levels_say_what_the_facts_say_and_end_where_they_say() {
    let (bytes, facts) = vector("dmx-272-24-slots");
    let dmx = Dmx::parse(&bytes).unwrap();
    let said = [u64::from(dmx.sequence), u64::from(dmx.port_address), dmx.slots.len() as u64];
    assert_eq!(said, ["sequence", "port_address", "slots"].map(|fact| facts[fact].as_u64().unwrap()));
    assert_eq!(dmx.to_string(), "ArtDmx: universe 272, 24 levels, number 7");
    for cut in 10..bytes.len() {
        // Before the count is there, nobody knows how many levels follow.
        let needed = if cut < DMX_HEADER { DMX_HEADER } else { bytes.len() } - 10;
        let layer = Layer::ArtNet(OpCode::DMX);
        assert_eq!(
            Dmx::parse(&bytes[..cut]),
            Err(WireError::Short { layer, offset: 10, needed, available: cut - 10 })
        );
    }
    let mut many = bytes.clone();
    many[16..18].copy_from_slice(&513_u16.to_be_bytes());
    many.resize(DMX_HEADER + 513, 0);
    assert_eq!(Dmx::parse(&many), Err(WireError::Foreign { layer: Layer::ArtNet(OpCode::DMX) }));
}

/// What carries RDM says whose universe it is, and who is there; cut anywhere it is none, and damage is seen.
#[test]
fn tables_and_messages_of_rdm_say_what_the_facts_say() {
    let (bytes, facts) = vector("tod-data");
    let table = TodData::parse(&bytes).unwrap();
    assert_eq!((table.port_address(), table.port, table.bind_index), (0x0111, 2, 1));
    assert_eq!((table.response, table.total, table.block), (TodData::FULL, 3, 0));
    let uids: Vec<String> = table.uids.iter().map(ToString::to_string).collect();
    assert_eq!(serde_json::to_value(uids).unwrap(), facts["uids"]);
    let asks = TodRequest::parse(&vector("tod-request").0).unwrap();
    assert_eq!((asks.net, asks.command, &asks.addresses[..]), (1, TodRequest::FULL, &[16, 17][..]));
    let anew = TodControl::parse(&vector("tod-control-flush").0).unwrap();
    assert_eq!((anew.net, anew.command, anew.address), (1, TodControl::FLUSH, 17));
    for (name, carried) in [
        ("rdm-device-info", "device-info"),
        ("rdm-get-device-info", "get-device-info"),
        ("rdm-start-address-refused", "start-address-refused"),
    ] {
        let (bytes, _) = vector(name);
        let message = Rdm::parse(&bytes).unwrap();
        assert_eq!((message.port_address(), message.rdm_version, message.room), (0x0111, 1, [0, 0]));
        assert_eq!(message.message.to_bytes(), support::vector("rdm", carried).0);
        assert_eq!(Rdm::new(0x0111, message.message.clone()), message);
        for cut in 0..bytes.len() {
            assert!(matches!(Rdm::parse(&bytes[..cut]), Err(WireError::Short { .. })), "{name} {cut}");
        }
        let mut damaged = bytes.clone();
        *damaged.last_mut().unwrap() ^= 1;
        assert_eq!(Rdm::parse(&damaged), Err(WireError::Damaged { layer: Layer::Rdm }));
    }
    for (name, whole) in [("tod-data", 46), ("tod-request", 26), ("tod-control-flush", 24)] {
        let (bytes, _) = vector(name);
        for cut in 0..whole {
            assert!(matches!(Message::parse(&bytes[..cut]), Err(WireError::Short { .. })), "{name} {cut}");
        }
    }
}

/// A forgotten field would leave the filler standing.
#[rstest]
#[case("ipprog-address-mask-gateway")]
#[case("ipprog-reply-dhcp")]
#[case("address-names-only")]
#[case("reply-second-page")]
fn emit_writes_every_byte(#[case] name: &str) {
    let (bytes, _) = vector(name);
    let mut out = vec![0xa5; bytes.len()];
    match Message::parse(&bytes).unwrap() {
        Message::IpProg(m) => m.emit(out.first_chunk_mut().unwrap()),
        Message::IpProgReply(m) => m.emit(out.first_chunk_mut().unwrap()),
        Message::Address(m) => m.emit(out.first_chunk_mut().unwrap()),
        Message::PollReply(m) => m.emit(out.first_chunk_mut().unwrap()),
        other => panic!("no emit for {other:?}"),
    }
    assert_eq!(out, bytes);
}

#[rstest]
fn four_outputs_say_what_the_facts_say() {
    let (bytes, facts) = vector("reply-four-outputs");
    let reply = PollReply::parse(&bytes).unwrap();
    assert_eq!(reply.address.to_string(), facts["ip"]);
    assert_eq!(reply.mac.to_string(), facts["mac"]);
    assert_eq!(reply.short_name.to_lossy(), facts["short"]);
    assert_eq!(reply.long_name.to_lossy(), "Quay north mast, four outputs");
    assert_eq!((u64::from(reply.net), u64::from(reply.sub)), (1, 1));
    let flat: Vec<u16> = reply
        .stated_ports()
        .map(|(_, p)| u16::from(reply.net) << 8 | u16::from(reply.sub) << 4 | u16::from(p.switch_out))
        .collect();
    assert_eq!(serde_json::to_value(flat).unwrap(), facts["out_universes_flat"]);
    assert!(reply.stated_ports().all(|(_, p)| p.kind.is_output() && !p.kind.is_input()));
    assert!(reply.ports[2].output_a.merges_ltp() && !reply.ports[1].output_a.merges_ltp());
    assert_eq!((reply.firmware, reply.bind_index, reply.port), (0x0104, 1, 6454));
    assert_eq!((reply.esta, reply.refresh_rate, reply.sacn_priority), (0x7ff0, 44, 100));
    assert_eq!(reply.status3.data_loss(), DataLoss::Hold);
}

#[rstest]
fn a_second_page_has_an_output_and_an_input() {
    let (bytes, facts) = vector("reply-second-page");
    let reply = PollReply::parse(&bytes).unwrap();
    assert_eq!(u64::from(reply.bind_index), facts["bind_index"]);
    assert_eq!((reply.net, reply.sub, reply.port_count), (0, 2, 2));
    assert!(reply.ports[0].kind.is_output() && reply.ports[1].kind.is_input());
    assert_eq!((reply.ports[0].switch_out, reply.ports[1].switch_in), (4, 9));
    assert!(reply.ports[1].input.receiving());
}

#[rstest]
fn dhcp_shows_in_the_second_status() {
    let (bytes, _) = vector("reply-by-dhcp");
    let status = PollReply::parse(&bytes).unwrap().status2;
    assert!(status.web_page() && status.dhcp_in_use() && status.dhcp_able() && status.wide_port_address());
    assert!(!status.sacn_able());
}

#[rstest]
#[case("ipprog-ask-only", IpCommand::ASK)]
#[case("ipprog-defaults", IpCommand::PROGRAM.and(IpCommand::DEFAULTS))]
#[case("ipprog-dhcp-on", IpCommand::PROGRAM.and(IpCommand::DHCP))]
#[case(
    "ipprog-address-mask-gateway",
    IpCommand::PROGRAM.and(IpCommand::ADDRESS).and(IpCommand::MASK).and(IpCommand::GATEWAY)
)]
fn ip_commands_are_bits(#[case] name: &str, #[case] command: IpCommand) {
    let (bytes, facts) = vector(name);
    let message = IpProg::parse(&bytes).unwrap();
    assert_eq!(message.command, command);
    assert_eq!(u64::from(command.0), facts["command"]);
}

#[rstest]
fn ip_settings_are_in_their_places() {
    let set = IpProg::parse(&vector("ipprog-address-mask-gateway").0).unwrap();
    assert_eq!(set.address, Ipv4Addr::new(10, 40, 1, 101));
    assert_eq!(set.mask, Ipv4Addr::new(255, 255, 0, 0));
    assert_eq!(set.gateway, Ipv4Addr::new(10, 40, 0, 1));
    let told = IpProgReply::parse(&vector("ipprog-reply-dhcp").0).unwrap();
    assert_eq!((told.address, told.dhcp()), (Ipv4Addr::new(10, 40, 250, 7), true));
    assert!(!IpProgReply::parse(&vector("ipprog-reply-static").0).unwrap().dhcp());
}

#[rstest]
fn universes_are_programmed_by_the_high_bit() {
    let message = Address::parse(&vector("address-universes").0).unwrap();
    assert_eq!((message.net, message.sub), (Program::set(1), Program::set(1)));
    assert_eq!(message.switch_out.map(Program::value), [Some(0), Some(1), Some(2), Some(15)]);
    assert_eq!(message.switch_in, [Program::KEEP; 4]);
    assert_eq!(message.sacn_priority, Address::KEEP_PRIORITY);
}

#[rstest]
#[case("address-hold-on-loss", Command::LOSS_HOLD)]
#[case("address-locate", Command::INDICATORS_LOCATE)]
#[case("address-merge-htp-port-1", Command::merge_htp(0))]
#[case("address-merge-ltp-port-2", Command::merge_ltp(1))]
fn a_command_alone_keeps_all_else(#[case] name: &str, #[case] command: Command) {
    let message = Address::parse(&vector(name).0).unwrap();
    assert_eq!(message, Address { command, ..Address::keep_all(1) });
}

#[rstest]
fn a_targeted_poll_names_its_range() {
    let poll = Poll::parse(&vector("poll-targeted").0).unwrap();
    assert!(poll.flags.targeted());
    assert_eq!(poll.target, Some(PollTarget { top: 275, bottom: 272, esta: 0x7ff0, oem: 0x00ff }));
    assert_eq!(poll.to_string(), "ArtPoll for Port-Addresses 272 to 275");
    assert_eq!(Poll::parse(&vector("poll-plain-14-bytes").0).unwrap().flags, PollFlags::REPLY_ON_CHANGE);
}

#[rstest]
fn an_old_short_reply_reads_as_zero_past_its_end() {
    let (bytes, _) = vector("reply-four-outputs");
    let reply = PollReply::parse(&bytes[..207]).unwrap();
    assert_eq!(reply.mac, MacAddress([0x02, 0x4d, 0x42, 0x00, 0x10, 0x01]));
    assert_eq!((reply.bind_index, reply.bind_address), (0, Ipv4Addr::UNSPECIFIED));
    assert_eq!(reply.ports[0].output_b.0, 0);
    assert_eq!((reply.length, reply.tells_status2(), reply.tells_status3()), (207, false, false));
    // The oldest end before the style and the MAC address.
    let reply = PollReply::parse(&bytes[..PollReply::SHORTEST]).unwrap();
    assert_eq!((reply.mac, reply.length), (MacAddress::UNKNOWN, 198));
    assert!(PollReply::parse(&bytes[..PollReply::SHORTEST - 1]).is_err());
}

#[rstest]
fn other_datagrams_are_told_apart() {
    assert_eq!(Message::parse(b"GET / HTTP/1.1"), Err(WireError::Foreign { layer: Layer::ArtNetHeader }));
    assert_eq!(Message::parse(b"Art-Net\0\x00\x97"), Ok(Message::Other(OpCode(0x9700))));
    let (poll, _) = vector("poll-targeted");
    let wrong = IpProg::parse(&poll).unwrap_err();
    assert_eq!(wrong, WireError::OtherMessage { found: OpCode::POLL, wanted: OpCode::IP_PROG });
    assert_eq!(wrong.to_string(), "found ArtPoll where ArtIpProg was expected");
    let mut ancient = poll;
    ancient[11] = 13;
    assert!(matches!(Message::parse(&ancient), Err(WireError::Version { found: 13, oldest: 14, .. })));
}

#[rstest]
fn a_short_message_says_so_in_words() {
    let (bytes, _) = vector("ipprog-ask-only");
    assert_eq!(
        Message::parse(&bytes[..20]).unwrap_err().to_string(),
        "ArtIpProg needs 24 bytes from offset 10, but only 10 are there"
    );
}

/// Where the reference packets have none: the layout of the standard's tables, byte for byte.
#[test]
fn inputs_and_blocks_lie_as_the_standard_has_them() {
    let input = Input { bind_index: 2, port_count: 4, off: [false, true, false, true] };
    assert_eq!(input.to_bytes(), b"Art-Net\0\x00\x70\x00\x0e\x00\x02\x00\x04\x00\x01\x00\x01");
    let data = Box::new([7; FirmwareMaster::DATA]);
    let block = FirmwareMaster { kind: BlockKind::LAST, block: 0x21, words: 0x0001_0203, data };
    let bytes = block.to_bytes();
    assert_eq!(bytes[..20], *b"Art-Net\0\x00\xf2\x00\x0e\x00\x00\x02\x21\x00\x01\x02\x03");
    assert_eq!((&bytes[20..40], bytes[40], bytes.len()), (&[0; 20][..], 7, 1064));
    let reply = FirmwareReply { word: ReplyWord::ALL_GOOD }.to_bytes();
    assert_eq!((&reply[..15], reply.len()), (&b"Art-Net\0\x00\xf3\x00\x0e\x00\x00\x01"[..], 36));
}
