//! `check` on the segment: every device of the sheet, whatever it is, and what is sent there, against what really stands there.

use rstest::rstest;
use serde_json::Value;

use crate::support::{Folder, Said, on_scene};

/// Two gateways to which no data comes by itself, a switch, and a desk that sends to them alone.
fn scene(sends: &str) -> String {
    let node = |number: u8| {
        format!(
            "[[node]]\nname = \"quay-{number}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:0{number}\"\naddress = \"10.40.1.10{number}\"\n\
             pages = [{{ sub = {number}, out = [0, 1, 2, 3], idle = [0, 1, 2, 3] }}]\n"
        )
    };
    let device = |number: u8, does: &str| {
        format!(
            "[[device]]\nname = \"device-{number}\"\nmac = \"02:53:44:00:00:{number:02}\"\naddress = \"10.40.0.{number}\"\n{does}\n"
        )
    };
    let art_net = format!("art_net = {{ universes = [{sends}], to = [\"10.40.1.101\", \"10.40.1.102\"] }}");
    format!("network = \"10.40.0.0\"\n{}{}{}{}", node(1), node(2), device(2, ""), device(20, &art_net))
}

fn sheet(desk: &str) -> String {
    let node = |number: u8, area: &str| {
        let port = |port: u8| format!("[[node.port]]\nport = {}\nout = \"0:{number}:{port}\"\n", port + 1);
        format!(
            "[[node]]\nname = \"quay-{number}\"\narea = \"{area}\"\nmac = \"02:4d:42:00:10:0{number}\"\naddress = \"10.40.1.10{number}\"\n{}",
            (0..4).map(port).collect::<String>()
        )
    };
    format!(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
         [[area]]\nname = \"North\"\nnetwork = \"n\"\n[[area]]\nname = \"South\"\nnetwork = \"n\"\n{}{}\
         [[source]]\nname = \"desk-one\"\naddress = \"{desk}\"\nsends = [\"0:1:0-0:1:3\", \"0:2:0-0:2:3\"]\n\
         [[switch]]\nname = \"quay-switch\"\nsockets = 8\naddress = \"10.40.0.2\"\n",
        node(1, "North"),
        node(2, "South")
    )
}

fn checked(scene: &str, sheet: &str, arguments: &str) -> Option<Said> {
    on_scene(scene, &format!("cat > s.rig.toml <<'END'\n{sheet}END\nexec deft-lantern check {arguments}\n"))
}

fn codes(answer: &Value) -> Vec<&str> {
    answer["findings"].as_array().unwrap().iter().map(|finding| finding["code"].as_str().unwrap()).collect()
}

const ALL: &str = "16, 17, 18, 19, 32, 33, 34, 35";

#[rstest]
#[case::all_as_planned(ALL, "10.40.0.20", 0, &[], "pass")]
#[case::a_universe_is_left_out("16, 17, 18, 19, 32, 33, 35", "10.40.0.20", 1, &["R008"], "pass")]
#[case::the_desk_is_elsewhere(ALL, "10.40.0.21", 1, &["R001"], "fail")]
fn desks_and_switches_are_checked_and_what_they_send(
    #[case] sends: &str,
    #[case] desk: &str,
    #[case] code: i32,
    #[case] expected: &[&str],
    #[case] verdict: &str,
) {
    let Some(said) = checked(&scene(sends), &sheet(desk), "--json") else { return };
    let answer = said.ended(code).json();
    assert_eq!(codes(&answer), expected, "{:#}", answer["findings"]);
    let verdicts = |list: &str| -> Vec<(String, String)> {
        let text = |value: &Value| value.as_str().unwrap().to_owned();
        answer[list].as_array().unwrap().iter().map(|one| (text(&one["name"]), text(&one["verdict"]))).collect()
    };
    let pair = |name: &str, verdict: &str| (name.to_owned(), verdict.to_owned());
    assert_eq!(verdicts("nodes"), [pair("quay-1", "pass"), pair("quay-2", "pass")]);
    assert_eq!(verdicts("beside"), [pair("desk-one", verdict), pair("quay-switch", "pass")]);
    let answers_in_time =
        |node: &Value| node["echo_us"].as_u64().is_some_and(|took| (1..1_000_000).contains(&took));
    assert!(answer["nodes"].as_array().unwrap().iter().all(answers_in_time), "{:#}", answer["nodes"]);
    assert_eq!(answer["areas"][0]["area"], "North");
    assert_eq!(answer["areas"][0]["pass"], 1);
}

#[test]
fn a_part_is_asked_for_by_itself_and_the_report_is_read_by_others() {
    let sheet = sheet("10.40.0.21")
        .replace("02:4d:42:00:10:02", "02:4d:42:00:10:07")
        .replace("10.40.1.102", "10.40.1.107");
    let script = format!(
        "cat > s.rig.toml <<'END'\n{sheet}END\n\
         deft-lantern check --area North; echo north $?\n\
         deft-lantern check --node 'quay-[2-9]'; echo node $?\n\
         deft-lantern check --node mast; echo nobody $?\n\
         deft-lantern check --junit report.xml; echo all $?\n\
         python3 -c 'import xml.etree.ElementTree as e; [print(s.get(\"name\"), s.get(\"tests\"), s.get(\"failures\")) for s in e.parse(\"report.xml\").getroot()]'\n"
    );
    let Some(said) = on_scene(&scene(ALL), &script) else { return };
    for line in ["north 0", "node 1", "nobody 2", "all 1"] {
        assert!(said.out.lines().any(|one| one == line), "{line}:\n{}{}", said.out, said.notes);
    }
    if crate::support::has("python3") {
        // quay-2 and the desk are not where the sheet has them; a node that is not on the sheet is one more.
        for line in ["North 1 0", "South 1 1", "rig 2 1"] {
            assert!(said.out.lines().any(|one| one == line), "{line}:\n{}", said.out);
        }
    }
}

/// Somebody plugs the missing one in while it is looked again and again: it ends by itself, and says who came.
#[test]
fn looking_again_ends_when_all_answer() {
    let late = scene(ALL).replace("address = \"10.40.0.2\"\n", "address = \"10.40.0.2\"\narrives_ms = 6000\n");
    let Some(said) = checked(&late, &sheet("10.40.0.20"), "--repeat until-all") else { return };
    let said = said.ended(0);
    assert!(said.line(&["failing: quay-switch"]).contains("1 fail"));
    assert!(said.line(&["passes now: quay-switch"]).contains("0 fail"));
    let Some(said) = checked(&late, &sheet("10.40.0.20"), "--repeat 3 --json") else { return };
    // Somebody was missing in between: that is told by how it ends too.
    let answer = said.ended(1).json();
    let rounds = answer["rounds"].as_array().unwrap();
    assert_eq!((rounds.len(), &rounds[0]["fail"], &rounds[2]["fail"]), (3, &1.into(), &0.into()));
}

#[test]
fn until_when_is_said_in_three_ways_only() {
    for wrong in ["0", "soon", "2w"] {
        let said = Folder::new().run(&["check", "x.rig.toml", "--repeat", wrong]).ended(2);
        assert!(said.notes.contains("until-all"), "{}", said.notes);
    }
}
