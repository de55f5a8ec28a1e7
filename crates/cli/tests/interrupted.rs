//! Ctrl-C, a request to end and a pipe that nobody reads on, at any moment: calm, written down, and nothing left taken.
#![cfg(unix)]

use std::io::{BufRead, BufReader};
use std::os::unix::process::ExitStatusExt;
use std::process::{Child, ExitStatus};
use std::time::{Duration, Instant};

use lantern_sim::{Scene, TIDEWICK};
use rstest::rstest;
use rustix::process::{Pid, Signal, kill_process};
use serde_json::Value;

use crate::support::{Rig, noting};

/// Long enough for a machine whose processors somebody else has for seconds; that it takes a tenth of a second, the middle of
/// many times says.
const CALMLY: Duration = Duration::from_secs(30);
const AT_ONCE: Duration = Duration::from_millis(300);

/// The end of a program that was asked to end just now.
fn ended(child: &mut Child) -> ExitStatus {
    let asked = Instant::now();
    loop {
        if let Some(status) = child.try_wait().unwrap() {
            return status;
        }
        assert!(asked.elapsed() < CALMLY, "it goes on");
        std::thread::sleep(Duration::from_millis(5));
    }
}

/// How long the program took to end, each time it was asked to.
#[derive(Default)]
struct Ends(Vec<Duration>);

impl Ends {
    fn of(&mut self, child: &mut Child) -> ExitStatus {
        let asked = Instant::now();
        let status = ended(child);
        self.0.push(asked.elapsed());
        status
    }

    /// It ends at once: the middle one of all times says so, on a loaded machine too.
    fn are_calm(mut self) {
        self.0.sort_unstable();
        let middle = self.0.get(self.0.len() / 2).copied().unwrap_or_default();
        assert!(middle < AT_ONCE, "{:?}", self.0);
    }
}

/// Every step in the logbook that was about to be sent, and what became of it.
fn steps(rig: &Rig) -> Vec<(String, String)> {
    let text = std::fs::read_to_string(rig.folder.path("tidewick.log.jsonl")).unwrap_or_default();
    let lines = text.lines().map(|line| serde_json::from_str::<Value>(line).expect("a whole line"));
    let mut steps: Vec<(String, String)> = Vec::new();
    for line in lines.filter(|line| line["record"] == "step") {
        let key = format!("{} {}", line["node"], line["step"]);
        let stage = line["stage"].as_str().unwrap().to_owned();
        match steps.iter_mut().find(|(other, _)| *other == key) {
            Some(step) => step.1 = stage,
            None => steps.push((key, stage)),
        }
    }
    steps
}

/// Whether whoever started the tests made them deaf to Ctrl-C, as a shell does with what runs in its background: the program
/// is deaf to it then, too.
fn is_deaf(signal: Signal) -> bool {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let mask = status.lines().find_map(|line| line.strip_prefix("SigIgn:")).unwrap_or("0");
    let mask = u64::from_str_radix(mask.trim(), 16).unwrap_or(0);
    let deaf = mask & 1 << (signal.as_raw() - 1) != 0;
    if deaf {
        println!("skipped: {signal:?} is ignored here");
    }
    deaf
}

/// Ends by the signal, at once, whatever it was at; after it the same command does the rest.
#[rstest]
#[case::survey(&["survey"])]
#[case::arrivals(&["arrivals"])]
#[case::check(&["check", "tidewick.rig.toml"])]
fn looking_ends_at_any_moment(#[case] arguments: &[&str], #[values(Signal::INT, Signal::TERM)] signal: Signal) {
    if is_deaf(signal) {
        return;
    }
    let (rig, mut ends) = (Rig::tidewick(), Ends::default());
    for after in [40, 100, 200, 300, 450, 700, 1000, 1400, 1900, 2400] {
        let mut child = rig.start(arguments);
        std::thread::sleep(Duration::from_millis(after));
        kill_process(Pid::from_child(&child), signal).unwrap();
        assert_eq!(ends.of(&mut child).signal(), Some(signal.as_raw()), "after {after} ms");
    }
    ends.are_calm();
    // What was seen before it was broken off is not taken for the whole rig.
    assert!(!rig.run(&["survey"]).out.contains("new since"));
}

