use proptest::prelude::*;
use rstest::rstest;

use super::*;

const SELF: &str = r#"{"id":"a8d1d2a0-0001-4000-8000-024d42006001","version":"1:0","label":"Hall stage box","description":"","tags":{},
  "href":"http://10.60.1.1:8080/","hostname":"hall-stagebox","caps":{},"services":[],
  "clocks":[{"name":"clk0","ref_type":"ptp","traceable":false,"version":"IEEE1588-2008","gmid":"02-4d-42-ff-fe-00-60-01","locked":true}],
  "interfaces":[{"name":"eth0","chassis_id":null,"port_id":"02-4d-42-00-60-01"},{"name":"eth1","chassis_id":null,"port_id":"bad"}],
  "api":{"versions":["v1.2","v1.3","next"],"endpoints":[{"host":"10.60.1.1","port":8080,"protocol":"http"},{"host":"10.60.1.1","port":8443,"protocol":"https"},
  {"host":"hall.local","port":80,"protocol":"http"},{"host":"10.60.1.1","port":99999,"protocol":"http"}]}}"#;

#[test]
fn a_node_is_read() {
    let node = Node::parse(SELF.as_bytes()).unwrap();
    assert_eq!((node.label.as_str(), node.host_name.as_str()), ("Hall stage box", "hall-stagebox"));
    assert_eq!(node.macs, ["02:4d:42:00:60:01".parse().unwrap()]);
    assert_eq!(node.endpoints, [("10.60.1.1".parse().unwrap(), 8080)], "what cannot be asked is left out");
    assert_eq!(node.versions, [Version { major: 1, minor: 2 }, Version { major: 1, minor: 3 }]);
    assert_eq!(node.clocks, ["02-4d-42-ff-fe-00-60-01"]);
    assert_eq!(Node::list(format!("[{SELF}, 7, {{}}]").as_bytes()).unwrap(), [node]);
}

#[rstest]
#[case::newest(&["v1.0", "v1.3", "v1.2"], Some("v1.3"))]
#[case::older(&["v1.0", "v1.1"], Some("v1.1"))]
#[case::newer_too(&["v1.1", "v1.9"], Some("v1.1"))]
#[case::newer_only(&["v1.4", "v1.9"], Some("v1.4"))]
#[case::other(&["v2.0"], None)]
#[case::none(&[], None)]
fn the_best_of_several_versions_is_spoken(#[case] offered: &[&str], #[case] best: Option<&str>) {
    let offered: Vec<Version> = offered.iter().map(|text| text.parse().unwrap()).collect();
    assert_eq!(Api::Node.best(&offered).map(|version| version.to_string()).as_deref(), best);
}

#[test]
fn versions_are_listed() {
    let listed = Version::list(br#"["v1.0/", "v1.3/", "x", 7]"#).unwrap();
    assert_eq!(listed, [Version { major: 1, minor: 0 }, Version { major: 1, minor: 3 }]);
    assert_eq!(Version::of_text("v1.0, v1.3,2"), listed);
    assert_eq!(Version::list(b"{}"), Err(Trouble::Foreign));
}

#[test]
fn a_device_says_where_it_is_told_things() {
    let devices = br#"[{"id":"d1","label":"Box","node_id":"n","controls":[
        {"type":"urn:x-nmos:control:sr-ctrl/v1.0","href":"http://10.60.1.1:8080/x-nmos/connection/v1.0/"},
        {"type":"urn:x-nmos:control:sr-ctrl/v1.1","href":"http://10.60.1.1:8080/x-nmos/connection/v1.1/"},
        {"type":"urn:x-nmos:control:cm-ctrl/v1.0","href":"http://10.60.1.1:8080/x-nmos/channelmapping/v1.0/"},
        {"type":7}]}]"#;
    let device = Device::list(devices).unwrap().remove(0);
    let (version, href) = device.control(Api::Connection).unwrap();
    assert_eq!((version.minor, href), (1, "http://10.60.1.1:8080/x-nmos/connection/v1.1/"));
    assert!(device.control(Api::ChannelMapping).is_some_and(|(_, href)| href.ends_with("channelmapping/v1.0/")));
    assert_eq!(device.control(Api::Node), None);
}

