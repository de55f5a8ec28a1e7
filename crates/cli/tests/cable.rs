//! The same commands over a pretended cable, where everything goes by frames: what a system without many addresses on loopback and
//! without private networks has a demo on. What the program says is held against what the nodes really are.

use std::net::SocketAddr;

use lantern_core::address::Mask;
use lantern_net::Cable;
use lantern_sim::{CableGround, NIGHT, Scene, TIDEWICK};
use rstest::rstest;

use crate::support::{Folder, Said};
#[cfg(target_os = "linux")]
use crate::support::{has, in_own_network};

/// The program, plugged into a ground of the test's own.
pub(crate) struct Plugged {
    pub(crate) ground: CableGround,
    folder: Folder,
    cable: String,
}

impl Plugged {
    pub(crate) fn beside(scene: &Scene) -> Self {
        let ground = CableGround::start(scene).unwrap();
        let SocketAddr::V4(place) = ground.place() else { panic!("an IPv4 place") };
        let (own, mac) = ground.guest();
        let cable = Cable::new(place, (own, Mask::SIXTEEN), mac).unwrap().to_string();
        Self { ground, folder: Folder::new(), cable }
    }

    fn run(&self, arguments: &[&str]) -> Said {
        self.folder.run_in(arguments, &[("DEFT_LANTERN_CABLE", &self.cable)])
    }

    /// What tells a program which cable it is.
    pub(crate) fn cable(&self) -> &str {
        &self.cable
    }

    pub(crate) fn address_of(&self, mac: &str) -> String {
        let truth = self.ground.truth();
        truth.iter().find(|node| node.mac.to_string() == mac).unwrap().ip.0.to_string()
    }
}

fn tidewick() -> Scene {
    Scene::parse(TIDEWICK).unwrap()
}

const QUAY_NORTH: &str = "02:4d:42:00:10:01";

#[test]
fn the_whole_job_is_done_over_the_cable_and_nothing_of_it_is_remembered_at_home() {
    let folder = Folder::new();
    let home = folder.path("home");
    let said = folder.run_in(&["demo", "--ground", "cable"], &[("HOME", home.to_str().unwrap())]).ended(0);
    said.line(&["all 22 nodes answer as planned; 18 speak no Art-Net and are out of reach of this computer"]);
    assert!(said.out.contains("on cable0 as 10.40.0.7 in 10.40.0.0/16"), "{}", said.out);
    assert!(!home.exists());
}

/// A system with one address on loopback, as some have no other: the demo finds its own way, and says so.
#[cfg(target_os = "linux")]
#[test]
fn where_loopback_has_one_address_the_demo_takes_the_cable_by_itself() {
    if !has("ip") {
        return;
    }
    let one_address = "ip link set lo up && ip addr flush dev lo && ip addr add 127.0.0.1/32 dev lo";
    let Some(said) = in_own_network(&format!("{one_address} && deft-lantern demo")) else { return };
    let said = said.ended(0);
    said.line(&["all 22 nodes answer as planned"]);
    assert!(said.notes.contains("they stand behind a cable that is pretended"), "{}", said.notes);
}

#[test]
fn hands_are_lent_where_they_reach() {
    let said = Folder::new().run(&["demo", "--stay", "--ground", "cable", "--hands"]).ended(2);
    assert!(said.notes.contains("--hands is for nodes on loopback"), "{}", said.notes);
}

/// The first words to a node may be for it alone: who it is has to be asked for first.
#[rstest]
#[case::on_a_good_cable(0.0)]
#[case::on_a_bad_one(0.1)]
fn a_node_is_where_it_is_said_to_be(#[case] loss: f64) {
    let rig = Plugged::beside(&tidewick().with_chance(loss, 11));
    let said = rig.run(&["set", "quay-north", "--address", "10.40.1.150", "--yes"]).ended(0);
    said.line(&["done", "quay-north", "10.40.1.150", "read back"]);
    assert_eq!(rig.address_of(QUAY_NORTH), "10.40.1.150");
    rig.run(&["undo", "--yes"]).ended(0);
    assert_eq!(rig.address_of(QUAY_NORTH), "10.40.1.100");
    // Another node has it: refused before anything is sent.
    let said = rig.run(&["set", "quay-north", "--address", "10.40.1.101", "--yes"]).ended(2);
    assert!(said.notes.contains("error C001") && said.notes.contains("quay-south"), "{}", said.notes);
    assert_eq!(rig.address_of(QUAY_NORTH), "10.40.1.100");
}

