//! What PowerShell is told so that an adapter's addresses are read and changed. What is set is in the system's active store only: a
//! restart of the computer forgets it, and beside an address from DHCP it may stand.
//!
//! Names are those of Microsoft's reference of the modules NetTCPIP and NetAdapter. Enumerations are asked for as numbers, which are the
//! same in every language.

use lantern_core::adapter::{AddressState, Move, RouteState};

use super::shell::quoted;

/// The protocol of a route that a person or a program made (`MSFT_NetRoute`, `Protocol`).
const NET_MGMT: u8 = 3;
/// An address about which the system is still asking the network (`MSFT_NetIPAddress`, `AddressState`).
const TENTATIVE: u8 = 1;
/// An address that the system has found somebody else to hold.
const DUPLICATE: u8 = 2;
/// How often, a tenth of a second apart, it is looked whether the system has ended asking.
const LOOKS: u8 = 80;

/// Reads addresses and routes, as one JSON object.
pub(crate) fn to_read(adapter: &str) -> String {
    let seconds = |what: &str| format!("[uint32][Math]::Min(4294967295.0, [Math]::Floor($_.{what}.TotalSeconds))");
    format!(
        "{found}\
         $a = @(Get-NetIPAddress -InterfaceIndex $i -AddressFamily IPv4 -PolicyStore ActiveStore -ErrorAction SilentlyContinue | \
         ForEach-Object {{ @{{ IPAddress = $_.IPAddress; PrefixLength = [int]$_.PrefixLength; ValidLifetime = {valid}; \
         PreferredLifetime = {preferred} }} }}); \
         $r = @(Get-NetRoute -InterfaceIndex $i -AddressFamily IPv4 -PolicyStore ActiveStore -ErrorAction SilentlyContinue | \
         Where-Object {{ [int]$_.Protocol -eq {NET_MGMT} }} | ForEach-Object {{ @{{ DestinationPrefix = $_.DestinationPrefix; \
         NextHop = $_.NextHop; RouteMetric = [int]$_.RouteMetric }} }}); \
         ConvertTo-Json -Compress -Depth 4 -InputObject @{{ Addresses = $a; Routes = $r }}",
        found = found(adapter),
        valid = seconds("ValidLifetime"),
        preferred = seconds("PreferredLifetime"),
    )
}

/// Makes these moves, stops at the first that is refused, waits until the system has asked the network about what is new, and prints
/// the addresses that it has found somebody else to hold.
pub(crate) fn to_make(adapter: &str, moves: &[Move]) -> String {
    let mut script = found(adapter);
    for one in moves {
        script.push_str(&order(one));
        script.push_str("; ");
    }
    let new = moves.iter().filter_map(|one| match one {
        Move::AddAddress(state) => Some(quoted(&state.address.to_string())),
        _ => None,
    });
    let new: Vec<String> = new.collect();
    script.push_str(&format!(
        "$new = @({}); for ($n = 0; $n -lt {LOOKS}; $n++) {{ \
         $asking = @(Get-NetIPAddress -InterfaceIndex $i -AddressFamily IPv4 | Where-Object {{ $new -contains $_.IPAddress -and \
         [int]$_.AddressState -eq {TENTATIVE} }}); if ($asking.Count -eq 0) {{ break }}; Start-Sleep -Milliseconds 100 }}; \
         Get-NetIPAddress -InterfaceIndex $i -AddressFamily IPv4 -ErrorAction SilentlyContinue | Where-Object {{ \
         $new -contains $_.IPAddress -and [int]$_.AddressState -eq {DUPLICATE} }} | ForEach-Object {{ $_.IPAddress }}",
        new.join(", ")
    ));
    script
}

/// Whether this program may change anything: prints True or False.
pub(crate) const TO_KNOW_RIGHTS: &str = "([Security.Principal.WindowsPrincipal]\
    [Security.Principal.WindowsIdentity]::GetCurrent()).IsInRole([Security.Principal.WindowsBuiltInRole]::Administrator)";

/// The number of this start of the computer.
pub(crate) const TO_KNOW_START: &str = "(Get-ItemProperty -Path 'HKLM:\\SYSTEM\\CurrentControlSet\\Control\\Session Manager\\\
    Memory Management\\PrefetchParameters').BootId";

/// Every error ends the script; the adapter's number is in `$i`. A name is compared, never taken for a pattern.
fn found(adapter: &str) -> String {
    format!(
        "$ErrorActionPreference = 'Stop'; $i = (Get-NetAdapter -IncludeHidden | Where-Object {{ $_.Name -eq {} }}).ifIndex; \
         if (-not $i) {{ throw 'there is no such adapter' }}; ",
        quoted(adapter)
    )
}

