//! What the papers say, whatever they are written on.

use lantern_core::census::Way;
use lantern_core::logbook::{Ending, Order, Run};
use lantern_core::sheet::{Member, RigSheet, SheetNode, WantedAddress};
use lantern_core::view::universe_uses;
use serde::Serialize;

use crate::clock;
use crate::commands::check::{Proof, Told};
use crate::commands::logbook::when;
use crate::commands::sheet::show::{drawings, page as sheet_page};
use crate::files::SheetFile;
use crate::output::page::{Judged, MOST_FINDINGS, judged};

/// All of it.
#[derive(Debug, Serialize)]
pub(super) struct Papers<'a> {
    pub(super) rig: String,
    pub(super) file: String,
    pub(super) written: String,
    pub(super) counts: String,
    /// What the check came to, in a sentence with its time; or that there was none.
    pub(super) proof: String,
    pub(super) checked: bool,
    /// What `check` showed of each device, and under which headings.
    pub(super) headings: &'a [&'static str],
    pub(super) rows: &'a [Vec<String>],
    pub(super) areas: Vec<(String, usize, usize, usize)>,
    pub(super) findings: Vec<Judged>,
    pub(super) more_findings: usize,
    /// What matters at three in the morning.
    pub(super) night: Vec<Night>,
    pub(super) dhcp: Vec<String>,
    pub(super) stands: Vec<sheet_page::Area>,
    pub(super) desks: Vec<Desk>,
    pub(super) patch: Vec<Patch>,
    /// Every fixture by itself.
    pub(super) fixtures: Vec<super::fixtures::PlannedFixture>,
    maps: Vec<drawings::AddressMap>,
    universes: Vec<drawings::Group>,
    pub(super) runs: Vec<Listed>,
}

/// What a node does when things go wrong.
#[derive(Debug, Serialize)]
pub(super) struct Night {
    pub(super) name: String,
    pub(super) address: String,
    pub(super) on_data_loss: String,
    pub(super) merge: String,
    /// Where its address comes from.
    pub(super) by: &'static str,
    pub(super) page: String,
}

/// A desk, server or switch.
#[derive(Debug, Serialize)]
pub(super) struct Desk {
    pub(super) name: String,
    pub(super) what: &'static str,
    pub(super) address: String,
}

/// A universe, from where it comes and where it comes out.
#[derive(Debug, Serialize)]
pub(super) struct Patch {
    pub(super) universe: String,
    pub(super) desk: String,
    pub(super) from: String,
    pub(super) to: String,
    pub(super) fixtures: u32,
}

/// A run of the logbook.
#[derive(Debug, Serialize)]
pub(super) struct Listed {
    pub(super) at: String,
    pub(super) by: &'static str,
    pub(super) nodes: usize,
    pub(super) steps: usize,
    pub(super) ended: &'static str,
}

/// The latest runs that are told.
const MOST_RUNS: usize = 20;

impl<'a> Papers<'a> {
    /// What there is to say of this rig.
    pub(super) fn of(file: &SheetFile, proof: Option<&'a Proof>, runs: &[Run]) -> Self {
        let sheet = &file.sheet;
        let written = format!("{} UTC", when(&clock::now().to_string()));
        let findings = proof.map_or(&[][..], |proof| &proof.findings);
        Self {
            rig: sheet.name.value.clone(),
            file: file.path.file_name().unwrap_or_default().to_string_lossy().into_owned(),
            counts: sheet_page::counts(sheet),
            proof: match proof {
                Some(proof) => format!("checked {written} on {}: {}", proof.adapter, proof.summary),
                None => format!("written {written} without looking at the rig"),
            },
            written,
            checked: proof.is_some(),
            headings: proof.map_or(&[], |proof| &proof.table.headings),
            rows: proof.map_or(&[], |proof| &proof.table.rows),
            areas: proof.map(|proof| proof.areas.clone()).unwrap_or_default(),
            findings: judged(findings),
            more_findings: findings.len().saturating_sub(MOST_FINDINGS),
            night: sheet
                .nodes
                .iter()
                .map(|node| night(sheet, node, proof.and_then(|proof| proof.told.get(&node.name.value))))
                .collect(),
            dhcp: on_dhcp(sheet),
            stands: sheet_page::areas(sheet),
            desks: desks(sheet),
            patch: patch(sheet),
            fixtures: super::fixtures::fixtures(sheet),
            maps: drawings::address_maps(sheet),
            universes: drawings::universes(sheet),
            runs: runs.iter().rev().take(MOST_RUNS).map(listed).collect(),
        }
    }
}

