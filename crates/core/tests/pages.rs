//! Planned devices that answer nothing better are asked for their first page; where it is about everybody, nobody is.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::{Census, Way, Ways};
use lantern_core::compare::{Everybody, State, compare_all};
use lantern_core::conversation::{Concern, Means, Survey, SurveyPlan, Vantage};
use lantern_core::sheet::RigSheet;
use lantern_sim::Link;
use lantern_wire::MacAddress;

use crate::support::{self, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

fn device(name: &str, last: u8, web: &str) -> String {
    format!(
        "[[device]]\nname = \"{name}\"\nmac = \"02:4d:42:00:30:{last:02x}\"\naddress = \"10.40.3.{last}\"\n{web}\n"
    )
}

fn sheet(names: &[(&str, u8)]) -> RigSheet {
    let mut text = String::from(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n[[kind]]\nname = \"box\"\nmaker = \"O\"\n\
         model = \"Box\"\nports = 0\nspeaks = [\"http\"]\n",
    );
    for (name, last) in names {
        text += &format!(
            "[[node]]\nname = \"{name}\"\nkind = \"box\"\nmac = \"02:4d:42:00:30:{last:02x}\"\naddress = \"10.40.3.{last}\"\n"
        );
    }
    RigSheet::parse(&text).unwrap()
}

/// A look for the sheet's devices, or at everybody.
fn looked(devices: &str, sheet: Option<&RigSheet>) -> (Census, SurveyPlan, Duration) {
    let mut ground = support::ground_of(devices, Link::new(0.0, 1), OWN);
    let vantage = Vantage {
        own_mac: Some(OWN),
        means: Means { frames: true, ..Means::default() },
        ..Vantage::of_seats(vec![seat()])
    };
    let plan = SurveyPlan {
        vantage,
        ways: Ways::ALL,
        concern: sheet.map_or(Concern::Everybody, Concern::of_sheet),
        likely: (1..20).map(|last| Ipv4Addr::new(10, 40, 3, last)).collect(),
        ..SurveyPlan::art_net(vec![seat()], None, false)
    };
    let mut survey = Survey::new(plan.clone());
    let (_, took) = run(&mut survey, &mut ground);
    (survey.into_census(), plan, took)
}

#[test]
fn a_planned_device_answers_by_its_first_page() {
    let names = [("left", 1), ("locked", 2), ("silent", 3), ("none", 4)];
    let devices = [
        device("left", 1, "web = { title = \"Stage \\u001b[2J left\" }"),
        device("locked", 2, "web = { title = \"\", status = 401 }"),
        device("silent", 3, "web = { title = \"x\", mute = true }"),
        device("none", 4, ""),
    ]
    .concat();
    let sheet = sheet(&names);
    let (census, plan, took) = looked(&devices, Some(&sheet));
    let what: Vec<String> = census.units().iter().map(|unit| unit.what.to_string()).collect();
    assert_eq!(what, ["web page \"Stage \\u{1b}[2J left\"", "web page, wants a password"]);
    assert!(took < Duration::from_secs(5), "{took:?}");
    let devices = census.devices(&plan.viewpoint());
    let comparison =
        compare_all(&sheet, &census, Everybody { devices: &devices, asked_in: &[], own: &[], leases: &[] });
    let mute = |state: &State<'_>| matches!(state, State::Mute(_, Way::Http));
    let states: Vec<bool> = comparison.rows.iter().map(|row| mute(&row.state)).collect();
    assert_eq!(states, [false, false, true, true]);
}

#[test]
fn where_it_is_about_everybody_nobodys_web_server_is_troubled() {
    let (census, ..) = looked(&device("left", 1, "web = { title = \"x\" }"), None);
    assert_eq!(census.units(), []);
}
