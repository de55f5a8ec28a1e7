//! What to do about each failure: the one place where failures are explained to people.

use std::io;
use std::path::Path;

use lantern_core::adapter::ChooseError;
use lantern_core::census::DesignationError;
use lantern_core::exchange::BadCell;
use lantern_core::logbook::Order;
use lantern_net::NetError;

use crate::failure::Failure;
use crate::output::{Out, findings, sheet_errors};

/// The most bad cells told at once.
const MOST_CELLS: usize = 20;

/// How a program gets the rights for raw frames and for changing addresses.
pub(crate) const HOW_TO_GET_RIGHTS: &str = if cfg!(target_os = "linux") {
    "run it with sudo, or give the program these rights once: \
     sudo setcap cap_net_admin,cap_net_raw+ep $(command -v deft-lantern)"
} else if cfg!(windows) {
    "open the terminal as administrator"
} else {
    "change it by the system's own settings"
};

/// What lets answers in where the system's firewall keeps them out on a network that it does not know.
pub(crate) fn let_answers_in() -> Option<String> {
    let program = std::env::current_exe().ok().filter(|_| cfg!(windows))?;
    Some(format!("as administrator: {}; then run this again", firewall_rule(&program)))
}

/// A rule for this program alone, for UDP that comes in (netsh advfirewall firewall).
fn firewall_rule(program: &Path) -> String {
    format!(
        "netsh advfirewall firewall add rule name=\"Deft Lantern\" dir=in action=allow protocol=UDP program=\"{}\"",
        program.display()
    )
}

/// Tells a failure on the channel for notes: what, because of what, what to do.
pub(crate) fn explain(failure: &Failure, out: &mut Out) -> io::Result<()> {
    match failure {
        Failure::Sheet { path, text, errors } => {
            sheet_errors::show(out, path, text, errors)?;
        }
        Failure::Clashes { path, text, findings: clashes }
        | Failure::Worse { path, text, findings: clashes }
        | Failure::CannotFill { path, text, findings: clashes } => {
            findings::show_in_sheet(out, path, text, clashes)?;
        }
        Failure::Refused(list) | Failure::GivenBack(list) => findings::show_on_notes(out, list)?,
        _ => {}
    }
    out.error(&failure.to_string())?;
    for line in context(failure) {
        out.note(&format!("  {line}"))?;
    }
    match hint(failure) {
        Some(hint) => out.hint(&hint),
        None => Ok(()),
    }
}

/// What there is instead, one line each.
fn context(failure: &Failure) -> Vec<String> {
    match failure {
        Failure::Choose(
            ChooseError::Unknown { there, .. }
            | ChooseError::NoneUsable { there }
            | ChooseError::Several { there },
        ) => there.clone(),
        Failure::Designation(DesignationError::Several { who, .. }) => who.clone(),
        Failure::BadCells { cells, .. } => cells.iter().take(MOST_CELLS).map(cell).collect(),
        _ => Vec::new(),
    }
}

/// Row, column, what is wrong, what was expected. What a table says is not trusted with the terminal.
fn cell(cell: &BadCell) -> String {
    let BadCell { row, column, what, expected } = cell;
    let column = if column.is_empty() { String::new() } else { format!(", column {}", column.escape_debug()) };
    format!("row {row}{column}: {}; expected {}", what.escape_debug(), expected.escape_debug())
        .replace("\\\"", "\"")
        .replace("\\'", "'")
}

