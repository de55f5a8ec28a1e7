use std::net::Ipv4Addr;

use rstest::rstest;

use super::*;
use crate::address::{Seat, Subnet};
use crate::facts::{Field, Known, Tells, Value};
use crate::sheet::RigSheet;

const SHEET: &str = "[rig]\nname = \"Tidewick\"\n\
    [[network]]\nname = \"sound\"\nrange = \"10.40.0.0/16\"\ngateway = \"10.40.0.1\"\ndhcp = \"10.40.250.1-10.40.250.9\"\n\
    locked = \"10.40.9.0/24\"\nlocked_devices = \"02:00:00:00:00:99\"\n\
    [[network]]\nname = \"picture\"\nrange = \"10.60.0.0/24\"\ngateway = \"none\"\n\
    [[node]]\nname = \"Hall Amp.1\"\naddress = \"10.40.3.1\"\nmac = \"02:00:00:00:00:01\"\n\
    [[node]]\nname = \"hall-amp-1\"\naddress = \"10.40.3.2\"\nmac = \"02:00:00:00:00:02\"\n\
    [[node]]\nname = \"camera\"\naddress = \"10.60.0.5\"\nmac = \"02:00:00:00:00:03\"\n\
    [[node]]\nname = \"new-amp\"\naddress = \"10.40.3.3\"\n\
    [[node]]\nname = \"lamp\"\naddress = \"10.40.9.7\"\nmac = \"02:00:00:00:00:04\"\n\
    [[node]]\nname = \"elsewhere\"\naddress = \"dhcp\"\nmac = \"02:00:00:00:00:05\"\n\
    [[source]]\nname = \"desk\"\naddress = \"10.40.0.10\"\nsends = [\"0:0:0\"]\n";

fn sheet() -> RigSheet {
    RigSheet::parse(SHEET).unwrap_or_else(|errors| panic!("{errors}"))
}

fn seats() -> Vec<Seat> {
    let subnet: Subnet = "10.40.0.0/16".parse().unwrap();
    vec![Seat { own: "10.40.0.7".parse().unwrap(), subnet, limited_broadcast: true }]
}

fn wishes(next: &[&str], pool: Option<&str>) -> LeaseWishes {
    let next = next.iter().map(ToString::to_string).collect();
    LeaseWishes { next, pool: pool.map(|pool| pool.parse().unwrap()), ..LeaseWishes::default() }
}

#[test]
fn what_the_sheet_plans_is_given_and_what_it_locks_is_not() {
    let plan = LeasePlan::by_sheet(&sheet(), &wishes(&["new-amp"], None)).unwrap();
    let names: Vec<&str> = plan.places.iter().map(|place| place.name.as_str()).collect();
    assert_eq!(names, ["Hall Amp.1", "hall-amp-1", "camera", "new-amp", "desk"]);
    assert_eq!(plan.locked.len(), 2, "the locked device, and the one that stands in a locked range");
    let awaited: Vec<&str> = plan.awaited(&seats()).map(|at| plan.places[at].name.as_str()).collect();
    assert_eq!(awaited, ["Hall Amp.1", "hall-amp-1", "new-amp"], "the camera is in another network");
    let terms = &plan.places[2].terms;
    assert_eq!((terms.gateway, terms.mask.prefix()), (None, 24));
    assert_eq!(LeasePlan::by_sheet(&sheet(), &wishes(&["nobody"], None)).unwrap_err(), "nobody");
}

#[rstest]
#[case::nothing(wishes(&["new-amp", "desk"], None), false, &["G004"])]
#[case::without_a_mac(wishes(&[], None), false, &["G004", "G005"])]
#[case::a_pool_of_planned_ones(wishes(&["new-amp", "desk"], Some("10.40.3.1-10.40.3.3")), false, &["G004", "G006"])]
#[case::a_pool_elsewhere(wishes(&["new-amp", "desk"], Some("172.16.0.1-172.16.0.9")), false, &["G004", "G006"])]
#[case::another_server_here(wishes(&["new-amp", "desk"], None), true, &["G010", "G004"])]
fn what_speaks_against_it_is_said(#[case] wishes: LeaseWishes, #[case] served: bool, #[case] codes: &[&str]) {
    let plan = LeasePlan::by_sheet(&sheet(), &wishes).unwrap();
    let found = judge(&plan, &wishes, &seats(), served);
    assert_eq!(found.iter().map(|finding| finding.rule.code).collect::<Vec<_>>(), codes, "{found:?}");
}

#[test]
fn this_computers_own_address_is_not_given_away() {
    let text = SHEET.replace("10.40.3.1\"", "10.40.0.7\"");
    let sheet = RigSheet::parse(&text).unwrap();
    let plan = LeasePlan::by_sheet(&sheet, &wishes(&[], None)).unwrap();
    let found = judge(&plan, &wishes(&[], None), &seats(), false);
    assert!(found.iter().any(|finding| finding.rule.code == "G003"), "{found:?}");
    assert!(plan.awaited(&seats()).all(|at| plan.places[at].name != "Hall Amp.1"));
}

