//! The levels of a universe, live.

use std::time::Duration;

use lantern_core::conversation::Listening;
use lantern_core::levels::{Levels, SLOTS};
use lantern_core::universe::Universe;
use ratatui::Frame;
use ratatui::crossterm::event::{Event, KeyCode, KeyEventKind, KeyModifiers};
use ratatui::layout::{Constraint, Layout};
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;

use super::show::{self, IN_LINE};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Look, Out, Screen, Tone};
use crate::session::Session;

/// How long a level counts as changed just now.
const JUST_NOW: Duration = Duration::from_secs(1);

/// Whether a level stands there as a number or as a bar.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum As {
    Numbers,
    Bars,
}

/// Shows them until somebody leaves.
pub(super) fn run(
    session: &Session,
    universe: Universe,
    length: Option<Duration>,
    out: &mut Out,
) -> Result<Exit, Failure> {
    let mut listening = Listening::new(session.vantage(), universe, length);
    let (mut screen, look, mut shown) = (Screen::open()?, Look(out.paint()), As::Numbers);
    let ran = session.run_until_left(&mut listening, |listening, now, event| {
        if event.is_some() {
            return Ok(std::ops::ControlFlow::Continue(()));
        }
        for event in screen.pressed() {
            let Event::Key(key) = event else { continue };
            let breaks = key.code == KeyCode::Char('c') && key.modifiers.contains(KeyModifiers::CONTROL);
            match key.code {
                _ if key.kind == KeyEventKind::Release => {}
                KeyCode::Char('q') | KeyCode::Esc => return Ok(std::ops::ControlFlow::Break(())),
                _ if breaks => return Ok(std::ops::ControlFlow::Break(())),
                KeyCode::Char('b') => shown = if shown == As::Numbers { As::Bars } else { As::Numbers },
                _ => {}
            }
        }
        let heads = show::heads(session, listening.levels());
        screen.draw(|frame| draw(frame, listening.levels(), &heads, shown, look, now))?;
        Ok(std::ops::ControlFlow::Continue(()))
    });
    screen.close();
    ran?;
    let (_, rivals) = listening.levels().merged();
    show::heads(session, listening.levels()).iter().try_for_each(|line| out.line(line))?;
    Ok(if rivals == 0 { Exit::Wrong } else { Exit::Fine })
}

fn draw(frame: &mut Frame<'_>, levels: &Levels, heads: &[String], shown: As, look: Look, now: Duration) {
    let most = usize::from(frame.area().height.saturating_sub(18));
    let lines: Vec<Line<'_>> = heads.iter().take(most.max(1)).map(|line| Line::raw(line.as_str())).collect();
    let room = u16::try_from(lines.len()).unwrap_or(1);
    let [head, body, keys] =
        Layout::vertical([Constraint::Length(room), Constraint::Fill(1), Constraint::Length(1)])
            .areas(frame.area());
    frame.render_widget(Paragraph::new(lines), head);
    let (slots, _) = levels.merged();
    let changed = |slot: usize| {
        let at = levels.live().filter_map(|(source, _)| source.changed[slot]).max();
        at.is_some_and(|at| at + JUST_NOW > now)
    };
    let width = usize::from(body.width);
    let rows = (0..SLOTS).step_by(IN_LINE).map(|first| {
        let mut spans = vec![Span::styled(format!("{:>4} ", first + 1), look.of(Tone::Faint))];
        spans.extend((first..first + IN_LINE).map(|slot| {
            let text = match shown {
                As::Numbers => show::cell(slots[slot], width),
                As::Bars => bar(slots[slot], width),
            };
            let tone = if slots[slot] == 0 { Tone::Faint } else { Tone::Plain };
            Span::styled(text, if changed(slot) { look.chosen() } else { look.of(tone) })
        }));
        Line::from(spans)
    });
    frame.render_widget(Paragraph::new(rows.collect::<Vec<_>>()), body);
    let text = "b numbers or bars   q end   changed just now: reversed";
    frame.render_widget(Span::styled(text, look.of(Tone::Faint)), keys);
}

/// A level as a bar of eight heights.
fn bar(level: u8, width: usize) -> String {
    const SIGNS: [&str; 9] = ["·", "▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];
    let sign = SIGNS[usize::from(level).div_ceil(32)];
    if show::is_wide(width) { format!("   {sign}") } else { format!(" {sign}") }
}

#[cfg(test)]
mod tests {
    use lantern_core::universe::PortAddress;
    use ratatui::Terminal;
    use ratatui::backend::TestBackend;
    use rstest::rstest;

    use super::*;
    use crate::output::Paint;

    #[rstest]
    fn it_fits_every_screen(
        #[values((80, 24), (200, 60), (30, 8), (1, 1))] (width, height): (u16, u16),
        #[values(As::Numbers, As::Bars)] shown: As,
    ) {
        let levels = Levels::of(Universe::ArtNet(PortAddress::new(1).expect("a universe")));
        let mut terminal = Terminal::new(TestBackend::new(width, height)).expect("a screen");
        let heads = vec!["Art-Net 0:0:1: nobody".to_owned(); 9];
        let drawn = terminal.draw(|frame| draw(frame, &levels, &heads, shown, Look(Paint::Off), Duration::ZERO));
        assert!(drawn.is_ok());
        if height >= 24 {
            let buffer = terminal.backend().buffer();
            let line = |y| {
                (0..width)
                    .filter_map(|x| buffer.cell((x, y)))
                    .map(ratatui::buffer::Cell::symbol)
                    .collect::<String>()
            };
            assert!((0..height).any(|y| line(y).starts_with(" 481 ")), "all sixteen lines are there");
        }
    }

    #[test]
    fn a_bar_is_dark_only_at_nothing_and_whole_only_at_full() {
        assert_eq!(
            [0, 1, 32, 33, 224, 225, 255].map(|level| bar(level, 80)),
            [" ·", " ▁", " ▁", " ▂", " ▇", " █", " █"]
        );
    }
}
