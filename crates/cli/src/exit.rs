//! Exit codes.

use std::process::{ExitCode, ExitStatus};

use lantern_core::finding::{Finding, Severity};

/// How the program ends. 130, interrupted, comes from the system.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Exit {
    /// Done, and nothing is wrong.
    Fine,
    /// Done, and something is wrong on the network or in the sheet.
    Wrong,
    /// The call or a file was wrong; nothing was done.
    Call,
    /// It could not be finished; the logbook says how far it came.
    Unfinished,
    /// As a program ended that was run beside the nodes.
    Theirs(u8),
}

impl Exit {
    /// As a program ended; one that was killed has no code of its own.
    pub(crate) fn as_theirs(status: ExitStatus) -> Self {
        Self::Theirs(status.code().and_then(|code| u8::try_from(code).ok()).unwrap_or(1))
    }

    /// Errors and warnings are wrong, notes are not.
    pub(crate) fn of(findings: &[Finding]) -> Self {
        if findings.iter().any(|finding| finding.rule.severity < Severity::Note) {
            Self::Wrong
        } else {
            Self::Fine
        }
    }
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        Self::from(match exit {
            Exit::Fine => 0,
            Exit::Wrong => 1,
            Exit::Call => 2,
            Exit::Unfinished => 3,
            Exit::Theirs(code) => code,
        })
    }
}
