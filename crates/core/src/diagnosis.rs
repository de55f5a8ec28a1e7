//! What a survey could not see, and why nothing was found: judged from facts, in the order in which to rule it out.

use std::time::Duration;

use crate::adapter::{Adapter, FRAMES_FOR, Medium, Origin};
use crate::census::Way;
use crate::conversation::{Extent, SurveyPlan};

/// How often things tell themselves unasked; what is listened to for a shorter time may miss them.
const RHYTHMS: [(Way, &str, u64); 5] = [
    (Way::Ptp, "clocks announce themselves every 1 to 2 s", 2),
    (Way::Sacn, "sACN sources tell their universes every 10 s", 10),
    (Way::Lldp, "switches tell their port every 30 s", 30),
    (Way::Sap, "streams are announced every 30 to 300 s", 300),
    (Way::Igmp, "a querier asks every 125 s", 125),
];
/// Ports below are the administrator's on most systems.
const RESERVED: u16 = 1024;
/// What is recommended to listen for.
const LONG_LISTEN: Duration = Duration::from_secs(35);

/// What limited a survey.
#[derive(Debug, Clone)]
pub struct Limits<'a> {
    /// What it was to do.
    pub plan: &'a SurveyPlan,
    /// How long it listened.
    pub listened: Duration,
    /// Whether it was played from a file.
    pub from_file: bool,
    /// What the adapter leads over; `None` for a file.
    pub medium: Option<Medium>,
    /// Why there were no raw frames, where they were wanted.
    pub no_frames: Option<String>,
    /// Why there were no echo requests, where they were wanted.
    pub no_echo: Option<String>,
    /// Ports that could not be had, and why.
    pub ports_refused: Vec<(u16, String)>,
    /// How many groups the system would not listen to.
    pub groups_refused: u64,
    /// Whether the system drops what comes from other subnets.
    pub drops_foreign: bool,
}

/// What the survey could not see, and what would show it.
#[must_use]
pub fn blind_spots(limits: &Limits<'_>) -> Vec<String> {
    let plan = limits.plan;
    let mut spots = Vec::new();
    if plan.vantage.is_on_loopback() {
        spots.push(
            "on loopback only what speaks Art-Net, sACN, DNS-SD or SAP is seen: there is no ARP and no echo"
                .to_owned(),
        );
    }
    if plan.is_passive() && !limits.from_file {
        spots.push("nothing was asked: who did not speak by itself is missing".to_owned());
    }
    if limits.from_file {
        spots.push("this comes from a file: only what was recorded then is seen".to_owned());
    }
    if let Some(why) = &limits.no_frames {
        let dropped = if limits.drops_foreign {
            ", nor nodes in other subnets, which this system drops (rp_filter)"
        } else {
            ""
        };
        spots.push(format!(
            "no raw frames ({why}): who shares an address, who has none, the switch port, clocks, DHCP servers and IGMP queriers are \
             not seen{dropped}; {FRAMES_FOR}"
        ));
    }
    if let Some(why) = &limits.no_echo {
        spots.push(format!(
            "no echo requests ({why}): whether a device can be talked to shows only where it speaks Art-Net"
        ));
    }
    // Where rights are lacking for frames, those for low ports are too, and that was said.
    let is_said = |port: u16| port < RESERVED && (limits.no_frames.is_some() || plan.vantage.is_on_loopback());
    for (port, why) in limits.ports_refused.iter().filter(|(port, _)| !is_said(*port)) {
        spots.push(format!("UDP port {port} could not be had ({why}): what comes there is not heard"));
    }
    if limits.groups_refused > 0 {
        spots.push(format!(
            "the system listens to no more groups: {} were left out, and their sources are seen only by discovery",
            limits.groups_refused
        ));
    }
    if limits.medium == Some(Medium::Wireless) {
        spots.push("over radio much that goes to everybody gets lost: look again by cable".to_owned());
    }
    spots.extend(not_swept(plan));
    spots.extend(too_short(limits));
    if let (false, [gateway, ..]) = (plan.is_passive(), &plan.vantage.gateways[..]) {
        spots.push(format!("what lies behind the router {gateway} is asked only address by address: --range"));
    }
    spots
}

