//! The live view of a watch.

mod addresses;
mod detail;
mod devices;
mod events;
mod fixtures;
mod universes;

#[cfg(test)]
mod tests;

use std::process::{Child, Command, Stdio};
use std::time::Duration;

use lantern_core::Said;
use lantern_core::address::Subnet;
use lantern_core::conversation::Watch;
use lantern_core::watch::{Happening, Watched};
use ratatui::Frame;
use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers};
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;

use super::{Eye, lines};
use crate::failure::Failure;
use crate::output::{Look, Out, Screen as Terminal, Tone};
use crate::session::Session;
use devices::{Column, Order};

/// How often it is drawn anew where nothing happens.
const DRAW_EVERY: Duration = Duration::from_millis(500);
/// How long a device flashes.
const FLASH: &str = "5s";
/// The last happenings that stand below every page.
const SHOWN_BELOW: u16 = 3;

/// What is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Page {
    Devices,
    Universes,
    Addresses,
    Events,
    Fixtures,
}

impl Page {
    const ALL: [(Self, &'static str); 5] = [
        (Self::Devices, "devices"),
        (Self::Universes, "universes"),
        (Self::Addresses, "addresses"),
        (Self::Events, "events"),
        (Self::Fixtures, "fixtures"),
    ];
}

/// What a key leads to.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Press {
    Nothing,
    Quit,
    Flash(String),
}

/// The view without its terminal: what was chosen, and how it is drawn.
struct View {
    place: String,
    subnets: Vec<Subnet>,
    began: jiff::Timestamp,
    look: Look,
    page: Page,
    order: Order,
    /// The places of the columns that were chosen for the devices.
    columns: Option<Vec<usize>>,
    filter: String,
    typing: bool,
    /// Which row is chosen, from 0.
    row: usize,
    detail: bool,
    said: String,
    /// Frames that came faster than they could be read.
    lost: u64,
}

impl View {
    fn new(place: String, subnets: Vec<Subnet>, began: jiff::Timestamp, look: Look) -> Self {
        Self {
            place,
            subnets,
            began,
            look,
            page: Page::Devices,
            order: Order::Worst,
            columns: None,
            filter: String::new(),
            typing: false,
            row: 0,
            detail: false,
            said: String::new(),
            lost: 0,
        }
    }

