//! The rungs between this computer and the device: whether it has the address, alone, and answers.

use lantern_wire::MacAddress;

use crate::ART_NET_PORT;
use crate::adapter::FRAMES_FOR;
use crate::census::{Device, Way};
use crate::clash::own_address_held;
use crate::sheet::kind::Kind;
use crate::typed;

use super::rules::{
    ELSEWHERE, HELD_TWICE, LOSSY, NO_PAGE, NOBODY, ONLY_ARP, OTHER_PROTOCOL_ONLY, OURS, PORT_TAKEN, SOMEBODY_ELSE,
};
use super::{Circumstances, Step, WasHeard};

/// One lost answer is chance; from so many on, and so large a part in percent, a device is silent now and then.
const LOSSY_FROM: usize = 2;
const LOSSY_PERCENT: usize = 10;

fn unheard() -> Step {
    Step::NotLooked("nothing could be asked".to_owned())
}

/// Who somebody is, as far as is known.
fn title(heard: WasHeard<'_>, mac: MacAddress) -> String {
    let device = heard.devices.iter().find(|device| device.mac == Some(mac) && !device.name.is_empty());
    device.map_or_else(|| mac.to_string(), |device| format!("{} ({mac})", device.name))
}

fn answers(heard: WasHeard<'_>) -> bool {
    heard.reached.echo.answered() > 0 || heard.reached.art_net.answered() > 0
}

pub(super) fn arp(at: &Circumstances<'_>) -> Step {
    let Some(heard) = at.heard else { return unheard() };
    let (address, reached) = (at.address, heard.reached);
    let planned = at.planned_mac();
    if let Some(mac) = planned.filter(|mac| !reached.holders.is_empty() && !reached.holders.contains(mac)) {
        let who: Vec<String> = reached.holders.iter().map(|mac| title(heard, *mac)).collect();
        let there = at
            .elsewhere()
            .and_then(|device| device.address)
            .map(|there| format!(", which is at {there}"))
            .unwrap_or_default();
        let what = format!("{address} is held by {}, not by {} ({mac}){there}", who.join(" and "), at.called);
        // Whoever has a place of its own on the sheet leaves by the same run that brings this one.
        let has_place = |mac: &MacAddress| {
            let nodes = at.sheet.into_iter().flat_map(|(sheet, _)| &sheet.nodes);
            nodes
                .filter(|node| node.fixed_address() != Some(address))
                .any(|node| node.mac.as_ref().is_some_and(|one| one.value == *mac))
        };
        let remedy = match at.sheet {
            Some((_, file)) if reached.holders.iter().all(has_place) => {
                format!("each has a place of its own on the sheet: deft-lantern apply {file}")
            }
            _ => format!("give {} another address first, or unplug it", who.join(" and ")),
        };
        return Step::broken(SOMEBODY_ELSE.finding(what, remedy));
    }
    if !reached.holders.is_empty() {
        let who: Vec<String> = reached.holders.iter().map(ToString::to_string).collect();
        return Step::Holds(format!("{} has {address}", who.join(" and ")));
    }
    if heard.vantage.is_own(address) {
        return Step::Holds("it is this computer's own address".to_owned());
    }
    if answers(heard) {
        return Step::Holds(format!("somebody answers at {address}"));
    }
    if let Some(device) = at.device() {
        let ways: Vec<String> = device.seen_by.iter().map(|seen| seen.way.to_string()).collect();
        return Step::Holds(format!("somebody is seen at {address} by {}", ways.join(", ")));
    }
    if let Some(device) = at.elsewhere() {
        return Step::broken(elsewhere(at, device));
    }
    if reached.arp.asked() == 0 && heard.vantage.means.echo && heard.vantage.seat_beside(address).is_some() {
        return Step::NotLooked(format!(
            "no raw frames: those who have an address without answering are not seen; {FRAMES_FOR}"
        ));
    }
    let asked = match reached.arp.asked() {
        0 => "is heard".to_owned(),
        asked => format!("answers, asked {asked} times by ARP"),
    };
    let what = format!("nobody at {address} {asked}");
    let remedy = planned.map_or_else(
        || "look at its power, its link light and its cable; whatever comes next is told by: deft-lantern arrivals".to_owned(),
        |mac| format!("look at its power, its link light and its cable; then wait for it: deft-lantern survey --mac {mac}"),
    );
    Step::broken(NOBODY.finding(what, remedy))
}

