//! One device, with everything that is known of it.

use std::time::Duration;

use lantern_core::Said;
use lantern_core::conversation::Watch;
use lantern_core::watch::{Curve, Trend};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::{Paragraph, Wrap};

use super::{View, events, span};
use crate::output::{Tone, millis};

impl View {
    pub(super) fn draw_detail(&self, frame: &mut Frame<'_>, area: Rect, watch: &Watch, now: Duration) {
        let Some(one) = self.chosen(watch) else { return };
        let title = Said::from(one.title()).to_string();
        let mut lines = vec![Line::from(Span::styled(title.clone(), self.look.of(Tone::Strong)))];
        let mut fact = |name: &str, value: Vec<Span<'static>>| {
            let mut spans = vec![Span::styled(format!("{name:<14}"), self.look.of(Tone::Faint))];
            spans.extend(value);
            lines.push(spans.into());
        };
        let plain = |text: String| vec![Span::raw(text)];
        fact("state", vec![self.state(one), Span::raw(format!("  for {}", span(now.saturating_sub(one.since))))]);
        fact("address", plain(one.address.to_string()));
        fact("MAC address", plain(one.mac.map_or_else(|| "not seen".to_owned(), |mac| mac.to_string())));
        fact("calls itself", plain(one.name.to_string()));
        fact("what it is", plain(one.what.to_string()));
        let points = u16::try_from(Curve::KEPT).unwrap_or(u16::MAX);
        for (name, curve) in [("echo or ARP", &one.contact), ("Art-Net", &one.polls)] {
            if !curve.ever_answered() {
                fact(name, plain(if curve.asked() == 0 { "not asked" } else { "never answered" }.to_owned()));
                continue;
            }
            let lost = curve.loss_percent().unwrap_or(0);
            let last = curve.last().map(millis).unwrap_or_default();
            let mut spans = self.curve(curve, points.min(area.width.saturating_sub(44))).spans;
            spans.push(Span::raw(format!("  {last}, {lost} % lost, {} of {}", curve.answered(), curve.asked())));
            fact(name, spans);
        }
        fact("silent", plain(format!("{} ×, {} in all", one.silences, span(one.silent_for))));
        let count = match (one.count().value(), one.count().trend(now)) {
            (Some(value), Some(Trend::Rising)) => format!("{value} polls by its own count, rising"),
            (Some(value), Some(Trend::Restarted)) => format!("{value} polls by its own count, which began anew"),
            (Some(value), _) => format!("{value} polls by its own count, standing still"),
            (None, _) => "it keeps no count".to_owned(),
        };
        fact("answered", plain(format!("{count}; {} restarts seen", one.restarts)));
        for (field, counter) in one.counts.all() {
            let trend = match counter.trend(now) {
                Some(Trend::Rising) => Span::styled("rising", self.look.of(Tone::Bad)),
                Some(Trend::Restarted) => Span::raw("which began anew"),
                _ => Span::styled("standing still", self.look.of(Tone::Faint)),
            };
            let value = counter.value().unwrap_or_default();
            fact("it counts", vec![Span::raw(format!("{field}: {value}, ")), trend]);
        }
        if let Some(node) = one.node.and_then(|index| watch.census().nodes().get(index)) {
            if !node.report.is_empty() {
                fact("reports", plain(node.report.to_string()));
            }
            fact("universes", plain(crate::commands::universes::summary(node)));
        }
        lines.push(Line::default());
        let own = watch.board().past().rev().filter(|happening| happening.who == one.title()).take(8);
        lines.extend(own.map(|happening| events::line(self, happening)));
        frame.render_widget(Paragraph::new(lines).wrap(Wrap { trim: false }), area);
    }
}
