//! What is installed beside the program: completions, driven in real shells, and manual pages, read by real readers.
#![cfg(unix)]

use std::process::Command;

use rstest::rstest;

use crate::support::{Folder, has};

/// Every command as it is typed, and the heads of its manual page.
fn commands(folder: &Folder) -> Vec<String> {
    folder.run(&["manual", "--folder", "."]).ended(0);
    let pages = std::fs::read_dir(folder.path(".")).unwrap().map(|entry| entry.unwrap().file_name());
    let names = pages.filter_map(|name| name.to_str()?.strip_suffix(".1").map(ToOwned::to_owned));
    let mut all: Vec<String> = names.collect();
    all.sort();
    all
}

/// There is a page for every command and every one beneath it, and each names its options.
#[test]
fn every_command_has_a_manual_page() {
    let folder = Folder::new();
    let all = commands(&folder);
    assert!(all.len() > 60, "{all:?}");
    for name in
        ["deft-lantern", "deft-lantern-apply", "deft-lantern-sheet-fill", "deft-lantern-adapters-self-test"]
    {
        assert!(all.iter().any(|one| one == name), "no page of {name}");
    }
    for name in &all {
        let page = folder.read(&format!("{name}.1"));
        let title = format!(".TH {name} 1");
        assert!(page.contains(&title) && page.contains(".SH NAME") && page.contains(".SH SYNOPSIS"), "{page}");
    }
    let page = folder.read("deft-lantern-apply.1");
    assert!(page.contains("\\-\\-guided") && page.contains("\\-\\-json"), "its own options, and those of all");
    let printed = folder.run(&["manual", "sheet", "fill"]).ended(0);
    assert_eq!(printed.out.trim_end(), folder.read("deft-lantern-sheet-fill.1").trim_end());
    let said = folder.run(&["manual", "sheet", "fil"]).ended(2);
    assert!(said.notes.contains("there is no command \"sheet fil\""), "{}", said.notes);
    let said = folder.run(&["manual", "--folder", "nowhere"]);
    assert!(said.code != 0 && said.notes.contains("nowhere"), "{}", said.notes);
}

/// A reader of manual pages has nothing to complain of in any of them.
#[test]
fn a_reader_finds_nothing_wrong_with_the_pages() {
    if !has("groff") {
        return;
    }
    let folder = Folder::new();
    for name in commands(&folder) {
        let read = Command::new("groff")
            .args(["-k", "-man", "-ww", "-Tutf8", "-z", &format!("{name}.1")])
            .current_dir(folder.path("."))
            .output()
            .unwrap();
        assert_eq!((read.status.success(), String::from_utf8_lossy(&read.stderr).as_ref()), (true, ""), "{name}");
    }
}

/// What a shell offers after `deft-lantern sheet fi`, and after an option with a few words.
const BASH: &str = "source c; completes=$(complete -p deft-lantern | sed 's/.* -F \\([^ ]*\\) .*/\\1/'); offers() { COMP_WORDS=(\"$@\"); COMP_CWORD=$(($# - 1)); COMPREPLY=(); \
    $completes \"$1\" \"${@: -1}\" \"${@: -2:1}\"; printf '%s\\n' \"${COMPREPLY[@]}\"; }; \
    offers deft-lantern sheet fi; offers deft-lantern survey --col; offers deft-lantern --color ''";
const FISH: &str = "source c; complete -C 'deft-lantern sheet fi'; complete -C 'deft-lantern survey --col'; \
    complete -C 'deft-lantern --color '";
/// zsh completes only at a terminal: it is given one, and what it puts there is read.
const ZSH: &str = "cp c _deft-lantern; zmodload zsh/zpty; zpty z zsh -f -i; \
    zpty -w z \"PS1=; unsetopt beep; fpath=(\\$PWD \\$fpath); autoload -U compinit; compinit -u -D; bindkey '^I' complete-word; print rea''dy\"; \
    zpty -r z out '*ready*'; \
    for typed in 'sheet fi' 'survey --col' '--color au'; do \
        zpty -w -n z \"deft-lantern $typed\"$'\\t'; sleep 1.5; zpty -w -n z $'\\x01print -r -- \"<\\x05>\"\\n'; \
        zpty -r -t z out '*<*>*<*>*'; print -r -- $out; done";

/// Each shell offers what can come next.
#[rstest]
#[case::bash("bash", BASH)]
#[case::fish("fish", FISH)]
#[case::zsh("zsh", ZSH)]
fn a_shell_completes_commands_options_and_words(#[case] shell: &str, #[case] script: &str) {
    let folder = Folder::new();
    folder.write("c", folder.run(&["completions", shell]).ended(0).out);
    if !has(shell) {
        return;
    }
    let ran = Command::new(shell)
        .args((shell == "fish").then_some("--no-config"))
        .args(["-c", script])
        .current_dir(folder.path("."))
        .env("HOME", folder.path("."))
        .env("TERM", "dumb")
        .output()
        .unwrap();
    let said = format!("{}{}", String::from_utf8_lossy(&ran.stdout), String::from_utf8_lossy(&ran.stderr));
    for offered in ["fill", "--columns", "auto"] {
        assert!(said.contains(offered), "{shell} does not offer {offered}:\n{said}");
    }
}

#[rstest]
#[case("powershell")]
#[case("elvish")]
fn other_shells_get_theirs(#[case] shell: &str) {
    let said = Folder::new().run(&["completions", shell]).ended(0);
    assert!(said.out.contains("self-test") && said.out.contains("deft-lantern"), "{}", said.out);
}
