//! Changing one node, against loss, refusal, slow restarts and power cuts, from seeds.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::Subject;
use lantern_core::change::{Change, plan_one};
use lantern_core::compare::{Addressing, Wanted, WantedPort};
use lantern_core::conversation::{Outcome, TalkEvent, Vantage};
use lantern_core::logbook::Stage;
use lantern_core::universe::{DeskBase, Universe};
use lantern_core::{Direction, Merge};
use lantern_sim::MemoryGround;
use rstest::rstest;

use crate::support::{self, ground, one_node, run, run_with, seat, survey};

const NEW: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 150);
const RESTART: Duration = Duration::from_secs(20);

fn port(number: u32, universe: &str) -> WantedPort {
    let universe = Universe::read(universe, DeskBase::One).unwrap();
    WantedPort { number, universe: Some(universe), ..WantedPort::default() }
}

/// Everything at once: names, universes of both pages, merge, address, mask and gateway.
fn everything() -> Wanted {
    Wanted {
        name: Some("mast-one".to_owned()),
        label: Some("The first mast".to_owned()),
        addressing: Some(Addressing::Fixed(NEW)),
        mask: "/20".parse().ok(),
        gateway: Some(Ipv4Addr::new(10, 40, 0, 2)),
        ports: vec![
            port(1, "3:4:0"),
            port(2, "3:4:1"),
            port(3, "3:4:2"),
            WantedPort { merge: Some(Merge::Ltp), ..port(4, "3:4:9") },
            WantedPort { direction: Some(Direction::In), ..port(6, "0:2:12") },
        ],
        ..Wanted::default()
    }
}

fn address(to: Ipv4Addr) -> Wanted {
    Wanted { addressing: Some(Addressing::Fixed(to)), ..Wanted::default() }
}

fn change(ground: &mut MemoryGround, wanted: &Wanted) -> Change {
    let census = survey(ground, None);
    let seats = [seat()];
    let protection = support::protection(&census, None, &seats);
    let node = census.designated("02:4d:42:00:10:01").unwrap();
    let mut plan = plan_one(&Subject::of_node(node), wanted, &protection);
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    plan.changes.remove(0)
}

fn alter(ground: &mut MemoryGround, wanted: &Wanted) -> (Stage, Vec<(Duration, TalkEvent)>) {
    let change = change(ground, wanted);
    let mut conversation = change.talk(Vantage::of_seats(vec![seat()]), RESTART);
    let (events, _) = run(&mut conversation, ground);
    (Stage::from(conversation.outcome().unwrap()), events)
}

/// What is left to change when the dust has settled, asked without any loss.
fn left_open(ground: &mut MemoryGround, wanted: &Wanted) -> usize {
    ground.run_until(ground.now() + Duration::from_secs(30));
    let census = survey(ground, None);
    wanted.differences(census.designated("02:4d:42:00:10:01").unwrap()).len()
}

#[test]
fn everything_is_changed_and_read_back() {
    let mut ground = ground(&one_node(""));
    let (outcome, events) = alter(&mut ground, &everything());
    assert_eq!(outcome, Stage::Confirmed);
    assert!(events.iter().any(|(_, event)| *event == TalkEvent::Back(NEW)));
    assert_eq!(left_open(&mut ground, &everything()), 0);
}

#[test]
fn each_step_is_told_before_it_is_sent_and_the_address_comes_last() {
    let (_, events) = alter(&mut ground(&one_node("")), &everything());
    let sent: Vec<usize> = events
        .iter()
        .filter_map(|(_, e)| if let TalkEvent::Sent(step) = e { Some(*step) } else { None })
        .collect();
    assert_eq!(sent, [0, 1, 2, 3]);
    let restarts = events.iter().position(|(_, event)| *event == TalkEvent::Restarting).unwrap();
    assert!(matches!(events[restarts - 1].1, TalkEvent::Sent(3)));
}

/// Whatever gets lost: "done" is true, and the node is never lost.
#[rstest]
fn done_means_done_at_any_loss(#[values(5, 15, 30)] percent: u32, #[values(0, 1, 2, 3)] block: u64) {
    let mut done = 0;
    for seed in block * 50..block * 50 + 50 {
        let scene = one_node("").with_chance(f64::from(percent) / 100.0, seed);
        let mut ground = ground(&one_node("").with_chance(0.0, seed));
        let change = change(&mut ground, &everything());
        let mut lossy = support::ground(&scene);
        let mut conversation = change.talk(Vantage::of_seats(vec![seat()]), RESTART);
        run(&mut conversation, &mut lossy);
        let at = lossy.nodes()[0].address();
        assert!(at == NEW || at == Ipv4Addr::new(10, 40, 1, 100), "seed {seed}: lost at {at}");
        if conversation.outcome() == Some(&Outcome::Done) {
            done += 1;
            let node = &lossy.nodes()[0];
            let (_, mask, gateway) = node.settings();
            let pages = node.pages();
            let switches: Vec<u8> = pages[0].ports.iter().map(|port| port.switch_out).collect();
            let so = (at, mask.to_string(), gateway.to_string(), pages[0].short_name.to_lossy());
            let wanted = (NEW, "255.255.240.0".to_owned(), "10.40.0.2".to_owned(), "mast-one".to_owned());
            assert_eq!(so, wanted, "seed {seed}");
            assert_eq!((pages[0].net, pages[0].sub, &switches[..]), (3, 4, &[0, 1, 2, 9][..]), "seed {seed}");
            assert!(pages[0].ports[3].output_a.merges_ltp(), "seed {seed}");
            assert!(pages[1].ports[1].kind.is_input() && pages[1].ports[1].switch_in == 12, "seed {seed}");
        }
    }
    let at_least = if percent == 30 { 40 } else { 49 };
    assert!(done >= at_least, "only {done} of 50 done at {percent} % loss");
}

