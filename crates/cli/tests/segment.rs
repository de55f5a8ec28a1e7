//! The same commands on a private Ethernet segment: a real kernel's ARP, echo and broadcast. Where the system allows
//! no private network these tests say so and are skipped.
#![cfg(target_os = "linux")]

use rstest::rstest;

use crate::support::{Folder, has, on_segment};

#[test]
fn nodes_are_found_at_the_addresses_of_the_scene() {
    let Some(said) = on_segment("deft-lantern survey") else { return };
    let said = said.ended(1);
    said.line(&["quay-north", "10.40.1.100", "02:4d:42:00:10:01"]);
    said.line(&["slip-high", "10.40.4.101", "02:4d:42:00:40:02"]);
    said.line(&["9 nodes with 48 ports"]);
    assert!(said.notes.contains("on rig0 as 10.40.0.7 in 10.40.0.0/16"), "{}", said.notes);
}

#[test]
fn a_node_is_moved_and_the_kernel_reaches_it_there() {
    if !has("ping") {
        return;
    }
    let script = "deft-lantern set quay-north --address 10.40.1.150 --yes && \
                  ping -c 1 -W 2 10.40.1.150 && ! ping -c 1 -W 1 10.40.1.100";
    let Some(said) = on_segment(script) else { return };
    said.ended(0).line(&["done", "quay-north", "10.40.1.150", "read back"]);
}

#[rstest]
#[case("10.40.1.101", 1, "02:4D:42:00:10:02")]
#[case("10.40.1.199", 0, "Received 0 response(s)")]
fn probes_are_answered_by_whoever_holds_the_address(#[case] address: &str, #[case] code: i32, #[case] text: &str) {
    if !has("arping") {
        return;
    }
    let Some(said) = on_segment(&format!("arping -D -c 2 -w 2 -I rig0 {address}")) else { return };
    assert!(said.ended(code).out.contains(text));
}

#[test]
fn a_node_that_left_the_subnet_is_heard_named_and_not_written_to() {
    let script = "deft-lantern set quay-north --address 192.168.7.9 --mask /24 --outside --yes; deft-lantern survey; \
                  deft-lantern set quay-north --address 10.40.1.100 --yes";
    let Some(said) = on_segment(script) else { return };
    let said = said.ended(2);
    said.line(&["heard", "quay-north at 192.168.7.9, out of reach for reading back"]);
    said.line(&["quay-north", "192.168.7.9", "other subnet"]);
    said.line(&["error W002", "quay-north has 192.168.7.9, this computer is in 10.40.0.0/16"]);
    assert!(said.notes.contains("error C007"), "{}", said.notes);
}

#[test]
fn the_whole_job_is_done_on_the_segment_too() {
    let folder = Folder::new();
    let said = folder.run(&["demo", "--ground", "segment"]).ended(0);
    said.line(&["all 22 nodes answer as planned; 18 speak no Art-Net and are out of reach of this computer"]);
}

#[test]
fn the_exit_code_of_the_command_beside_is_ours() {
    let Some(said) = on_segment("exit 7") else { return };
    said.ended(7);
    let said = Folder::new().run(&["demo", "--stay", "--", "no-such-program"]).ended(2);
    assert!(said.notes.contains("no-such-program cannot be started"), "{}", said.notes);
}
