//! The codes that units report: those of the standards, and before them those a user has written down.

use std::path::PathBuf;

use lantern_core::codes::CodeBook;

use crate::failure::Failure;
use crate::files::read_text;
use crate::machine::config_folder;
use crate::output::Out;

/// The file of a user's own codes: in the present folder, else in the configuration folder.
const FILE: &str = "codes.toml";

/// All that is known; a table of the user's own that cannot be read is told, and left out: what was asked for is something else.
pub(crate) fn book_or_standard(out: &mut Out) -> Result<CodeBook, Failure> {
    book().or_else(|failure| {
        let path = match &failure {
            Failure::Sheet { path, .. } => path.display().to_string(),
            _ => FILE.to_owned(),
        };
        out.note(&format!("{path} cannot be read and is left out; see why with: deft-lantern explain '#0001'"))?;
        Ok(CodeBook::standard())
    })
}

/// All that is known.
///
/// # Errors
/// Where the user's own table cannot be read.
pub(crate) fn book() -> Result<CodeBook, Failure> {
    let places = [PathBuf::from(FILE), config_folder().join(FILE)];
    let Some(path) = places.into_iter().find(|path| path.is_file()) else { return Ok(CodeBook::standard()) };
    let text = read_text(&path)?;
    match CodeBook::read(&text) {
        Ok(own) => Ok(CodeBook::standard().behind(own)),
        Err(errors) => Err(Failure::Sheet { path, text, errors }),
    }
}