#[rstest]
#[case("restart_ms = 12000", Stage::Confirmed)]
#[case("refuses = true", Stage::Refused)]
#[case("restart_ms = 25000", Stage::Silent)]
fn slow_and_stubborn_nodes_are_told_apart(#[case] habit: &str, #[case] expected: Stage) {
    let (outcome, _) = alter(&mut ground(&one_node(habit)), &address(NEW));
    assert_eq!(outcome, expected);
}

#[test]
fn one_that_refuses_names_is_not_asked_for_more() {
    let mut ground = ground(&one_node("refuses = true"));
    let (outcome, events) = alter(&mut ground, &everything());
    assert_eq!(outcome, Stage::Refused);
    let sent = events.iter().filter(|(_, event)| matches!(event, TalkEvent::Sent(_))).count();
    assert_eq!(sent, 1);
    assert_eq!(ground.nodes()[0].address(), Ipv4Addr::new(10, 40, 1, 100));
}

#[test]
fn one_that_loses_power_half_way_is_silent_and_found_again_later() {
    let mut ground = ground(&one_node(""));
    let change = change(&mut ground, &everything());
    let mut conversation = change.talk(Vantage::of_seats(vec![seat()]), RESTART);
    run_with(&mut conversation, &mut ground, |ground, now, event| {
        if *event == TalkEvent::Confirmed(1) {
            ground.nodes_mut()[0].switch(now, false);
        }
    });
    assert_eq!(conversation.outcome().map(Stage::from), Some(Stage::Silent));
    let now = ground.now();
    ground.nodes_mut()[0].switch(now, true);
    assert!(left_open(&mut ground, &everything()) > 0);
    // The same wish again: only what is still open is sent.
    let (outcome, _) = alter(&mut ground, &everything());
    assert_eq!((outcome, left_open(&mut ground, &everything())), (Stage::Confirmed, 0));
}

#[test]
fn one_that_leaves_our_subnet_is_heard_there_but_not_read_back() {
    let mut ground = ground(&one_node(""));
    let away = Ipv4Addr::new(192, 168, 7, 9);
    let (outcome, events) = alter(&mut ground, &Wanted { mask: "/24".parse().ok(), ..address(away) });
    assert_eq!(outcome, Stage::HeardOnly);
    assert!(events.iter().any(|(_, event)| *event == TalkEvent::Back(away)));
}

#[rstest]
#[case("lease = \"10.40.250.9\"", "10.40.250.9", Stage::Confirmed)]
#[case("", "169.254.16.1", Stage::HeardOnly)]
fn dhcp_is_switched_on_and_the_new_address_found(
    #[case] lease: &str,
    #[case] there: Ipv4Addr,
    #[case] expected: Stage,
) {
    let mut ground = ground(&one_node(lease));
    let wanted = Wanted { addressing: Some(Addressing::Dhcp), ..Wanted::default() };
    let (outcome, _) = alter(&mut ground, &wanted);
    assert_eq!((outcome, ground.nodes()[0].address()), (expected, there));
}

#[test]
fn a_leased_address_is_pinned_where_it_is() {
    let mut ground = ground(&one_node("dhcp = true\nlease = \"10.40.250.9\""));
    let leased = Ipv4Addr::new(10, 40, 250, 9);
    let (outcome, _) = alter(&mut ground, &address(leased));
    assert_eq!(outcome, Stage::Confirmed);
    assert_eq!((ground.nodes()[0].address(), left_open(&mut ground, &address(leased))), (leased, 0));
}

#[test]
fn neighbours_of_a_port_stay_where_they_are() {
    let mut ground = ground(&one_node(""));
    let wanted = Wanted { ports: vec![port(2, "0:1:14")], ..Wanted::default() };
    assert_eq!(alter(&mut ground, &wanted).0, Stage::Confirmed);
    let census = survey(&mut ground, None);
    let flat: Vec<u16> = census.nodes()[0].ports().map(|(_, _, port)| port.universe.flat()).collect();
    assert_eq!(flat, [16, 30, 18, 19, 32, 33, 41, 42]);
}
