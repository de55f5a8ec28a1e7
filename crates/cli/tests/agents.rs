//! Agents of SNMP: a real one from Debian's packages, which never read our own words, and simulated ones.
#![cfg(target_os = "linux")]

use crate::support::{has, noting, on_scene};

/// In version 2c by its community, and in version 3 signed and encrypted in the ways it knows: read, set, read back; and what it
/// holds is asked by somebody else. No password is in anything that was written, shown or recorded.
#[test]
fn a_real_agent_is_read_and_set() {
    if !has("snmpd") {
        return;
    }
    let set_up = "ip link add aux0 type veth peer name aux1; ip addr add 10.70.0.7/24 dev aux0; ip link set aux0 up\n\
        unshare -n sleep 90 & far=$!; sleep 0.3; ip link set aux1 netns $far; there() { nsenter -n -t $far -- \"$@\"; }\n\
        there ip link set aux1 address 02:4d:42:00:80:01; there ip addr add 10.70.0.1/24 dev aux1; there ip link set aux1 up; there ip link set lo up\n\
        printf 'agentAddress udp:10.70.0.1:161\\nrwcommunity stagedoor\\nrocommunity public\\nsysName Rack switch\\n\
        sysDescr Drumlin Twelve\\nrwuser tech priv\\nrwuser mate auth\\nrwuser dess priv\\n\
        createUser tech SHA-256 moonrise1 AES moonset22\\ncreateUser mate MD5 moonrise1\\ncreateUser dess SHA moonrise1 DES moonset22\\n' > snmpd.conf\n\
        nsenter -n -t $far -- env SNMP_PERSISTENT_DIR=$PWD/state snmpd -f -Lf $PWD/snmpd.log -C -c $PWD/snmpd.conf -p $PWD/pid & agent=$!; sleep 1.5";
    let script = "export XDG_CONFIG_HOME=$PWD/conf COLUMNS=200\n\
        deft-lantern show 10.70.0.1 --adapter aux0\n\
        keep() { printf \"$1\" | deft-lantern access set 10.70.0.1 --way snmp $2; }\n\
        move() { deft-lantern set 10.70.0.1 --location \"$1\" --contact Tess --adapter aux0 --yes; echo \"$1 ended with $?\"; }\n\
        move nowhere\n\
        keep 'stagedoor\\n' ''; move 'by community'\n\
        keep 'moonrise1\\nmoonset22\\n' '--user tech --privacy'; move 'by SHA-256 and AES'\n\
        keep 'moonrise1\\n' '--user mate'; move 'by MD5'\n\
        keep 'moonrise1\\nmoonset22\\n' '--user dess --privacy'; move 'by SHA-1 and DES'; deft-lantern show 10.70.0.1 --adapter aux0\n\
        keep 'moonrise2\\nmoonset22\\n' '--user tech --privacy'; deft-lantern check --adapter aux0; deft-lantern show 10.70.0.1 --adapter aux0\n\
        keep 'moonrise1\\nmoonset22\\n' '--user tech --privacy'; deft-lantern survey --adapter aux0 --for 3s --record seen.pcapng --save seen.json\n\
        grep -r -a -l -E 'stagedoor|moonrise|moonset' --exclude-dir=conf --exclude-dir=state --exclude=snmpd.conf . ; echo searched; kill $agent $far";
    let Some(said) = noting("aux0", set_up, script) else { return };
    said.line(&["Rack switch", "SNMP Drumlin Twelve", "02:4d:42:00:80:01"]);
    said.line(&["damaged frames", "0"]);
    // Whoever only reads may not set.
    said.line(&["nowhere ended with 3"]);
    for way in ["by community", "by SHA-256 and AES", "by MD5", "by SHA-1 and DES"] {
        said.line(&[&format!("{way} ended with 0")]);
    }
    said.line(&["location", "by SHA-1 and DES"]);
    said.line(&["contact", "Tess"]);
    said.line(&["10.70.0.1", "SNMP, refuses the password"]);
    let found: Vec<&str> = said.out.lines().filter(|line| line.starts_with("./")).collect();
    assert!(found.is_empty() && said.out.contains("searched"), "{found:?}\n{}", said.out);
}

