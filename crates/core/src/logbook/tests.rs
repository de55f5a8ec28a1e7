//! A logbook written and read again.

use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use rstest::rstest;

use super::*;
use crate::census::{NodeName, Way};
use crate::change::{Part, Silent};
use crate::compare::{Addressing, Wanted};
use crate::facts::{Difference, Facts, Field, Known, PortField, Value};
use crate::sheet::RigSheet;

fn node(last: u8, address: &str) -> NodeName {
    NodeName {
        family: Way::ArtNet,
        mac: Some(MacAddress([2, 0x4d, 0x42, 0, 0x10, last])),
        identity: None,
        name: format!("node-{last}"),
        address: address.parse().unwrap(),
    }
}

fn address(text: &str) -> Value {
    Value::Address(text.parse().unwrap())
}

fn moved(from: &str, to: &str) -> Difference {
    Difference { field: Field::Address, planned: address(to), found: Known::Told(address(from)) }
}

fn line(run: &str, record: Record) -> String {
    let line = Line { format: FORMAT, at: "2026-11-04T18:00:00Z".to_owned(), run: run.to_owned(), record };
    serde_json::to_string(&line).unwrap() + "\n"
}

fn begun(order: Order, undoes: Option<&str>) -> Record {
    let undoes = undoes.map(ToOwned::to_owned);
    Record::Begun(Begun {
        order,
        sheet: None,
        part: Part::default(),
        undoes,
        keep: 0,
        resumed: false,
        guided: false,
        fixtures: false,
    })
}

fn step(change: usize, node: &NodeName, stage: Stage, fields: &[Difference]) -> Record {
    let (node, fields) = (node.clone(), fields.to_vec());
    Record::Step(StepTaken { change, node, step: 1, stage, fields, along: Vec::new() })
}

fn ended(how: Ending) -> Record {
    Record::Ended { how }
}

fn runs(lines: &[String]) -> Vec<Run> {
    let (runs, torn) = read(&lines.concat()).unwrap();
    assert_eq!(torn, 0);
    runs
}

#[test]
fn every_record_is_read_as_it_was_written() {
    let one = node(1, "10.40.1.1");
    let mut before = Facts::able(&[Field::Name, Field::Port(2, PortField::Rdm), Field::Gateway]);
    before.learn(Field::Port(2, PortField::Rdm), Value::Flag(true));
    before.learn(Field::Name, Value::Text("node-1".into()));
    let fields = vec![moved("10.40.1.1", "10.40.1.2")];
    let planned_as = Some("quay".to_owned());
    let planned = Planned { change: 1, node: one.clone(), planned_as, fields: fields.clone(), before };
    let along = Along { field: Field::Mask, before: address("255.255.0.0"), after: Some(address("255.0.0.0")) };
    let step = StepTaken { change: 1, node: one, step: 2, stage: Stage::MovedAlong, fields, along: vec![along] };
    for record in [
        begun(Order::Undo, Some("earlier")),
        Record::Planned(planned),
        Record::Step(step),
        ended(Ending::BrokenOff),
    ] {
        let text = serde_json::to_string(&record).unwrap();
        assert_eq!(serde_json::from_str::<Record>(&text).unwrap(), record, "{text}");
    }
}

/// The first version had lines of steps only, without family and number of the change.
const FIRST: &str = "{\"format\":1,\"at\":\"2026-05-03T18:00:00Z\",\"run\":\"r\",\"node\":{\"mac\":\"02:4d:42:00:10:01\",\
     \"name\":\"node-1\",\"address\":\"10.40.1.1\"},\"step\":1,\"stage\":\"sending\",\"fields\":[{\"field\":\"address\",\
     \"planned\":\"10.40.1.2\",\"found\":\"10.40.1.1\",\"known\":\"told\"}]}\n";

#[test]
fn the_first_version_is_read_still() {
    let runs = runs(&[FIRST.to_owned()]);
    assert_eq!(runs[0].sent[0].step.fields, [moved("10.40.1.1", "10.40.1.2")]);
    assert_eq!(Run::to_undo(&runs).unwrap().id, "r");
    assert_eq!(Run::to_resume(&runs), None);
}

