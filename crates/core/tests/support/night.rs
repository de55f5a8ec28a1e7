//! A whole night: a sheet, a rig, and a program that plans, applies, is killed, goes on and takes back. All that outlives a
//! sitting of the program is the logbook, as far as it was written before.

use std::cell::RefCell;
use std::collections::BTreeMap;
use std::net::Ipv4Addr;
use std::rc::Rc;
use std::time::Duration;

use lantern_core::census::{NodeName, Ways};
use lantern_core::change::{ChangePlan, Part, Protection, plan_by_sheet, waiting_places};
use lantern_core::compare::{Everybody, compare_all};
use lantern_core::conversation::{Apply, ApplyNews, Concern, Extent, Means, Survey, SurveyPlan, Vantage};
use lantern_core::logbook::{
    Begun, Ending, FORMAT, Line, Order, Planned, Record, Run, StepTaken, plan_back, read, resume, silent_of,
};
use lantern_core::sheet::RigSheet;
use lantern_sim::{IpState, MemoryGround, Truth};
use lantern_wire::MacAddress;

use super::{GUEST, manner, run, run_until, seat};

/// The MAC address of the computer under test.
pub(crate) const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

/// How a sitting of the program ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum End {
    /// Everything was made, or nothing was to do.
    Whole,
    /// Something failed, or was left alone.
    Unfinished,
    /// It was killed at this event.
    Killed(usize),
    /// Something spoke against it: these codes.
    Refused(Vec<&'static str>),
}

pub(crate) struct Night {
    pub(crate) ground: MemoryGround,
    pub(crate) sheet: RigSheet,
    pub(crate) at_once: usize,
    /// What is on disk.
    pub(crate) logbook: String,
    /// How much of it was read, and what it told.
    read: RefCell<(usize, Rc<[Run]>)>,
    /// When something was written there last.
    written_at: Duration,
    /// How many sittings there were.
    sittings: usize,
    /// How many events were told, of all sittings.
    pub(crate) events: usize,
}

impl Night {
    pub(crate) fn new(ground: MemoryGround, sheet: &str, at_once: usize) -> Self {
        let sheet = RigSheet::parse(sheet).unwrap_or_else(|errors| panic!("{errors}\n{sheet}"));
        let (logbook, written_at) = (String::new(), Duration::ZERO);
        Self { ground, sheet, at_once, logbook, read: RefCell::default(), written_at, sittings: 0, events: 0 }
    }

    /// What all nodes really are.
    pub(crate) fn truth(&self) -> Vec<Truth> {
        self.ground.nodes().iter().map(lantern_sim::SimNode::truth).collect()
    }

    /// What all units that speak LLRP really are, and whether they are on.
    pub(crate) fn units(&self) -> BTreeMap<MacAddress, (IpState, bool)> {
        let units = self.ground.devices().iter().filter(|device| device.setup().llrp.is_some());
        units.map(|unit| (unit.setup().mac, (unit.ip(), unit.is_listening()))).collect()
    }

    /// Who is where, whatever family; whoever is off keeps its address.
    pub(crate) fn places(&self) -> BTreeMap<MacAddress, Ipv4Addr> {
        let nodes = self.ground.nodes().iter().map(|node| (node.setup().mac, node.address()));
        let devices = self.ground.devices().iter().map(|device| (device.setup().mac, device.ip().address));
        nodes.chain(devices).collect()
    }

    /// Lets time pass.
    pub(crate) fn wait(&mut self, seconds: u64) {
        let end = self.ground.now() + Duration::from_secs(seconds);
        while self.ground.run_until(end).is_some() {}
    }

    /// Two that are on and have one address.
    pub(crate) fn shared(ground: &MemoryGround) -> Option<Ipv4Addr> {
        let mut held: Vec<Ipv4Addr> =
            ground.present().map(|(_, at)| at).filter(|at| !at.is_unspecified()).collect();
        held.sort_unstable();
        held.windows(2).find(|two| two[0] == two[1]).map(|two| two[0])
    }

