//! A whole rig with a fault at fourteen places at once: `check` finds all of them and nothing else, `why` names the rung of
//! each, and what it says is to be done, typed as printed, mends it where a command can.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::time::Instant;

use serde_json::Value;

use crate::support::{has, on_scene_alone};

/// What is wrong with one node, and what is said of it.
struct Fault {
    name: &'static str,
    /// The rung that `why` names, and its code.
    rung: (&'static str, &'static str),
    /// The codes of what `check` says of it.
    checked: &'static [&'static str],
    /// Whether what `why` says is to be done is a command that mends it.
    is_mended: bool,
}

const fn fault(
    name: &'static str,
    rung: (&'static str, &'static str),
    checked: &'static [&'static str],
    is_mended: bool,
) -> Fault {
    Fault { name, rung, checked, is_mended }
}

const FAULTS: [Fault; 14] = [
    fault("other-subnet", ("subnet", "D003"), &["R003", "W002"], true),
    fault("narrow-mask", ("subnet", "D004"), &["R003"], true),
    fault("off", ("arp", "D006"), &["R001"], false),
    fault("moved", ("arp", "D007"), &["R003"], true),
    fault("replaced", ("arp", "D008"), &["R001", "R005"], false),
    fault("shared", ("alone", "D009"), &["W001"], false),
    fault("walled", ("echo", "D011"), &["R001"], false),
    fault("mute", ("protocol", "D013"), &["R001"], false),
    fault("mispatched", ("patch", "D016"), &["R003"], true),
    fault("by-sacn", ("patch", "D017"), &["R011"], false),
    fault("one-off", ("patch", "D018"), &["R012"], true),
    fault("unsent", ("patch", "D019"), &["R008"], false),
    fault("unfed", ("data", "D020"), &["R015"], false),
    fault("merging", ("merge", "D021"), &["R016"], true),
];

/// The scene and its sheet being written. Every node has one output on a universe of its own.
#[derive(Default)]
struct Rig {
    scene: String,
    sheet: String,
    /// The universes that the desk sends to everybody.
    sent: Vec<u16>,
}

impl Rig {
    /// Where the output of the node of this number is planned.
    fn universe(number: u16) -> String {
        format!("{}:{}:0", number / 16, number % 16)
    }

    fn planned(&mut self, name: &str, mac: &str, address: &str, number: u16) {
        let out = Self::universe(number);
        writeln!(
            self.sheet,
            "[[node]]\nname = \"{name}\"\nmac = \"{mac}\"\naddress = \"{address}\"\n[[node.port]]\nport = 1\nout = \"{out}\""
        )
        .unwrap();
    }

    /// A gateway that stands at `address` with these lines more.
    fn standing(&mut self, name: &str, number: u16, address: &str, more: &str, port: &str) {
        let (net, sub) = (number / 16, number % 16);
        writeln!(
            self.scene,
            "[[node]]\nname = \"{name}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:{number:02x}\"\n\
             address = \"{address}\"\n{more}\npages = [{{ net = {net}, sub = {sub}, {port} }}]"
        )
        .unwrap();
    }

    /// A gateway as planned, with these lines more.
    fn node(&mut self, name: &str, number: u16, more: &str, port: &str) {
        let address = format!("10.40.1.{number}");
        self.standing(name, number, &address, more, port);
        self.planned(name, &format!("02:4d:42:00:10:{number:02x}"), &address, number);
    }

    fn device(&mut self, number: u16, address: &str, more: &str) {
        writeln!(
            self.scene,
            "[[device]]\nname = \"\"\nmac = \"02:53:44:00:00:{number:02x}\"\naddress = \"{address}\"\n{more}"
        )
        .unwrap();
    }

    fn feeds(&mut self, numbers: impl IntoIterator<Item = u16>) {
        self.sent.extend(numbers.into_iter().map(|number| number * 16));
    }
}

const WAITS: &str = "out = [0], idle = [0]";

