//! Nodes that lie, lag, forget and disobey: what is said of a change, and where the node really is, side by side.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::Merge;
use lantern_core::census::Subject;
use lantern_core::change::{Change, ChangePlan, plan_one};
use lantern_core::compare::{Addressing, Wanted, WantedPort};
use lantern_core::conversation::{Outcome, TalkEvent, Vantage};
use lantern_core::logbook::Stage;
use lantern_core::universe::{DeskBase, Universe};
use lantern_sim::{MemoryGround, Scene};
use rstest::rstest;

use crate::support::{self, ground, run, seat, survey};

const MAC: &str = "02:4d:42:00:10:01";
const OLD: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 100);
const NEW: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 150);
const MASK: Ipv4Addr = Ipv4Addr::new(255, 255, 0, 0);
const RESTART: Duration = Duration::from_secs(20);

fn scene(quirks: &str) -> Scene {
    Scene::parse(&format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nlabel = \"Quay north mast\"\n\
         model = \"marrowbright-four\"\nmac = \"{MAC}\"\naddress = \"{OLD}\"\ngateway = \"10.40.0.2\"\n\
         pages = [{{ net = 0, sub = 1, out = [0, 1, 2, 3] }}]\nquirks = {quirks}\n"
    ))
    .unwrap()
}

/// What somebody wants of the node.
fn wish(what: &str) -> Wanted {
    let port = |universe| {
        let universe = Some(Universe::read(universe, DeskBase::One).unwrap());
        Wanted { ports: vec![WantedPort { number: 2, universe, ..WantedPort::default() }], ..Wanted::default() }
    };
    let given = |wanted| Wanted { mask: "/16".parse().ok(), gateway: "10.40.0.2".parse().ok(), ..wanted };
    let address = || Wanted { addressing: Some(Addressing::Fixed(NEW)), ..Wanted::default() };
    match what {
        "address" => address(),
        "address, mask and gateway" => given(address()),
        "mask" => Wanted { mask: "/20".parse().ok(), ..Wanted::default() },
        "name" => Wanted { name: Some("quay-north-mast".to_owned()), ..Wanted::default() },
        "name and address" => Wanted { name: Some("mast".to_owned()), ..address() },
        "universe" => port("0:1:9"),
        "merge" => {
            let merge = Some(Merge::Ltp);
            Wanted { ports: vec![WantedPort { number: 2, merge, ..WantedPort::default() }], ..Wanted::default() }
        }
        other => panic!("no wish {other}"),
    }
}

/// The change, or what speaks against it.
fn planned(ground: &mut MemoryGround, wanted: &Wanted) -> Result<Change, Vec<&'static str>> {
    let census = survey(ground, None);
    let seats = [seat()];
    let node = &census.nodes()[0];
    let mut plan: ChangePlan =
        plan_one(&Subject::of_node(node), wanted, &support::protection(&census, None, &seats));
    if plan.is_refused() {
        return Err(plan.findings.iter().map(|finding| finding.rule.code).collect());
    }
    Ok(plan.changes.remove(0))
}

/// Makes the change; gives what became of it, and the events on the way.
fn made(ground: &mut MemoryGround, change: &Change) -> (Outcome, Vec<TalkEvent>) {
    let mut alter = change.talk(Vantage::of_seats(vec![seat()]), RESTART);
    let (events, _) = run(&mut alter, ground);
    let outcome = alter.outcome().unwrap().clone();
    (outcome, events.into_iter().map(|(_, event)| event).collect())
}

/// Where the node really is, what it is called, and the universe and merge mode of its second port.
fn really(ground: &MemoryGround) -> (Ipv4Addr, Ipv4Addr, String, u8, bool) {
    let node = &ground.nodes()[0];
    let (address, mask, _) = node.settings();
    let page = &node.pages()[0];
    let port = &page.ports[1];
    (address, mask, page.short_name.to_lossy(), port.switch_out, port.output_a.merges_ltp())
}

const AS_IT_WAS: (Ipv4Addr, Ipv4Addr, &str, u8, bool) = (OLD, MASK, "quay-north", 1, false);
const MOVED: (Ipv4Addr, Ipv4Addr, &str, u8, bool) = (NEW, MASK, "quay-north", 1, false);
const NARROW: Ipv4Addr = Ipv4Addr::new(255, 255, 240, 0);

