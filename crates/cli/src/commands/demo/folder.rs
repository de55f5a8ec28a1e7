//! The folder a demo leaves behind.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use lantern_core::address::{Mask, Subnet};
use lantern_core::sheet::RigSheet;
use lantern_sim::Scene;

use crate::failure::Failure;
use crate::files;

/// The name of both sheets.
pub(super) const SHEET: &str = "tidewick.rig.toml";
/// The folder of the mended one.
pub(super) const MENDED: &str = "mended";
const CENSUS: &str = "tidewick.census.json";
/// How many folders of the usual name are tried.
const MOST_FOLDERS: u32 = 99;

/// A new folder with both sheets, carried to the network the nodes stand in.
pub(super) struct Folder {
    pub(super) path: PathBuf,
}

impl Folder {
    /// Makes an empty folder, under a name that is still free unless one is wanted.
    pub(super) fn empty(wanted: Option<&Path>) -> Result<Self, Failure> {
        Ok(Self { path: new_folder(wanted)? })
    }

    /// Makes the folder, under a name that is still free unless one is wanted.
    pub(super) fn make(
        wanted: Option<&Path>,
        scene: &Scene,
        (sheet, mended_sheet): (&str, &str),
        network: Subnet,
    ) -> Result<Self, Failure> {
        let folder = Self::empty(wanted)?;
        let mended = folder.path.join(MENDED);
        fs::create_dir(&mended).map_err(|source| Failure::Write { path: mended, source })?;
        let from = Subnet::around(scene.network, Mask::SIXTEEN);
        for (path, text) in [(folder.sheet(), sheet), (folder.mended_sheet(), mended_sheet)] {
            let sheet = RigSheet::parse(text).map_err(|errors| Failure::Sheet {
                path: path.clone(),
                text: text.to_owned(),
                errors,
            })?;
            files::write_new(&path, &sheet.relocated(from, network))?;
        }
        Ok(folder)
    }

    /// The sheet as it was written in a hurry.
    pub(super) fn sheet(&self) -> PathBuf {
        self.path.join(SHEET)
    }

    /// The same, mended.
    pub(super) fn mended_sheet(&self) -> PathBuf {
        self.path.join(MENDED).join(SHEET)
    }

    /// The plan as a page.
    pub(super) fn page(&self) -> PathBuf {
        self.path.join(MENDED).join("tidewick.html")
    }

    /// Where the whole of a step is kept: `3-sheet-diff.txt`.
    pub(super) fn step(&self, number: usize, typed: &str) -> PathBuf {
        let words = typed.split(' ').take_while(|word| word.chars().all(|c| c.is_ascii_lowercase()));
        let name: Vec<&str> = words.collect();
        self.path.join(format!("{number}-{}.txt", name.join("-")))
    }

    /// Where the first survey is saved.
    pub(super) fn census(&self) -> PathBuf {
        self.path.join(CENSUS)
    }
}

fn new_folder(wanted: Option<&Path>) -> Result<PathBuf, Failure> {
    let usual = |n| PathBuf::from(if n == 1 { "tidewick-demo".to_owned() } else { format!("tidewick-demo-{n}") });
    let candidates = wanted.map_or_else(|| (1..=MOST_FOLDERS).map(usual).collect(), |path| vec![path.to_owned()]);
    for path in &candidates {
        match fs::create_dir(path) {
            Ok(()) => return Ok(path.clone()),
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
            Err(source) => return Err(Failure::Write { path: path.clone(), source }),
        }
    }
    Err(Failure::Exists { path: candidates.last().cloned().unwrap_or_default() })
}