#[rstest]
#[case::torn_at_the_end("{\"format\":2,\"at\":\"2026", 1)]
#[case::torn_and_gone_on("{\"format\":2,\"at\":\"2026\n", 1)]
#[case::something_else("[1, 2]\n\"x\"\nnull\n", 3)]
#[case::a_field_nobody_knows("{\"format\":2,\"at\":\"x\",\"run\":\"r\",\"record\":\"dance\"}\n", 1)]
#[case::empty_lines("\n  \n", 0)]
fn what_cannot_be_read_is_counted_and_loses_nothing_else(#[case] broken: &str, #[case] expected: usize) {
    let (runs, torn) = read(&format!("{FIRST}{broken}")).unwrap();
    assert_eq!((runs.len(), torn), (1, expected));
    let whole = if broken.ends_with('\n') { format!("{broken}{FIRST}") } else { format!("{broken}\n{FIRST}") };
    assert_eq!(read(&whole).unwrap().0.len(), 1);
}

#[test]
fn what_a_later_version_wrote_is_not_gone_by() {
    let later = format!("{FIRST}{{\"format\":3,\"at\":\"x\",\"run\":\"r\",\"record\":\"dance\"}}\n");
    assert_eq!(read(&later), Err(LogbookError::Later { line: 2, format: 3 }));
}

/// Which run is gone on with, and which is taken back, by the last lines of each.
#[rstest]
#[case::done(&[("a", Order::Apply, None, Some(Ending::Done))], None, Some("a"))]
#[case::killed(&[("a", Order::Apply, None, None)], Some("a"), Some("a"))]
#[case::interrupted(&[("a", Order::Apply, None, Some(Ending::BrokenOff))], Some("a"), Some("a"))]
#[case::set_is_not_resumed(&[("a", Order::Set, None, None)], None, Some("a"))]
#[case::taken_back(&[("a", Order::Apply, None, None), ("b", Order::Undo, Some("a"), Some(Ending::Done))], None, None)]
#[case::taken_back_half(&[("a", Order::Apply, None, None), ("b", Order::Undo, Some("a"), None)], None, Some("a"))]
#[case::the_last_but_one(
    &[("a", Order::Set, None, Some(Ending::Done)), ("b", Order::Apply, None, Some(Ending::Done)),
      ("c", Order::Undo, Some("b"), Some(Ending::Done))], None, Some("a"))]
#[case::an_undo_by_name(
    &[("a", Order::Set, None, Some(Ending::Done)), ("b", Order::Undo, Some("a"), Some(Ending::Done)),
      ("c", Order::Apply, None, Some(Ending::Unfinished))], Some("c"), Some("c"))]
fn which_run_is_meant(
    #[case] told: &[(&str, Order, Option<&str>, Option<Ending>)],
    #[case] resumed: Option<&str>,
    #[case] undone: Option<&str>,
) {
    let one = node(1, "10.40.1.1");
    let mut lines = Vec::new();
    for (run, order, undoes, end) in told {
        lines.push(line(run, begun(*order, *undoes)));
        lines.push(line(run, step(1, &one, Stage::Sending, &[moved("10.40.1.1", "10.40.1.2")])));
        lines.extend(end.map(|end| line(run, ended(end))));
    }
    let runs = runs(&lines);
    assert_eq!(Run::to_resume(&runs).map(|run| run.id.as_str()), resumed);
    assert_eq!(Run::to_undo(&runs).map(|run| run.id.as_str()), undone);
}

