//! Every order of events there is, for small rigs: what is planned, begun, killed, gone on with and taken back by the real
//! planner, guard, schedule and logbook, with talks cut down to what matters for addresses: asked whether it is free, written,
//! there, heard. All states are visited, breadth first; in none of them do two nodes have one address, also not one that is off
//! and comes back, and from each of them the sheet and then the beginning are reached.

use std::collections::{HashMap, HashSet, VecDeque};
use std::net::Ipv4Addr;
use std::rc::Rc;
use std::time::Duration;

use lantern_wire::art_net::{IpProgReply, PollReply};
use lantern_wire::{MacAddress, Text};
use rstest::rstest;

use super::Schedule;
use crate::address::Seat;
use crate::census::{Census, Sighting, Told};
use crate::change::{ChangePlan, Part, Protection, plan_by_sheet};
use crate::compare::compare;
use crate::logbook::{
    Begun, Ending, FORMAT, Line, Order, Planned, Record, Run, Stage, StepTaken, plan_back, read, silent_of,
};
use crate::sheet::RigSheet;

/// The last part of each node's address, by node.
type Places = Vec<u8>;

/// How far one change is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Phase {
    Waiting,
    /// It is about to be asked whether its address is free.
    Begun,
    /// The order is on its way.
    Sent,
    /// The node has obeyed, and was not heard yet.
    There,
    Over(Stage),
}

/// One sitting of the program, as the logbook has it.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
struct Sitting {
    order: Order,
    run: usize,
    undoes: Option<usize>,
    plan: usize,
    /// What the logbook has of each change; `None` where nothing was sent.
    stages: Vec<Option<Stage>>,
    ended: Option<Ending>,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash)]
struct State {
    at: Places,
    /// Who has no power.
    off: Option<usize>,
    /// How many faults there may still be.
    kills: u8,
    cuts: u8,
    /// How many sittings may still begin amid the faults.
    begins: u8,
    logbook: Vec<Sitting>,
    /// The program that is at work: its schedule, and how far each change is.
    work: Option<(Schedule, Vec<Phase>)>,
    /// Orders of a killed program that are on their way: to whom, and where it is to go.
    under_way: Vec<(usize, u8)>,
}

/// What a plan follows from: where everybody is, who has no power, the logbook, and what is to be done.
type Known = (Places, Option<usize>, Vec<Sitting>, Order);

/// The rig, its sheet, and every plan that was made of it.
struct World {
    sheet: RigSheet,
    wanted: Places,
    start: Places,
    stranger: bool,
    at_once: usize,
    plans: Vec<ChangePlan>,
    known_plans: HashMap<Known, Option<usize>>,
    /// What was written and read before: most of the time would go into that.
    known_texts: HashMap<Sitting, Rc<str>>,
    known_runs: HashMap<Vec<Sitting>, Rc<[Run]>>,
}

fn mac(node: usize) -> MacAddress {
    MacAddress([2, 0x4d, 0x42, 0, 0x10, node as u8])
}

fn address(last: u8) -> Ipv4Addr {
    Ipv4Addr::new(10, 40, 1, last)
}

/// Places to wait at are the last ones of the subnet.
fn last(address: Ipv4Addr) -> u8 {
    let [_, _, third, fourth] = address.octets();
    if third == 1 { fourth } else { fourth.wrapping_sub(100) }
}

impl World {
    fn new(wanted: &[u8], locked: bool, stranger: bool, at_once: usize) -> Self {
        let nodes: String = (0..wanted.len())
            .map(|node| {
                format!(
                    "[[node]]\nname = \"node-{node}\"\nmac = \"{}\"\naddress = \"{}\"\n",
                    mac(node),
                    address(wanted[node])
                )
            })
            .collect();
        let locks =
            if locked { format!("locked_devices = [\"{}\"]\n", mac(wanted.len() - 1)) } else { String::new() };
        let sheet = RigSheet::parse(&format!(
            "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n{locks}{nodes}"
        ))
        .unwrap();
        let start = (0..wanted.len() as u8).collect();
        Self {
            sheet,
            wanted: wanted.to_vec(),
            start,
            stranger,
            at_once,
            plans: Vec::new(),
            known_plans: HashMap::new(),
            known_texts: HashMap::new(),
            known_runs: HashMap::new(),
        }
    }

