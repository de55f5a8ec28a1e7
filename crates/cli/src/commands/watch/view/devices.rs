//! All devices, a row each.

use std::time::Duration;

use lantern_core::Said;
use lantern_core::conversation::Watch;
use lantern_core::watch::{Curve, State, Watched};
use ratatui::Frame;
use ratatui::layout::{Constraint, Rect};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Cell, Row, Table, TableState};

use super::{View, span};
use crate::output::{Tone, millis};

/// In which order devices stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Order {
    Worst,
    Name,
    Address,
    Slowest,
}

impl Order {
    pub(super) const fn next(self) -> Self {
        match self {
            Self::Worst => Self::Name,
            Self::Name => Self::Address,
            Self::Address => Self::Slowest,
            Self::Slowest => Self::Worst,
        }
    }

    const fn word(self) -> &'static str {
        match self {
            Self::Worst => "worst first",
            Self::Name => "by name",
            Self::Address => "by address",
            Self::Slowest => "slowest first",
        }
    }
}

/// How bad a state is.
const fn tone(state: State) -> Tone {
    match state {
        State::Answers => Tone::Good,
        State::Heard => Tone::Plain,
        State::Lacks(_) | State::OnlyHeard => Tone::Doubtful,
        State::Silent | State::NotSeen => Tone::Bad,
    }
}

impl View {
    /// The devices that are shown, in their order.
    pub(super) fn devices<'w>(&self, watch: &'w Watch) -> Vec<&'w Watched> {
        let wanted = self.filter.to_lowercase();
        let is_wanted = |one: &&Watched| {
            let texts = [
                one.title(),
                one.name.to_string(),
                one.what.to_string(),
                one.address.to_string(),
                one.mac.map(|mac| mac.to_string()).unwrap_or_default(),
                one.state.to_string(),
            ];
            wanted.is_empty() || texts.iter().any(|text| text.to_lowercase().contains(&wanted))
        };
        let mut all: Vec<&Watched> = watch.board().watched().filter(is_wanted).collect();
        match self.order {
            Order::Worst => all.sort_by_cached_key(|one| {
                let loss = one.curve().loss_percent().unwrap_or(0);
                (!one.state.is_bad(), std::cmp::Reverse((one.silences, loss)), one.address, one.title())
            }),
            Order::Name => all.sort_by_cached_key(|one| one.title().to_lowercase()),
            Order::Address => all.sort_by_key(|one| (one.address, one.mac)),
            Order::Slowest => all.sort_by_key(|one| std::cmp::Reverse(one.curve().last())),
        }
        all
    }

    pub(super) fn draw_devices(&self, frame: &mut Frame<'_>, area: Rect, watch: &Watch, now: Duration) {
        let devices = self.devices(watch);
        let wide = area.width >= 110;
        let points = if area.width >= 160 { 40 } else { 12 };
        // Only what is on the screen is drawn: a thousand rows a second would be felt.
        let room = usize::from(area.height.saturating_sub(1)).max(1);
        let first = self.row.saturating_sub(room - 1);
        let rows = devices.iter().skip(first).take(room).map(|one| self.device_row(one, now, points, wide));
        let mut headings = vec!["device", "address", "state", "for", "answer", "last answers", "lost"];
        let mut widths = vec![
            Constraint::Fill(2),
            Constraint::Length(15),
            Constraint::Length(10),
            Constraint::Length(7),
            Constraint::Length(7),
            Constraint::Length(points),
            Constraint::Length(5),
        ];
        if wide {
            headings.push("what it is");
            widths.push(Constraint::Fill(3));
        }
        let head = Row::new(headings).style(self.look.of(Tone::Faint));
        let title = format!("{} of {}, {}", devices.len(), watch.board().watched().count(), self.order.word());
        let table =
            Table::new(rows, widths).header(head).column_spacing(1).row_highlight_style(self.look.chosen());
        let mut state = TableState::default().with_selected((!devices.is_empty()).then(|| self.row - first));
        frame.render_stateful_widget(table, area, &mut state);
        let above = Rect { y: area.y.saturating_sub(1), height: 1, ..area };
        frame.render_widget(Span::styled(title, self.look.of(Tone::Faint)), above);
    }

    fn device_row(&self, one: &Watched, now: Duration, points: u16, wide: bool) -> Row<'static> {
        let address = if one.address.is_unspecified() { "-".to_owned() } else { one.address.to_string() };
        let lost = one.curve().loss_percent();
        let lost_tone = match lost {
            Some(10..) => Tone::Bad,
            Some(1..) => Tone::Doubtful,
            _ => Tone::Plain,
        };
        let answer = one.curve().last().filter(|_| !one.state.is_bad()).map(millis).unwrap_or_default();
        let since = if one.state == State::NotSeen { String::new() } else { span(now.saturating_sub(one.since)) };
        let mut cells = vec![
            Cell::from(Said::from(one.title()).to_string()),
            Cell::from(address),
            Cell::from(Span::styled(one.state.to_string(), self.look.of(tone(one.state)))),
            Cell::from(since),
            Cell::from(answer),
            Cell::from(self.curve(one.curve(), points)),
            Cell::from(Span::styled(
                lost.map(|lost| format!("{lost} %")).unwrap_or_default(),
                self.look.of(lost_tone),
            )),
        ];
        if wide {
            let restarts = match one.restarts {
                0 => String::new(),
                times => format!("restarted {times} ×; "),
            };
            cells.push(Cell::from(format!("{restarts}{}", one.what)));
        }
        Row::new(cells)
    }

    /// How long the last answers took, a sign each: from a tenth of a millisecond to a second.
    pub(super) fn curve(&self, curve: &Curve, points: u16) -> Line<'static> {
        const SIGNS: [&str; 8] = ["▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];
        let skipped = curve.points().len().saturating_sub(points.into());
        let sign = |point: Option<Duration>| match point {
            None => Span::styled("×", self.look.of(Tone::Bad)),
            Some(time) => {
                let tenths = [1_u128, 3, 10, 30, 100, 300, 1000].iter();
                let place = tenths.filter(|tenth| time.as_micros() > **tenth * 100).count();
                Span::raw(SIGNS[place])
            }
        };
        curve.points().skip(skipped).map(sign).collect::<Vec<_>>().into()
    }

    pub(super) fn state(&self, one: &Watched) -> Span<'static> {
        Span::styled(one.state.to_string(), self.look.of(tone(one.state)))
    }
}
