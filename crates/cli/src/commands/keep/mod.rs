//! `keep`: the settings of nodes in files, and back onto the same node or its replacement.

mod diff;
mod put;
mod save;
mod show;

use std::net::Ipv4Addr;
use std::path::{Path, PathBuf};

use lantern_core::census::{Again, Subject};
use lantern_core::conversation::{Concern, Depth};
use lantern_core::keepsake::Keepsake;

use crate::commands::named::{self, AboutFixtures};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files;
use crate::output::Out;
use crate::session::{Look, Session};

/// Keep the settings of nodes in files, and put them back
#[derive(Debug, clap::Subcommand)]
pub(crate) enum Command {
    Save(save::Args),
    Show(show::Args),
    Diff(diff::Args),
    Put(put::Args),
}

/// Runs it.
pub(crate) fn run(command: &Command, out: &mut Out) -> Result<Exit, Failure> {
    match command {
        Command::Save(args) => save::run(args, out),
        Command::Show(args) => show::run(args, out),
        Command::Diff(args) => diff::run(args, out),
        Command::Put(args) => put::run(args, out),
    }
}

/// A keepsake and the file it came from.
struct Kept {
    path: PathBuf,
    keepsake: Keepsake,
}

impl Kept {
    fn read(path: &Path) -> Result<Self, Failure> {
        let text = files::read_text(path)?;
        let keepsake =
            Keepsake::read(&text).map_err(|error| Failure::Keepsake { path: path.to_owned(), error })?;
        Ok(Self { path: path.to_owned(), keepsake })
    }

    fn all(paths: &[PathBuf]) -> Result<Vec<Self>, Failure> {
        paths.iter().map(|path| Self::read(path)).collect()
    }
}

/// Looks for the units these were taken of, or for the one that is meant instead.
fn look(session: &Session, kept: &[Kept], on: Option<&String>, out: &mut Out) -> Result<Look, Failure> {
    let mut likely: Vec<_> = kept.iter().map(|one| one.keepsake.node.address).collect();
    if let Some(node) = on {
        likely.extend(node.parse::<Ipv4Addr>().ok());
        let fixtures = (AboutFixtures::Perhaps, Depth::Settings);
        return named::look_into(session, std::slice::from_ref(node), likely, fixtures, out);
    }
    let concern = Concern::of_known(kept.iter().map(|one| &one.keepsake.node), likely.iter().copied());
    let nodes: Vec<_> = kept.iter().map(|one| &one.keepsake.node).collect();
    let on_cables = named::known_on_cables(&nodes, Depth::Settings);
    session.look_and_listen(concern, likely, Vec::new(), on_cables, out)
}

/// Whom a keepsake is held against: the one that is meant, else the unit it was taken of.
fn subject(kept: &Kept, on: Option<&String>, session: &Session, look: &Look) -> Result<Subject, Failure> {
    if let Some(node) = on {
        return named::subject(node, &look.census, session.sheet());
    }
    let node = &kept.keepsake.node;
    match look.census.again(node) {
        Again::Is(subject) => Ok(subject),
        Again::Nobody => Err(Failure::KeptOfNobody { path: kept.path.clone(), name: node.name.clone() }),
        Again::Several => Err(Failure::KeptOfSeveral { path: kept.path.clone(), name: node.name.clone() }),
    }
}
