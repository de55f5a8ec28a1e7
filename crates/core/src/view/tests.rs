//! What is read out of a small sheet.

use super::*;
use crate::sheet::RigSheet;

const SHEET: &str = r#"[rig]
name = "t"
[[network]]
name = "lights"
range = "10.40.0.0/23"
gateway = "10.40.0.1"
keep_free = "10.40.0.2-10.40.0.49"
dhcp = "10.40.1.200-10.40.1.254"
[[area]]
name = "Quay"
range = "10.40.0.64/26"
universes = "0-15"
[[node]]
name = "a"
area = "Quay"
address = "10.40.0.64"
[[node.port]]
port = 1
out = 0
[[node.port]]
port = 2
in = 7
[[node]]
name = "b"
area = "Quay"
address = "10.40.0.65"
[[node.port]]
port = 1
out = 0
splits = 2
[[source]]
name = "desk"
address = "10.40.0.10"
sends = "0-1"
[[fixture]]
name = "f"
on = 0
slot = 10
footprint = 10
count = 2
[[fixture]]
name = "g"
on = 0
slot = 25
footprint = 10
"#;

#[test]
fn runs_cover_the_network_without_a_gap() {
    let sheet = RigSheet::parse(SHEET).unwrap();
    let runs = address_runs(&sheet, 0);
    let shown: Vec<String> = runs
        .iter()
        .map(|run| format!("{} {} {} {}", run.first, run.count(), run.state, run.who.join("+")))
        .collect();
    assert_eq!(
        shown,
        [
            "10.40.0.0 1 not usable ",
            "10.40.0.1 1 gateway ",
            "10.40.0.2 8 kept free ",
            "10.40.0.10 1 source desk",
            "10.40.0.11 39 kept free ",
            "10.40.0.50 14 free ",
            "10.40.0.64 2 node a+b",
            "10.40.0.66 62 free ",
            "10.40.0.128 328 free ",
            "10.40.1.200 55 DHCP pool ",
            "10.40.1.255 1 not usable ",
        ]
    );
    assert_eq!(runs.iter().map(Run::count).sum::<u64>(), 512);
}

#[test]
fn universes_tell_who_sends_who_listens_and_what_is_free() {
    let uses = universe_uses(&RigSheet::parse(SHEET).unwrap());
    let first = &uses[0];
    assert_eq!((first.senders.join(","), first.listeners.join(",")), ("desk".into(), "a 1,b 1".into()));
    // Slots 10 to 29 and 25 to 34: five of them are shared.
    assert_eq!((first.desk, first.fixtures, first.used, first.free_from), (Some(1), 3, 25, Some(35)));
    assert_eq!(first.area.as_deref(), Some("Quay"));
    assert_eq!(uses.iter().map(|one| one.universe.to_string()).collect::<Vec<_>>(), ["0:0:0", "0:0:1", "0:0:7"]);
    assert_eq!((uses[2].senders.as_slice(), uses[1].free_from), (&["a 2".to_owned()][..], Some(1)));
}
