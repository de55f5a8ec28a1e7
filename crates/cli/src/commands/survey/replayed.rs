//! `survey --capture`: a file instead of the wire.

use std::path::Path;
use std::time::Duration;

use lantern_core::census::Ways;
use lantern_core::conversation::{Extent, OnCables, Survey, SurveyPlan, Vantage};
use lantern_core::diagnosis::{self, Limits};
use lantern_net::{Capture, Damage, replay};

use super::{Args, Outcome, note_unreadable, save, show, tell};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;

/// Runs it.
pub(super) fn run(args: &Args, path: &Path, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = args.at.sheet(out)?;
    let Played { survey, listened, damage, adapter } = play(path, super::plan::ways(&args.only))?;
    note_unreadable(&survey, out)?;
    let limits = Limits {
        plan: survey.plan(),
        listened,
        from_file: true,
        medium: None,
        no_frames: None,
        no_echo: None,
        ports_refused: Vec::new(),
        groups_refused: 0,
        drops_foreign: false,
    };
    let blind_spots = diagnosis::blind_spots(&limits);
    let outcome =
        Outcome::of(survey, args, adapter, blind_spots, listened, sheet.as_ref().map(|file| &file.sheet));
    if let Some(path) = &args.save {
        save(path, &outcome)?;
    }
    let told = tell(args, &outcome, &show::Earlier::NONE, sheet.as_ref(), out)?;
    match damage {
        None => Ok(told),
        Some(damage) => {
            out.error(&format!(
                "{} is damaged after packet {}: {}; what was read until there is shown",
                path.display(),
                damage.after,
                damage.why
            ))?;
            Ok(Exit::Unfinished)
        }
    }
}

/// A survey of a file, played to its end.
pub(crate) struct Played {
    pub(crate) survey: Survey,
    pub(crate) listened: Duration,
    /// Where the file is damaged: what was read until there counts.
    pub(crate) damage: Option<Damage>,
    pub(crate) adapter: String,
}

/// Listens to the file to its end, where the computer sat that recorded it.
pub(crate) fn play(path: &Path, ways: Ways) -> Result<Played, Failure> {
    let failed = |error| Failure::Capture { path: path.to_owned(), error };
    let mut capture = Capture::open(path).map_err(failed)?;
    let seats = capture.seats().to_vec();
    let mut survey = Survey::new(SurveyPlan {
        vantage: Vantage { own_mac: capture.own_mac(), ..Vantage::of_seats(seats) },
        ways,
        extent: Extent::Listen(Duration::MAX),
        on_cables: OnCables::Count,
        ..SurveyPlan::art_net(Vec::new(), None, false)
    });
    let adapter = capture.adapter().unwrap_or("unknown").to_owned();
    let (listened, damage) = replay(&mut survey, &mut capture, |_, _, _| {});
    Ok(Played { survey, listened, damage, adapter })
}
