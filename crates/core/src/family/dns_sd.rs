//! Services: ask by multicast DNS which types there are, then who offers them (RFC 6763, section 9).

use std::collections::{BTreeSet, VecDeque};
use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::dns_sd::{DnsSd, EVERY_TYPE, GROUP, PORT, Question};

use super::{Asker, join};
use crate::census::{Meaning, News, Sighting};
use crate::conversation::{Extent, Outgoing, Seat, SurveyPlan};

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
#[derive(Debug)]
pub(super) struct Services {
    seats: Vec<Seat>,
    /// Whether whoever comes is asked.
    watches: bool,
    rounds: usize,
    types: BTreeSet<String>,
    due: VecDeque<(Duration, String)>,
    /// When everybody is asked once more, because somebody came.
    again_at: Option<Duration>,
}

impl Services {
    pub(super) fn new(plan: &SurveyPlan) -> Self {
        Self {
            seats: plan.vantage.seats.clone(),
            watches: plan.extent == Extent::Endless,
            rounds: 0,
            types: BTreeSet::new(),
            due: VecDeque::new(),
            again_at: None,
        }
    }

    /// Takes in types that were told.
    fn take(&mut self, now: Duration, types: &[String]) {
        for kind in types {
            if self.types.len() < MOST_TYPES && self.types.insert(kind.clone()) {
                self.due.extend(ASK_TYPE_AFTER.map(|after| (now + after, kind.clone())));
            }
        }
    }

    /// What to ask by now.
    fn questions(&mut self, now: Duration) -> Vec<Question> {
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
        questions
    }
}

impl Asker for Services {
    fn begin(&mut self, out: &mut Vec<Outgoing>) {
        join(self.seats.len(), GROUP, PORT, out);
    }

    fn hear(&mut self, now: Duration, _: &Sighting, news: &News, _: &mut Vec<Outgoing>) {
        self.take(now, &news.types);
        if self.watches && news.is_new {
            // Somebody came: everybody is asked once more, in a moment.
            self.again_at.get_or_insert(now + ASK_AGAIN_AFTER);
        }
    }

    fn next_at(&self) -> Option<Duration> {
        let all = ASK_ALL_AT.get(self.rounds).map(|(at, _)| *at);
        self.due.iter().map(|(at, _)| *at).chain(all).chain(self.again_at).min()
    }

    fn ask(&mut self, now: Duration, out: &mut Vec<Outgoing>) {
        let questions = self.questions(now);
        let messages: Vec<Vec<u8>> =
            questions.chunks(MOST_QUESTIONS).map(|some| DnsSd::asking(some.to_vec()).to_bytes()).collect();
        for (seat, place) in self.seats.iter().enumerate() {
            let to = SocketAddrV4::new(place.everybody(GROUP), PORT);
            out.extend(messages.iter().map(|bytes| Outgoing::Datagram { seat, to, bytes: bytes.clone() }));
        }
    }
}

/// Which types there are, and who offers those that are known here even when nobody lists them.
fn everything(to_asker: bool) -> impl Iterator<Item = Question> {
    let registered = Meaning::registered().map(|kind| format!("{kind}.local."));
    std::iter::once(EVERY_TYPE.to_owned()).chain(registered).map(move |name| Question::pointer(&name, to_asker))
}
