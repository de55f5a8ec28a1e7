//! Which devices the nodes of a sheet are: their MAC addresses written into it.

use std::collections::BTreeMap;

use lantern_wire::MacAddress;

use crate::sheet::{Edits, RigSheet};

/// Writes down the MAC address of each of these nodes, by name, where the sheet does not say one.
#[must_use]
pub fn with_macs(sheet: &RigSheet, known: &BTreeMap<String, MacAddress>) -> Edits {
    let mut edits = Edits::default();
    for node in sheet.nodes.iter().filter(|node| node.mac.is_none()) {
        if let Some(mac) = known.get(&node.name.value) {
            edits.add_toml_behind(sheet.text(), node.name.span, "mac", &format!("\"{mac}\""));
        }
    }
    edits
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_the_sheet_does_not_say_is_written() {
        let text = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
            [[node]]\nname = \"a\" # left\naddress = \"10.40.1.1\"\n\
            [[node]]\nname = \"b\"\nmac = \"02:00:00:00:00:01\"\naddress = \"10.40.1.2\"\n";
        let sheet = RigSheet::parse(text).unwrap();
        let mac: MacAddress = "02:00:00:00:00:09".parse().unwrap();
        let known = ["a", "b", "nobody"].map(|name| (name.to_owned(), mac)).into();
        let after = with_macs(&sheet, &known).apply(text);
        let sheet = RigSheet::parse(&after).unwrap();
        let macs: Vec<_> = sheet.nodes.iter().map(|node| node.mac.as_ref().unwrap().value.to_string()).collect();
        assert_eq!(macs, ["02:00:00:00:00:09", "02:00:00:00:00:01"]);
    }
}
