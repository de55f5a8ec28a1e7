//! How to make an address permanent on each system: the exact file or commands, to be read before they are used.

use super::WantedOwn;

/// A way in which systems keep network settings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Keeper {
    /// NetworkManager, by its command line.
    NetworkManager,
    /// systemd-networkd, by a file.
    Networkd,
    /// Netplan, by a file.
    Netplan,
    /// ifupdown, by a file.
    Ifupdown,
    /// Windows, by PowerShell.
    Windows,
    /// macOS, by its command line.
    MacOs,
}

/// What to type so that an adapter is switched on or off, on the system that this was compiled for.
pub(crate) fn to_switch(adapter: &str, on: bool) -> String {
    if cfg!(windows) {
        let state = if on { "enabled" } else { "disabled" };
        return format!("netsh interface set interface \"{adapter}\" admin={state}");
    }
    let state = if on { "up" } else { "down" };
    if cfg!(target_os = "macos") {
        format!("sudo ifconfig {adapter} {state}")
    } else {
        format!("ip link set {adapter} {state}")
    }
}

/// Who is given raw frames on the system that this was compiled for.
pub(crate) const FRAMES_FOR: &str =
    if cfg!(target_os = "linux") { "as administrator they are" } else { "this system gives no raw frames" };

/// What to write or type so that `adapter` keeps these addresses over a restart. Existing settings of the adapter are
/// replaced where the system keeps one set only; each text says so.
#[must_use]
pub fn lasting(keeper: Keeper, adapter: &str, wanted: &[WantedOwn]) -> String {
    let lines = |line: &dyn Fn(&WantedOwn) -> String| wanted.iter().map(line).collect::<Vec<_>>().join("\n");
    let all = |separator: &str| wanted.iter().map(ToString::to_string).collect::<Vec<_>>().join(separator);
    match keeper {
        Keeper::NetworkManager => format!(
            "# A connection of its own: switch to it and back without losing the others.\n\
             nmcli connection add type ethernet ifname {adapter} con-name rig-{adapter} \\\n    \
             ipv4.method manual ipv4.addresses \"{}\" ipv4.never-default yes ipv6.method link-local\n\
             nmcli connection up rig-{adapter}\n\
             # back: nmcli connection delete rig-{adapter}",
            all(", ")
        ),
        Keeper::Networkd => format!(
            "# /etc/systemd/network/10-rig-{adapter}.network, then: networkctl reload\n\
             [Match]\nName={adapter}\n\n[Network]\nLinkLocalAddressing=ipv6\n{}",
            lines(&|own| format!("Address={own}"))
        ),
        Keeper::Netplan => format!(
            "# /etc/netplan/90-rig-{adapter}.yaml, then: netplan try\n\
             network:\n  version: 2\n  ethernets:\n    {adapter}:\n      dhcp4: false\n      addresses:\n{}",
            lines(&|own| format!("        - {own}"))
        ),
        Keeper::Ifupdown => format!(
            "# /etc/network/interfaces.d/rig-{adapter}, then: ifdown {adapter}; ifup {adapter}\n\
             auto {adapter}\n{}",
            lines(&|own| format!("iface {adapter} inet static\n    address {own}"))
        ),
        Keeper::Windows => format!(
            "# In PowerShell as administrator; \"{adapter}\" is the adapter's name in Get-NetAdapter. This turns DHCP off.\n{}\n\
             # back: Set-NetIPInterface -InterfaceAlias \"{adapter}\" -Dhcp Enabled",
            lines(&|own| format!(
                "New-NetIPAddress -InterfaceAlias \"{adapter}\" -IPAddress {} -PrefixLength {}",
                own.address,
                own.subnet.mask().prefix()
            ))
        ),
        Keeper::MacOs => macos(adapter, wanted),
    }
}

/// macOS keeps one address by its settings; further ones come as aliases that a restart forgets.
fn macos(adapter: &str, wanted: &[WantedOwn]) -> String {
    let mut text = format!(
        "# \"{adapter}\" is the service's name in: networksetup -listallnetworkservices\n\
         # The first address replaces what the service was set to; \"\" leaves the router empty."
    );
    for (i, own) in wanted.iter().enumerate() {
        let line = if i == 0 {
            format!("\nsudo networksetup -setmanual \"{adapter}\" {} {} \"\"", own.address, own.subnet.mask())
        } else {
            format!(
                "\nsudo ifconfig {adapter} alias {} {}   # until the next restart",
                own.address,
                own.subnet.mask()
            )
        };
        text.push_str(&line);
    }
    text + &format!("\n# back: sudo networksetup -setdhcp \"{adapter}\"")
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case(Keeper::NetworkManager, "ipv4.addresses \"10.40.0.50/16, 192.168.0.50/24\" ipv4.never-default yes")]
    #[case(Keeper::Networkd, "Address=10.40.0.50/16\nAddress=192.168.0.50/24")]
    #[case(Keeper::Netplan, "        - 10.40.0.50/16\n        - 192.168.0.50/24")]
    #[case(Keeper::Ifupdown, "iface rig0 inet static\n    address 192.168.0.50/24")]
    #[case(Keeper::Windows, "New-NetIPAddress -InterfaceAlias \"rig0\" -IPAddress 10.40.0.50 -PrefixLength 16")]
    #[case(Keeper::MacOs, "sudo networksetup -setmanual \"rig0\" 10.40.0.50 255.255.0.0 \"\"")]
    fn every_system_gets_every_address(#[case] keeper: Keeper, #[case] part: &str) {
        let wanted = ["10.40.0.50/16", "192.168.0.50/24"].map(|text| text.parse().unwrap());
        let text = lasting(keeper, "rig0", &wanted);
        assert!(text.contains(part), "{text}");
        assert!(text.starts_with("# ") && text.contains("192.168.0.50"), "{text}");
    }
}