#[test]
fn what_is_sent_and_received_is_read() {
    let senders = br#"[{"id":"s1","label":"Mix","device_id":"d1","flow_id":"f1","transport":"urn:x-nmos:transport:rtp.mcast",
        "subscription":{"receiver_id":null,"active":true}},{"id":"../s2","device_id":"d1"}]"#;
    let senders = Sender::list(senders).unwrap();
    assert_eq!(senders.len(), 1, "what could lead elsewhere in a path is no identifier");
    assert_eq!((senders[0].active, senders[0].flow.as_ref().map(Id::as_str)), (Some(true), Some("f1")));
    let receivers = br#"[{"id":"r1","label":"In A","device_id":"d1","format":"urn:x-nmos:format:audio","transport":"x",
        "subscription":{"sender_id":"s1","active":false}},{"id":"r2","device_id":"d1","format":"urn:x-nmos:format:other"}]"#;
    let receivers = Receiver::list(receivers).unwrap();
    assert_eq!((receivers[0].format, receivers[0].active), (Some(Format::Audio), Some(false)));
    assert_eq!(receivers[0].sender.as_ref().map(Id::as_str), Some("s1"));
    assert_eq!((receivers[1].format, receivers[1].active, &receivers[1].sender), (None, None, &None));
    let flows = br#"[{"id":"f1","source_id":"q1","format":"urn:x-nmos:format:audio","bit_depth":24,"sample_rate":{"numerator":48000}},
        {"id":"f2","sample_rate":{"numerator":48000,"denominator":0}}]"#;
    let flows = Flow::list(flows).unwrap();
    assert_eq!((flows[0].bits, flows[0].samples, flows[1].samples), (Some(24), Some(48_000), None));
    let sources =
        Source::list(br#"[{"id":"q1","channels":[{"label":"Left","symbol":"L"},{"symbol":"R"}]}]"#).unwrap();
    assert_eq!(sources[0].channels, ["Left", ""]);
}

#[test]
fn a_connection_is_read() {
    let active = br#"{"master_enable":true,"sender_id":"s1","activation":{"mode":null},"transport_file":{"data":null,"type":null},
        "transport_params":[{"multicast_ip":"239.69.10.1","destination_port":5004,"interface_ip":"10.60.1.2","rtp_enabled":true},
        {"multicast_ip":null,"destination_port":"auto","rtp_enabled":false}]}"#;
    let active = Connection::parse(active).unwrap();
    assert_eq!((active.enabled, active.legs.len()), (Some(true), 2));
    assert_eq!(active.legs[0].to(), Some(("239.69.10.1".parse().unwrap(), 5004)));
    assert_eq!((active.legs[1].to(), active.legs[1].enabled), (None, Some(false)));
    let sends =
        br#"{"master_enable":true,"transport_params":[{"destination_ip":"239.69.10.2","destination_port":5006}]}"#;
    assert_eq!(Connection::parse(sends).unwrap().legs[0].to(), Some(("239.69.10.2".parse().unwrap(), 5006)));
    assert_eq!(Connection::parse(b"{}"), Err(Trouble::Foreign));
}

