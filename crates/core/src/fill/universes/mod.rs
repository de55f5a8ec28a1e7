//! Universes: in sequence from the area's block. Ports of one Art-Net page share net and sub, and ports of one split
//! share the universe; pages that a split ties together are therefore filled as one bundle.

mod bundle;
mod dealing;
mod splits;

use super::Choice;
use crate::Protocol;
use crate::finding::Finding;
use crate::sheet::{AskedUniverse, RigSheet, SheetNode, SheetPort};
use crate::universe::Universe;

use bundle::{Bundle, bundles};
use dealing::Dealing;
use splits::Splits;

/// How many universes share net and sub.
const SUB_NET: u16 = 16;

/// A port, by the place of its node and its place there.
type PortAt = (usize, usize);

pub(super) fn fill(sheet: &RigSheet) -> Result<Vec<Choice>, Vec<Finding>> {
    let open: Vec<PortAt> = all_ports(sheet).filter(|at| asked(sheet, *at).is_some()).collect();
    if open.is_empty() {
        return Ok(Vec::new());
    }
    let splits = Splits::of(sheet, &open);
    if !splits.left_over.is_empty() {
        return Err(splits.left_over.iter().map(|at| splits::left_over(sheet, *at)).collect());
    }
    let mut bundles = bundles(sheet, &open, &splits);
    let torn: Vec<Finding> = bundles.iter().filter_map(|bundle| bundle::torn(sheet, bundle)).collect();
    if !torn.is_empty() {
        return Err(torn);
    }
    bundles.retain(|bundle| !bundle.firsts.is_empty());
    let mut dealing = Dealing::new(sheet);
    let mut dealt = dealing.deal(&bundles);
    if dealt.is_err() {
        // Large bundles first fragment the sub-nets less.
        let mut largest_first: Vec<&Bundle> = bundles.iter().collect();
        largest_first.sort_by_key(|bundle| std::cmp::Reverse(bundle.wants()));
        let ordered: Vec<Bundle> = largest_first.into_iter().cloned().collect();
        let mut again = Dealing::new(sheet);
        if again.deal(&ordered).is_ok() {
            (dealing, dealt) = (again, Ok(()));
        }
    }
    dealt?;
    dealing.deal_clones(&open);
    Ok(dealing.choices(&open, &splits))
}

fn all_ports(sheet: &RigSheet) -> impl Iterator<Item = PortAt> {
    sheet.nodes.iter().enumerate().flat_map(|(node, it)| (0..it.ports.len()).map(move |port| (node, port)))
}

fn port(sheet: &RigSheet, (node, port): PortAt) -> (&SheetNode, &SheetPort) {
    (&sheet.nodes[node], &sheet.nodes[node].ports[port])
}

/// The protocol of a port that is to be filled in.
fn asked(sheet: &RigSheet, at: PortAt) -> Option<Protocol> {
    match port(sheet, at).1.universe.value {
        AskedUniverse::Fill(protocol) => Some(protocol),
        AskedUniverse::Real(_) | AskedUniverse::Impossible(_) => None,
    }
}

fn real(sheet: &RigSheet, at: PortAt) -> Option<Universe> {
    port(sheet, at).1.universe.value.real()
}

/// Whether a port gets the universe of the node that its node is a clone of.
fn is_of_clone(sheet: &RigSheet, at: PortAt) -> bool {
    sheet.nodes[at.0].clone_of.is_some()
}
