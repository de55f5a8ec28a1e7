//! Every command of `docs/situations.md` is typed, on a segment where the situation is so, and what is said to come back does.

use std::collections::BTreeMap;

use crate::support::{has, on_scene};

const PAGE: &str = include_str!("../../../docs/situations.md");

/// One situation: where it is so, what is typed, and what is to come back, a part for each command.
struct Situation<'a> {
    title: &'a str,
    stands: &'a str,
    commands: Vec<&'a str>,
    parts: Vec<&'a str>,
}

fn situations() -> Vec<Situation<'static>> {
    let block = |text: &'static str, kind: &str| -> Vec<&'static str> {
        let (_, rest) = text.split_once(&format!("```{kind}\n")).unwrap_or_else(|| panic!("no {kind} in {text}"));
        rest.split_once("\n```").unwrap().0.lines().collect()
    };
    PAGE.split("\n## ")
        .skip(1)
        .map(|text| Situation {
            title: text.lines().next().unwrap(),
            stands: text.split_once("<!-- stands: ").unwrap().1.split_once(" -->").unwrap().0,
            commands: block(text, "sh"),
            parts: block(text, "text"),
        })
        .collect()
}

/// A node: its number, address, universes and what else it has.
fn node(name: &str, number: u8, address: &str, out: &str, more: &str) -> String {
    format!(
        "[[node]]\nname = \"{name}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:0{number}\"\n\
         address = \"{address}\"\npages = [{{ {out} }}]\n{more}\n"
    )
}

fn device(number: u8, address: &str, more: &str) -> String {
    format!(
        "[[device]]\nname = \"device-{number}\"\nmac = \"02:53:44:00:00:{number:02}\"\naddress = \"{address}\"\n{more}\n"
    )
}

/// Who stands there, and the sheet where there is one.
fn stage(stands: &str) -> (String, Option<String>) {
    let north = |address: &str, out: &str, more: &str| node("quay-north", 1, address, out, more);
    let all = "out = [0, 1, 2, 3]";
    let south = node("quay-south", 2, "10.40.1.11", "sub = 1, out = [0, 1, 2, 3]", "");
    let west = |address: &str, more: &str| node("hall-west", 3, address, "sub = 2, out = [0, 1, 2, 3]", more);
    let sends = |universes: &str| device(20, "10.40.0.20", &format!("art_net = {{ universes = [{universes}] }}"));
    let desk = sends("0, 1, 2, 3, 16, 17, 18, 19, 32, 33, 34, 35");
    let idle = "out = [0, 1, 2, 3], idle = [0, 1, 2, 3]";
    let well = || vec![north("10.40.1.10", all, ""), south.clone(), west("10.40.1.12", "")];
    let parties: Vec<String> = match stands {
        "rig" | "rig, no sheet" => [well(), vec![desk]].concat(),
        "rig, no desk" => well(),
        "stray" => {
            let far = west("192.168.7.12", "mask = \"255.255.255.0\"");
            vec![north("10.40.1.10", all, ""), south.clone(), far, desk]
        }
        "twins" => vec![north("10.40.240.1", all, ""), node("unit", 2, "10.40.240.1", all, "")],
        "dark" => vec![north("10.40.1.10", all, "off = true"), south.clone(), west("10.40.1.12", ""), desk],
        "off by one" => vec![
            north("10.40.1.10", "out = [0, 1, 2, 3], idle = [0]", ""),
            node("quay-south", 2, "10.40.1.11", "sub = 1, out = [0, 1, 2, 3], idle = [0]", ""),
            node("hall-west", 3, "10.40.1.12", "sub = 2, out = [0, 1, 2, 3], idle = [0]", ""),
            sends("1, 2, 3, 4, 17, 18, 19, 20, 33, 34, 35, 36"),
        ],
        "wrong patch" => {
            vec![north("10.40.1.10", "out = [0, 5, 2, 3]", ""), south.clone(), west("10.40.1.12", ""), desk]
        }
        "other protocol" => {
            let sacn = device(20, "10.40.0.20", "sacn = { name = \"Quay desk\", universes = [1, 2, 3] }");
            vec![north("10.40.1.10", idle, ""), south.clone(), west("10.40.1.12", ""), sacn]
        }
        "two desks" => {
            let sacn = |n: u8| {
                device(n, &format!("10.40.0.{n}"), &format!("sacn = {{ name = \"desk {n}\", universes = [1] }}"))
            };
            vec![sacn(20), sacn(21)]
        }
        "sacn desk" => vec![device(20, "10.40.0.20", "sacn = { name = \"Quay desk\", universes = [7] }")],
        "arriving" => vec![device(20, "10.40.0.20", ""), device(21, "10.40.0.21", "arrives_ms = 6000")],
        "dhcp" => vec![device(20, "10.40.0.20", "dhcp_offers = \"10.40.9.1\"")],
        "streams" => vec![device(
            20,
            "10.40.0.20",
            "streams = [{ name = \"mix\", kind = \"audio\", group = \"239.69.10.1\", port = 5004, format = \"L24/48000/2\" }]",
        )],
        "wrong stream" => vec![
            "[[device]]\nname = \"hall-stagebox\"\nmac = \"02:53:44:00:00:20\"\naddress = \"10.40.1.20\"\n\
             nmos = { label = \"Stage box\", senders = [{ label = \"Mix\", to = [\"239.69.10.1:5004\"], channels = [\"L\", \"R\"], enabled = true }] }\n"
                .to_owned(),
            "[[device]]\nname = \"hall-amp\"\nmac = \"02:53:44:00:00:21\"\naddress = \"10.40.1.21\"\n\
             nmos = { label = \"Amp\", receivers = [{ label = \"In A\", from = [\"239.1.1.1:5004\"] }] }\n"
                .to_owned(),
        ],
        other => panic!("nobody knows how it is where {other:?}"),
    };
    let planned = |name: &str, number: u8, address: &str, sub: u8| {
        let ports: String =
            (0..4).map(|port| format!("[[node.port]]\nport = {}\nout = \"0:{sub}:{port}\"\n", port + 1)).collect();
        format!(
            "[[node]]\nname = \"{name}\"\nmac = \"02:4d:42:00:10:0{number}\"\naddress = \"{address}\"\n{ports}"
        )
    };
    let sheet = format!(
        "[rig]\nname = \"Quay\"\n[[network]]\nname = \"rig\"\nrange = \"10.40.0.0/16\"\ngateway = \"none\"\n{}{}{}\
         [[source]]\nname = \"desk\"\naddress = \"10.40.0.20\"\nsends = [\"0:0:0-0:0:3\", \"0:1:0-0:1:3\", \"0:2:0-0:2:3\"]\n",
        planned("quay-north", 1, "10.40.1.10", 0),
        planned("quay-south", 2, "10.40.1.11", 1),
        planned("hall-west", 3, "10.40.1.12", 2),
    );
    let has_sheet =
        ["rig", "rig, no desk", "stray", "twins", "dark", "off by one", "wrong patch", "other protocol"]
            .contains(&stands);
    (format!("network = \"10.40.0.0\"\n{}", parties.concat()), has_sheet.then_some(sheet))
}