#[test]
fn an_order_says_what_is_to_change_and_nothing_else() {
    let leg = LegOrder { to: Some(Some(("239.69.10.1".parse().unwrap(), 5004))), enabled: None };
    let order = Order {
        receives: true,
        enabled: Some(true),
        sender: Some("s1".parse().ok()),
        legs: vec![leg, LegOrder::default()],
        file: None,
    };
    let text = String::from_utf8(order.to_json()).unwrap();
    assert_eq!(
        text,
        r#"{"activation":{"mode":"activate_immediate"},"master_enable":true,"sender_id":"s1","transport_params":[{"destination_port":5004,"multicast_ip":"239.69.10.1"},{}]}"#
    );
    let sends = Order { legs: vec![leg], ..Order::default() };
    assert!(String::from_utf8(sends.to_json()).unwrap().contains(r#""destination_ip":"239.69.10.1""#));
    let nobody =
        Order { receives: true, sender: Some(None), file: Some("v=0\r\n".to_owned()), ..Order::default() };
    assert_eq!(
        String::from_utf8(nobody.to_json()).unwrap(),
        r#"{"activation":{"mode":"activate_immediate"},"sender_id":null,"transport_file":{"data":"v=0\r\n","type":"application/sdp"}}"#
    );
    assert_eq!([200, 202, 423].map(Order::taken), [Some(Taken::Now), Some(Taken::Later), None]);
}

#[test]
fn a_channel_map_is_read_and_told() {
    let io = br#"{"inputs":{"in1":{"parent":{},"properties":{"name":"Stage"},"channels":[{"label":"Mic 1"},{"label":"Mic 2"}],"caps":{}}},
        "outputs":{"out1":{"properties":{"name":"PA"},"source_id":"q","channels":[{"label":"L"}],"caps":{}},"a/b":{"channels":[]}}}"#;
    let io = Io::parse(io).unwrap();
    assert_eq!((io.inputs[0].name.as_str(), io.inputs[0].channels.len(), io.outputs.len()), ("Stage", 2, 1));
    let active = br#"{"activation":{},"map":{"out1":{"0":{"input":"in1","channel_index":1},"1":{"input":null,"channel_index":null},"x":7}}}"#;
    let active = Io::active(active).unwrap();
    let (output, channels) = active.first_key_value().unwrap();
    let from = Routed { input: "in1".parse().unwrap(), channel: 1 };
    assert_eq!(channels.iter().collect::<Vec<_>>(), [(&0, &Some(from)), (&1, &None)]);
    assert_eq!(
        String::from_utf8(map_order(output, channels)).unwrap(),
        r#"{"action":{"out1":{"0":{"channel_index":1,"input":"in1"},"1":{"channel_index":null,"input":null}}},"activation":{"mode":"activate_immediate"}}"#
    );
}

#[rstest]
#[case(r#"<http://10.0.0.1/x-nmos/query/v1.3/nodes?paging.until=1:0&paging.limit=10>; rel="prev", <http://x/?a=b>; rel="next""#, Some("paging.until=1:0&paging.limit=10"))]
#[case(r#"<http://elsewhere/y?z=1>; rel="next""#, None)]
#[case(r#"</nodes?a b>; rel="prev""#, None)]
#[case(r#"<http://x/nodes>; rel="prev""#, None)]
#[case("", None)]
fn the_older_page_is_asked_for(#[case] link: &str, #[case] question: Option<&str>) {
    assert_eq!(older(link).as_deref(), question);
}

#[rstest]
#[case(r#"{"code":423,"error":"Locked by an activation","debug":null}"#, "Locked by an activation")]
#[case(r#"{"code":500,"error":"","debug":"stack"}"#, "stack")]
#[case("<html>", "")]
fn a_fault_says_why(#[case] body: &str, #[case] says: &str) {
    assert_eq!(Fault::read(body.as_bytes()).says, says);
}

proptest! {
    /// Whatever is said is read or turned away.
    #[test]
    fn nothing_that_is_said_breaks_the_reading(body in proptest::collection::vec(any::<u8>(), 0..400), text in ".{0,200}") {
        let deep = "[".repeat(5000);
        for body in [&body[..], text.as_bytes(), deep.as_bytes()] {
            let _ = (Node::parse(body), Node::list(body), Device::list(body), Sender::list(body), Receiver::list(body));
            let _ = (Flow::list(body), Source::list(body), Connection::parse(body), Io::parse(body), Io::active(body));
            let _ = (Version::list(body), Fault::read(body));
        }
        let _ = older(&text);
    }
}
