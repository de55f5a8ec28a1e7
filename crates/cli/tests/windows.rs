//! The program for Windows under an emulation layer: on a pretended cable of the test's own, whose nodes really are or are not what it
//! says, and with its own sockets on a private segment. `scripts/try-windows` builds it and names it in `DEFT_LANTERN_EXE`; without
//! that these tests say so and are skipped.
//!
//! Only Windows itself has what these cannot show: echo, the table of neighbours, who holds a port, an adapter's settings. The orders for
//! those and the reading of their answers are tried without it (`net/src/system/windows`).
#![cfg(target_os = "linux")]

use std::env;
use std::process::Command;

use lantern_sim::{Scene, TIDEWICK, TIDEWICK_MENDED_SHEET, TIDEWICK_SHEET};
use rstest::rstest;

use crate::cable::Plugged;
use crate::support::{Folder, Said, on_segment_with};

/// The program for Windows, in a folder.
struct Emulated {
    program: String,
    folder: Folder,
}

impl Emulated {
    fn new() -> Option<Self> {
        let Ok(program) = env::var("DEFT_LANTERN_EXE") else {
            println!("skipped: no program for Windows is named in DEFT_LANTERN_EXE; scripts/try-windows does");
            return None;
        };
        let folder = Folder::new();
        folder.write("mended.rig.toml", TIDEWICK_MENDED_SHEET);
        folder.write("hurry.rig.toml", TIDEWICK_SHEET);
        Some(Self { program, folder })
    }

    fn run(&self, arguments: &[&str], environment: &[(&str, &str)]) -> Said {
        let output = Command::new("wine")
            .arg(&self.program)
            .args(arguments)
            .current_dir(self.folder.path("."))
            .env("COLUMNS", "100")
            .envs(environment.iter().copied())
            .output();
        Said::of(&output.unwrap())
    }

    /// Runs it, plugged into a cable.
    fn beside(&self, rig: &Plugged, arguments: &[&str]) -> Said {
        self.run(arguments, &[("DEFT_LANTERN_CABLE", rig.cable())])
    }
}

#[rstest]
#[case::help(&["--help"], 0, "Find, set and check the nodes of a show network")]
#[case::a_universe(&["universe", "1:1:0"], 0, "239.255.1.16")]
#[case::clashes(&["sheet", "clashes", "hurry.rig.toml"], 1, "is given to")]
#[case::filling(&["sheet", "fill", "mended.rig.toml", "--dry-run"], 0, "")]
#[case::the_plan(&["sheet", "show", "mended.rig.toml", "--by", "universe"], 0, "0:0:0")]
#[case::a_page(&["sheet", "show", "mended.rig.toml", "--page", "page.html"], 0, "wrote page.html")]
#[case::what_was_changed(&["sheet", "diff", "hurry.rig.toml", "mended.rig.toml"], 0, "lighthouse-lamp-room")]
#[case::a_table(&["sheet", "export", "nodes", "mended.rig.toml"], 0, "quay-north,")]
#[case::a_new_sheet(&["sheet", "new", "fresh.rig.toml"], 0, "wrote fresh.rig.toml")]
#[case::a_rename(&["sheet", "rename", "quay-north", "quay-mast", "--sheet", "mended.rig.toml", "--dry-run"], 0, "quay-mast")]
#[case::another_kind(
    &["sheet", "exchange", "quay-north", "marrowbright-eight", "--sheet", "mended.rig.toml", "--dry-run"],
    0,
    "quay-north has ports 5 to 8 free"
)]
#[case::a_move(&["sheet", "move", "Quay", "10.40.21.0/24", "--sheet", "mended.rig.toml", "--dry-run"], 0, "10.40.21.100")]
#[case::other_numbers(&["sheet", "renumber", "16", "--sheet", "mended.rig.toml", "--dry-run"], 0, "0:1:0-0:2:15")]
#[case::the_schema(&["sheet", "schema"], 0, "json-schema.org")]
#[case::kinds(&["kinds", "list"], 0, "marrowbright")]
#[case::a_rule(&["explain", "A001"], 0, "A001")]
#[case::a_manual_page(&["manual"], 0, ".TH deft-lantern")]
#[case::completions(&["completions", "bash"], 0, "deft-lantern")]
#[case::adapters(&["adapters"], 0, "127.0.0.1")]
#[case::a_wrong_argument(&["set"], 2, "Usage: deft-lantern")]
#[case::a_missing_file(&["sheet", "clashes", "no-such.rig.toml"], 2, "no-such.rig.toml cannot be read")]
fn what_needs_no_network_does_what_it_does_elsewhere(
    #[case] arguments: &[&str],
    #[case] code: i32,
    #[case] text: &str,
) {
    let Some(windows) = Emulated::new() else { return };
    let said = windows.run(arguments, &[]).ended(code);
    assert!(said.out.contains(text) || said.notes.contains(text), "{}\n{}", said.out, said.notes);
}

