//! Clocks of a network, announced by a real daemon and by simulated ones.
#![cfg(target_os = "linux")]

use crate::support::{has, noting, on_scene};

/// The standard's own words from somebody who did not read ours: linuxptp as grandmaster of domain 5, in a network of its own.
#[test]
fn a_real_clock_is_heard_with_what_it_says_of_itself() {
    if !has("ptp4l") {
        return;
    }
    let Some(said) = noting(
        "aux0",
        "ip link add aux0 type veth peer name aux1; ip link set aux0 up; ip addr add 10.70.0.9/24 dev aux0\n\
         unshare -n sleep 60 & far=$!; sleep 0.3; ip link set aux1 netns $far; there() { nsenter -n -t $far -- \"$@\"; }\n\
         there ip link set aux1 address 02:4d:42:00:50:01; there ip link set aux1 up; there ip addr add 10.70.0.1/24 dev aux1",
        "nsenter -n -t $far -- ptp4l -i aux1 -S -4 --domainNumber=5 --priority1=77 --free_running=1 >clock.log 2>&1 & clock=$!\n\
         sleep 10; deft-lantern survey --adapter aux0 --for 6s; deft-lantern survey --adapter aux0 --for 5s --json >seen.json\n\
         tail -n 3 clock.log >&2; grep -A 14 '\"clocks\"' seen.json; kill $clock $far",
    ) else {
        return;
    };
    said.line(&[
        "clock of domain 5: 02-4D-42-FF-FE-00-50-01, priority 77, free running, time from its own oscillator",
    ]);
    said.line(&["announced by itself at 10.70.0.1"]);
    said.line(&["10.70.0.1", "PTP grandmaster"]);
    said.line(&["\"grandmaster\": \"02-4D-42-FF-FE-00-50-01\""]);
}

/// Two that do not hear each other both lead: found, explained, and the exit code says so.
#[test]
fn two_grandmasters_of_one_domain_are_an_error() {
    let two = "network = \"10.40.0.0\"\n\
        [[device]]\nname = \"stage-box\"\nmac = \"02:4d:42:00:50:01\"\naddress = \"10.40.4.1\"\nclock = { class = 6 }\n\
        [[device]]\nname = \"rack\"\nmac = \"02:4d:42:00:50:02\"\naddress = \"10.40.4.2\"\nclock = { priority1 = 100 }\n";
    let Some(said) = on_scene(two, "deft-lantern survey --for 4s; echo code $?; deft-lantern explain W018") else {
        return;
    };
    said.line(&["error W018", "domain 0 is led by 02-4D-42-FF-FE-00-50-01"]);
    said.line(&["code 1"]);
    said.line(&["two grandmasters lead one domain"]);
}

/// What becomes of a clock while somebody watches.
#[test]
fn a_watch_tells_when_another_clock_leads_and_when_none_does() {
    let two = "network = \"10.40.0.0\"\n\
        [[device]]\nname = \"stage-box\"\nmac = \"02:4d:42:00:50:01\"\naddress = \"10.40.4.1\"\nclock = { until_ms = 9000 }\n\
        [[device]]\nname = \"rack\"\nmac = \"02:4d:42:00:50:02\"\naddress = \"10.40.4.2\"\narrives_ms = 10000\n\
        clock = { priority1 = 100, until_ms = 18000 }\n";
    let Some(said) = on_scene(two, "deft-lantern watch --for 27s | cat") else { return };
    said.line(&["clock of domain 0", "led by 02-4D-42-FF-FE-00-50-02 now"]);
    said.line(&["clock of domain 0", "02-4D-42-FF-FE-00-50-02 is announced no more, and nobody leads"]);
}
