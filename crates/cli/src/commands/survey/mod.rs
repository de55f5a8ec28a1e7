//! `survey`: who is there, in every way at once.

mod fixtures;
mod live;
mod plan;
mod remembered;
mod replayed;
mod show;

use std::net::Ipv4Addr;
use std::path::{Path, PathBuf};
use std::time::Duration;

use lantern_core::MacAddress;
use lantern_core::address::{AddressRange, Subnet};
use lantern_core::census::{Census, CensusFile, Device, Viewpoint, Way};
use lantern_core::clash::{shared_addresses, world_clashes};
use lantern_core::conversation::{Survey, SurveyPlan};
use lantern_core::diagnosis::{self, Emptiness};
use lantern_core::finding::Finding;
use lantern_core::sheet::RigSheet;
use serde::Serialize;

use crate::clock;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files;
use crate::hints;
use crate::memory::{Memory, Remembered};
use crate::output::Out;
use crate::session::{Session, Where};

use live::Ran;
pub(crate) use live::row;
pub(crate) use plan::wants;
pub(crate) use replayed::play;

const USUAL_PACE: u32 = 500;

/// Find everything that is on the wire, also what is set wrongly
///
/// Asks in every way at once and listens for about three seconds: Art-Net, sACN, DNS-SD, SAP, LLRP, ARP, echo, DHCP, LLDP,
/// IGMP. With a rig sheet it ends as soon as every node on it has answered. Nothing is changed on any device.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    #[command(flatten)]
    pub(crate) at: Where,

    /// Ask these addresses one by one: 10.40.1.0/24, or 10.40.1.1-10.40.1.99; may be repeated
    #[arg(long, value_name = "RANGE", value_delimiter = ',')]
    pub(crate) range: Vec<AddressRange>,

    /// Find one unit by the MAC address on its label
    #[arg(long, value_name = "MAC", conflicts_with_all = ["range", "listen"])]
    pub(crate) mac: Option<MacAddress>,

    #[arg(long, value_name = "WAYS", value_delimiter = ',', help = in_these_ways())]
    pub(crate) only: Vec<Way>,

    /// Only listen, for so long, as 30s or 2m: not a single packet is sent
    #[arg(long, value_name = "TIME", value_parser = time, conflicts_with_all = ["range", "pace"])]
    pub(crate) listen: Option<Duration>,

    /// Go on at least for so long, for what tells itself seldom
    #[arg(long = "for", value_name = "TIME", value_parser = time, conflicts_with_all = ["listen", "range"])]
    pub(crate) least: Option<Duration>,

    /// Packets a second to single addresses at most: a show may be running
    #[arg(long, value_name = "NUMBER", default_value_t = USUAL_PACE, value_parser = clap::value_parser!(u32).range(1..=10_000))]
    pub(crate) pace: u32,

    /// List these too: universes, streams, services
    #[arg(long, value_name = "WHAT", value_delimiter = ',')]
    pub(crate) show: Vec<show::Part>,

    /// Ask every fixture behind the gateways what it is, by RDM over their cables, and list them; without, they are counted
    #[arg(long, value_name = "BY", num_args = 0..=1, require_equals = true, default_missing_value = "gateway",
          conflicts_with_all = ["listen", "range", "mac", "capture", "remembered"])]
    pub(crate) fixtures: Option<fixtures::Order>,

    /// Let the gateways forget their tables and search their cables anew first, for what was plugged in later; asks before
    #[arg(long, requires = "fixtures")]
    pub(crate) rediscover: bool,

    /// Do not ask before that
    #[arg(long, requires = "rediscover")]
    pub(crate) yes: bool,

    /// Save what was found, to be compared or replayed later
    #[arg(long, value_name = "FILE.census.json")]
    pub(crate) save: Option<PathBuf>,

    /// Write down everything sent and heard, as a pcapng file
    #[arg(long, value_name = "FILE.pcapng", conflicts_with = "capture")]
    pub(crate) record: Option<PathBuf>,

    /// Look at a pcap or pcapng file instead of the wire; nothing is sent
    #[arg(long, value_name = "FILE", conflicts_with_all = ["adapter", "range", "mac", "listen", "least", "pace"])]
    pub(crate) capture: Option<PathBuf>,

    /// Only show what earlier surveys saw; nothing is sent
    #[arg(long, conflicts_with_all = ["capture", "record", "save", "range", "mac", "listen", "least", "pace", "only"])]
    pub(crate) remembered: bool,
}

