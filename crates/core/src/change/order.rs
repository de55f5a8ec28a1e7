//! In which order to move nodes: whoever holds an address that another wants goes first.

use super::{Change, guard};
use crate::finding::Finding;

/// The same changes, in an order in which every wanted address is free when its turn comes.
///
/// # Errors
/// When some of them go round in a ring: the finding names them.
pub(super) fn order(changes: Vec<Change>) -> Result<Vec<Change>, Finding> {
    let mut waiting = changes;
    let mut ordered = Vec::with_capacity(waiting.len());
    while !waiting.is_empty() {
        let free = |change: &Change| {
            change.new_address().is_none_or(|wanted| {
                waiting
                    .iter()
                    .all(|other| other.subject.address() != wanted || other.subject.mac() == change.subject.mac())
            })
        };
        let Some(next) = waiting.iter().position(free) else {
            let names: Vec<String> = waiting.iter().map(|change| change.subject.title()).collect();
            return Err(guard::ring(&names));
        };
        ordered.push(waiting.remove(next));
    }
    Ok(ordered)
}
