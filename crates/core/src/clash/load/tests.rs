//! What is added up on a small rig.

use super::*;
use crate::sheet::{Rate, Watts};

const RIG: &str = r#"
[rig]
name = "t"
[[network]]
name = "lights"
range = "10.40.0.0/16"
[[source]]
name = "desk"
sends = ["0-9"]
[[node]]
name = "a"
kind = "marrowbright-four"
address = "10.40.1.1"
[[node.port]]
port = 1
out = 0
[[node.port]]
port = 2
out = 1
[[node]]
name = "b"
behind = "a"
power = 3.25
address = "10.40.1.2"
[[node.port]]
port = 1
out = "sacn 5"
[[node]]
name = "box"
address = "10.40.1.3"
[[node]]
name = "amp"
address = "10.40.1.4"
[[stream]]
name = "mix"
carries = "audio"
from = "box"
to = ["amp", "a"]
group = "239.69.1.1"
channels = 8
[[switch]]
name = "front"
power = 20
sockets = 8
[[switch.port]]
port = 1
to = "desk"
[[switch.port]]
port = 2
to = "a"
[[switch.port]]
port = 8
to = "back"
[[switch]]
name = "back"
link = 1000
[[switch.port]]
port = 1
to = "box"
[[switch.port]]
port = 2
to = "amp"
[[switch.port]]
port = 8
to = "front"
"#;

#[test]
fn power_counts_the_chain_and_names_what_is_unknown() {
    let loads = Loads::of(&RigSheet::parse(RIG).unwrap());
    assert_eq!(loads.switches[0].drawn, Watts::from_milliwatts(9750));
    assert_eq!(loads.switches[0].sockets, (3, Some(8)));
    assert_eq!(loads.switches[1].unknown, ["box", "amp"]);
}

#[test]
fn a_stream_goes_once_over_a_cable_and_a_universe_to_each_node() {
    let loads = Loads::of(&RigSheet::parse(RIG).unwrap());
    let link = |name: &str, port: u32| {
        let link = loads.links.iter().find(|l| (l.switch.name.as_str(), l.switch.port) == (name, port)).unwrap();
        (link.out.kilobits(), link.back.kilobits())
    };
    // 8 channels of 24 bits 48,000 times a second, and a thousand packets of 78 bytes around them.
    let stream = 8 * 48 * 24 + 624;
    assert_eq!(link("back", 1), (0, stream));
    assert_eq!(link("back", 2), (stream, 0));
    assert_eq!(link("back", 8), (stream, 0));
    assert_eq!(link("front", 8), (0, stream));
    let universe = Rate::from_kilobits(210).kilobits();
    assert_eq!(link("front", 2), (stream + 2 * universe, 0));
    assert_eq!(link("front", 1), (0, 2 * universe));
}
