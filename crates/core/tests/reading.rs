//! Replies from the standard's loose ends: what is read of a node, and what it really is, side by side.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::census::{Census, FoundNode, Levels, Sighting, Told, Ways};
use lantern_core::clash::world_clashes;
use lantern_core::compare::{Wanted, compare};
use lantern_core::conversation::{Survey, SurveyPlan, Vantage};
use lantern_core::sheet::RigSheet;
use lantern_core::universe::PortAddress;
use lantern_core::{DataLoss, Direction, Protocol};
use lantern_sim::{Link, MemoryGround, Scene};
use lantern_wire::art_net::{Dmx, PollReply, PortBlock, PortType, Style};
use lantern_wire::sacn::Cid;
use lantern_wire::{MacAddress, Text};
use rstest::rstest;

use crate::support::{self, GUEST, ground, seat, survey};

const PAGES: &str = "[{ net = 0, sub = 1, out = [0, 1, 2, 3] }, { net = 0, sub = 2, out = [4, 5] }]";

fn scene(pages: &str, quirks: &str) -> Scene {
    Scene::parse(&format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nlabel = \"Quay north mast\"\n\
         model = \"marrowbright-eight\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\n\
         pages = {pages}\nquirks = {quirks}\n"
    ))
    .unwrap()
}

/// The ports as found: number, direction, universe, and as an input too.
fn ports(node: &FoundNode) -> Vec<(u32, Direction, u16, Option<u16>)> {
    node.ports()
        .map(|(number, _, port)| {
            (number, port.direction, port.universe.flat(), port.also_in.map(PortAddress::flat))
        })
        .collect()
}

/// The ports as they are, by their types alone.
fn really(ground: &MemoryGround) -> Vec<(u32, Direction, u16, Option<u16>)> {
    let pages = ground.nodes()[0].pages();
    let all = pages.iter().flat_map(|page| page.ports.iter().map(move |port| (page, port)));
    let flat =
        |page: &PollReply, switch: u8| u16::from(page.net) << 8 | u16::from(page.sub) << 4 | u16::from(switch);
    let used = all.filter(|(_, port)| port.kind.is_input() || port.kind.is_output());
    (1..)
        .zip(used)
        .map(|(number, (page, port))| match (port.kind.is_output(), port.kind.is_input()) {
            (true, true) => {
                (number, Direction::Out, flat(page, port.switch_out), Some(flat(page, port.switch_in)))
            }
            (true, false) => (number, Direction::Out, flat(page, port.switch_out), None),
            _ => (number, Direction::In, flat(page, port.switch_in), None),
        })
        .collect()
}

#[rstest]
#[case::plain(PAGES, "[]")]
#[case::gaps("[{ out = [0, 1], gaps = [0, 2] }, { sub = 2, out = [4] }]", "[]")]
#[case::inputs_and_outputs("[{ out = [0, 1], in = [9, 10] }]", "[]")]
#[case::both_on_one_slot("[{ out = [0, 1], both = [7] }]", "[]")]
#[case::a_count_of_zero(PAGES, "[\"counts-zero\"]")]
#[case::pages_that_all_say_zero(PAGES, "[\"pages-all-zero\"]")]
#[case::a_page_of_its_own(PAGES, "[\"page-of-its-own\"]")]
#[case::another_address_stated(PAGES, "[\"states-another-address\"]")]
#[case::no_address_stated(PAGES, "[\"states-no-address\"]")]
#[case::padded_names(PAGES, "[\"pads-names\"]")]
#[case::only_broadcasts(PAGES, "[\"only-broadcast-polls\"]")]
#[case::every_second(PAGES, "[\"every-second-poll\"]")]
#[case::twice(PAGES, "[\"answers-twice\"]")]
fn a_node_is_read_as_it_is(#[case] pages: &str, #[case] quirks: &str) {
    let mut ground = ground(&scene(pages, quirks));
    let census = survey(&mut ground, None);
    assert_eq!(census.nodes().len(), 1, "one node is one node");
    let node = &census.nodes()[0];
    assert_eq!(ports(node), really(&ground));
    assert_eq!(node.address, ground.nodes()[0].address(), "the address it answers from");
    assert_eq!(
        (node.title().as_str(), node.mac.unwrap().to_string().as_str()),
        ("quay-north", "02:4d:42:00:10:01")
    );
    assert!(node.settings.is_some());
}

