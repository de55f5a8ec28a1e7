//! Lines of text over real connections: said, answered, in sequences, asked by a check, and by a real telnet daemon.

use crate::support::{has, is_root, noting, on_scene};

fn scene() -> String {
    let device = |i: u8, keys: &str| {
        format!(
            "[[device]]\nname = \"wall-{i}\"\nmac = \"02:54:51:00:20:0{i}\"\naddress = \"10.40.6.{i}\"\n[device.lines]\n\
             answers = {{ \"PWR?\" = \"PWR=0\", \"PWR ON\" = \"OK\", \"INPT 2\" = \"OK\" }}\n\
             sets = {{ \"PWR ON\" = [\"PWR?\", \"PWR=1\"] }}\n{keys}\n"
        )
    };
    [
        "network = \"10.40.0.0\"\n".to_owned(),
        device(1, "greeting = \"Tessaquill Wall\\r\\n\"\nchatter_ms = 700"),
        device(2, "quirks = [\"never-answers\"]"),
        device(3, "udp = true\nport = 5000"),
        device(4, "greeting = \"Password: \""),
        device(5, "quirks = [\"binary\"]"),
    ]
    .concat()
}

const SHEET: &str = r#"[rig]
name = "t"
[[network]]
name = "n"
range = "10.40.0.0/16"
gateway = "none"
locked = ["10.40.9.0/24"]
locked_devices = ["02:54:51:00:20:05"]
[[kind]]
name = "house-wall"
maker = "House"
model = "Wall"
ports = 0
line_port = 4999
[[kind.line]]
name = "power on"
say = "PWR ON"
right = "OK*"
[[kind.line]]
name = "power"
say = "PWR?"
right = "PWR=1"
check = true
[[kind.line]]
name = "input"
say = "INPT {}"
right = "OK*"
[[kind]]
name = "house-mixer"
maker = "House"
model = "Mixer"
ports = 0
line_port = 5000
line_by = "udp"
line_end = "cr"
[[node]]
name = "left"
kind = "house-wall"
mac = "02:54:51:00:20:01"
address = "10.40.6.1"
[[node]]
name = "right"
kind = "house-wall"
mac = "02:54:51:00:20:02"
address = "10.40.6.2"
[[node]]
name = "mixer"
kind = "house-mixer"
mac = "02:54:51:00:20:03"
address = "10.40.6.3"
[[sequence]]
name = "doors open"
together = true
on_failure = "go-on"
[[sequence.step]]
node = "left"
line = "power on"
[[sequence.step]]
node = "right"
line = "power on"
[[sequence.step]]
node = "mixer"
say = "PWR ON"
[[sequence]]
name = "in turn"
[[sequence.step]]
node = "right"
say = "PWR ON"
wait = 1
[[sequence.step]]
node = "left"
line = "input"
with = 2
"#;

fn on(script: &str) -> Option<crate::support::Said> {
    on_scene(&scene(), &format!("cat > t.rig.toml <<'E'\n{SHEET}E\n{script}"))
}

/// One command tells several, each in its own words; what came of each is said, and a check asks anew whether it is so.
#[test]
fn a_sequence_tells_several_and_a_check_asks_anew() {
    let script = "deft-lantern check t.rig.toml; echo before $?\n\
        deft-lantern run 'doors open' --dry-run; echo dry $?; deft-lantern say left 'PWR?'\n\
        deft-lantern run 'doors open' --yes; echo run $?; deft-lantern check t.rig.toml; echo after $?\n\
        deft-lantern run 'in turn' --yes --json; echo turn $?; deft-lantern logbook list; deft-lantern logbook show";
    let Some(said) = on(script) else { return };
    let (before, after) = said.out.split_once("before 1").unwrap();
    assert!(before.contains("W016  text lines left at 10.40.6.1 reports power is answered"), "{before}");
    assert!(before.contains("power is answered PWR=0, right is PWR=1"), "{before}");
    // Nothing was said by a dry run.
    let (dry, done) = after.split_once("dry 0").unwrap();
    assert!(dry.contains("10.40.6.3:5000  UDP  PWR ON") && !dry.contains("answers"), "{dry}");
    assert!(done.contains("answer   PWR=0"), "{done}");
    said.line(&["1 ", "left", "answers OK"]);
    said.line(&["2 ", "right", "no answer"]);
    said.line(&["3 ", "mixer", "answers OK"]);
    said.line(&["2 of 3 steps done"]);
    let (_, check) = done.split_once("run 1").unwrap();
    assert!(check.contains("text lines: power PWR=1"), "{check}");
    assert!(check.contains("power is not answered"), "{check}");
    assert!(check.contains("\"result\": \"unanswered\"") && check.contains("\"result\": null"), "{check}");
    said.line(&["turn 1"]);
    said.line(&["run ", "right, left", "unfinished"]);
    said.line(&["1 ", "right", "10.40.6.2:4999", "PWR ON", "no answer"]);
}

