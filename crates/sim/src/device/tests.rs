//! What each role says, and when.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

use lantern_wire::dhcp::{Dhcp, DhcpKind};
use lantern_wire::dns_sd::{DnsSd, EVERY_TYPE, Fact, Question};
use lantern_wire::sap::Sap;
use lantern_wire::sdp::Session;
use lantern_wire::{Igmp, Lldp, MacAddress, Packet, sacn};
use rstest::rstest;

use super::*;
use crate::{Destination, Scene};

const ASKER: SocketAddrV4 = SocketAddrV4::new(Ipv4Addr::new(10, 60, 0, 7), 5353);

fn device(extra: &str) -> SimDevice {
    let text = format!(
        "network = \"10.60.0.0\"\n[[device]]\nname = \"hall-stagebox\"\nmac = \"02:4f:4c:00:00:01\"\n\
         address = \"10.60.1.20\"\n{extra}"
    );
    Scene::parse(&text).unwrap().devices().remove(0)
}

/// Lets it work until then; gives what it said.
fn run(device: &mut SimDevice, until: u64) -> Vec<Utterance> {
    let mut said = Vec::new();
    for now in (0..=until).map(Duration::from_millis) {
        if device.wake_at().is_some_and(|at| at <= now) {
            device.wake(now);
        }
        said.extend(std::iter::from_fn(|| device.next_utterance()));
    }
    said
}

fn speeches(said: Vec<Utterance>) -> Vec<Speech> {
    let speech = |one| match one {
        Utterance::Speech(speech) => Some(speech),
        Utterance::Frame(_) => None,
    };
    said.into_iter().filter_map(speech).collect()
}

#[test]
fn a_source_sends_levels_to_each_group_and_tells_its_universes() {
    let mut desk = device("sacn = { name = \"Quay desk\", universes = [1, 273], priority = 120 }");
    let said = speeches(run(&mut desk, 950));
    let groups: Vec<Destination> = said.iter().take(3).map(|speech| speech.to).collect();
    let to = |universe| Destination::Group(SocketAddrV4::new(sacn::group(universe), sacn::PORT));
    assert_eq!(groups, [to(1), to(273), to(sacn::DISCOVERY_UNIVERSE)]);
    let messages: Vec<sacn::Message<'_>> = said.iter().map(|s| sacn::Message::parse(&s.bytes).unwrap()).collect();
    let levels =
        messages.iter().filter(|m| matches!(m, sacn::Message::Data(data) if data.priority == 120)).count();
    let told =
        messages.iter().filter(|m| matches!(m, sacn::Message::Discovery(d) if d.universes == [1, 273])).count();
    assert_eq!((levels, told), (20, 2));
}

#[rstest]
#[case(true, Destination::One(ASKER))]
#[case(false, Destination::Group(SocketAddrV4::new(lantern_wire::dns_sd::GROUP, 5353)))]
fn services_are_told_when_asked_for(#[case] to_asker: bool, #[case] to: Destination) {
    let mut stagebox = device("services = [{ name = \"Hall mixer\", kind = \"_http._tcp\", port = 80 }]");
    assert_eq!(run(&mut stagebox, 100), []);
    let questions =
        [EVERY_TYPE, "_http._tcp.local.", "_ssh._tcp.local."].map(|name| Question::pointer(name, to_asker));
    stagebox.hear(Duration::ZERO, 5353, ASKER, &DnsSd::asking(questions.to_vec()).to_bytes());
    let said = speeches(run(&mut stagebox, 100));
    assert_eq!((said.len(), said[0].to, said[0].port), (1, to, 5353));
    let facts: Vec<Fact> = DnsSd::parse(&said[0].bytes).unwrap().answers.into_iter().map(|a| a.fact).collect();
    assert_eq!(facts[0], Fact::Pointer("_http._tcp.local.".to_owned()));
    assert!(facts.contains(&Fact::Service { host: "hall-stagebox.local.".to_owned(), port: 80 }));
    assert!(facts.contains(&Fact::Address(Ipv4Addr::new(10, 60, 1, 20))));
}

#[test]
fn streams_are_announced_again_and_again() {
    let stream =
        "{ name = \"mix\", kind = \"audio\", group = \"239.69.10.1\", port = 5004, format = \"L24/48000/8\" }";
    let said = speeches(run(&mut device(&format!("streams = [{stream}]\nevery_ms = 400")), 900));
    assert_eq!(said.len(), 3);
    let session = Session::parse(Sap::parse(&said[0].bytes).unwrap().payload).unwrap();
    assert_eq!((session.name.as_str(), session.media[0].channels), ("mix", Some(8)));
}

