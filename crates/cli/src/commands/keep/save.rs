//! `keep save`: what nodes are set to, into files.

use std::collections::HashSet;
use std::fs;
use std::path::PathBuf;

use lantern_core::census::Subject;
use lantern_core::conversation::Depth;
use lantern_core::keepsake::Keepsake;
use serde::Serialize;

use crate::clock;
use crate::commands::named::{self, AboutFixtures};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files;
use crate::output::{Out, counted};
use crate::session::{Session, Where};

/// Keep every setting of nodes, one readable file for each
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The nodes: name, address or MAC address; several by a pattern, as 'quay-*'
    #[arg(value_name = "NODE", required = true)]
    node: Vec<String>,

    /// The folder to write in; it is made where it is missing
    #[arg(long, value_name = "FOLDER", default_value = ".")]
    folder: PathBuf,

    /// Write over keepsakes of the same name
    #[arg(long)]
    replace: bool,

    #[command(flatten)]
    at: Where,
}

#[derive(Debug, Serialize)]
struct Saved {
    name: String,
    file: String,
    settings: usize,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    kept: Vec<Saved>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let session = Session::open(&args.at, out)?;
    let fixtures = (AboutFixtures::Perhaps, Depth::Settings);
    let look = named::look_into(&session, &args.node, named::likely(&args.node, session.sheet()), fixtures, out)?;
    let subjects = named::subjects(&args.node, &look.census, session.sheet())?;
    let taken = clock::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string();
    fs::create_dir_all(&args.folder).map_err(|source| Failure::Write { path: args.folder.clone(), source })?;
    let (mut names, mut kept) = (HashSet::new(), Vec::new());
    for subject in &subjects {
        let keepsake = Keepsake::of(&look.census.completed(subject), &taken);
        let text = keepsake.to_text().map_err(|error| Failure::Call(format!("{}: {error}", subject.title())))?;
        let name = PathBuf::from(file_name(subject, &mut names));
        let path = if args.folder.as_os_str() == "." { name } else { args.folder.join(name) };
        if args.replace {
            files::write_over(&path, &text)?;
        } else {
            files::write_new(&path, &text)?;
        }
        let (file, settings) = (path.display().to_string(), keepsake.settings.len());
        if !out.is_json() {
            out.line(&format!("{}: {} in {file}", subject.title(), counted(settings, "setting")))?;
        }
        kept.push(Saved { name: subject.title(), file, settings });
    }
    if out.is_json() {
        out.object(&Answer { format: 1, kept })?;
    }
    Ok(Exit::Fine)
}

/// A name that every file system takes, which nobody else of this run has. What a node calls itself is not trusted with a path.
fn file_name(subject: &Subject, taken: &mut HashSet<String>) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() || "-_".contains(c) { c } else { '-' };
    let name: String = subject.title().chars().map(plain).take(64).collect();
    let mac = subject.mac().map(|mac| mac.to_string().replace(':', "")).unwrap_or_default();
    let name = if taken.contains(&name.to_lowercase()) { format!("{name}-{mac}") } else { name };
    taken.insert(name.to_lowercase());
    format!("{name}.keep.toml")
}