    fn census(&self, at: &[u8], off: Option<usize>) -> Census {
        let mut census = Census::default();
        let mut see = |name: String, mac: MacAddress, from: Ipv4Addr| {
            let reply = PollReply {
                address: from,
                mac,
                short_name: Text::cut(&name),
                bind_index: 1,
                ..PollReply::default()
            };
            census.take(&Sighting::plain(Duration::ZERO, from, Told::PollReply(Box::new(reply))));
            let (mask, gateway) = (Ipv4Addr::new(255, 255, 0, 0), Ipv4Addr::UNSPECIFIED);
            let told = Told::IpSettings(IpProgReply { address: from, mask, port: 6454, status: 0, gateway });
            census.take(&Sighting::plain(Duration::ZERO, from, told));
        };
        for node in (0..at.len()).filter(|node| off != Some(*node)) {
            see(format!("node-{node}"), mac(node), real(at[node]));
        }
        if self.stranger {
            see("stranger".to_owned(), MacAddress([2, 0x99, 0, 0, 0, 1]), real(STRANGER));
        }
        census
    }

    /// The logbook as it is read from disk.
    fn runs(&mut self, logbook: &[Sitting]) -> Rc<[Run]> {
        if let Some(known) = self.known_runs.get(logbook) {
            return Rc::clone(known);
        }
        let texts: Vec<Rc<str>> = logbook.iter().map(|sitting| self.text(sitting)).collect();
        let (runs, torn) = read(&texts.concat()).unwrap();
        assert_eq!(torn, 0);
        let runs: Rc<[Run]> = runs.into();
        self.known_runs.insert(logbook.to_vec(), Rc::clone(&runs));
        runs
    }

    /// One sitting as it is on disk.
    fn text(&mut self, sitting: &Sitting) -> Rc<str> {
        if let Some(known) = self.known_texts.get(sitting) {
            return Rc::clone(known);
        }
        let mut text = String::new();
        let mut write = |record| {
            let (at, run) = ("2026-11-25T21:00:00Z".to_owned(), format!("run-{}", sitting.run));
            text += &serde_json::to_string(&Line { format: FORMAT, at, run, record }).unwrap();
            text.push('\n');
        };
        write(Record::Begun(Begun {
            order: sitting.order,
            sheet: None,
            part: Part::default(),
            undoes: sitting.undoes.map(|run| format!("run-{run}")),
            keep: 0,
            resumed: false,
            guided: false,
            fixtures: false,
        }));
        let plan = &self.plans[sitting.plan];
        for (place, change) in plan.changes.iter().enumerate() {
            write(Record::Planned(Planned::of(place, change)));
        }
        for (change, stage) in sitting.stages.iter().enumerate() {
            let Some(stage) = stage else { continue };
            write(Record::Step(StepTaken::of(plan, change, 0, Stage::Sending)));
            write(Record::Step(StepTaken::of(plan, change, 0, *stage)));
        }
        if let Some(how) = sitting.ended {
            write(Record::Ended { how });
        }
        let text: Rc<str> = text.into();
        self.known_texts.insert(sitting.clone(), Rc::clone(&text));
        text
    }

