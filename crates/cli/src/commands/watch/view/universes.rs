//! Who sends which universe.

use std::time::Duration;

use lantern_core::conversation::Watch;
use lantern_core::watch::{Flow, Trend};
use ratatui::Frame;
use ratatui::layout::{Constraint, Rect};
use ratatui::text::Span;
use ratatui::widgets::{Cell, Row, Table, TableState};

use super::{View, span};
use crate::output::Tone;

impl View {
    pub(super) fn draw_universes(&self, frame: &mut Frame<'_>, area: Rect, watch: &Watch, now: Duration) {
        let flows: Vec<&Flow> = watch.board().traffic().flows().collect();
        if flows.is_empty() {
            let text =
                "nobody sends levels that reach this computer; what goes to single nodes by Art-Net does not";
            frame.render_widget(Span::styled(text, self.look.of(Tone::Faint)), area);
            return;
        }
        let room = usize::from(area.height.saturating_sub(1)).max(1);
        let first = self.row.saturating_sub(room - 1);
        let rows = flows.iter().skip(first).take(room).map(|flow| self.flow_row(flow, watch, now));
        let widths = [
            Constraint::Length(14),
            Constraint::Fill(2),
            Constraint::Length(8),
            Constraint::Length(6),
            Constraint::Length(14),
            Constraint::Length(8),
            Constraint::Fill(2),
        ];
        let head = Row::new(["universe", "from", "priority", "rate", "missing", "for", ""])
            .style(self.look.of(Tone::Faint));
        let table =
            Table::new(rows, widths).header(head).column_spacing(1).row_highlight_style(self.look.chosen());
        let mut state = TableState::default().with_selected(Some(self.row - first));
        frame.render_stateful_widget(table, area, &mut state);
    }

    fn flow_row(&self, flow: &Flow, watch: &Watch, now: Duration) -> Row<'static> {
        let from = watch
            .board()
            .desk_at(flow.address)
            .map_or_else(|| flow.title(), |desk| format!("{} ({})", lantern_core::Said::from(desk), flow.address));
        let missing = match (flow.gaps, flow.gap_counter.trend(now)) {
            (0, _) => ("-".to_owned(), Tone::Plain),
            (gaps, Some(Trend::Rising)) => (format!("{gaps}, rising"), Tone::Bad),
            (gaps, _) => (format!("{gaps}, still"), Tone::Plain),
        };
        let traffic = watch.board().traffic();
        let (note, tone) = match () {
            () if !flow.is_live => ("sent no more", Tone::Doubtful),
            () if flow.preview => ("for visualisers", Tone::Plain),
            () if traffic.is_rivalled(flow) => ("two send it with the same right", Tone::Bad),
            () if !traffic.has_right(flow) => ("another one has priority", Tone::Plain),
            () => ("", Tone::Plain),
        };
        Row::new([
            Cell::from(flow.universe.in_words()),
            Cell::from(from),
            Cell::from(flow.priority.map_or_else(|| "-".to_owned(), |priority| priority.to_string())),
            Cell::from(format!("{}/s", flow.rate)),
            Cell::from(Span::styled(missing.0, self.look.of(missing.1))),
            Cell::from(span(now.saturating_sub(flow.since))),
            Cell::from(Span::styled(note, self.look.of(tone))),
        ])
    }
}
