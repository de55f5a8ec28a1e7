//! Addresses that are planned to come by DHCP: what is known of a unit that tells nothing of it, and what is set on one that does.

use std::net::Ipv4Addr;

use lantern_core::address::Mask;
use lantern_core::census::{Census, Device, Ways};
use lantern_core::change::{Part, Protection, plan_by_sheet};
use lantern_core::compare::{Everybody, compare_all};
use lantern_core::conversation::{Concern, Means, Survey, SurveyPlan, Vantage};
use lantern_core::facts::Difference;
use lantern_core::lease::Lease;
use lantern_core::sheet::RigSheet;
use lantern_sim::Link;
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::{ground_of, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
const UNIT: MacAddress = MacAddress([2, 0x4d, 0x42, 0, 0x30, 1]);
const HOME: Ipv4Addr = Ipv4Addr::new(10, 40, 3, 1);

/// A rig with one unit planned at home, of this kind, whose address comes by `by`.
fn sheet(kind: &str, by: &str) -> RigSheet {
    RigSheet::parse(&format!(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\ngateway = \"none\"\n\
         [[kind]]\nname = \"box\"\nmaker = \"O\"\nmodel = \"Box\"\nports = 0\nspeaks = [\"http\"]\naddressing = \"dhcp\"\n\
         [[node]]\nname = \"unit\"\nkind = \"{kind}\"\nmac = \"{UNIT}\"\naddress = \"{HOME}\"\n{by}"
    ))
    .unwrap()
}

fn looked(party: &str, sheet: &RigSheet) -> (Census, Vec<Device>) {
    let mut ground = ground_of(party, Link::new(0.0, 1), OWN);
    let means = Means { frames: true, ..Means::default() };
    let vantage = Vantage { own_mac: Some(OWN), means, ..Vantage::of_seats(vec![seat()]) };
    let plan = SurveyPlan {
        vantage,
        ways: Ways::ALL,
        concern: Concern::of_sheet(sheet),
        ask_settings: true,
        likely: vec![HOME],
        ..SurveyPlan::art_net(vec![seat()], None, false)
    };
    let from = plan.viewpoint();
    let mut survey = Survey::new(plan);
    run(&mut survey, &mut ground);
    let census = survey.into_census();
    let devices = census.devices(&from);
    (census, devices)
}

fn lease(mac: MacAddress, address: Ipv4Addr, prefix: u8) -> Lease {
    Lease { mac, address, mask: Mask::from_prefix(prefix).unwrap(), gateway: None }
}

/// Of a unit that tells nothing of it a lease tells, if it is the unit's own and the unit stands where it was told to; what was
/// given otherwise than planned is a difference, and so is DHCP where a fixed address is planned.
#[rstest]
#[case::nothing_given("", &[], "addressing? mask? gateway?")]
#[case::as_planned("", &[lease(UNIT, HOME, 16)], "")]
#[case::among_others("", &[lease(OWN, Ipv4Addr::new(10, 40, 3, 2), 16), lease(UNIT, HOME, 16)], "")]
#[case::somebody_elses("", &[lease(OWN, HOME, 16)], "addressing? mask? gateway?")]
#[case::for_another_place("", &[lease(UNIT, Ipv4Addr::new(10, 40, 3, 2), 16)], "addressing? mask? gateway?")]
#[case::with_another_mask("", &[lease(UNIT, HOME, 24)], "mask is 255.255.255.0, planned 255.255.0.0")]
#[case::fixed_is_planned("addressing = \"fixed\"\n", &[lease(UNIT, HOME, 16)], "addressing is by DHCP, planned fixed")]
#[case::fixed_and_nothing_given("addressing = \"fixed\"\n", &[], "addressing? mask? gateway?")]
fn what_a_unit_does_not_tell_its_lease_does(#[case] by: &str, #[case] leases: &[Lease], #[case] said: &str) {
    let sheet = sheet("box", by);
    let party = format!(
        "[[device]]\nname = \"unit\"\nmac = \"{UNIT}\"\naddress = \"{HOME}\"\nweb = {{ title = \"unit\" }}\n"
    );
    let (census, devices) = looked(&party, &sheet);
    let everybody = Everybody { devices: &devices, leases, ..Everybody::default() };
    let comparison = compare_all(&sheet, &census, everybody);
    let of = |one: &Difference| match one.cannot_be_told() {
        true => format!("{}?", one.field),
        false => one.to_string(),
    };
    let differences: Vec<String> = comparison.rows[0].differences().iter().map(of).collect();
    assert_eq!(differences.join(" "), said);
}

/// What comes with a lease is not set from here, whatever the unit has; that it is to ask for one is.
#[rstest]
#[case::asks_and_stands_there("address = \"10.40.3.1\"\nlease = \"10.40.3.1\"\ndhcp = true", "", "")]
#[case::asks_and_stands_elsewhere(
    "address = \"10.40.9.9\"\nlease = \"10.40.9.9\"\ndhcp = true",
    "",
    "its address is reserved at a DHCP server"
)]
#[case::is_fixed_there("address = \"10.40.3.1\"", "addressing", "")]
#[case::is_fixed_elsewhere("address = \"10.40.9.9\"", "addressing", "its address is reserved at a DHCP server")]
#[case::has_another_mask(
    "address = \"10.40.3.1\"\nlease = \"10.40.3.1\"\nmask = \"255.255.255.0\"\ndhcp = true",
    "",
    "its address is reserved at a DHCP server"
)]
fn what_comes_with_a_lease_is_not_set(#[case] really: &str, #[case] changed: &str, #[case] left: &str) {
    let sheet = sheet("marrowbright-four", "addressing = \"dhcp\"\n");
    let party = format!(
        "[[node]]\nname = \"unit\"\nmodel = \"marrowbright-four\"\nmac = \"{UNIT}\"\npages = [{{ out = [0] }}]\n{really}\n"
    );
    let (census, devices) = looked(&party, &sheet);
    let seats = [seat()];
    let protection = Protection { devices: &devices, sheet: Some(&sheet), ..Protection::of(&census, &seats) };
    let comparison = compare_all(&sheet, &census, Everybody { devices: &devices, ..Everybody::default() });
    let plan = plan_by_sheet(&comparison, &protection, &Part::default());
    let fields: Vec<String> =
        plan.changes.iter().flat_map(|change| &change.differences).map(|one| one.field.to_string()).collect();
    assert_eq!(fields.join(" "), changed, "{:?}", plan.findings);
    let why = plan.untouched.iter().map(|one| &*one.why).next().unwrap_or_default();
    assert!(why.starts_with(left) && why.is_empty() == left.is_empty(), "{why}");
}
