//! What units tell of how they are is told as it is, and what they themselves say is not in order is a finding.

use lantern_core::census::{Census, HowBad, Way, Ways};
use lantern_core::compare::{Verdict, compare_fixtures};
use lantern_core::conversation::{Means, OnCables, Survey, SurveyPlan, Vantage};
use lantern_core::sheet::RigSheet;
use lantern_sim::Scene;
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{ground, run, seat};

/// A unit with these further lines, looked at so.
fn seen(lines: &str, on_cables: OnCables) -> Census {
    let scene = format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"gate\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:20:01\"\n\
         address = \"10.40.1.1\"\npages = [{{ out = [0, 1, 2, 3] }}]\n[[fixture]]\nbehind = \"gate\"\nport = 1\n\
         uid = \"7ff0:00000001\"\nlabel = \"spot\"\nmodel = \"Tidelight Spot\"\nmodes = [{{ name = \"plain\", footprint = 24 }}]\n{lines}\n"
    );
    let mut ground = ground(&Scene::parse(&scene).unwrap()).with_frames(MacAddress([2, 0, 0, 0, 0, 7]));
    let means = Means { frames: true, ..Means::default() };
    let vantage =
        Vantage { own_mac: Some(MacAddress([2, 0, 0, 0, 0, 7])), means, ..Vantage::of_seats(vec![seat()]) };
    let ways = Ways::only(&[Way::ArtNet, Way::Rdm]);
    let art_net = SurveyPlan::art_net(vec![seat()], None, true);
    let mut survey = Survey::new(SurveyPlan { vantage, ways, on_cables, ends_early: false, ..art_net });
    run(&mut survey, &mut ground);
    survey.into_census()
}

const WELL: &str = "hours = 4812\npower_cycles = 1204\nlamp_hours = 612\nlamp_strikes = 301\nline = [3, 0, 412]\n\
    sensors = [{ name = \"head\", now = 58, lowest = 17, highest = 66, limit = 70 }]\nstatus = [0x0052]";

#[rstest]
#[case::plain("")]
#[case::puts_off("quirks = [\"puts-off\"]")]
#[case::in_parts("quirks = [\"tells-in-parts\"]")]
#[case::mumbles("quirks = [\"mumbles\"]")]
fn what_it_tells_is_so(#[case] quirks: &str) {
    let census = seen(&format!("{WELL}\n{quirks}"), OnCables::Examine);
    let [unit] = &census.fixtures()[..] else { panic!("one unit") };
    let health = &unit.health;
    assert_eq!((health.hours, health.power_cycles), (Some(4812), Some(1204)));
    assert_eq!((health.lamp_hours, health.lamp_strikes), (Some(612), Some(301)));
    assert_eq!(health.line.map(|line| (line.short, line.damaged, line.sum())), Some((3, 412, 415)));
    let sensors: Vec<String> = health.sensors.iter().map(ToString::to_string).collect();
    assert_eq!(sensors, ["head 58 °C, lowest 17, highest 66"]);
    let reports: Vec<(HowBad, String)> =
        health.reports.iter().map(|report| (report.how_bad, report.to_string())).collect();
    assert_eq!(reports, [(HowBad::Warning, "its fluid runs low".to_owned())]);
}

#[test]
fn what_it_does_not_know_or_was_not_asked_is_not_there() {
    let census = seen("quirks = [\"only-required\"]", OnCables::Examine);
    assert!(census.fixtures()[0].health.is_untold());
    let census = seen(WELL, OnCables::Read);
    assert!(census.fixtures()[0].health.is_untold());
}

#[rstest]
#[case::well("sensors = [{ name = \"head\", now = 70, lowest = 17, highest = 90, limit = 70 }]", Verdict::Pass, &[])]
#[case::hot("sensors = [{ name = \"head\", now = 71, lowest = 17, highest = 90, limit = 70 }]", Verdict::Look,
    &["R020 spot: head 71 °C, lowest 17, highest 90; in order is"])]
#[case::warns("status = [0x0052]", Verdict::Look, &["R022 spot: its fluid runs low"])]
#[case::makers_own("status = [0x8001]", Verdict::Look, &["R022 spot: report 0x8001"])]
#[case::line("line = [0, 0, 9]", Verdict::Pass, &["R023 spot: 9 damaged messages"])]
#[case::quiet_line("line = [0, 0, 0]", Verdict::Pass, &[])]
fn what_is_not_in_order_is_a_finding(#[case] lines: &str, #[case] verdict: Verdict, #[case] said: &[&str]) {
    let census = seen(lines, OnCables::Examine);
    let sheet = RigSheet::parse(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"l\"\nrange = \"10.40.0.0/16\"\n[[fixture]]\nname = \"spot\"\n\
         on = \"0:0:0\"\nslot = 1\nfootprint = 24\n",
    )
    .unwrap();
    let compared = compare_fixtures(&sheet, &census);
    assert_eq!(compared.rows[0].verdict(), verdict);
    let findings: Vec<String> = compared
        .findings(&sheet)
        .iter()
        .map(|finding| format!("{} {}", finding.rule.code, finding.what))
        .collect();
    assert_eq!(findings.len(), said.len(), "{findings:?}");
    assert!(findings.iter().zip(said).all(|(one, said)| one.starts_with(said)), "{findings:?}");
}
