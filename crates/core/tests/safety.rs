//! Rigs made by chance, with strangers of other families, nodes of bad habits and a troubled wire: whatever is wanted of
//! a node, nobody ever shares an address for it, nobody else is written to, and what is said is so.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::address::Mask;
use lantern_core::census::Subject;
use lantern_core::census::Ways;
use lantern_core::change::{Protection, plan_one};
use lantern_core::compare::{Addressing, Wanted, WantedPort};
use lantern_core::conversation::{Means, Outcome, Survey, SurveyPlan, Vantage};
use lantern_core::universe::{DeskBase, Universe};
use lantern_sim::{Link, MemoryGround, Scene, SimNode, Trouble};
use lantern_wire::MacAddress;
use rstest::rstest;

use crate::support::dice::Dice;
use crate::support::{GUEST, run, seat};

const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);
const RESTART: Duration = Duration::from_secs(12);
const QUIRKS: &[&str] = &[
    "takes-all-fields",
    "takes-at-next-start",
    "takes-late",
    "acknowledges-old",
    "no-acknowledgement",
    "never-tells-settings",
    "silent-after-move",
    "resets-mask",
    "loses-gateway",
    "stays-on-dhcp",
    "dies-of-moving",
    "restarts-at-every-write",
    "forgets-at-restart",
    "cuts-names",
    "moves-the-neighbour",
    "obeys-late",
    "ignores-commands",
    "loses-every-second-write",
    "only-broadcast-polls",
    "every-second-poll",
    "sends198",
    "sends207",
    "states-another-address",
    "states-no-address",
    "counts-zero",
    "pads-names",
    "answers-twice",
];

/// Everything a node really is, and whatever it tells only on its panel.
#[derive(Debug, Clone, PartialEq)]
struct Truth {
    address: Ipv4Addr,
    mask: Ipv4Addr,
    gateway: Ipv4Addr,
    dhcp: bool,
    name: String,
    label: String,
    ports: Vec<(u8, u8, u8, u8, u8, u8)>,
}

fn truth(node: &SimNode) -> Truth {
    let (address, mask, gateway) = node.settings();
    let pages = node.pages();
    let port = |page: &lantern_wire::art_net::PollReply| {
        let (net, sub) = (page.net, page.sub);
        page.ports.map(|p| (net, sub, p.kind.0, p.switch_in, p.switch_out, p.output_a.0 & 0x03)).to_vec()
    };
    Truth {
        address,
        mask,
        gateway,
        dhcp: node.takes_dhcp(),
        name: pages[0].short_name.to_lossy(),
        label: pages[0].long_name.to_lossy(),
        ports: pages.iter().flat_map(port).collect(),
    }
}

/// A rig: three to six nodes, a few strangers, some of whom are switched on only when the table is on the screen.
fn rig(dice: &mut Dice) -> String {
    let mut text = "network = \"10.40.0.0\"\n".to_owned();
    for i in 0..3 + dice.below(4) {
        let count = dice.below(3);
        let quirks: Vec<String> = (0..count).map(|_| format!("{:?}", dice.one_of(QUIRKS))).collect();
        let reply = if dice.chance(30) { "to-everybody" } else { "to-poller" };
        let restart = 300 + dice.below(6000);
        let address = format!("10.40.1.{}", 10 + i);
        let lease = if dice.chance(15) { format!("dhcp = true\nlease = \"{address}\"\n") } else { String::new() };
        text += &format!(
            "[[node]]\nname = \"node-{i}\"\nlabel = \"Node {i}\"\nmodel = \"marrowbright-four\"\n\
             mac = \"02:4d:42:00:10:{i:02x}\"\naddress = \"{address}\"\n{lease}gateway = \"10.40.0.2\"\nreply = \"{reply}\"\n\
             restart_ms = {restart}\npages = [{{ net = 0, sub = {i}, out = [0, 1, 2, 3] }}]\nquirks = [{}]\n",
            quirks.join(", ")
        );
    }
    for i in 0..2 + dice.below(4) {
        let arrives = if dice.chance(30) { "arrives_ms = 6000\n" } else { "" };
        let role = match dice.below(4) {
            0 => format!("sacn = {{ name = \"source-{i}\", universes = [{}] }}\n", i + 1),
            1 => "services = [{ name = \"mixer\", kind = \"_http._tcp\", port = 80 }]\n".to_owned(),
            2 => "echo = false\n".to_owned(),
            _ => String::new(),
        };
        text += &format!(
            "[[device]]\nname = \"stranger-{i}\"\nmac = \"02:99:00:00:00:{i:02x}\"\naddress = \"10.40.1.{}\"\n{arrives}{role}",
            100 + i
        );
    }
    text
}

