//! Streams and channel maps over real connections: shown, patched by the sheet, read back, taken back.

use crate::support::{has, noting, on_scene};

/// A stage box, two amplifiers and a registry; with these habits of the second amplifier.
fn scene(habits: &str) -> String {
    let device = |i: u8, name: &str, rest: &str| {
        format!(
            "[[device]]\nname = \"{name}\"\nmac = \"02:54:51:00:60:0{i}\"\naddress = \"10.40.6.{i}\"\n{rest}\n"
        )
    };
    let amp = |label: &str, further: &str| {
        format!(
            "nmos = {{ label = \"{label}\", receivers = [{{ label = \"In A\", legs = 2 }}, {{ label = \"In B\" }}], \
             inputs = [{{ id = \"in1\", label = \"Stream\", channels = [\"Left\", \"Right\"] }}], \
             outputs = [{{ id = \"out1\", label = \"Speakers\", channels = [\"Out 1\", \"Out 2\"] }}]{further} }}"
        )
    };
    [
        "network = \"10.40.0.0\"\n".to_owned(),
        device(1, "box", "nmos = { label = \"Stage box\", senders = [{ label = \"Mix\", to = [\"239.1.1.1:5004\", \"239.2.1.1:5004\"], channels = [\"L\", \"R\"] }] }"),
        device(2, "left", &amp("Amp \\u001b[31m2", "")),
        device(3, "right", &amp("Amp 3", &format!(", registered = true{habits}"))),
        device(9, "registry", "nmos_registry = { page = 1 }"),
    ]
    .concat()
}

fn sheet() -> String {
    let node = |i: u8, name: &str| {
        format!(
            "[[node]]\nname = \"{name}\"\nkind = \"streamer\"\nmac = \"02:54:51:00:60:0{i}\"\naddress = \"10.40.6.{i}\"\n"
        )
    };
    [
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n".to_owned(),
        "[[kind]]\nname = \"streamer\"\nmaker = \"Tessaquill\"\nmodel = \"Streamer\"\nports = 0\nspeaks = [\"nmos\"]\n".to_owned(),
        node(1, "hall-box"),
        node(2, "hall-left"),
        node(3, "hall-right"),
        "[[stream]]\nname = \"hall-mix\"\ncarries = \"audio\"\nfrom = \"hall-box\"\n\
         to = [\"hall-left/In A\", \"hall-right/In A\"]\ngroup = \"239.69.10.1:5004\"\nsecond_group = \"239.79.10.1:5004\"\nchannels = 2\n"
            .to_owned(),
        "[[channel_map]]\nnode = \"hall-left\"\nchannels = [\"Stream/Right\", \"Stream/1\"]\nnames = [\"PA left\", \"PA right\"]\n".to_owned(),
    ]
    .concat()
}

fn written() -> String {
    format!("export COLUMNS=240; printf '%s' '{}' > t.rig.toml\n", sheet())
}

/// One command patches, a check that asks anew finds it so, one command takes it back; what the devices call it stands beside the sheet's
/// names.
#[test]
fn streams_are_patched_by_the_sheet_and_taken_back() {
    let script = written()
        + "deft-lantern streams; echo before $?\n\
           deft-lantern apply t.rig.toml --yes; echo apply $?\n\
           deft-lantern check t.rig.toml; deft-lantern streams --json > after.json; echo after $?; cat after.json\n\
           deft-lantern undo --sheet t.rig.toml --yes; echo undo $?; deft-lantern streams --node hall-left; echo end $?";
    let Some(said) = on_scene(&scene(""), &script) else { return };
    for line in ["before 1", "apply 0", "after 0", "undo 0", "end 1"] {
        said.line(&[line]);
    }
    // What the network says is shown, and not done.
    assert!(!said.out.contains('\u{1b}'), "{}", said.out);
    said.line(&["hall-mix", "sends", "hall-box", "Mix", "off", "239.1.1.1:5004"]);
    said.line(&["hall-left", "Speakers", "1", "Out 1", "PA left", "nowhere", "Stream/Right"]);
    said.line(&["enabled", "off", "on"]);
    said.line(&["once Mix of Stage box sends so"]);
    said.line(&["done", "Mix of Stage box at 10.40.6.1, read back"]);
    said.line(&["done", "In A of Amp 3 at 10.40.6.3, read back"]);
    said.line(&["all 4 stream ends and channel maps as planned"]);
    let packed: String = said.out.split_whitespace().collect();
    assert!(packed.contains("\"name\":\"PAright\",\"from\":\"Stream/Left\",\"planned\":null"), "{}", said.out);
    said.line(&["0 senders, 2 receivers, 2 mapped channels"]);
}

/// What does not let itself be patched is said to be so, with why; the rest is done.
#[test]
fn one_that_is_locked_is_told_and_the_rest_is_done() {
    let script = written()
        + "deft-lantern apply t.rig.toml --yes --restart 6 2>&1; echo apply $?; deft-lantern check t.rig.toml; echo check $?\n\
           deft-lantern apply t.rig.toml --only names --dry-run; deft-lantern show hall-right; echo show $?";
    let Some(said) = on_scene(&scene(", quirks = [\"locked\"]"), &script) else { return };
    for line in ["apply 3", "check 1", "show 1"] {
        said.line(&[line]);
    }
    said.line(&["In A of Amp 3: it is locked: The resource is locked by an activation"]);
    said.line(&[
        "refused",
        "In A of Amp 3 at 10.40.6.3 keeps what it had: sender is nobody, planned Mix of Stage box",
    ]);
    said.line(&["see what it is set to: deft-lantern streams"]);
    said.line(&["done", "Mix of Stage box at 10.40.6.1, read back"]);
    said.line(&["3 of 4 stream ends and channel maps as planned"]);
    said.line(&["nothing to change"]);
}

