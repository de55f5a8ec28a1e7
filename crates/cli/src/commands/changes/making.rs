//! The changes are made, and every step is written down before it is sent.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::change::ChangePlan;
use lantern_core::conversation::{Apply, ApplyEvent, ApplyNews, AskedBy, HowFar, Made, TalkEvent};
use lantern_core::logbook::{Ending, Planned, Stage, StepTaken};

use super::{Errand, HowToWrite, tell};
use crate::failure::Failure;
use crate::logbook_file::LogbookFile;
use crate::output::{Board, Out, counted};
use crate::session::Session;

/// Makes the changes. A logbook that cannot be written, an interruption and a reader who has gone end it before the next
/// send; that is given back with what became of the others in `results`.
pub(super) fn make_all(
    session: &Session,
    plan: &ChangePlan,
    how: HowToWrite,
    errand: &Errand,
    logbook: &mut LogbookFile,
    results: &mut Vec<Option<Made>>,
    out: &mut Out,
) -> Result<Option<Failure>, Failure> {
    logbook.plan(plan.changes.iter().enumerate().map(|(place, change)| Planned::of(place, change)))?;
    let mut apply = Apply::new(plan, session.vantage(), how.manner());
    let (under_way, asked) = (BTreeMap::new(), BTreeMap::new());
    let mut watch = Watch { plan, logbook, board: out.board(), under_way, asked };
    let ran = session.run(&mut apply, |apply, _, event| {
        watch.whole(apply.how_far());
        event.map_or(Ok(()), |event| watch.take(event, out))
    });
    let under_way = std::mem::take(&mut watch.under_way);
    drop(watch);
    *results = apply.made().to_vec();
    let Err(failure) = ran else { return Ok(None) };
    let failure = broken_off(failure);
    for (change, step) in under_way {
        give_up(plan, (change, step), &failure, logbook, out)?;
    }
    if !matches!(failure, Failure::Logbook { .. }) {
        logbook.end(Ending::BrokenOff)?;
    }
    if !matches!(failure, Failure::Unheard) {
        let made = results.iter().flatten().count();
        tell::how_far(made, plan.changes.len(), logbook.path(), errand, out)?;
    }
    Ok(Some(failure))
}

/// Writes down that a step under way was given up, and says so.
fn give_up(
    plan: &ChangePlan,
    (place, step): (usize, usize),
    failure: &Failure,
    logbook: &mut LogbookFile,
    out: &mut Out,
) -> Result<(), Failure> {
    if !matches!(failure, Failure::Logbook { .. }) {
        logbook.write(StepTaken::of(plan, place, step, Stage::BrokenOff))?;
    }
    let change = &plan.changes[place];
    let fields: Vec<String> =
        change.steps[step].differences.iter().map(|difference| difference.field.to_string()).collect();
    let name = change.subject.title();
    out.note(&format!("{name}: {} was sent and not read back; whether it took it is open", fields.join(", ")))?;
    Ok(())
}

/// Whoever watches the changes: writes every step down before it is sent, and tells what becomes of each.
struct Watch<'a> {
    plan: &'a ChangePlan,
    logbook: &'a mut LogbookFile,
    board: Board,
    /// The step of a change that was sent and has not ended.
    under_way: BTreeMap<usize, usize>,
    /// Of each change which address was asked for last, and how.
    asked: BTreeMap<usize, (Ipv4Addr, AskedBy)>,
}

impl Watch<'_> {
    fn whole(&self, far: HowFar) {
        let mut parts = vec![format!("{} of {}", far.ended, counted(far.of, "change"))];
        parts.extend((far.under_way > 0).then(|| format!("{} under way", far.under_way)));
        parts.extend((far.failed > 0).then(|| format!("{} failed", far.failed)));
        parts.extend((far.held_back > 0).then(|| format!("{} held back", far.held_back)));
        parts.extend(far.left.filter(|left| !left.is_zero()).map(|left| format!("about {} left", in_words(left))));
        self.board.whole(far.ended, far.of, parts.join(", "));
    }

    fn take(&mut self, event: ApplyEvent, out: &mut Out) -> Result<(), Failure> {
        // What cannot be written down is not sent.
        if let Some(step) = StepTaken::of_event(self.plan, &event) {
            self.logbook.write(step)?;
        }
        let place = event.change;
        let change = &self.plan.changes[place];
        let name = change.subject.title();
        let talk = match event.news {
            ApplyNews::Begun => {
                self.board.show(place, format!("{name}: asking whether it is still there"));
                return Ok(());
            }
            ApplyNews::HeldBack(on) => return self.held_back(place, on, out),
            ApplyNews::Made(made) => return self.made(place, &made, out),
            ApplyNews::Talk(talk) => talk,
        };
        match talk {
            TalkEvent::Sent(step) | TalkEvent::Repeated(step) => {
                let fields = super::steps_of(&change.steps[step].differences);
                self.board.show(place, format!("{name}: {fields}"));
                self.under_way.insert(place, step);
            }
            TalkEvent::Confirmed(_) | TalkEvent::Ended(..) => {
                self.under_way.remove(&place);
            }
            TalkEvent::Probing(address, by) => {
                self.board.show(place, format!("{name}: asking {by} whether anybody holds {address}"));
                self.asked.insert(place, (address, by));
            }
            TalkEvent::Passed { taken, of } => {
                self.board.show(place, format!("{name}: {taken} of {of} blocks"));
            }
            TalkEvent::Declined(step, why) => {
                let fields: Vec<String> =
                    change.steps[step].differences.iter().map(|one| one.field.to_string()).collect();
                let text = format!("{name} does not take its {}: {why}", fields.join(", "));
                self.board.suspend(|| out.note(&text))?;
            }
            TalkEvent::Remarked(what) => self.board.suspend(|| out.note(&format!("{name}: {what}")))?,
            TalkEvent::Restarting => self.board.show(place, format!("{name}: restarts")),
            TalkEvent::Back(address) => {
                self.board.show(place, format!("{name}: is back at {address}, reading back"));
            }
        }
        Ok(())
    }

    fn made(&mut self, place: usize, made: &Made, out: &mut Out) -> Result<(), Failure> {
        let change = &self.plan.changes[place];
        self.board.end(place);
        let asked = self.asked.remove(&place);
        let is_parked = self.plan.graph.is_parking(place) && !made.outcome.is_failure();
        self.board.suspend(|| {
            if !out.is_json() {
                tell::tell(change, made, is_parked, out)?;
            }
            // Whoever speaks no Art-Net was not asked where there is no other way: that is said.
            if let Some((address, by @ AskedBy::System)) = asked {
                let what = format!("that nobody holds {address} was asked {by}");
                out.note(&format!("{what}; as administrator it is asked by ARP"))?;
            }
            Ok(())
        })
    }

    fn held_back(&mut self, place: usize, on: usize, out: &mut Out) -> Result<(), Failure> {
        let (change, other) = (&self.plan.changes[place], &self.plan.changes[on]);
        self.board.suspend(|| if out.is_json() { Ok(()) } else { tell::held_back(change, other, out) })
    }
}

/// A time that somebody waits, in words.
fn in_words(time: Duration) -> String {
    let seconds = time.as_secs().max(1);
    if seconds < 90 { format!("{seconds} s") } else { format!("{} min", seconds.div_ceil(60)) }
}

/// Why the changes were broken off: where nobody reads on, that is no end as it should be.
pub(super) fn broken_off(failure: Failure) -> Failure {
    if failure.is_closed_pipe() { Failure::Unheard } else { failure }
}
