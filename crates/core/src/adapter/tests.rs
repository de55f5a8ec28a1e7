//! Which adapter is meant, and what is wrong with each.

use rstest::rstest;

use super::*;
use crate::finding::Finding;
use crate::sheet::RigSheet;

/// An adapter by its name: `lo`, `wlan…` and `tun…` are what they are called, `off…` is switched off, `down…` has no
/// link.
fn adapter(name: &str, addresses: &[&str]) -> Adapter {
    let parse = |text: &&str| {
        let (address, prefix) = text.split_once('/').unwrap();
        let address = address.parse().unwrap();
        let subnet = Subnet::around(address, prefix.parse().unwrap());
        OwnAddress { address, subnet, origin: Origin::Fixed }
    };
    Adapter {
        name: name.to_owned(),
        label: None,
        preferred: false,
        medium: match name {
            "lo" => Medium::Loopback,
            _ if name.starts_with("wlan") => Medium::Wireless,
            _ if name.starts_with("tun") => Medium::Tunnel,
            _ if name.starts_with("br") => Medium::Virtual,
            _ => Medium::Wired,
        },
        on: !name.starts_with("off"),
        link: !name.starts_with("down") && !name.starts_with("off"),
        speed: None,
        mac: None,
        addresses: addresses.iter().map(parse).collect(),
        gateways: Vec::new(),
    }
}

fn laptop() -> Vec<Adapter> {
    vec![
        adapter("lo", &["127.0.0.1/8"]),
        adapter("show", &["10.40.0.7/16", "192.168.0.7/24"]),
        adapter("house", &["172.16.3.4/12"]),
        adapter("bare", &[]),
        adapter("down0", &["10.60.0.7/16"]),
    ]
}

fn sheet(range: &str) -> RigSheet {
    RigSheet::parse(&format!("[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"{range}\"\n")).unwrap()
}

#[rstest]
#[case(Some("show"), None, "10.40.0.7", "10.40.0.0/16")]
#[case(Some("192.168.0.7"), None, "192.168.0.7", "192.168.0.0/24")]
#[case(Some("show"), Some("192.168.0.0/24"), "192.168.0.7", "192.168.0.0/24")]
#[case(None, Some("10.40.0.0/16"), "10.40.0.7", "10.40.0.0/16")]
#[case(None, Some("127.9.0.0/16"), "127.9.0.1", "127.9.0.0/16")]
#[case(Some("127.9.0.1/16"), None, "127.9.0.1", "127.9.0.0/16")]
#[case(Some("127.9.0.1"), None, "127.9.0.1", "127.9.0.0/16")]
fn the_adapter_meant_is_found(
    #[case] wanted: Option<&str>,
    #[case] range: Option<&str>,
    #[case] own: &str,
    #[case] subnet: &str,
) {
    let sheet = range.map(sheet);
    let seats = choose(&laptop(), wanted, sheet.as_ref()).unwrap().seats;
    let seat = seats[0];
    // Whatever else the adapter has is used too, but the limited broadcast goes out once.
    assert_eq!(seats.len(), if own.starts_with("127.") { 1 } else { 2 });
    assert!(seats[1..].iter().all(|seat| !seat.limited_broadcast));
    assert_eq!((seat.own.to_string().as_str(), seat.subnet.to_string().as_str()), (own, subnet));
    assert_eq!(seat.limited_broadcast, !own.starts_with("127."));
}

#[rstest]
#[case(Some("wlan9"), "this computer has no adapter \"wlan9\"")]
#[case(Some("10.99.0.1"), "this computer has no adapter \"10.99.0.1\"")]
#[case(Some("bare"), "the adapter bare has no IPv4 address, so it can neither ask nor be answered")]
#[case(Some("down0"), "the adapter down0 is down: no cable, or nothing switched on at its other end")]
#[case(None, "this computer has several adapters that could lead to the rig")]
fn no_choice_says_why(#[case] wanted: Option<&str>, #[case] message: &str) {
    assert_eq!(choose(&laptop(), wanted, None).unwrap_err().to_string(), message);
}

#[test]
fn the_only_usable_one_is_taken_and_loopback_never_is() {
    let mut few = laptop();
    few.remove(2);
    assert_eq!(choose(&few, None, None).unwrap().name, "show");
    few.remove(1);
    assert!(matches!(choose(&few, None, None), Err(ChooseError::NoneUsable { .. })));
}

#[test]
fn labels_and_preferences_are_heeded() {
    let mut adapters = laptop();
    adapters[1].label = Some("rig".to_owned());
    assert_eq!(choose(&adapters, Some("rig"), None).unwrap().name, "show");
    assert_eq!(choose_cable(&adapters, Some("rig")).unwrap().name, "show");
    assert!(adapters[1].line().starts_with("show (rig)  10.40.0.7/16"));
    adapters[2].preferred = true;
    let choice = choose(&adapters, None, None).unwrap();
    assert_eq!((choice.name.as_str(), choice.why.as_str()), ("house", "you prefer it"));
    assert_eq!(choose_cable(&adapters, None).unwrap().name, "house");
    // The sheet knows better than a habit.
    assert_eq!(choose(&adapters, None, Some(&sheet("10.40.0.0/16"))).unwrap().name, "show");
}

