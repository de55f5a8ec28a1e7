//! The screen on which somebody says which fixture the unit is that flashes.

use std::time::Duration;

use lantern_core::Indicators;
use lantern_core::Uid;
use lantern_core::census::{FoundFixture, Subject};
use lantern_core::change::{ChangePlan, Wish, plan_each};
use lantern_core::compare::{Walk, Wanted};
use lantern_core::facts::Field;
use lantern_core::rework::InRow;
use ratatui::Frame;
use ratatui::crossterm::event::{Event, KeyCode, KeyEventKind, KeyModifiers};
use ratatui::layout::{Constraint, Layout};
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;

use crate::commands::changes::Around;
use crate::commands::identify::apply;
use crate::failure::Failure;
use crate::interrupt::{self, Calm};
use crate::output::{Look, Out, Screen, Tone};
use crate::session::Session;

/// How often it is looked whether a key was pressed.
const LOOK: Duration = Duration::from_millis(30);
/// The keys for places.
const KEYS: &str = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ";

/// What somebody pressed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Pressed {
    /// It is the place of this number.
    Place(usize),
    Later,
    Back,
    Leave,
}

/// Lets unit after unit flash until all are known or somebody leaves. Each one said goes to `write` before the next flashes.
/// Gives whether it came to its end.
pub(super) fn ask(
    session: &Session,
    around: &Around<'_>,
    walk: &mut Walk,
    mut write: impl FnMut(InRow, Option<Uid>) -> Result<(), Failure>,
    out: &mut Out,
) -> Result<bool, Failure> {
    let _calm = Calm::begin();
    let (mut screen, look) = (Screen::open()?, Look(out.paint()));
    while let Some(unit) = walk.present().cloned() {
        screen.draw(|frame| draw(frame, walk, &unit, false, look))?;
        // What was pressed before it is told to flash was not about it.
        screen.pressed();
        if let Err(why) = show(session, around, &unit, Indicators::Flash)? {
            walk.cannot(why);
            continue;
        }
        let pressed = wait(&mut screen, walk, &unit, look);
        // Whoever leaves still wants it to end dark.
        let dark = show(session, around, &unit, Indicators::Normal);
        match pressed? {
            Pressed::Place(place) => {
                if let Some((at, uid)) = place_of(walk, place).map(|at| (at, unit.uid)) {
                    write(at, Some(uid))?;
                    walk.is_at(place);
                }
            }
            Pressed::Later => walk.later(),
            Pressed::Back => {
                let place = walk.back().map(|place| place.at);
                place.map_or(Ok(()), |at| write(at, None))?;
            }
            Pressed::Leave => {
                dark?.unwrap_or(());
                return Ok(false);
            }
        }
        dark?.unwrap_or(());
    }
    Ok(true)
}

/// Where a place stands, where it is open.
fn place_of(walk: &Walk, place: usize) -> Option<InRow> {
    walk.places().nth(place).filter(|(_, unit)| unit.is_none()).map(|(place, _)| place.at)
}

/// Lets it flash, or ends that. Why it does not, where it does not.
fn show(
    session: &Session,
    around: &Around<'_>,
    unit: &FoundFixture,
    indicators: Indicators,
) -> Result<Result<(), String>, Failure> {
    let mut now = unit.clone();
    // It may have been left flashing: whatever it told before, it is told what to do.
    now.facts.forget_one(Field::Indicators);
    let wanted = Wanted { indicators: Some(indicators), ..Wanted::default() };
    let plan = plan_each(&[Wish::asked_for(Subject::of_fixture(&now), wanted)], &around.protection());
    if let Some(finding) = plan.findings.first().filter(|_| plan.is_refused()) {
        return Ok(Err(finding.what.clone()));
    }
    make(session, &plan)
}

fn make(session: &Session, plan: &ChangePlan) -> Result<Result<(), String>, Failure> {
    let mut flash = apply(session, plan);
    session.put_back(&mut flash)?;
    let failed = flash.made().iter().all(|made| made.as_ref().is_none_or(|made| made.outcome.is_failure()));
    Ok(if failed { Err("it does not flash".to_owned()) } else { Ok(()) })
}

/// Waits for a key that means something.
fn wait(screen: &mut Screen, walk: &Walk, unit: &FoundFixture, look: Look) -> Result<Pressed, Failure> {
    loop {
        screen.draw(|frame| draw(frame, walk, unit, true, look))?;
        interrupt::check()?;
        let keys = keys(walk);
        for event in screen.pressed() {
            let Event::Key(key) = event else { continue };
            let breaks = key.code == KeyCode::Char('c') && key.modifiers.contains(KeyModifiers::CONTROL);
            let pressed = match key.code {
                _ if key.kind == KeyEventKind::Release => continue,
                _ if breaks => Pressed::Leave,
                KeyCode::Esc => Pressed::Leave,
                KeyCode::Char(' ') => Pressed::Later,
                KeyCode::Backspace => Pressed::Back,
                KeyCode::Char(key) => match keys.iter().position(|one| *one == Some(key)) {
                    Some(place) => Pressed::Place(place),
                    None => continue,
                },
                _ => continue,
            };
            return Ok(pressed);
        }
        std::thread::sleep(LOOK);
    }
}

