//! `apply`: make the rig what the sheet says.

use std::io::{self, IsTerminal};
use std::path::PathBuf;

use lantern_core::address::AddressRange;
use lantern_core::change::{Aspect, ChangePlan, Part, plan_rig, waiting_places};
use lantern_core::compare::{compare_all, compare_fixtures, compare_patches};
use lantern_core::conversation::{Concern, OnCables};
use lantern_core::logbook::{Begun, Order, Run, resume};
use lantern_core::pattern::Pattern;
use lantern_core::sheet::SheetNode;

use super::changes::{Around, Errand, HowToWrite, Reach, carry_out, let_settle, word, words};
use super::{guided, named};
use crate::commands::logbook::when;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::logbook_file::runs_of;
use crate::output::Out;
use crate::session::{OnSheet, Session};

/// Set every node as the rig sheet says
///
/// Looks who is there, shows every change as from and to with its reason and what it waits for, asks, writes, reads back, and
/// keeps a logbook beside the sheet. Addresses that go round in a ring go by a free one. Sends nothing while the sheet
/// contradicts itself or a wanted address is taken. Broken off, it is gone on with by --resume, or taken back by undo.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    pub(crate) on: OnSheet,

    /// Only these nodes of the sheet, as in 'quay-*'; may be given several times
    #[arg(long, value_name = "NAME")]
    pub(crate) node: Vec<Pattern>,

    /// Only the nodes of this area; may be given several times
    #[arg(long, value_name = "AREA")]
    pub(crate) area: Vec<String>,

    /// Only this sort of settings; may be given several times
    #[arg(long, value_name = "SORT", value_parser = word(&Aspect::WORDS))]
    pub(crate) only: Vec<String>,

    /// The fixtures behind the gateways too: mode and start address, by RDM
    #[arg(long)]
    pub(crate) fixtures: bool,

    /// Where a node waits whose place is still taken, as 10.40.250.1-10.40.250.9; without it any free address of its subnet
    #[arg(long, value_name = "RANGE")]
    pub(crate) parking: Option<AddressRange>,

    /// Go on with the last run, which was broken off or left something undone
    #[arg(long, conflicts_with_all = ["node", "area", "only", "fixtures"])]
    pub(crate) resume: bool,

    /// Draw the plan as a page: what waits for what, what can go wrong, what taking it back means
    #[arg(long, value_name = "FILE.html", conflicts_with = "guided")]
    pub(crate) page: Option<PathBuf>,

    /// Guide me through what the network alone does not do: units that share one address, fixtures on the wrong cable, settings
    /// at the unit itself
    #[arg(long, conflicts_with_all = ["dry_run", "yes", "json", "parking"])]
    pub(crate) guided: bool,

    /// Write down everything sent and heard in this capture file (pcapng)
    #[arg(long, value_name = "FILE.pcapng")]
    pub(crate) record: Option<PathBuf>,

    #[command(flatten)]
    pub(crate) how: HowToWrite,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let mut file = SheetFile::read(&args.on.sheet)?;
    file.refuse_clashes()?;
    let runs = runs_of(&file.logbook(), out)?;
    let resumed = if args.resume { Some(to_resume(&runs, &file)?) } else { None };
    let part = match resumed {
        Some(run) => run.begun.as_ref().map(|begun| begun.part.clone()).unwrap_or_default(),
        None => named::part(&file, &args.node, &args.area, words(&Aspect::WORDS, &args.only))?,
    };
    match resumed {
        Some(run) => go_on(run, &mut file, out)?,
        None => {
            if let Some(run) = Run::to_resume(&runs) {
                out.note(&format!(
                    "the run of {} was not finished; this one plans anew what is open",
                    when(&run.at)
                ))?;
            }
        }
    }
    let mut session = Session::with_sheet(args.on.adapter.as_deref(), Some(file), out)?;
    session.record(args.record.as_deref())?;
    let _alone = args.how.alone_on(&session)?;
    let_settle(&runs, &session.logbook_path(), out)?;
    let sheet = args.on.sheet.display().to_string();
    let fixtures = args.fixtures || resumed.and_then(|run| run.begun.as_ref()).is_some_and(|begun| begun.fixtures);
    let begun = Begun {
        order: Order::Apply,
        sheet: Some(sheet.clone()),
        part: part.clone(),
        undoes: None,
        keep: 0,
        resumed: resumed.is_some(),
        guided: false,
        fixtures,
    };
    let was_guided = resumed.and_then(|run| run.begun.as_ref()).is_some_and(|begun| begun.guided);
    if args.guided || (was_guided && !args.how.yes && !args.how.dry_run && io::stdin().is_terminal()) {
        let ended = guided::run(&session, &part, &begun, resumed, args.how, out);
        session.end_recording(out)?;
        return ended;
    }
    let mut reach = Reach::of(session, args.how, out, |session, out| {
        let mut plan = args.plan(session, &part, fixtures, &runs, out)?;
        if let Some(run) = resumed {
            resume::place_silent(run, &mut plan);
        }
        Ok(plan)
    })?;
    let errand = Errand {
        go_on: format!("deft-lantern apply {sheet} --resume"),
        take_back: Some(format!("deft-lantern undo --sheet {sheet}")),
        page: args.page.clone(),
        begun,
        run: resumed.map(|run| run.id.clone()),
    };
    let ended = carry_out(&reach.session, &reach.plan, &errand, args.how, out);
    reach.session.end_recording(out)?;
    // What the run came to is told first.
    let given_back = reach.give_back(out);
    ended.and_then(|ended| given_back.map(|()| ended))
}

