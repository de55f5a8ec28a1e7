//! Survey, plan, change, check: the whole harbour in memory, from seeds, with loss.

use std::net::Ipv4Addr;

use lantern_core::census::Census;
use lantern_core::change::{ChangePlan, Part, plan_by_sheet};
use lantern_core::compare::compare;
use lantern_core::conversation::{Apply, Made, Outcome, Vantage};
use lantern_core::sheet::RigSheet;
use lantern_sim::{MemoryGround, Scene, SimNode, TIDEWICK, TIDEWICK_MENDED_SHEET};
use rstest::rstest;

use crate::support::{self, ground, run, seat, survey};

fn harbour(loss: f64, seed: u64) -> MemoryGround {
    ground(&Scene::parse(&TIDEWICK.replace("off = true", "")).unwrap().with_chance(loss, seed))
}

fn plan(sheet: &RigSheet, census: &Census) -> ChangePlan {
    let seats = [seat()];
    let protection = support::protection(census, Some(sheet), &seats);
    plan_by_sheet(&compare(sheet, census), &protection, &Part::default())
}

/// Applies the sheet once; gives how many changes were done and how many failed.
fn apply(ground: &mut MemoryGround, sheet: &RigSheet, at_once: usize) -> (usize, usize) {
    let census = survey(ground, Some(sheet));
    let plan = plan(sheet, &census);
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let count = plan.changes.len();
    let vantage = Vantage::of_seats(vec![seat()]);
    let mut apply = Apply::new(&plan, vantage, support::manner(20, at_once));
    run(&mut apply, ground);
    let is_done = |made: &&Option<Made>| made.as_ref().is_some_and(|made| made.outcome == Outcome::Done);
    let done = apply.made().iter().filter(is_done).count();
    (done, count - done)
}

#[rstest]
fn the_harbour_is_put_right_in_one_go(#[values(1, 3, 16)] at_once: usize) {
    let (sheet, mut ground) = (RigSheet::parse(TIDEWICK_MENDED_SHEET).unwrap(), harbour(0.0, 1));
    assert_eq!(apply(&mut ground, &sheet, at_once), (5, 0));
    let census = survey(&mut ground, Some(&sheet));
    assert!(compare(&sheet, &census).is_as_planned());
    assert_eq!(apply(&mut ground, &sheet, at_once), (0, 0));
}

/// However much gets lost: applying again and again ends as planned, and no node is ever lost.
#[rstest]
fn applying_again_always_gets_there(
    #[values(0.02, 0.1, 0.25)] loss: f64,
    #[values(0, 1)] block: u64,
    #[values(1, 16)] at_once: usize,
) {
    let sheet = RigSheet::parse(TIDEWICK_MENDED_SHEET).unwrap();
    for seed in block * 20..block * 20 + 20 {
        let mut ground = harbour(loss, seed);
        let mut rounds = 0;
        loop {
            let census = survey(&mut ground, Some(&sheet));
            if compare(&sheet, &census).is_as_planned() && census.nodes().iter().all(|n| n.settings.is_some()) {
                break;
            }
            rounds += 1;
            assert!(rounds < 12, "seed {seed} does not get there at loss {loss}");
            apply(&mut ground, &sheet, at_once);
        }
        let mut macs: Vec<_> = ground.nodes().iter().map(|node| (node.setup().mac, node.address())).collect();
        macs.sort_unstable();
        macs.dedup_by_key(|(_, address)| *address);
        assert_eq!(macs.len(), 10, "seed {seed}: two nodes share an address");
    }
}

/// Every node moves into its neighbour's place: each address is free when its turn comes.
#[test]
fn a_whole_row_moves_up_by_one() {
    let mut text = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n".to_owned();
    for i in 0..20 {
        let mac = format!("02:4d:42:77:00:{i:02x}");
        text += &format!("[[node]]\nname = \"crowd-{i}\"\nmac = \"{mac}\"\naddress = \"10.40.1.{}\"\n", i + 2);
    }
    let (sheet, mut ground) = (RigSheet::parse(&text).unwrap(), ground(&Scene::crowd(20, 0.0, 4)));
    assert_eq!(apply(&mut ground, &sheet, 4), (20, 0));
    let last = ground.nodes().iter().map(SimNode::address).max();
    assert_eq!(last, Some(Ipv4Addr::new(10, 40, 1, 21)));
}