/// Something somebody may want: half of the addresses are taken, or will be.
fn wish(dice: &mut Dice) -> Wanted {
    let mut wanted = Wanted::default();
    if dice.chance(70) {
        let last = if dice.chance(50) { 100 + dice.below(6) } else { 10 + dice.below(200) };
        wanted.addressing = Some(Addressing::Fixed(Ipv4Addr::new(10, 40, 1, last as u8)));
    }
    if dice.chance(30) {
        wanted.name = Some(format!("mast-{}", dice.below(100_000_000)));
    }
    if dice.chance(20) {
        wanted.mask = "/20".parse().ok();
    }
    if dice.chance(30) {
        let universe = Universe::read(&format!("0:{}:{}", 0, dice.below(16)), DeskBase::One).ok();
        wanted.ports = vec![WantedPort { number: 1 + dice.below(4), universe, ..WantedPort::default() }];
    }
    if dice.chance(15) {
        wanted.label = Some("A new label".to_owned());
    }
    wanted
}

fn trouble(dice: &mut Dice) -> Trouble {
    let mut share = |most: u32| f64::from(dice.below(most)) / 100.0;
    Trouble { loss: share(20), duplicate: share(20), reorder: share(15), corrupt: share(5) }
}

/// What came of one seed: the outcome's word, or why nothing was begun.
fn try_one(seed: u64) -> String {
    let dice = &mut Dice::new(seed);
    let scene = Scene::parse(&rig(dice)).unwrap().with_chance(0.0, seed);
    let frames = dice.chance(75);
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    let link = Link::with(trouble(dice), seed);
    let mut ground = MemoryGround::new(scene.nodes(), link, GUEST, broadcasts);
    if frames {
        ground = ground.beside(scene.devices()).with_frames(OWN);
    }
    let wanted = wish(dice);
    let means = Means { frames, ..Means::default() };
    let vantage = Vantage { own_mac: Some(OWN), means, mark: 7, ..Vantage::of_seats(vec![seat()]) };
    let likely: Vec<Ipv4Addr> = match wanted.addressing {
        Some(Addressing::Fixed(address)) => vec![address],
        _ => Vec::new(),
    };
    let plan = SurveyPlan {
        vantage: vantage.clone(),
        ways: Ways::ALL,
        likely,
        ..SurveyPlan::art_net(Vec::new(), None, true)
    };
    let mut survey = Survey::new(plan);
    run(&mut survey, &mut ground);
    let from = survey.viewpoint();
    let census = survey.into_census();
    let devices = census.devices(&from);
    if census.nodes().is_empty() {
        return "nobody".to_owned();
    }
    let node = &census.nodes()[dice.below(census.nodes().len() as u32) as usize];
    let seats = [seat()];
    let protection = Protection { devices: &devices, own: &[GUEST], ..Protection::of(&census, &seats) };
    let plan = plan_one(&Subject::of_node(node), &wanted, &protection);
    if plan.is_refused() || plan.changes.is_empty() {
        let codes: Vec<&str> = plan.findings.iter().map(|finding| finding.rule.code).collect();
        return codes.join(" ");
    }
    // Somebody thinks about the table for a while: late ones come meanwhile.
    let read_at = ground.now() + Duration::from_secs(8);
    while ground.run_until(read_at).is_some() {}
    let change = &plan.changes[0];
    let before: BTreeMap<MacAddress, Truth> =
        ground.nodes().iter().map(|node| (node.setup().mac, truth(node))).collect();
    let who = ground.nodes().iter().position(|one| one.address() == node.address).unwrap();
    let mut alter = change.talk(vantage, RESTART);
    let (events, _) = run(&mut alter, &mut ground);
    let outcome = alter.outcome().unwrap().clone();
    if std::env::var("SEED").is_ok() {
        eprintln!("{:?}\n{wanted:?}\n{outcome:?}", ground.nodes()[who].setup());
        events.iter().for_each(|(at, event)| eprintln!("{at:?} {event:?}"));
        ground.nodes()[who]
            .writes()
            .iter()
            .for_each(|write| eprintln!("{:?} {:02x?}", write.at, &write.bytes[8..]));
        ground.present().for_each(|one| eprintln!("{one:?}"));
    }
    let at_end = truth(&ground.nodes()[who]);

    // Nobody else was written to, or changed.
    for (i, other) in ground.nodes().iter().enumerate().filter(|(i, _)| *i != who) {
        assert!(other.writes().is_empty(), "seed {seed}: node {i} was written to");
        assert_eq!(truth(other), before[&other.setup().mac], "seed {seed}");
    }
    // Nobody shares an address.
    let mut held: Vec<Ipv4Addr> = ground.present().map(|(_, address)| address).collect();
    held.sort_unstable();
    let count = held.len();
    held.dedup();
    assert_eq!(held.len(), count, "seed {seed}: two devices share an address after {outcome:?}");
    let told = alter.subject();
    let mac = ground.nodes()[who].setup().mac;
    match &outcome {
        Outcome::Done => {
            let mut expected = before[&mac].clone();
            if let Some(Addressing::Fixed(address)) = wanted.addressing {
                (expected.address, expected.dhcp) = (address, false);
            }
            expected.mask = wanted.mask.map_or(expected.mask, Mask::dotted);
            expected.name = wanted.name.clone().unwrap_or(expected.name);
            expected.label = wanted.label.clone().unwrap_or(expected.label);
            for port in &wanted.ports {
                let flat = port.universe.unwrap().port_address().unwrap();
                let slot = &mut expected.ports[port.number as usize - 1];
                (slot.0, slot.1, slot.4) = (flat.net(), flat.sub(), flat.universe());
            }
            assert_eq!(at_end, expected, "seed {seed}: done is not done");
        }
        Outcome::Unverified(_) | Outcome::HeardOnly(_) | Outcome::MovedAlong(_) | Outcome::Refused(_) => {
            assert_eq!(told.address(), at_end.address, "seed {seed}: {outcome:?}");
        }
        Outcome::Acknowledged(_) => assert_eq!(before[&mac].address, at_end.address, "seed {seed}"),
        Outcome::Elsewhere(there) => assert_eq!(*there, at_end.address, "seed {seed}"),
        Outcome::Taken(_) | Outcome::Stranger(_) => {
            let moved = ground.nodes()[who].writes().iter().any(|write| write.bytes[8..10] == [0x00, 0xf8]);
            assert!(!moved, "seed {seed}: {outcome:?}");
        }
        Outcome::Silent { .. } | Outcome::Shared(_) => {}
        Outcome::HalfSent { .. } => panic!("seed {seed}: nobody was sent a file"),
    }
    lantern_core::logbook::Stage::from(&outcome).word().to_owned()
}

