//! Services: ask by multicast DNS which types there are, then who offers them (RFC 6763, section 9).

use std::collections::{BTreeSet, VecDeque};
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::dns_sd::{DnsSd, EVERY_TYPE, GROUP, PORT, Question};

use crate::census::Meaning;
use crate::conversation::{Outgoing, Seat};

/// When everybody is asked for everything. The first question wants answers to us alone; who missed it, or answers only
/// the group, is reached by the second.
const ASK_ALL_AT: [(Duration, bool); 3] =
    [(Duration::ZERO, true), (Duration::from_millis(700), false), (Duration::from_millis(1500), false)];
/// How long after it was heard of a type is asked for, and asked for again.
const ASK_TYPE_AFTER: [Duration; 2] = [Duration::from_millis(30), Duration::from_millis(800)];
/// How long somebody who came has to get ready for questions; others who come meanwhile are asked with it.
const ASK_AGAIN_AFTER: Duration = Duration::from_millis(200);
/// The most types asked for.
const MOST_TYPES: usize = 128;
/// The most questions in one message.
const MOST_QUESTIONS: usize = 16;

/// What is still to be asked.
#[derive(Debug, Default)]
pub(super) struct Services {
    rounds: usize,
    types: BTreeSet<String>,
    due: VecDeque<(Duration, String)>,
    /// When everybody is asked once more, because somebody came.
    again_at: Option<Duration>,
}

impl Services {
    /// Takes in types that were told.
    pub(super) fn take(&mut self, now: Duration, types: Vec<String>) {
        for kind in types {
            if self.types.len() < MOST_TYPES && self.types.insert(kind.clone()) {
                self.due.extend(ASK_TYPE_AFTER.map(|after| (now + after, kind.clone())));
            }
        }
    }

    /// Asks everybody once more, in a moment: somebody came.
    pub(super) fn ask_again(&mut self, now: Duration) {
        self.again_at.get_or_insert(now + ASK_AGAIN_AFTER);
    }

    pub(super) fn next_at(&self) -> Option<Duration> {
        let all = ASK_ALL_AT.get(self.rounds).map(|(at, _)| *at);
        self.due.iter().map(|(at, _)| *at).chain(all).chain(self.again_at).min()
    }

    /// What to send by now.
    pub(super) fn ask(&mut self, now: Duration, seats: &[Seat]) -> Vec<Outgoing> {
        let mut questions = Vec::new();
        while let Some((_, to_asker)) = ASK_ALL_AT.get(self.rounds).filter(|(at, _)| *at <= now) {
            questions.extend(everything(*to_asker));
            self.rounds += 1;
        }
        if self.again_at.is_some_and(|at| at <= now) {
            self.again_at = None;
            questions.extend(everything(true));
            let told = self.types.iter().map(|kind| Question::pointer(kind, true));
            let further: Vec<Question> = told.filter(|question| !questions.contains(question)).collect();
            questions.extend(further);
        }
        let (due, later) = self.due.drain(..).partition(|(at, _)| *at <= now);
        self.due = later;
        let due: VecDeque<(Duration, String)> = due;
        questions.extend(due.iter().map(|(_, kind)| Question::pointer(kind, true)));
        let messages: Vec<Vec<u8>> =
            questions.chunks(MOST_QUESTIONS).map(|some| DnsSd::asking(some.to_vec()).to_bytes()).collect();
        let to_seat = |(seat, place): (usize, &Seat)| {
            let to = SocketAddrV4::new(place.everybody(GROUP), PORT);
            messages
                .iter()
                .map(move |bytes| Outgoing::Datagram { seat, to, bytes: bytes.clone() })
                .collect::<Vec<_>>()
        };
        seats.iter().enumerate().flat_map(to_seat).collect()
    }
}

/// Which types there are, and who offers those that are known here even when nobody lists them.
fn everything(to_asker: bool) -> impl Iterator<Item = Question> {
    let registered = Meaning::registered().map(|kind| format!("{kind}.local."));
    std::iter::once(EVERY_TYPE.to_owned()).chain(registered).map(move |name| Question::pointer(&name, to_asker))
}