    /// The device that is chosen.
    fn chosen<'w>(&self, watch: &'w Watch) -> Option<&'w Watched> {
        self.devices(watch).get(self.row).copied()
    }

    /// What to do about a key.
    fn press(&mut self, key: KeyEvent, watch: &Watch) -> Press {
        self.said.clear();
        if key.modifiers.contains(KeyModifiers::CONTROL) && key.code == KeyCode::Char('c') {
            return Press::Quit;
        }
        if self.typing {
            match key.code {
                KeyCode::Enter => self.typing = false,
                KeyCode::Esc => (self.typing, self.filter) = (false, String::new()),
                KeyCode::Backspace => _ = self.filter.pop(),
                KeyCode::Char(typed) if self.filter.len() < 40 => self.filter.push(typed),
                _ => {}
            }
            self.row = 0;
            return Press::Nothing;
        }
        match key.code {
            KeyCode::Char('q') => return Press::Quit,
            KeyCode::Esc if self.detail => self.detail = false,
            KeyCode::Esc => self.filter.clear(),
            KeyCode::Char(digit @ '1'..='5') => {
                let place = usize::from(u8::try_from(digit).unwrap_or(b'1') - b'1');
                (self.page, self.row, self.detail) = (Page::ALL[place].0, 0, false);
            }
            KeyCode::Tab => {
                let place = Page::ALL.iter().position(|(page, _)| *page == self.page).unwrap_or(0);
                (self.page, self.row, self.detail) = (Page::ALL[(place + 1) % Page::ALL.len()].0, 0, false);
            }
            KeyCode::Char('s') => self.order = self.order.next(),
            KeyCode::Char('/') => self.typing = true,
            KeyCode::Enter if self.page == Page::Devices => self.detail = !self.detail,
            KeyCode::Char('f') if self.page == Page::Devices => {
                if let Some(one) = self.chosen(watch) {
                    return Press::Flash(one.mac.map_or_else(|| one.address.to_string(), |mac| mac.to_string()));
                }
            }
            KeyCode::Down => self.row += 1,
            KeyCode::Up => self.row = self.row.saturating_sub(1),
            KeyCode::PageDown => self.row += 10,
            KeyCode::PageUp => self.row = self.row.saturating_sub(10),
            KeyCode::Home => self.row = 0,
            KeyCode::End => self.row = usize::MAX,
            _ => {}
        }
        self.row = self.row.min(self.rows(watch).saturating_sub(1));
        Press::Nothing
    }

    /// How many rows the page has.
    fn rows(&self, watch: &Watch) -> usize {
        match self.page {
            Page::Devices => self.devices(watch).len(),
            Page::Universes => watch.board().traffic().flows().count(),
            Page::Addresses => self.blocks(watch).len(),
            Page::Events => watch.board().past().len(),
            Page::Fixtures => self.fixtures(watch).len(),
        }
    }

    fn draw(&self, frame: &mut Frame<'_>, watch: &Watch, now: Duration) {
        let below = if self.page == Page::Events || frame.area().height < 16 { 0 } else { SHOWN_BELOW + 1 };
        let [head, tabs, body, events, keys] = Layout::vertical([
            Constraint::Length(1),
            Constraint::Length(2),
            Constraint::Fill(1),
            Constraint::Length(below),
            Constraint::Length(1),
        ])
        .areas(frame.area());
        self.draw_head(frame, head, watch, now);
        self.draw_tabs(frame, tabs, watch);
        match self.page {
            Page::Devices if self.detail => self.draw_detail(frame, body, watch, now),
            Page::Devices => self.draw_devices(frame, body, watch, now),
            Page::Universes => self.draw_universes(frame, body, watch, now),
            Page::Addresses => self.draw_addresses(frame, body, watch),
            Page::Events => self.draw_events(frame, body, watch, self.row),
            Page::Fixtures => self.draw_fixtures(frame, body, watch, now),
        }
        if below > 0 {
            let [_, events] = Layout::vertical([Constraint::Length(1), Constraint::Fill(1)]).areas(events);
            self.draw_events(frame, events, watch, 0);
        }
        self.draw_keys(frame, keys);
    }

    fn draw_head(&self, frame: &mut Frame<'_>, area: Rect, watch: &Watch, now: Duration) {
        let state = if watch.is_looking(now) { "looking who is there".to_owned() } else { lines::counts(watch) };
        let lost = if self.lost == 0 { String::new() } else { format!("{} frames not read  ", self.lost) };
        let right = format!("{lost}{}  {}", self.place, span(now));
        let [left, end] = Layout::horizontal([Constraint::Fill(1), Constraint::Length(width(&right))]).areas(area);
        frame.render_widget(Span::styled(state, self.look.of(Tone::Strong)), left);
        frame.render_widget(Span::styled(right, self.look.of(Tone::Faint)), end);
    }

    fn draw_tabs(&self, frame: &mut Frame<'_>, area: Rect, watch: &Watch) {
        let mut spans = Vec::new();
        for (number, (page, name)) in (1..).zip(Page::ALL) {
            let style = if page == self.page { self.look.chosen() } else { self.look.of(Tone::Faint) };
            spans.push(Span::styled(format!(" {number} {name} "), style));
            spans.push(Span::raw(" "));
        }
        let round = watch.round().as_secs_f32();
        let filter = match (self.typing, self.filter.is_empty()) {
            (true, _) => format!("  show: {}_", Said::from(self.filter.as_str())),
            (false, false) => format!("  only: {}", Said::from(self.filter.as_str())),
            (false, true) => format!("  asked every {round:.1} s"),
        };
        spans.push(Span::raw(filter));
        frame.render_widget(Paragraph::new(Line::from(spans)), area);
    }

    fn draw_keys(&self, frame: &mut Frame<'_>, area: Rect) {
        let keys = match (self.typing, self.page, self.detail) {
            (true, ..) => "type what to show; Enter keeps it, Esc shows all",
            (_, Page::Devices, true) => "↑↓ next   Enter back   f flash   q end",
            (_, Page::Devices, false) => {
                "↑↓ choose   Enter more   / show only   s order   f flash   1-5 page   q end"
            }
            (_, Page::Fixtures, _) => "↑↓ move   / show only   1-5 page   q end",
            (_, Page::Addresses | Page::Universes | Page::Events, _) => "↑↓ move   1-5 page   q end",
        };
        let text = if self.said.is_empty() { keys } else { &self.said };
        frame.render_widget(Span::styled(text.to_owned(), self.look.of(Tone::Faint)), area);
    }
}