/// What an old reply does not hold was not told: no default stands in for it.
#[rstest]
#[case::of_198("[\"sends198\"]", None)]
#[case::of_207("[\"sends207\"]", Some("02:4d:42:00:10:01"))]
fn what_a_short_reply_does_not_hold_was_not_told(#[case] quirks: &str, #[case] mac: Option<&str>) {
    let mut ground = ground(&scene("[{ out = [0, 1, 2, 3] }]", quirks));
    let census = survey(&mut ground, None);
    let node = &census.nodes()[0];
    assert_eq!(node.mac.map(|mac| mac.to_string()).as_deref(), mac);
    assert_eq!((node.on_data_loss, node.can.dhcp, node.port(1).unwrap().1.rdm), (None, None, None));
    let wanted = Wanted { on_data_loss: Some(DataLoss::Hold), ..Wanted::default() };
    let said: Vec<String> = wanted.differences(node).iter().map(ToString::to_string).collect();
    assert_eq!(said, ["did not tell its on data loss, planned hold"]);
}

#[test]
fn a_nameless_node_is_called_by_its_label() {
    let mut ground = ground(&scene(PAGES, "[\"nameless\"]"));
    assert_eq!(survey(&mut ground, None).nodes()[0].title(), "Quay north mast");
}

/// Ports on pages that nobody can address are not written to.
#[test]
fn a_page_that_does_not_say_which_it_is_is_not_programmed() {
    use lantern_core::census::Subject;
    use lantern_core::change::plan_one;
    use lantern_core::compare::WantedPort;
    use lantern_core::universe::{DeskBase, Universe};
    let whole = "[{ sub = 1, out = [0, 1, 2, 3] }, { sub = 2, out = [0, 1, 2, 3] }]";
    let mut ground = ground(&scene(whole, "[\"pages-all-zero\"]"));
    let census = survey(&mut ground, None);
    let seats = [seat()];
    let protection = support::protection(&census, None, &seats);
    let codes = |number| {
        let universe = Universe::read("0:2:9", DeskBase::One).ok();
        let port = WantedPort { number, universe, ..WantedPort::default() };
        let plan = plan_one(
            &Subject::of_node(&census.nodes()[0]),
            &Wanted { ports: vec![port], ..Wanted::default() },
            &protection,
        );
        plan.findings.iter().map(|finding| finding.rule.code).collect::<Vec<_>>()
    };
    assert_eq!(codes(5), ["C022"]);
}

fn reply(mac: u8, address: Ipv4Addr) -> PollReply {
    let port = PortBlock { kind: PortType::DMX_OUT, ..PortBlock::default() };
    PollReply {
        address,
        mac: MacAddress([2, 0x4d, 0x42, 0, 0x10, mac]),
        short_name: Text::cut("north"),
        bind_index: 1,
        ports: [port; 4],
        ..PollReply::default()
    }
}

fn heard(at: u64, from: Ipv4Addr, reply: PollReply) -> Sighting {
    Sighting::plain(Duration::from_millis(at), from, Told::PollReply(Box::new(reply)))
}

const A: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 1);
const B: Ipv4Addr = Ipv4Addr::new(10, 40, 1, 2);

/// Heard there and here in turn, a MAC address is two units; heard there and then here, one that moved.
#[rstest]
#[case::moved(&[(0, A), (900, B), (1500, B)], 1)]
#[case::in_turn(&[(0, A), (100, B), (700, A), (800, B)], 2)]
#[case::there_and_back_after_long(&[(0, A), (30_000, B), (60_000, A)], 1)]
fn one_mac_at_two_addresses(#[case] when: &[(u64, Ipv4Addr)], #[case] nodes: usize) {
    let mut census = Census::default();
    for (at, from) in when {
        census.take(&heard(*at, *from, reply(1, *from)));
    }
    assert_eq!((census.nodes().len(), census.borne_twice().len()), (nodes, nodes - 1));
}

#[test]
fn a_desk_is_no_node() {
    let desk = PollReply { style: Style(1), ..reply(9, A) };
    let mut census = Census::default();
    census.take(&heard(0, A, desk));
    assert!(!census.nodes()[0].is_node());
    let sheet = RigSheet::parse("[rig]\nname = \"t\"\n").unwrap();
    assert!(compare(&sheet, &census).unexpected.is_empty());
}

