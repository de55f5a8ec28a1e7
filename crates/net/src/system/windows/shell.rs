//! What the system's own commands say.

use std::io;
use std::process::{Command, Stdio};

/// What a script of PowerShell prints.
pub(super) fn powershell(script: &str) -> io::Result<String> {
    said("powershell", &["-NoLogo", "-NoProfile", "-NonInteractive", "-Command", script])
}

/// What a program prints, where it ends well.
pub(super) fn said(program: &str, arguments: &[&str]) -> io::Result<String> {
    let ran = Command::new(program).args(arguments).stdin(Stdio::null()).stderr(Stdio::piped()).output()?;
    if !ran.status.success() {
        let why = String::from_utf8_lossy(&ran.stderr).lines().next().unwrap_or_default().to_owned();
        return Err(io::Error::other(format!("{program} ended with {}: {why}", ran.status)));
    }
    Ok(String::from_utf8_lossy(&ran.stdout).into_owned())
}

/// A word in a script: nothing in it is anything but itself. The curved quotation marks end a word there as the straight one does, and
/// each of them stands for itself when it stands twice (about_Quoting_Rules).
pub(super) fn quoted(word: &str) -> String {
    let ends = |one: char| matches!(one, '\'' | '\u{2018}'..='\u{201b}');
    let twice = word.chars().flat_map(|one| std::iter::repeat_n(one, if ends(one) { 2 } else { 1 }));
    format!("'{}'", twice.collect::<String>())
}
