//! Cameras over real connections: found, read, set, taken back, also from another subnet; and their passwords kept to themselves.

use assert_cmd::Command;

use crate::support::on_scene;

const PASSWORD: &str = "moonrise over the quay";

fn scene() -> String {
    let camera = |i: u8, address: &str, of_device: &str, of_role: &str| {
        format!(
            "[[device]]\nname = \"eye-{i}\"\nmac = \"02:54:51:00:70:0{i}\"\naddress = \"{address}\"\n{of_device}\
             onvif = {{ name = \"Eye {i}\", location = \"Hall\", user = \"tess\", password = \"{PASSWORD}\"{of_role} }}\n"
        )
    };
    [
        "network = \"10.40.0.0\"\n".to_owned(),
        // A clock that is wrong by decades; a digest is of what it shows.
        camera(1, "10.40.7.101", "", ", clock = \"2004-02-29T23:59:30\""),
        camera(2, "192.168.1.64", "mask = \"255.255.255.0\"\n", ", quirks = [\"needs-restart\"]"),
        camera(3, "10.40.7.103", "", ", quirks = [\"digest-in-request\"]"),
        camera(4, "10.40.7.104", "", ", quirks = [\"moves-before-answering\", \"states-far-address\"]"),
    ]
    .concat()
}

fn sheet() -> String {
    let node = |i: u8, name: &str| {
        format!(
            "[[node]]\nname = \"{name}\"\nkind = \"tessaquill-eye\"\nmac = \"02:54:51:00:70:0{i}\"\naddress = \"10.40.7.{i}\"\n\
             location = \"{name}, Tidewick\"\n"
        )
    };
    let head =
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\ngateway = \"10.40.0.1\"\n";
    [head, &node(1, "left"), &node(2, "quay"), &node(3, "balcony"), &node(4, "hall")].concat()
}

fn kept() -> String {
    format!(
        "mkdir conf; export XDG_CONFIG_HOME=$PWD/conf; printf '%s' '{}' > t.rig.toml\n\
         keep() {{ echo '{PASSWORD}' | deft-lantern access set \"$@\" --way onvif --user tess; }}\n",
        sheet()
    )
}

/// All four come home by one command, the one of another subnet too, and go back by one; what is said is read back by a check
/// that asks anew.
#[test]
fn cameras_come_home_and_go_back() {
    let script = kept()
        + "keep tessaquill-eye; deft-lantern apply t.rig.toml --yes; echo apply $?; deft-lantern check t.rig.toml; echo check $?\n\
           deft-lantern set 10.40.7.2 --location 'Quay & <Co>' --host-name eye-quay --yes; echo set $?\n\
           deft-lantern check t.rig.toml | grep 'location is'; deft-lantern undo --yes; deft-lantern undo --yes; echo undo $?\n\
           deft-lantern survey";
    let Some(said) = on_scene(&scene(), &script) else { return };
    for line in ["done  left at 10.40.7.1, read back", "done  quay at 10.40.7.2, read back", "apply 0", "check 0"]
    {
        said.line(&[line]);
    }
    said.line(&["all 4 nodes answer as planned"]);
    said.line(&["location is Quay & <Co>, planned quay, Tidewick"]);
    for line in ["done  Eye 1 at 10.40.7.101, read back", "done  Eye 2 at 192.168.1.64, read back", "undo 0"] {
        said.line(&[line]);
    }
    said.line(&["Eye 3", "10.40.7.103", "ONVIF Tessaquill Eye, Hall"]);
}

/// Without a password, and with a wrong one, nothing is set, and it is said how to keep the right one.
#[test]
fn without_the_right_password_it_is_said_how_to_keep_it() {
    let script = kept()
        + "deft-lantern set 10.40.7.101 --location Here --yes 2>&1; echo none $?\n\
           echo moonset | deft-lantern access set 10.40.7.101 --way onvif --user tess\n\
           deft-lantern set 10.40.7.101 --location Here --yes 2>&1; echo wrong $?\n\
           deft-lantern check t.rig.toml; echo check $?\n\
           keep left; deft-lantern access list; deft-lantern set 10.40.7.101 --location Here --yes; echo right $?\n\
           deft-lantern access drop left --way onvif; deft-lantern access drop left --way onvif; echo dropped $?";
    let Some(said) = on_scene(&scene(), &script) else { return };
    for line in ["none 2", "wrong 2", "check 1", "right 0", "dropped 2"] {
        said.line(&[line]);
    }
    said.line(&["Eye 1 wants a password, and is told nothing without the right one"]);
    said.line(&["Eye 1 refuses the password, and is told nothing without the right one"]);
    said.line(&["do", "keep the right one: deft-lantern access set 10.40.7.101 --way onvif"]);
    // What is kept of its MAC address counts more than what is kept of its address.
    said.line(&["02:54:51:00:70:01", "ONVIF", "tess", "•••", "the file"]);
    said.line(&["Eye 1 at 10.40.7.101, read back"]);
}

