//! An address that this computer has while a run of changes lasts, so that it reaches nodes where they are and where they go.

use std::net::Ipv4Addr;

use lantern_core::adapter::{Adapter, AdapterState, WantedOwn, joined};
use lantern_core::sheet::RigSheet;
use lantern_net::{NetError, adapter_state, missing_rights};

use super::kept::Kept;
use super::taking;
use crate::failure::Failure;
use crate::output::Out;

/// What is to be put back when the run is over.
#[derive(Debug)]
pub(crate) struct Meanwhile {
    adapter: String,
    before: AdapterState,
}

/// Whether this program may change an adapter at all.
pub(crate) fn is_allowed() -> bool {
    missing_rights().is_empty()
}

impl Meanwhile {
    /// What a run that was killed has left behind on this adapter: it is put back at the end of this one.
    pub(crate) fn left_behind(adapter: &str) -> Result<Option<Self>, Failure> {
        let kept = Kept::of(adapter)?.filter(Kept::is_of_this_start);
        let before = kept.and_then(|kept| kept.meanwhile);
        Ok(before.map(|before| Self { adapter: adapter.to_owned(), before }))
    }

    /// Takes the first of these addresses that is free, beside those already there, and gives it; `None` where none is. What the
    /// adapter was set to is on disk before. `taken` is what is to be put back, from now on this too.
    pub(crate) fn take(
        taken: &mut Option<Self>,
        adapter: &Adapter,
        proposals: &[WantedOwn],
        sheet: Option<&RigSheet>,
        out: &mut Out,
    ) -> Result<Option<Ipv4Addr>, Failure> {
        let name = &adapter.name;
        let Some(mac) = adapter.mac else { return Ok(None) };
        for proposal in proposals {
            let all = [proposal.address];
            if taking::held(name, mac, &all, out)?.is_some() {
                continue;
            }
            let before = adapter_state(name)?;
            Kept::keep_meanwhile(name, &before)?;
            // Should it be refused or defended, that puts back what was there a moment ago, and the caller all the rest.
            let one = taken.get_or_insert_with(|| Self { adapter: name.clone(), before });
            let wanted = |before: &AdapterState| joined(before, &[*proposal], &one.adapter, false);
            let before = match taking::take(name, &all, wanted) {
                // Where the system itself asks, it is known only now.
                Err(Failure::Net(NetError::HeldElsewhere { .. })) => continue,
                other => other?,
            };
            taking::settle(name, mac, &all, &before, sheet, out)?;
            return Ok(Some(proposal.address));
        }
        Ok(None)
    }

    /// Puts everything back as it was.
    pub(crate) fn give_back(self, out: &mut Out) -> Result<(), Failure> {
        taking::go_back(&self.adapter, &self.before)?;
        Kept::forget_meanwhile(&self.adapter)?;
        Ok(out.note(&format!("{} is set as it was before", self.adapter))?)
    }
}