/// Subnets too large to be asked one by one without being told to.
fn not_swept(plan: &SurveyPlan) -> Option<String> {
    let sweeps = !plan.is_passive() && !plan.vantage.is_on_loopback() && plan.ways.contains(Way::Arp);
    if !sweeps || !plan.ranges.is_empty() {
        return None;
    }
    let large = plan
        .vantage
        .seats
        .iter()
        .map(|seat| seat.subnet)
        .find(|subnet| subnet.hosts().len() > SurveyPlan::MOST_UNASKED)?;
    let count = large.hosts().len();
    let seconds = count / u64::from(plan.real_pace().max(1)) + 1;
    Some(format!(
        "{large} has {count} addresses, too many to ask unasked: who speaks none of these protocols, or has discovery switched off, is missing; \
         --range {large} asks each (about {seconds} s)"
    ))
}

fn too_short(limits: &Limits<'_>) -> Option<String> {
    let listens = |(way, ..): &&(Way, &str, u64)| {
        let by_frames = matches!(way, Way::Lldp | Way::Igmp);
        limits.plan.ways.contains(*way)
            && (!by_frames || limits.plan.vantage.means.frames)
            && !(limits.plan.vantage.is_on_loopback() && by_frames)
    };
    let missed: Vec<&str> = RHYTHMS
        .iter()
        .filter(listens)
        .filter(|(_, _, seconds)| limits.listened < Duration::from_secs(*seconds))
        .map(|(_, text, _)| *text)
        .collect();
    if missed.is_empty() || limits.from_file || limits.plan.extent == Extent::Ranges {
        return None;
    }
    let longer =
        (limits.listened < LONG_LISTEN).then(|| format!("; --for {}s hears most of it", LONG_LISTEN.as_secs()));
    let listened = limits.listened.as_secs_f32();
    Some(format!("listened for {listened:.1} s: {}{}", missed.join(", "), longer.unwrap_or_default()))
}

/// Facts about a survey that found nobody.
#[derive(Debug, Clone)]
pub struct Emptiness<'a> {
    /// The adapter it took place on.
    pub adapter: &'a Adapter,
    /// The address it asked from is the first of them.
    pub plan: &'a SurveyPlan,
    /// Who else holds the Art-Net port: a program's name where the system tells it.
    pub port_shared_with: Option<String>,
    /// Other adapters that could lead to the rig.
    pub others: Vec<String>,
    /// How much was heard at all.
    pub heard: u64,
}

/// The likely causes when nobody was found, in the order in which to rule them out.
#[must_use]
pub fn nothing_found(facts: &Emptiness<'_>) -> Vec<String> {
    let Some(seat) = facts.plan.vantage.seats.first() else { return Vec::new() };
    let adapter = facts.adapter;
    let mut causes = Vec::new();
    if let Some(program) = &facts.port_shared_with {
        causes
            .push(format!("{program} here holds UDP 6454 and may have taken the answers: close it and try again"));
    }
    if seat.own.is_loopback() {
        causes.push("no simulated nodes run on this ground: start them with deft-lantern demo --stay".to_owned());
        return causes;
    }
    if !adapter.link {
        causes.push(format!("{} has no link: look at the cable and the light at both ends", adapter.name));
    } else if facts.heard == 0 {
        causes.push(format!(
            "nothing at all was heard on {}: the cable leads elsewhere, or to a switch port of another VLAN",
            adapter.name
        ));
    } else {
        causes.push(format!(
            "{} messages were heard on {}, but none tells of a device: the nodes sit in another VLAN, or are not started yet",
            facts.heard, adapter.name
        ));
    }
    if !facts.others.is_empty() {
        let others = facts.others.join(", ");
        causes.push(format!(
            "this is the wrong adapter: others could lead to the rig too ({others}); choose with --adapter"
        ));
    }
    let origin = adapter.addresses.iter().find(|own| own.address == seat.own).map(|own| own.origin);
    if seat.own.is_link_local() {
        causes.push(format!("{} is a link-local address: nobody gave this computer one of the rig's", seat.own));
    } else if origin == Some(Origin::Leased) {
        causes.push(format!("{} was given by a DHCP server, perhaps of another network than the rig's", seat.own));
    }
    causes.push("the nodes are still starting, or have no power".to_owned());
    causes.push("a firewall on this computer drops UDP 6454".to_owned());
    if facts.plan.ranges.is_empty() && facts.plan.ways.contains(Way::Arp) {
        causes
            .push("the devices speak none of the protocols asked for: --range asks address by address".to_owned());
    }
    causes
}
