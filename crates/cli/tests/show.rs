//! `show`, `open` and `kinds`: what is known of one device, and of models.

use crate::support::Rig;
use lantern_sim::Scene;

/// A node that differs from its sheet, a target of LLRP, and a mixer that tells of services, one with an evil name.
fn rig() -> Rig {
    let scene = "network = \"10.40.0.0\"\n\
        [[node]]\nname = \"quay-north\"\nlabel = \"Quay\\u001bnorth\"\nmodel = \"marrowbright-four\"\nmac = \"02:4d:42:00:10:01\"\n\
        address = \"10.40.1.100\"\ngateway = \"10.40.0.2\"\npages = [{ sub = 1, out = [0, 1], in = [9], merging = [1] }]\n\
        [[device]]\nname = \"beacon\"\nmac = \"02:4d:42:00:20:01\"\naddress = \"10.40.1.9\"\n\
        llrp = { uid = \"7ff0:00000001\", label = \"Quay beacon\" }\n\
        [[device]]\nname = \"hall-mixer\"\nmac = \"02:4f:4c:00:00:01\"\naddress = \"10.40.2.20\"\n\
        services = [{ name = \"hall-mixer\", kind = \"_http._tcp\", port = 8080 }, { name = \"hall-mixer\", kind = \"_oca._tcp\", port = 65000 }]\n";
    let rig = Rig::with(&Scene::parse(scene).unwrap());
    let sheet = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\ngateway = \"none\"\n\
        [[node]]\nname = \"quay-north\"\nmac = \"02:4d:42:00:10:01\"\naddress = \"10.40.1.100\"\non_data_loss = \"dark\"\n\
        [[node.port]]\nport = 2\nout = \"0:1:7\"\nmerge = \"ltp\"\n";
    rig.write_sheet("t.rig.toml", sheet);
    rig
}

#[test]
fn everything_known_of_a_node_stands_beside_what_the_sheet_wants() {
    let rig = rig();
    let said = rig.run(&["show", "quay-north"]).ended(1);
    said.line(&["quay-north", "Marrowbright Four", "02:4d:42:00:10:01"]);
    said.line(&[&rig.address(1, 100), "answers"]);
    said.line(&["reports \"#0001 [", "it started well"]);
    said.line(&["gateway", &rig.address(0, 2), "none", "Art-Net"]);
    said.line(&["on data loss", "hold", "dark", "Art-Net"]);
    said.line(&["1 ", "out Art-Net", "0:1:0", "passes", "htp"]);
    said.line(&["2 ", "0:1:1", "htp, merging", "0:1:7, merge ltp"]);
    said.line(&["3 ", "in Art-Net", "0:1:9"]);
    assert!(!said.out.contains('\u{1b}') && said.out.contains("Quay\\x1bnorth"), "{}", said.out);
    assert!(
        said.notes
            .contains("next: to make it what the sheet says: deft-lantern apply t.rig.toml --node quay-north")
    );
    let json = rig.run(&["show", "02:4d:42:00:10:01", "--json"]).ended(1).json();
    assert_eq!(json["device"]["ports"][1]["planned"][0], "0:1:7");
    assert_eq!(json["device"]["report"]["meaning"], "it started well");
    let facts = json["device"]["facts"].as_array().unwrap();
    let loss = facts.iter().find(|fact| fact["field"] == "on data loss").unwrap();
    assert_eq!(
        (&loss["told"], &loss["planned"], &loss["by"]),
        (&"hold".into(), &"dark".into(), &"art-net".into())
    );
}

#[test]
fn devices_of_other_families_are_shown_too() {
    let rig = rig();
    let said = rig.run(&["show", "Quay beacon"]).ended(0);
    said.line(&["label", "Quay beacon", "LLRP"]);
    said.line(&["seen by", "LLRP"]);
    let said = rig.run(&["show", &rig.address(2, 20)]).ended(0);
    said.line(&["offers hall-mixer: _oca._tcp (sound) on port 65000"]);
    let said = rig.run(&["show", "quay-nort"]).ended(2);
    assert!(said.notes.contains("did you mean \"quay-north\"?"), "{}", said.notes);
}

