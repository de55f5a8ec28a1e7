//! `adapters self-test`: what it says of this computer, held against a computer that really cannot.
#![cfg(target_os = "linux")]

use rstest::rstest;
use serde::Deserialize;

use crate::support::{has, on_segment};

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Answer {
    format: u32,
    version: String,
    system: String,
    machine: String,
    tried: Vec<Try>,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct Try {
    what: String,
    adapter: Option<String>,
    result: String,
    means: String,
}

/// A program that has the port for itself, until its shell ends.
const HOLDER: &str = "import socket,time; s=socket.socket(socket.AF_INET,socket.SOCK_DGRAM); s.bind((\"\",6454)); print(1,flush=True); time.sleep(60)";
const AS_USER: &str = "setpriv --bounding-set -all --inh-caps -all";

/// What works, what is limited and what fails, with how the program ends: each against a computer made so.
#[rstest]
#[case::everything("ip", "", "", 0, &[])]
#[case::without_rights("setpriv", "", AS_USER, 0, &["rights limited", "raw frames limited", "echo limited"])]
#[case::port_held("python3", "python3 -c 'HOLDER' >held & holder=$!; until [ -s held ]; do sleep 0.1; done;", "", 1, &["Art-Net, UDP 6454 fails"])]
#[case::firewall(
    "nft",
    "nft 'add table t; add chain t i { type filter hook input priority 0; }; add rule t i udp dport 49733 drop';",
    "",
    1,
    &["hears everybody fails", "hears groups fails"]
)]
#[case::no_place_for_files("ip", "rmdir config; touch config;", "", 0, &["keeps settings fails"])]
fn what_cannot_be_done_is_said(
    #[case] tool: &str,
    #[case] made_so: &str,
    #[case] rights: &str,
    #[case] exit: i32,
    #[case] expected: &[&str],
) {
    if !has(tool) {
        return;
    }
    let script = format!(
        "mkdir config state data; export XDG_CONFIG_HOME=$PWD/config XDG_STATE_HOME=$PWD/state XDG_DATA_HOME=$PWD/data\n\
         {}\n{rights} deft-lantern adapters self-test --json; echo exit $?; ls -A config state data; kill $holder 2>/dev/null",
        made_so.replace("HOLDER", HOLDER)
    );
    let Some(said) = on_segment(&script) else { return };
    let (json, rest) = said.out.split_once("\nexit ").unwrap_or_else(|| panic!("{}\n{}", said.out, said.notes));
    let answer: Answer = serde_json::from_str(json).unwrap_or_else(|error| panic!("{error}: {json}"));
    assert_eq!((answer.format, answer.system.as_str(), answer.version.is_empty()), (1, "linux", false));
    assert!(!answer.machine.is_empty());
    let wrong: Vec<String> = answer
        .tried
        .iter()
        .filter(|one| one.result != "works")
        .map(|one| format!("{} {}", one.what, one.result))
        .collect();
    assert_eq!(wrong, expected, "{json}");
    assert!(
        answer.tried.iter().all(|one| one.result == "works" || !one.means.is_empty()),
        "what it means is said"
    );
    assert!(
        answer.tried.iter().any(|one| one.adapter.as_ref().is_some_and(|on| on.starts_with("rig0 in 10.40.")))
    );
    assert_eq!(rest.lines().next(), Some(exit.to_string().as_str()));
    assert!(!rest.contains("self-test"), "nothing of it stays: {rest}");
}

/// Whoever pastes it somewhere tells nobody's name, unless that is wanted.
#[test]
fn it_can_be_pasted() {
    let script = "mkdir config; export XDG_CONFIG_HOME=$PWD/config XDG_STATE_HOME=$PWD/config XDG_DATA_HOME=$PWD/config\n\
        deft-lantern adapters label rig0 nobodys-business; deft-lantern adapters self-test; echo ===; \
        deft-lantern adapters self-test --names; echo ===; deft-lantern adapters self-test --adapter nowhere; echo exit $?";
    let Some(said) = on_segment(script) else { return };
    let parts: Vec<&str> = said.out.split("===").collect();
    assert!(parts[0].contains("Art-Net can be asked and answered from here"), "{}", said.out);
    assert!(!parts[0].contains("nobodys-business") && !parts[0].contains("/config"), "{}", parts[0]);
    assert!(parts[1].contains("rig0 (nobodys-business)") && parts[1].contains("/config"), "{}", parts[1]);
    assert!(parts[2].contains("exit 2") && said.notes.contains("no adapter \"nowhere\""), "{}", said.notes);
}