/// In a survey by everything there is, of one source that sends what is no levels and one that sends levels.
#[rstest]
#[case::levels(0, Some(100), 1)]
#[case::priorities_of_slots(0xdd, None, 0)]
fn only_levels_are_levels(#[case] start_code: u8, #[case] priority: Option<u8>, #[case] universes: usize) {
    use lantern_wire::sacn::Data;
    let data = Data {
        cid: Cid([7; 16]),
        source: Text::cut("desk"),
        priority: 100,
        sync: 0,
        sequence: 1,
        options: Default::default(),
        universe: 7,
        start_code,
        slots: &[1, 2, 3],
    };
    let told = Told::by_datagram(5568, &data.to_bytes()).unwrap().unwrap();
    let mut census = Census::default();
    census.take(&Sighting::plain(Duration::ZERO, A, told));
    let known: Vec<Option<u8>> = census
        .sources()
        .iter()
        .flat_map(|source| source.universes.values().map(|sending| sending.priority))
        .collect();
    assert_eq!((known.len(), known.first().copied().flatten()), (universes, priority));
    assert!(census.is_seen(A), "somebody is there all the same");
}

fn levels(cid: u8, priority: u8) -> Told {
    let source = format!("desk-{cid}");
    let cid = Some(Cid([cid; 16]));
    let priority = Some(priority);
    Told::Levels(Levels {
        protocol: Protocol::Sacn,
        cid,
        source,
        universe: 7,
        priority,
        sequence: None,
        preview: false,
        ended: false,
    })
}

#[rstest]
#[case::equal(100, 100, "", &["W010"])]
#[case::one_higher(100, 120, "", &[])]
#[case::above_what_there_is(100, 220, "", &["W013"])]
#[case::meant_by_the_sheet(100, 100, "[[node]]\nname = \"n\"\naddress = \"10.40.1.9\"\n[[node.port]]\nport = 1\nout = \"sacn 7\"\nsources = 2\n", &[])]
fn two_sources_of_one_universe(#[case] one: u8, #[case] other: u8, #[case] nodes: &str, #[case] codes: &[&str]) {
    let mut census = Census::default();
    census.take(&Sighting::plain(Duration::ZERO, A, levels(1, one)));
    census.take(&Sighting::plain(Duration::ZERO, B, levels(2, other)));
    let head = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n";
    let sheet = RigSheet::parse(&format!("{head}{nodes}")).unwrap();
    let from = Default::default();
    let found = world_clashes(&census, &census.devices(&from), &from, Some(&sheet));
    assert_eq!(found.iter().map(|finding| finding.rule.code).collect::<Vec<_>>(), codes);
}

/// The same by Art-Net, which knows neither names nor priorities: whoever sends it is known by where it sends from.
#[rstest]
#[case::meant("sources = 2", &[])]
#[case::not_meant("", &["W010"])]
fn two_sources_of_one_universe_by_art_net(#[case] sources: &str, #[case] codes: &[&str]) {
    let dmx = Dmx { sequence: 1, physical: 0, port_address: 7, slots: &[0; 512] }.to_bytes();
    let mut census = Census::default();
    for from in [A, B, A] {
        census.take(&Sighting::plain(Duration::ZERO, from, Told::by_datagram(6454, &dmx).unwrap().unwrap()));
    }
    let sent: Vec<_> =
        census.sources().iter().map(|source| (source.title(), source.universes[&7].heard)).collect();
    assert_eq!(sent, [(A.to_string(), 2), (B.to_string(), 1)]);
    let sheet = format!(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
         [[node]]\nname = \"n\"\naddress = \"10.40.1.9\"\n[[node.port]]\nport = 1\nout = \"0:0:7\"\n{sources}\n"
    );
    let from = Default::default();
    let found = world_clashes(&census, &census.devices(&from), &from, Some(&RigSheet::parse(&sheet).unwrap()));
    assert_eq!(found.iter().map(|finding| finding.rule.code).collect::<Vec<_>>(), codes);
}

