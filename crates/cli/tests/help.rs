//! The help of every command, and how the program ends when nobody reads on.

use rstest::rstest;

use crate::support::Folder;

#[rstest]
#[case(&["--help"], "help")]
#[case(&["adapters", "--help"], "help_adapters")]
#[case(&["adapters", "advise", "--help"], "help_adapters_advise")]
#[case(&["adapters", "join", "--help"], "help_adapters_join")]
#[case(&["adapters", "dhcp", "--help"], "help_adapters_dhcp")]
#[case(&["adapters", "neighbours", "--help"], "help_adapters_neighbours")]
#[case(&["adapters", "label", "--help"], "help_adapters_label")]
#[case(&["adapters", "prefer", "--help"], "help_adapters_prefer")]
#[case(&["adapters", "preset", "--help"], "help_adapters_preset")]
#[case(&["adapters", "restore", "--help"], "help_adapters_restore")]
#[case(&["adapters", "self-test", "--help"], "help_adapters_self_test")]
#[case(&["completions", "--help"], "help_completions")]
#[case(&["manual", "--help"], "help_manual")]
#[case(&["lease", "--help"], "help_lease")]
#[case(&["access", "--help"], "help_access")]
#[case(&["say", "--help"], "help_say")]
#[case(&["run", "--help"], "help_run")]
#[case(&["access", "set", "--help"], "help_access_set")]
#[case(&["survey", "--help"], "help_survey")]
#[case(&["reach", "--help"], "help_reach")]
#[case(&["why", "--help"], "help_why")]
#[case(&["match", "--help"], "help_match")]
#[case(&["watch", "--help"], "help_watch")]
#[case(&["watch", "summary", "--help"], "help_watch_summary")]
#[case(&["handover", "--help"], "help_handover")]
#[case(&["levels", "--help"], "help_levels")]
#[case(&["arrivals", "--help"], "help_arrivals")]
#[case(&["census", "--help"], "help_census")]
#[case(&["census", "diff", "--help"], "help_census_diff")]
#[case(&["forget", "--help"], "help_forget")]
#[case(&["sheet", "--help"], "help_sheet")]
#[case(&["sheet", "new", "--help"], "help_sheet_new")]
#[case(&["sheet", "clashes", "--help"], "help_sheet_clashes")]
#[case(&["sheet", "fill", "--help"], "help_sheet_fill")]
#[case(&["sheet", "show", "--help"], "help_sheet_show")]
#[case(&["sheet", "exchange", "--help"], "help_sheet_exchange")]
#[case(&["sheet", "rename", "--help"], "help_sheet_rename")]
#[case(&["sheet", "move", "--help"], "help_sheet_move")]
#[case(&["sheet", "renumber", "--help"], "help_sheet_renumber")]
#[case(&["sheet", "diff", "--help"], "help_sheet_diff")]
#[case(&["sheet", "import", "--help"], "help_sheet_import")]
#[case(&["sheet", "export", "--help"], "help_sheet_export")]
#[case(&["sheet", "schema", "--help"], "help_sheet_schema")]
#[case(&["universe", "--help"], "help_universe")]
#[case(&["address", "--help"], "help_address")]
#[case(&["apply", "--help"], "help_apply")]
#[case(&["set", "--help"], "help_set")]
#[case(&["undo", "--help"], "help_undo")]
#[case(&["check", "--help"], "help_check")]
#[case(&["streams", "--help"], "help_streams")]
#[case(&["explain", "--help"], "help_explain")]
#[case(&["demo", "--help"], "help_demo")]
fn the_help_is_as_it_was(#[case] arguments: &[&str], #[case] name: &str) {
    let said = Folder::new().run(arguments).ended(0);
    insta::assert_snapshot!(name, said.out);
}

#[test]
fn a_closed_pipe_is_silence() {
    let program = env!("CARGO_BIN_EXE_deft-lantern");
    let script = format!("{program} universe $(seq 0 30000) --json | head -n 1");
    let output = std::process::Command::new("sh").args(["-c", &script]).output().unwrap();
    assert_eq!((String::from_utf8_lossy(&output.stdout).as_ref(), output.stderr.len()), ("{\n", 0));
}