/// Typed as it stands, where a person would say yes too.
fn typed(command: &str) -> String {
    let asks = ["deft-lantern apply", "deft-lantern set", "deft-lantern undo", "deft-lantern levels 0:0:0 --set"];
    let is_asked = asks.iter().any(|asks| command.starts_with(asks)) && !command.contains("--dry-run");
    if is_asked { format!("{command} --yes") } else { command.to_owned() }
}

/// The script of a situation: each command's words after a mark of its own.
fn script(situation: &Situation<'_>, sheet: Option<&str>) -> String {
    let mut lines =
        vec!["mkdir w; cd w; export XDG_STATE_HOME=$PWD/state XDG_CONFIG_HOME=$PWD/config COLUMNS=150".to_owned()];
    if let Some(sheet) = sheet {
        lines.push(format!("cat > show.rig.toml <<'END'\n{sheet}END"));
    }
    // Yesterday one of them was not there yet.
    if situation.commands.iter().any(|command| command.contains("yesterday")) {
        lines.push("deft-lantern survey --save yesterday.census.json >/dev/null 2>&1; sed -i 's/hall-west/hall-east/' yesterday.census.json".to_owned());
    }
    if situation.commands.iter().any(|command| command.contains("--on-data-loss hold")) {
        lines.push("deft-lantern set 'quay-*' --on-data-loss dark --yes >/dev/null 2>&1".to_owned());
    }
    for (number, command) in situation.commands.iter().enumerate() {
        lines.push(format!("echo '@@{number}'; {{ {}; }} 2>&1", typed(command)));
    }
    lines.push("true".to_owned());
    lines.join("\n")
}

#[test]
fn every_command_of_the_page_is_typed_and_answers_as_it_says() {
    if !has("ip") {
        return;
    }
    let all = situations();
    assert!(all.len() >= 25, "{}", all.len());
    let mut wrong: BTreeMap<&str, String> = BTreeMap::new();
    let only = std::env::var("SITUATION").ok();
    let worker = |part: usize| {
        let mut wrong = Vec::new();
        for situation in all.iter().skip(part).step_by(4) {
            if only.as_ref().is_some_and(|only| !situation.title.contains(only.as_str())) {
                continue;
            }
            assert_eq!(situation.commands.len(), situation.parts.len(), "{}", situation.title);
            let (scene, sheet) = stage(situation.stands);
            let Some(said) = on_scene(&scene, &script(situation, sheet.as_deref())) else { return wrong };
            let answers: Vec<&str> = said.out.split("@@").skip(1).collect();
            for ((command, part), answer) in situation.commands.iter().zip(&situation.parts).zip(&answers) {
                if !answer.contains(part) {
                    wrong.push((situation.title, format!("$ {command}\nis to say {part:?}, and says {answer}")));
                }
            }
        }
        wrong
    };
    std::thread::scope(|scope| {
        let workers: Vec<_> = (0..4).map(|part| scope.spawn(move || worker(part))).collect();
        for one in workers {
            for (title, said) in one.join().unwrap() {
                *wrong.entry(title).or_default() += &said;
            }
        }
    });
    assert!(
        wrong.is_empty(),
        "{}",
        wrong.iter().map(|(title, said)| format!("## {title}\n{said}\n")).collect::<String>()
    );
}
