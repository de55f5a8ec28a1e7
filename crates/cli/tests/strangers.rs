//! Peers that lie and disobey, on the private segment: what the program says, and where everybody really is.

use rstest::rstest;

use crate::support::{has, on_scene};

/// A gateway, and whoever stands beside it.
fn scene(more: &str) -> String {
    format!(
        "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\n\
         mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\npages = [{{ out = [0, 1, 2, 3] }}]\n{more}"
    )
}

fn device(name: &str, mac: u8, address: &str, more: &str) -> String {
    format!("[[device]]\nname = \"{name}\"\nmac = \"02:4f:4c:00:00:{mac:02x}\"\naddress = \"{address}\"\n{more}\n")
}

fn node(name: &str, mac: u8, address: &str, more: &str) -> String {
    format!(
        "[[node]]\nname = \"{name}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:20:{mac:02x}\"\n\
         address = \"{address}\"\npages = [{{ sub = 1, out = [0, 1, 2, 3] }}]\n{more}\n"
    )
}

const MIXER: &str = "services = [{ name = \"mixer\", kind = \"_http._tcp\", port = 80 }]";
const SOURCE: &str = "sacn = { name = \"desk-two\", universes = [7] }";

/// An address that anybody has is not given away, however they show themselves: the gateway stays where it is.
#[rstest]
#[case::a_mixer(device("mixer", 1, "10.40.1.50", MIXER), "mixer (02:4f:4c:00:00:01)")]
#[case::one_silent_to_echo(device("quiet", 2, "10.40.1.50", "echo = false"), "02:4f:4c:00:00:02")]
#[case::a_source(device("desk", 3, "10.40.1.50", SOURCE), "desk-two (02:4f:4c:00:00:03)")]
#[case::a_gateway(node("quay-south", 4, "10.40.1.50", ""), "quay-south (02:4d:42:00:20:04)")]
fn nobody_gets_an_address_that_somebody_has(#[case] holder: String, #[case] named: &str) {
    if !has("arping") {
        return;
    }
    let script = "deft-lantern set quay-north --address 10.40.1.50 --yes; echo code $?; \
                  arping -c 2 -I rig0 10.40.1.100 | grep -ci 'from 10.40.1.100'; ls *.log.jsonl 2>/dev/null";
    let Some(said) = on_scene(&scene(&holder), script) else { return };
    assert!(said.out.contains("code 2"), "{}{}", said.out, said.notes);
    let notes = said.notes.replace("\n             ", " ");
    assert!(notes.contains(&format!("10.40.1.50, wanted for quay-north, is held by {named}")), "{notes}");
    assert!(!said.out.contains("log.jsonl"), "{}", said.out);
}

/// Two devices at one address: nothing is set there, and no check passes, whoever the other one is.
#[test]
fn an_address_held_twice_stops_everything() {
    let sheet = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\ngateway = \"none\"\n\
                 [[node]]\nname = \"quay-north\"\nkind = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:01\"\n\
                 address = \"10.40.1.100\"\n";
    let script = format!(
        "printf '%s' '{sheet}' > t.rig.toml; deft-lantern check t.rig.toml; echo check $?; \
         deft-lantern set quay-north --name x --yes; echo set $?"
    );
    let Some(said) = on_scene(&scene(&device("twin", 9, "10.40.1.100", "")), &script) else { return };
    assert!(said.out.contains("check 1") && said.out.contains("set 2"), "{}{}", said.out, said.notes);
    assert!(!said.out.contains("answer as planned"), "{}", said.out);
    said.line(&["error W001", "10.40.1.100 is held by"]);
    assert!(said.notes.contains("error C011"), "{}", said.notes);
}

