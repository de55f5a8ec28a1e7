//! A command that runs while this computer has what it took, and everything back as it was when it ends.

use std::io::{self, IsTerminal};
use std::process::{Child, Command, ExitStatus};
use std::time::{Duration, Instant};

use crate::exit::Exit;
use crate::failure::Failure;
use crate::interrupt;

/// How often it is looked whether it has ended.
const LOOK: Duration = Duration::from_millis(20);
/// How long it may take to end once it was asked to.
const GRACE: Duration = Duration::from_secs(2);

/// Runs it, and puts everything back after it, however it ended.
pub(super) fn run(
    program: &str,
    arguments: &[String],
    put_back: impl FnOnce() -> Result<(), Failure>,
) -> Result<Exit, Failure> {
    let ended = Command::new(program).args(arguments).spawn().and_then(|mut child| wait(&mut child));
    put_back()?;
    let status = ended.map_err(|source| Failure::Start { program: program.to_owned(), source })?;
    match interrupt::signal() {
        Some(signal) => Err(Failure::Interrupted { signal }),
        None => Ok(Exit::as_theirs(status)),
    }
}

/// Waits for its end. A signal to us is passed on, and one that does not end by it is ended.
fn wait(child: &mut Child) -> io::Result<ExitStatus> {
    let mut asked: Option<Instant> = None;
    loop {
        if let Some(status) = child.try_wait()? {
            return Ok(status);
        }
        match (interrupt::signal(), asked) {
            (Some(signal), None) if is_told_by_terminal(signal) => interrupt::forget(),
            (Some(signal), None) => {
                ask_to_end(child, signal)?;
                asked = Some(Instant::now());
            }
            (Some(_), Some(at)) if at.elapsed() > GRACE => child.kill()?,
            _ => {}
        }
        std::thread::sleep(LOOK);
    }
}

/// On a terminal Ctrl-C goes to the command as well, and what it does about it is its own affair: a shell goes on.
fn is_told_by_terminal(signal: i32) -> bool {
    signal == signal_hook::consts::SIGINT && io::stdin().is_terminal()
}

#[cfg(unix)]
fn ask_to_end(child: &Child, signal: i32) -> io::Result<()> {
    use rustix::process::{Pid, Signal, kill_process};
    let signal = Signal::from_named_raw(signal).unwrap_or(Signal::TERM);
    Ok(kill_process(Pid::from_child(child), signal)?)
}

#[cfg(not(unix))]
fn ask_to_end(child: &mut Child, _: i32) -> io::Result<()> {
    child.kill()
}