/// A node is parked, the tool is killed, and the run gone on with: what was before the first step is what it goes back to.
#[test]
fn a_run_is_taken_back_to_before_its_first_step() {
    let (one, two) = (node(1, "10.40.1.1"), node(2, "10.40.1.2"));
    let parked = NodeName { address: "10.40.255.254".parse().unwrap(), ..one.clone() };
    let away = Field::Addressing;
    let leased = Difference { field: away, planned: Value::Flag(false), found: Known::Told(Value::Flag(true)) };
    let untold = Difference { field: Field::Mask, planned: address("255.255.0.0"), found: Known::Untold };
    let lines = [
        line("a", begun(Order::Apply, None)),
        line("a", step(1, &one, Stage::Sending, &[moved("10.40.1.1", "10.40.255.254")])),
        line("a", step(1, &one, Stage::Confirmed, &[moved("10.40.1.1", "10.40.255.254")])),
        line("a", step(2, &two, Stage::Sending, &[moved("10.40.1.2", "10.40.1.1"), leased, untold])),
        line("a", begun(Order::Apply, None)),
        line("a", step(1, &parked, Stage::Sending, &[moved("10.40.255.254", "10.40.1.2")])),
        line("a", step(2, &two, Stage::Confirmed, &[])),
        line("a", ended(Ending::Done)),
    ];
    let run = runs(&lines).remove(0);
    assert_eq!((run.sent.len(), run.nodes().len(), run.ended), (3, 2, Some(Ending::Done)));
    let back = run.back(&Part::default(), 0);
    let to =
        |text: &str| Wanted { addressing: Some(Addressing::Fixed(text.parse().unwrap())), ..Wanted::default() };
    assert_eq!(back[0].wanted, to("10.40.1.1"));
    let places: Vec<Ipv4Addr> = ["10.40.1.1", "10.40.255.254", "10.40.1.2"].map(|a| a.parse().unwrap()).to_vec();
    assert_eq!(back[0].places, places);
    let leased = Wanted { addressing: Some(Addressing::Dhcp), ..Wanted::default() };
    assert_eq!((&back[1].wanted, &back[1].lost[..]), (&leased, &[Field::Mask][..]));
    // Down to the second step; only one node; only what concerns names.
    let down = run.back(&Part::default(), 2);
    assert_eq!((down.len(), &down[0].wanted), (1, &to("10.40.255.254")));
    let of = |nodes: &str| Part { nodes: vec![nodes.parse().unwrap()], ..Part::default() };
    assert_eq!(run.back(&of("*-2"), 0).len(), 1);
    let names = Part { only: vec![crate::change::Aspect::Names], ..Part::default() };
    assert_eq!(run.back(&names, 0), []);
}

/// Who took an order to go and answers where it was, keeps the place where it goes; nobody else of those who answer keeps one.
#[rstest]
#[case::is_on_its_way(Stage::Acknowledged, true, &["10.40.1.2"], Silent::ON_ITS_WAY)]
#[case::went(Stage::Confirmed, true, &[], "")]
#[case::did_not_listen(Stage::Refused, true, &[], "")]
#[case::took_the_order_and_is_away(Stage::Acknowledged, false, &["10.40.1.1", "10.40.1.2"], Silent::NO_ANSWER)]
#[case::went_and_is_away(Stage::Confirmed, false, &["10.40.1.2"], Silent::NO_ANSWER)]
fn whoever_may_be_somewhere_holds_it(
    #[case] stage: Stage,
    #[case] answers: bool,
    #[case] places: &[&str],
    #[case] why: &str,
) {
    let one = node(1, "10.40.1.1");
    let fields = [moved("10.40.1.1", "10.40.1.2")];
    let steps = [Stage::Sending, stage].map(|stage| line("one", step(1, &one, stage, &fields)));
    let runs = runs(&[vec![line("one", begun(Order::Apply, None))], steps.to_vec()].concat());
    let sheet =
        "[rig]\nname = \"t\"\n[[node]]\nname = \"node-1\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.2\"\n";
    let sheet = RigSheet::parse(sheet).unwrap();
    let seen = one.mac.into_iter().filter(|_| answers).collect();
    let held: Vec<(Vec<String>, &str)> = silent_of(&runs, &sheet, &seen)
        .into_iter()
        .map(|one| (one.places.iter().map(ToString::to_string).collect(), one.why))
        .collect();
    let expected = (places.iter().map(|place| (*place).to_owned()).collect(), why);
    assert_eq!(held, if places.is_empty() { vec![] } else { vec![expected] });
    assert_eq!(
        silent_of(&runs, &RigSheet::parse("[rig]\nname = \"t\"\n").unwrap(), &seen),
        [],
        "on no sheet, nobody's"
    );
}