/// A node whose mask is wrong is found by its own broadcast, told, and mended by the command that is advised.
#[test]
fn a_wrong_mask_is_found_told_and_mended() {
    let wrong =
        node("quay-south", 5, "10.40.1.101", "mask = \"255.0.0.0\"\nquirks = [\"answers-under-its-mask\"]");
    let script = "deft-lantern survey; deft-lantern set 10.40.1.101 --mask 255.255.0.0 --yes; echo code $?; \
                  deft-lantern survey | grep -c W009";
    let Some(said) = on_scene(&scene(&wrong), script) else { return };
    said.line(&["the mask of quay-south at 10.40.1.101 is wrong: it answers to 10.255.255.255"]);
    said.line(&["do  deft-lantern set 10.40.1.101 --mask 255.255.0.0"]);
    said.line(&["done  quay-south at 10.40.1.101, read back"]);
    assert!(said.out.contains("code 0\n0\n"), "{}{}", said.out, said.notes);
}

/// One whose mask is narrower than ours does not answer us alone: the computer takes what it needs, by the advised commands.
#[rstest]
#[case::that_tells_it("quirks = [\"answers-under-its-mask\"]", "W009")]
#[case::that_does_not("", "one way only")]
fn a_narrow_mask_is_mended_through_an_address_beside_it(#[case] habit: &str, #[case] told: &str) {
    let narrow = node("quay-south", 5, "10.40.1.101", &format!("mask = \"255.255.255.0\"\n{habit}"));
    let script = "export XDG_STATE_HOME=$PWD/state; deft-lantern survey >seen.txt; cat seen.txt\n\
        advise=$(grep -o 'adapters advise 10.40.1.101/24' seen.txt | head -n 1); deft-lantern $advise >advice.txt\n\
        deft-lantern $(sed -n 's/^ *do  deft-lantern //p' advice.txt)\n\
        deft-lantern set 10.40.1.101 --mask 255.255.0.0 --yes; echo code $?; deft-lantern adapters restore\n\
        deft-lantern survey | grep quay-south";
    let Some(said) = on_scene(&scene(&narrow), script) else { return };
    said.line(&[told]);
    said.line(&["done  quay-south at 10.40.1.101, read back"]);
    said.line(&["code 0"]);
    said.line(&["restored"]);
    assert!(said.out.lines().last().unwrap().ends_with("answers"), "{}{}", said.out, said.notes);
}

/// A device at this computer's own address is named with both MAC addresses.
#[rstest]
#[case::survey("survey")]
#[case::adapters("adapters")]
fn a_device_at_our_own_address_is_named(#[case] command: &str) {
    let script = format!("deft-lantern {command}; ip -br link show rig0 | awk '{{print \"own \" $3}}'");
    let Some(said) = on_scene(&scene(&device("likeus", 6, "10.40.0.7", "")), &script) else { return };
    let own = said.out.lines().find_map(|line| line.strip_prefix("own ")).unwrap().to_owned();
    let out = said.out.replace("\n             ", " ");
    assert!(out.contains("error W012") && out.contains("02:4f:4c:00:00:06"), "{out}");
    assert!(out.contains(&format!("10.40.0.7 is this computer's ({own})")), "{out}");
}

/// Two units with one MAC address are two, and neither is set; one with a second address on its MAC is no alarm.
#[test]
fn one_mac_at_two_addresses_is_two_units_or_one() {
    let twin = node("quay-copy", 7, "10.40.1.102", "").replace("02:4d:42:00:20:07", "02:4d:42:00:10:01");
    let script = "deft-lantern survey; deft-lantern set 10.40.1.100 --name x --yes; echo code $?";
    let Some(said) = on_scene(&scene(&twin), script) else { return };
    let out = said.out.replace("\n             ", " ");
    assert!(
        out.contains("02:4d:42:00:10:01 is borne by quay-north at 10.40.1.100 and quay-copy at 10.40.1.102"),
        "{out}"
    );
    assert!(said.notes.contains("error C019") && out.contains("code 2"), "{}", said.notes);
}

#[test]
fn a_redundant_address_on_one_mac_is_no_false_alarm() {
    let both = device("stagebox", 8, "10.40.1.60", MIXER) + &device("second", 8, "10.40.1.61", "");
    let script = "deft-lantern survey --range 10.40.1.50-10.40.1.110; echo code $?";
    let Some(said) = on_scene(&scene(&both), script) else { return };
    assert!(!said.out.contains("W007") && !said.out.contains("W001"), "{}", said.out);
    assert!(said.out.contains("code 0"), "{}{}", said.out, said.notes);
}

