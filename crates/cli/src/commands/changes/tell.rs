//! What became of a change, in a sentence, and what to do next.

use std::path::Path;

use lantern_core::census::Way;
use lantern_core::change::Change;
use lantern_core::conversation::{Made, Outcome, Shift};
use lantern_core::facts::Difference;

use super::Errand;
use crate::failure::Failure;
use crate::output::{Out, Tone, counted};

/// Tells what became of one node.
pub(super) fn tell(change: &Change, made: &Made, is_parked: bool, out: &mut Out) -> Result<(), Failure> {
    let (tone, word, text) = if is_parked && made.outcome == Outcome::Done {
        let at = made.subject.address();
        (Tone::Plain, "waits", format!("{} at {at}, until its place is left", change.subject.title()))
    } else {
        sentence(change, made)
    };
    let word = out.paint().dye(tone, word);
    let text = format!("{word}  {text}");
    Ok(out.line(&crate::output::wrapped(&text, out.width(), 2))?)
}

/// Tells that a change is not begun, since one that it waits for did not come to its end.
pub(super) fn held_back(change: &Change, other: &Change, out: &mut Out) -> Result<(), Failure> {
    let word = out.paint().dye(Tone::Doubtful, "held back");
    let (name, at) = (change.subject.title(), change.subject.address());
    let text = format!("{word}  {name} stays at {at}: it waits for {}", other.subject.title());
    Ok(out.line(&crate::output::wrapped(&text, out.width(), 2))?)
}

/// How far a run of changes came that was broken off.
pub(super) fn how_far(
    made: usize,
    of: usize,
    logbook: &Path,
    errand: &Errand,
    out: &mut Out,
) -> Result<(), Failure> {
    let book = logbook.display();
    out.note(&format!("broken off with {made} of {} made; every step is in {book}", counted(of, "change")))?;
    let back = errand.take_back.as_ref().map(|back| format!("; or take it back with: {back}")).unwrap_or_default();
    Ok(out.hint(&format!("{}{back}", errand.go_on))?)
}

fn sentence(change: &Change, made: &Made) -> (Tone, &'static str, String) {
    let name = change.subject.title();
    let (now, before) = (&made.subject, change.subject.address());
    let way = match change.subject.family() {
        Way::Rdmnet => "through its broker".to_owned(),
        _ => format!("at {before}"),
    };
    let there = now.address();
    match &made.outcome {
        Outcome::Done => (Tone::Good, "done", format!("{} at {there}, read back", now.title())),
        Outcome::Unverified(open) => {
            (Tone::Doubtful, "sent", format!("{} at {there}, which did not tell {}", now.title(), own(open)))
        }
        Outcome::HeardOnly(open) => {
            let lease = if there.is_link_local() { "; no DHCP server gave it an address" } else { "" };
            let rest = if open.is_empty() { String::new() } else { format!(" {}", own(open)) };
            (Tone::Doubtful, "heard", format!("{name} at {there}, out of reach for reading back{rest}{lease}"))
        }
        Outcome::MovedAlong(shifts) => (
            Tone::Bad,
            "moved along",
            format!("{} at {there} is as wanted, and changed more than that: {}", now.title(), shifted(shifts)),
        ),
        Outcome::Refused(open) => {
            (Tone::Bad, "refused", format!("{name} at {there} keeps what it had: {}", kept(open)))
        }
        Outcome::Acknowledged(_) => (
            Tone::Bad,
            "acknowledged",
            format!("{name} said that it takes {}, and still answers from {there}", wanted(change)),
        ),
        Outcome::Elsewhere(address) => {
            let planned = change.new_address().map(|to| format!(", and not at {to}")).unwrap_or_default();
            (Tone::Bad, "elsewhere", format!("{name} is at {address} now{planned}"))
        }
        Outcome::Silent { written: false } => {
            (Tone::Bad, "silent", format!("{name} does not answer {way} any more; nothing was sent to it"))
        }
        Outcome::Silent { .. } => {
            let to = change.new_address().filter(|to| *to != before);
            let text = to.map_or_else(
                || format!("{name} does not answer {way} any more"),
                |to| format!("{name} answers neither at {before} nor at {to}"),
            );
            (Tone::Bad, "silent", text)
        }
        Outcome::HalfSent { taken, of, answers } => (
            Tone::Bad,
            "half sent",
            format!(
                "{name} took {taken} of {of} blocks and then said no more to them; it {}",
                if *answers {
                    format!("still answers at {there}")
                } else {
                    format!("does not answer at {before} either")
                }
            ),
        ),
        Outcome::Taken(other) => {
            let to = change.new_address().map_or_else(String::new, |to| to.to_string());
            (
                Tone::Bad,
                "taken",
                format!("{to} is held by {other}, asked a moment before; {name} was not told to move"),
            )
        }
        Outcome::Stranger(other) => (
            Tone::Bad,
            "stranger",
            format!("{other} has {before}, beside {name} or in its place; nothing was sent"),
        ),
        Outcome::Shared(other) => (Tone::Bad, "shared", format!("{name} is at {there}, and {other} is there too")),
    }
}