/// Forty devices: twenty-three gateways as planned and fourteen that are not, and three desks.
fn rig() -> Rig {
    let mut rig = Rig::default();
    for number in 1..24 {
        rig.node(&format!("node-{number}"), number, "", WAITS);
    }
    rig.feeds((1..24).chain(30..=38));
    rig.standing("other-subnet", 30, "192.168.1.30", "mask = \"255.255.255.0\"", WAITS);
    rig.planned("other-subnet", "02:4d:42:00:10:1e", "192.168.1.30", 30);
    rig.node("narrow-mask", 31, "mask = \"255.255.255.0\"", WAITS);
    rig.node("off", 32, "off = true", WAITS);
    rig.standing("moved", 33, "10.40.9.33", "", WAITS);
    rig.planned("moved", "02:4d:42:00:10:21", "10.40.1.33", 33);
    rig.node("replaced", 34, "off = true", WAITS);
    rig.device(1, "10.40.1.34", "");
    rig.node("shared", 35, "", WAITS);
    rig.device(2, "10.40.1.35", "");
    rig.device(36, "10.40.1.36", "echo = false");
    rig.planned("walled", "02:53:44:00:00:24", "10.40.1.36", 36);
    rig.device(37, "10.40.1.37", "");
    rig.planned("mute", "02:53:44:00:00:25", "10.40.1.37", 37);
    rig.node("mispatched", 38, "", "out = [5], idle = []");
    rig.node("by-sacn", 39, "", WAITS);
    rig.device(0x52, "10.40.0.22", "sacn = { name = \"guest desk\", universes = [624] }");
    rig.node("one-off", 40, "", WAITS);
    rig.sent.push(641);
    rig.node("unsent", 41, "", WAITS);
    rig.sheet += "[[source]]\nname = \"desk-one\"\nsends = [\"2:9:0\"]\n";
    rig.node("unfed", 42, "", WAITS);
    rig.device(0x51, "10.40.0.21", "art_net = { universes = [672], to = [\"10.40.0.7\"] }");
    rig.node("merging", 43, "", "out = [0], merging = [0]");
    let all: Vec<String> = rig.sent.iter().map(u16::to_string).collect();
    rig.device(0x50, "10.40.0.20", &format!("art_net = {{ universes = [{}] }}", all.join(", ")));
    rig
}

/// Looks at all, asks why of each, does what is said of some, and looks again.
const SCRIPT: &str = r#"
says() { sed -n '/^  "finding"/,$p' $1.json | grep '"remedy"' | grep -o 'deft-lantern [^;"]*'; }
addresses() { ip -4 -o addr show dev rig0 | wc -l; }
# An address that is advised is taken in the background, as in another window.
typed() {
    case "$1" in
    *' adapters advise '*)
        before=$(addresses)
        eval "$(eval "$1" 2>/dev/null | grep -o 'deft-lantern adapters join .*' | head -1)" >/dev/null 2>&1 &
        for i in $(seq 100); do [ $(addresses) -gt $before ] && break; sleep 0.1; done ;;
    *) eval "$1 --yes" </dev/null ;;
    esac
}
deft-lantern check s.rig.toml --json >check.json 2>>notes
for name in $FAULTS node-7; do deft-lantern why $name --json >$name.json 2>>notes; done
for name in $MENDED; do
    says $name >commands
    while read -r command <&3; do typed "$command" >>mended 2>&1; done 3<commands
    deft-lantern why $name --json >$name.after.json 2>>notes
done
deft-lantern check s.rig.toml --json >check.after.json 2>>notes
for file in *.json; do printf '%s\t' "${file%.json}"; tr -d '\n' <$file; echo; done
cat notes mended >&2
"#;

/// Which rung is broken, and its code; nothing where none is.
fn broken(answer: &Value) -> Option<(&str, &str)> {
    let last = answer["rungs"].as_array()?.last()?;
    (last["state"] == "broken").then_some((last["rung"].as_str()?, answer["finding"]["code"].as_str()?))
}

