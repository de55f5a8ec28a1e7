//! LLRP: finds, reads and sets what speaks it, in any subnet, by identifiers (E1.33, section 5; E1.37-2).
//!
//! [`Search`] is its part in a survey: [`ranges`] says who is asked next. [`Talk`] makes one change, by the [`orders`] that it
//! takes. [`reading`] reads one target for both, and [`line`] writes their messages.

mod line;
mod orders;
mod ranges;
mod reading;
mod search;
mod talk;

use lantern_wire::WireError;
use lantern_wire::llrp::{Content, Message};

use crate::census::{Told, Way};
use crate::facts::Field;

use super::{Asker, join};

pub(super) use line::own_cid;
pub(super) use search::Search;
pub(super) use talk::Talk;

/// What every target tells, as far as it has it.
const FIELDS: [Field; 6] =
    [Field::Address, Field::Addressing, Field::Mask, Field::Gateway, Field::Label, Field::Indicators];

/// What a datagram tells.
pub(super) fn told(bytes: &[u8]) -> Result<Option<Told>, WireError> {
    let message = Message::parse(bytes)?;
    let stated = match &message.content {
        Content::Reply(reply) => Some(reply.mac),
        Content::Rdm(message) if message.class.is_response() => None,
        // Whoever asks tells only that it is there.
        Content::Probe(_) | Content::Rdm(_) => return Ok(Some(Told::Traffic)),
    };
    Ok(Some(Told::Spoke { family: Way::Llrp, stated, bytes: bytes.to_vec() }))
}
