//! What speaks against giving, before anything is sent, and what is to be said at the end.

use std::net::Ipv4Addr;

use lantern_wire::MacAddress;

use super::rules::{DECLINED, ELSEWHERE, HELD, NO_MAC, NOT_ASKED, OWN, POOL_TAKEN, RIVAL, SERVER_HERE, SHORT};
use super::{LeasePlan, LeaseWishes, Place};
use crate::address::Seat;
use crate::clash::named;
use crate::conversation::{Leasing, LeasingStage};
use crate::finding::Finding;

/// What speaks against giving by this plan from these seats. `served_here` says that another program of this computer holds the
/// port of servers.
#[must_use]
pub fn judge(plan: &LeasePlan, wishes: &LeaseWishes, seats: &[Seat], served_here: bool) -> Vec<Finding> {
    let mut findings = Vec::new();
    if served_here {
        let what = "another program holds UDP 67 on this computer, where DHCP servers listen";
        findings.push(SERVER_HERE.finding(what, "end it, then begin again"));
    }
    let awaited = || (0..plan.places.len()).filter(|at| plan.is_awaited(*at)).map(|at| &plan.places[at]);
    for place in awaited().filter(|place| seats.iter().any(|seat| seat.own == place.terms.address)) {
        let what = format!("{} is planned at {}, which is this computer's own", place.name, place.terms.address);
        let remedy = "give this computer another address, or plan the device elsewhere";
        findings.push(OWN.finding(what, remedy).mended_by("adapters advise"));
    }
    let far: Vec<&Place> = awaited().filter(|place| Seat::beside(seats, place.terms.address).is_none()).collect();
    if !far.is_empty() {
        let who = named(far.iter().map(|place| format!("{} at {}", place.name, place.terms.address)), ", ");
        let what = format!("planned where this computer has no address: {who}");
        let remedy = "give this computer an address there beside its own";
        let command = format!("adapters advise {}", far[0].terms.address);
        findings.push(ELSEWHERE.finding(what, remedy).mended_by(command));
    }
    let unknown = |at: &usize| {
        let place = &plan.places[*at];
        place.can_state_mac && place.mac.is_none() && !plan.is_awaited(*at)
    };
    let unknown: Vec<&str> =
        (0..plan.places.len()).filter(unknown).map(|at| plan.places[at].name.as_str()).collect();
    if !unknown.is_empty() {
        let what = format!("{} without a MAC address on the sheet: {}", unknown.len(), named(&unknown, ", "));
        let remedy =
            format!("write mac = \"…\" for each, or switch them on one by one with --next {}", unknown[0]);
        findings.push(NO_MAC.finding(what, remedy));
    }
    if let Some(pool) = wishes.pool
        && !plan.pool.iter().any(|terms| LeasePlan::can_give(seats, Ipv4Addr::UNSPECIFIED, terms))
    {
        findings
            .push(POOL_TAKEN.finding(format!("no address of {pool} is free to be given"), "name another pool"));
    }
    findings
}

/// That another server answers.
#[must_use]
pub fn rival_finding(server: Ipv4Addr, mac: Option<MacAddress>) -> Finding {
    let by = mac.map(|mac| format!(" ({mac})")).unwrap_or_default();
    RIVAL.finding(
        format!("{server}{by} gives addresses on this network"),
        "switch it off, or let it give what the sheet plans: deft-lantern sheet export dhcp --for dnsmasq",
    )
}

/// That somebody holds what a device was to get, or that the device itself found so.
#[must_use]
pub fn held_finding(name: &str, address: Ipv4Addr, by: Option<MacAddress>) -> Finding {
    match by {
        Some(by) => HELD.finding(
            format!("{address}, planned for {name}, is held by {by}"),
            "see who that is, and move it or plan one of the two elsewhere",
        ),
        None => DECLINED.finding(
            format!("{name} would not take {address}: somebody holds it"),
            "look who answers there, and move it or plan one of the two elsewhere",
        ),
    }
    .mended_by(format!("reach {address}"))
}

/// Who is without a planned address when it ends, and who was not told to keep it.
#[must_use]
pub fn left_finding(leasing: &Leasing, sheet: &str) -> Vec<Finding> {
    let again = format!("lease {sheet}");
    let mut findings = Vec::new();
    let those = |stage: LeasingStage| -> Vec<&str> {
        leasing.stages().filter(|(_, now)| *now == stage).map(|(place, _)| place.name.as_str()).collect()
    };
    let quiet = those(LeasingStage::Awaited);
    if !quiet.is_empty() {
        let remedy =
            "switch them on, or pull their cable and plug it in again: whoever takes DHCP asks at once then";
        findings.push(NOT_ASKED.finding(named(&quiet, ", "), remedy).mended_by(again.clone()));
    }
    let short = those(LeasingStage::Short);
    if !short.is_empty() {
        let remedy = "let it run until they have asked again, or begin again";
        findings.push(SHORT.finding(named(&short, ", "), remedy).mended_by(again));
    }
    findings
}
