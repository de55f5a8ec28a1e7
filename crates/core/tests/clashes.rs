//! A sheet with one example of every clash, and the same sheet with every one of them mended.

use std::collections::BTreeSet;

use lantern_core::clash::sheet_clashes;
use lantern_core::explain::catalogue;
use lantern_core::rework::{Renumbered, renumber};
use lantern_core::sheet::RigSheet;
use rstest::rstest;

const EVERY_CLASH: &str = include_str!("sheets/every-clash.rig.toml");
const OFF_BY_ONE: &str = include_str!("sheets/off-by-one.rig.toml");

/// The families of rules about the sheet alone.
const OF_THE_SHEET: &str = "AUFSNL";

/// Line and code of every finding.
fn found(text: &str) -> Vec<(usize, String)> {
    let sheet = RigSheet::parse(text).unwrap_or_else(|errors| panic!("{:?}", errors.errors));
    sheet_clashes(&sheet).iter().map(|finding| (finding.line(), finding.rule.code.to_owned())).collect()
}

/// Line and code of every mark `#! CODE CODE -> …`.
fn marked(text: &str) -> Vec<(usize, String)> {
    let marks = text.lines().enumerate().filter_map(|(i, line)| Some((i + 1, line.split_once("#!")?.1)));
    marks
        .flat_map(|(line, mark)| {
            let codes = mark.split("->").next().unwrap_or_default().split_whitespace();
            codes.map(move |code| (line, code.to_owned())).collect::<Vec<_>>()
        })
        .collect()
}

/// The sheet with every marked line replaced by what stands behind its arrow.
fn mended(text: &str) -> String {
    let mend = |line: &str| match line.split_once(" ->") {
        Some((before, after)) if before.contains('#') => after.trim().replace("; ", "\n"),
        _ => line.to_owned(),
    };
    text.lines().map(mend).collect::<Vec<_>>().join("\n") + "\n"
}

#[rstest]
#[case::every_clash(EVERY_CLASH)]
#[case::off_by_one(OFF_BY_ONE)]
fn every_clash_is_found_at_its_line_and_nothing_else(#[case] text: &str) {
    assert_eq!(found(text), marked(text));
}

#[rstest]
#[case::every_clash(EVERY_CLASH)]
#[case::off_by_one(OFF_BY_ONE)]
fn the_mended_sheet_has_none(#[case] text: &str) {
    assert_eq!(found(&mended(text)), []);
}

#[test]
fn no_rule_about_the_sheet_is_left_out() {
    let there: BTreeSet<&str> = catalogue().iter().map(|rule| rule.code).collect();
    let of_sheet: BTreeSet<&str> = there.into_iter().filter(|code| OF_THE_SHEET.contains(&code[..1])).collect();
    let marks: Vec<(usize, String)> = [EVERY_CLASH, OFF_BY_ONE].into_iter().flat_map(marked).collect();
    let seen: BTreeSet<&str> = marks.iter().map(|(_, code)| code.as_str()).collect();
    assert_eq!(seen, of_sheet);
}

#[test]
fn what_is_off_by_one_is_mended_by_the_command_that_is_advised() {
    let sheet = RigSheet::parse(OFF_BY_ONE).unwrap();
    let finding = sheet_clashes(&sheet).remove(0);
    assert_eq!(finding.command.as_deref(), Some("sheet renumber -1 --ports"));
    let ports = Renumbered { ports_only: true, ..Renumbered::default() };
    assert_eq!(found(&renumber(&sheet, -1, &ports).unwrap().apply(OFF_BY_ONE)), []);
}