    /// What the program plans now; `None` where it refuses.
    fn plan(&mut self, state: &State, order: Order) -> Option<usize> {
        let key = (state.at.clone(), state.off, state.logbook.clone(), order);
        if let Some(known) = self.known_plans.get(&key) {
            return *known;
        }
        let runs = self.runs(&state.logbook);
        let census = self.census(&state.at, state.off);
        let seen: HashSet<MacAddress> = census.nodes().iter().filter_map(|node| node.mac).collect();
        let silent = silent_of(&runs, &self.sheet, &seen);
        let own = Ipv4Addr::new(10, 40, 0, 7);
        let seats = [Seat { own, subnet: "10.40.0.0/16".parse().unwrap(), limited_broadcast: true }];
        let protection =
            Protection { sheet: Some(&self.sheet), silent: &silent, ..Protection::of(&census, &seats) };
        let plan = match order {
            Order::Undo => {
                let backs = Run::to_undo(&runs).map(|run| run.back(&Part::default(), 0)).unwrap_or_default();
                plan_back(&backs, &protection)
            }
            _ => plan_by_sheet(&compare(&self.sheet, &census), &protection, &Part::default()),
        };
        let index = (!plan.is_refused()).then(|| {
            self.plans.push(plan);
            self.plans.len() - 1
        });
        self.known_plans.insert(key, index);
        index
    }

    /// The program begins; `None` where it refuses, or there is nothing to take back.
    fn begin(&mut self, state: &State, order: Order) -> Option<State> {
        let runs = self.runs(&state.logbook);
        let number = |id: &str| id.trim_start_matches("run-").parse().ok();
        let undone = Run::to_undo(&runs).and_then(|run| number(&run.id));
        if order == Order::Undo && undone.is_none() {
            return None;
        }
        let plan = self.plan(state, order)?;
        let resumed = Run::to_resume(&runs).filter(|_| order == Order::Apply).and_then(|run| number(&run.id));
        let count = self.plans[plan].changes.len();
        let mut next = state.clone();
        next.begins = next.begins.saturating_sub(1);
        next.logbook.push(Sitting {
            order,
            run: resumed.unwrap_or(state.logbook.len()),
            undoes: undone.filter(|_| order == Order::Undo),
            plan,
            stages: vec![None; count],
            ended: None,
        });
        let schedule = Schedule::new(&self.plans[plan].graph, count, self.at_once, false);
        next.work = Some((schedule, vec![Phase::Waiting; count]));
        self.go_on(&mut next);
        Some(next)
    }

    /// Begins what can be begun, and ends the program where nothing is left.
    fn go_on(&self, state: &mut State) {
        let Some((schedule, phases)) = &mut state.work else { return };
        while let Some(change) = schedule.begin() {
            phases[change] = Phase::Begun;
        }
        let runs = |phase: &Phase| matches!(phase, Phase::Begun | Phase::Sent | Phase::There);
        if phases.iter().any(runs) {
            return;
        }
        let sitting = state.logbook.last_mut().unwrap();
        let made = phases.iter().all(|phase| *phase == Phase::Over(Stage::Confirmed));
        let whole = made && self.plans[sitting.plan].untouched.is_empty();
        sitting.ended = Some(if whole { Ending::Done } else { Ending::Unfinished });
        state.work = None;
    }

    /// Whom a change is about, and where it is to go.
    fn change(&self, plan: usize, change: usize) -> (usize, u8) {
        let change = &self.plans[plan].changes[change];
        (usize::from(change.subject.mac().unwrap().0[5]), last(change.new_address().unwrap()))
    }

    fn holds(&self, state: &State, node: usize, to: u8) -> bool {
        let other = |one: &usize| *one != node && state.off != Some(*one) && state.at[*one] == to;
        (self.stranger && to == STRANGER) || (0..state.at.len()).any(|one| other(&one))
    }

    /// Everything that can happen next.
    fn after(&mut self, state: &State) -> Vec<State> {
        let mut all = Vec::new();
        match (&state.work, state.under_way.first()) {
            (Some((_, phases)), _) => {
                for change in 0..phases.len() {
                    all.extend(self.step(state, change));
                }
                if state.kills > 0 {
                    all.push(self.killed(state));
                }
            }
            // Whoever begins anew waits for what is under way: it is obeyed, or lost.
            (None, Some((node, to))) => {
                let mut lost = state.clone();
                lost.under_way.remove(0);
                let mut obeyed = lost.clone();
                if state.off != Some(*node) {
                    obeyed.at[*node] = *to;
                }
                all.extend([lost, obeyed]);
            }
            (None, None) if state.begins > 0 => {
                all.extend(self.begin(state, Order::Apply));
                all.extend(self.begin(state, Order::Undo));
            }
            (None, None) => {}
        }
        // Power goes once, after everybody was seen once, and comes back at any moment.
        match state.off {
            Some(_) => all.push(State { off: None, ..state.clone() }),
            None if state.cuts > 0 && !state.logbook.is_empty() => {
                let cut = |node| State { off: Some(node), cuts: state.cuts - 1, ..state.clone() };
                all.extend((0..state.at.len()).map(cut));
            }
            None => {}
        }
        all
    }