fn order(one: &Move) -> String {
    match one {
        Move::AddAddress(state) => format!(
            "New-NetIPAddress -InterfaceIndex $i -IPAddress {} -PrefixLength {} -PolicyStore ActiveStore{} | Out-Null",
            state.address,
            state.prefix,
            lifetime(state)
        ),
        Move::RemoveAddress(state) => format!(
            "Remove-NetIPAddress -InterfaceIndex $i -IPAddress {} -PolicyStore ActiveStore -Confirm:$false",
            state.address
        ),
        Move::AddRoute(route) => {
            let metric = route.metric.map(|metric| format!(" -RouteMetric {metric}")).unwrap_or_default();
            format!("New-NetRoute {}{metric} | Out-Null", way(route))
        }
        Move::RemoveRoute(route) => format!("Remove-NetRoute {} -Confirm:$false", way(route)),
    }
}

fn lifetime(state: &AddressState) -> String {
    if state.valid == u32::MAX {
        return String::new();
    }
    format!(
        " -ValidLifetime ([TimeSpan]::FromSeconds({})) -PreferredLifetime ([TimeSpan]::FromSeconds({}))",
        state.valid,
        state.preferred.min(state.valid)
    )
}

fn way(route: &RouteState) -> String {
    let by = route.gateway.map_or_else(|| "0.0.0.0".to_owned(), |gateway| gateway.to_string());
    format!(
        "-InterfaceIndex $i -DestinationPrefix {}/{} -NextHop {by} -PolicyStore ActiveStore",
        route.destination, route.prefix
    )
}

#[cfg(test)]
mod tests {
    use std::net::Ipv4Addr;

    use rstest::rstest;

    use super::*;

    const OWN: Ipv4Addr = Ipv4Addr::new(10, 40, 0, 50);

    fn fixed() -> AddressState {
        AddressState::fixed(OWN, 16, Ipv4Addr::new(10, 40, 255, 255), "show")
    }

    fn route(gateway: Option<Ipv4Addr>) -> RouteState {
        RouteState {
            destination: Ipv4Addr::UNSPECIFIED,
            prefix: 0,
            gateway,
            source: None,
            metric: Some(25),
            table: 0,
            protocol: NET_MGMT,
            scope: 0,
        }
    }

    #[rstest]
    #[case::an_address(
        Move::AddAddress(fixed()),
        "New-NetIPAddress -InterfaceIndex $i -IPAddress 10.40.0.50 -PrefixLength 16 -PolicyStore ActiveStore | Out-Null; "
    )]
    #[case::one_for_a_time(
        Move::AddAddress(AddressState { valid: 60, preferred: u32::MAX, ..fixed() }),
        "-ValidLifetime ([TimeSpan]::FromSeconds(60)) -PreferredLifetime ([TimeSpan]::FromSeconds(60)) | Out-Null; "
    )]
    #[case::one_off(
        Move::RemoveAddress(fixed()),
        "Remove-NetIPAddress -InterfaceIndex $i -IPAddress 10.40.0.50 -PolicyStore ActiveStore -Confirm:$false; "
    )]
    #[case::a_way_out(
        Move::AddRoute(route(Some(Ipv4Addr::new(10, 40, 0, 1)))),
        "New-NetRoute -InterfaceIndex $i -DestinationPrefix 0.0.0.0/0 -NextHop 10.40.0.1 -PolicyStore ActiveStore -RouteMetric 25"
    )]
    #[case::none_more(
        Move::RemoveRoute(route(None)),
        "Remove-NetRoute -InterfaceIndex $i -DestinationPrefix 0.0.0.0/0 -NextHop 0.0.0.0 -PolicyStore ActiveStore -Confirm:$false; "
    )]
    fn every_move_is_an_order_for_as_long_as_the_computer_runs(#[case] one: Move, #[case] order: &str) {
        let script = to_make("show", &[one]);
        assert!(script.contains(order), "{script}");
        assert!(
            !script.contains("Persistent") && script.starts_with("$ErrorActionPreference = 'Stop'; "),
            "{script}"
        );
    }

    /// What is asked about is what is new; what goes is not waited for.
    #[test]
    fn only_what_is_new_is_waited_for() {
        let other = AddressState { address: Ipv4Addr::new(192, 168, 0, 9), ..fixed() };
        let script = to_make("show", &[Move::RemoveAddress(other), Move::AddAddress(fixed())]);
        assert!(script.contains("$new = @('10.40.0.50'); "), "{script}");
    }

    /// A name is a name, whatever is in it.
    #[rstest]
    #[case("Ethernet 2", "$_.Name -eq 'Ethernet 2' ")]
    #[case("it's [the] rig*", "$_.Name -eq 'it''s [the] rig*' ")]
    #[case(
        "\u{2019}; Restart-Computer; \u{2018}",
        "$_.Name -eq '\u{2019}\u{2019}; Restart-Computer; \u{2018}\u{2018}' "
    )]
    #[case("'; Restart-Computer; '", "$_.Name -eq '''; Restart-Computer; ''' ")]
    fn a_name_is_no_order(#[case] name: &str, #[case] part: &str) {
        for script in [to_read(name), to_make(name, &[])] {
            assert!(script.contains(part), "{script}");
        }
    }
}
