//! `keep`: the settings of nodes in files, and back: held against what the nodes really are.

use std::thread::sleep;
use std::time::Duration;

use crate::support::Rig;
use lantern_sim::{Scene, Truth};
use rstest::rstest;

/// One that was set up, its like from the store room with the settings of the factory, and one with an evil name.
const SCENE: &str = "network = \"10.40.0.0\"\n\
    [[node]]\nname = \"quay-north\"\nlabel = \"Quay north mast\"\nmodel = \"marrowbright-eight\"\nmac = \"02:4d:42:00:10:01\"\n\
    address = \"10.40.1.100\"\ngateway = \"10.40.0.2\"\n\
    pages = [{ net = 1, sub = 2, out = [0, 1, 2, 3] }, { net = 1, sub = 3, out = [4, 5], in = [6] }]\n\
    [[node]]\nname = \"Eight\"\nlabel = \"Marrowbright Eight\"\nmodel = \"marrowbright-eight\"\nmac = \"02:4d:42:00:10:02\"\n\
    address = \"10.40.240.2\"\npages = [{ out = [0, 0, 0, 0] }, { out = [0, 0], in = [0] }]\n\
    [[node]]\nname = \"../evil\\u0007\"\nmodel = \"marrowbright-two\"\nmac = \"02:4d:42:00:10:03\"\n\
    address = \"10.40.1.102\"\npages = [{ sub = 9, out = [0, 1] }]\n";

fn rig() -> Rig {
    Rig::with(&Scene::parse(SCENE).unwrap())
}

/// What a unit is set to, whoever it is.
fn set_to(truth: &Truth) -> Truth {
    Truth { mac: lantern_core::MacAddress([0; 6]), ..truth.clone() }
}

#[test]
fn what_was_kept_is_shown_held_against_the_node_and_put_back() {
    let rig = rig();
    let before = rig.ground.truth();
    rig.run_here(&["keep", "save", "quay-north", "--folder", "kept"])
        .ended(0)
        .line(&["quay-north", "settings in"]);
    let file = "kept/quay-north.keep.toml";
    let shown = rig.run(&["keep", "show", file]).ended(0);
    shown.line(&["quay-north", "02:4d:42:00:10:01", "Marrowbright Eight", "firmware 1.4"]);
    shown.line(&["port 7 universe", "1:3:6"]);
    rig.run_here(&["keep", "diff", file]).ended(0).line(&["quay-north is as it was kept"]);

    let set =
        ["set", "quay-north", "--name", "other", "--on-data-loss", "dark", "--sacn-priority", "150", "--yes"];
    rig.run_here(&[&set[..], &["--port", "6", "--universe", "1:3:9", "--merge", "ltp"]].concat()).ended(0);
    assert_ne!(rig.ground.truth(), before);
    let said = rig.run_here(&["keep", "diff", file]).ended(1);
    said.line(&["other: 5 differences"]);
    said.line(&["on data loss", "hold", "dark"]);
    said.line(&["port 6 universe", "1:3:5", "1:3:9"]);
    let json = rig.run_here(&["keep", "diff", file, "--json"]).ended(1).json();
    assert_eq!(json["kept"][0]["differences"].as_array().unwrap().len(), 5);

    rig.run_here(&["keep", "put", file, "--dry-run"]).ended(0).line(&["port 6 universe", "1:3:9", "1:3:5"]);
    rig.run_here(&["keep", "put", file, "--yes"]).ended(0).line(&["done", "quay-north"]);
    assert_eq!(rig.ground.truth(), before);
    rig.run(&["logbook", "list"]).ended(0).line(&["keep put", "done"]);
    rig.run_here(&["undo", "--yes"]).ended(0);
    rig.run_here(&["keep", "diff", file]).ended(1);
}

/// The unit is broken, and another one takes its place: address, name, universes and all. While the first one is there, it does not.
#[rstest]
fn a_replacement_takes_the_place_of_the_one_that_is_gone(#[values(false, true)] on_a_sheet: bool) {
    let rig = rig();
    if on_a_sheet {
        // The sheet has the place for the one that is gone, and a survey remembers it there.
        let sheet = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
             [[node]]\nname = \"quay-north\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\n";
        rig.write_sheet("t.rig.toml", sheet);
        rig.run(&["survey"]);
    }
    let was = rig.ground.truth();
    rig.run_here(&["keep", "save", "quay-north"]).ended(0);
    let put = ["keep", "put", "quay-north.keep.toml", "--on", "02:4d:42:00:10:02", "--yes"];
    let said = rig.run_here(&put).ended(2);
    assert!(said.notes.contains("C001") && said.notes.contains("is held by quay-north"), "{}", said.notes);
    assert_eq!(rig.ground.truth(), was);
    rig.ground.switch("quay-north", false);
    sleep(Duration::from_millis(300));
    let nobody = rig.run_here(&["keep", "put", "quay-north.keep.toml", "--yes"]).ended(2);
    assert!(nobody.notes.contains("--on NODE"), "{}", nobody.notes);
    let said = rig.run_here(&put);
    said.line(&["done", "quay-north"]);
    assert_eq!(said.notes.contains("write the new MAC address of quay-north into the sheet"), on_a_sheet);
    let now = rig.ground.truth();
    assert_eq!(set_to(&now[1]), set_to(&was[0]));
}

#[test]
fn what_a_node_calls_itself_is_not_trusted_with_a_path() {
    let rig = rig();
    let said = rig.run_here(&["keep", "save", "*"]).ended(0);
    assert!(!said.out.contains('\u{7}'), "{}", said.out);
    let names = ["Eight.keep.toml", "quay-north.keep.toml"];
    names.iter().for_each(|name| assert!(rig.folder.path(name).exists(), "{name}"));
    let evil = std::fs::read_dir(rig.folder.path("")).unwrap().filter_map(Result::ok);
    let evil: Vec<String> = evil.map(|entry| entry.file_name().to_string_lossy().into_owned()).collect();
    assert!(evil.iter().any(|name| name.ends_with("evil-u-7-.keep.toml") || name.contains("evil")), "{evil:?}");
    // Kept once, it is not written over unless that is meant.
    let again = rig.run_here(&["keep", "save", "quay-north"]).ended(2);
    assert!(again.notes.contains("exists already"), "{}", again.notes);
    rig.run_here(&["keep", "save", "quay-north", "--replace"]).ended(0);
}

#[test]
fn a_file_that_is_no_keepsake_is_told_and_nothing_sent() {
    let rig = rig();
    rig.run_here(&["keep", "save", "quay-north"]).ended(0);
    let text = rig.folder.read("quay-north.keep.toml");
    for (broken, expected) in [
        (text.replace("format = 1", "format = 9"), "a later version of this program"),
        (text.replace("mask =", "musk ="), "there is no setting \"musk\""),
        (text[..text.len() / 2].to_owned() + "\"", "it is no keepsake"),
    ] {
        rig.folder.write("broken.keep.toml", broken);
        let said = rig.run_here(&["keep", "put", "broken.keep.toml", "--yes"]).ended(2);
        assert!(said.notes.contains(expected), "{}", said.notes);
    }
    assert!(!rig.folder.path("deft-lantern.log.jsonl").exists());
}