fn judged(adapters: Vec<Adapter>, sheet: Option<&RigSheet>) -> Vec<Finding> {
    judge(&Computer { adapters, ..Computer::default() }, sheet)
}

fn codes(findings: &[Finding]) -> Vec<&'static str> {
    findings.iter().map(|finding| finding.rule.code).collect()
}

#[rstest]
#[case::all_well(vec![adapter("lo", &["127.0.0.1/8"]), adapter("show", &["10.40.0.7/16"])], &[])]
#[case::nothing_but_loopback(vec![adapter("lo", &["127.0.0.1/8"])], &["P012"])]
#[case::no_link(vec![adapter("down0", &["10.40.0.7/16"])], &["P001"])]
#[case::off(vec![adapter("off0", &[])], &["P002"])]
#[case::no_address(vec![adapter("show", &[])], &["P003"])]
#[case::a_bridge_needs_none(vec![adapter("br0", &[]), adapter("show", &["10.40.0.7/16"])], &[])]
#[case::link_local(vec![adapter("show", &["169.254.7.7/16"])], &["P004"])]
#[case::link_local_beside_another(vec![adapter("show", &["169.254.7.7/16", "10.40.0.7/16"])], &[])]
#[case::same_subnet(vec![adapter("a", &["10.40.0.7/16"]), adapter("b", &["10.40.0.8/16"])], &["P005"])]
#[case::one_inside_the_other(vec![adapter("a", &["10.0.0.7/8"]), adapter("b", &["10.40.0.8/16"])], &["P005"])]
#[case::next_to_each_other(vec![adapter("a", &["10.40.0.7/16"]), adapter("b", &["10.41.0.8/16"])], &[])]
#[case::same_subnet_without_link(vec![adapter("a", &["10.40.0.7/16"]), adapter("down0", &["10.40.0.8/16"])], &["P001"])]
#[case::wireless_beside(vec![adapter("a", &["10.40.0.7/16"]), adapter("wlan0", &["10.40.0.8/16"])], &["P006"])]
#[case::tunnel_beside(vec![adapter("a", &["10.40.0.7/16"]), adapter("tun0", &["10.0.0.8/8"])], &["P006"])]
fn each_situation_has_its_finding(#[case] adapters: Vec<Adapter>, #[case] expected: &[&str]) {
    assert_eq!(codes(&judged(adapters, None)), expected);
}

#[rstest]
#[case::two(&["192.168.0.1", "10.40.0.1"], &["P007"])]
#[case::one(&["192.168.0.1"], &[])]
fn two_ways_out_are_one_too_many(#[case] gateways: &[&str], #[case] expected: &[&str]) {
    let mut show = adapter("show", &["10.40.0.7/16"]);
    show.gateways = gateways.iter().map(|gateway| gateway.parse().unwrap()).collect();
    assert_eq!(codes(&judged(vec![show], None)), expected);
}

#[rstest]
#[case("2.0.0.7/8", true)]
#[case("10.40.0.7/16", false)]
#[case("172.31.0.7/16", false)]
#[case("172.32.0.7/16", true)]
#[case("192.168.0.7/24", false)]
#[case("100.64.0.7/16", false)]
#[case("100.128.0.7/16", true)]
fn public_ranges_must_have_no_way_out(#[case] own: &str, #[case] public: bool) {
    let mut show = adapter("show", &[own]);
    assert_eq!(codes(&judged(vec![show.clone()], None)), [""; 0]);
    show.gateways = vec![show.addresses[0].subnet.hosts().last()];
    assert_eq!(codes(&judged(vec![show], None)) == ["P008"], public);
}

#[rstest]
#[case("10.40.0.7/16", &[])]
#[case("10.40.0.7/24", &["P009"])]
#[case("10.40.0.7/8", &["P009"])]
#[case("10.60.0.7/16", &["P011"])]
fn the_sheet_says_which_mask_and_network(#[case] own: &str, #[case] expected: &[&str]) {
    let sheet = sheet("10.40.0.0/16");
    let found = judged(vec![adapter("show", &[own])], Some(&sheet));
    assert_eq!(codes(&found), expected);
    assert!(found.iter().all(|finding| finding.line() == 5));
}

#[rstest]
#[case("10.40.1.100/16", &["P019"])]
#[case("10.40.1.99/16", &[])]
fn this_computer_must_not_hold_what_is_planned(#[case] own: &str, #[case] expected: &[&str]) {
    let text = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
                [[node]]\nname = \"quay-north\"\naddress = \"10.40.1.100\"\n";
    let sheet = RigSheet::parse(text).unwrap();
    assert_eq!(codes(&judged(vec![adapter("show", &[own])], Some(&sheet))), expected);
}