/// A time as people write it.
pub(crate) fn time(text: &str) -> Result<Duration, String> {
    let wrong = || "a time is written 30s, 2m or 500ms".to_owned();
    let span: jiff::SignedDuration = text.parse().map_err(|_| wrong())?;
    Duration::try_from(span)
        .ok()
        .filter(|time| !time.is_zero() && *time <= Duration::from_secs(86_400))
        .ok_or_else(wrong)
}

impl Args {
    /// Whether it is not about one unit or some ranges only.
    fn is_about_everything(&self) -> bool {
        self.range.is_empty() && self.mac.is_none()
    }

    /// A survey as it is without options, saved to a file.
    pub(crate) fn plain(at: Where, save: PathBuf) -> Self {
        Self {
            at,
            range: Vec::new(),
            mac: None,
            only: Vec::new(),
            listen: None,
            least: None,
            pace: USUAL_PACE,
            show: Vec::new(),
            fixtures: None,
            rediscover: false,
            yes: false,
            save: Some(save),
            record: None,
            capture: None,
            remembered: false,
        }
    }
}

/// What a survey saw, put together and judged.
pub(crate) struct Outcome {
    pub(crate) plan: SurveyPlan,
    pub(crate) adapter: String,
    /// When, in UTC.
    pub(crate) taken: String,
    /// The networks that this computer was in.
    pub(crate) networks: Vec<Subnet>,
    pub(crate) census: Census,
    pub(crate) devices: Vec<Device>,
    pub(crate) findings: Vec<Finding>,
    pub(crate) blind_spots: Vec<String>,
    pub(crate) listened: Duration,
}

/// A census with what is wrong in it.
#[derive(Debug, Serialize)]
struct Answer<'a> {
    #[serde(flatten)]
    census: CensusFile<'a>,
    findings: &'a [Finding],
    blind_spots: &'a [String],
}

/// The help of `--only`: every way there is.
fn in_these_ways() -> String {
    format!("Look only in these ways: {}", Way::ALL.map(Way::name).join(", "))
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    if args.remembered {
        return remembered::run(&args.at, out);
    }
    if let Some(path) = &args.capture {
        return replayed::run(args, path, out);
    }
    let sheet = args.at.sheet(out)?;
    let mut session = Session::wanting(&wants(&args.only), args.at.adapter.as_deref(), sheet, out)?;
    let (mut memory, known) = memory(&session, out)?;
    session.record(args.record.as_deref())?;
    let plan = plan::of(args, &session, &known);
    plan::announce(&plan, out)?;
    if args.rediscover && !args.yes {
        out.note(
            "the gateways search every cable anew: for up to a minute and a half RDM goes over them, none of their fixtures is in a table \
             meanwhile, and what does not stand RDM may flicker",
        )?;
        if !out.confirmed("Search now?")?.ok_or(Failure::NobodyToAsk)? {
            out.note("nothing was sent")?;
            return Ok(Exit::Fine);
        }
    }
    let mut survey = Survey::new(plan);
    let Ran { traffic, listened, broken } = live::run(&mut survey, &session, out)?;
    session.end_recording(out)?;
    note_unreadable(&survey, out)?;
    let limits = plan::limits(&survey, &session, traffic, listened);
    let blind_spots = diagnosis::blind_spots(&limits);
    let outcome = Outcome::of(survey, args, session.adapter().to_owned(), blind_spots, listened, session.sheet());
    let network = session.seats().first().map_or_else(String::new, |seat| seat.subnet.to_string());
    let last: Vec<&Remembered> = known.iter().filter(|one| one.in_last && one.network == network).collect();
    let wholly = args.is_about_everything() && args.only.is_empty() && broken.is_none();
    // A survey that saw nobody tells of a cable, not of the rig.
    if let Some(memory) = memory.as_mut().filter(|_| args.mac.is_none() && !outcome.devices.is_empty())
        && let Err(failure) = memory.remember(&network, &outcome.taken, &outcome.devices, wholly)
    {
        // What was seen is shown, whether or not it can be remembered.
        out.note(&failure.to_string())?;
    }
    if let Some(path) = &args.save {
        save(path, &outcome)?;
    }
    if let Some(broken) = broken {
        let time = listened.as_secs_f32();
        out.note(&format!("broken off after {time:.1} s: not everybody has had time to answer"))?;
        let earlier = show::Earlier { known: &known, last: &[] };
        tell(args, &outcome, &earlier, None, out)?;
        return Err(broken);
    }
    if outcome.devices.is_empty() && !out.is_json() {
        return nothing_found(&session, &outcome.plan, traffic.heard, out);
    }
    let earlier = show::Earlier { known: &known, last: if wholly { &last } else { &[] } };
    tell(args, &outcome, &earlier, session.sheet_file().filter(|_| wholly), out)
}

