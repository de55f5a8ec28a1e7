//! `keep put`: what was kept, back onto the same unit or onto its replacement.

use std::path::PathBuf;

use lantern_core::census::NodeName;
use lantern_core::change::{Part, Wish, plan_each};
use lantern_core::logbook::Order;

use super::Kept;
use crate::commands::changes::{Around, Errand, HowToWrite, carry_out, let_settle};
use crate::commands::logbook::when;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::logbook_file::runs_of;
use crate::output::Out;
use crate::session::{Session, Where};

/// Put what was kept back onto the unit, or onto its replacement
///
/// Shown first, checked against everybody who answers, read back, written down, like any change. With --on it goes onto another
/// unit, which takes the place of the one that is gone: its address too.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The keepsakes
    #[arg(value_name = "FILE.keep.toml", required = true)]
    file: Vec<PathBuf>,

    /// Onto this node, the replacement: name, address or MAC address
    #[arg(long, value_name = "NODE")]
    on: Option<String>,

    #[command(flatten)]
    at: Where,

    #[command(flatten)]
    how: HowToWrite,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let all = Kept::all(&args.file)?;
    if args.on.is_some() && all.len() > 1 {
        return Err(Failure::Call(format!("{} keepsakes for one node; name one of them", all.len())));
    }
    let session = Session::open(&args.at, out)?;
    let _alone = args.how.alone_on(&session)?;
    let runs = runs_of(&session.logbook_path(), out)?;
    let_settle(&runs, &session.logbook_path(), out)?;
    let look = super::look(&session, &all, args.on.as_ref(), out)?;
    let mut wishes = Vec::new();
    let mut gone: Option<NodeName> = None;
    for kept in &all {
        let subject = super::subject(kept, args.on.as_ref(), &session, &look)?;
        let keepsake = &kept.keepsake;
        if subject.mac() != keepsake.node.mac {
            gone = Some(keepsake.node.clone());
        }
        let reason = format!("kept {}", when(&keepsake.taken));
        wishes.push(Wish::as_told(subject, keepsake.wanted(), reason));
    }
    let replaced = gone.clone();
    let around = Around::of(&session, &look, &runs)?.stands_for(gone).outside(true);
    let plan = plan_each(&wishes, &around.protection());
    let errand = Errand::asked_for(Order::Keep, Part::default(), &session);
    let ended = carry_out(&session, &plan, &errand, args.how, out)?;
    if let (Some(gone), Some(wish), Some(_)) = (replaced, wishes.first(), session.sheet())
        && let Some(mac) = wish.subject.mac()
        && !args.how.dry_run
    {
        out.hint(&format!("write the new MAC address of {} into the sheet: mac = \"{mac}\"", gone.name))?;
    }
    Ok(ended)
}
