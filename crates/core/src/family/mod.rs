//! Families: the open protocols by which devices are found, read or set, each in a room of its own.
//!
//! A family takes part in a survey as an [`Asker`]: what it opens, what it joins, what it asks and when, and what it makes
//! out of the answers. It adds its line to [`askers`], [`told`] and [`ports`]; one that sets something makes a [`Talk`] of
//! each change, and adds its line to [`talk`].

mod dhcp;
mod dns_sd;
mod groups;
mod http;
mod lines;
mod llrp;
mod nmos;
mod onvif;
pub(crate) mod pjlink;
mod ptp;
mod rdm;
mod rdmnet;
mod sacn;
mod snmp;

use std::fmt::Debug;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::{
    Place, WireError, art_net, dns_sd as dns_sd_wire, llrp as llrp_wire, onvif as onvif_wire,
    pjlink as pjlink_wire, ptp as ptp_wire, sacn as sacn_wire, sap as sap_wire,
};

use crate::census::{FoundFixture, News, PatchPoint, PatchSort, Sighting, Told, Unit, Way, Ways};
use crate::change::Change;
use crate::conversation::{
    LinkEnd, LinkId, LinkNews, Nothing, OnCables, Outgoing, Response, SurveyPlan, Talk, Vantage,
};
use crate::facts::{Difference, Field};

/// A family's part in a survey or a watch. `now` is the time since that began; what is to be sent is put into `out`.
pub(crate) trait Asker: Debug {
    /// Opens what it needs: once, before anything is asked.
    fn begin(&mut self, _out: &mut Vec<Outgoing>) {}

    /// Takes in what was heard, of its own family or of another, and what was new in it.
    fn hear(&mut self, _now: Duration, _sighting: &Sighting, _news: &News, _out: &mut Vec<Outgoing>) {}

