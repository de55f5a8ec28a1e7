//! The fixtures behind gateways, a row each: how each is, by its own sensors.

use std::time::Duration;

use lantern_core::Said;
use lantern_core::census::Sensor;
use lantern_core::conversation::Watch;
use lantern_core::watch::{Trend, WatchedFixture};
use ratatui::Frame;
use ratatui::layout::{Constraint, Rect};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Paragraph, Row, Table, TableState};

use super::{View, span};
use crate::output::Tone;

const HEADINGS: [&str; 6] = ["fixture", "behind", "state", "for", "damaged", "what it measures and reports"];

impl View {
    /// The fixtures that are shown: those that somebody should look at first.
    pub(super) fn fixtures<'w>(&self, watch: &'w Watch) -> Vec<&'w WatchedFixture> {
        let wanted = self.filter.to_lowercase();
        let is_wanted = |one: &&WatchedFixture| wanted.is_empty() || one.title.to_lowercase().contains(&wanted);
        let mut all: Vec<&WatchedFixture> = watch.board().fixtures().filter(is_wanted).collect();
        all.sort_by_key(|one| !one.is_bad());
        all
    }

    pub(super) fn draw_fixtures(&self, frame: &mut Frame<'_>, area: Rect, watch: &Watch, now: Duration) {
        let all = self.fixtures(watch);
        if watch.board().fixtures().next().is_none() {
            let text = "no fixture was asked: watch --fixtures asks those behind gateways how they are";
            return frame.render_widget(Span::styled(text, self.look.of(Tone::Faint)), area);
        }
        let room = usize::from(area.height.saturating_sub(1)).max(1);
        let first = self.row.saturating_sub(room - 1);
        let rows = all.iter().skip(first).take(room).map(|one| self.fixture_row(one, watch, now));
        let widths = [
            Constraint::Fill(2),
            Constraint::Length(18),
            Constraint::Length(10),
            Constraint::Length(7),
            Constraint::Length(9),
            Constraint::Fill(3),
        ];
        let table = Table::new(rows, widths)
            .header(Row::new(HEADINGS).style(self.look.of(Tone::Faint)))
            .column_spacing(1)
            .row_highlight_style(self.look.chosen());
        let mut state = TableState::default().with_selected((!all.is_empty()).then(|| self.row - first));
        frame.render_stateful_widget(table, area, &mut state);
        let bad = all.iter().filter(|one| one.is_bad()).count();
        let title = format!("{} of {}, {bad} to look at", all.len(), watch.board().fixtures().count());
        let above = Rect { y: area.y.saturating_sub(1), height: 1, ..area };
        frame.render_widget(Paragraph::new(Span::styled(title, self.look.of(Tone::Faint))), above);
    }

    fn fixture_row(&self, one: &WatchedFixture, watch: &Watch, now: Duration) -> Row<'static> {
        let (gateway, port) = watch.census().cable(&one.behind);
        let behind = port.map_or_else(|| gateway.clone(), |port| format!("{gateway} {port}"));
        let (state, tone) = match one.answers {
            None => ("not asked", Tone::Faint),
            Some(false) => ("silent", Tone::Bad),
            Some(true) if one.is_bad() => ("look", Tone::Doubtful),
            Some(true) => ("answers", Tone::Good),
        };
        let damaged = match (one.damaged.value(), one.damaged.trend(now)) {
            (Some(0) | None, _) => Span::default(),
            (Some(count), Some(Trend::Rising)) => Span::styled(format!("{count} ↑"), self.look.of(Tone::Bad)),
            (Some(count), _) => Span::raw(count.to_string()),
        };
        Row::new([
            Line::from(Said::from(one.title.as_str()).to_string()),
            Line::from(Said::from(behind.as_str()).to_string()),
            Span::styled(state, self.look.of(tone)).into(),
            Line::from(one.answers.map(|_| span(now.saturating_sub(one.since))).unwrap_or_default()),
            damaged.into(),
            self.measures(one),
        ])
    }

    /// What is out of its limits, with those; then everything else that it measures.
    fn measures(&self, one: &WatchedFixture) -> Line<'static> {
        let is_out = |sensor: &&Sensor| one.out_of_range.contains(&sensor.name.to_string());
        let (out, fine): (Vec<&Sensor>, Vec<&Sensor>) = one.sensors.iter().partition(is_out);
        let reports = one.reports.values().map(|report| Span::styled(report.to_string(), self.look.of(Tone::Bad)));
        let out = out.into_iter().map(|sensor| {
            let text = format!("{} ({})", short(sensor), sensor.normal_in_words());
            Span::styled(text, self.look.of(Tone::Bad))
        });
        let fine = fine.into_iter().map(|sensor| Span::raw(short(sensor)));
        let all: Vec<Span<'static>> = reports.chain(out).chain(fine).collect();
        let comma = |(place, span): (usize, Span<'static>)| {
            let before = if place == 0 { None } else { Some(Span::raw(", ")) };
            before.into_iter().chain(std::iter::once(span))
        };
        all.into_iter().enumerate().flat_map(comma).collect::<Vec<_>>().into()
    }
}

/// A sensor with its present value: `head 41 °C`.
fn short(sensor: &Sensor) -> String {
    let name = if sensor.name.is_empty() { sensor.quantity.clone() } else { sensor.name.to_string() };
    format!("{name} {} {}", sensor.now, sensor.unit).trim_end().to_owned()
}
