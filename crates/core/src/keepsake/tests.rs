//! What is kept comes back whole, and what is no keepsake is told.

use lantern_wire::Text;
use lantern_wire::art_net::{IpProgReply, PollReply, PortBlock, PortType, Status2, Status3};
use rstest::rstest;

use super::Keepsake;
use crate::MacAddress;
use crate::census::{Census, Sighting, Subject, Told};
use crate::facts::{Field, PortField, Value};

fn subject() -> Subject {
    let mut ports = [PortBlock::default(); 4];
    (ports[0].kind, ports[0].switch_out) = (PortType::DMX_OUT, 3);
    (ports[1].kind, ports[1].switch_in) = (PortType::DMX_IN, 4);
    let reply = PollReply {
        mac: MacAddress([2, 0x4d, 0x42, 0, 0x10, 1]),
        address: [10, 40, 1, 100].into(),
        short_name: Text::cut("quay-north"),
        long_name: Text::cut("Quay \"north\" mast"),
        port_count: 2,
        ports,
        bind_index: 1,
        sacn_priority: 120,
        status2: Status2(0x9d),
        status3: Status3(0x28),
        ..PollReply::default()
    };
    let mut census = Census::default();
    let at = std::time::Duration::from_millis(5);
    let from = reply.address;
    census.take(&Sighting::plain(at, from, Told::PollReply(Box::new(reply))));
    let settings = IpProgReply {
        address: from,
        mask: [255, 255, 0, 0].into(),
        port: 6454,
        status: 0,
        gateway: [10, 40, 0, 2].into(),
    };
    census.take(&Sighting::plain(at, from, Told::IpSettings(settings)));
    Subject::of_node(&census.nodes()[0])
}

#[test]
fn what_is_kept_comes_back_whole() {
    let subject = subject();
    let kept = Keepsake::of(&subject, "2026-11-04T18:00:00Z");
    let text = kept.to_text().unwrap();
    assert_eq!(Keepsake::read(&text).unwrap(), kept, "{text}");
    assert_eq!(kept.differences(&subject), []);
    for line in ["name = \"quay-north\"", "dhcp = false", "mask = \"255.255.0.0\"", "sacn_priority = 120"] {
        assert!(text.contains(line), "{line} is not in\n{text}");
    }
    let port = text.split("[[port]]").nth(2).unwrap();
    for line in ["port = 2", "direction = \"in\"", "universe = \"0:0:4\"", "input = true"] {
        assert!(port.contains(line), "{line} is not in\n{port}");
    }
    let kept = kept.settings;
    assert!(kept.contains(&(Field::Port(1, PortField::Rdm), Value::Flag(true))));
}

#[test]
fn what_was_changed_by_hand_is_a_difference() {
    let subject = subject();
    let text = Keepsake::of(&subject, "2026-11-04T18:00:00Z").to_text().unwrap();
    let text = text.replace("universe = \"0:0:3\"", "universe = \"0:0:9\"").replace("10.40.0.2", "10.40.0.3");
    let differences = Keepsake::read(&text).unwrap().differences(&subject);
    let told: Vec<String> = differences.iter().map(ToString::to_string).collect();
    assert_eq!(told, ["gateway is 10.40.0.2, planned 10.40.0.3", "port 1 universe is 0:0:3, planned 0:0:9"]);
}

#[rstest]
#[case::no_toml("format = ", "it is no keepsake")]
#[case::later("format = 2", "a later version of this program (format 2)")]
#[case::setting("color = \"red\"", "there is no setting \"color\"")]
#[case::only_told("firmware = \"1.4\"", "there is no setting \"firmware\"")]
#[case::value("mask = \"wide\"", "mask cannot be \"wide\"")]
#[case::priority("sacn_priority = -1", "sACN priority cannot be -1")]
#[case::port("[[port]]\nuniverse = \"0:0:0\"", "every [[port]] needs a number")]
#[case::port_zero("[[port]]\nport = 0", "every [[port]] needs a number")]
#[case::port_setting("[[port]]\nport = 1\nunivers = \"0:0:0\"", "there is no setting \"univers of port 1\"")]
#[case::key("[more]\nx = 1", "it is no keepsake")]
fn what_is_no_keepsake_is_told(#[case] end: &str, #[case] expected: &str) {
    let head = "format = 1\ntaken = \"x\"\n[unit]\nname = \"n\"\nfamily = \"art-net\"\naddress = \"10.0.0.1\"\n[settings]\n";
    let text = if end.starts_with("format") { end.to_owned() } else { format!("{head}{end}\n") };
    let error = Keepsake::read(&text).unwrap_err().to_string();
    assert!(error.contains(expected), "{error}");
}