    /// What the logbook tells; read again only after something was written.
    pub(crate) fn runs(&self) -> Rc<[Run]> {
        let mut known = self.read.borrow_mut();
        if known.0 != self.logbook.len() {
            *known = (self.logbook.len(), read(&self.logbook).expect("a logbook of ours").0.into());
        }
        Rc::clone(&known.1)
    }

    fn vantage(&self) -> Vantage {
        let means = Means { frames: self.ground.has_frames(), ..Means::default() };
        Vantage { own_mac: Some(OWN), means, mark: 7, ..Vantage::of_seats(vec![seat()]) }
    }

    /// What was sent before, and answers to it, are waited for.
    fn settle(&mut self) {
        let settled = self.written_at + resume::settles(&self.runs());
        if settled > self.ground.now() {
            while self.ground.run_until(settled).is_some() {}
        }
    }

    /// Looks who is there, and makes a plan of it.
    fn plan(
        &mut self,
        likely: Vec<Ipv4Addr>,
        make: impl FnOnce(&Protection<'_>, Everybody<'_>) -> ChangePlan,
    ) -> ChangePlan {
        self.settle();
        let plan = SurveyPlan {
            vantage: self.vantage(),
            ways: Ways::ALL,
            extent: Extent::Whole(Duration::from_secs(4)),
            concern: Concern::Everybody,
            likely: likely.into_iter().chain(waiting_places(&[seat()], Some(&self.sheet), None)).collect(),
            ..SurveyPlan::art_net(Vec::new(), Some(self.sheet.clone()), true)
        };
        let mut survey = Survey::new(plan);
        run(&mut survey, &mut self.ground);
        let from = survey.viewpoint();
        let census = survey.into_census();
        let devices = census.devices(&from);
        let seats = [seat()];
        let seen = devices.iter().filter_map(|device| device.mac).collect();
        let silent = silent_of(&self.runs(), &self.sheet, &seen);
        let protection = Protection {
            devices: &devices,
            silent: &silent,
            own: &[GUEST],
            ..super::protection(&census, Some(&self.sheet), &seats)
        };
        make(&protection, Everybody { devices: &devices, asked_in: &from.subnets, own: &[GUEST], leases: &[] })
    }

    /// The program applies the sheet, or goes on with what it began. Whoever watches sees the ground at every event, and says
    /// whether the program lives on.
    pub(crate) fn apply(&mut self, lives: impl FnMut(&mut MemoryGround, usize) -> bool) -> End {
        let runs = self.runs();
        let resumed = Run::to_resume(&runs);
        let mut sheet = self.sheet.clone();
        if let Some(run) = resumed {
            resume::learn_identities(run, &mut sheet);
        }
        let id = resumed.map(|run| run.id.clone());
        let likely = sheet.nodes.iter().filter_map(lantern_core::sheet::SheetNode::fixed_address).collect();
        let plan = self.plan(likely, |protection, everybody| {
            let comparison = compare_all(&sheet, protection.census, everybody);
            plan_by_sheet(&comparison, &Protection { sheet: Some(&sheet), ..*protection }, &Part::default())
        });
        let begun = Begun {
            order: Order::Apply,
            sheet: None,
            part: Part::default(),
            undoes: None,
            keep: 0,
            resumed: id.is_some(),
            guided: false,
            fixtures: false,
        };
        self.carry_out(&plan, begun, id, lives)
    }

    /// The program takes back what it last did.
    pub(crate) fn undo(&mut self, lives: impl FnMut(&mut MemoryGround, usize) -> bool) -> End {
        let runs = self.runs();
        let Some(run) = Run::to_undo(&runs) else { return End::Whole };
        let backs = run.back(&Part::default(), 0);
        let likely = backs.iter().flat_map(|back| back.places.clone()).collect();
        let plan = self.plan(likely, |protection, _| plan_back(&backs, protection));
        let undoes = Some(run.id.clone());
        let (sheet, part) = (None, Part::default());
        let begun = Begun {
            order: Order::Undo,
            sheet,
            part,
            undoes,
            keep: 0,
            resumed: false,
            guided: false,
            fixtures: false,
        };
        self.carry_out(&plan, begun, None, lives)
    }

