//! The whole rig as it comes out of the cases: gateways, amplifiers, stage boxes, cameras, screens and switches.
#![cfg(target_os = "linux")]

use crate::support::on_cases;

/// Two commands bring forty devices of five families to where the sheet says, patched; a check that asks anew finds it so; and one command
/// puts back what can be.
#[test]
fn the_whole_rig_comes_out_of_its_cases_by_two_commands() {
    let script = "export COLUMNS=200; ip addr add 10.60.0.7/16 dev rig0; sheet=tidewick.rig.toml\n\
        deft-lantern sheet fill $sheet --yes >/dev/null; echo fill $?\n\
        deft-lantern lease $sheet --yes --until-quiet 20s; echo lease $?\n\
        deft-lantern apply $sheet --yes; echo apply $?; deft-lantern check $sheet; echo check $?\n\
        deft-lantern streams $sheet; echo streams $?; deft-lantern apply $sheet --yes; echo again $?\n\
        deft-lantern undo --sheet $sheet --yes; echo undo $?; deft-lantern streams $sheet; deft-lantern survey";
    let Some(said) = on_cases(script) else { return };
    // Two cameras came back from another hall with fixed addresses, and do not ask; they are fetched by apply.
    for line in ["fill 0", "lease 1", "apply 0", "check 0", "streams 0", "again 0"] {
        said.line(&[line]);
    }
    said.line(&["hall-amp-left", "10.60.2.11", "told to keep it"]);
    said.line(&["quay-eye", "10.60.1.13", "did not ask"]);
    said.line(&["done", "quay-eye at 10.60.1.13, read back"]);
    // What no unit of sound and screens tells of its addressing the leases do: everybody passes.
    said.line(&["all 40 nodes answer as planned"]);
    assert!(said.notes.contains("13 devices have their address by leases that were given here"), "{}", said.notes);
    assert!(!said.out.split("check 0").next().unwrap_or_default().contains("R007"), "{}", said.out);
    said.line(&["all 35 stream ends and channel maps as planned"]);
    said.line(&["hall-amp-right", "Speakers", "1", "A", "right, flown", "Stream/2", "as planned"]);
    said.line(&["nothing to change"]);
    // Put back: streams, universes and addresses; cameras that wait for a DHCP server again are silent until there is one, and that is said.
    let put_back = said.out.split("undo 3").next().unwrap_or_default().split("again 0").nth(1).unwrap_or_default();
    assert_eq!(put_back.lines().filter(|line| line.starts_with("silent")).count(), 3, "{put_back}");
    assert!(!put_back.contains("refused"), "{put_back}");
    said.line(&["quay-eye", "192.168.1.109"]);
    said.line(&["Four", "10.40.240.1 "]);
}
