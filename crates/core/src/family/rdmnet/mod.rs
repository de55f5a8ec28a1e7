//! RDMnet: gateways that are patched through a broker (E1.33, sections 6 and 7; E1.37-7).
//!
//! A broker is found by DNS-SD ([`Place::of`]); a [`Session`] is one connection to it. [`Search`] is its part in a survey: it reads
//! every device that a broker tells of. [`Line`] carries the requests of a talk, and finds the broker again when that was lost. Who
//! stands at which address, no broker tells; LLRP does, which every device of RDMnet speaks as well.

mod line;
mod place;
mod search;
mod session;

use lantern_wire::acn::Cid;
use lantern_wire::rdm::Uid;

use super::Asker;
use super::rdm;
use crate::census::Unit;
use crate::change::Change;
use crate::conversation::{Nothing, Talk, Vantage};
use crate::facts::{Difference, Field};

use line::Line;
use place::Place;
use session::{News, Session};

pub(super) use search::Search;

/// The talk that makes this change of a gateway.
pub(super) fn talk(
    unit: &Unit,
    change: &Change,
    vantage: Vantage,
    restart_time: std::time::Duration,
) -> Box<dyn Talk> {
    match (unit.identity.raw().parse(), unit.handle.parse()) {
        (Ok(uid), Ok(place)) => {
            let line = Line::new(uid, place, vantage, restart_time);
            Box::new(rdm::Talk::new(uid, change, line, restart_time))
        }
        _ => Box::new(Nothing::of(&change.subject)),
    }
}

/// Whether there is an order for this.
pub(super) fn can_set(difference: &Difference) -> bool {
    match difference.field {
        Field::Label | Field::Indicators => true,
        Field::Port(_, field) => rdm::can_set_on_port(field),
        _ => false,
    }
}

/// Who we are on one of several connections at a time: made from who we are to LLRP, and for whom it is.
fn own_cid(vantage: &Vantage, about: Uid) -> Cid {
    let mut cid = super::llrp::own_cid(vantage);
    let [_, _, b, c, d, e] = about.0;
    cid.0[2..6].copy_from_slice(&[b, c, d, e]);
    cid
}