/// What to do about it.
pub(crate) fn hint(failure: &Failure) -> Option<String> {
    Some(match failure {
        Failure::Read { path, source } if source.kind() == io::ErrorKind::NotFound => {
            format!("look where you are with ls, or start a sheet with: deft-lantern sheet new {}", path.display())
        }
        Failure::Logbook { .. } => {
            "make room or give the right to write there; then run the same command again: it does what is still open"
                .to_owned()
        }
        Failure::Busy { .. } => "wait until it has ended, then run the same command again".to_owned(),
        Failure::Impossible { why, .. } => why.remedy().to_owned(),
        Failure::NoFile { .. } => "name a file with text in it; nothing was read".to_owned(),
        Failure::Read { .. } | Failure::Write { .. } => {
            "look at the path and at who may read and write there".to_owned()
        }
        Failure::Exists { .. } => {
            "nothing was overwritten; choose another name, or move the old file away".to_owned()
        }
        Failure::NotText { .. } => "save it as UTF-8 in your editor; nothing in it was changed".to_owned(),
        Failure::TooLarge { .. } => "this is probably another file".to_owned(),
        Failure::Sheet { .. } => {
            "mend the lines shown and run the same command again; nothing was sent".to_owned()
        }
        Failure::Clashes { path, .. } => {
            format!("mend the sheet until this is quiet: deft-lantern sheet clashes {}", path.display())
        }
        Failure::CannotFill { .. } => "loosen one of the demands shown and run the same command again".to_owned(),
        Failure::Worse { .. } => {
            "choose other names or numbers; the lines shown are those as they would be".to_owned()
        }
        Failure::ChangedMeanwhile { .. } => "run the same command again: it reads the file anew".to_owned(),
        Failure::Page { .. } => "read it in tables: deft-lantern sheet show".to_owned(),
        Failure::NoCode { near: Some(near), .. } => {
            format!("did you mean {near}? All are listed by: deft-lantern explain")
        }
        Failure::NoCode { near: None, .. } => "all are listed by: deft-lantern explain".to_owned(),
        Failure::BadCells { .. } | Failure::Table { .. } => {
            "mend the table and run the same command again; the sheet is as it was".to_owned()
        }
        Failure::Scene { .. } => "save it again from the program it comes from; the sheet is as it was".to_owned(),
        Failure::Json { .. } => "nothing was written; sheet export json shows what is expected".to_owned(),
        Failure::Rework(_) => "nothing was written; look at the sheet with: deft-lantern sheet show".to_owned(),
        Failure::NoArea { there, .. } if there.is_empty() => "the sheet has no [[area]] yet".to_owned(),
        Failure::NoArea { there, .. } => format!("there are: {}", there.join(", ")),
        Failure::RangeTooLong { .. } => "ask it in parts, or survey it: deft-lantern survey --range RANGE".to_owned(),
        Failure::NoKind { there, .. } => format!("there are: {}", there.join(", ")),
        Failure::LogbookFormat { path, .. } | Failure::Leases { path, .. } => {
            format!("use that version, or move {} away; nothing was sent", path.display())
        }
        Failure::NothingToResume { last: Some((at, Some(Order::Undo))), .. } => {
            format!("the last run was an undo, of {at}; go on with it by: deft-lantern undo")
        }
        Failure::NothingToResume { .. } => "see what was done with: deft-lantern logbook list".to_owned(),
        Failure::NothingToUndo { .. } => "see what was done with: deft-lantern logbook list".to_owned(),
        Failure::NoRun { there, .. } if there.is_empty() => "the logbook is empty".to_owned(),
        Failure::NoRun { there, .. } => format!("there are: {}", there.join(", ")),
        Failure::NotInRun { there, .. } => format!("it changed: {}", there.join(", ")),
        Failure::Refused(_) => "do what is advised above and run the same command again".to_owned(),
        Failure::Advise(_) => "name a wider network, or free an address on the sheet".to_owned(),
        Failure::Preset { .. } => {
            "nothing was changed; save it anew with: deft-lantern adapters preset save NAME".to_owned()
        }
        Failure::NoPreset { there, .. } if there.is_empty() => {
            "save one with: deft-lantern adapters preset save NAME".to_owned()
        }
        Failure::NoPreset { there, .. } => format!("there are: {}", there.join(", ")),
        Failure::NoLease { .. } => {
            "is there a DHCP server on this cable? Take a fixed address with: deft-lantern adapters advise TARGET"
                .to_owned()
        }
        Failure::GivenBack(_) => "choose another address and join again".to_owned(),
        Failure::Rights(_) => HOW_TO_GET_RIGHTS.to_owned(),
        Failure::NotHeld { .. } => {
            "another program manages this adapter; stop it from doing so, then: deft-lantern adapters restore"
                .to_owned()
        }
        Failure::Capture { .. } => {
            "record one with: deft-lantern survey --record FILE.pcapng; nothing was sent".to_owned()
        }
        Failure::Memory { path, .. } | Failure::MemoryFormat { path, .. } => {
            format!("move {} away; the next survey begins a new one", path.display())
        }
        Failure::Watched { .. } => "keep one with: deft-lantern watch --record NAME.watch.jsonl".to_owned(),
        Failure::Metrics { .. } => "choose another port, or an address of this computer".to_owned(),
        Failure::Keepsake { .. } => "take a new one with: deft-lantern keep save NODE".to_owned(),
        Failure::KeptOfNobody { path, .. } => format!(
            "see to its power and cable; for its replacement: deft-lantern keep put {} --on NODE",
            path.display()
        ),
        Failure::KeptOfSeveral { .. } => "unplug all but one of them, then try again".to_owned(),
        Failure::Census { .. } => "save one with: deft-lantern survey --save NAME.census.json".to_owned(),
        Failure::Choose(ChooseError::NoneUsable { .. } | ChooseError::Down(_) | ChooseError::NoAddress(_)) => {
            "plug in the cable to the rig, give the adapter an address in its network, and try again".to_owned()
        }
        Failure::Choose(ChooseError::Unknown { near: Some(near), .. }) => format!("did you mean {near}?"),
        Failure::Choose(ChooseError::Unknown { near: None, .. } | ChooseError::Several { .. }) => {
            "say which one with --adapter NAME or --adapter ADDRESS".to_owned()
        }
        Failure::Net(NetError::PortHeld { .. }) => {
            "close the desk or visualiser software on this computer, then try again".to_owned()
        }
        Failure::Net(NetError::NothingSent(_)) => "look at the adapter's cable and address".to_owned(),
        Failure::Net(NetError::HeldElsewhere { .. }) => "it was given back; choose another address".to_owned(),
        Failure::Net(NetError::OfDhcp { .. }) => "join without --instead, beside what is there".to_owned(),
        Failure::Net(NetError::Frames { adapter, .. }) if cfg!(windows) => {
            format!("the system's own client asks for a lease: ipconfig /renew \"{adapter}\"")
        }
        Failure::Net(NetError::NotOnThisSystem(_) | NetError::Addressing { .. }) if !cfg!(target_os = "linux") => {
            let system = if cfg!(windows) { "windows" } else { "macos" };
            format!("what to type for it is printed by: deft-lantern adapters join ADDRESS/PREFIX --print {system}")
        }
        Failure::Net(_) => return None,
        Failure::Designation(DesignationError::Nobody { near: Some(near), .. }) => {
            format!("did you mean {near:?}? See who answers with: deft-lantern survey")
        }
        Failure::Designation(DesignationError::Nobody { near: None, .. }) => {
            "see who answers with: deft-lantern survey".to_owned()
        }
        Failure::Designation(DesignationError::Several { .. }) => "say which one by its MAC address".to_owned(),
        Failure::NotOnSheet { there, .. } => format!("the sheet has: {}", there.join(", ")),
        Failure::NobodyToAsk => "look at it with --dry-run, then say yes beforehand with --yes".to_owned(),
        Failure::Universe { .. } | Failure::Call(_) => return None,
        Failure::Ground(_) => "end other demos that are still running".to_owned(),
        #[cfg(target_os = "linux")]
        Failure::Segment(_) => "the same demo runs on loopback: deft-lantern demo".to_owned(),
        Failure::Start { .. } => "look at its name and at PATH".to_owned(),
        Failure::Unheard => {
            "deft-lantern apply SHEET --resume does what is still open; deft-lantern undo takes it back".to_owned()
        }
        Failure::Output(_) | Failure::Interrupted { .. } => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_rule_of_the_firewall_is_for_this_program_and_for_what_comes_in() {
        let rule = firewall_rule(Path::new("C:\\Program Files\\lantern\\deft-lantern.exe"));
        let program = "program=\"C:\\Program Files\\lantern\\deft-lantern.exe\"";
        assert!(rule.ends_with(program) && rule.contains(" dir=in action=allow protocol=UDP "), "{rule}");
        assert_eq!(let_answers_in().is_some(), cfg!(windows));
    }
}
