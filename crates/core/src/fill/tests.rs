//! What is chosen, and why; and what cannot be.

use rstest::rstest;

use super::*;

const HEAD: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"lights\"\nrange = \"10.40.0.0/16\"\nkeep_free = \"10.40.0.1-10.40.0.49\"\n\
    [[area]]\nname = \"Quay\"\nrange = \"10.40.1.0/24\"\nnodes_from = 100\nuniverses = \"0-47\"\n\
    [[area]]\nname = \"Hall\"\nrange = \"10.40.2.0/24\"\nnodes_from = 20\nuniverses = \"48-63\"\n\
    [[area.class]]\nkind = \"marrowbright-eight\"\nfrom = 200\n";

fn node(name: &str, rest: &str) -> String {
    format!("[[node]]\nname = \"{name}\"\naddress = \"fill\"\n{rest}\n")
}

fn ports(all: &[&str]) -> String {
    let port = |(i, port): (usize, &&str)| format!("[[node.port]]\nport = {}\n{port}\n", i + 1);
    all.iter().enumerate().map(port).collect()
}

fn sheet(tables: &str) -> RigSheet {
    RigSheet::parse(&format!("{HEAD}{tables}")).unwrap_or_else(|errors| panic!("{:?}", errors.errors))
}

/// The values chosen, in the order of the sheet.
fn values(tables: &str) -> Vec<String> {
    let filled = fill(&sheet(tables)).unwrap_or_else(|findings| panic!("{findings:?}"));
    filled.choices.into_iter().map(|choice| choice.value).collect()
}

fn pinned(name: &str, rest: &str, address: &str) -> String {
    node(name, rest).replace("fill", address)
}

const QUAY: &str = "area = \"Quay\"";
const FOUR: &str = "area = \"Quay\"\nkind = \"marrowbright-four\"";
const EIGHT: &str = "area = \"Quay\"\nkind = \"marrowbright-eight\"";

#[rstest]
#[case::in_sequence(node("a", QUAY) + &node("b", QUAY), &["10.40.1.100", "10.40.1.101"])]
#[case::each_kind_at_a_round_number(node("a", FOUR) + &node("b", EIGHT) + &node("c", FOUR), &["10.40.1.100", "10.40.1.110", "10.40.1.101"])]
#[case::behind_the_last_of_its_kind(pinned("a", FOUR, "10.40.1.107") + &node("b", FOUR), &["10.40.1.108"])]
#[case::gaps_are_kept(pinned("a", FOUR, "10.40.1.100") + &pinned("b", FOUR, "10.40.1.110") + &node("c", FOUR), &["10.40.1.111"])]
#[case::gaps_are_used_at_last(pinned("a", FOUR, "10.40.1.255") + &node("b", FOUR), &["10.40.1.100"])]
#[case::round_beside_others(pinned("a", FOUR, "10.40.1.105") + &node("b", EIGHT), &["10.40.1.110"])]
#[case::where_its_class_begins(node("a", "area = \"Hall\"\nkind = \"marrowbright-eight\""), &["10.40.2.200"])]
#[case::without_an_area(node("a", ""), &["10.40.0.50"])]
#[case::around_a_desk("[[source]]\nname = \"desk\"\naddress = \"10.40.1.100\"\n".to_owned() + &node("a", QUAY), &["10.40.1.101"])]
fn addresses(#[case] tables: String, #[case] expected: &[&str]) {
    assert_eq!(values(&tables), expected);
}

fn with_ports(name: &str, rest: &str, all: &[&str]) -> String {
    pinned(name, rest, &format!("10.40.1.{}", name.as_bytes()[0])) + &ports(all)
}

const FILL: &str = "out = \"fill\"";

