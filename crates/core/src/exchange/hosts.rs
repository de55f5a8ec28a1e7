//! A sheet as a hosts file (hosts(5)), so that any program can call devices by their names.

use std::collections::BTreeSet;

use crate::sheet::RigSheet;

/// The longest label of a host name (RFC 1123, section 2.1, with RFC 1035, section 2.3.4).
const LONGEST: usize = 63;

/// A line for each node, source and switch with a fixed address. A name that is no host name is written as one (RFC 1123, section
/// 2.1: letters, digits, hyphens); one that comes out twice, or as nothing, stands as a remark.
#[must_use]
pub fn to_hosts(sheet: &RigSheet) -> String {
    let mut text = format!("# {}\n", one_line(&sheet.name.value));
    let mut taken = BTreeSet::new();
    for member in sheet.members() {
        let (name, Some(address)) = (&member.name().value, member.fixed_address()) else { continue };
        let host = host_name(name);
        let line = format!("{:<15} {host}", address.to_string());
        if host.is_empty() || !taken.insert(host.clone()) {
            text += &format!("# {line}  left out: {} gives no name of its own\n", one_line(name));
        } else if host == *name {
            text += &format!("{line}\n");
        } else {
            text += &format!("{line}  # {}\n", one_line(name));
        }
    }
    text
}

/// A name as a host name; empty where nothing of it can be one.
pub(crate) fn host_name(name: &str) -> String {
    let mapped: String = name
        .to_lowercase()
        .chars()
        .map(|c| if c.is_ascii_lowercase() || c.is_ascii_digit() { c } else { '-' })
        .take(LONGEST)
        .collect();
    mapped.trim_matches('-').to_owned()
}

/// Whatever a name holds, it stays a remark.
fn one_line(name: &str) -> String {
    name.escape_debug().to_string()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn everybody_with_an_address_has_a_line_and_no_name_stands_twice() {
        let sheet = RigSheet::parse(
            "[rig]\nname = \"Tidewick\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
             [[node]]\nname = \"quay-north\"\naddress = \"10.40.1.100\"\n[[node]]\nname = \"Hall West 1\"\naddress = \"10.40.2.100\"\n\
             [[node]]\nname = \"hall.west_1\"\naddress = \"10.40.2.101\"\n[[node]]\nname = \"slip-low\"\naddress = \"fill\"\n\
             [[node]]\nname = \"旗\"\naddress = \"10.40.2.102\"\n[[source]]\nname = \"desk-one\"\naddress = \"10.40.0.10\"\nsends = [\"0:0:0\"]\n",
        )
        .unwrap();
        let expected = "# Tidewick\n\
            10.40.1.100     quay-north\n\
            10.40.2.100     hall-west-1  # Hall West 1\n\
            # 10.40.2.101     hall-west-1  left out: hall.west_1 gives no name of its own\n\
            # 10.40.2.102       left out: 旗 gives no name of its own\n\
            10.40.0.10      desk-one\n";
        assert_eq!(to_hosts(&sheet), expected);
    }
}