fn elsewhere(at: &Circumstances<'_>, device: &Device) -> crate::finding::Finding {
    let there = device.address.map_or_else(|| "without an address".to_owned(), |there| format!("at {there}"));
    let what = format!("{} is seen {there}, not at {}", at.called, at.address);
    let remedy = match (at.sheet, at.planned) {
        (Some((_, file)), Some(planned)) => {
            format!("deft-lantern apply {file} --node {}", typed(&planned.name.value))
        }
        _ => format!(
            "deft-lantern set {} --address {}",
            device.address.map_or_else(|| device.title(), |there| there.to_string()),
            at.address
        ),
    };
    ELSEWHERE.finding(what, remedy)
}

pub(super) fn alone(at: &Circumstances<'_>) -> Step {
    let Some(heard) = at.heard else { return unheard() };
    if heard.reached.holders.len() > 1 {
        let who: Vec<String> = heard.reached.holders.iter().map(|mac| title(heard, *mac)).collect();
        let what = format!("{} is held by {}", at.address, who.join(" and "));
        let remedy = "unplug one of them, give the other its own address with deft-lantern set, then plug the first in again";
        return Step::broken(HELD_TWICE.finding(what, remedy));
    }
    // Whoever has an address of ours is in the way of every answer.
    for seat in &heard.vantage.seats {
        let has_ours = |device: &&Device| {
            device.addresses.contains(&seat.own) && device.mac.is_some() && device.mac != heard.vantage.own_mac
        };
        if let Some((device, mac)) =
            heard.devices.iter().find(has_ours).and_then(|device| Some((device, device.mac?)))
        {
            let said = own_address_held((seat.own, seat.subnet), heard.vantage.own_mac, mac, device.name.raw());
            return Step::broken(OURS.finding(said.what, said.remedy));
        }
    }
    if heard.vantage.means.frames {
        Step::Holds("nobody else has it, nor this computer's own".to_owned())
    } else {
        Step::NotLooked("no raw frames: two with one address are not told apart".to_owned())
    }
}

pub(super) fn echo(at: &Circumstances<'_>) -> Step {
    let Some(heard) = at.heard else { return unheard() };
    let echo = &heard.reached.echo;
    // One that does not answer echo at all shows by ARP what gets lost.
    let steady = if echo.answered() > 0 { echo } else { &heard.reached.arp };
    let lost = steady.asked() - steady.answered();
    if steady.answered() > 0 && lost >= LOSSY_FROM && steady.loss_percent() >= LOSSY_PERCENT {
        let what = format!("{lost} of {} answers from {} were lost", steady.asked(), at.address);
        let remedy = format!(
            "look at its cable, its plugs and the radio between; then again: deft-lantern reach {} --times 100",
            at.address
        );
        return Step::broken(LOSSY.finding(what, remedy));
    }
    if let Some(middle) = echo.middle() {
        return Step::Holds(format!(
            "{} of {} answered, in {:.2} ms",
            echo.answered(),
            echo.asked(),
            middle.as_secs_f64() * 1e3
        ));
    }
    let speaks = heard.reached.art_net.answered() > 0
        || at.device().is_some_and(|device| {
            device
                .seen_by
                .iter()
                .any(|seen| !matches!(seen.way, Way::Arp | Way::Neighbours | Way::Echo | Way::Traffic))
        });
    if echo.asked() == 0 {
        return Step::NotLooked("echo cannot be asked from here".to_owned());
    }
    if speaks {
        return Step::Holds("silent to echo, and it speaks otherwise: echo is switched off in it".to_owned());
    }
    let what = format!("{} answers neither echo nor anything else", at.address);
    let remedy = "wait until it has started; then switch it off and on, and look at its panel";
    Step::broken(ONLY_ARP.finding(what, remedy))
}

