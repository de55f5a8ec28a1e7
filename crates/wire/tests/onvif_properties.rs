//! XML, searches, answers and challenges out of any bytes: nothing panics, and what is written is read again.

use std::net::Ipv4Addr;

use lantern_wire::Place;
use lantern_wire::http_digest::Challenge;
use lantern_wire::onvif::{self, Discovery, Order, Present, Scope, Topic, WantedInterface};
use lantern_wire::xml::Element;
use proptest::prelude::*;

/// Pieces that make something like XML.
fn scraps() -> impl Strategy<Value = String> {
    let pieces = [
        "<",
        ">",
        "</",
        "/>",
        "a",
        "Envelope",
        "Body",
        "Fault",
        "<a>",
        "</a>",
        "<Envelope><Body>",
        "</Body></Envelope>",
        "&",
        ";",
        "&amp;",
        "&#x0;",
        "&#38;",
        "<![CDATA[",
        "]]>",
        "<!--",
        "-->",
        "<!DOCTYPE a",
        "xmlns:a=\"b\"",
        "\u{0}",
        " ",
        "\"",
        "é",
        "ProbeMatches",
        "<NetworkInterfaces token='x'>",
        "onvif://www.onvif.org/name/%",
        "http://1.2.3.4:5/x",
    ];
    prop::collection::vec(prop::sample::select(pieces.to_vec()), 0..60).prop_map(|pieces| pieces.concat())
}

proptest! {
    #[test]
    fn any_bytes_are_read_without_a_panic(bytes in prop::collection::vec(any::<u8>(), 0..300), text in scraps()) {
        for bytes in [&bytes[..], text.as_bytes()] {
            let _ = Element::parse(bytes);
            if let Ok(answer) = onvif::read(bytes) {
                let _ = (onvif::clock(&answer), onvif::made(&answer), onvif::interfaces(&answer));
                let _ = (onvif::gateway(&answer), onvif::host_name(&answer), onvif::scopes(&answer));
            }
            if let Ok(Discovery::Present(all)) = Discovery::parse(bytes) {
                all.iter().for_each(|one| { let _ = one.service(Ipv4Addr::LOCALHOST); });
            }
        }
        let _ = (Challenge::parse(&text), Place::parse(&text));
    }

    /// Whatever a person types stands in the order as text, and in no other place.
    #[test]
    fn what_is_typed_is_read_as_it_was_meant(name in "[^\\p{Cc}\\p{Cn}\u{fffe}\u{ffff}]{0,40}", token in "\\PC{0,20}") {
        let name = name.trim().to_owned();
        let body = Order::SetHostName(name.clone()).to_envelope(None);
        let said = onvif::read(&body).unwrap();
        prop_assert_eq!((said.name.as_str(), said.inside.len()), ("SetHostname", 1));
        prop_assert_eq!(said.text_at(&["Name"]), Some(name.as_str()));
        let scope = Scope::about(Topic::Name, &name);
        prop_assert_eq!(scope.says(Topic::Name), Some(name));
        let wanted = WantedInterface { token: token.trim().to_owned(), fixed: Some((Ipv4Addr::new(10, 40, 7, 1), 16)) };
        let body = Order::SetInterface(wanted.clone()).to_envelope(None);
        let said = onvif::read(&body).unwrap();
        prop_assert_eq!(said.text_at(&["InterfaceToken"]), Some(wanted.token.as_str()));
        prop_assert_eq!(said.text_at(&["NetworkInterface", "IPv4", "Manual", "PrefixLength"]), Some("16"));
    }
}

#[test]
fn one_that_tells_nothing_is_still_somewhere() {
    let place = Present::default().service(Ipv4Addr::new(10, 40, 7, 1));
    assert_eq!((place.at.to_string().as_str(), place.path.as_str()), ("10.40.7.1:80", onvif::DEVICE_SERVICE));
}
