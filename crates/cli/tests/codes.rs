//! Codes of units: those of the standards, and a table of one's own.

use crate::support::{Folder, Rig};

const OWN: &str = "[[code]]\ncode = \"#0001\"\nkind = \"marrowbright-four\"\nmeans = \"our word for well\"\n\
    remedy = \"leave it alone\"\n[[code]]\ncode = \"E17\"\nmeans = \"\\u001b[2Jtoo hot\"\n";

#[test]
fn a_code_is_explained_with_its_remedy() {
    let folder = Folder::new();
    let said = folder.run(&["explain", "#000D", "A001"]).ended(0);
    for part in ["an output is short-circuited", "unplug what hangs there", "A001"] {
        assert!(said.out.contains(part), "{part}: {}", said.out);
    }
    folder.write("codes.toml", OWN);
    let own = folder.run(&["explain", "e17"]).ended(0);
    assert!(own.out.contains("your table") && own.out.contains("too hot"), "{}", own.out);
    assert!(!own.out.contains('\u{1b}'), "{:?}", own.out);
    assert!(folder.run(&["explain"]).ended(0).out.contains("our word for well"));
    let json = folder.run(&["explain", "#0001", "--json"]).ended(0).json();
    assert_eq!((&json["reported"][0]["yours"], &json["reported"][1]["yours"]), (&true.into(), &false.into()));
    folder.run(&["explain", "#9999"]).ended(2);
    folder.write("codes.toml", "[[code]]\ncode = 7\n");
    let broken = folder.run(&["explain", "#0001"]).ended(2);
    assert!(broken.notes.contains("codes.toml:2"), "{}", broken.notes);
    // Whoever asks for something else gets it.
    let said = folder.run(&["explain", "A001"]).ended(0);
    assert!(said.out.contains("A001") && said.notes.contains("codes.toml cannot be read"), "{}", said.notes);
}

#[test]
fn what_a_node_reports_is_told_in_the_users_words() {
    let rig = Rig::tidewick();
    assert!(rig.run_here(&["show", "quay-south"]).ended(0).out.contains("it started well"));
    rig.folder.write(
        "codes.toml",
        "[[code]]\ncode = \"#0001\"\nmeans = \"our word for well\"\nremedy = \"leave it alone\"\n",
    );
    let said = rig.run_here(&["show", "quay-south"]).ended(0);
    assert!(said.out.contains("our word for well") && said.out.contains("do  leave it alone"), "{}", said.out);
    rig.folder.write("codes.toml", "[[code]]\ncode = 7\n");
    let said = rig.run_here(&["show", "quay-south"]).ended(0);
    assert!(said.out.contains("it started well") && said.notes.contains("is left out"), "{}", said.notes);
}
