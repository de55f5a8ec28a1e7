//! `watch`: what it tells, held against what was done to the nodes; its file, its figures, and its screen.
#![cfg(unix)]

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use lantern_sim::{NIGHT, Scene};
use rstest::rstest;
use rustix::process::Signal;
use serde_json::Value;

use crate::support::terminal::AtTerminal;
use crate::support::{Folder, Rig, has, on_scene};

fn scene() -> String {
    let node = |i: u8| {
        format!(
            "[[node]]\nname = \"quay-{i}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:0{i}\"\n\
             address = \"10.40.1.{i}\"\npages = [{{ out = [{i}] }}]\n"
        )
    };
    let source = "[[device]]\nname = \"desk\"\nmac = \"02:53:44:00:00:01\"\naddress = \"10.40.0.20\"\n\
                  art_net = { universes = [1] }\n";
    format!("network = \"10.40.0.0\"\n{}{source}", (1..=4).map(node).collect::<String>())
}

fn rig() -> Rig {
    Rig::with(&Scene::parse(&scene()).unwrap())
}

fn started(rig: &Rig, arguments: &[&str]) -> Child {
    let guest = rig.ground.guest().to_string();
    rig.start(&[arguments, &["--adapter", &guest]].concat())
}

fn wait(seconds: f32) {
    std::thread::sleep(Duration::from_secs_f32(seconds));
}

#[test]
fn what_it_tells_is_what_was_done() {
    let rig = rig();
    let mut child = started(&rig, &["watch", "--json", "--for", "26s", "--record", "night.watch.jsonl"]);
    wait(5.0);
    rig.ground.switch("quay-2", false);
    wait(9.0);
    rig.ground.switch("quay-2", true);
    let lines: Vec<Value> = BufReader::new(child.stdout.take().unwrap())
        .lines()
        .map(|line| serde_json::from_str(&line.unwrap()).unwrap())
        .collect();
    assert_eq!(child.wait().unwrap().code(), Some(0));
    let told: Vec<(&str, &str)> = lines
        .iter()
        .filter(|line| line["event"] == "happened")
        .map(|line| (line["who"].as_str().unwrap(), line["what"].as_str().unwrap()))
        .collect();
    assert_eq!(told, [("quay-2", "silent"), ("quay-2", "restarted"), ("quay-2", "back")], "{lines:#?}");
    let at = |what: &str| lines.iter().find(|line| line["what"] == what).unwrap()["at_ms"].as_u64().unwrap();
    assert!(at("silent") < 5000 + 8500 && at("back") > 14_000, "{lines:#?}");
    let last = |name: &str| lines.iter().rfind(|line| line["name"] == name).unwrap();
    assert_eq!((&last("quay-2")["state"], &last("quay-2")["silences"]), (&"answers".into(), &1.into()));
    assert_eq!(last("quay-3")["silences"], 0);

    let summary = rig.run(&["watch", "summary", "night.watch.jsonl", "--json"]).ended(1).json();
    let worst = &summary["devices"][0];
    assert_eq!((&worst["name"], &worst["silences"], &worst["restarts"]), (&"quay-2".into(), &1.into(), &1.into()));
    assert_eq!((&summary["ended"], &summary["torn_lines"]), (&true.into(), &0.into()));
    let page = rig.run(&["watch", "summary", "night.watch.jsonl"]).ended(1);
    assert!(page.out.contains("1 silent at some time") && page.out.contains("quay-2  silent"), "{}", page.out);
}

#[test]
fn on_the_wire_everybody_is_asked_and_named() {
    let script = "deft-lantern watch --for 8s --json >all; echo $?; cat all";
    let Some(said) = on_scene(&scene(), script) else { return };
    let said = said.ended(0);
    let (code, lines) = said.out.split_once('\n').unwrap();
    assert_eq!(code, "0", "{}", said.out);
    let lines: Vec<Value> = lines.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let last = |name: &str| lines.iter().rfind(|line| line["name"] == name).unwrap();
    for i in 1..=4 {
        let one = last(&format!("quay-{i}"));
        assert_eq!((&one["state"], &one["address"]), (&"answers".into(), &format!("10.40.1.{i}").into()));
        assert!(one["last_answer_us"].as_u64().unwrap() < 200_000, "an echo, not a poll: {one}");
    }
    assert!(!lines.iter().any(|line| line["event"] == "happened"), "{lines:#?}");
}

/// What a collector gets.
fn fetched(at: &str, path: &str, accept: &str) -> String {
    let mut link = TcpStream::connect(at).unwrap();
    write!(link, "GET {path} HTTP/1.1\r\nHost: x\r\nAccept: {accept}\r\nConnection: close\r\n\r\n").unwrap();
    let mut answer = String::new();
    link.read_to_string(&mut answer).unwrap();
    answer
}

