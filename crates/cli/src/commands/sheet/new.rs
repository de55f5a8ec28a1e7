//! `sheet new`: a first sheet, empty or from what is there.

use std::path::PathBuf;

use lantern_core::address::Subnet;
use lantern_core::census::{Census, FoundNode};
use lantern_core::conversation::{Concern, OnCables};
use lantern_core::exchange::Draft;
use lantern_core::sheet::kind::{Kind, KindBook};

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files;
use crate::output::{Out, counted};
use crate::session::{Session, Where};

/// Write a first rig sheet, with comments that teach
///
/// Empty, with so many units as there will be (--units), or with the nodes of a saved census (--from) or of a survey made now
/// (--survey). Never overwrites a file.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The file to write, usually NAME.rig.toml
    #[arg(value_name = "FILE.rig.toml")]
    file: PathBuf,

    /// The rig's name
    #[arg(long, value_name = "TEXT", default_value = "My rig")]
    name: String,

    /// The network's range; without it, that of the adapter, or 10.40.0.0/16
    #[arg(long, value_name = "ADDRESS/PREFIX")]
    range: Option<Subnet>,

    /// So many units of a kind, as in 12xmarrowbright-four; may be given several times
    #[arg(long, value_name = "NUMBERxKIND", value_parser = units, conflicts_with_all = ["from", "survey"])]
    units: Vec<(u32, String)>,

    /// The areas that the units are spread over, as in Quay,Hall
    #[arg(long, value_name = "NAME,…", value_delimiter = ',', requires = "units")]
    areas: Vec<String>,

    /// Take the nodes from a saved census
    #[arg(long, value_name = "FILE.census.json", conflicts_with = "survey")]
    from: Option<PathBuf>,

    /// Look who is there now, and take those nodes
    #[arg(long)]
    survey: bool,

    /// Ask the fixtures behind the gateways too, by RDM, and take them
    #[arg(long, requires = "survey")]
    fixtures: bool,

    /// The adapter for the survey
    #[arg(long, value_name = "NAME|ADDRESS", requires = "survey")]
    adapter: Option<String>,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    if args.file.exists() {
        return Err(Failure::Exists { path: args.file.clone() });
    }
    let (census, subnet) = found(args, out)?;
    let network = args.range.or(subnet).map_or_else(usual_range, Ok)?;
    let units =
        args.units.iter().map(|(count, name)| Ok((*count, kind(name)?))).collect::<Result<Vec<_>, Failure>>()?;
    let planned: u32 = units.iter().map(|(count, _)| count).sum();
    let draft = Draft { name: &args.name, network, census: census.as_ref(), units: &units, areas: &args.areas };
    files::write_new(&args.file, &draft.text())?;
    let nodes = census.as_ref().map_or(planned as usize, |census| census.nodes().len());
    let fixtures = census.map_or(0, |census| census.fixtures().iter().filter(|one| one.slots().is_some()).count());
    let behind = if fixtures > 0 { format!(" and {}", counted(fixtures, "fixture")) } else { String::new() };
    out.note(&format!("wrote {} with {nodes} nodes{behind}", args.file.display()))?;
    let next = if planned > 0 { "fill" } else { "clashes" };
    out.hint(&format!("look through it in an editor, then: deft-lantern sheet {next} {}", args.file.display()))?;
    Ok(Exit::Fine)
}

/// The most units of a kind.
const MOST_UNITS: u32 = 10_000;

fn units(text: &str) -> Result<(u32, String), String> {
    let (count, kind) = text.split_once('x').ok_or("as in 12xmarrowbright-four")?;
    match count.parse() {
        Ok(count) if (1..=MOST_UNITS).contains(&count) => Ok((count, kind.to_owned())),
        _ => Err(format!("{count:?} is not in 1..={MOST_UNITS}")),
    }
}

fn kind(name: &str) -> Result<&'static Kind, Failure> {
    let book = KindBook::shipped();
    book.named(name)
        .ok_or_else(|| Failure::Call(format!("no kind is called {name}; there are {}", book.names().join(", "))))
}

fn found(args: &Args, out: &mut Out) -> Result<(Option<Census>, Option<Subnet>), Failure> {
    if let Some(path) = &args.from {
        let saved = files::read_census(path)?;
        let nodes = saved.census.nodes();
        // What the nodes tell of their mask goes first; then where the survey was made.
        let here = |node: &FoundNode| saved.networks.iter().find(|network| network.contains(node.address));
        let tells = nodes.iter().any(|node| node.mask().is_some());
        let around = match nodes.iter().find_map(here).filter(|_| !tells) {
            Some(network) => Some(*network),
            None => Subnet::holding(nodes.iter().map(|node| (node.address, node.mask()))),
        };
        return Ok((Some(saved.census), around));
    }
    if args.survey {
        let session = Session::open(&Where { adapter: args.adapter.clone(), sheet: None }, out)?;
        let on_cables = if args.fixtures { OnCables::Read } else { OnCables::Nothing };
        let look = session.look_and_listen(Concern::Everybody, Vec::new(), Vec::new(), on_cables, out)?;
        return Ok((Some(look.census), session.subnets().first().copied()));
    }
    Ok((None, None))
}

fn usual_range() -> Result<Subnet, Failure> {
    "10.40.0.0/16".parse().map_err(|error| Failure::Call(format!("{error}")))
}
