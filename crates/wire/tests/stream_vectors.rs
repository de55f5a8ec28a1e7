//! The reference packets of E1.31 and SAP, read and written again byte for byte, and what each of them says.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

mod support;

use std::net::Ipv4Addr;

use lantern_wire::sacn::{Cid, Data, Discovery, Message};
use lantern_wire::sap::Sap;
use lantern_wire::sdp::Session;
use lantern_wire::{Layer, WireError, sacn, sap};
use rstest::rstest;

use support::vector;

const CID: Cid =
    Cid([0x7f, 0x0a, 0x1b, 0x2c, 0x3d, 0x4e, 0x4f, 0x50, 0x61, 0x72, 0x83, 0x94, 0xa5, 0xb6, 0xc7, 0xd8]);

fn data(bytes: &[u8]) -> Data<'_> {
    match Message::parse(bytes).unwrap() {
        Message::Data(data) => data,
        other => panic!("{other:?}"),
    }
}

fn discovery(bytes: &[u8]) -> Discovery {
    match Message::parse(bytes).unwrap() {
        Message::Discovery(discovery) => discovery,
        other => panic!("{other:?}"),
    }
}

#[rstest]
#[case("data-preview")]
#[case("data-universe-1-full")]
#[case("data-universe-273-ends")]
#[case("discovery-one-page")]
#[case("discovery-page-2-of-2")]
fn every_sacn_vector_survives_both_ways_and_no_truncation_is_taken_for_whole(#[case] name: &str) {
    let (bytes, _) = vector("e1.31", name);
    let written = match Message::parse(&bytes).unwrap() {
        Message::Data(data) => data.to_bytes(),
        Message::Discovery(discovery) => discovery.to_bytes(),
        Message::Other { .. } => panic!("not understood"),
    };
    assert_eq!(written, bytes);
    for cut in 0..bytes.len() {
        let short = Message::parse(&bytes[..cut]);
        assert!(matches!(short, Err(WireError::Short { available, .. }) if available <= cut), "{cut}: {short:?}");
    }
}

#[test]
fn levels_say_from_whom_for_what_and_how_strongly() {
    let (bytes, facts) = vector("e1.31", "data-universe-1-full");
    let full = data(&bytes);
    assert_eq!((full.cid, full.source.to_lossy()), (CID, facts["source"].as_str().unwrap().to_owned()));
    assert_eq!((full.universe, full.priority, full.sequence, full.slots.len()), (1, 100, 17, 512));
    assert_eq!((full.start_code, full.options.preview(), full.options.ended()), (0, false, false));
    assert_eq!(CID.to_string(), "7f0a1b2c-3d4e-4f50-6172-8394a5b6c7d8");

    let (bytes, _) = vector("e1.31", "data-preview");
    let preview = data(&bytes);
    assert_eq!((preview.universe, preview.sync, preview.priority), (63_999, 7, 0));
    assert!(preview.options.preview() && preview.slots == [1, 2, 3]);

    let (bytes, _) = vector("e1.31", "data-universe-273-ends");
    let ends = data(&bytes);
    assert!(ends.options.ended() && !ends.options.preview());
    assert_eq!((ends.universe, ends.priority, ends.slots.len()), (273, 200, 24));
    assert_eq!(sacn::group(273), Ipv4Addr::new(239, 255, 1, 17));
}

#[test]
fn discovery_lists_universes_page_by_page() {
    let (bytes, facts) = vector("e1.31", "discovery-one-page");
    let one = discovery(&bytes);
    assert_eq!((one.page, one.last_page, one.universes), (0, 0, vec![1, 2, 3, 273, 63_999]));
    assert_eq!(Some(one.source.to_lossy().as_str()), facts["source"].as_str());
    let (bytes, _) = vector("e1.31", "discovery-page-2-of-2");
    let second = discovery(&bytes);
    assert_eq!((second.page, second.last_page, second.universes.len()), (1, 1, 100));
    assert_eq!((second.universes[0], second.universes[99]), (600, 699));
    assert_eq!(sacn::group(sacn::DISCOVERY_UNIVERSE), Ipv4Addr::new(239, 255, 250, 214));
}

#[rstest]
#[case(4, Layer::SacnRoot, "another protocol")]
#[case(43, Layer::SacnData, "another vector of framing")]
#[case(117, Layer::SacnData, "another vector of DMP")]
#[case(118, Layer::SacnData, "another address type")]
fn what_is_not_understood_is_foreign(#[case] at: usize, #[case] layer: Layer, #[case] why: &str) {
    let (mut bytes, _) = vector("e1.31", "data-preview");
    bytes[at] ^= 0x55;
    assert_eq!(Message::parse(&bytes), Err(WireError::Foreign { layer }), "{why}");
}

#[test]
fn another_root_vector_is_another_message() {
    let (mut bytes, _) = vector("e1.31", "data-preview");
    bytes[21] = 9;
    assert_eq!(Message::parse(&bytes), Ok(Message::Other { cid: CID }));
}

#[test]
fn an_announcement_tells_the_stream() {
    let (bytes, facts) = vector("sap", "announce-audio-8-channels");
    let said = Sap::parse(&bytes).unwrap();
    assert_eq!((said.delete, said.hash, said.payload_type), (false, 14_929, sap::SDP));
    assert_eq!(said.origin, Ipv4Addr::new(10, 60, 1, 20));
    assert_eq!(said.to_bytes(), bytes);
    let session = Session::parse(said.payload).unwrap();
    assert_eq!(Some(session.name.as_str()), facts["session"].as_str());
    assert_eq!(session.origin.map(|origin| (origin.session, origin.version)), Some((4112, 7)));
    let [stream] = &session.media[..] else { panic!("{session:?}") };
    assert_eq!(
        (stream.kind.as_str(), stream.port, stream.group),
        ("audio", 5004, Some(Ipv4Addr::new(239, 69, 10, 1)))
    );
    assert_eq!((stream.encoding.as_deref(), stream.rate, stream.channels), (Some("L24"), Some(48_000), Some(8)));
    assert_eq!(stream.clock.as_deref(), Some("ptp=IEEE1588-2008:02-4D-42-FF-FE-00-60-01:0"));
}

#[test]
fn a_deletion_says_whose_session_is_over() {
    let (bytes, _) = vector("sap", "delete");
    let said = Sap::parse(&bytes).unwrap();
    assert!(said.delete);
    assert_eq!((said.origin, said.to_bytes()), (Ipv4Addr::new(10, 60, 1, 20), bytes.clone()));
    let origin = Session::parse(said.payload).unwrap().origin;
    assert_eq!(origin.map(|origin| origin.session), Some(4112));
    for cut in 0..8 {
        assert!(Sap::parse(&bytes[..cut]).is_err());
    }
}
