//! The commands in the README, and those on the screen of a demo that stays, typed as they are printed.
#![cfg(unix)]

use std::fmt::Write;
use std::os::unix::fs::PermissionsExt;

use crate::support::{Folder, has, on_segment};

const README: &str = include_str!("../../../README.md");

/// The commands in code blocks, without what is said about them; several in one line are several.
fn commands(text: &str) -> Vec<String> {
    let lines = text.lines().map(str::trim).filter(|line| line.starts_with("deft-lantern "));
    lines
        .flat_map(|line| line.split_once("  #").map_or(line, |(command, _)| command).split(';'))
        .map(|command| command.trim().to_owned())
        .collect()
}

/// As somebody would type it who is alone: says yes beforehand, and does not wait for half a minute.
fn typed(command: &str) -> String {
    let asks = [
        "apply mended/tidewick.rig.toml",
        "sheet fill",
        "sheet rename",
        "sheet move",
        "sheet renumber",
        "sheet import",
        "levels 0:0:1 --chase",
    ];
    let command = command.replace("30s", "1s").replace("8h", "6s");
    match &command {
        _ if command.contains("--dry-run") => command,
        _ if asks.iter().any(|ask| command.contains(ask)) => format!("{command} --yes"),
        _ if command.ends_with("watch") || command.ends_with("watch --fixtures") => format!("{command} --for 5s"),
        _ if command.ends_with("arrivals") => format!("{command} --timeout 1s"),
        _ => command,
    }
}

/// Every command of the README does something on the demo's files and nodes: none is a mistake.
#[test]
fn the_commands_of_the_readme_can_be_typed() {
    if !has("ip") {
        return;
    }
    let all = commands(README);
    assert!(all.len() > 30, "{all:?}");
    // One starts the nodes, which are here already; a designer's file is not part of the demo.
    let meant = |command: &&String| !command.contains("demo --stay") && !command.contains("design.mvr");
    let mut script = "export XDG_STATE_HOME=$PWD/state XDG_CONFIG_HOME=$PWD/config; home=$PWD\n\
        printf 'moonrise\\nmoonset22\\n' >password.txt; printf 'IP,Device\\n10.40.4.50,rented-1\\n' >rented.csv; mkdir plan; cp *.toml rented.csv plan\n\
        deft-lantern survey --save before.census.json >/dev/null 2>&1\n"
        .to_owned();
    for (i, command) in all.iter().filter(meant).enumerate() {
        // Each that rewrites the sheet finds it as it was.
        let copy = if command.contains(" sheet ") { format!("cp -r plan c{i}; cd c{i};") } else { String::new() };
        let both = "cp tidewick.rig.toml before.rig.toml; cp ../mended/tidewick.rig.toml after.rig.toml;";
        let input = if command.contains("access set") { "$home/password.txt" } else { "/dev/null" };
        let files = if command.contains("before.rig.toml") { both } else { "" };
        writeln!(
            script,
            "{copy}{files} {} <{input} >$home/out.txt 2>$home/err.txt; code=$?; cd $home; echo typed $code '{}'\n\
             [ $code -ge 2 ] && cat err.txt",
            typed(command),
            command.replace('\'', "")
        )
        .unwrap();
    }
    let Some(said) = on_segment(&script) else { return };
    let wrong: Vec<&str> = said
        .out
        .lines()
        .filter(|line| line.starts_with("typed ") && !line.starts_with("typed 0") && !line.starts_with("typed 1"))
        .collect();
    assert!(said.out.matches("typed ").count() > 30, "{}{}", said.out, said.notes);
    assert_eq!(wrong, [""; 0], "{}", said.out);
}

/// What the screen of a demo that stays proposes leads from a plan that contradicts itself to a rig that answers as planned.
#[test]
fn the_lines_of_the_start_screen_can_be_typed() {
    let folder = Folder::new();
    let shell = |text: &str| {
        folder.write("shell.sh", format!("#!/bin/sh\n{text}\n"));
        let path = folder.path("shell.sh");
        std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o755)).unwrap();
        let shell = path.display().to_string();
        let environment = [("PATH", "/usr/sbin:/usr/bin:/sbin:/bin"), ("SHELL", shell.as_str())];
        folder.run_in(&["demo", "--ground", "segment", "--stay"], &environment)
    };
    let screen = shell("exit 0");
    if screen.notes.contains("does not allow a private network") {
        return;
    }
    let lines = commands(&screen.out);
    assert_eq!(lines.len(), 7, "{}", screen.out);
    let all: Vec<String> = lines
        .iter()
        .map(|line| {
            let yes = if line.contains(" set ") || line.contains(" apply ") { " --yes" } else { "" };
            format!("{line}{yes} </dev/null; echo typed $? {line}")
        })
        .collect();
    let said = shell(&all.join("\n"));
    let codes: Vec<&str> = said.out.lines().filter_map(|line| line.strip_prefix("typed ")).collect();
    assert_eq!(codes.len(), 7, "{}{}", said.out, said.notes);
    assert!(
        codes.iter().all(|code| code.starts_with("0 ") || code.starts_with("1 ")),
        "{codes:?}\n{}",
        said.notes
    );
}