/// What is said of a wish, and what is really so a minute later.
fn said_and_so(ground: &mut MemoryGround, wanted: &str) -> (Outcome, (Ipv4Addr, Ipv4Addr, String, u8, bool)) {
    let change = planned(ground, &wish(wanted)).unwrap();
    let (outcome, _) = made(ground, &change);
    let now = ground.now();
    ground.run_until(now + Duration::from_secs(60));
    (outcome, really(ground))
}

/// For each habit: the wish, what is said, and what is really so a minute later.
#[rstest]
#[case::takes_all_fields("[\"takes-all-fields\"]", "address", Stage::Confirmed, MOVED)]
#[case::mask_by_one_who_takes_all("[\"takes-all-fields\"]", "mask", Stage::Confirmed, (OLD, NARROW, "quay-north", 1, false))]
#[case::at_next_start("[\"takes-at-next-start\"]", "address", Stage::Acknowledged, AS_IT_WAS)]
#[case::late("[\"takes-late\"]", "address", Stage::Confirmed, MOVED)]
#[case::acknowledges_old("[\"acknowledges-old\"]", "address", Stage::Confirmed, MOVED)]
#[case::no_word("[\"no-acknowledgement\"]", "address", Stage::Confirmed, MOVED)]
#[case::never_tells("[\"never-tells-settings\"]", "address, mask and gateway", Stage::Unverified, MOVED)]
#[case::silent_after("[\"silent-after-move\"]", "address", Stage::Unverified, MOVED)]
#[case::elsewhere("[\"comes-up-elsewhere\"]", "address", Stage::Elsewhere, (Ipv4Addr::new(10, 40, 1, 151), MASK, "quay-north", 1, false))]
#[case::resets_its_mask("[\"resets-mask\"]", "address", Stage::MovedAlong, (NEW, Ipv4Addr::new(255, 0, 0, 0), "quay-north", 1, false))]
#[case::loses_its_gateway("[\"loses-gateway\"]", "address", Stage::MovedAlong, MOVED)]
#[case::dies("[\"dies-of-moving\"]", "address", Stage::Silent, MOVED)]
#[case::restarts_at_every_write("[\"restarts-at-every-write\"]", "name", Stage::Confirmed, (OLD, MASK, "quay-north-mast", 1, false))]
#[case::forgets("[\"forgets-at-restart\"]", "name and address", Stage::Confirmed, (NEW, MASK, "mast", 1, false))]
#[case::cuts_names("[\"cuts-names\"]", "name", Stage::Refused, (OLD, MASK, "quay-nor", 1, false))]
#[case::moves_the_neighbour("[\"moves-the-neighbour\"]", "universe", Stage::MovedAlong, (OLD, MASK, "quay-north", 9, false))]
#[case::obeys_late("[\"obeys-late\"]", "name", Stage::Confirmed, (OLD, MASK, "quay-north-mast", 1, false))]
#[case::ignores_commands("[\"ignores-commands\"]", "merge", Stage::Refused, AS_IT_WAS)]
#[case::every_second_write("[\"loses-every-second-write\"]", "universe", Stage::Confirmed, (OLD, MASK, "quay-north", 9, false))]
#[case::only_broadcasts("[\"only-broadcast-polls\"]", "address", Stage::Confirmed, MOVED)]
#[case::every_second_poll("[\"every-second-poll\"]", "name and address", Stage::Confirmed, (NEW, MASK, "mast", 1, false))]
#[case::short_reply("[\"sends207\"]", "address", Stage::Confirmed, MOVED)]
#[case::states_another("[\"states-another-address\"]", "address", Stage::Confirmed, MOVED)]
#[case::states_none("[\"states-no-address\"]", "name and address", Stage::Confirmed, (NEW, MASK, "mast", 1, false))]
#[case::counts_zero("[\"counts-zero\"]", "universe", Stage::Confirmed, (OLD, MASK, "quay-north", 9, false))]
#[case::pads_names("[\"pads-names\"]", "name", Stage::Confirmed, (OLD, MASK, "quay-north-mast", 1, false))]
#[case::answers_twice("[\"answers-twice\"]", "name and address", Stage::Confirmed, (NEW, MASK, "mast", 1, false))]
#[case::name_by_198("[\"sends198\"]", "name", Stage::Confirmed, (OLD, MASK, "quay-north-mast", 1, false))]
fn what_is_said_is_so(
    #[case] quirks: &str,
    #[case] wanted: &str,
    #[case] said: Stage,
    #[case] so: (Ipv4Addr, Ipv4Addr, &str, u8, bool),
) {
    let mut ground = ground(&scene(quirks));
    let (outcome, (address, mask, name, universe, merge)) = said_and_so(&mut ground, wanted);
    assert_eq!(
        (Stage::from(&outcome), (address, mask, name.as_str(), universe, merge)),
        (said, so),
        "{outcome:?}"
    );
    // Nobody ever lost its mask or gateway to a message of ours, unless by its own habit.
    if !matches!(said, Stage::MovedAlong) {
        let (_, mask, gateway) = ground.nodes()[0].settings();
        assert!(!mask.is_unspecified() && gateway == Ipv4Addr::new(10, 40, 0, 2), "{mask} {gateway}");
    }
}