#[test]
fn whoever_holds_the_port_is_named() {
    let holder = |program: Option<&str>, address: &str| Holder {
        program: program.map(Into::into),
        address: address.parse().unwrap(),
    };
    let holders = vec![holder(Some("desk"), "0.0.0.0"), holder(None, "10.40.0.7")];
    let found = judge(
        &Computer { adapters: vec![adapter("show", &["10.40.0.7/16"])], holders, ..Computer::default() },
        None,
    );
    let said: Vec<&str> = found.iter().map(|finding| finding.what.as_str()).collect();
    assert_eq!(said, ["desk holds UDP 6454 on every adapter", "another program holds UDP 6454 on 10.40.0.7"]);
}

fn wanted(text: &str) -> WantedOwn {
    text.parse().unwrap()
}

#[rstest]
#[case("10.40.0.50/16", &[])]
#[case("10.40.0.30/16", &[])]
#[case("10.40.0.0/16", &["P013"])]
#[case("10.40.255.255/16", &["P013"])]
#[case("127.0.0.9/8", &["P013"])]
#[case("239.0.0.9/8", &["P013"])]
#[case("10.40.0.7/16", &["P014"])]
#[case("10.40.1.100/16", &["P015"])]
#[case("10.40.250.9/16", &["A006"])]
#[case("10.40.0.1/16", &["A008"])]
#[case("192.168.0.9/24", &[])]
fn an_address_for_this_computer_is_looked_at(#[case] address: &str, #[case] expected: &[&str]) {
    let sheet = RigSheet::parse(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\ngateway = \"10.40.0.1\"\n\
         keep_free = [\"10.40.0.20-10.40.0.49\"]\ndhcp = \"10.40.250.1-10.40.250.200\"\n\
         [[node]]\nname = \"quay\"\naddress = \"10.40.1.100\"\n",
    )
    .unwrap();
    let computer = Computer { adapters: vec![adapter("show", &["10.40.0.7/16"])], ..Computer::default() };
    assert_eq!(codes(&against_joining(&computer, &[wanted(address)], Some(&sheet), None)), expected);
}

#[test]
fn what_makes_room_is_no_hindrance() {
    let computer = Computer { adapters: laptop(), ..Computer::default() };
    let own = [wanted("10.40.0.7/16")];
    assert_eq!(codes(&against_joining(&computer, &own, None, Some(&computer.adapters[2]))), ["P014"]);
    assert_eq!(codes(&against_joining(&computer, &own, None, Some(&computer.adapters[1]))), [""; 0]);
}

#[rstest]
#[case("10.40.0.50")]
#[case("10.40.0.50/33")]
#[case("10.40.0/16")]
fn an_own_address_needs_its_prefix(#[case] text: &str) {
    assert!(text.parse::<WantedOwn>().unwrap_err().contains("10.40.0.50/16"));
}

#[test]
fn the_only_cable_with_link_is_meant() {
    let adapters = [adapter("lo", &[]), adapter("wlan0", &[]), adapter("bare", &[]), adapter("down0", &[])];
    assert_eq!(choose_cable(&adapters, None).unwrap().name, "bare");
    assert_eq!(choose_cable(&adapters, Some("wlan0")).unwrap().name, "wlan0");
    assert!(matches!(choose_cable(&adapters, Some("down0")), Err(ChooseError::Down(_))));
    assert!(matches!(choose_cable(&adapters, Some("x")), Err(ChooseError::Unknown { .. })));
    assert!(matches!(choose_cable(&laptop(), None), Err(ChooseError::Several { .. })));
}

#[test]
fn addresses_come_beside_or_instead() {
    let now = joined(&AdapterState::default(), &[wanted("10.40.0.7/16")], "show", false);
    let beside = joined(&now, &[wanted("192.168.0.7/24")], "show", false);
    assert_eq!(beside.addresses.len(), 2);
    let instead = joined(&now, &[wanted("192.168.0.7/24")], "show", true);
    assert_eq!((instead.addresses.len(), moves(&now, &instead).len()), (1, 2));
}

#[rstest]
#[case::two_halves(&["10.40.2.100", "10.41.3.4"], Some("10.40.0.0/15"))]
#[case::ranges(&["10.40.1.0/24", "10.40.2.5"], Some("10.40.0.0/22"))]
#[case::neighbours(&["192.168.1.9", "192.168.1.10"], Some("192.168.1.8/30"))]
#[case::not_its_own_ends(&["192.168.1.7", "192.168.1.8"], Some("192.168.1.0/28"))]
#[case::far_apart(&["10.40.2.100", "192.168.0.5"], None)]
#[case::over_public_ones(&["172.16.0.5", "172.32.0.5"], None)]
#[case::a_single_one(&["10.40.2.100"], None)]
fn one_mask_reaches_all_where_they_are_near(#[case] targets: &[&str], #[case] subnet: Option<&str>) {
    let targets: Vec<Target> = targets.iter().map(|text| Target::read(text).unwrap()).collect();
    assert_eq!(one_for_all(&targets).map(|subnet| subnet.to_string()).as_deref(), subnet);
}
