//! The view on screens of several sizes, with names that mean harm.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_core::conversation::{Conversation, Datagram, Heard, Seat, SurveyPlan, Vantage, Watch, WatchPlan};
use lantern_core::watch::Board;
use lantern_sim::{Link, MemoryGround, Scene};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};
use rstest::rstest;

use super::{Column, Look, Press, View};
use crate::output::Paint;

const GUEST: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 7);

fn seat() -> Seat {
    Seat { own: GUEST, subnet: "10.40.0.0/16".parse().expect("a subnet"), limited_broadcast: true }
}

/// So many nodes, one of which calls itself a terminal's commands; all are watched for twelve seconds, from the sixth on the
/// second one is off.
fn watched(nodes: u8) -> (Watch, Duration) {
    let node = |i: u8| {
        let name = if i == 1 { "\\u001b[2J\\u0007evil".to_owned() } else { format!("node-{i}") };
        format!(
            "[[node]]\nname = \"{name}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:20:{i:02x}\"\n\
             address = \"10.40.3.{i}\"\npages = [{{ out = [0] }}]\n"
        )
    };
    let source = "[[device]]\nname = \"desk\"\nmac = \"02:53:44:00:00:01\"\naddress = \"10.40.0.20\"\n\
                  art_net = { universes = [1, 2] }\n";
    let text = format!("network = \"10.40.0.0\"\n{}{source}", (1..=nodes).map(node).collect::<String>());
    let scene = Scene::parse(&text).expect("a scene");
    let mut ground = MemoryGround::new(
        scene.nodes(),
        Link::new(0.0, 7),
        GUEST,
        vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST],
    )
    .beside(scene.devices());
    let survey =
        SurveyPlan { vantage: Vantage::of_seats(vec![seat()]), ..SurveyPlan::art_net(vec![seat()], None, false) };
    let end = Some(Duration::from_secs(14));
    let mut watch = Watch::new(WatchPlan { survey, every: WatchPlan::EVERY, pace: 500, end });
    let mut is_on = true;
    while let Some(wake_at) = watch.wake_at() {
        match ground.run_until(wake_at) {
            Some(heard) if !heard.bytes.is_empty() => {
                let (from, port, bytes) = (heard.from, heard.port, &heard.bytes[..]);
                watch.hear(heard.at, &Heard::Datagram(Datagram { seat: 0, from, port, bytes }));
            }
            Some(_) => {}
            None => watch.wake(ground.now()),
        }
        if is_on && ground.now() > Duration::from_secs(6) {
            let now = ground.now();
            ground.nodes_mut()[1].switch(now, false);
            is_on = false;
        }
        while let Some(outgoing) = watch.next_send() {
            if let Some((_, to, bytes)) = outgoing.as_datagram() {
                ground.send(SocketAddrV4::new(*to.ip(), to.port()), bytes);
            }
        }
        while watch.next_event().is_some() {}
    }
    (watch, ground.now())
}

fn view() -> View {
    let began = jiff::Timestamp::from_second(1_790_000_000).expect("a moment");
    View::new("rig0 10.40.0.7".to_owned(), vec![seat().subnet], began, Look(Paint::Off))
}

/// What stands on a screen of this size, a line each.
fn drawn(view: &View, watch: &Watch, now: Duration, (width, height): (u16, u16)) -> Vec<String> {
    let mut terminal = Terminal::new(TestBackend::new(width, height)).expect("a screen");
    terminal.draw(|frame| view.draw(frame, watch, now)).expect("it is drawn");
    let buffer = terminal.backend().buffer();
    let cell = |x, y| buffer.cell((x, y)).map_or("", |cell| cell.symbol()).to_owned();
    (0..height).map(|y| (0..width).map(|x| cell(x, y)).collect::<String>().trim_end().to_owned()).collect()
}

fn press(view: &mut View, watch: &Watch, keys: &str) -> Press {
    let code = |key| match key {
        '\n' => KeyCode::Enter,
        '↓' => KeyCode::Down,
        key => KeyCode::Char(key),
    };
    keys.chars().fold(Press::Nothing, |_, key| view.press(KeyEvent::new(code(key), KeyModifiers::NONE), watch))
}

#[test]
fn the_columns_are_those_that_were_chosen() {
    let ((watch, now), mut view) = (watched(3), view());
    view.columns = Some(vec![Column::Mac as usize, Column::Device as usize]);
    let lines = drawn(&view, &watch, now, (80, 24));
    let head = lines.iter().position(|line| line.starts_with("MAC")).unwrap_or_else(|| panic!("{lines:#?}"));
    assert_eq!(lines[head].split_whitespace().collect::<Vec<_>>(), ["MAC", "device"]);
    assert!(lines[head + 1].starts_with("02:"), "{lines:#?}");
}

#[rstest]
fn every_page_fits_every_screen_and_no_name_reaches_it_raw(
    #[values((80, 24), (120, 40), (200, 60), (20, 5), (1, 1))] size: (u16, u16),
    #[values(3, 60)] nodes: u8,
) {
    let (watch, now) = watched(nodes);
    let mut view = view();
    for keys in ["1", "\n", "2", "3", "4", "1/node", "\n", "s", "s", "s"] {
        press(&mut view, &watch, keys);
        let lines = drawn(&view, &watch, now, size);
        let raw = lines.iter().any(|line| line.chars().any(char::is_control));
        assert!(!raw, "{keys}: {lines:?}");
    }
}

#[test]
fn the_worst_stands_first_and_is_shown_in_words() {
    let (watch, now) = watched(8);
    let lines = drawn(&view(), &watch, now, (80, 24));
    assert!(lines[0].starts_with("9 devices: 7 answers, 1 heard, 1 silent; 2 universes sent"), "{lines:#?}");
    assert!(lines[4].starts_with("node-2") && lines[4].contains("silent"), "{lines:#?}");
    assert!(lines.iter().any(|line| line.ends_with("node-2  silent")), "the event stands below: {lines:#?}");
    assert!(lines.iter().any(|line| line.contains("\\x1b[2J\\x07evil")), "{lines:#?}");
}

#[test]
fn what_is_typed_narrows_the_list_and_a_device_is_chosen() {
    let (watch, now) = watched(30);
    let mut view = view();
    press(&mut view, &watch, "/node-7\n");
    assert_eq!(view.devices(&watch).len(), 1);
    assert_eq!(press(&mut view, &watch, "f"), Press::Flash("02:4d:42:00:20:07".to_owned()));
    press(&mut view, &watch, "\n");
    let lines = drawn(&view, &watch, now, (80, 24));
    assert!(lines.iter().any(|line| line.starts_with("MAC address   02:4d:42:00:20:07")), "{lines:#?}");
    assert_eq!(press(&mut view, &watch, "q"), Press::Quit);
}

#[test]
fn the_last_row_can_be_chosen_and_is_on_the_screen() {
    let (watch, now) = watched(60);
    let mut view = view();
    view.press(KeyEvent::new(KeyCode::End, KeyModifiers::NONE), &watch);
    let last = view.chosen(&watch).expect("somebody").title();
    let lines = drawn(&view, &watch, now, (80, 24));
    assert!(lines.iter().any(|line| line.starts_with(&last)), "{last}: {lines:#?}");
    assert!(watch.board().watched().count() <= Board::MOST);
}