/// Frames show also those in the wrong subnet, and the second one at an address.
#[test]
fn a_stray_node_and_a_fallen_breaker_are_seen() {
    let rig = Plugged::beside(&tidewick());
    let said = rig
        .run(&["set", "quay-north", "--address", "192.168.7.9", "--mask", "/24", "--outside", "--yes"])
        .ended(1);
    said.line(&["heard", "quay-north at 192.168.7.9"]);
    rig.ground.switch("quay-south", false);
    let said = rig.run(&["survey"]).ended(1);
    said.line(&["quay-north", "192.168.7.9", "other subnet"]);
    assert!(!said.out.lines().any(|line| line.starts_with("quay-south")), "{}", said.out);
}

#[test]
fn fixtures_are_found_and_set_behind_gateways() {
    let rig = Plugged::beside(&Scene::parse(NIGHT).unwrap());
    let found = rig.run(&["survey", "--fixtures", "--json"]).json();
    let found = found["fixtures"].as_array().unwrap().len();
    // A few hang behind a gateway whose breaker has fallen.
    assert!((200..=rig.ground.fixtures().len()).contains(&found), "{found}");
    rig.run(&["set", "7ff0:00000004", "--label", "mast-wash-four", "--yes"]).ended(0);
    assert!(rig.ground.fixtures().iter().any(|unit| unit.label == "mast-wash-four"));
}

#[test]
fn whoever_is_plugged_in_knows_no_other_adapter() {
    let rig = Plugged::beside(&tidewick());
    let told = rig.run(&["adapters", "--json"]).json();
    let adapters = told["adapters"].as_array().unwrap();
    assert_eq!((adapters.len(), &adapters[0]["name"]), (1, &"cable0".into()));
    let said = rig.run(&["survey", "--adapter", "lo"]).ended(2);
    assert!(said.notes.contains("cable0"), "{}", said.notes);
    // Nor can anything of the computer be changed by way of it.
    for command in [&["join", "10.40.0.50/16"][..], &["neighbours"], &["self-test"]] {
        let said = rig.run(&[&["adapters"], command].concat());
        assert!(said.code != 0 && said.notes.contains("pretended"), "{command:?} {} {}", said.out, said.notes);
    }
    // A connection would have to leave by the computer's own adapters.
    let said = rig.run(&["say", "10.40.1.100", "--port", "4352", "hello"]);
    assert!(said.code != 0 && said.notes.contains("nobody answers"), "{} {}", said.out, said.notes);
}

#[rstest]
#[case::nonsense("the blue one")]
#[case::another_computer("10.40.1.1:41234 10.40.0.7/16 02:4d:42:00:00:07")]
fn a_cable_that_is_none_is_refused_before_the_real_network_is_met(#[case] cable: &str) {
    let said = Folder::new().run_in(&["survey"], &[("DEFT_LANTERN_CABLE", cable)]).ended(2);
    assert!(
        said.notes.contains("DEFT_LANTERN_CABLE: a pretended cable is written as 127.0.0.1:PORT"),
        "{}",
        said.notes
    );
    assert_eq!(said.out, "");
}

/// The demo at the other end is over.
#[test]
fn a_cable_that_leads_nowhere_is_silence_with_a_reason() {
    let Plugged { ground, folder, cable } = Plugged::beside(&tidewick());
    drop(ground);
    let said = folder.run_in(&["survey"], &[("DEFT_LANTERN_CABLE", &cable)]);
    assert!(said.code != 0 && said.notes.contains("cable0"), "{} {}", said.out, said.notes);
}

/// Two at a time, as from two terminals: each hears the answers to the other, too, and neither is confused.
#[test]
fn two_programs_share_the_cable() {
    let rig = Plugged::beside(&tidewick());
    std::thread::scope(|both| {
        let surveys = both.spawn(|| rig.run(&["survey"]).ended(1));
        rig.run(&["set", "quay-north", "--name", "quay-mast", "--yes"]).ended(0);
        surveys.join().unwrap().line(&["9 nodes with 48 ports"]);
    });
    let named = rig.ground.truth().iter().any(|node| node.name == "quay-mast");
    assert!(named);
}

#[cfg(unix)]
#[test]
fn a_shell_beside_the_cable_is_plugged_in() {
    let folder = Folder::new();
    let path = [("PATH", "/usr/bin:/bin")];
    let script = "deft-lantern survey; exit 7";
    let said = folder.run_in(&["demo", "--stay", "--ground", "cable", "--", "sh", "-c", script], &path).ended(7);
    said.line(&["quay-north", "10.40.1.100", "02:4d:42:00:10:01"]);
}
