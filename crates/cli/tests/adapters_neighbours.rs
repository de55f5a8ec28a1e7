//! `adapters neighbours`, held against what the system itself says of its table.

use serde_json::Value;

use crate::support::{has, on_scene};

const SCENE: &str = "network = \"10.40.0.0\"\n[[node]]\nname = \"quay-north\"\nmodel = \"marrowbright-four\"\n\
    mac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.3\"\npages = [{ out = [0] }]\n\
    [[device]]\nname = \"player\"\nmac = \"02:53:44:00:00:05\"\naddress = \"10.40.1.4\"\n";

/// The sheet has another gateway at 10.40.1.3: what this computer knows of it is old, or somebody else stands there.
const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
    [[node]]\nname = \"quay-north\"\nmac = \"02:4d:42:00:10:09\"\naddress = \"10.40.1.3\"\n\
    [[node]]\nname = \"player\"\nmac = \"02:53:44:00:00:05\"\naddress = \"10.40.1.4\"\n";

#[test]
fn entries_are_listed_dropped_and_pinned() {
    if !has("ip") || !has("ping") {
        return;
    }
    let script = format!(
        "cat > s.rig.toml <<'END'\n{SHEET}END\nkernel() {{ ip neigh show dev rig0 | grep -v FAILED | sort; }}\n\
         ping -c 1 -W 2 10.40.1.3 >/dev/null; ping -c 1 -W 2 10.40.1.4 >/dev/null\n\
         deft-lantern adapters neighbours --json\necho ---; deft-lantern adapters neighbours; echo ---\n\
         deft-lantern adapters neighbours --drop 10.40.1.3 >/dev/null; echo code $?; kernel; echo ---\n\
         deft-lantern adapters neighbours --pin 10.40.1.9=02:00:00:00:00:09 | tail -1; kernel; echo ---\n\
         deft-lantern adapters neighbours --drop-all >/dev/null; kernel; echo ---\n\
         deft-lantern adapters neighbours --drop 10.40.1.9 >/dev/null; kernel; echo ---\n\
         deft-lantern adapters neighbours --drop 10.40.1.99; echo code $?"
    );
    let Some(said) = on_scene(SCENE, &script) else { return };
    let said = said.ended(0);
    let parts: Vec<&str> = said.out.split("---\n").collect();
    let [json, table, dropped, pinned, all, none, wrong] = parts[..] else { panic!("{}", said.out) };
    let answer: Value = serde_json::from_str(json).unwrap();
    let of = |address: &str| {
        let all = answer["neighbours"].as_array().unwrap();
        all.iter().find(|one| one["address"] == address).unwrap_or_else(|| panic!("{address}: {answer:#}")).clone()
    };
    let (north, player) = (of("10.40.1.3"), of("10.40.1.4"));
    assert_eq!((&north["mac"], &north["name"]), (&"02:4d:42:00:10:01".into(), &"quay-north".into()));
    assert_eq!((&north["contradicts"], &player["contradicts"]), (&true.into(), &false.into()));
    assert!(table.contains("quay-north, which has 02:4d:42:00:10:09"), "{table}");
    assert!(said.notes.contains("deft-lantern adapters neighbours --drop 10.40.1.3"), "{}", said.notes);
    assert!(dropped.starts_with("code 0\n") && !dropped.contains("10.40.1.3 "), "{dropped}");
    assert!(dropped.contains("10.40.1.4 lladdr 02:53:44:00:00:05"), "{dropped}");
    assert!(pinned.starts_with("pinned 10.40.1.9\n"), "{pinned}");
    assert!(pinned.contains("10.40.1.9 lladdr 02:00:00:00:00:09 PERMANENT"), "{pinned}");
    assert_eq!(all.trim(), "10.40.1.9 lladdr 02:00:00:00:00:09 PERMANENT");
    assert_eq!(none.trim(), "");
    assert!(wrong.contains("code 2") && said.notes.contains("no entry of 10.40.1.99"), "{}", said.notes);
}