/// Another program that holds the port loses nothing to us where frames are heard; one that holds it alone stops nobody.
#[rstest]
#[case::shared(
    "s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)",
    "goes on hearing all that is sent to it"
)]
#[case::alone("pass", "holds UDP 6454 for itself: raw frames speak in its place")]
fn another_program_keeps_its_datagrams(#[case] how: &str, #[case] sentence: &str) {
    if !has("python3") {
        return;
    }
    // It asks the node forty times by unicast, and counts what comes back to it alone.
    let program = [
        "import socket, time",
        "s = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)",
        how,
        "s.bind((\"\", 6454))",
        "s.settimeout(0.05)",
        "ask = bytes([65, 114, 116, 45, 78, 101, 116, 0, 0, 248, 0, 14]) + bytes(22)",
        "n = 0",
        "for i in range(150):",
        "  s.sendto(ask, (\"10.40.1.100\", 6454))",
        "  try:",
        "    while True: n += s.recvfrom(2000)[0][8:10] == bytes([0, 249])",
        "  except OSError: pass",
        "print(\"peer heard\", n)",
    ]
    .join("\n");
    let script = format!(
        "cat > peer.py <<'X'\n{program}\nX\npython3 peer.py > peer.txt & sleep 0.5\n\
         deft-lantern survey >survey.txt 2>survey.err; cat survey.txt survey.err\n\
         deft-lantern set quay-north --name mast --yes; echo code $?\nwait; cat peer.txt"
    );
    let Some(said) = on_scene(&scene(""), &script) else { return };
    assert!(said.out.contains(sentence), "{}{}", said.out, said.notes);
    said.line(&["done  mast at 10.40.1.100, read back"]);
    assert!(said.out.contains("code 0"), "{}{}", said.out, said.notes);
    let heard: u32 = said.line(&["peer heard"]).rsplit(' ').next().unwrap().parse().unwrap();
    // Our own questions bring it answers too; not one of its own is missing.
    assert!(heard >= 150, "{heard} of 150 heard");
}

/// A sheet written from what is there finds nothing to object to, gateway and range included; and what stands on it besides,
/// without a MAC address, does not stand in the way of a single node.
#[test]
fn a_fresh_sheet_is_as_planned_and_others_on_it_block_nobody() {
    let gateway = "gateway = \"10.40.0.2\"";
    let others =
        format!("{}{}", node("quay-south", 5, "10.40.1.101", gateway), device("mixer", 1, "10.40.2.21", MIXER));
    let scene = scene(&others).replacen("pages =", &format!("{gateway}\npages ="), 1);
    let script = "deft-lantern sheet new a.rig.toml --survey >/dev/null 2>&1; deft-lantern check a.rig.toml; echo check $?\n\
        deft-lantern survey --save c.census.json >/dev/null 2>&1; deft-lantern sheet new b.rig.toml --from c.census.json 2>/dev/null\n\
        grep ^range b.rig.toml; deft-lantern check b.rig.toml >/dev/null; echo check $?\n\
        printf '\\n[[node]]\\nname = \"ghost\"\\naddress = \"10.40.3.3\"\\n[[node]]\\nname = \"mixer\"\\naddress = \"10.40.2.21\"\\n' >> a.rig.toml\n\
        sed -i 's/\"quay-north\"/\"mast\"/' a.rig.toml; deft-lantern apply a.rig.toml --node mast --yes; echo apply $?";
    let Some(said) = on_scene(&scene, script) else { return };
    assert_eq!(said.out.matches("check 0").count(), 2, "{}{}", said.out, said.notes);
    said.line(&["range = \"10.40.0.0/16\""]);
    said.line(&["done  mast at 10.40.1.100, read back"]);
    said.line(&["apply 0"]);
}