/// One universe comes out of two gateways: a note, unless the sheet says that it is meant.
#[rstest]
#[case::nobody_said_so("", "", "", &["W004"])]
#[case::not_on_the_sheet_at_all("", "", "10.40.9.9", &["W004"])]
#[case::a_splitter("splits = 2", "", "", &[])]
#[case::a_splitter_of_others("splits = 2", "", "10.40.9.9", &["W004"])]
#[case::a_clone("", "clone_of = \"north\"", "", &[])]
fn several_outputs_of_one_universe(
    #[case] port: &str,
    #[case] node: &str,
    #[case] second_at: &str,
    #[case] codes: &[&str],
) {
    let scene: String = [("north", 1), ("south", 2)]
        .map(|(name, number)| {
            format!(
                "[[node]]\nname = \"{name}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:0{number}\"\n\
                 address = \"10.40.1.{number}\"\npages = [{{ out = [7] }}]\n"
            )
        })
        .concat();
    let scene = Scene::parse(&format!("network = \"10.40.0.0\"\n{scene}")).unwrap();
    let mut ground = ground(&scene);
    let census = survey(&mut ground, None);
    let second_at = if second_at.is_empty() { "10.40.1.2" } else { second_at };
    let second_mac = if second_at == "10.40.1.2" { "02:4d:42:00:10:02" } else { "02:4d:42:00:10:99" };
    let sheet = RigSheet::parse(&format!(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
         [[node]]\nname = \"north\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.1\"\n[[node.port]]\nport = 1\nout = \"0:0:7\"\n{port}\n\
         [[node]]\nname = \"other\"\nmac = \"{second_mac}\"\naddress = \"{second_at}\"\n{node}\n[[node.port]]\nport = 1\nout = \"0:0:7\"\n"
    ))
    .unwrap();
    let from = Default::default();
    let found = world_clashes(&census, &census.devices(&from), &from, Some(&sheet));
    let of_outputs = found.iter().map(|finding| finding.rule.code).filter(|code| *code == "W004");
    assert_eq!(of_outputs.collect::<Vec<_>>(), codes, "{found:#?}");
}

#[test]
fn a_list_of_universes_that_did_not_come_whole_is_said() {
    let page = |page| Told::Universes { cid: Cid([1; 16]), source: "player".to_owned(), universes: vec![1], page };
    let mut census = Census::default();
    census.take(&Sighting::plain(Duration::ZERO, A, page((0, 2))));
    census.take(&Sighting::plain(Duration::ZERO, A, page((2, 2))));
    assert_eq!(census.sources()[0].pages_missing, 1);
    census.take(&Sighting::plain(Duration::ZERO, A, page((1, 2))));
    assert_eq!(census.sources()[0].pages_missing, 0);
}

/// A node in 2.x that answers us alone is in another subnet all the same: nothing of ours reaches it there.
#[test]
fn an_answer_to_us_alone_is_no_way_there() {
    use lantern_core::census::Standing;
    let far = Ipv4Addr::new(2, 0, 0, 5);
    let mut census = Census::default();
    census.take(&Sighting { to_us: true, ..heard(0, far, reply(1, far)) });
    let vantage = Vantage::of_seats(vec![seat()]);
    let plan = SurveyPlan { vantage, ways: Ways::ALL, ..SurveyPlan::art_net(Vec::new(), None, false) };
    let from = plan.viewpoint();
    assert_eq!(census.devices(&from)[0].standing, Standing::OtherSubnet);
}

/// Six hundred nodes, one of them meant: what everybody else gets.
#[test]
fn whoever_is_not_meant_gets_little() {
    use lantern_core::conversation::Concern;
    let ground = Scene::crowd(600, 0.0, 3);
    let broadcasts = vec![seat().subnet.broadcast(), Ipv4Addr::BROADCAST];
    let mut ground = MemoryGround::new(ground.nodes(), Link::new(0.0, 3), GUEST, broadcasts);
    let concern = Concern::of_one("crowd-17", [Ipv4Addr::new(10, 40, 9, 9)]);
    let mut survey = Survey::new(SurveyPlan { concern, ..SurveyPlan::art_net(vec![seat()], None, true) });
    let mut sent: Vec<(Ipv4Addr, bool)> = Vec::new();
    support::run_seeing(&mut survey, &mut ground, |to, bytes| sent.push((to, bytes[8..10] == [0x00, 0xf8])));
    assert_eq!(survey.census().nodes().len(), 600);
    let to_all =
        sent.iter().filter(|(to, _)| *to == Ipv4Addr::BROADCAST || *to == seat().subnet.broadcast()).count();
    assert!(to_all < 12, "{to_all} packets to everybody");
    let meant = Ipv4Addr::new(10, 40, 1, 18);
    let strangers = sent.iter().filter(|(to, asks)| *asks && *to != meant).count();
    assert_eq!(strangers, 0, "nobody else is asked for settings");
}

/// A unit that has fewer ports than its kind is not waited for for ever: it told itself often enough.
#[test]
fn a_unit_with_fewer_ports_than_its_kind_is_whole() {
    let scene = Scene::parse(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"small\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:01\"\n\
         address = \"10.40.1.100\"\npages = [{ out = [0, 1] }]\n",
    )
    .unwrap();
    let census = survey(&mut ground(&scene), None);
    let node = &census.nodes()[0];
    assert_eq!((node.port_count(), node.pages.len(), node.is_whole()), (2, 1, true));
}
