//! `firmware`: what is said of versions, and what the nodes really run after a file was sent to them.

use std::process::{Command, Stdio};
use std::time::Duration;

use crate::support::Rig;
use lantern_sim::{Model, Scene, firmware_file};

const TABLE: &str = "[[firmware]]\nkind = \"marrowbright-four\"\nversion = \"1.10\"\nfile = \"four-1.10.bin\"\n";

/// Four nodes of one kind, and one of another, with these versions.
fn rig(quirks: &str) -> Rig {
    let mut scene = "network = \"10.40.0.0\"\n".to_owned();
    for (n, version) in (1..).zip(["1.9", "1.9", "1.10", "2.0"]) {
        scene += &format!(
            "[[node]]\nname = \"quay-{n}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:0{n}\"\n\
             address = \"10.40.1.{n}\"\nfirmware = \"{version}\"\npages = [{{ sub = {n}, out = [0, 1] }}]\nquirks = [{quirks}]\n"
        );
    }
    scene += "[[node]]\nname = \"hall\"\nmodel = \"marrowbright-eight\"\nmac = \"02:4d:42:00:10:09\"\naddress = \"10.40.1.9\"\n\
              pages = [{ sub = 9, out = [0] }]\n";
    let rig = Rig::with(&Scene::parse(&scene).unwrap());
    rig.folder.write("firmware.toml", TABLE);
    rig.folder.write("four-1.10.bin", firmware_file(Model::Four, (1, 10), 60_000));
    rig
}

fn versions(rig: &Rig) -> Vec<u16> {
    rig.ground.truth().iter().map(|node| node.firmware).collect()
}

#[test]
fn who_runs_an_older_version_is_told_with_the_next_command() {
    let rig = rig("");
    let said = rig.run_here(&["firmware", "check"]).ended(1);
    said.line(&["quay-1", "Marrowbright Four", "1.9", "1.10", "older"]);
    said.line(&["quay-3", "1.10", "equal"]);
    said.line(&["quay-4", "2.0", "newer"]);
    said.line(&["hall", "unknown"]);
    assert!(said.notes.contains("next: deft-lantern firmware send four-1.10.bin quay-1 quay-2"), "{}", said.notes);
    let json = rig.run_here(&["firmware", "check", "quay-3", "--json"]).ended(0).json();
    assert_eq!((json["nodes"].as_array().unwrap().len(), &json["nodes"][0]["standing"]), (1, &"equal".into()));
    rig.folder.write("firmware.toml", "[[firmware]]\nkind = \"x\"\nversion = \"new\"\n");
    let said = rig.run_here(&["firmware", "check"]).ended(2);
    assert!(said.notes.contains("firmware.toml:3"), "{}", said.notes);
}

#[test]
fn four_in_a_row_get_it_and_tell_the_new_version() {
    let rig = rig("");
    let said = rig.run_here(&["firmware", "send", "four-1.10.bin", "quay-1", "quay-2", "--dry-run"]);
    said.line(&["quay-1", "firmware", "1.9", "1.10"]);
    assert_eq!(versions(&rig)[0], 0x0109);
    let send = ["firmware", "send", "four-1.10.bin", "quay-*", "--any-version", "--yes"];
    let said = rig.run_here(&send).ended(1);
    for n in 1..=4 {
        said.line(&["done", &format!("quay-{n} at"), "read back"]);
    }
    assert_eq!(versions(&rig), [0x010a, 0x010a, 0x010a, 0x010a, 0x0104]);
    rig.run_here(&["firmware", "check", "quay-*"]).ended(0);
    let book = rig.run(&["logbook", "show"]).ended(0);
    book.line(&["quay-1", "firmware 1.9 to 1.10", "confirmed"]);
    let undo = rig.run_here(&["undo", "--yes"]).ended(2);
    assert!(undo.notes.contains("nothing to take back"), "{}", undo.notes);
}

#[test]
fn an_older_one_and_one_for_another_kind_are_refused() {
    let rig = rig("");
    let before = versions(&rig);
    for (node, code) in [("quay-3", "C025"), ("quay-4", "C025"), ("hall", "C026")] {
        let said = rig.run_here(&["firmware", "send", "four-1.10.bin", node, "--yes"]).ended(2);
        assert!(said.notes.contains(code) && said.notes.contains("nothing was sent"), "{}", said.notes);
    }
    rig.folder.write("other.bin", "x");
    let said = rig.run_here(&["firmware", "send", "other.bin", "quay-1", "--yes"]).ended(2);
    assert!(said.notes.contains("which version is other.bin?"), "{}", said.notes);
    assert_eq!(versions(&rig), before);
}

/// One whose power goes in the middle is told with the way out, and the next one is not begun.
#[test]
fn one_that_falls_silent_half_way_is_told_and_holds_up_the_next() {
    let rig = rig("\"dies-of-firmware\"");
    let said = rig.run_here(&["firmware", "send", "four-1.10.bin", "quay-1", "quay-2", "--yes"]).ended(3);
    said.line(&["half sent", "quay-1 took 3 of 59 blocks"]);
    assert!(said.notes.contains("1 more not begun") && said.notes.contains("see to its cable"), "{}", said.notes);
    assert_eq!(versions(&rig)[..2], [0x0109, 0x0109]);
    let book = rig.run(&["logbook", "show"]).ended(0);
    book.line(&["quay-1", "half-sent"]);
}

/// Broken off by a person: the logbook says so, and the node still runs what it had.
#[cfg(unix)]
#[test]
fn broken_off_it_is_written_down_and_sent_anew() {
    let rig = rig("\"slow-flash\"");
    let mut child = Command::new(env!("CARGO_BIN_EXE_deft-lantern"))
        .args([
            "firmware",
            "send",
            "four-1.10.bin",
            "quay-1",
            "--yes",
            "--adapter",
            &rig.ground.guest().to_string(),
        ])
        .current_dir(rig.folder.path(""))
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let logbook = rig.folder.path("deft-lantern.log.jsonl");
    while !std::fs::read_to_string(&logbook).is_ok_and(|text| text.contains("\"sending\"")) {
        std::thread::sleep(Duration::from_millis(20));
    }
    std::thread::sleep(Duration::from_millis(500));
    rustix::process::kill_process(rustix::process::Pid::from_child(&child), rustix::process::Signal::INT).unwrap();
    child.wait().unwrap();
    assert_eq!(versions(&rig)[0], 0x0109);
    rig.run(&["logbook", "show"]).ended(0).line(&["quay-1", "broken-off"]);
    rig.run_here(&["firmware", "send", "four-1.10.bin", "quay-1", "--yes"]).ended(1);
    assert_eq!(versions(&rig)[0], 0x010a);
}
