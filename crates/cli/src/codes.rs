//! The codes that units report: those of the standards, and before them those a user has written down.

use std::path::PathBuf;

use lantern_core::codes::CodeBook;

use crate::failure::Failure;
use crate::files::read_text;
use crate::machine::config_folder;

/// The file of a user's own codes: in the present folder, else in the configuration folder.
const FILE: &str = "codes.toml";

/// All that is known.
pub(crate) fn book() -> Result<CodeBook, Failure> {
    let places = [PathBuf::from(FILE), config_folder().join(FILE)];
    let Some(path) = places.into_iter().find(|path| path.is_file()) else { return Ok(CodeBook::standard()) };
    let text = read_text(&path)?;
    match CodeBook::read(&text) {
        Ok(own) => Ok(CodeBook::standard().behind(own)),
        Err(errors) => Err(Failure::Sheet { path, text, errors }),
    }
}
