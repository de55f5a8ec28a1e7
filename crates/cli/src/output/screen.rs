//! The whole terminal, for a live view. However the program ends, the terminal is given back as it was.

use std::io;

use ratatui::{DefaultTerminal, Frame};

/// The terminal while it is ours.
pub(crate) struct Screen(Option<DefaultTerminal>);

impl Screen {
    /// Takes the terminal. A panic gives it back before it says what went wrong.
    pub(crate) fn open() -> io::Result<Self> {
        Ok(Self(Some(ratatui::try_init()?)))
    }

    pub(crate) fn draw(&mut self, draw: impl FnOnce(&mut Frame<'_>)) -> io::Result<()> {
        match &mut self.0 {
            Some(terminal) => terminal.draw(draw).map(drop),
            None => Ok(()),
        }
    }

    /// Gives it back.
    pub(crate) fn close(&mut self) {
        if self.0.take().is_some() {
            ratatui::restore();
        }
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        self.close();
    }
}
