//! Screens and projectors are read over connections: who they are and how they are; and those that behave badly hold nobody up.

use std::fmt::Write;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::{Census, Unit, Way, Ways};
use lantern_core::change::plan_one;
use lantern_core::compare::Wanted;
use lantern_core::conversation::{Extent, Means, Survey, SurveyPlan, Vantage};
use lantern_core::facts::Field;
use lantern_core::secret::{Login, Owner, Secrets};
use lantern_sim::Link;
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{self, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

fn screen(i: u32, keys: &str) -> String {
    format!(
        "[[device]]\nname = \"screen-{i}\"\nmac = \"02:4d:42:00:60:{i:02x}\"\naddress = \"10.40.6.{i}\"\n\
         pjlink = {{ name = \"Wall {i}\", class = 2{keys} }}\n"
    )
}

/// A survey of so long of these devices, with these secrets; gives how long it took too.
fn surveyed(devices: &str, loss: f64, seed: u64, secrets: Secrets) -> (Census, Duration) {
    let mut ground = support::ground_of(devices, Link::new(loss, seed), OWN);
    let means = Means { frames: true, ..Means::default() };
    let vantage = Vantage { own_mac: Some(OWN), means, secrets, ..Vantage::of_seats(vec![seat()]) };
    let plan = SurveyPlan {
        vantage,
        ways: Ways::ALL,
        extent: Extent::Whole(Duration::ZERO),
        // A screen of class 1 answers no search: it is asked where it is likely.
        likely: (1..40).map(|i| Ipv4Addr::new(10, 40, 6, i)).collect(),
        ..SurveyPlan::art_net(vec![seat()], None, false)
    };
    let mut survey = Survey::new(plan);
    let (_, took) = run(&mut survey, &mut ground);
    (survey.into_census(), took)
}

fn units(census: &Census) -> Vec<Unit> {
    let units = census.units();
    assert!(units.iter().all(|unit| unit.family == Way::Pjlink));
    units
}

fn told(unit: &Unit, field: Field) -> Option<String> {
    unit.facts.get(field).map(|value| field.in_words(value))
}

fn password(text: &str) -> Secrets {
    let mut secrets = Secrets::default();
    secrets.keep(Way::Pjlink, Owner::Everybody, Login::without_user(text.to_owned()));
    secrets
}

/// Twelve are read in the time of one survey, those without a search too, also on a bad wire.
#[rstest]
fn twelve_screens_are_read_in_one_survey(#[values(0.0, 0.05)] loss: f64) {
    let mut devices = String::new();
    for i in 1..=12 {
        let class = if i % 2 == 0 { String::new() } else { ", lamp = 1200, faults = \"010000\"".to_owned() };
        let device = screen(i, &class);
        let device = if i > 9 { device.replace("class = 2", "class = 1") } else { device };
        write!(devices, "{device}").unwrap();
    }
    let (census, took) = surveyed(&devices, loss, 4, Secrets::default());
    let units = units(&census);
    assert_eq!(units.len(), 12);
    assert!(took < Duration::from_secs(5), "{took:?}");
    let first = &units[0];
    assert_eq!(first.identity.raw(), "02:4d:42:00:60:01");
    assert_eq!(first.what.raw(), "PJLink Tessaquill Wall, on, digital 1, lamp 1200 h, lamp: warning");
    assert_eq!(told(first, Field::Name).as_deref(), Some("Wall 1"));
    assert_eq!(told(first, Field::Serial).as_deref(), Some("T-4711"));
    assert_eq!(told(&units[11], Field::Serial), None, "class 1 has no word for it");
}

#[rstest]
#[case::right(password("moonrise"), "open", Some("on"))]
#[case::wrong(password("moonset"), "refuses the password", None)]
#[case::none(Secrets::default(), "wants a password", None)]
fn a_password_opens_and_a_wrong_one_is_said(
    #[case] secrets: Secrets,
    #[case] access: &str,
    #[case] power: Option<&str>,
) {
    let (census, _) = surveyed(&screen(1, ", password = \"moonrise\""), 0.0, 1, secrets);
    let units = units(&census);
    assert_eq!(told(&units[0], Field::Access).as_deref(), Some(access));
    assert_eq!(told(&units[0], Field::Power).as_deref(), power);
    let all = format!("{census:?}{}", serde_json::to_string(&census.evidence()).unwrap());
    assert!(!all.contains("moonrise") && !all.contains("moonset"), "{all}");
}

/// What is met all the same: what is read of it, and that nobody else has to wait.
#[rstest]
#[case::never_greets("never-greets", None)]
#[case::late("answers-late", Some("Wall"))]
#[case::hangs_up("hangs-up", Some(""))]
#[case::chatters("chatters", Some("Wall"))]
#[case::never_ends("never-ends", Some(""))]
#[case::in_pieces("in-pieces", Some("Wall"))]
#[case::line_feeds("line-feeds", Some("Wall"))]
#[case::http("speaks-http", None)]
#[case::skips("skips-model", Some(""))]
fn one_that_behaves_badly_holds_nobody_up(#[case] quirk: &str, #[case] model: Option<&str>) {
    let bad = screen(1, &format!(", quirks = [\"{quirk}\"]"));
    let (census, took) = surveyed(&[bad, screen(2, "")].concat(), 0.0, 1, Secrets::default());
    let units = units(&census);
    let of = |i: u8| units.iter().find(|unit| unit.address == Ipv4Addr::new(10, 40, 6, i));
    let found = of(1).map(|unit| told(unit, Field::Model).unwrap_or_default());
    assert_eq!(found.as_deref(), model, "{units:?}");
    assert_eq!(told(of(2).unwrap(), Field::Model).as_deref(), Some("Wall"));
    assert!(took < Duration::from_secs(6), "{took:?}");
}

/// PJLink sets nothing: that is said before anything is tried.
#[test]
fn what_sets_nothing_is_refused_beforehand() {
    let (census, _) = surveyed(&screen(1, ""), 0.0, 1, Secrets::default());
    let subject = census.subject("Wall 1").unwrap();
    let seats = [seat()];
    let wanted = Wanted { name: Some("Back wall".to_owned()), ..Wanted::default() };
    let plan = plan_one(&subject, &wanted, &support::protection(&census, None, &seats));
    let codes: Vec<&str> = plan.findings.iter().map(|finding| finding.rule.code).collect();
    assert_eq!((codes, plan.changes.len()), (vec!["C005"], 0));
}

/// Nobody's connection is opened to who is locked, far, or of another trade.
#[test]
fn who_must_not_be_touched_is_not_connected_to() {
    let devices = [screen(1, ""), screen(2, "").replace("10.40.6.2", "192.168.9.2")].concat();
    let (census, _) = surveyed(&devices, 0.0, 1, Secrets::default());
    let found: Vec<Ipv4Addr> = units(&census).iter().map(|unit| unit.address).collect();
    assert_eq!(found, [Ipv4Addr::new(10, 40, 6, 1)]);
}
