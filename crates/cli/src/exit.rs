//! Exit codes.

use std::process::{ExitCode, ExitStatus};

use lantern_core::finding::{Finding, Severity};

/// How the program ends.
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
    /// Broken off by a signal, where the system does not tell that by itself.
    Interrupted(u8),
    /// As a program ended that was run beside the nodes.
    Theirs(u8),
}

impl Exit {
    /// As a program ended; for one that a signal ended, as shells tell it.
    pub(crate) fn as_theirs(status: ExitStatus) -> Self {
        let told = status.code().or_else(|| signal_of(status).map(|signal| 128 + signal));
        Self::Theirs(told.and_then(|code| u8::try_from(code).ok()).unwrap_or(1))
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

#[cfg(unix)]
fn signal_of(status: ExitStatus) -> Option<i32> {
    std::os::unix::process::ExitStatusExt::signal(&status)
}

#[cfg(not(unix))]
const fn signal_of(_: ExitStatus) -> Option<i32> {
    None
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        Self::from(match exit {
            Exit::Fine => 0,
            Exit::Wrong => 1,
            Exit::Call => 2,
            Exit::Unfinished => 3,
            Exit::Interrupted(signal) => 128 + signal,
            Exit::Theirs(code) => code,
        })
    }
}
