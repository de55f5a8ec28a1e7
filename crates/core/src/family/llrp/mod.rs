//! LLRP: finds what speaks it in any subnet, by identifiers (E1.33, section 5).

mod search;

use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::acn::Cid;
use lantern_wire::llrp::{Content, EVERYBODY, Filter, MANAGERS, Message, PORT, Probe, TARGETS};

use super::{Asker, join};
use crate::census::{News, Sighting, Told};
use crate::conversation::{Outgoing, Seat, SurveyPlan, Vantage};

use search::Ranges;

/// A target waits up to a second and a half at random before it answers (section 5.3); whoever probes waits two seconds.
const WAIT: Duration = Duration::from_secs(2);
/// A survey of three seconds has room for a second question only when that comes early; whoever answers late answers twice.
const FIRST_WAIT: Duration = Duration::from_millis(1200);
/// How often a watch without an end looks again, once everybody was found.
const AGAIN: Duration = Duration::from_secs(10);

/// Probes for targets, range by range.
#[derive(Debug)]
pub(super) struct Search {
    seats: Vec<Seat>,
    own: Cid,
    transaction: u32,
    ranges: Ranges,
    next_at: Duration,
}

impl Search {
    pub(super) fn new(plan: &SurveyPlan) -> Self {
        Self {
            seats: plan.vantage.seats.clone(),
            own: own_cid(&plan.vantage),
            transaction: 0,
            ranges: Ranges::default(),
            next_at: Duration::ZERO,
        }
    }
}

impl Asker for Search {
    fn begin(&mut self, out: &mut Vec<Outgoing>) {
        join(self.seats.len(), MANAGERS, PORT, out);
    }

    fn hear(&mut self, _: Duration, sighting: &Sighting, _: &News, _: &mut Vec<Outgoing>) {
        if let Told::LlrpTarget { reply, .. } = &sighting.told {
            self.ranges.found(reply.uid);
        }
    }

    fn next_at(&self) -> Option<Duration> {
        Some(self.next_at)
    }

    fn ask(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        if now < self.next_at {
            return;
        }
        let Some((lowest, highest, known)) = self.ranges.next() else {
            self.ranges.again();
            self.next_at = now + AGAIN;
            return;
        };
        let wait = if self.transaction == 0 { FIRST_WAIT } else { WAIT };
        self.transaction += 1;
        self.next_at = now + wait;
        let probe = Probe { lowest, highest, filter: Filter::NONE, known };
        let content = Content::Probe(probe);
        let message = Message { from: self.own, to: EVERYBODY, transaction: self.transaction, content };
        let bytes = message.to_bytes();
        out.extend(self.seats.iter().enumerate().map(|(seat, place)| {
            let to = SocketAddrV4::new(place.everybody(TARGETS), PORT);
            Outgoing::Datagram { seat, to, bytes: bytes.clone() }
        }));
    }
}

/// Who we are: made from our own MAC address and the mark of this run, in the form of a random UUID (RFC 9562).
fn own_cid(vantage: &Vantage) -> Cid {
    let mut bytes = [0; 16];
    let [high, low] = vantage.mark.to_be_bytes();
    bytes[..2].copy_from_slice(&[high, low]);
    bytes[6] = 0x40;
    bytes[8] = 0x80;
    bytes[10..].copy_from_slice(&vantage.own_mac.unwrap_or(MacAddress([0; 6])).0);
    Cid(bytes)
}
