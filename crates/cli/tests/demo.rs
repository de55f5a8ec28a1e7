//! `demo`: the whole job, started as the README says.

use std::io::{BufRead, BufReader, Write};
use std::process::{Command, Stdio};

use crate::support::Folder;

#[test]
fn the_whole_job_ends_with_every_node_as_planned() {
    let folder = Folder::new();
    let said = folder.run(&["demo", "--whole"]).ended(0);
    said.line(&["all 22 nodes answer as planned; 18 speak no Art-Net and are out of reach of this computer"]);
    said.line(&["error[A001]", "is given to lighthouse-lamp-room and lamp-gallery"]);
    said.line(&["done", "slip-high", "read back"]);
    // Two change places, a breaker falls, the run is gone on with, and a part of it taken back.
    said.line(&["waits", "quay-east", "until its place is left"]);
    said.line(&["silent", "Four"]);
    assert!(
        said.notes.contains("going on with the run of") && said.notes.contains("taking back apply of"),
        "{}",
        said.notes
    );
    assert_eq!(said.out.matches("waits  quay-east").count(), 3);
    said.line(&["done", "lamp-room", "read back"]);
    // What was open is filled in, shown, and set on the rented gateways.
    said.line(&["barge-mast port 4", "4:0:15"]);
    said.line(&["1:0:0", "257", "Fish Hall"]);
    said.line(&["done", "barge-mast", "read back"]);
    let page = folder.read("tidewick-demo/mended/tidewick.html");
    assert!(page.contains("Tidewick Harbour Night") && page.contains("barge-mast"));
    let sheet = folder.read("tidewick-demo/mended/tidewick.rig.toml");
    assert!(!sheet.contains("\"fill\"") && sheet.contains("# two cables to the same truss"));
    for file in
        ["tidewick.rig.toml", "mended/tidewick.rig.toml", "mended/tidewick.log.jsonl", "tidewick.census.json"]
    {
        assert!(folder.path("tidewick-demo").join(file).exists(), "{file}");
    }
}

/// What nobody would read is in the folder; what is on the screen fits a few of them.
#[test]
fn the_essence_is_on_the_screen_and_the_whole_in_the_folder() {
    let folder = Folder::new();
    let said = folder.run(&["demo"]).ended(0);
    assert!(said.out.lines().count() <= 165, "{} lines", said.out.lines().count());
    said.line(&["all 22 nodes answer as planned"]);
    said.line(&["error A001", "is given to lighthouse-lamp-room and lamp-gallery"]);
    said.line(&["done", "barge-mast", "read back"]);
    said.line(&["more lines in tidewick-demo/1-survey.txt"]);
    let applied = folder.read("tidewick-demo/6-apply.txt");
    assert!(applied.contains("quay-north") && applied.contains("port 3 universe"), "{applied}");
}

#[test]
fn a_second_demo_takes_another_folder_and_a_named_one_must_be_new() {
    let folder = Folder::new();
    std::fs::create_dir(folder.path("here")).unwrap();
    let said = folder.run(&["demo", "--folder", "here"]).ended(2);
    assert!(said.notes.contains("here exists already"), "{}", said.notes);
}

/// Power and cables are what hands are for: typed at the nodes, seen by who looks.
#[test]
fn what_hands_would_do_is_typed_at_the_nodes() {
    let folder = Folder::new();
    let mut stay = Command::new(env!("CARGO_BIN_EXE_deft-lantern"))
        .args(["demo", "--stay", "--hands", "--scene", "night", "--folder", folder.path("stay").to_str().unwrap()])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let printed = BufReader::new(stay.stdout.take().unwrap()).lines().map_while(Result::ok);
    // To its last line: a program whose lines nobody reads any more ends.
    let told: Vec<String> = printed.take_while(|line| !line.starts_with("End with")).collect();
    assert!(told.iter().any(|line| line.contains("off NODE")), "{told:?}");
    let mut hands = stay.stdin.take().unwrap();
    let typed = b"off quay-south\nplug rail-wash-8 quay-north 3\nplug nobody quay-north 3\nplug rail-wash-8 quay-north 9\npull\n";
    hands.write_all(typed).unwrap();
    let mut notes = BufReader::new(stay.stderr.take().unwrap()).lines().map_while(Result::ok);
    let said: Vec<String> = notes.by_ref().take(3).collect();
    assert!(said[..2].iter().all(|note| note.contains("no fixture of that label")), "{said:?}");
    assert!(said[2].contains("none of them"), "{said:?}");
    let sheet = "stay/mended/tidewick.rig.toml";
    let seen = folder.run(&["check", sheet, "--json"]).ended(1).json();
    let south =
        seen["nodes"].as_array().unwrap().iter().find(|node| node["name"] == "quay-south").unwrap().clone();
    // A table is as old as the last search of the cable.
    let fixtures =
        folder.run(&["survey", "--sheet", sheet, "--fixtures", "--rediscover", "--yes", "--json"]).json();
    stay.kill().unwrap();
    stay.wait().unwrap();
    assert_eq!(south["state"], "missing");
    let moved = fixtures["fixtures"].as_array().unwrap().iter().find(|one| one["uid"] == "7ff0:00000038").unwrap();
    assert_eq!(moved["behind"]["slot"], 2, "{moved}");
}

#[test]
fn nodes_that_stay_answer_a_second_program() {
    let folder = Folder::new();
    let mut stay = Command::new(env!("CARGO_BIN_EXE_deft-lantern"))
        .args(["demo", "--stay", "--folder", folder.path("stay").to_str().unwrap()])
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let printed = BufReader::new(stay.stdout.take().unwrap()).lines().map_while(Result::ok);
    let told: Vec<String> = printed.take_while(|line| !line.starts_with("End with")).collect();
    let commands: Vec<&str> = told.iter().filter_map(|line| line.trim().strip_prefix("deft-lantern ")).collect();
    assert_eq!(commands[0], "survey");
    let second = folder.run(&["check", "stay/tidewick.rig.toml", "--json"]).ended(1).json();
    stay.kill().unwrap();
    stay.wait().unwrap();
    let missing: Vec<&serde_json::Value> =
        second["nodes"].as_array().unwrap().iter().filter(|node| node["state"] == "missing").collect();
    assert_eq!((missing.len(), &missing[0]["name"]), (1, &"slip-low".into()));
    assert_eq!(second["unexpected"][0]["name"], "barge-guest");
}