/// What it writes as a table it reads as the same plan.
#[test]
fn a_table_goes_there_and_back() {
    let Some(windows) = Emulated::new() else { return };
    let table = windows.run(&["sheet", "export", "nodes", "mended.rig.toml"], &[]).ended(0).out;
    windows.folder.write("nodes.csv", table);
    let said = windows.run(&["sheet", "import", "nodes.csv", "--sheet", "mended.rig.toml", "--yes"], &[]).ended(0);
    assert!(said.notes.contains("0 new, 0 changed") || said.out.contains("0 new, 0 changed"), "{}", said.notes);
}

/// Whoever reads no further has read enough.
#[test]
fn a_pipe_that_nobody_reads_on_is_silence() {
    let Some(windows) = Emulated::new() else { return };
    let script = format!("wine {} sheet show mended.rig.toml | head -n 1 >first", windows.program);
    let ran = Command::new("sh").args(["-c", &script]).current_dir(windows.folder.path(".")).output().unwrap();
    assert_eq!(
        (String::from_utf8_lossy(&ran.stderr).as_ref(), windows.folder.read("first").lines().count()),
        ("", 1)
    );
}

/// A file that ends its lines as Windows does is read, and written back the same way.
#[test]
fn a_sheet_keeps_its_ends_of_lines() {
    let Some(windows) = Emulated::new() else { return };
    windows.folder.write("mended.rig.toml", TIDEWICK_MENDED_SHEET.replace('\n', "\r\n"));
    windows.run(&["sheet", "fill", "mended.rig.toml", "--yes"], &[]).ended(0);
    let written = windows.folder.read("mended.rig.toml");
    assert_eq!(written.matches('\n').count(), written.matches("\r\n").count());
}

#[test]
fn nodes_are_surveyed_set_checked_and_put_back() {
    let Some(windows) = Emulated::new() else { return };
    let rig = Plugged::beside(&Scene::parse(TIDEWICK).unwrap());
    let said = windows.beside(&rig, &["survey"]).ended(1);
    said.line(&["quay-north", "10.40.1.100", "02:4d:42:00:10:01"]);
    said.line(&["9 nodes with 48 ports"]);
    windows.beside(&rig, &["set", "quay-north", "--address", "10.40.1.150", "--yes"]).ended(0);
    assert_eq!(rig.address_of("02:4d:42:00:10:01"), "10.40.1.150");
    // A plan that holds them all: whoever is wrong is named, set, proven, and put back.
    let sheet = "mended.rig.toml";
    windows.beside(&rig, &["check", sheet]).ended(1).line(&["fail", "quay-north", "10.40.1.150"]);
    let before = rig.ground.truth();
    let said = windows.beside(&rig, &["apply", sheet, "--yes"]);
    said.line(&["done", "quay-north", "10.40.1.100", "read back"]);
    assert_eq!(rig.address_of("02:4d:42:00:10:01"), "10.40.1.100");
    windows.beside(&rig, &["undo", "--sheet", sheet, "--yes"]).ended(0);
    let after = rig.ground.truth();
    assert_eq!(ips(&after), ips(&before));
}