/// Targets of LLRP are found where they are: in another subnet, without an address, and two at one; what cannot be heard
/// without rights is said.
#[test]
fn targets_of_llrp_are_found_in_any_subnet() {
    let targets: String = [(1, "192.168.7.9"), (2, "0.0.0.0"), (3, "10.40.1.9"), (4, "10.40.1.9")]
        .iter()
        .map(|(i, address)| device("unit", *i, address, &format!("llrp = {{ uid = \"7ff0:0000000{i}\" }}")))
        .collect();
    let script = "deft-lantern survey; echo everything; \
        setpriv --bounding-set -net_admin,-net_raw --inh-caps -all deft-lantern survey --only llrp 2>&1";
    let Some(said) = on_scene(&scene(&targets), script) else { return };
    let (with, without) = said.out.split_once("everything").unwrap();
    for row in [
        ["10.40.1.9", "02:4f:4c:00:00:03", "LLRP 7ff0:00000003"],
        ["10.40.1.9", "02:4f:4c:00:00:04", "LLRP 7ff0:00000004"],
        ["192.168.7.9", "LLRP 7ff0:00000001", "seen: other subnet"],
        ["none", "LLRP 7ff0:00000002", "seen: no address"],
    ] {
        said.line(&row);
    }
    assert!(with.contains("error W001  10.40.1.9 is held by 02:4f:4c:00:00:03 and 02:4f:4c:00:00:04"), "{with}");
    if has("setpriv") {
        assert!(without.contains("7ff0:00000001") && !without.contains("7ff0:00000002"), "{without}");
        assert!(without.contains("who has none"), "{without}");
    }
}

/// One in a foreign subnet, one without an address, two at one: the sheet is made true by LLRP, and really is.
#[test]
fn targets_of_llrp_are_brought_home_and_read_back() {
    if !has("arping") {
        return;
    }
    let targets: String =
        [(1, "192.168.7.9", ""), (2, "0.0.0.0", ""), (3, "10.40.1.9", ""), (4, "10.40.1.9", "ignores-apply")]
            .iter()
            .map(|(i, address, quirk)| {
                let quirks = if quirk.is_empty() { String::new() } else { format!(", quirks = [\"{quirk}\"]") };
                device("unit", *i, address, &format!("llrp = {{ uid = \"7ff0:0000000{i}\"{quirks} }}"))
            })
            .collect();
    let node = |i: u8| {
        format!(
            "[[node]]\nname = \"beacon-{i}\"\nkind = \"beacon\"\nmac = \"02:4f:4c:00:00:0{i}\"\naddress = \"10.40.2.{i}\"\n"
        )
    };
    let sheet = format!(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\ngateway = \"none\"\n\
         [[kind]]\nname = \"beacon\"\nmaker = \"Marrowbright\"\nmodel = \"Beacon\"\nports = 0\n{}{}{}",
        node(1),
        node(2),
        node(3)
    );
    let script = format!(
        "printf '%s' '{sheet}' > t.rig.toml; deft-lantern apply t.rig.toml --yes; echo apply $?; \
         deft-lantern check t.rig.toml; echo check $?; \
         deft-lantern set 7ff0:00000004 --address 10.40.2.4 --mask /16 --restart 8 --yes; echo set $?; \
         for i in 1 2 3 4; do echo at $i $(arping -c 1 -w 1 -I rig0 10.40.2.$i | grep -io '02:4f:4c:00:00:0.' | tr A-F a-f); done"
    );
    let Some(said) = on_scene(&scene(&targets), &script) else { return };
    for i in 1..=3 {
        said.line(&["done", &format!("at 10.40.2.{i}, read back")]);
        assert!(said.out.contains(&format!("at {i} 02:4f:4c:00:00:0{i}")), "{}", said.out);
        said.line(&[&format!("beacon-{i}"), "as planned", &format!("10.40.2.{i}")]);
    }
    assert!(said.out.contains("apply 0"), "{}{}", said.out, said.notes);
    // Quay-north is not on this sheet.
    assert!(said.out.contains("check 1"), "{}{}", said.out, said.notes);
    assert!(said.out.contains("acknowledged  LLRP 7ff0:00000004") && said.out.contains("set 3"), "{}", said.out);
    assert!(said.out.ends_with("at 4\n") || said.out.contains("at 4\n"), "{}", said.out);
}
