//! Passwords that are still those of the factory, of every family that has any: what is said of a device, against what really opens it.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::{Census, Ways};
use lantern_core::clash::{factory_passwords, factory_secrets};
use lantern_core::conversation::{Extent, SurveyPlan, Vantage};
use lantern_core::secret::Secrets;
use lantern_core::sheet::RigSheet;
use lantern_sim::{Link, MemoryGround};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{self, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
const HERE: &str = "10.40.6.1";
const MAC: &str = "02:4d:42:00:60:01";

fn ground(role: &str, loss: f64) -> MemoryGround {
    let device = format!("[[device]]\nname = \"unit\"\nmac = \"{MAC}\"\naddress = \"{HERE}\"\n{role}\n");
    support::ground_of(&device, Link::new(loss, 1), OWN)
}

fn sheet(login: &str, of_node: &str) -> RigSheet {
    let text = format!(
        "[rig]\nname = \"hall\"\n[[network]]\nname = \"picture\"\nrange = \"10.40.0.0/16\"\n\
         [[kind]]\nname = \"unit\"\nmaker = \"Tessaquill\"\nmodel = \"Unit\"\nports = 0\n\
         [[kind.factory_login]]\n{login}\n\
         [[node]]\nname = \"hall-unit\"\nkind = \"unit\"\n{of_node}\n"
    );
    RigSheet::parse(&text).unwrap_or_else(|errors| panic!("{errors}"))
}

fn census(ground: &mut MemoryGround, secrets: Secrets) -> Census {
    let plan = SurveyPlan {
        vantage: Vantage { secrets, ..support::with_frames(OWN) },
        ways: Ways::ALL,
        extent: Extent::Whole(Duration::from_secs(3)),
        likely: HERE.parse::<Ipv4Addr>().into_iter().collect(),
        ..SurveyPlan::art_net(vec![seat()], None, true)
    };
    support::seen_by(ground, plan).0
}

fn ips(ground: &MemoryGround) -> Vec<String> {
    ground.devices().iter().map(|device| format!("{:?}", device.ip())).collect()
}

const WALL: &str = "way = \"pjlink\"\npassword = \"sunset\"";
const EYE: &str = "way = \"onvif\"\nuser = \"keeper\"\npassword = \"sunset\"";
const RACK: &str = "way = \"snmp\"\npassword = \"sunset\"";
const RACK_USER: &str = "way = \"snmp\"\nuser = \"keeper\"\npassword = \"sunset99\"";
const EVERYBODYS: &str = "way = \"snmp\"\npassword = \"public\"";
const BY_MAC: &str = "mac = \"02:4d:42:00:60:01\"\naddress = \"10.40.6.1\"";
const BY_ADDRESS: &str = "address = \"10.40.6.1\"";
const ANOTHER: &str = "mac = \"02:4d:42:00:60:02\"\naddress = \"10.40.6.1\"";

#[rstest]
#[case::wall("pjlink = { name = \"Wall\", class = 2, password = \"sunset\" }", WALL, BY_MAC, true)]
#[case::wall_by_its_address(
    "pjlink = { name = \"Wall\", class = 2, password = \"sunset\" }",
    WALL,
    BY_ADDRESS,
    true
)]
#[case::wall_of_its_own("pjlink = { name = \"Wall\", class = 2, password = \"moonrise\" }", WALL, BY_MAC, false)]
#[case::wall_that_wants_none("pjlink = { name = \"Wall\", class = 2 }", WALL, BY_MAC, false)]
#[case::somebody_else_there(
    "pjlink = { name = \"Wall\", class = 2, password = \"sunset\" }",
    WALL,
    ANOTHER,
    false
)]
#[case::eye("onvif = { name = \"Eye\", user = \"keeper\", password = \"sunset\" }", EYE, BY_MAC, true)]
#[case::eye_of_its_own(
    "onvif = { name = \"Eye\", user = \"keeper\", password = \"moonrise\" }",
    EYE,
    BY_MAC,
    false
)]
#[case::eye_of_another_user(
    "onvif = { name = \"Eye\", user = \"tess\", password = \"sunset\" }",
    EYE,
    BY_MAC,
    false
)]
#[case::rack("snmp = { name = \"Rack\", community = \"sunset\" }", RACK, BY_MAC, true)]
#[case::rack_of_its_own("snmp = { name = \"Rack\", community = \"stage\" }", RACK, BY_MAC, false)]
#[case::rack_for_everybody("snmp = { name = \"Rack\" }", RACK, BY_MAC, false)]
#[case::rack_for_everybody_from_the_factory("snmp = { name = \"Rack\" }", EVERYBODYS, BY_MAC, true)]
#[case::rack_of_a_user(
    "snmp = { name = \"Rack\", user = { name = \"keeper\", password = \"sunset99\" } }",
    RACK_USER,
    BY_MAC,
    true
)]
#[case::silent("", WALL, BY_MAC, false)]
fn who_still_takes_its_factorys_is_told(
    #[case] role: &str,
    #[case] login: &str,
    #[case] of_node: &str,
    #[case] takes_it: bool,
    #[values(0.0, 0.05)] loss: f64,
) {
    let sheet = sheet(login, of_node);
    let mut ground = ground(role, loss);
    let before = ips(&ground);
    let bare = census(&mut ground, Secrets::default());
    let tried = census(&mut ground, factory_secrets(&sheet, |_| true));
    let found = factory_passwords(&sheet, &bare, &tried);
    let said: Vec<String> = found.iter().map(|finding| format!("{} {}", finding.what, finding.remedy)).collect();
    assert_eq!(found.len(), usize::from(takes_it), "{said:?}");
    assert!(
        found.iter().all(|finding| finding.rule.code == "W022" && finding.what.contains("hall-unit")),
        "{said:?}"
    );
    assert!(!format!("{said:?}").contains("sunset"), "{said:?}");
    let after = ips(&ground);
    assert_eq!(before, after);
}

/// Nobody who is not meant is tried at.
#[test]
fn only_who_is_meant_is_tried() {
    let sheet = sheet(WALL, BY_MAC);
    assert!(factory_secrets(&sheet, |node| node.name.value != "hall-unit").is_empty());
    assert!(!factory_secrets(&sheet, |_| true).is_empty());
}

#[rstest]
#[case("way = \"art-net\"\npassword = \"x\"", "way")]
#[case("way = \"onvif\"\npassword = \"x\"", "who asks")]
#[case("way = \"pjlink\"", "password")]
#[case("way = \"pjlink\"\npassword = \"x\"\n[[kind.factory_login]]\nway = \"pjlink\"\npassword = \"y\"", "twice")]
fn a_login_that_cannot_be_is_refused(#[case] login: &str, #[case] because: &str) {
    let text = format!(
        "[rig]\nname = \"hall\"\n[[kind]]\nname = \"unit\"\nmaker = \"T\"\nmodel = \"U\"\nports = 0\n[[kind.factory_login]]\n{login}\n"
    );
    let errors = RigSheet::parse(&text).unwrap_err().errors;
    let said = errors.iter().map(|one| format!("{} {}", one.what, one.expected)).collect::<Vec<_>>();
    assert!(said.iter().any(|one| one.contains(because)), "{said:?}");
}