const STREAM: &str = "1.3.6.1.4.1.64000.7.1.0";
const DROPOUTS: &str = "1.3.6.1.4.1.64000.7.2.0";

/// Two amplifiers that tell by SNMP how their streams are: one has lost its stream, the other counts damaged frames.
fn scene() -> String {
    let amp = |i: u8, stream: u8, further: &str| {
        format!(
            "[[device]]\nname = \"amp-{i}\"\nmac = \"02:54:51:00:80:0{i}\"\naddress = \"10.40.8.{i}\"\n\
             [device.snmp]\nname = \"Amp \\u001b[31m{i}\"\nlocation = \"Rack\"\n{further}\n\
             [device.snmp.objects]\n\"{STREAM}\" = {{ is = \"{stream}\", set = true }}\n\
             \"{DROPOUTS}\" = {{ is = \"7\", sort = \"counter\" }}\n"
        )
    };
    format!("network = \"10.40.0.0\"\n{}{}", amp(1, 0, ""), amp(2, 5, "damaged = 2\ndamaged_a_second = 1"))
}

fn sheet() -> String {
    let node = |i: u8| {
        format!(
            "[[node]]\nname = \"hall-amp-{i}\"\nkind = \"amp\"\nmac = \"02:54:51:00:80:0{i}\"\naddress = \"10.40.8.{i}\"\n\
             location = \"Hall {i}\"\ncontact = \"Tess\"\n[[node.reading]]\nname = \"stream\"\nis = \"5\"\n"
        )
    };
    format!(
        "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
         [[kind]]\nname = \"amp\"\nmaker = \"Tessaquill\"\nmodel = \"Amp\"\nports = 0\nspeaks = [\"snmp\"]\n\
         [[kind.reading]]\nname = \"stream\"\nobject = \"{STREAM}\"\nset = true\n\
         [[kind.reading]]\nname = \"dropouts\"\nobject = \"{DROPOUTS}\"\ncounts = \"faults\"\n{}{}",
        node(1),
        node(2)
    )
}

fn written() -> String {
    format!("export COLUMNS=200; printf '%s' '{}' > t.rig.toml\n", sheet())
}

/// What is otherwise than the sheet says is named by a check, set by one command, read back, and taken back by another.
#[test]
fn names_places_and_readings_are_set_by_the_sheet_and_taken_back() {
    let script = written()
        + "exec 2>&1; deft-lantern check; echo before $?\n\
           deft-lantern apply t.rig.toml --yes; echo apply $?\n\
           deft-lantern check --json >after.json; echo after $?; deft-lantern show hall-amp-1\n\
           deft-lantern undo --yes; echo undo $?; deft-lantern show hall-amp-1 | grep stream\n\
           deft-lantern set 10.40.8.1 --reading stream=5 --yes; echo set $?\n\
           deft-lantern set 10.40.8.1 --reading dropouts=0 --yes; echo counter $?\n\
           deft-lantern kinds show amp";
    let Some(said) = on_scene(&scene(), &script) else { return };
    said.line(&["fail", "hall-amp-1", "name is Amp \\x1b[31m1, planned hall-amp-1"]);
    said.line(&["reading stream is 0, planned 5"]);
    said.line(&["before 1"]);
    said.line(&["done", "hall-amp-1"]);
    said.line(&["apply 0"]);
    said.line(&["after 0"]);
    said.line(&["location", "Hall 1", "SNMP"]);
    said.line(&["reading dropouts", "7"]);
    said.line(&["undo 0"]);
    said.line(&["reading stream", "0"]);
    said.line(&["set 0"]);
    said.line(&["is not set from here, as its kind says"]);
    said.line(&["counter 2"]);
    said.line(&["dropouts", DROPOUTS]);
    assert!(!said.out.contains('\u{1b}'), "{}", said.out);
}

/// A count that rises is told, an old one that stands still is not.
#[test]
fn a_watch_tells_a_count_that_rises() {
    let script = written() + "deft-lantern watch --for 40s | cat";
    let Some(said) = on_scene(&scene(), &script) else { return };
    said.line(&["hall-amp-2", "damaged frames:", "rising"]);
    assert!(!said.out.contains("dropouts:"), "{}", said.out);
}
