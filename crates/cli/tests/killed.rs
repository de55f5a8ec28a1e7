//! A live rig on the segment that is changed while the program is killed again and again, without any warning (SIGKILL): forty
//! nodes, most of which go to another subnet, the computer with them, three in a ring and two that change places twice.

use crate::support::{has, on_scene};
use rstest::rstest;

const NODES: usize = 40;

/// Where each node is to go: by the last part of an address in the old subnet, or its own in the new one.
fn wanted(node: usize) -> String {
    match node {
        0 => "10.40.1.11".to_owned(),
        1 => "10.40.1.12".to_owned(),
        2 => "10.40.1.10".to_owned(),
        3..=6 => format!("10.40.1.{}", 10 + [4, 3, 6, 5][node - 3]),
        _ => format!("10.60.1.{}", 10 + node),
    }
}

fn scene() -> String {
    let node = |node: usize| {
        format!(
            "[[node]]\nname = \"node-{node}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:{node:02x}\"\n\
             address = \"10.40.1.{}\"\nmask = \"255.255.0.0\"\nrestart_ms = {}\n\
             pages = [{{ net = 1, sub = {}, out = [0, 1, 2, 3] }}]\n",
            10 + node,
            400 + 37 * node,
            node % 16
        )
    };
    "network = \"10.40.0.0\"\n".to_owned() + &(0..NODES).map(node).collect::<String>()
}

fn sheet() -> String {
    let node = |node: usize| {
        format!(
            "[[node]]\nname = \"node-{node}\"\nmac = \"02:4d:42:00:10:{node:02x}\"\naddress = \"{}\"\n",
            wanted(node)
        )
    };
    "[rig]\nname = \"t\"\n[[network]]\nname = \"old\"\nrange = \"10.40.0.0/16\"\ngateway = \"none\"\n\
     [[network]]\nname = \"new\"\nrange = \"10.60.0.0/16\"\ngateway = \"none\"\n"
        .to_owned()
        + &(0..NODES).map(node).collect::<String>()
}

/// Killed so many times in `apply`, which is begun anew where it came to its end before, and once in `undo`: every node ends where the sheet has it, and then where it was; the
/// computer has what it had.
fn killed(times: usize) {
    if !has("ip") || !has("arping") {
        return;
    }
    // Whoever answers ARP says where it is, whatever any program tells.
    let script = format!(
        "export XDG_STATE_HOME=$PWD/state\n\
         cat > s.rig.toml <<'END'\n{}END\n\
         ip -4 addr show dev rig0 > before\n\
         there() {{ ip addr add 10.60.0.9/16 dev rig0; for n in $(seq 0 {last}); do m=$(printf '02:4d:42:00:10:%02x' $n)\n\
           a=10.40.1.$((10 + n)); [ $1 = wanted ] && a=$(sed -n \"$((n + 1))p\" wanted)\n\
           arping -f -c 3 -w 3 -I rig0 $a 2>/dev/null | grep -qi $m || echo lost node-$n at $a\n\
         done; ip addr del 10.60.0.9/16 dev rig0; echo looked $1; }}\n\
         cat > wanted <<'END'\n{wanted}\nEND\n\
         i=0; killed=0; go=''\n\
         while [ $killed -lt {times} ] && [ $i -lt $(({times} * 3)) ]; do\n\
           deft-lantern apply s.rig.toml $go --yes --restart 8 > out.$i 2>&1 & pid=$!\n\
           ms=$(( (i * 7919 + 1009) % 17000 + 300 )); sleep $((ms / 1000)).$(printf %03d $((ms % 1000)))\n\
           if kill -9 $pid 2>/dev/null; then killed=$((killed + 1)); echo killed after $ms ms; wait $pid 2>/dev/null\n\
           else wait $pid; deft-lantern undo --sheet s.rig.toml --yes --restart 8 > begun-anew.$i 2>&1 || cat begun-anew.$i; fi\n\
           grep -q '\"record\"' s.log.jsonl 2>/dev/null && deft-lantern logbook list --sheet s.rig.toml 2>/dev/null | tail -2 | grep -q 'no end' && go=--resume || go=''\n\
           i=$((i + 1))\n\
         done\n\
         deft-lantern apply s.rig.toml $go --yes --restart 8 > out.last 2>&1; echo applied $?; [ $? = 0 ] || cat out.last\n\
         there wanted\n\
         ip -4 addr show dev rig0 > after; cmp before after && echo adapter as before\n\
         deft-lantern undo --sheet s.rig.toml --yes --restart 8 > undo.0 2>&1 & pid=$!; sleep 15.5; kill -9 $pid && echo killed undo; wait $pid 2>/dev/null\n\
         n=0; while deft-lantern undo --sheet s.rig.toml --yes --restart 8 > undo.1 2>&1; do n=$((n + 1)); [ $n = 9 ] && break; done\n\
         cat undo.1 | tail -3\n\
         there before\n\
         ip -4 addr show dev rig0 > after; cmp before after && echo adapter as before; deft-lantern logbook list --sheet s.rig.toml",
        sheet(),
        last = NODES - 1,
        wanted = (0..NODES).map(wanted).collect::<Vec<_>>().join("\n"),
    );
    let Some(said) = on_scene(&scene(), &script) else { return };
    println!("{}\n{}", said.out, said.notes);
    assert!(!said.out.contains("lost node"), "{}\n{}", said.out, said.notes);
    assert!(said.out.contains("looked wanted") && said.out.contains("looked before"), "{}", said.out);
    assert!(said.out.contains("applied 0"), "{}\n{}", said.out, said.notes);
    assert_eq!(said.out.matches("adapter as before").count(), 2, "{}\n{}", said.out, said.notes);
    assert_eq!(said.out.matches("killed after").count(), times, "{}", said.out);
    assert!(said.out.contains("killed undo"), "{}", said.out);
}