/// How many columns a text takes.
fn width(text: &str) -> u16 {
    u16::try_from(Span::raw(text).width()).unwrap_or(u16::MAX)
}

/// A time in few characters: `41 s`, `12 min`, `3 h 05`, `2 d`.
fn span(time: Duration) -> String {
    match time.as_secs() {
        seconds @ 0..120 => format!("{seconds} s"),
        seconds @ 120..7200 => format!("{} min", seconds / 60),
        seconds @ 7200..172_800 => format!("{} h {:02}", seconds / 3600, seconds / 60 % 60),
        seconds => format!("{} d", seconds / 86_400),
    }
}

/// The view on its terminal.
pub(super) struct Screen {
    terminal: Terminal,
    view: View,
    adapter: String,
    drawn_at: Option<Duration>,
    changed: bool,
    flashing: Option<(String, Child)>,
}

impl Screen {
    pub(super) fn open(session: &Session, out: &mut Out) -> Result<Self, Failure> {
        let own: Vec<String> = session.seats().iter().map(|seat| seat.own.to_string()).collect();
        let place = format!("{} {}", session.adapter(), own.join(" "));
        let mut view = View::new(place, session.subnets(), crate::clock::now(), Look(out.paint()));
        view.columns = out.columns_among(&Column::ALL.map(Column::heading));
        let (terminal, adapter) = (Terminal::open()?, session.adapter().to_owned());
        Ok(Self { terminal, view, adapter, drawn_at: None, changed: true, flashing: None })
    }

    /// Takes what was typed. Gives whether to go on.
    fn listen(&mut self, watch: &Watch) -> Result<bool, Failure> {
        for event in self.terminal.pressed() {
            self.changed = true;
            match event {
                Event::Key(key) if key.kind != KeyEventKind::Release => match self.view.press(key, watch) {
                    Press::Nothing => {}
                    Press::Quit => return Ok(false),
                    Press::Flash(called) => self.flash(called)?,
                },
                _ => {}
            }
        }
        Ok(true)
    }

    /// Another run of this program lets it flash, guarded and written down as always.
    fn flash(&mut self, called: String) -> Result<(), Failure> {
        if self.flashing.is_some() {
            "one is flashing already".clone_into(&mut self.view.said);
            return Ok(());
        }
        let child = Command::new(std::env::current_exe()?)
            .args(["identify", &called, "--for", FLASH, "--adapter", &self.adapter])
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()?;
        self.view.said = format!("{called} is to flash for {FLASH}");
        self.flashing = Some((called, child));
        Ok(())
    }

    fn look_after_flashing(&mut self) -> Result<(), Failure> {
        let Some((called, child)) = &mut self.flashing else { return Ok(()) };
        if let Some(status) = child.try_wait()? {
            if !status.success() {
                self.view.said = format!("it did not flash; deft-lantern identify {called} says why");
            }
            (self.flashing, self.changed) = (None, true);
        }
        Ok(())
    }
}

impl Eye for Screen {
    fn happened(&mut self, _: &Watch, _: &Happening, _: &mut Out) -> Result<(), Failure> {
        self.changed = true;
        Ok(())
    }

    fn look(&mut self, watch: &Watch, now: Duration, lost: u64, _: &mut Out) -> Result<bool, Failure> {
        if !self.listen(watch)? {
            return Ok(false);
        }
        self.look_after_flashing()?;
        self.view.lost = lost;
        if self.changed || self.drawn_at.is_none_or(|at| at + DRAW_EVERY <= now) {
            self.view.row = self.view.row.min(self.view.rows(watch).saturating_sub(1));
            let view = &self.view;
            self.terminal.draw(|frame| view.draw(frame, watch, now))?;
            (self.drawn_at, self.changed) = (Some(now), false);
        }
        Ok(true)
    }

    fn end(&mut self, watch: &Watch, now: Duration, out: &mut Out) -> Result<(), Failure> {
        self.terminal.close();
        if let Some((_, child)) = &mut self.flashing {
            // It ends by itself, and puts back what it changed.
            child.wait()?;
        }
        out.line(&format!("watched for {}: {}", span(now), lines::counts(watch)))?;
        Ok(())
    }
}
