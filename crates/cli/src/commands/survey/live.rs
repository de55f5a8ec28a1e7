//! Showing a survey while it runs: how far it is, and rows as they come.

use std::time::Duration;

use lantern_core::conversation::{Glimpse, Survey, SurveyEvent};
use lantern_net::Traffic;

use crate::failure::Failure;
use crate::output::{Out, Progress, Tone};
use crate::session::{Session, fixtures_read};

/// The most rows shown while it runs; the table at its end shows the rest.
const MOST_ROWS: usize = 300;

/// How a survey went.
pub(super) struct Ran {
    /// What went through.
    pub(super) traffic: Traffic,
    /// How long it took.
    pub(super) listened: Duration,
    /// The interruption that broke it off.
    pub(super) broken: Option<Failure>,
}

/// Runs a survey to its end, or to an interruption.
pub(super) fn run(survey: &mut Survey, session: &Session, out: &mut Out) -> Result<Ran, Failure> {
    let progress = out.progress();
    let expected = session.sheet().map(|sheet| sheet.nodes.len());
    let paint = out.notes_paint();
    let (mut rows, mut listened) = (0, Duration::ZERO);
    let (traffic, broken) = session.run_as_far_as_possible(survey, |survey, now, event| {
        listened = now;
        match event {
            Some(SurveyEvent::Seen(glimpse)) if rows < MOST_ROWS => {
                rows += 1;
                let row = row(&glimpse);
                progress.line(&paint.dye(Tone::Faint, &row));
            }
            Some(_) => {}
            None => show(&progress, survey, now, expected),
        }
        Ok(())
    })?;
    Ok(Ran { traffic, listened, broken })
}

fn show(progress: &Progress, survey: &Survey, now: Duration, expected: Option<usize>) {
    let state = survey.progress(now);
    let of = expected.map(|n| format!(" ({n} on the sheet)")).unwrap_or_default();
    let (asked, left) = state.swept;
    let swept =
        if left > 0 { format!(", {asked} of at most {} addresses asked", asked + left) } else { String::new() };
    let time = state.left.map(|left| format!(", at most {:.1} s more", left.as_secs_f32())).unwrap_or_default();
    let read = fixtures_read(&state);
    progress.show(format!("{} devices seen, {} Art-Net nodes{of}{read}{swept}{time}", state.seen, state.found));
}

/// The first that was seen of somebody, in a line.
pub(crate) fn row(glimpse: &Glimpse) -> String {
    let mac = glimpse.mac.map_or_else(|| "MAC not seen".to_owned(), |mac| mac.to_string());
    let address =
        if glimpse.address.is_unspecified() { "no address".to_owned() } else { glimpse.address.to_string() };
    format!(
        "{:>7.3} s  {address:<15}  {mac:<17}  {:<10}  {}",
        glimpse.at.as_secs_f32(),
        glimpse.way.to_string(),
        glimpse.name
    )
}
