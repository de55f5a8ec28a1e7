//! What happened, the latest first.

use jiff::tz::TimeZone;
use lantern_core::Said;
use lantern_core::conversation::Watch;
use lantern_core::watch::Happening;
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;

use super::View;
use crate::commands::watch::lines;
use crate::output::Tone;

impl View {
    pub(super) fn draw_events(&self, frame: &mut Frame<'_>, area: Rect, watch: &Watch, first: usize) {
        let shown = watch.board().past().rev().skip(first).take(area.height.into());
        let mut shown: Vec<Line<'_>> = shown.map(|happening| line(self, happening)).collect();
        if shown.is_empty() {
            shown.push(Span::styled("nothing has happened yet", self.look.of(Tone::Faint)).into());
        }
        frame.render_widget(Paragraph::new(shown), area);
    }
}

/// `21:04:07  quay-north  silent`.
pub(super) fn line(view: &View, happening: &Happening) -> Line<'static> {
    let at = lines::at(view.began, happening.at).to_zoned(TimeZone::system()).strftime("%H:%M:%S").to_string();
    let who = Said::from(happening.who.as_str()).to_string();
    vec![
        Span::styled(format!("{at}  "), view.look.of(Tone::Faint)),
        Span::styled(format!("{who}  "), view.look.of(Tone::Strong)),
        Span::styled(happening.news.to_string(), view.look.of(lines::tone(happening))),
    ]
    .into()
}