fn ips(truth: &[lantern_sim::Truth]) -> Vec<std::net::Ipv4Addr> {
    truth.iter().map(|node| node.ip.0).collect()
}

/// On a ground that it chooses by itself, and says so.
#[test]
fn the_demo_is_complete() {
    let Some(windows) = Emulated::new() else { return };
    let said = windows.run(&["demo"], &[]).ended(0);
    said.line(&["all 22 nodes answer as planned"]);
    assert!(said.notes.contains("they stand behind a cable that is pretended"), "{}", said.notes);
    let sheet = windows.folder.read("tidewick-demo/mended/tidewick.rig.toml");
    assert!(!sheet.contains("\"fill\""));
}

#[test]
fn a_command_beside_the_demo_finds_the_program_and_its_nodes() {
    let Some(windows) = Emulated::new() else { return };
    let said = windows.run(&["demo", "--stay", "--", "cmd", "/c", "deft-lantern survey"], &[]).ended(1);
    said.line(&["9 nodes with 48 ports"]);
    let said = windows.run(&["demo", "--stay", "--ground", "segment"], &[]).ended(2);
    assert!(said.notes.contains("a private segment needs Linux"), "{}", said.notes);
}

/// No raw frames is how it is there: said once, with what it costs, and gone on.
#[test]
fn by_its_own_sockets_nodes_are_found_and_set() {
    let Some(windows) = Emulated::new() else { return };
    // The emulation's own server sees the network that it was started in: this one needs its own.
    let prefix = windows.folder.path("wine");
    let wine = format!("wine {}", windows.program);
    let script = format!(
        "{wine} adapters --json >a.json; {wine} survey --adapter 10.40.0.7 >1; \
         {wine} set quay-north --address 10.40.1.150 --yes --adapter 10.40.0.7 >2; \
         deft-lantern survey >3; cat a.json 1 2 3"
    );
    let with = [("WINEPREFIX", prefix.to_str().unwrap()), ("WINEDEBUG", "-all"), ("HOME", "/tmp")];
    let Some(said) = on_segment_with(&script, &with) else { return };
    let said = said.ended(0);
    said.line(&["rig0"]);
    said.line(&["quay-north", "10.40.1.100"]);
    said.line(&["done", "quay-north", "10.40.1.150", "read back"]);
    // As another system's own program sees it.
    said.line(&["quay-north", "10.40.1.150"]);
}

/// What it is told to remember it finds again, in the folder that this system has for it.
#[test]
fn what_an_adapter_is_called_is_kept() {
    let Some(windows) = Emulated::new() else { return };
    let rig = Plugged::beside(&Scene::parse(TIDEWICK).unwrap());
    let label = format!("show-{}", std::process::id());
    windows.beside(&rig, &["adapters", "label", "cable0", &label]).ended(0);
    assert_eq!(windows.beside(&rig, &["adapters", "--json"]).json()["adapters"][0]["label"], label);
    assert!(!windows.folder.path("deft-lantern").exists());
}

/// The emulation has no PowerShell that does anything: without it nothing is changed, and what to type is said.
#[test]
fn an_address_of_this_computer_is_not_taken_without_what_takes_it() {
    let Some(windows) = Emulated::new() else { return };
    let tried = windows.run(&["adapters", "self-test"], &[]);
    tried.line(&["rights", "limited"]);
    let adapters = windows.run(&["adapters", "--json"], &[]).json();
    let wired = adapters["adapters"].as_array().unwrap().iter().find(|one| one["medium"] != "loopback").cloned();
    let Some(name) = wired.and_then(|one| Some(one["name"].as_str()?.to_owned())) else {
        println!("skipped: this computer has no adapter beside loopback");
        return;
    };
    let said = windows.run(&["adapters", "join", "10.99.0.50/16", "--adapter", &name], &[]);
    assert!(said.code != 0 && said.notes.contains("--print windows"), "{} {}", said.out, said.notes);
    let said = windows.run(&["adapters", "join", "10.99.0.50/16", "--adapter", &name, "--print", "windows"], &[]);
    said.ended(0).line(&["New-NetIPAddress", "10.99.0.50"]);
}
