//! Streams that are announced, held against what the sheet has.

use std::net::SocketAddrV4;

use crate::census::Stream;
use crate::finding::{Finding, Rule, Severity};
use crate::sheet::{Member, RigSheet, SheetStream};

pub(super) static RULES: &[&Rule] = &[&STREAM_DIFFERS, &STREAM_UNPLANNED];

static STREAM_DIFFERS: Rule = Rule {
    code: "R013",
    severity: Severity::Error,
    title: "a stream is announced otherwise than planned",
    why: "whoever was patched by the plan receives nothing",
};
static STREAM_UNPLANNED: Rule = Rule {
    code: "R014",
    severity: Severity::Note,
    title: "a stream is announced that nobody planned",
    why: "it takes room on every cable that it goes down",
};

/// Announced streams: known by group and port, else by their session's name, else as the only stream of that sort from that sender.
pub(super) fn findings(sheet: &RigSheet, announced: &[Stream]) -> Vec<Finding> {
    let mut findings = Vec::new();
    if sheet.streams.is_empty() {
        return findings;
    }
    let planned: Vec<(&SheetStream, SocketAddrV4)> =
        sheet.streams.iter().filter_map(|stream| Some((stream, stream.fixed_group()?))).collect();
    let now: Vec<(&Stream, SocketAddrV4)> = announced
        .iter()
        .filter(|stream| !stream.over)
        .filter_map(|stream| Some((stream, SocketAddrV4::new(stream.group?, stream.port))))
        .collect();
    let is_announced = |socket: SocketAddrV4| now.iter().any(|(_, other)| *other == socket);
    for (stream, socket) in &now {
        if planned.iter().any(|(_, wanted)| wanted == socket) {
            continue;
        }
        let by_name = planned.iter().find(|(one, _)| one.name.value == stream.session.raw());
        let by_sender = || {
            let like = |(one, wanted): &&(&SheetStream, SocketAddrV4)| {
                let is_from =
                    sheet.member(one.from.member.value).and_then(Member::fixed_address) == Some(stream.sender);
                is_from && one.carries.value.to_string() == stream.kind.raw() && !is_announced(*wanted)
            };
            let mut all = planned.iter().filter(like);
            all.next().filter(|_| all.next().is_none())
        };
        if let Some((one, wanted)) = by_name.or_else(by_sender) {
            let name = &one.name;
            let what = format!("{} is announced by {} at {socket}, planned {wanted}", name.value, stream.sender);
            let remedy = "set the sender as planned, or correct the sheet";
            findings.push(STREAM_DIFFERS.finding(what, remedy).at(sheet, name.span, "planned"));
        } else {
            let what = format!("{} from {} at {socket} is not on the sheet", stream.session, stream.sender);
            findings.push(STREAM_UNPLANNED.finding(what, "write it into the sheet, or switch it off"));
        }
    }
    findings
}