#[test]
fn a_dhcp_server_offers_and_does_nothing_else() {
    let mut server = device("dhcp_offers = \"10.60.9.9\"");
    for kind in [DhcpKind::REQUEST, DhcpKind::DISCOVER] {
        let asks = Dhcp::from_client(kind, 7, MacAddress([2; 6]));
        server.hear(Duration::ZERO, 67, ASKER, &asks.to_bytes());
    }
    let said = speeches(run(&mut server, 10));
    let offer = Dhcp::parse(&said[0].bytes).unwrap();
    assert_eq!(
        (said.len(), offer.kind, offer.yours, offer.transaction),
        (1, DhcpKind::OFFER, Ipv4Addr::new(10, 60, 9, 9), 7)
    );
}

#[test]
fn a_switch_tells_its_port_and_asks_for_groups_by_frames() {
    let said = run(&mut device("switch_port = \"7\"\nigmp_querier = true"), 100);
    let [Utterance::Frame(lldp), Utterance::Frame(query)] = &said[..] else { panic!("{said:?}") };
    assert_eq!(Lldp::parse(lldp).unwrap().port, "7");
    let carries = Packet::parse(query).unwrap().carries;
    let message = Igmp::Query { group: None, version: 2 };
    assert_eq!(carries, lantern_wire::Carries::Igmp { from: Ipv4Addr::new(10, 60, 1, 20), message });
}

#[test]
fn one_that_wants_groups_says_so() {
    let said = run(&mut device("groups = [\"239.69.0.1\", \"239.69.0.2\"]"), 100);
    let [Utterance::Frame(report)] = &said[..] else { panic!("{said:?}") };
    let wants = vec![Ipv4Addr::new(239, 69, 0, 1), Ipv4Addr::new(239, 69, 0, 2)];
    let message = Igmp::Membership { wants, leaves: Vec::new() };
    let carries = Packet::parse(report).unwrap().carries;
    assert_eq!(carries, lantern_wire::Carries::Igmp { from: Ipv4Addr::new(10, 60, 1, 20), message });
}

#[test]
fn one_that_arrives_later_is_deaf_and_silent_before() {
    let mut late = device("arrives_ms = 500\nswitch_port = \"7\"");
    assert_eq!(run(&mut late, 499), []);
    assert!(!late.is_listening());
    assert_eq!(run(&mut late, 600).len(), 1);
    late.switch(false);
    assert_eq!((late.wake_at(), late.is_listening()), (None, false));
}

/// What a web server of a device answers to one request: its code, and what follows the head.
fn asked(device: &mut SimDevice, request: &str) -> (u16, String) {
    let port = device.link_ports().next().unwrap();
    device.opened(Duration::ZERO, port, 7);
    device.heard_on(Duration::ZERO, 7, request.as_bytes());
    let mut answer = Vec::new();
    while let Some((_, said)) = device.next_linked() {
        if let Linked::Bytes(bytes) = said {
            answer.extend(bytes);
        }
    }
    let text = String::from_utf8(answer).unwrap();
    let (head, body) = text.split_once("\r\n\r\n").unwrap();
    (head.split(' ').nth(1).unwrap().parse().unwrap(), body.to_owned())
}

fn got(device: &mut SimDevice, path: &str) -> (u16, serde_json::Value) {
    let (code, body) = asked(device, &format!("GET {path} HTTP/1.1\r\nHost: x\r\n\r\n"));
    (code, serde_json::from_str(&body).unwrap())
}

fn told(device: &mut SimDevice, method: &str, path: &str, body: &str) -> u16 {
    asked(device, &format!("{method} {path} HTTP/1.1\r\nContent-Length: {}\r\n\r\n{body}", body.len())).0
}

const PATCHED: &str = "nmos = { label = \"Box\", senders = [{ label = \"Mix\", to = [\"239.1.1.1:5004\"], channels = [\"L\", \"R\"], enabled = true }], \
    receivers = [{ label = \"In\", legs = 2 }], inputs = [{ id = \"in1\", label = \"Stream\", channels = [\"L\", \"R\"] }], \
    outputs = [{ id = \"out1\", label = \"PA\", channels = [\"1\", \"2\"] }]";

