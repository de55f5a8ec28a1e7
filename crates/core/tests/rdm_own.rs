//! Parameters that are a maker's own: read as the unit describes them, set, and held against the unit.

use lantern_core::change::plan_one;
use lantern_core::compare::Wanted;
use lantern_core::facts::{Field, OwnValue, Value};
use lantern_sim::{FixtureTruth, MemoryGround, Scene};
use rstest::rstest;

use crate::rdm_talk::{OWN, gateway, make, outcome, seen_one, truths, unit};
use crate::support::{self, ground, seat};

const FAN: u16 = 0x8001;
const TRIM: u16 = 0x8002;
const SECRET: u16 = 0x8003;
const HOURS: u16 = 0x8004;

/// A wash with a fan from 0 to 3, a trim with a sign, one that it does not describe, and one that can only be read.
fn rig(quirk: &str) -> MemoryGround {
    let quirks = if quirk.is_empty() { String::new() } else { format!("quirks = [\"{quirk}\"]\n") };
    let own = format!(
        "settings = [[{FAN}, 1], [{TRIM}, 0xff, 0xfe], [{SECRET}, 0xab, 0xcd], [{HOURS}, 9]]\n\
         described = [{{ number = {FAN}, name = \"Fan\", form = 3, length = 1, range = [0, 3], default = 1 }}, \
         {{ number = {TRIM}, name = \"Trim\", form = 6, length = 2, range = [-50, 50], default = 0 }}, \
         {{ number = {HOURS}, name = \"Filter hours\", form = 3, length = 1, range = [0, 255], default = 0, read_only = true }}]\n\
         {quirks}"
    );
    let scene = format!("network = \"10.40.0.0\"\n{}{}", gateway(1), unit(1, 1, 1, &own));
    ground(&Scene::parse(&scene).unwrap()).with_frames(OWN)
}

fn own(ground: &mut MemoryGround, number: u16) -> OwnValue {
    let census = seen_one(ground);
    let told = census.fixtures()[0].facts.get(Field::Own(number)).cloned();
    match told {
        Some(Value::Own(value)) => *value,
        other => panic!("{number:04x}: {other:?}"),
    }
}

/// Sets one; gives what became of it, and how the unit is.
fn set(ground: &mut MemoryGround, number: u16, value: OwnValue) -> (String, FixtureTruth) {
    let wanted = Wanted { own: vec![(number, value)], ..Wanted::default() };
    let (census, seats) = (seen_one(ground), [seat()]);
    let subject = census.subject("7ff0:00000001").unwrap();
    let plan = plan_one(&subject, &wanted, &support::protection(&census, None, &seats));
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let (made, _) = make(ground, &plan);
    (outcome(&made), truths(ground)[0].clone())
}

#[rstest]
#[case::plain("")]
#[case::puts_off("puts-off")]
#[case::in_parts("tells-in-parts")]
#[case::mumbles("mumbles")]
fn they_are_read_as_the_unit_describes_them(#[case] quirk: &str) {
    let mut ground = rig(quirk);
    let said = [FAN, TRIM, SECRET, HOURS].map(|number| own(&mut ground, number));
    let named = said.each_ref().map(|one| (one.name.to_string(), one.to_string(), one.is_set));
    let expected = [("Fan", "1", true), ("Trim", "-2", true), ("", "0xabcd", false), ("Filter hours", "9", false)];
    assert_eq!(named, expected.map(|(name, value, is_set)| (name.to_owned(), value.to_owned(), is_set)));
    assert_eq!(said[1].takes(), "-50 to 50");
}

#[rstest]
#[case::plain("", "done")]
#[case::puts_off("puts-off", "done")]
#[case::lags("lags", "done")]
#[case::busy("is-busy", "done")]
#[case::mumbles("mumbles", "done")]
#[case::takes_nothing("takes-nothing", "refused parameter 0x8001")]
#[case::protected("write-protected", "refused parameter 0x8001")]
fn what_is_said_of_one_that_was_set_is_so(#[case] quirk: &str, #[case] said: &str) {
    let mut ground = rig(quirk);
    let before = truths(&ground)[0].clone();
    let wanted = own(&mut ground, FAN).read("3").unwrap();
    let (outcome, after) = set(&mut ground, FAN, wanted);
    let mut so = before;
    if said == "done" {
        so.settings.insert(FAN, vec![3]);
    }
    assert_eq!((outcome.as_str(), after), (said, so));
}

/// A value that the unit describes, and refuses all the same.
#[test]
fn a_value_that_it_refuses_is_not_called_set() {
    let mut ground = rig("");
    let before = truths(&ground)[0].clone();
    let beyond = own(&mut ground, FAN).with_data(&[9]);
    assert_eq!(set(&mut ground, FAN, beyond), ("refused parameter 0x8001".to_owned(), before));
}
