//! Test levels against whoever else sends, and what is heard of a universe.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::Cid;
use lantern_core::conversation::{Listening, Release, TryEvent, TryPlan, Trying, Vantage};
use lantern_core::levels::Pattern;
use lantern_core::universe::{PortAddress, SacnUniverse, Universe};
use lantern_sim::{Link, MemoryGround, Scene};
use lantern_wire::{art_net, sacn};
use rstest::rstest;

use crate::support::{GUEST, run, run_seeing, seat};

const NODE: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 1);

fn art_net() -> Universe {
    Universe::ArtNet(PortAddress::new(1).unwrap())
}

fn sacn() -> Universe {
    Universe::Sacn(SacnUniverse::new(1).unwrap())
}

fn ground(sources: &str) -> MemoryGround {
    let scene = Scene::parse(&format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay\"\nmodel = \"marrowbright-four\"\n\
         mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.1\"\npages = [{{ out = [1] }}]\n{sources}"
    ))
    .unwrap();
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    MemoryGround::new(scene.nodes(), Link::new(0.0, 7), GUEST, broadcasts).beside(scene.devices())
}

fn source(number: u8, does: &str) -> String {
    format!(
        "[[device]]\nname = \"desk-{number}\"\nmac = \"02:53:44:00:00:0{number}\"\naddress = \"10.40.0.2{number}\"\n{does}\n"
    )
}

fn plan(universe: Universe, pattern: Pattern) -> TryPlan {
    TryPlan {
        universe,
        pattern,
        to: vec![NODE],
        rate: 30,
        length: Duration::from_secs(3),
        beside_others: false,
        cid: Cid([7; 16]),
        priority: 100,
    }
}

/// One message as it left: its levels, its number, and whether it says that it is the last.
type Sent = (Vec<u8>, u8, bool);

fn read(bytes: &[u8]) -> Option<Sent> {
    if let Ok(art_net::Message::Dmx(dmx)) = art_net::Message::parse(bytes) {
        return Some((dmx.slots.to_vec(), dmx.sequence, false));
    }
    match sacn::Message::parse(bytes) {
        Ok(sacn::Message::Data(data)) => Some((data.slots.to_vec(), data.sequence, data.options.ended())),
        _ => None,
    }
}

/// Tries levels and releases them; gives what was told, what left meanwhile, and what left at the end.
fn tried(sources: &str, plan: TryPlan) -> (Vec<(u64, TryEvent)>, Vec<Sent>, Vec<Sent>) {
    let mut ground = ground(sources);
    let mut trying = Trying::new(Vantage::of_seats(vec![seat()]), plan);
    let (mut sent, mut last) = (Vec::new(), Vec::new());
    let told = run_seeing(&mut trying, &mut ground, |_, bytes| sent.extend(read(bytes)));
    let told = told.into_iter().map(|(at, event)| (at.as_secs(), event)).collect();
    let mut release: Release = trying.release();
    run_seeing(&mut release, &mut ground, |_, bytes| last.extend(read(bytes)));
    (told, sent, last)
}

#[rstest]
#[case::art_net(art_net())]
#[case::sacn(sacn())]
fn they_are_sent_within_limits_and_released(#[case] universe: Universe) {
    let (told, sent, last) = tried("", plan(universe, Pattern::Ramp(255)));
    assert_eq!(told, [(4, TryEvent::Began)]);
    assert!((60..=91).contains(&sent.len()), "30 a second for three seconds, no more: {}", sent.len());
    assert!(sent.iter().any(|(slots, ..)| slots[0] > 100) && sent.iter().all(|(_, _, ended)| !ended));
    assert_eq!(last.len(), 3);
    assert!(last.iter().all(|(slots, ..)| slots.iter().all(|level| *level == 0)));
    assert_eq!(last.iter().all(|(.., ended)| *ended), universe == sacn(), "Art-Net has no word for it");
    let numbers: Vec<u8> = sent.iter().chain(&last).map(|(_, number, _)| *number).collect();
    assert!(numbers.windows(2).all(|two| two[1] == two[0].wrapping_add(1)), "{numbers:?}");
}

#[test]
fn what_stands_still_is_repeated_now_and_then_only() {
    let (_, sent, last) = tried("", plan(sacn(), Pattern::all(128)));
    assert!((3..=6).contains(&sent.len()), "{}", sent.len());
    assert_eq!(last.len(), 3);
}

#[rstest]
#[case::art_net(art_net(), "art_net = { universes = [1] }")]
#[case::sacn(sacn(), "sacn = { name = \"Quay desk\", universes = [1] }")]
fn nothing_leaves_where_somebody_else_sends(#[case] universe: Universe, #[case] does: &str) {
    let (told, sent, last) = tried(&source(1, does), plan(universe, Pattern::all(255)));
    assert_eq!(told.iter().map(|(_, event)| *event).collect::<Vec<_>>(), [TryEvent::Refused]);
    assert_eq!((sent.len(), last.len()), (0, 0));
    let beside = TryPlan { beside_others: true, ..plan(universe, Pattern::all(255)) };
    let (told, sent, _) = tried(&source(1, does), beside);
    assert_eq!((told.len(), sent.is_empty()), (1, false));
}

#[test]
fn it_ends_as_soon_as_somebody_else_begins() {
    let late = source(1, "art_net = { universes = [1] }\narrives_ms = 5500");
    let (told, sent, last) = tried(&late, plan(art_net(), Pattern::Chase(255)));
    let words: Vec<TryEvent> = told.iter().map(|(_, event)| *event).collect();
    assert_eq!(words, [TryEvent::Began, TryEvent::Disturbed]);
    assert!(told[1].0 < 7 && !sent.is_empty());
    assert_eq!(last.len(), 3, "and is released all the same");
}

#[test]
fn of_several_sources_those_with_the_highest_priority_count() {
    let sources: String = [(1, 100), (2, 120), (3, 120)]
        .map(|(n, priority)| {
            source(n, &format!("sacn = {{ name = \"desk {n}\", universes = [1], priority = {priority} }}"))
        })
        .concat();
    let mut ground = ground(&sources);
    let mut listening = Listening::new(Vantage::of_seats(vec![seat()]), sacn(), Some(Duration::from_secs(6)));
    run(&mut listening, &mut ground);
    let levels = listening.levels();
    assert_eq!((levels.sources().len(), levels.live().count(), levels.merged().1), (3, 3, 2));
    assert_eq!(listening.unreadable(), 0);
    let rates: Vec<u32> = levels.live().map(|(_, flow)| flow.rate).collect();
    assert!(rates.iter().all(|rate| (1..=60).contains(rate)), "{rates:?}");
}
