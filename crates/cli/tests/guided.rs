//! A guided `apply`, driven through a pseudo-terminal: a person plugs units in and out, answers, skips, and comes back later. What
//! is said is held against what the units really are.
#![cfg(unix)]

use std::time::Duration;

use crate::support::Rig;
use crate::support::terminal::AtTerminal;
use lantern_sim::Scene;

/// Four units out of one box, all at the address they got in the factory, and a sheet that has a place for each.
fn rig(with_macs: bool, of_first: &str) -> Rig {
    let mut scene = "network = \"10.40.0.0\"\n".to_owned();
    let mut sheet =
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\ngateway = \"none\"\n"
            .to_owned();
    for n in 1..=4 {
        let model = if n == 1 && !of_first.is_empty() { "marrowbright-two" } else { "marrowbright-four" };
        scene += &format!(
            "[[node]]\nname = \"unit-{n}\"\nmodel = \"{model}\"\nmac = \"02:4d:42:00:10:0{n}\"\naddress = \"10.40.240.1\"\n\
             pages = [{{ out = [0, 1] }}]\n"
        );
        let mac = if with_macs { format!("mac = \"02:4d:42:00:10:0{n}\"\n") } else { String::new() };
        let extra = if n == 1 { of_first } else { "" };
        sheet += &format!("[[node]]\nname = \"mast-{n}\"\n{mac}address = \"10.40.1.{n}\"\n{extra}");
    }
    let rig = Rig::with(&Scene::parse(&scene).unwrap());
    rig.write_sheet("t.rig.toml", &sheet);
    rig
}

fn plug(rig: &Rig, units: &[(u8, bool)]) {
    units.iter().for_each(|(n, on)| rig.ground.switch(&format!("unit-{n}"), *on));
    std::thread::sleep(Duration::from_millis(1200));
}

/// Where each unit really is, by its number.
fn places(rig: &Rig) -> Vec<(u8, u8, String)> {
    rig.ground
        .truth()
        .iter()
        .map(|node| (node.ip.0.octets()[2], node.ip.0.octets()[3], node.name.clone()))
        .collect()
}

fn named(n: u8) -> (u8, u8, String) {
    (1, n, format!("mast-{n}"))
}

/// Known by the addresses on their labels: one after the other finds its place. The third is skipped, and taken up later.
#[test]
fn four_units_with_one_address_find_their_places_one_after_the_other() {
    let rig = rig(true, "");
    let mut person = AtTerminal::start(&rig, &["apply", "t.rig.toml", "--guided"]);
    person.sees("4 units have");
    person.sees("Unplug all of them but one.");
    plug(&rig, &[(2, false), (3, false), (4, false)]);
    person.types("");
    person.sees("done  mast-1");
    person.sees("3 nodes to come: mast-2, mast-3, mast-4");
    plug(&rig, &[(2, true)]);
    person.types("");
    person.sees("done  mast-2");
    person.sees("2 nodes to come");
    person.types("nonsense");
    person.sees("that is none of the answers");
    person.types("s");
    person.sees("mast-4 to come");
    plug(&rig, &[(4, true)]);
    person.types("");
    person.sees("done  mast-4");
    person.sees("skipped: mast-3");
    person.sees("deft-lantern apply t.rig.toml --resume");
    person.ends(3);
    assert_eq!(places(&rig), [named(1), named(2), (240, 1, "unit-3".to_owned()), named(4)]);

    let mut person = AtTerminal::start(&rig, &["apply", "t.rig.toml", "--resume"]);
    person.sees("mast-3 to come");
    plug(&rig, &[(3, true)]);
    person.types("");
    person.sees("done  mast-3");
    person.sees("every node of the sheet is as it says");
    person.ends(0);
    assert_eq!(places(&rig), [named(1), named(2), named(3), named(4)]);
    rig.run(&["check", "t.rig.toml"]).ended(0);
}

