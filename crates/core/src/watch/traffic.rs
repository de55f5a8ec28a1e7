//! Levels on the wire: who sends which universe, how often, and what got lost on the way.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::sacn::Cid;

use super::{Counter, Happening, News};
use crate::census::Levels;
use crate::universe::{PortAddress, SacnUniverse, Universe};
use crate::{Protocol, Said};

/// A message so much older than the last one counts as late, not as lost (ANSI E1.31, 6.7.2).
const LATE: u8 = 20;
/// Whoever is silent so long sends no more: by sACN (ANSI E1.31, 6.7.1), and by Art-Net (Art-Net 4, "Data merging").
const SACN_TIMEOUT: Duration = Duration::from_millis(2500);
const ART_NET_TIMEOUT: Duration = Duration::from_secs(10);

/// One universe of one source.
#[derive(Debug, Clone, PartialEq)]
pub struct Flow {
    /// The universe.
    pub universe: Universe,
    /// From where it comes.
    pub address: Ipv4Addr,
    /// Which source there; Art-Net tells none apart.
    pub cid: Option<Cid>,
    /// What the source calls itself; Art-Net has no word for it.
    pub name: Said,
    /// Its priority, which only sACN has.
    pub priority: Option<u8>,
    /// Only for a visualiser.
    pub preview: bool,
    /// How many messages came.
    pub heard: u64,
    /// How many are missing by their numbers.
    pub gaps: u64,
    /// Whether gaps are still coming.
    pub gap_counter: Counter,
    /// How many messages came later than one sent after them.
    pub late: u64,
    /// Messages in the last whole second.
    pub rate: u32,
    /// Since when it is sent, and whether it still is.
    pub since: Duration,
    /// Whether it is sent now.
    pub is_live: bool,
    last: Duration,
    sequence: Option<u8>,
    counted: u64,
}

type Key = (Protocol, u16, Ipv4Addr, Option<Cid>);

/// All of them.
#[derive(Debug, Clone, Default)]
pub struct Traffic {
    flows: BTreeMap<Key, Flow>,
    overlooked: u64,
}

impl Traffic {
    /// The most flows kept; every universe of a large rig by two sources fits.
    pub const MOST: usize = 16_384;

    /// Everybody who sent, by protocol, universe and source.
    pub fn flows(&self) -> impl Iterator<Item = &Flow> {
        self.flows.values()
    }

    /// How many messages were not taken in because they came from too many sources.
    #[must_use]
    pub const fn overlooked(&self) -> u64 {
        self.overlooked
    }

    /// Those that a universe gets now by the same right: its highest priority, and not for a visualiser.
    fn rivals(&self, of: &Flow) -> Vec<&Flow> {
        let live = |flow: &&Flow| flow.is_live && !flow.preview && flow.universe == of.universe;
        let highest = self.flows.values().filter(live).filter_map(|flow| flow.priority).max();
        self.flows.values().filter(live).filter(|flow| flow.priority == highest).collect()
    }

    /// Whether a universe is this source's to send now: it has the highest priority of those for the stage.
    #[must_use]
    pub fn has_right(&self, flow: &Flow) -> bool {
        self.rivals(flow).iter().any(|rival| rival.is_of(flow.address, flow.cid))
    }

    /// Whether somebody else sends a universe now with the same right as this one.
    #[must_use]
    pub fn is_rivalled(&self, flow: &Flow) -> bool {
        self.rivals(flow).len() > 1 && self.has_right(flow)
    }

