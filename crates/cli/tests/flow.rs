//! The flow of streams on the segment: what is said to come, to be missing and to be late is what was really sent.
#![cfg(target_os = "linux")]

use crate::support::{Said, on_scene};

/// Senders of streams at 200 packets a second, with what happens to them.
fn scene() -> String {
    let sender = |i: u8, group: &str, packets: &str| {
        format!(
            "[[device]]\nname = \"box-{i}\"\nmac = \"02:54:51:00:90:0{i}\"\naddress = \"10.40.9.{i}\"\n\
             streams = [{{ name = \"s{i}\", kind = \"audio\", group = \"{group}\", port = 5004, format = \"L24/48000/2\", \
             packets = {{ rate = 200{packets} }} }}]\n"
        )
    };
    [
        "network = \"10.40.0.0\"\n".to_owned(),
        sender(1, "239.69.1.1", ""),
        sender(2, "239.69.1.2", ", loses = 50, swaps = 40"),
        sender(3, "239.69.1.3", ", doubles = 20"),
        sender(4, "239.69.1.4", ""),
        sender(5, "239.69.1.4", ""),
    ]
    .concat()
}

fn sheet() -> String {
    let node = |i: u8| format!("[[node]]\nname = \"box-{i}\"\nkind = \"box\"\naddress = \"10.40.9.{i}\"\n");
    let stream = |name: &str, from: u8, group: &str| {
        format!(
            "[[stream]]\nname = \"{name}\"\ncarries = \"audio\"\nfrom = \"box-{from}\"\ngroup = \"{group}:5004\"\nsamples = 48000\n"
        )
    };
    let head = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
        [[kind]]\nname = \"box\"\nmaker = \"Tessaquill\"\nmodel = \"Box\"\nports = 0\n";
    let nodes: String = (1..=5).map(node).collect();
    let streams = [
        stream("whole", 1, "239.69.1.1"),
        stream("holes", 2, "239.69.1.2"),
        stream("twice", 1, "239.69.1.3"),
        stream("two", 4, "239.69.1.4"),
        stream("none", 5, "239.69.1.9"),
    ];
    format!("{head}{nodes}{}", streams.concat())
}

fn said(script: &str) -> Option<Said> {
    on_scene(&scene(), &format!("export COLUMNS=200; printf '%s' '{}' > t.rig.toml\n{script}", sheet()))
}

/// One in fifty is missing, one in forty late, one in twenty comes twice; two send to one group, one sends to none, and one is not the
/// one that was planned. The groups are left in the end.
#[test]
fn what_is_missing_late_and_doubled_is_told_as_it_was_sent() {
    let Some(said) = said(
        "deft-lantern flow --for 6s; echo all $?; deft-lantern flow whole --for 2s; echo one $?\n\
         deft-lantern flow 239.69.1.1:5004 --for 1s | grep 'not known'; deft-lantern flow --json holes --for 6s > holes.json; cat holes.json\n\
         deft-lantern flow --json whole 239.69.1.1:5004 --for 1s | grep -cF 'troubles\": []'; echo pair\n\
         setpriv --bounding-set -all --inh-caps -all deft-lantern flow --for 1s 2>&1 | grep -o 'cannot be told apart'\n\
         setpriv --bounding-set -all --inh-caps -all deft-lantern flow whole --for 2s; echo alone $?\n\
         ip maddr show | grep -c 239.69; deft-lantern flow nobody; echo nobody $?; deft-lantern flow 10.40.9.1:5004; echo no group $?",
    ) else {
        return;
    };
    said.line(&["whole", "239.69.1.1:5004", "10.40.9.1", "200", "comes whole"]);
    said.line(&["holes", "10.40.9.2", "missing, in"]);
    said.line(&["twice", "239.69.1.3:5004", "10.40.9.3", "from 10.40.9.3, planned 10.40.9.1"]);
    said.line(&["two", "239.69.1.4:5004", "2 senders at once"]);
    said.line(&["none", "239.69.1.9:5004", "nothing comes"]);
    said.line(&["all 1"]);
    said.line(&["1 of 1 stream come whole"]);
    said.line(&["one 0"]);
    said.line(&["not known"]);
    // Two that name one group both hear it; without rights, several groups of one port are not mixed up.
    assert!(said.out.contains("2\npair"), "{}", said.out);
    said.line(&["cannot be told apart"]);
    said.line(&["alone 0"]);
    said.line(&["nobody 2"]);
    said.line(&["no group 2"]);
    assert!(said.out.lines().any(|line| line == "0"), "a group was not left:\n{}", said.out);
    let number = |key: &str| {
        let line = said
            .out
            .lines()
            .find(|line| line.contains(&format!("\"{key}\":")))
            .unwrap_or_else(|| panic!("no {key}"));
        let digits: String =
            line.split(':').next_back().unwrap_or_default().chars().filter(char::is_ascii_digit).collect();
        digits.parse::<u64>().unwrap()
    };
    let (packets, lost, late) = (number("packets"), number("lost"), number("late"));
    // Each of fifty and each of forty, but for those at the ends of what was heard; one that would be both is late.
    let all = packets + lost;
    assert!(
        lost.abs_diff(all / 50 - all / 200) <= 2 && late.abs_diff(all / 40) <= 2,
        "{packets} {lost} {late}\n{}",
        said.out
    );
    assert_eq!(number("doubled"), 0);
}
