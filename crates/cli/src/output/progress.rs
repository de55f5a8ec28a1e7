//! How far something is, on a terminal only.

use std::time::Duration;

use indicatif::{ProgressBar, ProgressStyle};

/// One line that is rewritten while something runs, and gone when it is over.
pub(crate) struct Progress(ProgressBar);

impl Progress {
    pub(super) fn new(live: bool) -> Self {
        if !live {
            return Self(ProgressBar::hidden());
        }
        let bar = ProgressBar::new_spinner();
        bar.set_style(ProgressStyle::default_spinner());
        bar.enable_steady_tick(Duration::from_millis(100));
        Self(bar)
    }

    /// What to show now.
    pub(crate) fn show(&self, text: String) {
        self.0.set_message(text);
    }

    /// A line that stays, above the one that is rewritten.
    pub(crate) fn line(&self, text: &str) {
        self.0.println(text);
    }

    /// Does something that prints while the line is out of the way.
    pub(crate) fn suspend<T>(&self, print: impl FnOnce() -> T) -> T {
        self.0.suspend(print)
    }
}

impl Drop for Progress {
    fn drop(&mut self) {
        self.0.finish_and_clear();
    }
}