/// What to do after a failure.
pub(super) fn next(change: &Change, made: &Made, go_on: &str) -> String {
    let name = change.subject.title();
    let seek = change
        .subject
        .mac()
        .map_or_else(|| "deft-lantern survey".to_owned(), |mac| format!("deft-lantern survey --mac {mac}"));
    match &made.outcome {
        Outcome::Taken(_) => {
            let to = change.new_address().map_or_else(String::new, |to| to.to_string());
            format!("see who is there: deft-lantern survey --range {to}")
        }
        Outcome::HalfSent { answers: true, .. } => {
            format!("leave {name} switched on, and send the file anew, from its beginning: {go_on}")
        }
        Outcome::HalfSent { .. } => {
            format!("see to its cable, or switch {name} off and on; when it answers ({seek}): {go_on}")
        }
        Outcome::Acknowledged(_) => format!("switch {name} off and on, then: {seek}"),
        Outcome::Elsewhere(there) => match change.new_address() {
            Some(to) => format!("deft-lantern set {there} --address {to}"),
            None => seek,
        },
        Outcome::Refused(open) => match open.iter().find(|difference| difference.is_cut_short()) {
            Some(short) => format!("choose a {} it keeps whole, such as {}", short.field, short.found_in_words()),
            None if change.subject.patch_point().is_some() => {
                format!("see what it is set to: deft-lantern streams; then: {go_on}")
            }
            None => format!("see what it says of itself: {seek}; where it goes on refusing, set it at the unit"),
        },
        Outcome::MovedAlong(_) => format!("look at it before you go on: {seek}"),
        Outcome::Shared(_) => format!("unplug one of the two, then: {go_on}"),
        _ => format!("{seek}; then: {go_on}"),
    }
}

/// The fields in words: its mask, its gateway.
fn own(open: &[Difference]) -> String {
    let fields: Vec<String> = open.iter().map(|difference| format!("its {}", difference.field)).collect();
    fields.join(", ")
}

fn kept(open: &[Difference]) -> String {
    let one = |difference: &Difference| {
        if difference.is_cut_short() {
            format!(
                "of the {} {} only {}",
                difference.field,
                difference.planned_in_words(),
                difference.found_in_words()
            )
        } else {
            difference.to_string()
        }
    };
    open.iter().map(one).collect::<Vec<_>>().join("; ")
}

fn wanted(change: &Change) -> String {
    let of_ip = change.differences.iter().filter(|difference| difference.field.is_ip());
    of_ip
        .map(|difference| format!("{} {}", difference.field, difference.planned_in_words()))
        .collect::<Vec<_>>()
        .join(", ")
}

fn shifted(shifts: &[Shift]) -> String {
    let one =
        |shift: &Shift| format!("{} from {} to {}", shift.field, shift.before_in_words(), shift.after_in_words());
    shifts.iter().map(one).collect::<Vec<_>>().join("; ")
}