/// A node of NMOS tells what it has where the standard says, and of a version that it does not speak nothing.
#[test]
fn a_node_tells_what_it_sends_receives_and_maps() {
    let mut one = device(&format!("{PATCHED} }}"));
    assert_eq!(got(&mut one, "/x-nmos/node/").1, serde_json::json!(["v1.2/", "v1.3/"]));
    let (_, own) = got(&mut one, "/x-nmos/node/v1.3/self");
    assert_eq!(
        (own["label"].as_str(), own["interfaces"][0]["port_id"].as_str()),
        (Some("Box"), Some("02-4f-4c-00-00-01"))
    );
    let (_, devices) = got(&mut one, "/x-nmos/node/v1.2/devices");
    assert_eq!(devices[0]["controls"].as_array().map(Vec::len), Some(3));
    assert_eq!(got(&mut one, "/x-nmos/node/v1.0/self").0, 404);
    let (_, senders) = got(&mut one, "/x-nmos/node/v1.3/senders");
    let id = senders[0]["id"].as_str().unwrap().to_owned();
    assert_eq!(got(&mut one, &format!("/x-nmos/node/v1.3/senders/{id}")).1, senders[0]);
    let file = asked(
        &mut one,
        &format!("GET /x-nmos/connection/v1.1/single/senders/{id}/transportfile HTTP/1.1\r\n\r\n"),
    )
    .1;
    let session = Session::parse(file.as_bytes()).unwrap();
    assert_eq!((session.media.len(), session.media[0].port, session.media[0].channels), (1, 5004, Some(2)));
}

/// It takes what the standard has a word for, and nothing else; what it was told is active at once.
#[rstest]
#[case::whole(
    "{\"sender_id\":\"x\",\"master_enable\":true,\"activation\":{\"mode\":\"activate_immediate\"},\"transport_params\":[{\"multicast_ip\":\"239.2.2.2\",\"destination_port\":5006},{}]}",
    200,
    true
)]
#[case::staged("{\"master_enable\":true}", 200, false)]
#[case::too_few_legs("{\"transport_params\":[{}]}", 400, false)]
#[case::no_such_key("{\"colour\":1}", 400, false)]
#[case::no_address("{\"transport_params\":[{\"multicast_ip\":\"here\"},{}]}", 400, false)]
#[case::no_mode("{\"activation\":{\"mode\":\"soon\"}}", 400, false)]
#[case::no_json("{", 400, false)]
#[case::by_file(
    "{\"master_enable\":true,\"activation\":{\"mode\":\"activate_immediate\"},\"transport_file\":{\"type\":\"application/sdp\",\"data\":\"v=0\\r\\nm=audio 5006 RTP/AVP 97\\r\\nc=IN IP4 239.2.2.2/32\\r\\n\"}}",
    200,
    true
)]
fn a_receiver_takes_what_the_standard_says(#[case] body: &str, #[case] code: u16, #[case] takes: bool) {
    let mut one = device(&format!("{PATCHED} }}"));
    let (_, receivers) = got(&mut one, "/x-nmos/node/v1.3/receivers");
    let path = format!("/x-nmos/connection/v1.1/single/receivers/{}", receivers[0]["id"].as_str().unwrap());
    assert_eq!(told(&mut one, "PATCH", &format!("{path}/staged"), body), code);
    let (_, active) = got(&mut one, &format!("{path}/active"));
    assert_eq!(active["master_enable"].as_bool(), Some(takes));
    let group = active["transport_params"][0]["multicast_ip"].as_str();
    assert_eq!(
        (group, active["transport_params"].as_array().map(Vec::len)),
        (takes.then_some("239.2.2.2"), Some(2))
    );
    let truth = one.patches();
    assert_eq!((truth[1].enabled, truth[1].legs[0].is_some()), (takes, takes));
}

/// A map takes channels that there are, all of an order or nothing.
#[rstest]
#[case("\"0\":{\"input\":\"in1\",\"channel_index\":1}", 200, Some(1))]
#[case("\"0\":{\"input\":null,\"channel_index\":null}", 200, None)]
#[case("\"0\":{\"input\":\"in1\",\"channel_index\":2}", 400, None)]
#[case("\"0\":{\"input\":\"in1\",\"channel_index\":0},\"9\":{\"input\":\"in1\",\"channel_index\":0}", 400, None)]
#[case("\"0\":{\"input\":\"in1\"}", 400, None)]
fn a_map_takes_channels_that_there_are(#[case] channels: &str, #[case] code: u16, #[case] from: Option<usize>) {
    let mut one = device(&format!("{PATCHED} }}"));
    let body =
        format!("{{\"activation\":{{\"mode\":\"activate_immediate\"}},\"action\":{{\"out1\":{{{channels}}}}}}}");
    assert_eq!(told(&mut one, "POST", "/x-nmos/channelmapping/v1.0/map/activations", &body), code);
    assert_eq!(one.patches()[2].channels[0], from.map(|channel| ("in1".to_owned(), channel)));
}