/// The same for habits that show only on a node of two pages, or on one that is on DHCP.
#[rstest]
#[case::pages_that_all_say_zero("[\"pages-all-zero\"]", "", "address", Stage::Confirmed, MOVED)]
#[case::a_page_of_its_own("[\"page-of-its-own\"]", "", "name and address", Stage::Confirmed, (NEW, MASK, "mast", 1, false))]
#[case::nameless("[\"nameless\"]", "", "address", Stage::Confirmed, MOVED)]
#[case::a_name_it_does_not_tell("[\"nameless\"]", "", "name", Stage::Refused, (OLD, MASK, "quay-north-mast", 1, false))]
#[case::stays_on_dhcp(
    "[\"stays-on-dhcp\"]",
    "dhcp = true\nlease = \"10.40.1.100\"",
    "address",
    Stage::Refused,
    MOVED
)]
#[case::under_its_mask("[\"answers-under-its-mask\"]", "", "name and address", Stage::Confirmed, (NEW, MASK, "mast", 1, false))]
fn what_is_said_of_a_larger_node_is_so(
    #[case] quirks: &str,
    #[case] more: &str,
    #[case] wanted: &str,
    #[case] said: Stage,
    #[case] so: (Ipv4Addr, Ipv4Addr, &str, u8, bool),
) {
    let text = format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nlabel = \"Quay north mast\"\n\
         model = \"marrowbright-eight\"\nmac = \"{MAC}\"\naddress = \"{OLD}\"\ngateway = \"10.40.0.2\"\n{more}\n\
         pages = [{{ sub = 1, out = [0, 1, 2, 3] }}, {{ sub = 2, out = [0, 1, 2, 3] }}]\nquirks = {quirks}\n"
    );
    let mut ground = ground(&Scene::parse(&text).unwrap());
    let (outcome, (address, mask, name, universe, merge)) = said_and_so(&mut ground, wanted);
    assert_eq!(
        (Stage::from(&outcome), (address, mask, name.as_str(), universe, merge)),
        (said, so),
        "{outcome:?}"
    );
}

/// What must be known before, and is not.
#[rstest]
#[case::settings_never_told("[\"never-tells-settings\"]", "address", &["C016"])]
#[case::no_mac("[\"sends198\"]", "address", &["C008"])]
fn what_could_not_be_proven_is_not_begun(#[case] quirks: &str, #[case] wanted: &str, #[case] codes: &[&str]) {
    let mut ground = ground(&scene(quirks));
    assert_eq!(planned(&mut ground, &wish(wanted)).unwrap_err(), codes);
    assert!(ground.nodes()[0].writes().is_empty());
}

/// How often each is written to.
#[rstest]
#[case::one_that_restarts("[\"restarts-at-every-write\"]", "name", 1)]
#[case::one_that_obeys_late("[\"obeys-late\"]", "name", 3)]
#[case::one_that_is_mute_to_unicast("[\"only-broadcast-polls\"]", "name", 1)]
#[case::one_that_ignores_it("[\"ignores-commands\"]", "merge", 5)]
#[case::one_that_waits_for_its_next_start("[\"takes-at-next-start\"]", "address", 1)]
#[case::one_that_answers_twice("[\"answers-twice\"]", "universe", 1)]
fn nobody_is_written_to_more_than_it_takes(#[case] quirks: &str, #[case] wanted: &str, #[case] most: usize) {
    let mut ground = ground(&scene(quirks));
    let change = planned(&mut ground, &wish(wanted)).unwrap();
    made(&mut ground, &change);
    let writes = ground.nodes()[0].writes().len();
    assert!((1..=most).contains(&writes), "{writes} writes");
}