fn to_resume<'a>(runs: &'a [Run], file: &SheetFile) -> Result<&'a Run, Failure> {
    Run::to_resume(runs).ok_or_else(|| Failure::NothingToResume {
        logbook: file.logbook(),
        last: runs.last().map(|run| (run.at.clone(), run.order())),
    })
}

/// Says with what it is gone on, and what the sheet wants otherwise now; whoever was known by its MAC address then is known by
/// it now.
fn go_on(run: &Run, file: &mut SheetFile, out: &mut Out) -> Result<(), Failure> {
    out.note(&format!("going on with the run of {}: {}", when(&run.at), resume::how_far(run)))?;
    for change in resume::changed_since(run, &file.sheet) {
        out.note(&format!("the sheet was changed since: {change}"))?;
    }
    resume::learn_identities(run, &mut file.sheet);
    Ok(())
}

impl Args {
    /// Everything on the sheet.
    pub(crate) const fn of_all(on: OnSheet, how: HowToWrite) -> Self {
        Self {
            on,
            node: Vec::new(),
            area: Vec::new(),
            only: Vec::new(),
            parking: None,
            resume: false,
            page: None,
            guided: false,
            fixtures: false,
            record: None,
            how,
        }
    }

    /// Looks who is there, and plans what it takes.
    fn plan(
        &self,
        session: &Session,
        part: &Part,
        fixtures: bool,
        runs: &[Run],
        out: &mut Out,
    ) -> Result<ChangePlan, Failure> {
        let Some(sheet) = session.sheet() else { return Ok(ChangePlan::default()) };
        let planned = sheet.nodes.iter().filter_map(SheetNode::fixed_address);
        let likely = planned.chain(waiting_places(session.seats(), Some(sheet), self.parking)).collect();
        let on_cables = if fixtures { OnCables::Read } else { OnCables::Nothing };
        let look = session.look_and_listen(Concern::of_sheet(sheet), likely, Vec::new(), on_cables, out)?;
        let comparison = compare_all(sheet, &look.census, look.everybody());
        let hanging = fixtures.then(|| compare_fixtures(sheet, &look.census));
        let around = Around::of(session, &look, runs)?.parking(self.parking);
        let patches = compare_patches(sheet, &look.census, &look.devices);
        Ok(plan_rig(&comparison, hanging.as_ref(), Some(&patches), &around.protection(), part))
    }
}