/// What is typed is said line by line; what comes unasked is told apart; and what answers a question for a password is not kept.
#[test]
fn a_session_tells_apart_who_caused_what() {
    let script = "(sleep 2; echo 'PWR?'; sleep 1; echo 'INPT 2'; sleep 2) | deft-lantern say left; echo session $?\n\
        printf 'moonrise\\nPWR?\\n' | deft-lantern say 10.40.6.4 --port 4999; echo secret $?\n\
        grep -c moonrise t.log.jsonl; grep -c 'PWR?' t.log.jsonl; deft-lantern logbook show";
    let Some(said) = on(script) else { return };
    said.line(&["unasked  Tessaquill Wall"]);
    said.line(&["unasked  INPUT CHANGED BY FRONT PANEL"]);
    said.line(&["said     PWR?"]);
    said.line(&["answer   PWR=0"]);
    said.line(&["said     •••"]);
    assert!(said.out.contains("secret 0\n0\n4\n"), "{}", said.out);
    said.line(&["1 ", "10.40.6.4:4999", "•••", "answers ERR"]);
}

/// Nothing is said to whom nothing may be said, and every failure is told as what it is.
#[test]
fn what_cannot_be_said_is_told() {
    let script = "say() { deft-lantern say \"$@\" 2>&1; echo \"code $?\"; }\n\
        say 10.40.9.3 MUTE --port 4999; say 10.40.6.5 'PWR?' --port 4999; say 10.40.6.1 MUTE --port 23; say 10.40.6.77 MUTE --port 23\n\
        say 192.168.7.7 MUTE --port 23; say 10.40.0.7 MUTE --port 23; say left --line nothing; say left --line input; say left ''\n\
        say 10.40.6.4 MUTE; say left 'PWR?' --right 'PWR=9'; say right 'PWR?' --wait 1; say left 'PWR?' --json\n\
        deft-lantern run nothing --yes 2>&1; deft-lantern run 'doors open' </dev/null 2>&1; echo end $?";
    let Some(said) = on(script) else { return };
    for line in [
        "10.40.9.3 at 10.40.9.3 is locked on the sheet: nothing is said to it",
        "10.40.6.5 at 10.40.6.5 is locked on the sheet: nothing is said to it",
        "lost: nobody listens there",
        "lost: nobody answers there",
        "which this computer is not in a subnet with",
        "10.40.0.7 is this computer itself",
        "has no line \"nothing\"; it has: power on, power, input",
        "wants an argument",
        "that cannot be said: there is nothing to say",
        "at which port does 10.40.6.4 take lines?",
        "answers PWR=0, which is not the right answer",
        "no answer",
        "the sheet has no sequence \"nothing\"; it has: doors open, in turn",
        "nobody is there to say yes; add --yes",
    ] {
        said.line(&[line]);
    }
    let codes: Vec<&str> = said.out.lines().filter_map(|line| line.strip_prefix("code ")).collect();
    assert_eq!(codes, ["2", "2", "3", "3", "2", "2", "2", "2", "2", "2", "1", "1", "0"], "{}", said.out);
    said.line(&["end 2"]);
}

/// Where it cannot be written down, it is not said: by a line, by a session, and by a sequence.
#[test]
fn without_a_logbook_nothing_is_said() {
    let script = "mkdir t.log.jsonl; deft-lantern say left 'PWR ON' 2>&1; echo line $?; echo 'PWR ON' | deft-lantern say left; echo session $?\n\
        deft-lantern run 'doors open' --yes; echo run $?; rmdir t.log.jsonl; deft-lantern say left 'PWR?' --right 'PWR=*'";
    let Some(said) = on(script) else { return };
    for line in ["line 2", "session 2", "run 2"] {
        said.line(&[line]);
    }
    said.line(&["t.log.jsonl cannot be"]);
    said.line(&["answer   PWR=0"]);
}

/// A real daemon negotiates as telnet does, asks who is there, and serves a shell.
#[test]
fn a_real_telnet_daemon_is_spoken_with() {
    if !has("inetutils-inetd") || !has("telnetd") || !is_root() {
        return;
    }
    let set_up = "ip link add aux0 type veth peer name aux1; ip addr add 10.70.0.7/24 dev aux0; ip link set aux0 up\n\
        unshare -n sleep 60 & far=$!; sleep 0.3; ip link set aux1 netns $far; there() { nsenter -n -t $far -- \"$@\"; }\n\
        there ip addr add 10.70.0.1/24 dev aux1; there ip link set aux1 up; there ip link set lo up\n\
        printf '#!/bin/sh\\nprintf \"who is there? \"; read who; echo \"hello $who\"; while read line; do echo \"you said $line\"; done\\n' > shell; chmod +x shell\n\
        echo \"2323 stream tcp nowait root $(command -v telnetd) telnetd -h -E $PWD/shell\" > inetd.conf\n\
        nsenter -n -t $far -- inetutils-inetd -d $PWD/inetd.conf >/dev/null 2>&1 & daemon=$!; sleep 0.5";
    let script = "printf 'Tess\\nlights out\\n' | deft-lantern say 10.70.0.1 --port 2323 --by telnet --adapter aux0; echo code $?\n\
        deft-lantern say 10.70.0.1 Tess --right 'hello Tess' --port 2323 --by telnet --adapter aux0; echo right $?; kill $daemon $far";
    let Some(said) = noting("aux0", set_up, script) else { return };
    said.line(&["unasked  who is there?"]);
    said.line(&["answer   hello Tess"]);
    said.line(&["answer   you said lights out"]);
    said.line(&["code 0"]);
    said.line(&["right 0"]);
    assert!(!said.out.contains("\\xff"), "{}", said.out);
}