    /// Takes levels in. Gives whether they tell nothing that was not known, so that nobody else need look at them.
    pub(crate) fn take(
        &mut self,
        now: Duration,
        from: Ipv4Addr,
        levels: &Levels,
        news: &mut Vec<Happening>,
    ) -> bool {
        let key = (levels.protocol, levels.universe, from, levels.cid);
        if !self.flows.contains_key(&key) {
            let universe = match levels.protocol {
                Protocol::ArtNet => PortAddress::new(levels.universe.into()).ok().map(Universe::ArtNet),
                Protocol::Sacn => SacnUniverse::new(levels.universe.into()).ok().map(Universe::Sacn),
            };
            let Some(universe) = universe.filter(|_| self.flows.len() < Self::MOST || self.forget_one()) else {
                self.overlooked += 1;
                return false;
            };
            self.flows.insert(key, Flow::new(now, universe, from, levels.cid));
        }
        let Some(flow) = self.flows.get_mut(&key) else { return false };
        let was = (flow.is_live, flow.priority, flow.preview);
        flow.take(now, levels);
        let is_known = was == (flow.is_live, flow.priority, flow.preview) && flow.name.raw() == levels.source;
        if !is_known {
            flow.name = levels.source.as_str().into();
        }
        let at = now;
        match (was.0, flow.is_live) {
            (false, true) => {
                flow.since = now;
                let flow = flow.clone();
                let what = if self.is_rivalled(&flow) { News::SecondSource } else { News::SourceCame };
                news.push(Happening { at, who: flow.universe.in_words(), news: what(flow.title()) });
            }
            (true, false) => {
                news.push(Happening { at, who: flow.universe.in_words(), news: News::SourceEnded(flow.title()) });
            }
            _ => {}
        }
        is_known
    }

    /// Makes room by the flow that has been silent for the longest time.
    fn forget_one(&mut self) -> bool {
        let silent = self.flows.iter().filter(|(_, flow)| !flow.is_live);
        let oldest = silent.min_by_key(|(_, flow)| flow.last).map(|(key, _)| *key);
        oldest.is_some_and(|key| self.flows.remove(&key).is_some())
    }

    /// A second has passed.
    pub(crate) fn roll(&mut self, now: Duration, news: &mut Vec<Happening>) {
        for flow in self.flows.values_mut() {
            flow.rate = u32::try_from(flow.heard - flow.counted).unwrap_or(u32::MAX);
            flow.counted = flow.heard;
            flow.gap_counter.read(now, flow.gaps);
            if flow.is_live && flow.last + flow.timeout() <= now {
                flow.is_live = false;
                let who = flow.universe.in_words();
                news.push(Happening { at: now, who, news: News::SourceWent(flow.title()) });
            }
        }
    }
}

impl Flow {
    fn new(now: Duration, universe: Universe, address: Ipv4Addr, cid: Option<Cid>) -> Self {
        Self {
            universe,
            address,
            cid,
            name: Said::default(),
            priority: None,
            preview: false,
            heard: 0,
            gaps: 0,
            gap_counter: Counter::default(),
            late: 0,
            rate: 0,
            since: now,
            is_live: false,
            last: now,
            sequence: None,
            counted: 0,
        }
    }

    /// Whether it comes from this source.
    #[must_use]
    pub fn is_of(&self, address: Ipv4Addr, cid: Option<Cid>) -> bool {
        (self.address, self.cid) == (address, cid)
    }

    const fn timeout(&self) -> Duration {
        match self.universe {
            Universe::Sacn(_) => SACN_TIMEOUT,
            Universe::ArtNet(_) => ART_NET_TIMEOUT,
        }
    }

    fn take(&mut self, now: Duration, levels: &Levels) {
        if self.is_live {
            self.count(levels);
        } else {
            self.sequence = levels.sequence;
        }
        self.heard += 1;
        self.last = now;
        self.is_live = !levels.ended;
        (self.priority, self.preview) = (levels.priority, levels.preview);
    }

    /// Counts what is missing between the last message and this one.
    fn count(&mut self, levels: &Levels) {
        let (Some(before), Some(this)) = (self.sequence, levels.sequence) else {
            self.sequence = levels.sequence;
            return;
        };
        // Art-Net leaves out 0, which means that nothing is counted.
        let ahead = match levels.protocol {
            Protocol::ArtNet if this < before => this.wrapping_sub(before).wrapping_sub(1),
            _ => this.wrapping_sub(before),
        };
        if ahead == 0 || ahead > u8::MAX - LATE {
            self.late += 1;
            return;
        }
        self.sequence = Some(this);
        self.gaps += u64::from(ahead - 1);
    }

    /// Who sends it.
    #[must_use]
    pub fn title(&self) -> String {
        if self.name.is_empty() { self.address.to_string() } else { format!("{} ({})", self.name, self.address) }
    }
}