#[rstest]
#[case::in_sequence(with_ports("a", QUAY, &[FILL, FILL]) + &with_ports("b", QUAY, &[FILL]), &["0:0:0", "0:0:1", "0:0:2"])]
#[case::a_page_shares_its_sub_net(with_ports("a", QUAY, &["out = 14"]) + &with_ports("b", QUAY, &[FILL, FILL]), &["0:1:0", "0:1:1"])]
#[case::one_port_takes_what_is_left(with_ports("a", QUAY, &["out = 14"]) + &with_ports("b", QUAY, &[FILL]), &["0:0:15"])]
#[case::beside_written_ports(with_ports("a", QUAY, &["out = 20", FILL]), &["0:1:0"])]
#[case::a_new_split(with_ports("a", QUAY, &["out = \"fill\"\nsplits = 2", FILL]) + &with_ports("b", QUAY, &["out = \"fill\"\nsplits = 2", FILL]), &["0:0:0", "0:0:1", "0:0:0", "0:0:2"])]
#[case::a_split_is_completed(with_ports("a", QUAY, &["out = 5\nsplits = 2"]) + &with_ports("b", QUAY, &["out = \"fill\"\nsplits = 2", FILL]), &["0:0:5", "0:0:0"])]
#[case::sacn_has_no_zero(with_ports("a", "", &["out = \"sacn fill\""]), &["sacn 64"])]
#[case::sacn_for_a_whole_node(with_ports("a", "area = \"Quay\"\nprotocol = \"sacn\"", &[FILL, FILL]), &["sacn 1", "sacn 2"])]
#[case::not_the_number_of_the_other_protocol(with_ports("a", QUAY, &["out = \"sacn 1\""]) + &with_ports("b", QUAY, &[FILL]), &["0:0:2"])]
#[case::an_input_too(with_ports("a", QUAY, &["in = \"fill\"", FILL]), &["0:0:0", "0:0:1"])]
#[case::what_is_sent_first("[[source]]\nname = \"desk\"\nsends = \"8-9\"\n".to_owned() + &with_ports("a", QUAY, &[FILL, FILL]), &["0:0:8", "0:0:9"])]
#[case::a_clone(with_ports("a", QUAY, &[FILL]) + &with_ports("b", "area = \"Quay\"\nclone_of = \"a\"", &[FILL]), &["0:0:0", "0:0:0"])]
fn universes(#[case] tables: String, #[case] expected: &[&str]) {
    assert_eq!(values(&tables), expected);
}

fn fixture(name: &str, slot: &str, footprint: u32) -> String {
    format!("[[fixture]]\nname = \"{name}\"\non = 0\nslot = {slot}\nfootprint = {footprint}\n")
}

#[rstest]
#[case::in_sequence(fixture("a", "\"fill\"", 10) + &fixture("b", "\"fill\"", 10), &["1", "11"])]
#[case::behind_the_last(fixture("a", "100", 10) + &fixture("b", "\"fill\"", 10), &["110"])]
#[case::in_a_gap_at_last(fixture("a", "500", 13) + &fixture("b", "\"fill\"", 10), &["1"])]
#[case::in_a_gap_that_is_large_enough(fixture("a", "9", 492) + &fixture("b", "505", 8) + &fixture("c", "\"fill\"", 4), &["1"])]
fn slots(#[case] tables: String, #[case] expected: &[&str]) {
    assert_eq!(values(&tables), expected);
}

fn stream(name: &str, group: &str) -> String {
    format!("[[stream]]\nname = \"{name}\"\ncarries = \"audio\"\nfrom = \"box\"\ngroup = \"{group}\"\n")
}

#[rstest]
#[case::the_usual_ones("", stream("a", "fill") + &stream("b", "fill"), &["239.192.0.1:5004", "239.192.0.2:5004"])]
#[case::two_ways("", stream("a", "fill") + "second_group = \"fill\"\n" + &stream("b", "239.192.0.1"), &["239.192.0.2:5004", "239.192.0.3:5004"])]
#[case::of_the_network("groups = \"239.69.0.0/24\"", stream("a", "fill"), &["239.69.0.0:5004"])]
#[case::not_a_mac_in_use("groups = \"239.69.0.0/24\"", stream("a", "239.197.0.0") + &stream("b", "fill"), &["239.69.0.1:5004"])]
#[case::never_of_sacn("groups = \"239.254.255.255-239.255.255.255\"", stream("a", "fill"), &["239.254.255.255:5004"])]
fn groups(#[case] network: &str, #[case] streams: String, #[case] expected: &[&str]) {
    let head = HEAD.replacen("keep_free", &format!("{network}\nkeep_free"), 1);
    let text = format!("{head}{}{streams}", pinned("box", "", "10.40.0.60"));
    let filled = fill(&RigSheet::parse(&text).unwrap()).unwrap();
    assert_eq!(filled.choices.into_iter().map(|choice| choice.value).collect::<Vec<_>>(), expected);
}

