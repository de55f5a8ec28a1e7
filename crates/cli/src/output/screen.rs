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
