//! `match`: twelve units that nobody can tell apart get their places by twelve keys; held against who really flashed.
#![cfg(unix)]

use std::fmt::Write;
use std::time::{Duration, Instant};

use lantern_core::Uid;
use lantern_core::sheet::RigSheet;
use lantern_sim::Scene;
use rstest::rstest;

use crate::support::Rig;
use crate::support::terminal::AtTerminal;

const UNITS: u32 = 12;

/// The unit of each place, by its number from 1: they were hung as they came out of the cases.
const fn unit_at(place: u32) -> u32 {
    (place * 5 + 3) % UNITS + 1
}

fn uid(unit: u32) -> String {
    format!("7ff0:{unit:08x}")
}

/// A gateway with twelve units on one cable, each with what `extra` says of it.
fn rig(extra: impl Fn(u32) -> String) -> Rig {
    let mut scene = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nlabel = \"Quay\"\n\
        model = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\npages = [{ out = [0, 1, 2, 3] }]\n"
        .to_owned();
    for unit in 1..=UNITS {
        write!(
            scene,
            "[[fixture]]\nbehind = \"quay-north\"\nport = 1\nuid = \"{}\"\nmodel = \"Tidelight Wash\"\n\
             modes = [{{ name = \"plain\", footprint = 14 }}]\n{}\n",
            uid(unit),
            extra(unit)
        )
        .unwrap();
    }
    let rig = Rig::with(&Scene::parse(&scene).unwrap());
    let port = |port: u32| format!("[[node.port]]\nport = {port}\nout = \"0:0:{}\"\n", port - 1);
    let ports = (1..=4).map(port).collect::<String>();
    rig.write_sheet(
        "rig.rig.toml",
        &format!(
            "[rig]\nname = \"t\"\n\n[[network]]\nname = \"lights\"\nrange = \"10.40.0.0/16\"\n\n[[node]]\nname = \"quay-north\"\n\
             label = \"Quay\"\nkind = \"marrowbright-four\"\naddress = \"10.40.1.100\"\n{ports}\n[[fixture]]\nname = \"mast-wash\"\n\
             on = \"0:0:0\"\nslot = 1\nfootprint = 14   # slots\ncount = {UNITS}\n"
        ),
    );
    rig
}

/// The identifier of each place on the sheet; none where it is open.
fn on_sheet(rig: &Rig) -> Vec<Option<String>> {
    let sheet = RigSheet::parse(&rig.folder.read("rig.rig.toml")).unwrap();
    (0..UNITS).map(|nth| sheet.fixtures[0].uid(nth).map(|uid| uid.to_string())).collect()
}

fn until<T>(what: &str, mut look: impl FnMut() -> Option<T>) -> T {
    let late = Instant::now() + Duration::from_secs(30);
    loop {
        if let Some(seen) = look() {
            return seen;
        }
        assert!(Instant::now() < late, "{what} never came");
        std::thread::sleep(Duration::from_millis(20));
    }
}

/// The unit that flashes, once just one does that was not seen before.
fn flashing(rig: &Rig, but: &[Uid]) -> Uid {
    until("a flash", || {
        let all: Vec<Uid> = rig.ground.fixtures().iter().filter(|one| one.identifies).map(|one| one.uid).collect();
        match all[..] {
            [only] if !but.contains(&only) => Some(only),
            _ => None,
        }
    })
}

/// The places that are open, by their numbers from 1: the first one has the key a, and so on.
fn open(rig: &Rig) -> Vec<u32> {
    (1..).zip(on_sheet(rig)).filter(|(_, uid)| uid.is_none()).map(|(place, _)| place).collect()
}

/// Presses the key of the place where this unit hangs, and waits until that is written.
fn say(terminal: &mut AtTerminal, rig: &Rig, unit: Uid, keys: &[u32]) {
    let number = u32::try_from(unit.number() & 0xffff).unwrap();
    let place = (1..=UNITS).find(|place| unit_at(*place) == number).unwrap();
    let key = keys.iter().position(|one| *one == place).unwrap();
    let key = char::from(b'a' + u8::try_from(key).unwrap());
    terminal.presses(&key.to_string());
    until("the sheet", || on_sheet(rig)[place as usize - 1].is_some().then_some(()));
}

fn as_hung() -> Vec<Option<String>> {
    (1..=UNITS).map(|place| Some(uid(unit_at(place)))).collect()
}

