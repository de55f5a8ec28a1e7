//! `reach` on the segment: who answers, who has an address twice, and which are free, against who really stands there.

use lantern_sim::{Scene, TIDEWICK};
use serde_json::Value;

use crate::support::{Rig, on_scene};

fn device(number: u8, address: &str, more: &str) -> String {
    format!(
        "[[device]]\nname = \"device-{number}\"\nmac = \"02:53:44:00:00:{number:02}\"\naddress = \"{address}\"\n{more}\n"
    )
}

fn scene() -> String {
    let node = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\n\
                mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.3\"\npages = [{ out = [0] }]\n";
    [
        node.to_owned(),
        device(5, "10.40.1.5", ""),
        device(6, "10.40.1.6", ""),
        device(7, "10.40.1.6", ""),
        device(8, "10.40.1.8", "echo = false"),
        device(9, "192.168.7.9", "mask = \"255.255.255.0\""),
    ]
    .concat()
}

fn state<'a>(answer: &'a Value, address: &str) -> &'a Value {
    let all = answer["targets"].as_array().unwrap();
    all.iter().find(|one| one["address"] == address).unwrap_or_else(|| panic!("no {address} in {answer:#}"))
}

#[test]
fn each_stands_as_it_does() {
    let script = "deft-lantern reach quay-north 10.40.1.5 10.40.1.6 10.40.1.7 10.40.1.8 192.168.7.9 10.40.0.7 --times 3 --json > all\n\
                  cat all; exec deft-lantern reach quay-north 10.40.1.5 >/dev/null";
    let Some(said) = on_scene(&scene(), script) else { return };
    let answer = said.ended(0).json();
    for (address, expected) in [
        ("10.40.1.3", "answers"),
        ("10.40.1.5", "answers"),
        ("10.40.1.6", "held-twice"),
        ("10.40.1.7", "free"),
        ("10.40.1.8", "only-held"),
        ("192.168.7.9", "silent"),
        ("10.40.0.7", "own"),
    ] {
        assert_eq!(state(&answer, address)["state"], expected, "{address}");
    }
    let north = state(&answer, "10.40.1.3");
    assert_eq!((&north["called"], &north["name"]), (&"quay-north".into(), &"quay-north".into()));
    let echo = north["ways"].as_array().unwrap().iter().find(|way| way["way"] == "echo").unwrap();
    assert_eq!((&echo["answered"], &echo["loss_percent"]), (&echo["asked"], &0.into()));
    assert!(echo["middle_ms"].as_f64().unwrap() > 0.0);
    let holders = state(&answer, "10.40.1.6")["holders"].as_array().unwrap();
    assert_eq!(holders, &["02:53:44:00:00:06", "02:53:44:00:00:07"]);
}

#[test]
fn of_a_range_it_says_who_has_what_and_what_is_free() {
    let Some(said) = on_scene(&scene(), "exec deft-lantern reach --range 10.40.1.1-10.40.1.9 --json") else {
        return;
    };
    // Two share an address.
    let answer = said.ended(1).json();
    let free: Vec<&str> = answer["free"].as_array().unwrap().iter().map(|run| run.as_str().unwrap()).collect();
    assert_eq!(free, ["10.40.1.1-10.40.1.2", "10.40.1.4", "10.40.1.7", "10.40.1.9"]);
}

/// On loopback there is neither ARP nor echo: nodes answer by Art-Net, and of nobody it is said that its address is free.
#[test]
fn without_frames_nothing_is_called_free() {
    let rig = Rig::with(&Scene::parse(TIDEWICK).unwrap());
    let (there, nobody) = (rig.address(1, 100), rig.address(9, 9));
    let answer = rig.run_here(&["reach", &there, &nobody, "--json"]).ended(1).json();
    assert_eq!(
        (&state(&answer, &there)["state"], &state(&answer, &nobody)["state"]),
        (&"answers".into(), &"silent".into())
    );
    let shown = rig.run_here(&["reach", &nobody]).ended(1);
    assert!(shown.notes.contains(&format!("deft-lantern why {nobody}")), "{}", shown.notes);
    let long = rig.run_here(&["reach", "--range", "10.0.0.0/8"]).ended(2);
    assert!(long.notes.contains("16777216 addresses are too many"), "{}", long.notes);
}
