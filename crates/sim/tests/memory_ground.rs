//! The ground in memory: a clock that jumps, a link that loses, the same for the same seed.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_sim::{Heard, Link, MemoryGround, Scene, TIDEWICK, TIDEWICK_MENDED_SHEET, TIDEWICK_SHEET};
use lantern_wire::art_net::{Message, PORT, Poll};
use rstest::rstest;

const GUEST: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 7);
const WIRE: Ipv4Addr = Ipv4Addr::new(10, 40, 255, 255);

fn ground(scene: &Scene) -> MemoryGround {
    MemoryGround::new(scene.nodes(), Link::new(scene.loss, scene.seed), GUEST, vec![WIRE])
}

fn poll(ground: &mut MemoryGround, to: Ipv4Addr) -> Vec<Heard> {
    ground.send(SocketAddrV4::new(to, PORT), &Poll::default().to_bytes());
    let end = ground.now() + Duration::from_secs(3);
    std::iter::from_fn(|| ground.run_until(end)).collect()
}

#[test]
fn a_poll_reaches_everybody_and_one_poll_reaches_one() {
    let mut ground = ground(&Scene::crowd(30, 0.0, 1));
    let heard = poll(&mut ground, WIRE);
    assert_eq!(heard.len(), 30);
    assert!(heard.windows(2).all(|pair| pair[0].at <= pair[1].at), "in the order of time");
    assert!(heard.iter().all(|one| one.at < Duration::from_millis(1010)));
    let one = poll(&mut ground, Ipv4Addr::new(10, 40, 1, 5));
    assert_eq!(one.iter().map(|heard| *heard.from.ip()).collect::<Vec<_>>(), [Ipv4Addr::new(10, 40, 1, 5)]);
    assert_eq!(ground.now(), Duration::from_secs(6));
}

#[rstest]
#[case(0.0, 400, 400)]
#[case(0.1, 290, 350)]
#[case(1.0, 0, 0)]
fn the_link_loses_its_share(#[case] loss: f64, #[case] at_least: usize, #[case] at_most: usize) {
    let heard = poll(&mut ground(&Scene::crowd(400, loss, 3)), WIRE).len();
    assert!((at_least..=at_most).contains(&heard), "{heard} of 400");
}

#[test]
fn the_same_seed_is_the_same_world_and_another_is_another() {
    let run = |seed| poll(&mut ground(&Scene::crowd(20, 0.2, seed)), WIRE);
    assert_eq!(run(5), run(5));
    assert_ne!(run(5), run(6));
}

#[test]
fn power_comes_and_goes() {
    let mut ground = ground(&Scene::crowd(3, 0.0, 1));
    let now = ground.now();
    ground.nodes_mut()[1].switch(now, false);
    assert_eq!(poll(&mut ground, WIRE).len(), 2);
    let now = ground.now();
    ground.nodes_mut()[1].switch(now, true);
    let said = poll(&mut ground, WIRE);
    assert_eq!(said.len(), 3, "two answers, and the third node says that it has started");
    assert!(said.iter().all(|heard| matches!(Message::parse(&heard.bytes), Ok(Message::PollReply(_)))));
}

#[test]
fn a_scene_is_carried_to_another_network() {
    let scene = Scene::parse(&TIDEWICK.replace("10.40.240.1", "2.0.0.9")).unwrap();
    let moved = scene.on_ground(Ipv4Addr::new(127, 9, 0, 0));
    let addresses: Vec<Ipv4Addr> = moved.nodes().iter().map(lantern_sim::SimNode::address).collect();
    assert!(addresses.contains(&Ipv4Addr::new(127, 9, 1, 100)) && addresses.contains(&Ipv4Addr::new(2, 0, 0, 9)));
    assert_eq!(moved.guest(), Ipv4Addr::new(127, 9, 0, 7));
}

#[rstest]
#[case("", "missing field `network`")]
#[case("network = \"10.40.0.0\"\n[[node]]\nname = \"a\"", "missing field `model`")]
#[case("network = \"10.40.0.0\"\ncolour = 1", "unknown field `colour`")]
#[case("network = \"here\"", "invalid IPv4 address syntax")]
fn what_is_no_scene_says_why(#[case] text: &str, #[case] why: &str) {
    let error = Scene::parse(text).unwrap_err().to_string();
    assert!(error.contains(why), "{error}");
}

#[test]
fn the_shipped_scene_and_sheets_are_made_up_and_belong_together() {
    let nodes = Scene::parse(TIDEWICK).unwrap().nodes();
    assert!(nodes.len() >= 8);
    for node in &nodes {
        assert_eq!(node.setup().mac.0[0] & 2, 2, "locally administered");
        assert!(TIDEWICK_MENDED_SHEET.contains(&node.setup().mac.to_string()));
    }
    let on_first = nodes.iter().filter(|node| TIDEWICK_SHEET.contains(&node.setup().mac.to_string())).count();
    assert_eq!(on_first, nodes.len() - 1, "the guest is not on the first sheet");
}