/// What a survey has seen is shown, though it was broken off.
#[test]
fn a_survey_that_is_broken_off_shows_what_it_saw() {
    let rig = Rig::tidewick();
    // Where others take the processors it has not seen much after so short a time.
    let saw = [1500, 4000, 12_000].into_iter().any(|after| {
        let mut child = rig.start(&["survey", "--for", "1m"]);
        std::thread::sleep(Duration::from_millis(after));
        kill_process(Pid::from_child(&child), Signal::TERM).unwrap();
        ended(&mut child);
        std::io::read_to_string(child.stdout.take().unwrap()).unwrap().contains("quay-north")
    });
    assert!(saw);
}

/// A rig of which every node has to change, broken off again and again: at the end all is as planned, and every step that
/// was sent has an end in the logbook.
#[test]
fn changes_that_are_broken_off_twenty_times_are_finished_at_last() {
    let rig = Rig::tidewick();
    rig.ground.switch("slip-low", true);
    let (mut broken, mut ends) = (0, Ends::default());
    for moment in 0..20 {
        let mut child = rig.start(&["apply", "tidewick.rig.toml", "--yes", "--restart", "5"]);
        // One that comes after one that was broken off waits for what is under way: every fourth is given time for that.
        let waits = if moment % 4 == 3 { 10_500 } else { 0 };
        std::thread::sleep(Duration::from_millis(2600 + moment * 130 + waits));
        if child.try_wait().unwrap().is_none() {
            kill_process(Pid::from_child(&child), Signal::TERM).unwrap();
            broken += usize::from(ends.of(&mut child).signal() == Some(Signal::TERM.as_raw()));
        }
        for (step, stage) in steps(&rig) {
            assert!(!matches!(stage.as_str(), "sending" | "repeating"), "{step} was left at {stage}");
        }
    }
    assert!(broken > 0, "nothing was broken off");
    ends.are_calm();
    rig.run(&["apply", "tidewick.rig.toml", "--yes"]);
    rig.run(&["check", "tidewick.rig.toml"]).ended(0);
}

/// Nobody reads on: what only looks ends well, and what changes nodes says that it is not finished.
#[test]
fn a_closed_pipe_ends_what_waits() {
    let rig = Rig::with(&Scene::parse(TIDEWICK).unwrap());
    let guest = rig.ground.guest().to_string();
    for arguments in [&["arrivals", "--adapter", &guest][..], &["survey", "--for", "1m", "--adapter", &guest]] {
        let mut ends = Ends::default();
        for moment in 0..20 {
            let mut child = rig.start(arguments);
            std::thread::sleep(Duration::from_millis(50 + moment * 120));
            drop(child.stdout.take());
            assert_eq!(ends.of(&mut child).code(), Some(0), "{arguments:?}, moment {moment}");
        }
        ends.are_calm();
    }
}

#[test]
fn a_closed_pipe_stops_changes_before_the_next_send() {
    let rig = Rig::tidewick();
    let mut child = rig.start(&["apply", "tidewick.rig.toml", "--yes"]);
    let first = BufReader::new(child.stdout.take().unwrap()).lines().next().unwrap().unwrap();
    assert!(!first.is_empty());
    let began = Instant::now();
    let status = loop {
        match child.try_wait().unwrap() {
            Some(status) => break status,
            None => assert!(began.elapsed() < Duration::from_secs(20)),
        }
        std::thread::sleep(Duration::from_millis(20));
    };
    assert_eq!(status.code(), Some(3));
    assert!(steps(&rig).iter().all(|(_, stage)| stage != "sending"));
}

/// What ends test levels.
#[derive(Clone, Copy)]
enum End {
    TheTime,
    By(Signal),
    ClosedPipe,
}

/// What a node really puts out, before, while and after test levels are sent, however they end.
#[rstest]
#[case::its_time_is_over(End::TheTime)]
#[case::interrupted(End::By(Signal::INT))]
#[case::asked_to_end(End::By(Signal::TERM))]
#[case::the_terminal_is_gone(End::By(Signal::HUP))]
#[case::nobody_reads_on(End::ClosedPipe)]
fn test_levels_are_released_however_they_end(#[case] end: End) {
    if matches!(end, End::By(signal) if is_deaf(signal)) {
        return;
    }
    let (rig, mut child) = sending_levels(if matches!(end, End::TheTime) { "3s" } else { "1m" });
    match end {
        End::TheTime => {}
        End::By(signal) => kill_process(Pid::from_child(&child), signal).unwrap(),
        End::ClosedPipe => drop(child.stdout.take()),
    }
    assert!(puts_out_soon(&rig, 0), "{:?} is left", rig.ground.levels(1));
    let status = child.wait().unwrap();
    let signal = if let End::By(signal) = end { Some(signal.as_raw()) } else { None };
    assert_eq!((status.signal(), status.success()), (signal, signal.is_none()));
}