/// Code and lines of what cannot be.
fn contradiction(tables: &str) -> (String, Vec<String>) {
    let sheet = sheet(tables);
    let findings = fill(&sheet).unwrap_err();
    assert_eq!(findings.len(), 1, "{findings:?}");
    let lines = findings[0]
        .places
        .iter()
        .map(|place| sheet.text().lines().nth(place.position.line - 1).unwrap().to_owned());
    (findings[0].rule.code.to_owned(), lines.collect())
}

#[test]
fn too_many_nodes_name_the_demands_that_leave_too_few_addresses() {
    let three: String = ["a", "b", "c"].iter().map(|name| node(name, "area = \"Store\"")).collect();
    let area = "[[area]]\nname = \"Store\"\nrange = \"10.40.3.0-10.40.3.7\"\nnodes_from = 5\n";
    let other = pinned("other", "area = \"Store\"", "10.40.3.6");
    let (code, lines) = contradiction(&format!("{area}{other}{three}"));
    // What is kept free elsewhere is no part of it.
    assert_eq!(code, "B001");
    assert_eq!(
        lines,
        ["address = \"fill\"", "range = \"10.40.3.0-10.40.3.7\"", "nodes_from = 5", "address = \"10.40.3.6\""]
    );
}

#[test]
fn a_contradiction_leaves_out_what_alone_would_do_no_harm() {
    let area = "[[area]]\nname = \"Store\"\nrange = \"10.40.3.0-10.40.3.1\"\nnodes_from = 0\n";
    let other = pinned("other", "area = \"Store\"", "10.40.3.0");
    let nodes: String = ["a", "b", "c"].iter().map(|name| node(name, "area = \"Store\"")).collect();
    let (_, lines) = contradiction(&format!("{area}{other}{nodes}"));
    assert_eq!(lines, ["address = \"fill\"", "range = \"10.40.3.0-10.40.3.1\""]);
}

#[test]
fn nodes_move_on_for_one_that_has_no_other_choice() {
    let kind = "[[kind]]\nname = \"picky\"\nmaker = \"H\"\nmodel = \"P\"\nports = 0\npermitted = \"10.40.3.0\"\n";
    let area = "[[area]]\nname = \"Store\"\nrange = \"10.40.3.0-10.40.3.1\"\n";
    let easy = node("easy", "area = \"Store\"");
    let picky = node("picky", "area = \"Store\"\nkind = \"picky\"");
    assert_eq!(values(&format!("{kind}{area}{easy}{picky}")), ["10.40.3.1", "10.40.3.0"]);
    let (code, lines) =
        contradiction(&format!("{kind}{area}{easy}{picky}{}", node("more", "area = \"Store\"\nkind = \"picky\"")));
    assert_eq!((code.as_str(), lines.last().map(String::as_str)), ("B001", Some("kind = \"picky\"")));
}

#[rstest]
#[case::no_network("[[network]]\nname = \"second\"\nrange = \"10.60.0.0/16\"\n".to_owned(), node("a", ""), "B002")]
#[case::too_few_universes(String::new(), (0..5).map(|i| with_ports(["a", "b", "c", "d", "e"][i], "area = \"Hall\"", &[FILL; 4])).collect(), "B003")]
#[case::a_split_left_over(String::new(), with_ports("a", QUAY, &["out = \"fill\"\nsplits = 2"]), "B004")]
#[case::a_split_over_two_sub_nets(String::new(), with_ports("a", QUAY, &["out = 5\nsplits = 2"]) + &with_ports("b", QUAY, &["out = \"fill\"\nsplits = 2", "out = 20"]), "B004")]
#[case::too_few_slots(String::new(), fixture("a", "1", 500) + &fixture("b", "\"fill\"", 13), "B005")]
fn what_cannot_be_has_a_code(#[case] before: String, #[case] tables: String, #[case] code: &str) {
    let head = HEAD.replace("[[area]]\n", "[[area]]\nnetwork = \"lights\"\n");
    let findings = fill(&RigSheet::parse(&format!("{head}{before}{tables}")).unwrap()).unwrap_err();
    assert_eq!(findings.iter().map(|f| f.rule.code).collect::<Vec<_>>(), [code], "{findings:?}");
    assert!(findings[0].line() > 0);
}
