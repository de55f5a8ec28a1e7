//! The messages of one manager: who it is, and what it says to everybody or to one target.

use std::net::SocketAddrV4;

use lantern_wire::MacAddress;
use lantern_wire::acn::Cid;
use lantern_wire::llrp::{Content, EVERYBODY, Filter, MANAGERS, Message, PORT, Probe, TARGETS};
use lantern_wire::rdm::{self, Class, Uid};

use super::join;
use crate::census::Unit;
use crate::conversation::{Outgoing, Seat, Vantage};
use crate::family::rdm::own_uid;

/// A target as orders reach it: by its component identifier; its RDM identifier stands in them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Target {
    pub(super) uid: Uid,
    pub(super) cid: Cid,
}

impl Target {
    /// The target that a unit stands for. One without identifiers is nobody, and answers nothing.
    pub(super) fn of(unit: &Unit) -> Self {
        let uid = unit.identity.raw().parse().unwrap_or(Uid::EVERYBODY);
        Self { uid, cid: unit.handle.parse().unwrap_or(Cid([0; 16])) }
    }
}

/// Who we are, and how often we have spoken.
#[derive(Debug)]
pub(super) struct Line {
    seats: Vec<Seat>,
    own: Cid,
    own_uid: Uid,
    transaction: u32,
}

impl Line {
    pub(super) fn from(vantage: &Vantage) -> Self {
        Self { seats: vantage.seats.clone(), own: own_cid(vantage), own_uid: own_uid(vantage), transaction: 0 }
    }

    /// Listens to what targets say.
    pub(super) fn join(&self, out: &mut Vec<Outgoing>) {
        join(self.seats.len(), MANAGERS, PORT, out);
    }

    /// How often we have spoken.
    pub(super) const fn spoken(&self) -> u32 {
        self.transaction
    }

    /// Asks who is there in this range; the known ones stay silent.
    pub(super) fn probe(&mut self, lowest: Uid, highest: Uid, known: Vec<Uid>, out: &mut Vec<Outgoing>) {
        let probe = Probe { lowest, highest, filter: Filter::NONE, known };
        self.say(EVERYBODY, Content::Probe(probe), out);
    }

    /// Asks one target to tell or to take a parameter. Gives the number of the question, which its answer bears.
    pub(super) fn ask(
        &mut self,
        target: Target,
        class: Class,
        (parameter, data): (u16, Vec<u8>),
        out: &mut Vec<Outgoing>,
    ) -> u32 {
        let [.., low] = self.transaction.wrapping_add(1).to_be_bytes();
        let order = rdm::Message::request(target.uid, self.own_uid, low, class, parameter, data);
        self.say(target.cid, Content::Rdm(order), out);
        self.transaction
    }

    fn say(&mut self, to: Cid, content: Content, out: &mut Vec<Outgoing>) {
        self.transaction = self.transaction.wrapping_add(1);
        let bytes = Message { from: self.own, to, transaction: self.transaction, content }.to_bytes();
        out.extend(self.seats.iter().enumerate().map(|(seat, place)| {
            let to = SocketAddrV4::new(place.everybody(TARGETS), PORT);
            Outgoing::Datagram { seat, to, bytes: bytes.clone() }
        }));
    }
}

/// Who we are: made from our own MAC address and the mark of this run, in the form of a random UUID (RFC 9562).
pub(in crate::family) fn own_cid(vantage: &Vantage) -> Cid {
    let mut bytes = [0; 16];
    let [high, low] = vantage.mark.to_be_bytes();
    bytes[..2].copy_from_slice(&[high, low]);
    bytes[6] = 0x40;
    bytes[8] = 0x80;
    bytes[10..].copy_from_slice(&vantage.own_mac.unwrap_or(MacAddress([0; 6])).0);
    Cid(bytes)
}
