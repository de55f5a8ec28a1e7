//! RDM over Art-Net: who is on the cables of gateways, and what they tell of themselves (Art-Net 4, "ArtTodRequest",
//! "ArtRdm"; E1.20).
//!
//! [`Search`] is its part in a survey. It asks gateways for the tables they keep anyway ([`tables`]), which puts nothing on
//! the cables; told to, it asks every unit too, by one [`Cable`] for each universe of a gateway: one request at a time on
//! each, all cables side by side. [`Reading`] is the questions to one unit. [`Talk`] changes one, over whatever [`Carrier`]
//! leads to it: that of Art-Net is [`Gateway`].

mod cable;
mod carrier;
mod gateway;
mod health;
mod order;
mod port;
mod reading;
mod search;
mod tables;
mod talk;

use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::rdm::{Message, Uid};

use super::Asker;
use crate::conversation::Vantage;
use crate::facts::Field;

pub(super) use cable::Cable;
pub(super) use carrier::Carrier;
pub(super) use gateway::Gateway;
pub(super) use order::can_set;
pub(super) use port::{can_set as can_set_on_port, in_words as port_in_words};
pub(super) use reading::Reading;
pub(super) use search::Search;
pub(super) use talk::Talk;

/// Maker of our own identifier: of the range that the standard keeps for prototypes (E1.20, table A-1).
pub(super) const OWN_MAKER: [u8; 2] = [0x7f, 0xf0];

/// What every unit tells, as far as it has it.
const FIELDS: [Field; 9] = [
    Field::Label,
    Field::Maker,
    Field::Model,
    Field::Version,
    Field::Indicators,
    Field::StartAddress,
    Field::Mode,
    Field::ModeName,
    Field::Footprint,
];

/// What a gateway that is asked by itself tells, besides its ports.
const FIELDS_OF_GATEWAYS: [Field; 5] =
    [Field::Label, Field::Maker, Field::Model, Field::Version, Field::Indicators];

/// The longest that anybody may put us off, whatever it says.
const LONGEST_TIMER: Duration = Duration::from_secs(5);

/// How long an answer puts us off: tenths of a second (E1.20, section 6.3.3, ACK_TIMER).
pub(super) fn timer(answer: &Message) -> Duration {
    let tenths = answer.data.first_chunk().map_or(1, |tenths| u16::from_be_bytes(*tenths));
    (Duration::from_millis(100) * u32::from(tenths)).min(LONGEST_TIMER)
}

/// Who we are to RDM: made from our own MAC address.
pub(super) fn own_uid(vantage: &Vantage) -> Uid {
    let [_, _, rest @ ..] = vantage.own_mac.unwrap_or(MacAddress([0; 6])).0;
    let [a, b] = OWN_MAKER;
    let [c, d, e, f] = rest;
    Uid([a, b, c, d, e, f])
}
