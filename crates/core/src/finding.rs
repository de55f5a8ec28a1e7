//! Findings: something judged, with a stable code, where it is, why it matters and what to do.

use std::fmt;

use serde::Serialize;

use crate::sheet::{Position, RigSheet, Span};

/// How bad it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// It cannot work, or will hurt something else.
    Error,
    /// It may be meant, but is often a mistake.
    Warning,
    /// Good to know.
    Note,
}

/// What a code stands for; every finding of one code shares it.
#[derive(Debug, PartialEq, Eq)]
pub struct Rule {
    /// The stable code: a letter for the family and three digits.
    pub code: &'static str,
    /// How bad it is.
    pub severity: Severity,
    /// What it is, in a few words.
    pub title: &'static str,
    /// Why it matters, in a sentence.
    pub why: &'static str,
}

/// One thing found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finding {
    /// Which rule speaks.
    pub rule: &'static Rule,
    /// What is the case, with names and numbers.
    pub what: String,
    /// Where it stands in the sheet; the first place is the one to mend.
    pub places: Vec<Place>,
    /// What to do.
    pub remedy: String,
    /// The command of this program that mends it, where there is one.
    pub command: Option<String>,
}

/// A place in the rig sheet.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Place {
    /// The bytes meant.
    #[serde(skip)]
    pub span: Span,
    /// Line and column.
    #[serde(flatten)]
    pub position: Position,
    /// What stands there.
    pub note: String,
}

impl Rule {
    /// A finding of this rule.
    #[must_use]
    pub fn finding(&'static self, what: impl Into<String>, remedy: impl Into<String>) -> Finding {
        Finding { rule: self, what: what.into(), places: Vec::new(), remedy: remedy.into(), command: None }
    }
}

impl Finding {
    /// The same finding, standing at one more place.
    #[must_use]
    pub fn at(mut self, sheet: &RigSheet, span: Span, note: impl Into<String>) -> Self {
        self.places.push(Place { span, position: sheet.position(span), note: note.into() });
        self
    }

    /// The same finding, mended by this command.
    #[must_use]
    pub fn mended_by(mut self, command: impl Into<String>) -> Self {
        self.command = Some(command.into());
        self
    }

    /// Where it first stands, for sorting.
    #[must_use]
    pub fn line(&self) -> usize {
        self.places.first().map_or(0, |place| place.position.line)
    }
}

impl Serialize for Finding {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        use serde::ser::SerializeStruct;
        let mut object = to.serialize_struct("Finding", 7)?;
        object.serialize_field("severity", &self.rule.severity)?;
        object.serialize_field("code", self.rule.code)?;
        object.serialize_field("what", &self.what)?;
        object.serialize_field("why", self.rule.why)?;
        object.serialize_field("remedy", &self.remedy)?;
        object.serialize_field("command", &self.command)?;
        object.serialize_field("places", &self.places)?;
        object.end()
    }
}

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Error => "error",
            Self::Warning => "warning",
            Self::Note => "note",
        })
    }
}