/// What is refused is said with what the node keeps: no sentence has a hole.
#[test]
fn a_shortened_name_is_told_as_it_is_kept() {
    let mut ground = ground(&scene("[\"cuts-names\"]"));
    let change = planned(&mut ground, &wish("name")).unwrap();
    let (Outcome::Refused(open), _) = made(&mut ground, &change) else { panic!("a refusal") };
    assert_eq!(open[0].to_string(), "name is quay-nor, planned quay-north-mast");
    assert!(open[0].is_cut_short());
}

/// Said of what moved along: the field, before and after.
#[test]
fn what_moved_along_is_named() {
    let mut ground = ground(&scene("[\"moves-the-neighbour\"]"));
    let change = planned(&mut ground, &wish("universe")).unwrap();
    let (Outcome::MovedAlong(shifts), _) = made(&mut ground, &change) else { panic!("something moved along") };
    let said: Vec<String> =
        shifts.iter().map(|s| format!("{}: {} to {}", s.field, s.before_in_words(), s.after_in_words())).collect();
    assert_eq!(said, ["port 3 universe: 0:1:2 to 0:1:10"]);
}

/// A unit that took the node's place between the table and the yes gets nothing.
#[test]
fn somebody_else_at_its_address_is_not_written_to() {
    let mut ground = ground(&scene("[]"));
    let change = planned(&mut ground, &wish("name")).unwrap();
    let other = Scene::parse(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"guest\"\nmodel = \"marrowbright-four\"\n\
         mac = \"02:4d:42:00:99:01\"\naddress = \"10.40.1.100\"\npages = [{ out = [0] }]\n",
    )
    .unwrap();
    let mut swapped = support::ground(&other);
    let (outcome, events) = made(&mut swapped, &change);
    let Outcome::Stranger(other) = outcome else { panic!("{outcome:?}") };
    assert_eq!(other.to_string(), "guest (02:4d:42:00:99:01)");
    assert!(swapped.nodes()[0].writes().is_empty());
    assert!(!events.iter().any(|event| matches!(event, TalkEvent::Sent(_))));
    // And to nobody, where nobody is.
    ground.nodes_mut()[0].switch(Duration::ZERO, false);
    let (outcome, events) = made(&mut ground, &change);
    assert_eq!(outcome, Outcome::Silent { written: false });
    assert!(!events.iter().any(|event| matches!(event, TalkEvent::Sent(_))));
}

/// Whoever took the wanted address meanwhile is found in the moment before, and named.
#[rstest]
fn an_address_taken_meanwhile_is_not_given(#[values(true, false)] frames: bool) {
    use lantern_core::conversation::Means;
    use lantern_wire::MacAddress;
    let both = format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\nmac = \"{MAC}\"\n\
         address = \"{OLD}\"\npages = [{{ out = [0] }}]\n[[node]]\nname = \"late\"\nmodel = \"marrowbright-four\"\n\
         mac = \"02:4d:42:00:99:02\"\naddress = \"{NEW}\"\noff = true\npages = [{{ out = [4] }}]\n"
    );
    let own = MacAddress([2, 0, 0, 0, 0, 7]);
    let mut ground = ground(&Scene::parse(&both).unwrap());
    let change = planned(&mut ground, &wish("address")).unwrap();
    let now = ground.now();
    ground.nodes_mut()[1].switch(now, true);
    ground.run_until(now + Duration::from_secs(2));
    let mut ground = if frames { ground.with_frames(own) } else { ground };
    let means = Means { frames, ..Means::default() };
    let vantage = Vantage { own_mac: Some(own), means, ..Vantage::of_seats(vec![seat()]) };
    let mut alter = change.talk(vantage, RESTART);
    run(&mut alter, &mut ground);
    let Some(Outcome::Taken(other)) = alter.outcome() else { panic!("{:?}", alter.outcome()) };
    assert_eq!(other.mac.unwrap().to_string(), "02:4d:42:00:99:02");
    assert_eq!(ground.nodes()[0].address(), OLD);
    assert!(ground.nodes()[0].writes().is_empty());
}