/// Nobody can release what was killed by force: so it was said before the first message.
#[test]
fn what_force_leaves_behind_was_said() {
    let (rig, mut child) = sending_levels("1m");
    child.kill().unwrap();
    child.wait().unwrap();
    assert!(!puts_out_soon(&rig, 0), "a node that holds its levels");
    let out = std::io::read_to_string(child.stdout.take().unwrap()).unwrap();
    assert!(out.contains("killed by force, it may keep these levels"), "{out}");
}

/// A node that gets test levels at this moment.
fn sending_levels(length: &str) -> (Rig, Child) {
    let rig = Rig::with(&Scene::parse(LIT).unwrap());
    let guest = rig.ground.guest().to_string();
    assert_eq!(rig.ground.levels(1), Vec::<Vec<u8>>::new());
    let child = rig.start(&["levels", "0:0:1", "--all", "50%", "--for", length, "--yes", "--adapter", &guest]);
    assert!(puts_out_soon(&rig, 128), "{:?}", rig.ground.levels(1));
    (rig, child)
}

/// Whether within some seconds all 512 slots of the node are at this level.
fn puts_out_soon(rig: &Rig, level: u8) -> bool {
    let began = Instant::now();
    while began.elapsed() < Duration::from_secs(15) {
        if rig.ground.levels(1) == [vec![level; 512]] {
            return true;
        }
        std::thread::sleep(Duration::from_millis(20));
    }
    false
}

const LIT: &str = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\n\
    mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.1\"\npages = [{ out = [1] }]\n";

/// An address that was taken is given back, whether the command beside it listens to the signal or not.
#[test]
fn what_was_taken_is_given_back() {
    let Some(said) = noting(
        "rig0",
        "kept() { ls state/deft-lantern/adapters 2>/dev/null | wc -l; }",
        "note before; i=0\n\
         for command in 'sleep 60' 'sh -c \"trap : TERM; while :; do sleep 1; done\"'; do\n\
         eval \"deft-lantern adapters join 10.99.0.5/24 -- $command\" & pid=$!\n\
         until ip -4 addr show dev rig0 | grep -q 10.99.0.5; do sleep 0.02; done; sleep 4.3\n\
         pkill -TERM -P $pid -f 'adapters join' || kill -TERM $pid; wait $pid; echo code $?\n\
         note after; same before after; echo kept $(kept); done\n\
         deft-lantern adapters join 10.99.0.5/24 & pid=$!\n\
         until ip -4 addr show dev rig0 | grep -q 10.99.0.5; do sleep 0.02; done; sleep 0.5\n\
         kill -TERM $pid; wait $pid; echo code $?; note after; same before after; echo kept $(kept)",
    ) else {
        return;
    };
    assert_eq!(said.out.matches("same before after").count(), 3, "{}\n{}", said.out, said.notes);
    assert_eq!(said.out.matches("kept 0").count(), 3, "{}", said.out);
    assert_eq!(said.out.matches("code 143").count(), 3, "{}", said.out);
}

/// At twenty moments: before the address is asked for, while it is, once it is taken, and while its defenders are listened for.
#[test]
fn joining_ends_at_any_moment_and_gives_back() {
    let Some(said) = noting(
        "rig0",
        "kept() { ls state/deft-lantern/adapters 2>/dev/null | wc -l; }",
        "note before; i=1; while [ $i -le 20 ]; do\n\
         deft-lantern adapters join 10.99.0.5/24 -- sleep 60 & pid=$!\n\
         sleep $(printf '%d.%d' $((i * 3 / 10)) $((i * 3 % 10)))\n\
         asked=$(date +%s%N); kill -TERM $pid; wait $pid; echo code $? took $((($(date +%s%N) - asked) / 1000000))\n\
         note after; same before after; echo kept $(kept); i=$((i + 1)); done",
    ) else {
        return;
    };
    assert_eq!(said.out.matches("same before after").count(), 20, "{}\n{}", said.out, said.notes);
    assert_eq!(said.out.matches("kept 0").count(), 20, "{}", said.out);
    assert_eq!(said.out.matches("code 143").count(), 20, "{}", said.out);
    let took = said.out.lines().filter_map(|line| line.split_once("took ")?.1.parse().ok());
    Ends(took.map(Duration::from_millis).collect()).are_calm();
}
