//! The whole terminal, for a live view. However the program ends, the terminal is given back as it was.

use std::io;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

use ratatui::crossterm::event::{self, Event};
use ratatui::{DefaultTerminal, Frame};

/// How long the thread that hears the keyboard waits before it looks whether anybody still listens.
const NAP: Duration = Duration::from_millis(100);

/// The terminal while it is ours.
pub(crate) struct Screen {
    terminal: Option<DefaultTerminal>,
    pressed: Receiver<Event>,
    over: Arc<AtomicBool>,
}

impl Screen {
    /// Takes the terminal. A panic gives it back before it says what went wrong.
    pub(crate) fn open() -> io::Result<Self> {
        let terminal = ratatui::try_init()?;
        let (to, pressed) = channel();
        let over = Arc::new(AtomicBool::new(false));
        let ended = Arc::clone(&over);
        // By itself, since nothing comes back from a terminal that was closed: whoever waited for it would wait for ever.
        std::thread::spawn(move || {
            while !ended.load(Ordering::Relaxed) {
                match event::poll(NAP) {
                    Ok(false) => {}
                    Ok(true) => {
                        let sent = event::read().is_ok_and(|event| to.send(event).is_ok());
                        if !sent {
                            return;
                        }
                    }
                    Err(_) => return,
                }
            }
        });
        Ok(Self { terminal: Some(terminal), pressed, over })
    }

    /// What was pressed, or happened to the terminal, since it was last asked.
    pub(crate) fn pressed(&self) -> Vec<Event> {
        self.pressed.try_iter().collect()
    }

    pub(crate) fn draw(&mut self, draw: impl FnOnce(&mut Frame<'_>)) -> io::Result<()> {
        match &mut self.terminal {
            Some(terminal) => terminal.draw(draw).map(drop),
            None => Ok(()),
        }
    }

    /// Gives it back.
    pub(crate) fn close(&mut self) {
        self.over.store(true, Ordering::Relaxed);
        if self.terminal.take().is_some() {
            ratatui::restore();
        }
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        self.close();
    }
}

#[cfg(all(test, unix))]
mod tests {
    use std::fs::{File, OpenOptions};
    use std::io::Read;
    use std::process::{Command, Stdio};

    use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
    use rustix::termios::{LocalModes, tcgetattr};

    use super::*;

    /// Run by the test below, at a terminal of its own.
    #[test]
    #[ignore = "panics on purpose"]
    fn one_that_panics() {
        let mut screen = Screen::open().expect("a terminal");
        screen.draw(|_| panic!("on purpose")).expect("a terminal");
    }

    /// What went wrong stands on the ordinary screen, and what is typed afterwards is seen again.
    #[test]
    fn a_panic_gives_the_terminal_back_before_it_says_why() {
        let master = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY).expect("a terminal");
        grantpt(&master).expect("a terminal");
        unlockpt(&master).expect("a terminal");
        let name = ptsname(&master, Vec::new()).expect("a terminal");
        let name = name.to_str().expect("a terminal");
        let open = || OpenOptions::new().read(true).write(true).open(name).expect("a terminal");
        let shows = |modes: LocalModes| modes.contains(LocalModes::ECHO | LocalModes::ICANON);
        let there = open();
        assert!(shows(tcgetattr(&there).expect("a terminal").local_modes));
        let mut child = Command::new(std::env::current_exe().expect("this test"))
            .args(["--ignored", "--exact", "output::screen::tests::one_that_panics", "--nocapture"])
            .env("TERM", "xterm")
            .stdin(Stdio::from(open()))
            .stdout(Stdio::from(open()))
            .stderr(Stdio::from(open()))
            .spawn()
            .expect("this test");
        assert!(!child.wait().expect("its end").success());
        assert!(shows(tcgetattr(&there).expect("a terminal").local_modes));
        let mut said = vec![0; 65_536];
        let length = File::from(master).read(&mut said).expect("what it said");
        let said = String::from_utf8_lossy(&said[..length]);
        let at = |text: &str| said.find(text).unwrap_or_else(|| panic!("{text:?} in {said:?}"));
        assert!(at("\u{1b}[?1049h") < at("\u{1b}[?1049l") && at("\u{1b}[?1049l") < at("on purpose"), "{said:?}");
    }
}