/// The key of each place, where it has one: the first ones keep theirs, and those behind get one when it is free.
fn keys(walk: &Walk) -> Vec<Option<char>> {
    let mut free: Vec<char> = KEYS.chars().rev().collect();
    let all: Vec<bool> = walk.places().map(|(_, unit)| unit.is_none()).collect();
    let mut keys: Vec<Option<char>> = all.iter().enumerate().map(|(place, _)| KEYS.chars().nth(place)).collect();
    free.retain(|key| !keys.iter().zip(&all).any(|(one, is_open)| *is_open && *one == Some(*key)));
    for (key, is_open) in keys.iter_mut().zip(&all) {
        if !is_open {
            *key = None;
        } else if key.is_none() {
            *key = free.pop();
        }
    }
    keys
}

fn draw(frame: &mut Frame<'_>, walk: &Walk, unit: &FoundFixture, flashes: bool, look: Look) {
    let [head, body, foot] =
        Layout::vertical([Constraint::Length(4), Constraint::Fill(1), Constraint::Length(2)]).areas(frame.area());
    let (nth, of) = walk.how_far();
    let fact = |field: Field| unit.facts.get(field).map(|value| field.in_words(value));
    let told = [
        fact(Field::Model),
        fact(Field::StartAddress).map(|slot| format!("slot {slot}")),
        fact(Field::Mode).map(|mode| format!("mode {mode}")),
    ];
    let told: Vec<String> = told.into_iter().flatten().collect();
    let (word, tone) = if flashes { ("flashes", Tone::Good) } else { ("is told to flash", Tone::Faint) };
    let lines = vec![
        Line::from(vec![
            Span::styled(walk.cable().to_owned(), look.of(Tone::Strong)),
            Span::raw(format!("   unit {nth} of {of}")),
        ]),
        Line::from(vec![
            Span::styled(unit.title(), look.of(Tone::Strong)),
            Span::raw(" "),
            Span::styled(word, look.of(tone)),
            Span::raw(format!("   {}", told.join(", "))),
        ]),
        Line::raw(""),
        Line::raw("Which one is it?"),
    ];
    frame.render_widget(Paragraph::new(lines), head);
    let rows = walk.places().zip(keys(walk)).map(|((place, unit), key)| {
        let slot = place.slot.map_or_else(|| "slot open".to_owned(), |slot| format!("slot {slot}"));
        let is = unit.map_or_else(String::new, FoundFixture::title);
        let text = format!("  {:<24} {slot:<10} {is}", place.name);
        let style = look.of(if unit.is_some() { Tone::Faint } else { Tone::Plain });
        Line::from(vec![
            Span::styled(format!("  {}", key.unwrap_or(' ')), look.of(Tone::Strong)),
            Span::styled(text, style),
        ])
    });
    let rows: Vec<Line<'_>> = rows.collect();
    // Where they do not all fit, the first open one is in sight.
    let room = usize::from(body.height);
    let first_open = walk.places().position(|(_, unit)| unit.is_none()).unwrap_or(0);
    let skipped = first_open.min(rows.len().saturating_sub(room));
    frame.render_widget(Paragraph::new(rows.into_iter().skip(skipped).collect::<Vec<_>>()), body);
    let keys = vec![
        Line::raw(""),
        Line::styled(
            "space not to be seen, later   backspace the last one was wrong   esc leave: all said so far is written",
            look.of(Tone::Faint),
        ),
    ];
    frame.render_widget(Paragraph::new(keys), foot);
}

#[cfg(test)]
mod tests {
    use lantern_core::Uid;
    use lantern_core::census::{Behind, Health};
    use lantern_core::compare::{OpenCable, Place};
    use lantern_core::facts::{Facts, Value};
    use lantern_core::universe::PortAddress;
    use ratatui::Terminal;
    use ratatui::backend::TestBackend;
    use rstest::rstest;

    use super::*;
    use crate::output::Paint;

    fn walk(places: u32) -> Walk {
        let place = |nth: u32| Place {
            at: InRow { fixture: 0, nth },
            name: format!("wash-{}", nth + 1),
            slot: None,
            footprint: 4,
        };
        let unit = |number: u32| {
            let mut facts = Facts::default();
            facts.learn(Field::Label, Value::Text("\u{1b}[2J".into()));
            let universe = PortAddress::new(0).expect("a universe");
            let behind = Behind { address: [10, 40, 1, 1].into(), mac: None, page: 1, slot: 0, universe };
            FoundFixture { uid: Uid::of_number(number.into()), behind, facts, health: Health::default() }
        };
        let (places, units) = ((0..places).map(place).collect(), (0..places).map(unit).collect());
        Walk::along(OpenCable { cable: "quay 1".to_owned(), places, units })
    }

    #[rstest]
    fn it_fits_every_screen(#[values((80, 24), (200, 60), (30, 8), (1, 1))] (width, height): (u16, u16)) {
        let walk = walk(60);
        let unit = walk.present().cloned().expect("a unit");
        let mut terminal = Terminal::new(TestBackend::new(width, height)).expect("a screen");
        terminal.draw(|frame| draw(frame, &walk, &unit, true, Look(Paint::Off))).expect("a drawing");
        let seen = format!("{}", terminal.backend());
        assert!(!seen.contains('\u{1b}'), "what it calls itself is harmless");
        assert!(width < 80 || seen.contains("Which one is it?"));
    }

    #[test]
    fn a_key_stays_with_its_place_and_who_has_none_gets_one_that_is_free() {
        let mut walk = walk(54);
        let key = |walk: &Walk, place: usize| keys(walk)[place];
        assert_eq!([0, 51, 52].map(|place| key(&walk, place)), [Some('a'), Some('Z'), None]);
        walk.is_at(1);
        assert_eq!(
            [0, 1, 51, 52, 53].map(|place| key(&walk, place)),
            [Some('a'), None, Some('Z'), Some('b'), None]
        );
    }
}
