//! `identify`: whoever is meant flashes, nobody else, and ends as it was, however the program ends.
#![cfg(unix)]

use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use crate::support::Rig;
use lantern_sim::Scene;
use rstest::rstest;
use rustix::process::{Pid, Signal, kill_process};

const NORMAL: u8 = 3;

fn rig() -> Rig {
    let mut scene = "network = \"10.40.0.0\"\n".to_owned();
    for (place, name) in ["quay-north", "quay-south", "lamp-room"].into_iter().enumerate() {
        scene += &format!(
            "[[node]]\nname = \"{name}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:0{place}\"\n\
             address = \"10.40.1.10{place}\"\npages = [{{ sub = {place}, out = [0, 1] }}]\n"
        );
    }
    scene += "[[device]]\nname = \"beacon\"\nmac = \"02:4d:42:00:20:01\"\naddress = \"10.40.1.9\"\n\
              llrp = { uid = \"7ff0:00000001\", label = \"slip beacon\" }\n";
    Rig::with(&Scene::parse(&scene).unwrap())
}

fn indicators(rig: &Rig) -> Vec<u8> {
    rig.ground.truth().iter().map(|node| node.indicators).collect()
}

#[test]
fn whoever_is_meant_flashes_for_a_while_and_is_as_before() {
    let rig = rig();
    rig.run_here(&["set", "quay-south", "--indicators", "mute", "--yes"]).ended(0);
    let before = indicators(&rig);
    assert_eq!(before[1], 2);
    let began = Instant::now();
    let said = rig.run_here(&["identify", "quay-*", "--for", "1s"]).ended(0);
    assert!(began.elapsed() > Duration::from_secs(1));
    for name in ["quay-north", "quay-south"] {
        said.line(&["flashes", name]);
        said.line(&["as before", name]);
    }
    assert!(!said.out.contains("lamp-room"), "{}", said.out);
    let after = indicators(&rig);
    // What did not say how it was is as usual.
    assert_eq!((after[0], after[1], after[2]), (NORMAL, 2, before[2]));
}

/// Broken off while it flashes, or while it is only about to: it ends dark.
#[rstest]
fn it_ends_dark_whenever_it_is_broken_off(#[values(Signal::INT, Signal::TERM)] signal: Signal) {
    let rig = rig();
    let mut flashed = 0;
    for moment in 0..6 {
        let mut child = Command::new(env!("CARGO_BIN_EXE_deft-lantern"))
            .args(["identify", "quay-north", "lamp-room", "slip beacon", "--for", "1m"])
            .args(["--adapter", &rig.ground.guest().to_string()])
            .current_dir(rig.folder.path(""))
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        let until = Instant::now() + Duration::from_secs(8);
        if moment % 2 == 0 {
            while rig.ground.flashing().len() < 3 && Instant::now() < until {
                std::thread::sleep(Duration::from_millis(10));
            }
        } else {
            std::thread::sleep(Duration::from_millis(3000 + 200 * moment));
        }
        flashed += usize::from(rig.ground.flashing() == ["quay-north", "lamp-room", "beacon"]);
        kill_process(Pid::from_child(&child), signal).unwrap();
        let ended = child.wait().unwrap();
        assert_eq!(std::os::unix::process::ExitStatusExt::signal(&ended), Some(signal.as_raw()));
        assert_eq!(rig.ground.flashing(), [""; 0], "moment {moment}");
    }
    assert!(flashed >= 3, "{flashed}");
}

/// Nobody reads what it says: all of them end dark all the same.
#[test]
fn it_ends_dark_when_nobody_reads_on() {
    let rig = rig();
    let mut child = Command::new(env!("CARGO_BIN_EXE_deft-lantern"))
        .args(["identify", "*", "--for", "1s", "--adapter", &rig.ground.guest().to_string()])
        .current_dir(rig.folder.path(""))
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut said = BufReader::new(child.stdout.take().unwrap()).lines();
    assert!(said.next().unwrap().unwrap().starts_with("flashes"));
    assert_eq!(rig.ground.flashing(), ["quay-north", "quay-south", "lamp-room", "beacon"]);
    drop(said);
    child.wait().unwrap();
    assert_eq!(rig.ground.flashing(), [""; 0]);
}

#[test]
fn what_is_locked_is_not_even_flashed() {
    let rig = rig();
    let network = rig.ground.network();
    let sheet = format!(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"{network}/16\"\nlocked_devices = [\"02:4d:42:00:10:02\"]\n"
    );
    rig.folder.write("t.rig.toml", sheet);
    let before = indicators(&rig);
    let said = rig.run(&["identify", "lamp-room", "--for", "1s"]).ended(2);
    assert!(said.notes.contains("C003"), "{}", said.notes);
    assert_eq!(indicators(&rig), before);
}

/// A unit that speaks LLRP only shows itself too, and says so where it cannot.
#[test]
fn a_unit_without_art_net_flashes_and_is_as_before() {
    let rig = rig();
    let said = rig.run_here(&["identify", "slip beacon", "--for", "1s"]).ended(0);
    said.line(&["flashes", "slip beacon"]);
    said.line(&["as before", "slip beacon"]);
    assert_eq!(rig.ground.flashing(), [""; 0]);
    let said = rig.run_here(&["set", "slip beacon", "--indicators", "mute", "--yes"]).ended(2);
    assert!(said.notes.contains("C005"), "{}", said.notes);
}
