//! Screens and projectors over real connections: read, checked against a sheet, and their passwords kept to themselves.

use std::fmt::Write;

use crate::support::{Rig, on_scene};
use lantern_sim::Scene;

fn screens() -> String {
    let mut scene = String::from("network = \"10.40.0.0\"\n");
    for i in 1..=12 {
        let class = if i > 9 { 1 } else { 2 };
        let locked = if i == 3 { ", password = \"moonrise\"" } else { "" };
        let fault = if i == 4 { ", faults = \"010000\"" } else { "" };
        let mute = if i == 12 {
            String::new()
        } else {
            format!("pjlink = {{ name = \"Wall {i}\", class = {class}{locked}{fault} }}")
        };
        write!(
            scene,
            "[[device]]\nname = \"wall-{i}\"\nmac = \"02:4d:42:00:60:{i:02x}\"\naddress = \"10.40.6.{i}\"\n{mute}\n"
        )
        .unwrap();
    }
    scene
}

/// A sheet of the twelve, and of one that is not there.
fn sheet() -> String {
    let mut sheet = String::from(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\ngateway = \"none\"\n",
    );
    for i in 1..=13 {
        write!(
            sheet,
            "[[node]]\nname = \"wall-{i}\"\nkind = \"tessaquill-wall\"\nmac = \"02:4d:42:00:60:{i:02x}\"\naddress = \"10.40.6.{i}\"\n"
        )
        .unwrap();
    }
    sheet
}

/// Each of the planned screens answers by what its kind speaks, or is said not to; and one is missing.
#[test]
fn twelve_screens_are_read_and_checked() {
    let script = format!(
        "printf '%s' '{}' > t.rig.toml; deft-lantern survey; echo; deft-lantern check t.rig.toml; echo check $?",
        sheet()
    );
    let Some(said) = on_scene(&screens(), &script) else { return };
    let (survey, check) = said.out.split_once("next: deft-lantern check").unwrap_or((&said.out, &said.out));
    for i in [1, 2, 4, 9, 10, 11] {
        assert!(survey.contains(&format!("Wall {i} ")), "{survey}");
    }
    assert!(survey.contains("PJLink Tessaquill Wall, on, digital 1"), "{survey}");
    assert!(survey.contains("PJLink, wants a password"), "{survey}");
    for words in [
        ["wall-1 ", "as told", "10.40.6.1"],
        ["wall-11", "as told", "10.40.6.11"],
        ["wall-12", "mute", "answers no PJLink"],
    ] {
        said.line(&words);
    }
    said.line(&["wall-13", "missing"]);
    assert!(check.contains("W016  Wall 4 at 10.40.6.4 reports lamp: warning"), "{check}");
    assert!(check.contains("warning W015") && check.contains("check 1"), "{check}");
}

/// A planned device that answers nothing better is asked for its web page, which says what it is called.
#[test]
fn a_stage_box_answers_by_its_web_page() {
    let scene = "network = \"10.40.0.0\"\n[[device]]\nname = \"left\"\nmac = \"02:4d:42:00:30:01\"\naddress = \"10.40.3.1\"\n\
                 web = { title = \"Stage left\" }\n[[device]]\nname = \"right\"\nmac = \"02:4d:42:00:30:02\"\naddress = \"10.40.3.2\"\n";
    let node = |name: &str, last: u8| {
        format!(
            "[[node]]\nname = \"{name}\"\nkind = \"ollivane-stagebox\"\nmac = \"02:4d:42:00:30:0{last}\"\naddress = \"10.40.3.{last}\"\n"
        )
    };
    let head = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n";
    let sheet = [head, &node("left", 1), &node("right", 2), &node("gone", 3)].concat();
    let script = format!("printf '%s' '{sheet}' > t.rig.toml; deft-lantern check t.rig.toml; echo check $?");
    let Some(said) = on_scene(scene, &script) else { return };
    assert!(said.out.contains("web page \"Stage left\"; seen by") && said.out.contains("HTTP"), "{}", said.out);
    said.line(&["right", "as told", "10.40.3.2"]);
    said.line(&["gone", "missing"]);
    assert!(said.out.contains("check 1"), "{}", said.out);
}

