//! `demo --stay`: the nodes run on, to be tried.

use std::env;
use std::ffi::OsString;
use std::path::Path;
use std::process::Command;

use super::folder::{Folder, MENDED, SHEET};
use super::ground::Ground;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::machine::CABLE;
use crate::output::Out;

/// Keeps the nodes running: beside a command, in a shell, or until Ctrl-C.
pub(super) fn run(
    folder: &Folder,
    ground: &Ground,
    command: &[String],
    hands: bool,
    out: &mut Out,
) -> Result<Exit, Failure> {
    if hands && !ground.is_shared() {
        return Err(Failure::Call("--hands is for nodes on loopback, which a second terminal reaches".to_owned()));
    }
    if let [program, arguments @ ..] = command {
        return beside(folder, ground, program, arguments);
    }
    let network = ground.network();
    let place = if ground.is_shared() { "a second terminal" } else { "this shell" };
    out.line(&format!("The nodes of Tidewick Harbour Night answer on {network}. In {place}:"))?;
    out.line("")?;
    if ground.is_shared() {
        out.line(&format!("  cd {}", folder.path.display()))?;
    }
    let [a, b, ..] = network.network().octets();
    for command in [
        "survey".to_owned(),
        "sheet clashes".to_owned(),
        format!("set quay-north --address {a}.{b}.1.150"),
        "set 02:4d:42:00:20:02 --name hall-east --port 2 --universe 1:0:9".to_owned(),
        format!("check {SHEET}"),
        format!("apply {MENDED}/{SHEET}"),
        format!("check {MENDED}/{SHEET}"),
    ] {
        out.line(&format!("  deft-lantern {command}"))?;
    }
    out.line("")?;
    if ground.is_shared() {
        if hands {
            out.line("Type here what hands would do: off NODE, on NODE, plug FIXTURE NODE PORT.")?;
        }
        out.line("End with Ctrl-C.")?;
        if hands {
            lend_hands(ground, out)?;
        }
        loop {
            std::thread::park();
        }
    }
    out.line("End with exit.")?;
    beside(folder, ground, &shell(), &[])
}

/// The user's own shell, or the one that every such system has.
fn shell() -> String {
    let (variable, usual) = if cfg!(windows) { ("COMSPEC", "cmd.exe") } else { ("SHELL", "sh") };
    env::var(variable).unwrap_or_else(|_| usual.to_owned())
}

/// Does with the nodes what is typed, until nothing more is.
fn lend_hands(ground: &Ground, out: &mut Out) -> Result<(), Failure> {
    for typed in std::io::stdin().lines().map_while(Result::ok) {
        let words: Vec<&str> = typed.split_whitespace().collect();
        match words[..] {
            [] => {}
            ["off", node] => ground.switch(node, false),
            ["on", node] => ground.switch(node, true),
            ["plug", fixture, node, port] if port.parse().is_ok_and(|port| ground.replug(fixture, node, port)) => {
            }
            ["plug", ..] => out.note("no fixture of that label, or no such port; the scene is as it was")?,
            _ => out.note("that is none of them: off NODE, on NODE, plug FIXTURE NODE PORT")?,
        }
    }
    Ok(())
}

/// Runs a program in the folder, with ours on its path; its exit code is ours.
fn beside(folder: &Folder, ground: &Ground, program: &str, arguments: &[String]) -> Result<Exit, Failure> {
    let failed = |source| Failure::Start { program: program.to_owned(), source };
    let mut command = Command::new(program);
    command
        .args(arguments)
        .current_dir(&folder.path)
        .env("PATH", path_with(&env::current_exe().map_err(failed)?))
        // What is simulated is remembered here, not among the user's own data.
        .env("XDG_DATA_HOME", folder.path.join("data"));
    if let Some(cable) = ground.cable() {
        command.env(CABLE, cable.to_string());
    }
    Ok(Exit::as_theirs(command.status().map_err(failed)?))
}

/// Where programs are looked for, the folder of ours before all others.
fn path_with(ours: &Path) -> OsString {
    let usual = if cfg!(windows) { "" } else { "/usr/sbin:/usr/bin:/sbin:/bin" };
    let path = env::var_os("PATH").unwrap_or_else(|| usual.into());
    let all = ours.parent().map(Path::to_owned).into_iter().chain(env::split_paths(&path));
    // A folder whose name cannot stand there is one too few, no reason to have none.
    env::join_paths(all).unwrap_or(path)
}
