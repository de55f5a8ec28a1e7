//! `sheet fill`: on files, whole or not at all.

use std::fs;

use lantern_core::sheet::RigSheet;
use lantern_sim::NIGHT_MENDED_SHEET;
use rstest::rstest;

use crate::support::{Folder, NIGHT};

#[test]
fn the_whole_rig_is_filled_in_and_clean() {
    let folder = Folder::night();
    let said = folder.run(&["sheet", "fill", "--yes"]).ended(0);
    said.line(&["barge-bow", "10.40.5.101", "after barge-guest"]);
    said.line(&["sea-sound", "239.69.0."]);
    assert!(said.notes.contains("t.rig.toml: written"), "{}", said.notes);
    let said = folder.run(&["sheet", "clashes"]).ended(0);
    assert_eq!(said.out, "t.rig.toml: no clash in 40 nodes, 108 ports\n");
    let once = folder.read(NIGHT);
    let said = folder.run(&["sheet", "fill", "--yes"]).ended(0);
    assert!(said.notes.contains("nothing to change"), "{}", said.notes);
    assert_eq!(folder.read(NIGHT), once);
    // Only values that were open changed; every comment stands where it stood.
    let changed = NIGHT_MENDED_SHEET.lines().zip(once.lines()).filter(|(a, b)| a != b);
    assert!(changed.into_iter().all(|(before, _)| before.contains("\"fill\"")));
}

#[rstest]
#[case::only_shown(&["sheet", "fill", "--dry-run"], 0, "nothing was written")]
#[case::nobody_to_ask(&["sheet", "fill"], 2, "nobody is there to say yes")]
fn nothing_is_written_unless_somebody_says_so(#[case] arguments: &[&str], #[case] code: i32, #[case] note: &str) {
    let folder = Folder::night();
    let said = folder.run(arguments).ended(code);
    assert!(said.notes.contains(note), "{}", said.notes);
    assert_eq!(folder.read(NIGHT), NIGHT_MENDED_SHEET);
}

#[test]
fn choices_as_json() {
    let json = Folder::night().run(&["sheet", "fill", "--dry-run", "--json"]).ended(0).json();
    let first = &json["choices"][0];
    assert_eq!(
        (&json["format"], &first["for"], &first["value"]),
        (&1.into(), &"barge-bow".into(), &"10.40.5.101".into())
    );
    assert_eq!(json["choices"].as_array().unwrap().len(), 3 + 12 + 30 + 6);
    let written = Folder::night().run(&["sheet", "fill", "--yes", "--json"]).ended(0).json();
    assert_eq!((&written["written"], written["lines"].as_array().unwrap().len()), (&true.into(), 51));
}

#[test]
fn a_contradiction_is_shown_in_its_lines_and_nothing_is_written() {
    let folder = Folder::new();
    let text =
        NIGHT_MENDED_SHEET.replace("range = \"10.40.5.0/24\"", "range = \"10.40.5.100-10.40.5.102\"").replace(
            "range = \"10.40.5.100-10.40.5.102\"\nnodes_from = 100",
            "range = \"10.40.5.100-10.40.5.102\"\nnodes_from = 0",
        );
    folder.write(NIGHT, &text);
    let said = folder.run(&["sheet", "fill", "--yes"]).ended(1);
    for part in [
        "error[B001]: 3 nodes of Barge are to be filled in, but 2 addresses are left",
        "range = \"10.40.5.100-10.40.5.102\"",
        "given to barge-guest",
        "so nothing was written",
        "next: loosen one of the demands shown",
    ] {
        assert!(said.notes.contains(part), "{part} is not in\n{}", said.notes);
    }
    assert_eq!(folder.read(NIGHT), text);
}

/// Runs the program under a limit on the size of files it writes, which stands for a disk that fills up.
#[rstest]
#[case::full_disk("trap '' XFSZ; ulimit -f 8;")]
#[case::killed_half_way("ulimit -f 8;")]
fn a_write_that_fails_half_way_leaves_the_sheet_as_it_was(#[case] limit: &str) {
    let folder = Folder::night();
    let output = folder.run_limited(limit, "sheet fill --yes");
    assert!(!output.status.success());
    assert_eq!(folder.read(NIGHT), NIGHT_MENDED_SHEET);
    folder.run(&["sheet", "fill", "--yes"]).ended(0);
}

#[cfg(unix)]
#[test]
fn a_sheet_behind_a_link_stays_behind_it_and_keeps_its_rights() {
    use std::os::unix::fs::{PermissionsExt, symlink};
    let folder = Folder::night();
    fs::rename(folder.path(NIGHT), folder.path("real.toml")).unwrap();
    fs::set_permissions(folder.path("real.toml"), fs::Permissions::from_mode(0o640)).unwrap();
    symlink("real.toml", folder.path(NIGHT)).unwrap();
    folder.run(&["sheet", "fill", NIGHT, "--yes"]).ended(0);
    assert!(fs::symlink_metadata(folder.path(NIGHT)).unwrap().is_symlink());
    assert_eq!(fs::metadata(folder.path("real.toml")).unwrap().permissions().mode() & 0o777, 0o640);
    assert!(folder.read("real.toml").contains("10.40.5.101"));
}

/// A plan of so many units, from nothing to no clash in two commands.
#[rstest]
#[case(&["12xmarrowbright-four", "3xollivane-amp"], "Quay,Fish hall", 15)]
#[case(&["500xmarrowbright-eight"], "", 500)]
fn a_plan_of_so_many_units_is_made_and_filled(#[case] units: &[&str], #[case] areas: &str, #[case] nodes: usize) {
    let folder = Folder::new();
    let units = units.iter().flat_map(|units| ["--units", units]);
    let areas = if areas.is_empty() { vec![] } else { vec!["--areas", areas] };
    let arguments: Vec<&str> = ["sheet", "new", "t.rig.toml"].into_iter().chain(units).chain(areas).collect();
    let said = folder.run(&arguments).ended(0);
    assert!(
        said.notes.contains(&format!("with {nodes} nodes")) && said.notes.contains("sheet fill"),
        "{}",
        said.notes
    );
    folder.run(&["sheet", "fill", "t.rig.toml", "--yes"]).ended(0);
    folder.run(&["sheet", "clashes", "t.rig.toml"]).ended(0);
    let sheet = RigSheet::parse(&folder.read("t.rig.toml")).unwrap();
    assert_eq!(sheet.nodes.iter().filter(|node| node.fixed_address().is_some()).count(), nodes);
    let said = folder.run(&["sheet", "new", "u.rig.toml", "--units", "2xnobody"]).ended(2);
    assert!(said.notes.contains("no kind is called nobody; there are marrowbright-eight"), "{}", said.notes);
}
