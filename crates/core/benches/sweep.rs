//! Sweeping a range against asking its addresses one by one: the time on the wire, under a virtual clock, and what the
//! sweep itself costs the processor.
#![allow(clippy::print_stdout, reason = "a bench tells its ratio")]

#[path = "../tests/support/frames.rs"]
mod frames;

use std::net::Ipv4Addr;
use std::time::Duration;

use divan::Bencher;
use lantern_core::address::AddressRange;
use lantern_core::conversation::{Extent, Survey, SurveyPlan};

use frames::{ANSWER_TIME, Hosts, hosts, plan, run};

/// How long somebody who asks one by one waits for each answer; the usual tools wait longer.
const PATIENCE: Duration = Duration::from_millis(300);

fn survey(range: &str, pace: u32) -> Survey {
    let ranges = vec![range.parse().expect("a range")];
    Survey::new(SurveyPlan { extent: Extent::Ranges, ranges, pace, ..plan("10.40.0.0/16") })
}

fn some(range: &str, every: u32) -> Hosts {
    let range: AddressRange = range.parse().expect("a range");
    let all = (0..range.len()).step_by(every as usize).filter_map(|n| range.nth(n + 3));
    hosts(all.collect::<Vec<Ipv4Addr>>())
}

/// How long it takes to ask every address and wait for it before the next.
fn one_by_one(range: &str, there: &Hosts) -> Duration {
    let range: AddressRange = range.parse().expect("a range");
    let addresses = (0..range.len()).filter_map(|n| range.nth(n));
    addresses.map(|address| if there.contains_key(&address) { ANSWER_TIME } else { PATIENCE }).sum()
}

fn main() {
    for (range, pace, every) in [("10.40.1.0/24", 500, 12), ("10.40.0.0/16", 2000, 255)] {
        let there = some(range, every);
        let (swept, asked) = (run(&mut survey(range, pace), &there).took, one_by_one(range, &there));
        let ratio = asked.as_secs_f64() / swept.as_secs_f64();
        println!(
            "{range} with {} hosts at pace {pace}: swept in {swept:.1?}, one by one {asked:.0?}: {ratio:.0} times",
            there.len()
        );
    }
    divan::main();
}

#[divan::bench(args = [("10.40.1.0/24", 500), ("10.40.0.0/16", 2000)])]
fn sweeping(bencher: Bencher, (range, pace): (&str, u32)) {
    let there = some(range, 255);
    bencher.bench(|| run(&mut survey(range, pace), &there).sent.len());
}
