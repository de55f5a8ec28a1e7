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

/// What is known of a device in a column.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Column {
    Device,
    Address,
    State,
    For,
    Answer,
    LastAnswers,
    Lost,
    WhatItIs,
    Mac,
    Firmware,
    Silences,
    Restarts,
}

impl Column {
    pub(super) const ALL: [Self; 12] = [
        Self::Device,
        Self::Address,
        Self::State,
        Self::For,
        Self::Answer,
        Self::LastAnswers,
        Self::Lost,
        Self::WhatItIs,
        Self::Mac,
        Self::Firmware,
        Self::Silences,
        Self::Restarts,
    ];

    pub(super) const fn heading(self) -> &'static str {
        match self {
            Self::Device => "device",
            Self::Address => "address",
            Self::State => "state",
            Self::For => "for",
            Self::Answer => "answer",
            Self::LastAnswers => "last answers",
            Self::Lost => "lost",
            Self::WhatItIs => "what it is",
            Self::Mac => "MAC",
            Self::Firmware => "firmware",
            Self::Silences => "silences",
            Self::Restarts => "restarts",
        }
    }

    const fn width(self, points: u16) -> Constraint {
        match self {
            Self::Device => Constraint::Fill(2),
            Self::Address => Constraint::Length(15),
            Self::State => Constraint::Length(10),
            Self::For | Self::Answer => Constraint::Length(7),
            Self::LastAnswers => Constraint::Length(points),
            Self::Lost => Constraint::Length(5),
            Self::WhatItIs => Constraint::Fill(3),
            Self::Mac => Constraint::Length(17),
            Self::Firmware | Self::Silences | Self::Restarts => Constraint::Length(8),
        }
    }

    /// Whether it is shown at this width unasked.
    const fn is_usual(self, width: u16) -> bool {
        match self {
            Self::Mac | Self::Firmware | Self::Silences | Self::Restarts => false,
            Self::WhatItIs => width >= 110,
            _ => true,
        }
    }
}

/// What cells are made of beside the device.
struct Seen<'a> {
    watch: &'a Watch,
    now: Duration,
    /// How many of the last answers are drawn.
    points: u16,
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
        let columns = self.columns_at(area.width);
        let points = if area.width >= 160 { 40 } else { 12 };
        // Only what is on the screen is drawn: a thousand rows a second would be felt.
        let room = usize::from(area.height.saturating_sub(1)).max(1);
        let first = self.row.saturating_sub(room - 1);
        let seen = Seen { watch, now, points };
        let row = |one: &&Watched| Row::new(columns.iter().map(|column| self.device_cell(*column, one, &seen)));
        let rows = devices.iter().skip(first).take(room).map(row);
        let head = Row::new(columns.iter().map(|column| column.heading())).style(self.look.of(Tone::Faint));
        let title = format!("{} of {}, {}", devices.len(), watch.board().watched().count(), self.order.word());
        let table = Table::new(rows, columns.iter().map(|column| column.width(points)))
            .header(head)
            .column_spacing(1)
            .row_highlight_style(self.look.chosen());
        let mut state = TableState::default().with_selected((!devices.is_empty()).then(|| self.row - first));
        frame.render_stateful_widget(table, area, &mut state);
        let above = Rect { y: area.y.saturating_sub(1), height: 1, ..area };
        frame.render_widget(Span::styled(title, self.look.of(Tone::Faint)), above);
    }

    /// The columns that were chosen, or those that fit.
    fn columns_at(&self, width: u16) -> Vec<Column> {
        match &self.columns {
            Some(chosen) => chosen.iter().filter_map(|place| Column::ALL.get(*place)).copied().collect(),
            None => Column::ALL.into_iter().filter(|column| column.is_usual(width)).collect(),
        }
    }

    fn device_cell(&self, column: Column, one: &Watched, seen: &Seen<'_>) -> Cell<'static> {
        match column {
            Column::Device => Cell::from(Said::from(one.title()).to_string()),
            Column::Address if one.address.is_unspecified() => Cell::from("-"),
            Column::Address => Cell::from(one.address.to_string()),
            Column::State => Cell::from(self.state(one)),
            Column::For if one.state == State::NotSeen => Cell::default(),
            Column::For => Cell::from(span(seen.now.saturating_sub(one.since))),
            Column::Answer => {
                Cell::from(one.curve().last().filter(|_| !one.state.is_bad()).map(millis).unwrap_or_default())
            }
            Column::LastAnswers => Cell::from(self.curve(one.curve(), seen.points)),
            Column::Lost => {
                let lost = one.curve().loss_percent();
                let tone = match lost {
                    Some(10..) => Tone::Bad,
                    Some(1..) => Tone::Doubtful,
                    _ => Tone::Plain,
                };
                let text = lost.map(|lost| format!("{lost} %")).unwrap_or_default();
                Cell::from(Span::styled(text, self.look.of(tone)))
            }
            Column::WhatItIs => {
                let restarts = match one.restarts {
                    0 => String::new(),
                    times => format!("restarted {times} ×; "),
                };
                Cell::from(format!("{restarts}{}", one.what))
            }
            Column::Mac => Cell::from(one.mac.map(|mac| mac.to_string()).unwrap_or_default()),
            Column::Firmware => {
                let node = one.node.and_then(|index| seen.watch.census().nodes().get(index));
                Cell::from(node.map(|node| node.firmware.to_string()).unwrap_or_default())
            }
            Column::Silences => Cell::from(one.silences.to_string()),
            Column::Restarts => Cell::from(one.restarts.to_string()),
        }
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