    /// The next thing that happens with one change.
    fn step(&self, state: &State, change: usize) -> Option<State> {
        let (_, phases) = state.work.as_ref()?;
        let plan = state.logbook.last()?.plan;
        let (node, to) = self.change(plan, change);
        let is_off = state.off == Some(node);
        let mut next = state.clone();
        let (over, stage) = match phases[change] {
            Phase::Waiting | Phase::Over(_) => return None,
            Phase::Begun if is_off => (Some(Stage::Silent), None),
            Phase::Begun if self.holds(state, node, to) => (Some(Stage::Taken), None),
            Phase::Begun => (None, Some(Stage::Sending)),
            Phase::Sent | Phase::There if is_off => (Some(Stage::Silent), Some(Stage::Silent)),
            Phase::Sent => {
                next.at[node] = to;
                (None, Some(Stage::Sending))
            }
            Phase::There => (Some(Stage::Confirmed), Some(Stage::Confirmed)),
        };
        let sitting = next.logbook.last_mut()?;
        sitting.stages[change] = stage.or(sitting.stages[change]);
        let (schedule, phases) = next.work.as_mut()?;
        match (over, phases[change]) {
            (Some(Stage::Confirmed), _) => {
                schedule.made(change);
                phases[change] = Phase::Over(Stage::Confirmed);
            }
            (Some(stage), _) => {
                schedule.failed(change);
                phases[change] = Phase::Over(stage);
            }
            (None, Phase::Begun) => phases[change] = Phase::Sent,
            (None, _) => phases[change] = Phase::There,
        }
        self.go_on(&mut next);
        Some(next)
    }

    /// The program is killed: its orders go on their way without it.
    fn killed(&self, state: &State) -> State {
        let mut next = State { kills: state.kills - 1, work: None, ..state.clone() };
        let (_, phases) = state.work.as_ref().unwrap();
        let plan = state.logbook.last().unwrap().plan;
        let sent = (0..phases.len()).filter(|change| phases[*change] == Phase::Sent);
        next.under_way = sent.map(|change| self.change(plan, change)).collect();
        next
    }

    /// Without any more faults: the program goes on to its end, as often as it takes.
    fn until(&mut self, mut state: State, order: Order, is_there: impl Fn(&mut Self, &State) -> bool) -> State {
        (state.off, state.kills, state.cuts) = (None, 0, 0);
        for _ in 0..6 {
            while state.work.is_some() || !state.under_way.is_empty() {
                state = self.after(&state).remove(0);
            }
            if is_there(self, &state) {
                return state;
            }
            let Some(next) = self.begin(&state, order) else { break };
            state = next;
        }
        panic!(
            "{order:?} does not get there: {:?} from {:?} to {:?}\n{:#?}",
            state.at, self.start, self.wanted, state.logbook
        );
    }
}

const STRANGER: u8 = 90;

/// The address that a node really has: those to wait at are far from the others.
fn real(last: u8) -> Ipv4Addr {
    if last > 100 { Ipv4Addr::new(10, 40, 255, last.wrapping_add(100)) } else { address(last) }
}