#[test]
fn leases_are_read_again_and_torn_lines_count_for_nothing() {
    let line = |mac: &str, seconds: u32| LeaseLine {
        format: FORMAT,
        at: "2026-11-27T07:00:00Z".into(),
        mac: mac.parse().unwrap(),
        node: Some("a".into()),
        address: "10.40.3.1".parse().unwrap(),
        seconds,
        mask: "/16".parse().ok(),
        gateway: None,
    };
    let text = [line("02:00:00:00:00:01", 60), line("02:00:00:00:00:02", 60), line("02:00:00:00:00:01", 0)];
    let text: Vec<String> = text.iter().map(|line| serde_json::to_string(line).unwrap()).collect();
    let (given, torn) = read_leases(&format!("{}\n{{\"format\":1,\"at\"", text.join("\n"))).unwrap();
    assert_eq!((given.len(), torn), (2, 1));
    let of = |mac: &str| &given[&mac.parse().unwrap()];
    assert_eq!(of("02:00:00:00:00:01").seconds, 0, "the last line counts");
    assert_eq!(of("02:00:00:00:00:01").lease(), None, "it was given back");
    let lease = of("02:00:00:00:00:02").lease().unwrap();
    let tells = |field| lease.tells(field, &Value::Nothing);
    assert_eq!(tells(Field::Mask), Known::Told(Value::Address("255.255.0.0".parse().unwrap())));
    assert_eq!(tells(Field::Gateway), Known::Told(Value::Address(Ipv4Addr::UNSPECIFIED)), "none was given");
    assert_eq!(tells(Field::Address), Known::CannotTell, "where it is now it shows itself");
    let older = text[1].replace(",\"mask\":\"255.255.0.0\"", "");
    assert_ne!(older, text[1]);
    let (given, torn) = read_leases(&older).unwrap();
    assert_eq!(
        (given.values().next().unwrap().lease(), torn),
        (None, 0),
        "older lines do not say what went with it"
    );
    let later = text[0].replace("\"format\":1", "\"format\":2");
    assert_eq!(read_leases(&later).unwrap_err(), LeaseLineError::Later { line: 1, format: 2 });
}

#[test]
fn a_server_for_good_gives_the_same() {
    let file = to_dnsmasq(&sheet());
    let expected = "# Tidewick\n# Addresses only: no name server.\nport=0\ndhcp-authoritative\n\n\
        # sound: 10.40.0.0/16\ndhcp-range=set:net1,10.40.0.0,static,255.255.0.0,2592000\n\
        dhcp-range=set:net1,10.40.250.1,10.40.250.9,255.255.0.0,43200\n\
        dhcp-option=tag:net1,option:router,10.40.0.1\n\
        dhcp-host=02:00:00:00:00:01,10.40.3.1,hall-amp-1,2592000\n\
        dhcp-host=02:00:00:00:00:02,10.40.3.2,2592000\n\n\
        # picture: 10.60.0.0/24\ndhcp-range=set:net2,10.60.0.0,static,255.255.255.0,2592000\n\
        dhcp-option=tag:net2,option:router\n\
        dhcp-host=02:00:00:00:00:03,10.60.0.5,camera,2592000\n\
        # new-amp is left out: the sheet does not say its MAC address\n\
        # desk is left out: the sheet does not say its MAC address\n";
    assert_eq!(file.text, expected);
    assert_eq!(file.left_out, ["new-amp", "desk"]);
    let kea: serde_json::Value = serde_json::from_str(&to_kea(&sheet()).text).unwrap();
    let subnets = &kea["Dhcp4"]["subnet4"];
    assert_eq!(subnets[0]["reservations"][1]["ip-address"], "10.40.3.2");
    assert!(subnets[0]["reservations"][1]["hostname"].is_null(), "a name that another has");
    assert_eq!(subnets[0]["pools"][0]["pool"], "10.40.250.1 - 10.40.250.9");
    assert_eq!(subnets[1]["option-data"], serde_json::json!([]), "a closed network has no way out");
}

/// The desk on the sheet may be this very computer, and only nodes have a place for a MAC address.
#[test]
fn what_is_not_awaited_speaks_against_nothing() {
    let sheet = RigSheet::parse(&SHEET.replace("10.40.0.10", "10.40.0.7")).unwrap();
    let plan = LeasePlan::by_sheet(&sheet, &wishes(&[], None)).unwrap();
    let found = judge(&plan, &wishes(&[], None), &seats(), false);
    assert!(found.iter().all(|finding| finding.rule.code != "G003"), "{found:?}");
    let unknown = found.iter().find(|finding| finding.rule.code == "G005").unwrap();
    assert_eq!(unknown.what, "1 without a MAC address on the sheet: new-amp");
    // Whoever is to get it in turn is another matter.
    let wishes = wishes(&["desk"], None);
    let plan = LeasePlan::by_sheet(&sheet, &wishes).unwrap();
    assert!(judge(&plan, &wishes, &seats(), false).iter().any(|finding| finding.rule.code == "G003"));
}