#[test]
fn twelve_units_that_look_alike_get_their_places_by_twelve_keys_also_in_two_goes() {
    let rig = rig(|_| String::new());
    let (mut terminal, mut seen) =
        (AtTerminal::start_as("xterm", &rig, &["match", "rig.rig.toml"]), Vec::<Uid>::new());
    let keys = open(&rig);
    for _ in 0..5 {
        let unit = flashing(&rig, &seen);
        say(&mut terminal, &rig, unit, &keys);
        seen.push(unit);
    }
    // The last one was wrong: it flashes again, and its place is open.
    flashing(&rig, &seen);
    terminal.presses("\u{7f}");
    let again = until("the last one again", || {
        let all = rig.ground.fixtures();
        all.iter().find(|one| one.identifies && Some(&one.uid) == seen.last()).map(|one| one.uid)
    });
    assert_eq!(on_sheet(&rig).iter().flatten().count(), 4);
    say(&mut terminal, &rig, again, &keys);
    flashing(&rig, &seen);
    terminal.presses("\u{1b}");
    terminal.ends(3);
    assert!(rig.ground.fixtures().iter().all(|one| !one.identifies), "it ends dark");
    assert!(
        rig.folder.read("rig.rig.toml").contains("footprint = 14   # slots\nuid = ["),
        "nothing else is touched"
    );
    let mut terminal = AtTerminal::start_as("xterm", &rig, &["match", "rig.rig.toml"]);
    let keys = open(&rig);
    for _ in 5..UNITS {
        let unit = flashing(&rig, &seen);
        say(&mut terminal, &rig, unit, &keys);
        seen.push(unit);
    }
    terminal.ends(0);
    assert_eq!(on_sheet(&rig), as_hung());
    let again = rig.run(&["match", "rig.rig.toml", "--by", "label"]).ended(0);
    assert!(again.out.contains("every fixture meant has its identifier"), "{}", again.out);
}

/// One is deaf: it is passed over and told; another one is not seen the first time, and comes again.
#[test]
fn a_unit_that_does_not_answer_is_passed_over_and_told() {
    let rig = rig(|unit| if unit == 3 { "quirks = [\"deaf\"]".to_owned() } else { String::new() });
    let mut terminal = AtTerminal::start_as("xterm", &rig, &["match", "rig.rig.toml"]);
    let keys = open(&rig);
    let later = flashing(&rig, &[]);
    terminal.presses(" ");
    let mut seen = Vec::new();
    for _ in 0..UNITS - 2 {
        let unit = flashing(&rig, &[&seen[..], &[later]].concat());
        say(&mut terminal, &rig, unit, &keys);
        seen.push(unit);
    }
    let last = flashing(&rig, &seen);
    assert_eq!(last, later);
    say(&mut terminal, &rig, last, &keys);
    let (ended, said) = terminal.ended();
    assert_eq!(ended.code(), Some(3), "{said}");
    assert!(said.contains("passed over 7ff0:00000003 on quay-north 1: it answers nothing"), "{said}");
    let open = (1..=UNITS).find(|place| unit_at(*place) == 3).unwrap();
    assert!(said.contains(&format!("still open on quay-north 1: mast-wash-{open}")), "{said}");
    let expected: Vec<_> = as_hung().into_iter().map(|one| one.filter(|one| *one != uid(3))).collect();
    assert_eq!(on_sheet(&rig), expected);
}

#[rstest]
#[case::labels("label", |unit: u32| format!("label = \"mast-wash-{}\"", (1..=UNITS).find(|place| unit_at(*place) == unit).unwrap()))]
#[case::starts("start-address", |unit: u32| format!("start_address = {}", 3 * (1..=UNITS).find(|place| unit_at(*place) == unit).unwrap()))]
fn an_order_decides(#[case] by: &str, #[case] extra: fn(u32) -> String) {
    let rig = rig(extra);
    let dry = rig.run(&["match", "rig.rig.toml", "--by", by, "--dry-run"]).ended(0);
    assert!(dry.out.contains("uid = ["), "{}", dry.out);
    assert_eq!(on_sheet(&rig).iter().flatten().count(), 0);
    rig.run(&["match", "rig.rig.toml", "--by", by, "--yes"]).ended(0);
    assert_eq!(on_sheet(&rig), as_hung());
}

#[rstest]
#[case::same(&["--by", "start-address", "--yes"], 3, "both start at slot 1")]
#[case::no_labels(&["--by", "label", "--yes"], 3, "not told apart so: 12 fixtures")]
#[case::nobody_to_see(&[], 2, "somebody has to see the units flash")]
#[case::nobody_called_so(&["--fixture", "spot-*", "--by", "label"], 2, "spot-*")]
fn what_tells_nobody_apart_is_said(#[case] arguments: &[&str], #[case] code: i32, #[case] said: &str) {
    let rig = rig(|_| String::new());
    let ran = rig.run(&[&["match", "rig.rig.toml"][..], arguments].concat());
    assert!(format!("{}{}", ran.out, ran.notes).contains(said), "{}{}", ran.out, ran.notes);
    assert_eq!((ran.code, on_sheet(&rig).iter().flatten().count()), (code, 0));
}
