//! `sheet new`: a first sheet, empty or from what is there.

use std::path::PathBuf;

use lantern_core::address::Subnet;
use lantern_core::census::{Census, FoundNode};
use lantern_core::conversation::Concern;
use lantern_core::exchange::Draft;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files;
use crate::output::Out;
use crate::session::{Session, Where};

/// Write a first rig sheet, with comments that teach
///
/// Empty, or with the nodes of a saved census (--from) or of a survey made now (--survey). Never overwrites a file.
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

    /// Take the nodes from a saved census
    #[arg(long, value_name = "FILE.census.json", conflicts_with = "survey")]
    from: Option<PathBuf>,

    /// Look who is there now, and take those nodes
    #[arg(long)]
    survey: bool,

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
    let text = Draft { name: &args.name, network, census: census.as_ref() }.text();
    files::write_new(&args.file, &text)?;
    let nodes = census.map_or(0, |census| census.nodes().len());
    out.note(&format!("wrote {} with {nodes} nodes", args.file.display()))?;
    out.hint(&format!("look through it in an editor, then: deft-lantern sheet clashes {}", args.file.display()))?;
    Ok(Exit::Fine)
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
        let look = session.look(Concern::Everybody, Vec::new(), out)?;
        return Ok((Some(look.census), session.subnets().first().copied()));
    }
    Ok((None, None))
}

fn usual_range() -> Result<Subnet, Failure> {
    "10.40.0.0/16".parse().map_err(|error| Failure::Call(format!("{error}")))
}
