//! What a survey could not see, and why nothing was found.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::adapter::{Adapter, Medium, Origin, OwnAddress};
use lantern_core::address::Subnet;
use lantern_core::census::{Way, Ways};
use lantern_core::conversation::{Extent, Means, Seat, SurveyPlan};
use lantern_core::diagnosis::{Emptiness, Limits, blind_spots, nothing_found};
use rstest::rstest;

fn seat(own: &str, subnet: &str) -> Seat {
    Seat { own: own.parse().unwrap(), subnet: subnet.parse().unwrap(), limited_broadcast: true }
}

fn plan(own: &str, subnet: &str) -> SurveyPlan {
    let seats = vec![seat(own, subnet)];
    SurveyPlan {
        ways: Ways::ALL,
        ranges: SurveyPlan::usual_ranges(&seats),
        ..SurveyPlan::art_net(seats, None, false)
    }
    .with_means(Means { frames: true, echo: false, neighbours: true })
}

fn behind_a_router() -> SurveyPlan {
    let mut plan = plan("10.40.0.7", "10.40.0.0/24");
    plan.vantage.gateways = vec![Ipv4Addr::new(10, 40, 0, 1)];
    plan
}

fn limits(plan: &SurveyPlan) -> Limits<'_> {
    Limits {
        plan,
        listened: Duration::from_secs(400),
        from_file: false,
        medium: Some(Medium::Wired),
        no_frames: None,
        no_echo: None,
        ports_refused: Vec::new(),
        groups_refused: 0,
        drops_foreign: false,
    }
}

#[test]
fn a_survey_that_could_see_everything_has_no_blind_spots() {
    assert_eq!(blind_spots(&limits(&plan("10.40.0.7", "10.40.0.0/24"))), [""; 0]);
}

#[rstest]
#[case::frames(|l: &mut Limits<'_>| l.no_frames = Some("not permitted".into()), "no raw frames (not permitted)")]
#[case::echo(|l: &mut Limits<'_>| l.no_echo = Some("not permitted".into()), "no echo requests (not permitted)")]
#[case::port(|l: &mut Limits<'_>| l.ports_refused.push((5353, "in use".into())), "UDP port 5353 could not be had (in use)")]
#[case::groups(|l: &mut Limits<'_>| l.groups_refused = 4, "the system listens to no more groups: 4 were left out")]
#[case::radio(|l: &mut Limits<'_>| l.medium = Some(Medium::Wireless), "over radio")]
#[case::file(|l: &mut Limits<'_>| l.from_file = true, "this comes from a file")]
#[case::short(|l: &mut Limits<'_>| l.listened = Duration::from_secs(3), "listened for 3.0 s: sACN sources tell their universes every 10 s")]
#[case::longer(|l: &mut Limits<'_>| l.listened = Duration::from_secs(40), "listened for 40.0 s: streams are announced every 30 to 300 s, a querier asks")]
fn each_limit_is_told(#[case] limit: fn(&mut Limits<'_>), #[case] said: &str) {
    let plan = plan("10.40.0.7", "10.40.0.0/24");
    let mut limits = limits(&plan);
    limit(&mut limits);
    let spots = blind_spots(&limits);
    assert!(spots.len() == 1 && spots[0].starts_with(said), "{spots:?}");
}

#[test]
fn without_frames_nodes_in_other_subnets_may_be_dropped_by_the_system() {
    let plan = plan("10.40.0.7", "10.40.0.0/24");
    let limits = Limits { no_frames: Some("not permitted".into()), drops_foreign: true, ..limits(&plan) };
    assert!(blind_spots(&limits)[0].contains("rp_filter"));
}

#[rstest]
#[case::large(plan("10.40.0.7", "10.40.0.0/16"), "10.40.0.0/16 has 65534 addresses, too many to ask unasked")]
#[case::passive(SurveyPlan { extent: Extent::Listen(Duration::from_secs(400)), ..plan("10.40.0.7", "10.40.0.0/24") }, "nothing was asked")]
#[case::router(behind_a_router(), "what lies behind the router 10.40.0.1")]
#[case::loopback(plan("127.9.0.1", "127.9.0.0/16"), "on loopback only what speaks")]
fn each_plan_has_its_own(#[case] plan: SurveyPlan, #[case] said: &str) {
    let spots = blind_spots(&limits(&plan));
    assert!(spots.len() == 1 && spots[0].starts_with(said), "{spots:?}");
}

#[test]
fn who_looks_in_one_way_only_is_not_told_of_the_others() {
    let plan = SurveyPlan { ways: Ways::only(&[Way::ArtNet]), ..plan("10.40.0.7", "10.40.0.0/16") };
    assert_eq!(blind_spots(&Limits { listened: Duration::from_secs(3), ..limits(&plan) }), [""; 0]);
}

fn adapter(own: &str, origin: Origin, link: bool) -> Adapter {
    let address: Ipv4Addr = own.parse().unwrap();
    let subnet: Subnet = "10.40.0.0/16".parse().unwrap();
    Adapter {
        name: "eth1".to_owned(),
        label: None,
        preferred: false,
        medium: Medium::Wired,
        on: true,
        link,
        speed: None,
        mac: None,
        addresses: vec![OwnAddress { address, subnet, origin }],
        gateways: Vec::new(),
    }
}

#[rstest]
#[case::silence("10.40.0.7", Origin::Fixed, true, 0, None, &["nothing at all was heard on eth1", "the nodes are still starting"])]
#[case::noise("10.40.0.7", Origin::Fixed, true, 9, None, &["9 messages were heard on eth1", "the nodes are still starting"])]
#[case::no_link("10.40.0.7", Origin::Fixed, false, 0, None, &["eth1 has no link", "the nodes are still starting"])]
#[case::shared("10.40.0.7", Origin::Fixed, true, 0, Some("desk"), &["desk here holds UDP 6454", "nothing at all", "the nodes"])]
#[case::leased("10.40.0.7", Origin::Leased, true, 0, None, &["nothing at all", "10.40.0.7 was given by a DHCP server", "the nodes"])]
#[case::link_local("169.254.3.3", Origin::Fixed, true, 0, None, &["nothing at all", "169.254.3.3 is a link-local address", "the nodes"])]
#[case::loopback("127.9.0.1", Origin::Fixed, true, 0, None, &["no simulated nodes run on this ground"])]
fn an_empty_survey_names_its_causes_in_the_order_in_which_to_rule_them_out(
    #[case] own: &str,
    #[case] origin: Origin,
    #[case] link: bool,
    #[case] heard: u64,
    #[case] shared: Option<&str>,
    #[case] first: &[&str],
) {
    let (adapter, plan) = (
        adapter(own, origin, link),
        plan(own, if own.starts_with("127") { "127.9.0.0/16" } else { "10.40.0.0/16" }),
    );
    let port_shared_with = shared.map(ToOwned::to_owned);
    let causes =
        nothing_found(&Emptiness { adapter: &adapter, plan: &plan, port_shared_with, others: Vec::new(), heard });
    for (cause, expected) in causes.iter().zip(first) {
        assert!(cause.starts_with(expected), "{causes:?}");
    }
    assert!(causes.len() >= first.len());
    let others = vec!["eth2".to_owned()];
    let causes =
        nothing_found(&Emptiness { adapter: &adapter, plan: &plan, port_shared_with: None, others, heard });
    assert_eq!(causes.iter().any(|cause| cause.contains("eth2")), !own.starts_with("127"));
}