/// The memory, and what is in it. One that cannot be used is told, and the survey goes on without it.
fn memory(session: &Session, out: &mut Out) -> Result<(Option<Memory>, Vec<Remembered>), Failure> {
    let opened = Memory::open(session.sheet_file(), session.is_simulated());
    match opened
        .and_then(|memory| memory.as_ref().map_or_else(|| Ok(Vec::new()), Memory::all).map(|all| (memory, all)))
    {
        Ok(opened) => Ok(opened),
        Err(failure) => {
            out.note(&failure.to_string())?;
            if let Some(hint) = hints::hint(&failure) {
                out.note(&format!("  {hint}"))?;
            }
            Ok((None, Vec::new()))
        }
    }
}

/// Tells the outcome, as JSON or for people.
fn tell(
    args: &Args,
    outcome: &Outcome,
    earlier: &show::Earlier<'_>,
    sheet: Option<&files::SheetFile>,
    out: &mut Out,
) -> Result<Exit, Failure> {
    if out.is_json() {
        let census = outcome.file();
        out.object(&Answer { census, findings: &outcome.findings, blind_spots: &outcome.blind_spots })?;
        return Ok(Exit::of(&outcome.findings));
    }
    match args.mac {
        Some(mac) => show::one(mac, outcome, earlier, out)?,
        None if args.is_about_everything() => {
            let lists = show::Lists { parts: &args.show, fixtures: args.fixtures };
            show::all(outcome, earlier, &lists, sheet, out)?;
        }
        None => show::part(outcome, earlier, out)?,
    }
    if let Some(path) = &args.save {
        out.note(&format!("saved as {}", path.display()))?;
    }
    let is_missing = args.mac.is_some_and(|mac| !outcome.devices.iter().any(|device| device.mac == Some(mac)));
    Ok(if is_missing { Exit::Wrong } else { Exit::of(&outcome.findings) })
}

impl Outcome {
    fn of(
        survey: Survey,
        args: &Args,
        adapter: String,
        blind_spots: Vec<String>,
        listened: Duration,
        sheet: Option<&RigSheet>,
    ) -> Self {
        let (viewpoint, plan): (Viewpoint, SurveyPlan) = (survey.viewpoint(), survey.plan().clone());
        let census = survey.into_census();
        let mut devices = census.devices(&viewpoint);
        if !args.range.is_empty() {
            let asked = |address: &Ipv4Addr| args.range.iter().any(|range| range.contains(*address));
            devices.retain(|device| device.addresses.iter().any(asked));
        }
        // Asked about a part, the rest is not judged.
        let findings = if args.is_about_everything() {
            world_clashes(&census, &devices, &viewpoint, sheet)
        } else {
            let meant = |device: &&Device| args.mac.is_none() || device.mac == args.mac;
            let devices: Vec<Device> = devices.iter().filter(meant).cloned().collect();
            shared_addresses(&census, &devices, &viewpoint)
        };
        let taken = clock::now().to_string();
        Self {
            plan,
            adapter,
            taken,
            networks: viewpoint.subnets,
            census,
            devices,
            findings,
            blind_spots,
            listened,
        }
    }

    fn file(&self) -> CensusFile<'_> {
        CensusFile::new(&self.census, &self.devices, &self.taken, &self.adapter, &self.networks)
    }
}

fn note_unreadable(survey: &Survey, out: &mut Out) -> Result<(), Failure> {
    if survey.unreadable() > 0 {
        out.note(&format!("{} messages could not be read and were left out", survey.unreadable()))?;
    }
    Ok(())
}

fn save(path: &Path, outcome: &Outcome) -> Result<(), Failure> {
    files::write_object(path, &outcome.file())
}

fn nothing_found(session: &Session, plan: &SurveyPlan, heard: u64, out: &mut Out) -> Result<Exit, Failure> {
    let Some(adapter) = session.adapter_facts() else { return Ok(Exit::Wrong) };
    let others = session.computer().adapters.iter().filter(|other| {
        other.name != adapter.name && other.is_up() && !other.is_loopback() && !other.addresses.is_empty()
    });
    let shared = session.station().is_shared();
    let causes = diagnosis::nothing_found(&Emptiness {
        adapter,
        plan,
        port_shared_with: shared.then(|| session.port_holder()),
        others: others.map(|other| other.name.clone()).collect(),
        heard,
    });
    out.line("no device was seen")?;
    out.note("likely causes, in the order in which to rule them out:")?;
    for (number, cause) in (1..).zip(causes) {
        out.note(&crate::output::wrapped(&format!("  {number}. {cause}"), out.width(), 5))?;
    }
    Ok(Exit::Wrong)
}