#[test]
fn figures_are_served_while_it_lasts_and_on_this_computer_only() {
    let rig = rig();
    let mut child = started(&rig, &["watch", "--for", "20s", "--metrics", "0"]);
    let mut notes = BufReader::new(child.stderr.take().unwrap());
    let at = loop {
        let mut line = String::new();
        assert!(notes.read_line(&mut line).unwrap() > 0, "no place was told");
        if let Some(rest) = line.strip_prefix("figures are served at http://") {
            break rest.trim().trim_end_matches("/metrics").to_owned();
        }
    };
    assert!(at.starts_with("127.0.0.1:"), "{at}");
    wait(6.0);
    let open = fetched(&at, "/metrics", "application/openmetrics-text");
    assert!(open.starts_with("HTTP/1.1 200") && open.contains("application/openmetrics-text"), "{open}");
    assert!(open.trim_end().ends_with("# EOF"), "{open}");
    let network = rig.address(1, 2);
    let figure = format!("lantern_device_answers{{name=\"quay-2\",address=\"{network}\"}} 1");
    assert!(open.contains(&figure), "{figure} in {open}");
    assert!(open.contains("lantern_universe_live{protocol=\"Art-Net\",universe=\"0:0:1\""), "{open}");
    let plain = fetched(&at, "/metrics", "text/plain");
    assert!(plain.contains("# TYPE lantern_device_questions_total counter"), "{plain}");
    assert!(fetched(&at, "/", "").starts_with("HTTP/1.1 404"));
    if has("promtool") {
        let body = plain.split_once("\r\n\r\n").unwrap().1;
        let mut tool = Command::new("promtool")
            .args(["check", "metrics"])
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        tool.stdin.take().unwrap().write_all(body.as_bytes()).unwrap();
        let output = tool.wait_with_output().unwrap();
        let said = String::from_utf8_lossy(&[output.stdout, output.stderr].concat()).into_owned();
        assert!(output.status.success() && said.trim().is_empty(), "{said}");
    } else {
        println!("skipped: no promtool here");
    }
    child.kill().unwrap();
    child.wait().unwrap();
}

/// Whether the terminal was given back: out of the second screen, with its cursor.
fn is_given_back(screen: &str) -> bool {
    let left = screen.rfind("\u{1b}[?1049l").zip(screen.rfind("\u{1b}[?1049h"));
    left.is_some_and(|(left, entered)| left > entered) && screen.rfind("\u{1b}[?25h").is_some()
}

#[rstest]
#[case::by_its_key(None)]
#[case::asked_to_end(Some(Signal::TERM))]
#[case::interrupted(Some(Signal::INT))]
#[case::hung_up(Some(Signal::HUP))]
fn the_terminal_is_given_back_however_it_ends(#[case] signal: Option<Signal>) {
    let rig = rig();
    let mut terminal = AtTerminal::start_as("xterm", &rig, &["watch"]);
    terminal.resizes(80, 24);
    terminal.sees("4 events");
    wait(3.0);
    terminal.presses("2");
    terminal.resizes(120, 40);
    wait(0.7);
    terminal.presses("3");
    terminal.resizes(200, 60);
    wait(0.7);
    match signal {
        Some(signal) => terminal.gets(signal),
        None => terminal.presses("q"),
    }
    let (ended, screen) = terminal.ended();
    // 1 where somebody seemed silent on a loaded machine; by the signal where one came.
    assert_eq!(ended.code().is_some_and(|code| code <= 1), signal.is_none(), "{ended:?} {screen}");
    let all = format!("\u{1b}[?1049h{screen}");
    assert!(is_given_back(&all), "{screen:?}");
    assert!(screen.contains("watched for"), "{screen:?}");
}

#[rstest]
#[case::watch(&["watch"], "4 events")]
#[case::levels(&["levels", "0:0:1"], "q end")]
fn nothing_goes_on_at_a_terminal_that_was_closed(#[case] arguments: &[&str], #[case] shown: &str) {
    let rig = rig();
    let mut terminal = AtTerminal::start_as("xterm", &rig, arguments);
    terminal.resizes(80, 24);
    terminal.sees(shown);
    wait(1.0);
    terminal.closed();
}

#[rstest]
#[case::too_often(&["watch", "--every", "100ms"], "500ms or more")]
#[case::no_place(&["watch", "--metrics", "nowhere"], "write a port")]
#[case::no_record(&["watch", "summary", "t.rig.toml"], "does not begin as the record of a watch does")]
fn what_cannot_be_is_said(#[case] arguments: &[&str], #[case] said: &str) {
    let folder = Folder::night();
    let answer = folder.run(arguments).ended(2);
    assert!(answer.notes.contains(said), "{}", answer.notes);
}

/// Fixtures are asked when that is wanted: the one that is too hot is told, once, with its limit, and nobody else is.
#[test]
fn a_fixture_that_is_too_hot_is_told() {
    let rig = Rig::with(&Scene::parse(NIGHT).unwrap());
    let said = rig.run_here(&["watch", "--fixtures=5s", "--for", "16s", "--json"]).ended(0);
    let lines: Vec<Value> = said.out.lines().filter_map(|line| serde_json::from_str(line).ok()).collect();
    let of = |word: &str| lines.iter().filter(|line| line["what"] == word).collect::<Vec<_>>();
    let troubles: Vec<&str> = of("trouble").iter().filter_map(|line| line["who"].as_str()).collect();
    assert_eq!(troubles, ["mast-spot-2 (7ff0:00000012)"; 2], "{}", said.out);
    assert!(said.out.contains("in order is up to 70") && said.out.contains("it is too hot"), "{}", said.out);
    assert!(of("silent").is_empty() && of("in-order").is_empty(), "{}", said.out);
    let without = rig.run_here(&["watch", "--for", "6s", "--json"]).ended(0);
    assert!(!without.out.contains("mast-spot-2"), "{}", without.out);
}

#[test]
fn a_record_is_never_written_over() {
    let rig = rig();
    rig.folder.write("night.watch.jsonl", "mine\n");
    let said = rig.run_here(&["watch", "--for", "1s", "--record", "night.watch.jsonl"]).ended(2);
    assert!(said.notes.contains("exists already"), "{}", said.notes);
    assert_eq!(rig.folder.read("night.watch.jsonl"), "mine\n");
}