    fn carry_out(
        &mut self,
        plan: &ChangePlan,
        begun: Begun,
        run: Option<String>,
        mut lives: impl FnMut(&mut MemoryGround, usize) -> bool,
    ) -> End {
        let aloud = std::env::var("SEED").is_ok();
        if aloud {
            eprintln!("--- {:?} at {:?}", begun.order, self.ground.now());
            plan.untouched.iter().for_each(|left| eprintln!("left alone {}: {}", left.name, left.why));
            plan.findings.iter().for_each(|finding| eprintln!("{} {}", finding.rule.code, finding.what));
            for change in &plan.changes {
                eprintln!("{} {} to {:?}", change.subject.title(), change.subject.address(), change.new_address());
            }
        }
        if plan.is_refused() {
            return End::Refused(plan.findings.iter().map(|finding| finding.rule.code).collect());
        }
        self.sittings += 1;
        let run = run.unwrap_or_else(|| format!("run-{}", self.sittings));
        let line = |record| {
            let line = Line { format: FORMAT, at: "2026-11-25T21:00:00Z".to_owned(), run: run.clone(), record };
            serde_json::to_string(&line).expect("a line") + "\n"
        };
        self.logbook += &line(Record::Begun(begun));
        for (place, change) in plan.changes.iter().enumerate() {
            self.logbook += &line(Record::Planned(Planned::of(place, change)));
        }
        let mut apply = Apply::new(plan, self.vantage(), manner(12, self.at_once));
        let (logbook, mut event_number, mut killed, mut held_back) = (&mut self.logbook, 0, None, 0);
        run_until(&mut apply, &mut self.ground, |ground, _, event| {
            if let Some(step) = StepTaken::of_event(plan, event) {
                *logbook += &line(Record::Step(step));
            }
            event_number += 1;
            held_back += usize::from(matches!(event.news, ApplyNews::HeldBack(_)));
            if aloud {
                eprintln!("{:?} {event_number} {event:?}", ground.now());
            }
            if !lives(ground, event_number) {
                killed = Some(event_number);
            }
            killed.is_none()
        });
        self.written_at = self.ground.now();
        self.events += event_number;
        if let Some(event) = killed {
            return End::Killed(event);
        }
        let is_made = |made: &Option<lantern_core::conversation::Made>| {
            made.as_ref().is_some_and(|made| !made.outcome.is_failure())
        };
        let ended = apply.made().iter().flatten().count();
        assert_eq!(ended + held_back, plan.changes.len(), "what is not made is said to be held back");
        let whole = apply.made().iter().all(is_made) && plan.untouched.is_empty();
        let how = if whole { Ending::Done } else { Ending::Unfinished };
        self.logbook += &line(Record::Ended { how });
        if whole { End::Whole } else { End::Unfinished }
    }

    /// Whether whoever is not where the sheet has it stands at a place that the logbook names.
    pub(crate) fn nobody_is_lost(&self) -> Result<(), String> {
        let mut known: BTreeMap<MacAddress, Vec<Ipv4Addr>> = BTreeMap::new();
        let mut note = |node: &NodeName, at: Ipv4Addr| {
            node.mac.into_iter().for_each(|mac| known.entry(mac).or_default().push(at));
        };
        for run in self.runs().iter() {
            run.planned.iter().for_each(|planned| note(&planned.node, planned.node.address));
            for taken in &run.sent {
                let fields = taken.step.fields.iter();
                fields
                    .filter_map(lantern_core::facts::Difference::planned_address)
                    .for_each(|at| note(&taken.step.node, at));
            }
        }
        for (mac, at) in self.places() {
            if known.get(&mac).is_some_and(|places| !places.contains(&at)) {
                return Err(format!("{mac} is at {at}, the logbook has it at {:?}", known[&mac]));
            }
        }
        Ok(())
    }
}
