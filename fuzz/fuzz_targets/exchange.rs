#![no_main]
//! Any bytes as a designer's file, and any text as a table brought into a sheet: no panic, no endless unpacking, and what is
//! brought in is a sheet again.

use lantern_core::exchange::{Subject, from_json, import, read_scene_file, read_table};
use lantern_core::sheet::RigSheet;

const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n[[node]]\nname = \"a\"\n\
    address = \"fill\"\n[[node.port]]\nport = 1\nout = 0\n[[fixture]]\nname = \"f\"\non = 0\nslot = 1\nfootprint = 1\n";

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let sheet = RigSheet::parse(SHEET).expect("a sheet");
    if let Ok(table) = read_scene_file(bytes, Some(4)) {
        let _read = import(&sheet, Subject::Fixtures, &table);
    }
    let Ok(text) = std::str::from_utf8(bytes) else { return };
    if let Ok(json) = from_json(text) {
        let _sheet = RigSheet::parse(&json);
    }
    let Ok(table) = read_table(text, &[]) else { return };
    for subject in [Subject::Nodes, Subject::Ports, Subject::Fixtures] {
        if let Ok(imported) = import(&sheet, subject, &table) {
            RigSheet::parse(&imported.text).expect("what was brought in is a sheet");
        }
    }
});
