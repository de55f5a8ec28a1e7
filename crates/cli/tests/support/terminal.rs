//! The program at a terminal.
#![cfg(unix)]

use std::fs::{File, OpenOptions};
use std::io::{Read, Write};
use std::os::unix::fs::OpenOptionsExt;
use std::process::{Child, Command, ExitStatus, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, channel};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::fs::OFlags;
use rustix::io::{FdFlags, fcntl_setfd};
use rustix::process::{Pid, Signal, kill_process};
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{Winsize, tcsetwinsize};

use super::Rig;

/// What no other test's program inherits, where the system can say so from the beginning.
#[cfg(target_os = "linux")]
const NOT_INHERITED: OpenptFlags = OpenptFlags::CLOEXEC;
#[cfg(not(target_os = "linux"))]
const NOT_INHERITED: OpenptFlags = OpenptFlags::empty();

/// A program at a terminal of its own.
pub(crate) struct AtTerminal {
    child: Child,
    keyboard: File,
    screen: Receiver<String>,
    reader: JoinHandle<()>,
    hangs_up: Arc<AtomicBool>,
    seen: String,
}

impl AtTerminal {
    /// Starts it at a terminal that can do nothing but write lines.
    pub(crate) fn start(rig: &Rig, arguments: &[&str]) -> Self {
        Self::start_as("dumb", rig, arguments)
    }

    /// Starts it at a terminal of this kind.
    pub(crate) fn start_as(term: &str, rig: &Rig, arguments: &[&str]) -> Self {
        let master = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY | NOT_INHERITED).unwrap();
        fcntl_setfd(&master, FdFlags::CLOEXEC).unwrap();
        grantpt(&master).unwrap();
        unlockpt(&master).unwrap();
        let name = ptsname(&master, Vec::new()).unwrap();
        // Tests that were started without a terminal must not get this one as theirs: they would go with it.
        let not_ours = OFlags::NOCTTY.bits().cast_signed();
        let open = || {
            OpenOptions::new().read(true).write(true).custom_flags(not_ours).open(name.to_str().unwrap()).unwrap()
        };
        let child = Command::new(env!("CARGO_BIN_EXE_deft-lantern"))
            .args(arguments)
            .args(["--adapter", &rig.ground.guest().to_string()])
            .current_dir(rig.folder.path(""))
            .env("XDG_STATE_HOME", rig.folder.path("state"))
            .env("TERM", term)
            .stdin(Stdio::from(open()))
            .stdout(Stdio::from(open()))
            .stderr(Stdio::from(open()))
            .spawn()
            .unwrap();
        let keyboard = File::from(master);
        let mut reads = keyboard.try_clone().unwrap();
        let (to, screen) = channel();
        let hangs_up = Arc::new(AtomicBool::new(false));
        let over = Arc::clone(&hangs_up);
        let reader = std::thread::spawn(move || {
            let mut bytes = [0; 4096];
            let nap = Timespec { tv_sec: 0, tv_nsec: 50_000_000 };
            while !over.load(Ordering::Relaxed) {
                let is_there =
                    poll(&mut [PollFd::new(&reads, PollFlags::IN)], Some(&nap)).is_ok_and(|one| one > 0);
                if !is_there {
                    continue;
                }
                let Ok(length @ 1..) = reads.read(&mut bytes) else { break };
                if to.send(String::from_utf8_lossy(&bytes[..length]).into_owned()).is_err() {
                    break;
                }
            }
        });
        Self { child, keyboard, screen, reader, hangs_up, seen: String::new() }
    }

    /// Waits until this stands on the screen; what stood before it counts no more.
    pub(crate) fn sees(&mut self, text: &str) {
        let until = Instant::now() + Duration::from_secs(60);
        loop {
            if let Some(at) = self.seen.find(text) {
                self.seen.drain(..at + text.len());
                return;
            }
            let left = until.saturating_duration_since(Instant::now());
            match self.screen.recv_timeout(left) {
                Ok(more) => self.seen += &more,
                Err(_) => panic!("{text:?} never came; after the last: {}", self.seen),
            }
        }
    }

    /// Types a line.
    pub(crate) fn types(&mut self, line: &str) {
        self.presses(&format!("{line}\n"));
    }

    /// Presses keys.
    pub(crate) fn presses(&mut self, keys: &str) {
        self.keyboard.write_all(keys.as_bytes()).unwrap();
    }

    /// Makes the terminal so large.
    pub(crate) fn resizes(&self, columns: u16, rows: u16) {
        let size = Winsize { ws_col: columns, ws_row: rows, ws_xpixel: 0, ws_ypixel: 0 };
        tcsetwinsize(&self.keyboard, size).unwrap();
    }

    /// Sends it a signal.
    pub(crate) fn gets(&self, signal: Signal) {
        kill_process(Pid::from_child(&self.child), signal).unwrap();
    }

    /// Waits for its end.
    pub(crate) fn ends(self, code: i32) {
        let (ended, rest) = self.ended();
        assert_eq!(ended.code(), Some(code), "{rest}");
    }

    /// Closes the terminal under it, without a signal; gives how it ended.
    pub(crate) fn closed(self) -> ExitStatus {
        let Self { mut child, keyboard, reader, hangs_up, .. } = self;
        hangs_up.store(true, Ordering::Relaxed);
        reader.join().unwrap();
        drop(keyboard);
        let until = Instant::now() + Duration::from_secs(10);
        loop {
            match child.try_wait().unwrap() {
                Some(status) => return status,
                None if Instant::now() > until => {
                    child.kill().unwrap();
                    panic!("it goes on without a terminal");
                }
                None => std::thread::sleep(Duration::from_millis(20)),
            }
        }
    }

    /// How it ended, and what stood on the screen since it was last looked at.
    pub(crate) fn ended(mut self) -> (ExitStatus, String) {
        let ended = self.child.wait().unwrap();
        let rest: String = self.screen.try_iter().collect();
        (ended, self.seen + &rest)
    }
}
