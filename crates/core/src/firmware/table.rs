//! The table of expected versions, written by its user.

use crate::Firmware;
use crate::sheet::fields::Fields;
use crate::sheet::{SheetErrors, read_list};

/// What is expected of one kind.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Expected {
    /// The kind, by the name a sheet uses.
    pub kind: String,
    /// The version its units should have.
    pub version: Firmware,
    /// The file that brings it, as written: beside the table unless it says otherwise.
    pub file: Option<String>,
}

/// Expected versions, kind by kind.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FirmwareTable {
    all: Vec<Expected>,
}

impl FirmwareTable {
    /// Reads a file of `[[firmware]]` tables.
    ///
    /// # Errors
    /// Every mistake in it, with its place.
    pub fn read(text: &str) -> Result<Self, SheetErrors> {
        Ok(Self { all: read_list(text, "firmware", "this firmware", read)? })
    }

    /// What is expected of this kind.
    #[must_use]
    pub fn of_kind(&self, kind: &str) -> Option<&Expected> {
        self.all.iter().find(|one| one.kind == kind)
    }

    /// What is said of this file.
    #[must_use]
    pub fn of_file(&self, file: &str) -> Option<&Expected> {
        self.all.iter().find(|one| one.file.as_deref() == Some(file))
    }

    /// Everything that is expected.
    #[must_use]
    pub fn all(&self) -> &[Expected] {
        &self.all
    }
}

fn read(fields: &Fields<'_>) -> Option<Expected> {
    let kind = fields.required("kind", fields.text("kind"), "\"marrowbright-four\"");
    let version = fields.required("version", fields.parsed("version"), "\"1.5\"");
    let file = fields.text("file");
    fields.refuse_unknown_keys();
    Some(Expected { kind: kind?.value, version: version?.value, file: file.map(|file| file.value) })
}