/// The codes of all findings, in order.
fn codes(answer: &Value) -> Vec<&str> {
    let findings = answer["findings"].as_array().unwrap();
    let codes = findings.iter().map(|finding| finding["code"].as_str().unwrap());
    // Of two at one address it is chance which of them is asked for its settings, and one of them has none to tell.
    let mut codes: Vec<&str> = codes.filter(|code| *code != "R006").collect();
    codes.sort_unstable();
    codes
}

fn expected(is_meant: impl Fn(&&Fault) -> bool) -> Vec<&'static str> {
    let mut codes: Vec<&str> = FAULTS.iter().filter(is_meant).flat_map(|fault| fault.checked).copied().collect();
    codes.sort_unstable();
    codes
}

fn names(is_meant: impl Fn(&&Fault) -> bool) -> String {
    FAULTS.iter().filter(is_meant).map(|fault| fault.name).collect::<Vec<_>>().join(" ")
}

#[test]
fn fourteen_faults_at_once_are_found_named_and_mended() {
    if !has("ip") {
        return;
    }
    let (rig, began) = (rig(), Instant::now());
    let sheet = format!(
        "[rig]\nname = \"Quay\"\n[[network]]\nname = \"rig\"\nrange = \"10.40.0.0/16\"\n\
         [[network]]\nname = \"office\"\nrange = \"192.168.1.0/24\"\n{}",
        rig.sheet
    );
    let (all, mended) = (names(|_| true), names(|fault| fault.is_mended));
    let script = format!("cat > s.rig.toml <<'END'\n{sheet}END\nFAULTS='{all}' MENDED='{mended}'\n{SCRIPT}");
    let Some(said) = on_scene_alone(&format!("network = \"10.40.0.0\"\n{}", rig.scene), &script) else { return };
    let said = said.ended(0);
    println!("{:.0} s", began.elapsed().as_secs_f32());
    let answers: BTreeMap<&str, Value> = said
        .out
        .lines()
        .filter_map(|line| line.split_once('\t'))
        .map(|(name, json)| (name, serde_json::from_str(json).unwrap_or_else(|_| panic!("{name}: {json}"))))
        .collect();
    let check = &answers["check"];
    assert_eq!(codes(check), expected(|_| true), "{:#}", check["findings"]);
    for node in check["nodes"].as_array().unwrap() {
        let name = node["name"].as_str().unwrap();
        // One that tells everything as planned passes, whatever is sent to it. Of two at one address (W001), see [`codes`].
        let is_well = FAULTS.iter().all(|fault| {
            fault.name != name || fault.checked.iter().all(|code| !code.starts_with("R00") && *code != "W001")
        });
        assert!(!is_well || node["verdict"] == "pass", "{node:#}");
    }
    let finding_of = |fault: &Fault, code: &str| {
        let named =
            |finding: &&Value| finding["code"] == code && finding["what"].as_str().unwrap().contains(fault.name);
        check["findings"].as_array().unwrap().iter().any(|finding| named(&finding))
    };
    for fault in &FAULTS {
        let why = &answers[fault.name];
        assert_eq!(broken(why), Some(fault.rung), "{}: {why:#}", fault.name);
        assert!(
            fault.checked.iter().all(|code| finding_of(fault, code)),
            "{}: {:#}",
            fault.name,
            check["findings"]
        );
    }
    assert_eq!(broken(&answers["node-7"]), None, "{:#}", answers["node-7"]);
    for fault in FAULTS.iter().filter(|fault| fault.is_mended) {
        let after = &answers[format!("{}.after", fault.name).as_str()];
        assert_eq!(broken(after), None, "{} after mending: {after:#}\n{}", fault.name, said.notes);
    }
    let after = &answers["check.after"];
    assert_eq!(codes(after), expected(|fault| !fault.is_mended), "{:#}\n{}", after["findings"], said.notes);
}