#[test]
fn a_page_is_where_the_device_tells_that_it_is() {
    let rig = rig();
    let said = rig.run(&["open", "quay-north", "--print"]).ended(0);
    assert_eq!(said.out.trim(), format!("http://{}/", rig.address(1, 100)));
    let said = rig.run(&["open", "hall-mixer", "--print"]).ended(0);
    assert_eq!(said.out.trim(), format!("http://{}:8080/", rig.address(2, 20)));
    rig.run(&["open", "nobody", "--print"]).ended(2);
}

#[test]
fn kinds_are_listed_searched_and_shown() {
    let rig = rig();
    let listed = rig.run(&["kinds", "list"]).ended(0);
    listed.line(&["marrowbright-two", "Marrowbright Two", "2", "3.5 W"]);
    let found = rig.run(&["kinds", "list", "stage"]).ended(0);
    assert!(found.out.contains("ollivane-stagebox") && !found.out.contains("marrowbright"), "{}", found.out);
    let shown = rig.run(&["kinds", "show", "marrowbright-two"]).ended(0);
    shown.line(&["set over the network", "indicators"]);
    let json = rig.run(&["kinds", "show", "marrowbright-two", "--json"]).ended(0).json();
    assert_eq!((&json["kinds"][0]["ports"], &json["kinds"][0]["oem"]), (&2.into(), &0x7ff2.into()));
    let unknown = rig.run(&["kinds", "show", "x"]).ended(2);
    assert!(unknown.notes.contains("there are: marrowbright-eight"), "{}", unknown.notes);
    rig.run(&["kinds", "list", "zebra"]).ended(2);
    // A kind of the sheet is one like any other.
    let own = "[[kind]]\nname = \"house-box\"\nmaker = \"House\"\nmodel = \"Box\"\nports = 3\n";
    rig.folder.write("t.rig.toml", format!("{}{own}", rig.folder.read("t.rig.toml")));
    rig.run(&["kinds", "list", "house"]).ended(0).line(&["house-box", "House Box", "3"]);
}

/// A kind says what somebody should know who stands before a unit, where its page is, and how it is spoken to.
#[test]
fn a_kind_says_what_somebody_should_know_who_stands_there() {
    let rig = Rig::tidewick();
    let shown = rig.run(&["kinds", "show", "tessaquill-eye"]).ended(0);
    shown.line(&["address without the network", "its picture shows it for ten seconds"]);
    shown.line(&["fed by", "802.3af class 3"]);
    shown.line(&["its page", "/setup/network"]);
    let kinds = "[[kind]]\nname = \"house-box\"\nmaker = \"House\"\nmodel = \"Box\"\nports = 0\npage = \"/patch\"\nboot = \"it blinks; 9 s\"\n\
                 sockets = [\"IN and LAN look alike\"]\nline_by = \"telnet\"\n[[kind.line]]\nname = \"help\"\nsay = \"?\"\n";
    let node = format!("[[node]]\nname = \"gone\"\nkind = \"house-box\"\naddress = \"{}\"\n", rig.address(9, 9));
    let quay =
        format!("[[node]]\nname = \"quay-north\"\nkind = \"house-box\"\naddress = \"{}\"\n", rig.address(1, 100));
    let head = format!("[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"{}/16\"\n", rig.address(0, 0));
    rig.folder.write("t.rig.toml", [&head, kinds, &node, &quay].concat());
    let shown = rig.run(&["kinds", "show", "house-box", "--sheet", "t.rig.toml"]).ended(0);
    shown.line(&["takes lines", "at port 23 by telnet: help"]);
    let json = rig.run(&["kinds", "show", "house-box", "--sheet", "t.rig.toml", "--json"]).ended(0).json();
    assert_eq!(json["kinds"][0]["hints"][1], serde_json::json!(["sockets", "IN and LAN look alike"]));
    let why = rig.run(&["why", "gone", "--sheet", "t.rig.toml"]).ended(1);
    why.line(&["what is known of a House Box:"]);
    why.line(&["starts: it blinks; 9 s"]);
    let page = rig.run(&["open", "quay-north", "--sheet", "t.rig.toml", "--print"]).ended(0);
    page.line(&["/patch"]);
    for page in ["setup", "//elsewhere/x", "/a b"] {
        rig.folder.write("u.rig.toml", [&head, kinds].concat().replace("/patch", page));
        let said = rig.run(&["sheet", "clashes", "u.rig.toml"]).ended(2);
        assert!(said.notes.contains("this is no path on a web server"), "{page}: {}", said.notes);
    }
}