/// Two subnets are out of reach, so two addresses are taken: asked to end, the program gives both back; killed, the next run
/// does, and a dry run changes nothing.
#[test]
fn what_was_taken_in_two_subnets_is_given_back() {
    if !has("ip") {
        return;
    }
    let stands = |node: usize| {
        format!(
            "[[node]]\nname = \"node-{node}\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:{node:02x}\"\n\
             address = \"10.40.1.{node}\"\nmask = \"255.255.0.0\"\nrestart_ms = 2500\npages = [{{ sub = {node}, out = [0] }}]\n"
        )
    };
    let network = |name: &str, third: u8| {
        format!("[[network]]\nname = \"{name}\"\nrange = \"10.{third}.0.0/16\"\ngateway = \"none\"\n")
    };
    let goes = |node: usize, to: &str| {
        format!("[[node]]\nname = \"node-{node}\"\nmac = \"02:4d:42:00:10:{node:02x}\"\naddress = \"{to}\"\n")
    };
    let sheet = [
        "[rig]\nname = \"t\"\n".to_owned(),
        network("old", 40),
        network("new", 60),
        network("far", 70),
        goes(1, "10.60.1.1"),
        goes(2, "10.70.1.2"),
    ]
    .concat();
    let script = format!(
        "export XDG_STATE_HOME=$PWD/state\ncat > s.rig.toml <<'END'\n{sheet}END\nip -4 addr show dev rig0 > before\n\
         same() {{ ip -4 addr show dev rig0 > after; cmp before after && echo $1: as before; }}\n\
         begin() {{ deft-lantern apply s.rig.toml $1 --yes --restart 8 > out 2>&1 & pid=$!\n\
           until grep -q sending s.log.jsonl 2>/dev/null; do sleep 0.1; done\n\
           [ $(ip -4 addr show dev rig0 | grep -c 'inet 10.[67]0') = 2 ] && echo two taken; }}\n\
         begin; kill -TERM $pid; wait $pid; echo term $?; same term\n\
         deft-lantern undo --sheet s.rig.toml --yes --restart 8 > undone 2>&1; echo undo $?; same undo\n\
         rm s.log.jsonl; begin; kill -9 $pid; wait $pid 2>/dev/null\n\
         ip -4 addr show dev rig0 > left; deft-lantern apply s.rig.toml --dry-run > /dev/null 2>&1\n\
         ip -4 addr show dev rig0 | cmp left - && echo dry: left alone\n\
         deft-lantern apply s.rig.toml --resume --yes --restart 8 > out 2>&1; echo resumed $?; same killed; cat undone out"
    );
    let scene = format!("network = \"10.40.0.0\"\n{}{}", stands(1), stands(2));
    let Some(said) = on_scene(&scene, &script) else { return };
    for line in [
        "term 143",
        "term: as before",
        "undo 0",
        "undo: as before",
        "dry: left alone",
        "resumed 0",
        "killed: as before",
    ] {
        assert!(said.out.contains(line), "{line}\n{}\n{}", said.out, said.notes);
    }
    assert_eq!(said.out.matches("two taken").count(), 2, "{}", said.out);
}

#[rstest]
#[case(2)]
fn forty_nodes_move_and_the_program_is_killed(#[case] times: usize) {
    killed(times);
}

#[test]
#[ignore = "ten minutes: cargo test -p deft-lantern --test program killed -- --ignored --nocapture"]
fn killed_twenty_times() {
    killed(20);
}
