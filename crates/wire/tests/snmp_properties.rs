//! Messages of SNMP and packets of RTP out of any bytes and any values: nothing panics, and what is written is read again.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

use std::net::Ipv4Addr;
use std::sync::LazyLock;

use lantern_wire::rtp::Rtp;
use lantern_wire::snmp::{
    Authentication, Engine, Failed, Incoming, Keys, Kind, Message, Oid, Pdu, Privacy, Signed, Value,
};
use proptest::prelude::*;

const ENGINE: &[u8] = b"\x80\x00\xfa\x00\x03\x02\x4d\x42\x00\x80\x01";

/// Every way of signing and encrypting.
static KEYS: LazyLock<Vec<Keys>> = LazyLock::new(|| {
    let signs = [Authentication::Md5, Authentication::Sha1, Authentication::Sha256];
    let encrypts = [None, Some((Privacy::Des, "drumlin pass")), Some((Privacy::Aes, "drumlin pass"))];
    let pairs = signs.into_iter().flat_map(|sign| encrypts.map(|encrypt| (sign, encrypt)));
    pairs.map(|(sign, encrypt)| Keys::new(sign, "maplesyrup", encrypt, ENGINE).unwrap()).collect()
});

fn oid() -> impl Strategy<Value = Oid> {
    let rest = prop::collection::vec(any::<u32>(), 0..20);
    (0..3_u32, 0..40_u32, rest)
        .prop_map(|(first, second, rest)| Oid::new([vec![first, second], rest].concat()).unwrap())
}

fn value() -> impl Strategy<Value = Value> {
    prop_oneof![
        any::<i32>().prop_map(|number| Value::Integer(number.into())),
        prop::collection::vec(any::<u8>(), 0..300).prop_map(Value::Bytes),
        oid().prop_map(Value::Oid),
        any::<u32>().prop_map(|bits| Value::Address(Ipv4Addr::from_bits(bits))),
        any::<u64>().prop_map(Value::Counter),
        any::<u32>().prop_map(Value::Gauge),
        any::<u32>().prop_map(Value::Ticks),
        Just(Value::Unspecified),
        Just(Value::Missing),
        Just(Value::End),
    ]
}

fn pdu() -> impl Strategy<Value = Pdu> {
    let kind = prop_oneof![
        Just(Kind::Get),
        Just(Kind::GetNext),
        Just(Kind::Set),
        Just(Kind::Response),
        Just(Kind::Report),
        (0..5_u32, 0..100_u32).prop_map(|(once, repeats)| Kind::GetBulk { once, repeats }),
    ];
    let values = prop::collection::vec((oid(), value()), 0..12);
    (kind, any::<i32>(), 0..20_u32, 0..12_u32, values).prop_map(|(kind, id, status, index, values)| {
        let is_answer = matches!(kind, Kind::Response);
        let failed = (is_answer && status > 0).then_some(Failed { status, index });
        Pdu { kind, id, failed, values }
    })
}

proptest! {
    #[test]
    fn any_bytes_are_read_or_refused(bytes in prop::collection::vec(any::<u8>(), 0..600)) {
        if let Ok(Incoming::User(sealed)) = Incoming::parse(&bytes) {
            prop_assert!(!sealed.is_signed || sealed.open(None).is_err());
        }
        if let Ok(packet) = Rtp::parse(&bytes) {
            prop_assert!(packet.payload <= bytes.len());
        }
    }

    #[test]
    fn a_message_of_version_2c_is_read_again(
        pdu in pdu(),
        community in prop::collection::vec(any::<u8>(), 0..40),
        cut in any::<prop::sample::Index>(),
    ) {
        let bytes = Message::Community { community: community.clone(), pdu: pdu.clone() }.to_bytes().unwrap();
        prop_assert_eq!(Incoming::parse(&bytes), Ok(Incoming::Community(community, pdu)));
        prop_assert!(Incoming::parse(&bytes[..cut.index(bytes.len())]).is_err());
    }

    #[test]
    fn a_message_of_version_3_is_opened_by_its_own_keys(
        pdu in pdu(),
        which in 0..9_usize,
        other in 0..9_usize,
        (boots, time, salt) in (0..0x7fff_ffff_u32, 0..0x7fff_ffff_u32, any::<u64>()),
        bend in any::<prop::sample::Index>(),
    ) {
        let keys = &KEYS[which];
        let engine = Engine { id: ENGINE.to_vec(), boots, time };
        let user = b"tech".to_vec();
        let signed = Signed { id: 7, engine, user, keys: Some(keys.clone()), salt, is_reportable: true, pdu: pdu.clone() };
        let bytes = Message::User(signed).to_bytes().unwrap();
        let Ok(Incoming::User(sealed)) = Incoming::parse(&bytes) else { panic!("not read") };
        prop_assert_eq!(sealed.open(Some(keys)), Ok(pdu));
        if which / 3 != other / 3 {
            prop_assert!(sealed.open(Some(&KEYS[other])).is_err());
        }
        let mut bent = bytes.clone();
        bent[bend.index(bytes.len())] ^= 1;
        if let Ok(Incoming::User(bent)) = Incoming::parse(&bent) {
            prop_assert!(!bent.is_signed || bent.open(Some(keys)).is_err());
        }
    }

    #[test]
    fn a_text_becomes_a_value_of_the_same_sort(value in value(), text in "\\PC{0,12}") {
        if let Some(like) = value.like(&text) {
            prop_assert_eq!(std::mem::discriminant(&like), std::mem::discriminant(&value));
            if matches!(like, Value::Bytes(_)) {
                prop_assert_eq!(like.to_string(), text.trim_end_matches('\0'));
            }
        }
    }

    #[test]
    fn a_packet_is_read_again(sequence in any::<u16>(), timestamp in any::<u32>(), source in any::<u32>(), payload in 0..1400_usize) {
        let packet = Rtp { payload_type: 98, sequence, timestamp, source, payload };
        prop_assert_eq!(Rtp::parse(&packet.to_bytes()), Ok(packet));
    }
}