/// One by hand: as the device calls it, read back, taken back; what does not fit is told with what there is.
#[test]
fn one_is_patched_by_hand() {
    let script = written()
        + "deft-lantern set 'hall-left/In A' --from hall-box/Mix --yes; echo took $?\n\
           deft-lantern set 'hall-left/In A' --from none --enabled off --yes; echo let go $?\n\
           deft-lantern set hall-box --group 239.69.77.1:5004 --enabled on --yes; echo sends $?\n\
           deft-lantern set hall-left --channel 2=Stream/Left --channel 1=none --yes; echo mapped $?\n\
           deft-lantern streams; deft-lantern undo --sheet t.rig.toml --yes; echo undo $?\n\
           deft-lantern set hall-left --from hall-box --yes 2>&1; echo several $?\n\
           deft-lantern set 'hall-left/In Z' --enabled on --yes 2>&1; echo none $?\n\
           deft-lantern set hall-left --channel 1=Stage/7 --yes 2>&1; echo unknown $?\n\
           deft-lantern set hall-box --second-group none --address 10.40.6.9 --yes 2>&1; echo both $?";
    let Some(said) = on_scene(&scene(""), &script) else { return };
    for line in
        ["took 0", "let go 0", "sends 0", "mapped 0", "undo 0", "several 2", "none 2", "unknown 2", "both 2"]
    {
        said.line(&[line]);
    }
    said.line(&["sender", "nobody", "Mix of Stage box", "asked for, by NMOS"]);
    said.line(&["sends", "hall-box", "Mix", "on", "239.69.77.1:5004"]);
    said.line(&["Speakers", "1", "Out 1", "nowhere"]);
    said.line(&["2", "Out 2", "Stream/Left"]);
    said.line(&["hall-left could be In A (receiver), In B (receiver): name one, as NODE/LABEL"]);
    said.line(&["hall-left/In Z is no sender, receiver or output; left has In A (receiver), In B (receiver), Speakers (output)"]);
    said.line(&["Speakers of Amp", "has no channel Stage/7 to take"]);
}

/// A look at what is patched, kept in a file, says the same again.
#[test]
fn a_census_keeps_what_is_patched() {
    let script = written()
        + "deft-lantern survey --save a.census.json > /dev/null; grep -c patch_points a.census.json\n\
           tr ',' '\\n' < a.census.json | grep -c '\"sort\": *\"receiver\"'\n\
           deft-lantern census diff a.census.json a.census.json; echo diff $?";
    let Some(said) = on_scene(&scene(""), &script) else { return };
    said.line(&["diff 0"]);
    assert!(said.out.lines().any(|line| line == "4"), "{}", said.out);
}

/// Joins the groups of its arguments again and again: a kernel says so only when it begins.
const JOINS: &str = "import socket, sys, time
s = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
def tell(what):
    for group in sys.argv[1:]:
        s.setsockopt(socket.IPPROTO_IP, what, socket.inet_aton(group) + socket.inet_aton('10.40.6.2'))
for again in range(200):
    tell(socket.IP_ADD_MEMBERSHIP)
    time.sleep(0.3)
    tell(socket.IP_DROP_MEMBERSHIP)
";

/// Who wants which group is heard by IGMP, of a real kernel; a group that nobody tells of is told, those of universes are not.
#[test]
fn whoever_is_heard_to_want_a_group_is_named() {
    if !has("ip") || !has("python3") {
        return;
    }
    let set_up = format!(
        "ip link add aux0 type veth peer name aux1; ip addr add 10.40.0.7/16 dev aux0; ip link set aux0 up\n\
        unshare -n sleep 60 & far=$!; sleep 0.3; ip link set aux1 netns $far; there() {{ nsenter -n -t $far -- \"$@\"; }}\n\
        there ip link set aux1 address 02:54:51:00:60:02; there ip addr add 10.40.6.2/16 dev aux1; there ip link set aux1 up\n\
        there ip link set lo up; sleep 1; cat > join.py <<'END'\n{JOINS}END"
    );
    let script = written()
        + "there python3 join.py 239.69.10.1 239.69.10.9 239.255.0.1 & joins=$!\n\
           deft-lantern streams --adapter aux0\n\
           deft-lantern streams --adapter aux0 --json --node hall-left > some.json; grep -c 10.9 some.json; echo some\n\
           deft-lantern streams --adapter aux0 --node nobody | grep -c 10.9; echo none\n\
           kill $joins $far";
    let Some(said) = noting("aux0", &set_up, &script) else { return };
    said.line(&["239.69.10.1", "hall-mix", "hall-left"]);
    said.line(&["239.69.10.9", "nobody tells", "hall-left"]);
    assert!(!said.out.contains("239.255.0.1"), "{}", said.out);
    assert!(said.out.contains("1\nsome\n0\nnone\n"), "{}", said.out);
}