/// What a node does: as it told when it was looked at, else as the sheet wants it.
fn night(sheet: &RigSheet, node: &SheetNode, told: Option<&Told>) -> Night {
    let mut losses: Vec<String> = node.on_data_loss.iter().map(|loss| loss.value.to_string()).collect();
    let own = node.ports.iter().filter_map(|port| {
        let loss = port.on_data_loss.as_ref()?;
        Some(format!("port {}: {}", port.number.value, loss.value))
    });
    losses.extend(own);
    let merges: Vec<String> = node
        .ports
        .iter()
        .filter_map(|port| {
            let merge = port.merge.as_ref()?;
            Some(format!("port {}: {}", port.number.value, merge.value))
        })
        .collect();
    let planned = |list: Vec<String>| if list.is_empty() { "not known".to_owned() } else { list.join(", ") };
    let has_page = sheet.kind_of(node).is_some_and(|kind| kind.speaks.contains(&Way::Http));
    let by_dhcp = told.and_then(|told| told.dhcp).unwrap_or(node.address.value == WantedAddress::Dhcp);
    Night {
        name: node.name.value.clone(),
        address: node.address.value.to_string(),
        on_data_loss: told.and_then(|told| told.on_data_loss.clone()).unwrap_or_else(|| planned(losses)),
        merge: told.and_then(|told| told.merge.clone()).unwrap_or_else(|| planned(merges)),
        by: if by_dhcp { "DHCP" } else { "itself" },
        page: match node.fixed_address().filter(|_| has_page) {
            Some(address) => format!("http://{address}/"),
            None => String::new(),
        },
    }
}

/// Whoever asks for its address when it is switched on.
fn on_dhcp(sheet: &RigSheet) -> Vec<String> {
    let is_on = |member: &Member<'_>| matches!(member.address(), Some((WantedAddress::Dhcp, _)));
    sheet.members().filter(is_on).map(|member| member.name().value.clone()).collect()
}

fn desks(sheet: &RigSheet) -> Vec<Desk> {
    let desk = |member: Member<'_>| {
        let what = match member {
            Member::Node(_) => return None,
            Member::Source(_) => "desk or server",
            Member::Switch(_) => "switch",
        };
        let address = member.address().map_or_else(|| "none".to_owned(), |(address, _)| address.to_string());
        Some(Desk { name: member.name().value.clone(), what, address })
    };
    sheet.members().filter_map(desk).collect()
}

fn patch(sheet: &RigSheet) -> Vec<Patch> {
    let one = |one: &lantern_core::view::UniverseUse| Patch {
        universe: one.universe.to_string(),
        desk: one
            .universe
            .port_address()
            .map(|address| sheet.desk.number(address).to_string())
            .unwrap_or_default(),
        from: one.senders.join(", "),
        to: one.listeners.join(", "),
        fixtures: one.fixtures,
    };
    universe_uses(sheet).iter().map(one).collect()
}

fn listed(run: &Run) -> Listed {
    Listed {
        at: when(&run.at),
        by: run.order().map_or("?", Order::word),
        nodes: run.nodes().len(),
        steps: run.sent.len(),
        ended: match run.ended {
            Some(Ending::Done) => "done",
            Some(Ending::Unfinished) => "unfinished",
            Some(Ending::BrokenOff) => "broken off",
            None => "did not end",
        },
    }
}