#[rstest]
fn what_is_said_is_so_and_nobody_is_harmed(#[values(0, 1, 2, 3, 4, 5, 6, 7, 8, 9)] block: u64) {
    let mut came: BTreeMap<String, u32> = BTreeMap::new();
    for seed in block * 300..block * 300 + 300 {
        *came.entry(try_one(seed)).or_default() += 1;
    }
    // Most of what was begun is done, whatever the wire does.
    let done = came.get("confirmed").copied().unwrap_or(0);
    assert!(done > 60, "{came:?}");
}

/// Found by longer looks.
#[rstest]
#[case::a_damaged_answer_seemed_to_come_from_elsewhere(26_763)]
#[case::a_gateway_got_lost_that_was_not_told_again_before(7238)]
fn what_once_went_wrong_does_not_again(#[case] seed: u64) {
    try_one(seed);
}

#[test]
#[ignore = "only to look at one seed: SEED=17 cargo test -p lantern-core --test rigs -- --ignored safety::one_seed"]
fn one_seed() {
    let seed = std::env::var("SEED").unwrap().parse().unwrap();
    eprintln!("{}", try_one(seed));
}

#[test]
#[ignore = "for a long look: FROM=3000 TO=30000 cargo test -p lantern-core --test rigs -- --ignored safety::many"]
fn many_seeds() {
    let bound = |name| std::env::var(name).unwrap().parse::<u64>().unwrap();
    let mut came: BTreeMap<String, u32> = BTreeMap::new();
    for seed in bound("FROM")..bound("TO") {
        *came.entry(try_one(seed)).or_default() += 1;
    }
    eprintln!("{came:?}");
}
