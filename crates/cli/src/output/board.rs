//! How far several things are that run side by side, on a terminal only: a line for each, and one for the whole.

use std::collections::BTreeMap;

use indicatif::{MultiProgress, ProgressBar, ProgressDrawTarget, ProgressStyle};

/// Lines that are rewritten while something runs, and gone when it is over.
pub(crate) struct Board {
    all: MultiProgress,
    whole: ProgressBar,
    rows: BTreeMap<usize, ProgressBar>,
}

impl Board {
    pub(super) fn new(live: bool) -> Self {
        let target = if live { ProgressDrawTarget::stderr() } else { ProgressDrawTarget::hidden() };
        let all = MultiProgress::with_draw_target(target);
        let whole = all.add(ProgressBar::new(1));
        // A template that is not understood would show nothing; the usual one shows all the same.
        let usual = ProgressStyle::default_bar();
        whole.set_style(ProgressStyle::with_template("[{bar:24}] {msg}").unwrap_or(usual).progress_chars("=> "));
        Self { all, whole, rows: BTreeMap::new() }
    }

    /// How far the whole is: so many of so many.
    pub(crate) fn whole(&self, done: usize, of: usize, text: String) {
        self.whole.set_length(of as u64);
        self.whole.set_position(done as u64);
        self.whole.set_message(text);
    }

    /// What one of them does now.
    pub(crate) fn show(&mut self, row: usize, text: String) {
        let (all, whole) = (&self.all, &self.whole);
        let bar = self.rows.entry(row).or_insert_with(|| {
            let bar = all.insert_before(whole, ProgressBar::new_spinner());
            bar.set_style(ProgressStyle::with_template("  {msg}").unwrap_or(ProgressStyle::default_spinner()));
            bar
        });
        bar.set_message(text);
        bar.tick();
    }

    /// One of them has ended.
    pub(crate) fn end(&mut self, row: usize) {
        if let Some(bar) = self.rows.remove(&row) {
            bar.finish_and_clear();
            self.all.remove(&bar);
        }
    }

    /// Does something that prints while the lines are out of the way.
    pub(crate) fn suspend<T>(&self, print: impl FnOnce() -> T) -> T {
        self.all.suspend(print)
    }
}

impl Drop for Board {
    fn drop(&mut self) {
        self.rows.values().for_each(ProgressBar::finish_and_clear);
        self.whole.finish_and_clear();
    }
}