/// Visits every state; gives how many there are, and how many different ends.
fn explore(world: &mut World, kills: u8, cuts: u8) -> (usize, usize) {
    let first = State {
        at: world.start.clone(),
        off: None,
        kills,
        cuts,
        begins: 2 + kills,
        logbook: Vec::new(),
        work: None,
        under_way: Vec::new(),
    };
    let mut seen: HashSet<State> = HashSet::from([first.clone()]);
    let mut waiting = VecDeque::from([first]);
    let mut ends: HashSet<(Places, Vec<Sitting>)> = HashSet::new();
    while let Some(state) = waiting.pop_front() {
        let different: HashSet<u8> = state.at.iter().copied().collect();
        assert_eq!(different.len(), state.at.len(), "two have one address: {:?}\n{:#?}", state.at, state.logbook);
        assert!(!world.stranger || !different.contains(&STRANGER));
        if state.work.is_none()
            && state.under_way.is_empty()
            && ends.insert((state.at.clone(), state.logbook.clone()))
        {
            let there = world.until(state.clone(), Order::Apply, |world, state| state.at == world.wanted);
            let start = |world: &mut World, state: &State| {
                state.at == world.start && Run::to_undo(&world.runs(&state.logbook)).is_none()
            };
            world.until(there, Order::Undo, start);
        }
        for next in world.after(&state) {
            if seen.insert(next.clone()) {
                waiting.push_back(next);
            }
        }
    }
    (seen.len(), ends.len())
}

/// Everything that so many nodes, at addresses 0, 1, …, can want of their addresses and two free ones.
fn arrangements(nodes: u8) -> Vec<Places> {
    let mut all = vec![Vec::new()];
    for _ in 0..nodes {
        let longer = |one: &Places| {
            let free = (0..nodes + 2).filter(|last| !one.contains(last)).collect::<Vec<_>>();
            free.into_iter().map(|last| [&one[..], &[last]].concat()).collect::<Vec<_>>()
        };
        all = all.iter().flat_map(longer).collect();
    }
    all
}

fn explore_all(nodes: u8, kills: u8, cuts: u8, at_once: &[usize]) -> (usize, usize) {
    let (mut states, mut ends) = (0, 0);
    for wanted in arrangements(nodes) {
        for at_once in at_once.iter().copied() {
            let locked = wanted.last() == Some(&(nodes - 1));
            let mut world = World::new(&wanted, locked, at_once == 4, at_once);
            let (more, ended) = explore(&mut world, kills, cuts);
            (states, ends) = (states + more, ends + ended);
        }
    }
    (states, ends)
}

/// Up to three nodes: a kill after any event, and power that goes at any moment.
#[rstest]
#[case::one(1, 2, 1)]
#[case::two(2, 1, 1)]
#[case::three(3, 1, 0)]
#[case::three_and_power(3, 0, 1)]
fn no_order_of_events_has_an_address_twice(#[case] nodes: u8, #[case] kills: u8, #[case] cuts: u8) {
    let (states, ends) = explore_all(nodes, kills, cuts, &[4]);
    assert!(states > 100 && ends > 3, "{states} states, {ends} ends");
}

/// Four nodes in rings, swaps and chains.
#[rstest]
#[case::ring([1, 2, 3, 0])]
#[case::two_swaps([1, 0, 3, 2])]
#[case::ring_of_three_and_one_behind([1, 2, 0, 3])]
#[case::chain([1, 2, 3, 4])]
#[case::swap_and_chain([1, 0, 3, 5])]
fn four_nodes_killed_at_any_moment(#[case] wanted: [u8; 4]) {
    let (states, _) = explore(&mut World::new(&wanted, false, false, 4), 1, 0);
    assert!(states > 50, "{states} states");
}

/// All of it.
#[test]
#[ignore = "every arrangement of four: cargo test --release -p lantern-core --lib every_state -- --ignored --nocapture"]
#[allow(clippy::print_stderr, reason = "the number of states is what it is run for")]
fn every_state() {
    for (nodes, kills, cuts) in [(2, 1, 1), (3, 1, 1), (4, 1, 0)] {
        let (states, ends) = explore_all(nodes, kills, cuts, &[1, 4]);
        eprintln!("{nodes} nodes, {kills} kills, {cuts} cuts: {states} states, {ends} ends");
    }
}
