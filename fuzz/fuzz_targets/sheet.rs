#![no_main]
//! Any text as a rig sheet: no panic in reading, judging, filling or reworking it, and what is filled in is a sheet again.

use lantern_core::clash::{Loads, sheet_clashes};
use lantern_core::fill::fill;
use lantern_core::rework::{Renumbered, rename, renumber};
use lantern_core::sheet::RigSheet;
use lantern_core::view::{address_runs, universe_uses};

libfuzzer_sys::fuzz_target!(|text: &str| {
    let Ok(sheet) = RigSheet::parse(text) else { return };
    let _clashes = sheet_clashes(&sheet);
    let _loads = Loads::of(&sheet);
    let _uses = universe_uses(&sheet);
    // Walking over millions of addresses is not what is looked for.
    if sheet.networks.iter().all(|network| network.range.value.mask().prefix() >= 20) {
        for network in 0..sheet.networks.len() {
            let _runs = address_runs(&sheet, network);
        }
        if let Ok(filled) = fill(&sheet) {
            let again = RigSheet::parse(&filled.text).expect("what was filled in is a sheet");
            assert_eq!(fill(&again).map(|filled| filled.choices.len()), Ok(0));
        }
    }
    if let Ok(edits) = renumber(&sheet, 1, &Renumbered::default()) {
        RigSheet::parse(&edits.apply(text)).expect("what was renumbered is a sheet");
    }
    if let Ok(series) = "x".parse()
        && let Ok(edits) = rename(&sheet, "?", &series)
    {
        RigSheet::parse(&edits.apply(text)).expect("what was renamed is a sheet");
    }
});