pub(super) fn port(at: &Circumstances<'_>) -> Step {
    let Some(heard) = at.heard else { return unheard() };
    let is_here = |address: std::net::Ipv4Addr| address.is_unspecified() || heard.vantage.is_own(address);
    let Some(holder) = at.computer.holders.iter().find(|holder| is_here(holder.address)) else {
        return Step::Holds(format!("nobody else here holds UDP {ART_NET_PORT}"));
    };
    let who = holder.program.as_ref().map_or_else(|| "another program".to_owned(), ToString::to_string);
    // Where frames are heard, nobody can keep an answer from us.
    if heard.reached.art_net.answered() > 0
        || heard.vantage.means.frames
        || !should_speak(at).0.contains(&Way::ArtNet)
    {
        return Step::Holds(format!("{who} holds UDP {ART_NET_PORT} too, and takes nothing from us"));
    }
    let what = format!("{who} holds UDP {ART_NET_PORT} on this computer");
    Step::broken(
        PORT_TAKEN.finding(what, format!("close {who}, or run this as administrator, who hears all the same")),
    )
}

/// By what it should answer, and how that is known.
fn should_speak<'a>(at: &Circumstances<'a>) -> (&'a [Way], &'static str) {
    let kind = at.sheet.zip(at.planned).and_then(|((sheet, _), planned)| sheet.kind_of(planned));
    if let Some(kind) = kind {
        return (Kind::should_speak(kind), "its kind");
    }
    // Without a kind a node of the sheet is a gateway.
    if at.planned.is_some() || at.node().is_some() {
        return (&[Way::ArtNet], if at.planned.is_some() { "the sheet" } else { "what it told" });
    }
    (&[], "")
}

pub(super) fn protocol(at: &Circumstances<'_>) -> Step {
    let Some(heard) = at.heard else { return unheard() };
    let (should, by) = should_speak(at);
    let device = at.device();
    let speaks = |way: Way| {
        (way == Way::ArtNet && heard.reached.art_net.answered() > 0)
            || device.is_some_and(|device| device.is_seen_by(way))
    };
    if should.is_empty() {
        let all: Vec<String> =
            device.into_iter().flat_map(|device| &device.seen_by).map(|seen| seen.way.to_string()).collect();
        return Step::NotLooked(format!("what it should speak is not known; it is seen by {}", all.join(", ")));
    }
    match should.iter().find(|way| speaks(**way)) {
        Some(way) => Step::Holds(format!("it speaks {way}, as {by} says")),
        None => {
            let ways: Vec<String> = should.iter().map(ToString::to_string).collect();
            let what = format!("{} answers no {}, which {by} says it speaks", at.address, ways.join(", nor "));
            let remedy =
                format!("switch it on there, at its panel or its own page: deft-lantern open {}", at.address);
            Step::broken(OTHER_PROTOCOL_ONLY.finding(what, remedy))
        }
    }
}

pub(super) fn page(at: &Circumstances<'_>) -> Step {
    let is_seen = at.device().is_some_and(|device| device.is_seen_by(Way::Http));
    match (is_seen, should_speak(at).0.contains(&Way::Http)) {
        (true, _) => Step::Holds("its web page answers".to_owned()),
        (false, true) => {
            let what = format!("no web page answers at {}", at.address);
            Step::broken(
                NO_PAGE.finding(what, "switch it off and on; until then it can be used, and not set by its page"),
            )
        }
        (false, false) => Step::NotLooked("no web page is expected of it".to_owned()),
    }
}
