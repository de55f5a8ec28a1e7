//! `levels`: shown as they are sent, and sent only within limits, always with an end.
#![cfg(unix)]

use rstest::rstest;

use crate::support::{Folder, on_scene};

fn scene(sources: &str) -> String {
    format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\n\
         mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.3\"\npages = [{{ out = [1] }}]\n{sources}"
    )
}

const DESK: &str = "[[device]]\nname = \"desk\"\nmac = \"02:53:44:00:00:05\"\naddress = \"10.40.0.20\"\n\
    sacn = { name = \"Quay desk\", universes = [7] }\n";
const OTHER: &str = "[[device]]\nname = \"other\"\nmac = \"02:53:44:00:00:06\"\naddress = \"10.40.0.21\"\n\
    art_net = { universes = [1] }\n";

#[test]
fn what_is_sent_is_shown_with_who_sends_it() {
    let script = "deft-lantern levels 'sacn 7' --json >all; echo $?; deft-lantern levels 'sacn 8' >/dev/null; echo $?; cat all";
    let Some(said) = on_scene(&scene(DESK), script) else { return };
    let said = said.ended(0);
    let (codes, json) = said.out.split_once('{').unwrap();
    assert_eq!(codes.split_whitespace().collect::<Vec<_>>(), ["0", "1"], "{}", said.out);
    let answer: serde_json::Value = serde_json::from_str(&format!("{{{json}")).unwrap();
    assert_eq!(answer["levels"].as_array().unwrap().len(), 512);
    let source = &answer["sources"][0];
    assert_eq!((&source["name"], &source["address"]), (&"Quay desk".into(), &"10.40.0.20".into()));
    assert!(source["rate"].as_u64().unwrap() > 0 && source["gaps"] == 0, "{source}");
}

/// Somebody else listens to what leaves; the program is broken off in several ways.
#[rstest]
#[case::its_time_is_over("--for 2s", "", 0)]
#[case::asked_to_end("--for 60s", "timeout --preserve-status -s TERM 7", 143)]
#[case::interrupted("--for 60s", "timeout --preserve-status -s INT 7", 130)]
fn test_levels_end_with_a_release(#[case] length: &str, #[case] end: &str, #[case] code: i32) {
    let script =
        format!("{end} deft-lantern levels 'sacn 9' --all 50% {length} --yes >said 2>&1; echo $?; cat said");
    let Some(said) = on_scene(&scene(""), &script) else { return };
    let said = said.ended(0);
    assert!(said.out.starts_with(&format!("{code}\n")), "{}", said.out);
    assert!(said.out.contains("all 512 slots at 128 of 255"), "{}", said.out);
    assert_eq!(said.out.contains("released after"), code == 0, "{}", said.out);
}

#[test]
fn nothing_is_sent_where_somebody_else_sends_or_nobody_is_asked() {
    let script = "deft-lantern levels 0:0:1 --chase --yes; echo $?; deft-lantern levels 0:0:1 --chase </dev/null; echo $?\n\
                  deft-lantern levels 0:0:2 --chase --yes; echo $?; deft-lantern levels 0:0:1 --chase --for 2h --yes; echo $?";
    let Some(said) = on_scene(&scene(OTHER), script) else { return };
    let said = said.ended(0);
    let codes: Vec<&str> = said.out.lines().filter(|line| line.len() == 1).collect();
    assert_eq!(codes, ["1", "2", "2", "2"], "{}{}", said.out, said.notes);
    for part in [
        "somebody else sends Art-Net 0:0:1",
        "with --yes it is sent",
        "no node puts out Art-Net 0:0:2",
        "ten minutes at most",
    ] {
        assert!(said.notes.contains(part), "{part}: {}", said.notes);
    }
    assert!(said.out.contains("to quay-north (10.40.1.3)"), "{}", said.out);
}

#[rstest]
#[case(&["levels", "0:0:1", "--set", "0=1"], "names no slots")]
#[case(&["levels", "0:0:1", "--set", "1=300"], "no level")]
#[case(&["levels", "0:0:1", "--all", "101%"], "no level")]
#[case(&["levels", "9:9:99"], "is no universe")]
#[case(&["levels", "0:0:1", "--rate", "45", "--chase"], "45 is not in 1..=44")]
#[case(&["levels", "0:0:1", "--beside-others"], "required")]
fn a_wrong_call_sends_nothing(#[case] arguments: &[&str], #[case] said: &str) {
    let answer = Folder::new().run(arguments).ended(2);
    assert!(answer.notes.contains(said), "{}", answer.notes);
}