/// The password is in nothing that is written, shown or told to other programs; and a failing program would leave no picture of it.
#[test]
fn a_password_is_nowhere_but_in_the_file() {
    let script = kept()
        + "mkdir out; cd out; cp ../t.rig.toml .; ulimit -c unlimited 2>/dev/null; keep all > 0.txt 2>&1\n\
           deft-lantern survey --save a.census.json --record a.pcapng > 1.txt 2>&1\n\
           deft-lantern apply t.rig.toml --yes --record b.pcapng > 2.txt 2>&1\n\
           deft-lantern check t.rig.toml --json > 3.txt 2>&1; deft-lantern handover t.rig.toml > 4.txt 2>&1\n\
           deft-lantern access list --json > 5.txt 2>&1; deft-lantern keep save 10.40.7.1 > 6.txt 2>&1\n\
           deft-lantern watch --lines > 7.txt 2>&1 & watch=$!; sleep 4\n\
           tr '\\0' ' ' < /proc/$watch/cmdline > 8.txt; tr '\\0' ' ' < /proc/$watch/environ > 9.txt\n\
           grep 'Max core file size' /proc/$watch/limits; kill $watch; wait $watch\n\
           (sleep 2; echo moonrise) | deft-lantern access set all --way pjlink & set=$!; sleep 1\n\
           grep 'Max core file size' /proc/$set/limits; wait\n\
           stat -c 'mode %a' ../conf/deft-lantern/secrets.toml; ls ../conf/deft-lantern; ls | wc -l\n\
           echo leaks; grep -rla moonrise . \"$HOME\"/.local 2>/dev/null; echo end";
    let Some(said) = on_scene(&scene(), &script) else { return };
    let cores: Vec<&str> = said.out.lines().filter(|line| line.starts_with("Max core file size")).collect();
    let none = |line: &&str| line.split_whitespace().filter(|word| *word == "0").count() == 2;
    assert!(cores.len() == 2 && cores.iter().all(none), "{}", said.out);
    said.line(&["mode 600"]);
    assert!(said.out.contains("leaks\nend"), "{}", said.out);
}

/// Calls that make no sense are told why, and keep nothing.
#[test]
fn wrong_calls_keep_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let run = |args: &[&str], input: &str| {
        let mut command = Command::new(env!("CARGO_BIN_EXE_deft-lantern"));
        command.args(args).env("XDG_CONFIG_HOME", folder.path()).current_dir(folder.path());
        let said = command.write_stdin(input.to_owned()).output().unwrap();
        (said.status.code(), String::from_utf8_lossy(&said.stderr).into_owned())
    };
    for (args, input, why) in [
        (&["access", "set", "all", "--way", "onvif"][..], "x\n", "add --user NAME"),
        (&["access", "set", "all", "--way", "pjlink", "--user", "x"], "x\n", "knows no users"),
        (&["access", "set", "all", "--way", "pjlink"], "\n", "1 to 1024 bytes"),
        (&["access", "set", "nobody", "--way", "pjlink"], "x\n", "is no node of the sheet, no kind"),
        (&["access", "set", "all", "--way", "sacn"], "x\n", "[possible values: pjlink, onvif, snmp]"),
        (&["access", "set", "all", "--way", "onvif", "--user", "x", "--privacy"], "x\ny\n", "leave --privacy out"),
        (&["access", "set", "all", "--way", "snmp", "--user", "x", "--privacy"], "x\n\n", "1 to 1024 bytes"),
        (&["access", "set", "all", "--way", "snmp", "--privacy"], "x\ny\n", "--user <NAME>"),
        (&["access", "drop", "all", "--way", "pjlink"], "", "no PJLink password of all is kept"),
    ] {
        let (code, said) = run(args, input);
        assert!(code == Some(2) && said.contains(why), "{args:?}: {said}");
    }
    assert!(!folder.path().join("deft-lantern/secrets.toml").exists());
    assert_eq!(run(&["access", "set", "all", "--way", "pjlink"], "a b\n").0, Some(0));
    std::fs::write(folder.path().join("deft-lantern/secrets.toml"), "[pjlink]\nall = moonrise").unwrap();
    let (code, said) = run(&["access", "list"], "");
    assert!(code == Some(2) && !said.contains("moonrise"), "{said}");
}