    /// Takes in what became of a link, its own or another family's.
    fn hear_link(&mut self, _now: Duration, _link: LinkId, _news: LinkNews<'_>, _out: &mut Vec<Outgoing>) {}

    /// Takes in what a web server answered, asked by itself or by another family.
    fn hear_page(
        &mut self,
        _now: Duration,
        _link: LinkId,
        _page: Result<&Response, LinkEnd>,
        _out: &mut Vec<Outgoing>,
    ) {
    }

    /// When it asks next; `None` when nothing is left to ask.
    fn next_at(&self) -> Option<Duration> {
        None
    }

    /// Asks what is due by now.
    fn ask(&mut self, _now: Duration, _out: &mut Vec<Outgoing>) {}

    /// Whether an answer to a question to a single device is waited for.
    fn waits(&self) -> bool {
        false
    }

    /// When it has a question to a single device, of which there may be many: each waits for its turn at the pace of all.
    fn next_single(&self) -> Option<Duration> {
        None
    }

    /// The question to a single device that is due by now.
    fn ask_single(&mut self, _now: Duration) -> Option<Outgoing> {
        None
    }

    /// Until when it is at work at least: what it has begun to read is read to the end.
    fn busy_until(&self) -> Option<Duration> {
        None
    }

    /// Of how many things that it reads one by one it is done with how many: done, and all.
    fn read_of(&self) -> (usize, usize) {
        (0, 0)
    }

    /// The next thing it has made out from what was heard; `None` when there is nothing.
    fn next_sighting(&mut self) -> Option<Sighting> {
        None
    }
}

/// Everybody who takes part in a survey of this plan.
pub(crate) fn askers(plan: &SurveyPlan) -> Vec<Box<dyn Asker>> {
    let mut all: Vec<Box<dyn Asker>> = Vec::new();
    let does = |way| !plan.is_passive() && plan.ways.contains(way);
    if does(Way::Sacn) {
        all.push(Box::new(sacn::Listener::new(plan)));
    }
    if does(Way::Sap) {
        // Streams are announced every half a minute or so (RFC 2974, section 3).
        all.push(Box::new(groups::Listener::new(plan, &sap_wire::GROUPS, sap_wire::PORT)));
    }
    if does(Way::Ptp) {
        all.push(Box::new(groups::Listener::new(plan, &[ptp_wire::GROUP], ptp_wire::GENERAL_PORT)));
    }
    if does(Way::DnsSd) {
        all.push(Box::new(dns_sd::Services::new(plan)));
    }
    // Where it is about some nodes only, nobody need offer us an address.
    if let Some(own) = plan.vantage.frames_from().filter(|_| does(Way::Dhcp) && plan.concern.is_everybody()) {
        all.push(Box::new(dhcp::Discover::new(own, plan.vantage.mark)));
    }
    // Who only listens makes out targets from what others ask.
    if plan.ways.contains(Way::Llrp) {
        all.push(Box::new(llrp::Search::new(plan)));
    }
    // Who only listens counts whom gateways tell to others.
    if plan.ways.contains(Way::Rdm) && plan.on_cables != OnCables::Nothing {
        all.push(Box::new(rdm::Search::new(plan)));
    }
    if does(Way::Rdmnet) {
        all.push(Box::new(rdmnet::Search::new(plan)));
    }
    if does(Way::Pjlink) {
        all.push(Box::new(pjlink::Search::new(plan)));
    }
    if does(Way::Onvif) {
        all.push(Box::new(onvif::Search::new(plan)));
    }
    if does(Way::Nmos) {
        all.push(Box::new(nmos::Search::new(plan)));
    }
    if does(Way::Snmp) {
        all.push(Box::new(snmp::Search::new(plan)));
    }
    // What is said to a device is said only where it is about that one.
    if does(Way::Lines) && !plan.concern.is_everybody() {
        all.push(Box::new(lines::Questions::new(plan)));
    }
    // Where it is about everybody, nobody's web server is troubled.
    if does(Way::Http) && !plan.concern.is_everybody() {
        all.push(Box::new(http::Pages::new(plan)));
    }
    all
}

/// Whether units of this family can be set.
pub(crate) const fn can_set(family: Way) -> bool {
    matches!(family, Way::Llrp | Way::Rdmnet | Way::Onvif | Way::Snmp)
}

/// Whether units of this family are told things at their address: then this computer has to be in a subnet with them.
pub(crate) const fn is_told_at_address(family: Way) -> bool {
    matches!(family, Way::ArtNet | Way::Onvif | Way::Nmos | Way::Snmp)
}

/// Whether this unit can be told to make this difference vanish, where it tells of the field at all.
pub(crate) fn can_set_on(unit: &Unit, difference: &Difference) -> bool {
    match unit.family {
        Way::Rdmnet => rdmnet::can_set(difference),
        Way::Onvif => onvif::can_set(difference),
        Way::Snmp => snmp::can_set(difference),
        family => can_set(family),
    }
}

/// The talk that makes this change of a unit; one that ends at once where its family sets nothing.
pub(crate) fn talk(unit: &Unit, change: &Change, vantage: Vantage, restart_time: Duration) -> Box<dyn Talk> {
    match unit.family {
        Way::Llrp => Box::new(llrp::Talk::new(unit, change, vantage, restart_time)),
        Way::Rdmnet => rdmnet::talk(unit, change, vantage, restart_time),
        Way::Onvif => Box::new(onvif::Talk::new(unit, change, vantage, restart_time)),
        Way::Snmp => Box::new(snmp::Talk::new(unit, change, vantage, restart_time)),
        _ => Box::new(Nothing::of(&change.subject)),
    }
}

/// Whether what is patched can be told to make this difference vanish.
pub(crate) const fn can_set_patch(sort: PatchSort, difference: &Difference) -> bool {
    nmos::can_set(sort, difference)
}

/// Where a sender describes what it sends, for those that are to receive it.
pub(crate) fn description(sender: &PatchPoint) -> Option<Place> {
    nmos::description(sender)
}

/// The talk that makes this change of what is patched.
pub(crate) fn talk_of_patch(
    point: &PatchPoint,
    change: &Change,
    vantage: Vantage,
    restart_time: Duration,
) -> Box<dyn Talk> {
    Box::new(nmos::Talk::new(point, change, vantage, restart_time))
}

/// Whether this can be set on a fixture.
pub(crate) const fn can_set_on_fixture(field: Field) -> bool {
    rdm::can_set(field)
}

/// The talk that makes this change of a unit on a cable.
pub(crate) fn talk_on_cable(
    fixture: &FoundFixture,
    change: &Change,
    vantage: Vantage,
    restart_time: Duration,
) -> Box<dyn Talk> {
    Box::new(rdm::Talk::new(fixture.uid, change, rdm::Gateway::of(fixture, vantage), restart_time))
}

/// What a datagram to this port tells, where a family reads its messages itself; `None` when it says nothing about its
/// sender.
///
/// # Errors
/// When the datagram cannot be read.
pub(crate) fn told(to_port: u16, bytes: &[u8]) -> Result<Option<Told>, WireError> {
    match to_port {
        llrp_wire::PORT => llrp::told(bytes),
        onvif_wire::PORT => onvif::told(bytes),
        pjlink_wire::PORT => pjlink::told(bytes),
        ptp_wire::GENERAL_PORT => ptp::told(bytes),
        _ => Ok(None),
    }
}

/// The UDP ports heard on, in these ways.
pub(crate) fn ports(ways: Ways) -> Vec<u16> {
    let of = [
        (Way::ArtNet, art_net::PORT),
        (Way::Sacn, sacn_wire::PORT),
        (Way::DnsSd, dns_sd_wire::PORT),
        (Way::Sap, sap_wire::PORT),
        (Way::Llrp, llrp_wire::PORT),
        (Way::Onvif, onvif_wire::PORT),
        (Way::Pjlink, pjlink_wire::PORT),
        (Way::Ptp, ptp_wire::GENERAL_PORT),
    ];
    of.into_iter().filter(|(way, _)| ways.contains(*way)).map(|(_, port)| port).collect()
}

/// Joins a group on every seat.
fn join(seats: usize, group: Ipv4Addr, port: u16, out: &mut Vec<Outgoing>) {
    out.extend(Outgoing::join(seats, group, port));
}