/// The sheet has no MAC addresses: the person says which one it is, by order, by number, after it has flashed. Broken off half
/// way, who was told apart is known when it is gone on.
#[test]
fn whom_no_label_tells_the_person_does() {
    let rig = rig(false, "");
    plug(&rig, &[(1, false), (3, false), (4, false)]);
    let mut person = AtTerminal::start(&rig, &["apply", "t.rig.toml", "--guided"]);
    person.sees("Its label says 02:4d:42:00:10:02. Which one is it?");
    person.types("f");
    person.sees("flashes");
    person.sees("as before");
    person.types("2");
    person.sees("done  mast-2");
    person.sees("3 nodes to come: mast-1, mast-3, mast-4");
    plug(&rig, &[(1, true)]);
    person.types("");
    person.sees("Its label says 02:4d:42:00:10:01");
    person.types("");
    person.sees("done  mast-1");
    person.sees("2 nodes to come");
    person.types("q");
    person.ends(3);
    assert_eq!(places(&rig)[..2], [named(1), named(2)]);

    plug(&rig, &[(3, true)]);
    let mut person = AtTerminal::start(&rig, &["apply", "t.rig.toml", "--resume"]);
    person.sees("Its label says 02:4d:42:00:10:03");
    person.sees("1  mast-3");
    person.types("1");
    person.sees("done  mast-3");
    person.sees("mast-4 to come");
    plug(&rig, &[(4, true)]);
    person.types("");
    person.sees("Its label says 02:4d:42:00:10:04");
    person.types("");
    person.sees("every node of the sheet is as it says");
    person.ends(0);
    assert_eq!(places(&rig), [named(1), named(2), named(3), named(4)]);
}

/// What no message sets is typed at the unit: shown with the values and its page, looked at afterwards, and skipped where that is
/// said.
#[test]
fn what_only_a_person_can_set_is_shown_and_looked_at_afterwards() {
    let rig = rig(true, "on_data_loss = \"dark\"\n");
    plug(&rig, &[(2, false), (3, false), (4, false)]);
    let mut person = AtTerminal::start(&rig, &["apply", "t.rig.toml", "--guided", "--node", "mast-1"]);
    person.sees("done  mast-1");
    person.sees("by hand  mast-1");
    person.sees(&format!("at the unit itself or at http://{}/", rig.address(1, 1)));
    person.sees("on data loss  hold    dark");
    person.types("");
    // Nobody set it: it is asked for again.
    person.sees("by hand  mast-1");
    person.types("s");
    person.sees("skipped: mast-1");
    person.ends(3);
    // Without a person to guide, nothing of it is asked.
    let said = rig.run(&["apply", "t.rig.toml", "--guided"]).ended(2);
    assert!(said.notes.contains("nobody"), "{}", said.notes);
}

/// One keeps nothing when its power goes: it is seen, and its kind can say so beforehand.
#[test]
fn what_is_not_kept_over_power_is_told() {
    let mut scene = "network = \"10.40.0.0\"\n".to_owned();
    for (n, quirks) in [(1, ""), (2, "quirks = [\"keeps-nothing\"]\n")] {
        scene += &format!(
            "[[node]]\nname = \"unit-{n}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:0{n}\"\n\
             address = \"10.40.1.{n}\"\npages = [{{ sub = {n}, out = [0, 1] }}]\n{quirks}"
        );
    }
    let rig = Rig::with(&Scene::parse(&scene).unwrap());
    let sheet = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\ngateway = \"none\"\n\
        [[kind]]\nname = \"cheap\"\nmaker = \"House\"\nmodel = \"Cheap\"\nports = 2\nkeeps_settings = false\n\
        [[node]]\nname = \"mast-1\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.1\"\n\
        [[node]]\nname = \"mast-2\"\nkind = \"cheap\"\nmac = \"02:4d:42:00:10:02\"\naddress = \"10.40.1.2\"\n";
    rig.write_sheet("t.rig.toml", sheet);
    let said = rig.run(&["apply", "t.rig.toml", "--yes"]);
    assert!(
        said.out.contains("C028") && said.out.contains("keeps none of it when its power goes"),
        "{}",
        said.out
    );
    let mut person = AtTerminal::start(&rig, &["check", "t.rig.toml", "--after-power-cycle"]);
    person.sees("2 nodes answer now.");
    person.sees("Enter when they have started again:");
    plug(&rig, &[(1, false), (2, false)]);
    plug(&rig, &[(1, true), (2, true)]);
    person.types("");
    person.sees("not kept  mast-2: name was mast-2, is unit-2");
    person.sees("1 of 2 nodes have kept what they had over power");
    person.ends(1);
    rig.run(&["kinds", "show", "cheap"]).ended(0).line(&["over a power cut", "keeps nothing"]);
}