/// A right password opens, a wrong one is said in words; and neither is in anything that is written or shown.
#[test]
fn passwords_are_nowhere_but_where_their_owner_keeps_them() {
    let script = "mkdir -p conf/deft-lantern out; cd out; export XDG_CONFIG_HOME=$PWD/../conf; \
        printf '[pjlink]\\nall = \"moonset\"\\n\"10.40.6.3\" = \"moonrise\"\\n' > ../conf/deft-lantern/secrets.toml; \
        deft-lantern survey --save open.census.json > 0.txt 2>&1; \
        chmod 600 ../conf/deft-lantern/secrets.toml; \
        deft-lantern survey --save a.census.json --record a.pcapng > 1.txt 2>&1; \
        DEFT_LANTERN_PASSWORD_PJLINK=moonfall deft-lantern survey --json > 2.txt 2>&1; \
        rm ../conf/deft-lantern/secrets.toml; \
        DEFT_LANTERN_PASSWORD_PJLINK=moonset deft-lantern survey > 3.txt 2>&1; \
        grep -h 'not read' 0.txt; echo; grep -h '10.40.6.3 ' 1.txt 3.txt; echo leaks; grep -rlE 'moonrise|moonset|moonfall' . \"$HOME\"/.local 2>/dev/null; echo end";
    let Some(said) = on_scene(&screens(), script) else { return };
    assert!(said.out.contains("others can read it; for you alone: chmod 600"), "{}", said.out);
    said.line(&["Wall 3", "PJLink Tessaquill Wall, on"]);
    said.line(&["10.40.6.3", "PJLink, refuses the password"]);
    assert!(said.out.contains("leaks\nend"), "{}", said.out);
}

/// On loopback too they are found by their search, and read over real connections.
#[test]
fn they_stand_on_loopback_too() {
    let rig = Rig::with(&Scene::parse(&screens()).unwrap());
    let said = rig.run_here(&["survey"]);
    for i in [1, 2, 9] {
        said.line(&[&format!("Wall {i} "), "PJLink Tessaquill Wall, on, digital 1"]);
    }
    assert!(said.out.contains("PJLink, wants a password"), "{}", said.out);
    assert!(
        !said.out.contains("Wall 11"),
        "class 1 answers no search, and nobody else tells of it here: {}",
        said.out
    );
}

/// Only the passwords that a kind states are tried, and only when told: who still takes its factory's is named, who has another one, who
/// wants none and who is of another kind are not.
#[test]
fn a_password_left_over_from_the_factory_is_found() {
    let sheet = sheet().replace("tessaquill-wall", "wall")
        + "[[kind]]\nname = \"wall\"\nmaker = \"Tessaquill\"\nmodel = \"Wall\"\nports = 0\nspeaks = [\"pjlink\"]\n\
           [[kind.factory_login]]\nway = \"pjlink\"\npassword = \"sunset\"\n";
    let left_over = screens()
        .replace("name = \"Wall 5\"", "password = \"sunset\", name = \"Wall 5\"")
        .replace("name = \"Wall 6\"", "password = \"moonset\", name = \"Wall 6\"");
    let script = format!(
        "export COLUMNS=200; printf '%s' '{sheet}' > t.rig.toml\n\
         deft-lantern check | grep -c W022; echo untold; deft-lantern check --factory-passwords; echo told $?\n\
         deft-lantern check --factory-passwords --node wall-6 | grep -c W022; echo other\n\
         deft-lantern kinds show wall; grep -rl sunset --exclude=t.rig.toml .; echo searched\n\
         sed -i 's/wall-5/wall-5a/; /factory_login/,$d' t.rig.toml; deft-lantern check --factory-passwords 2>&1; echo none $?"
    );
    let Some(said) = on_scene(&left_over, &script) else { return };
    assert!(said.out.starts_with("0\nuntold\n"), "{}", said.out);
    said.line(&["W022", "wall-5 at 10.40.6.5", "by PJLink", "the password of its factory"]);
    assert_eq!(said.out.matches("W022").count(), 1, "{}", said.out);
    said.line(&["deft-lantern access set wall-5 --way pjlink"]);
    said.line(&["told 1"]);
    assert!(said.out.contains("0\nother\n"), "{}", said.out);
    said.line(&["leaves the factory with", "a known password by PJLink"]);
    said.line(&["no kind of what is to be checked states a [[kind.factory_login]]"]);
    said.line(&["none 2"]);
    assert!(!said.out.contains("sunset"), "{}", said.out);
}
