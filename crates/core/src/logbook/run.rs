//! One run of the program, as its lines tell it.

use std::collections::{HashMap, HashSet};

use super::{Begun, Ending, Line, LineSaid, Order, Planned, Record, StepTaken};
use crate::census::{Identity, NodeName};

/// One run: everything that was meant, and everything that was sent.
#[derive(Debug, Clone, PartialEq)]
pub struct Run {
    /// What it is called.
    pub id: String,
    /// When it began, in UTC (RFC 3339).
    pub at: String,
    /// How it began; `None` in a logbook of the first version.
    pub begun: Option<Begun>,
    /// What it meant to change. A run that was gone on with has planned anew.
    pub planned: Vec<Planned>,
    /// Every step that was sent, in order.
    pub sent: Vec<SentStep>,
    /// Every line of text that was said, with what came of it.
    pub said: Vec<LineSaid>,
    /// How it ended; `None` for one that runs still, or whose program was killed.
    pub ended: Option<Ending>,
    /// How often it was begun: one that was gone on with has several sittings.
    sittings: usize,
    /// Where in `sent` a step is, by sitting, change, device and number.
    places: HashMap<(usize, usize, Identity, usize), usize>,
}

/// A step that was sent.
#[derive(Debug, Clone, PartialEq)]
pub struct SentStep {
    /// When it was sent first.
    pub at: String,
    /// The step, with the stage it has reached.
    pub step: StepTaken,
}

impl Run {
    pub(super) fn new(id: &str, at: &str) -> Self {
        Self {
            id: id.to_owned(),
            at: at.to_owned(),
            begun: None,
            planned: Vec::new(),
            sent: Vec::new(),
            said: Vec::new(),
            ended: None,
            sittings: 0,
            places: HashMap::new(),
        }
    }

    pub(super) fn take(&mut self, line: Line) {
        match line.record {
            Record::Begun(begun) => {
                self.sittings += 1;
                self.ended = None;
                self.begun.get_or_insert(begun);
            }
            Record::Planned(planned) => self.planned.push(planned),
            Record::Ended { how } => self.ended = Some(how),
            Record::Step(step) => self.take_step(line.at, step),
            Record::Said(said) => {
                let is_it =
                    |one: &&mut LineSaid| one.result.is_none() && (one.to, &one.line) == (said.to, &said.line);
                match self.said.iter_mut().rfind(is_it) {
                    Some(open) if said.result.is_some() => *open = said,
                    _ => self.said.push(said),
                }
            }
        }
    }

    fn take_step(&mut self, at: String, step: StepTaken) {
        // The first version does not number the changes.
        let key = (self.sittings, step.change, step.node.identity(), step.step);
        match self.places.get(&key).and_then(|place| self.sent.get_mut(*place)) {
            Some(known) => (known.step.stage, known.step.along) = (step.stage, step.along),
            None if step.stage.is_sent() => {
                self.places.insert(key, self.sent.len());
                self.sent.push(SentStep { at, step });
            }
            // It was as wanted already, or not sent for another reason.
            None => {}
        }
    }

    /// By which command.
    #[must_use]
    pub fn order(&self) -> Option<Order> {
        self.begun.as_ref().map(|begun| begun.order)
    }

    /// The devices it is about, each once, as they were before it.
    #[must_use]
    pub fn nodes(&self) -> Vec<&NodeName> {
        let mut seen = HashSet::new();
        let of_plan = self.planned.iter().map(|planned| &planned.node);
        let of_steps = self.sent.iter().map(|taken| &taken.step.node);
        of_plan.chain(of_steps).filter(|node| seen.insert(node.identity())).collect()
    }

    /// To how many devices something was said.
    #[must_use]
    pub fn said_to(&self) -> usize {
        self.said.iter().map(|said| said.to).collect::<HashSet<_>>().len()
    }

    /// The last step that was sent to each device.
    #[must_use]
    pub fn last_steps(&self) -> HashMap<Identity, &SentStep> {
        self.sent.iter().map(|taken| (taken.step.node.identity(), taken)).collect()
    }
}

impl Run {
    /// The last of these runs, where it went by the sheet and has not come to its end.
    #[must_use]
    pub fn to_resume(runs: &[Self]) -> Option<&Self> {
        // What was only said is no step of it.
        let counts = |run: &&Self| !(run.is_only_said() || (run.sent.is_empty() && run.ended.is_some()));
        let last = runs.iter().rfind(counts)?;
        let is_open = last.order() == Some(Order::Apply) && last.ended != Some(Ending::Done);
        // What was taken back is begun anew, so that it can be taken back anew.
        (is_open && !last.is_undone(runs)).then_some(last)
    }

    /// The last of these runs that changed something and was not taken back.
    #[must_use]
    pub fn to_undo(runs: &[Self]) -> Option<&Self> {
        runs.iter().rfind(|run| run.is_undoable() && !run.sent.is_empty() && !run.is_undone(runs))
    }

    /// Whether it is of lines of text, of which nobody knows what they change.
    fn is_only_said(&self) -> bool {
        matches!(self.order(), Some(Order::Say | Order::Run))
    }

    /// Whether there is anything of it that could be taken back: firmware is not, and what was taken back is not.
    fn is_undoable(&self) -> bool {
        !matches!(self.order(), Some(Order::Undo | Order::Firmware)) && !self.is_only_said()
    }

    /// Whether one of these runs has taken it back as a whole; in part taken back, it can be taken back further.
    #[must_use]
    pub fn is_undone(&self, runs: &[Self]) -> bool {
        let undoes = |begun: &Begun| {
            begun.undoes.as_ref() == Some(&self.id) && begun.part.is_everything() && begun.keep == 0
        };
        runs.iter().any(|run| run.ended == Some(Ending::Done) && run.begun.as_ref().is_some_and(undoes))
    }
}
