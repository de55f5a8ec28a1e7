//! Sources of levels: who sends which universe, by Art-Net or sACN.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::sacn::Cid;
use serde::{Deserialize, Serialize};

use super::sighting::{Levels, Sighting, Told};
use crate::universe::{PortAddress, SacnUniverse, Universe};
use crate::{Protocol, Said, as_text};

/// A source of levels.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Source {
    /// How it sends them.
    #[serde(default = "sacn")]
    pub protocol: Protocol,
    /// Its component identifier; Art-Net has none.
    #[serde(default)]
    pub cid: Option<String>,
    /// What it calls itself; Art-Net has no word for it.
    pub name: Said,
    /// The address it sends from.
    pub address: Ipv4Addr,
    /// The MAC address it sends from, where frames are seen.
    #[serde(with = "as_text::option")]
    pub mac: Option<MacAddress>,
    /// What it sends, by universe in its protocol's own counting.
    pub universes: BTreeMap<u16, Sending>,
    /// Pages of its list of universes that were announced and never came.
    #[serde(default)]
    pub pages_missing: u16,
    /// Pages that came.
    #[serde(skip)]
    pages: BTreeSet<u8>,
}

const fn sacn() -> Protocol {
    Protocol::Sacn
}

impl Source {
    /// A universe of this number, in the notation of its protocol; `None` where the protocol has none.
    #[must_use]
    pub fn universe(&self, number: u16) -> Option<Universe> {
        match self.protocol {
            Protocol::ArtNet => PortAddress::new(number.into()).ok().map(Universe::ArtNet),
            Protocol::Sacn => SacnUniverse::new(number.into()).ok().map(Universe::Sacn),
        }
    }

    /// Its name, or its address.
    #[must_use]
    pub fn title(&self) -> String {
        if self.name.is_empty() { self.address.to_string() } else { format!("{} ({})", self.name, self.address) }
    }
}

/// Within this time a node says that data comes to a port.
const NOTICED_WITHIN: Duration = Duration::from_millis(500);

/// One universe of a source.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Sending {
    /// Its priority, once levels were heard by sACN.
    pub priority: Option<u8>,
    /// Only for a visualiser.
    pub preview: bool,
    /// It said that it sends no more.
    pub ended: bool,
    /// How many messages with levels were heard.
    pub heard: u64,
    #[serde(rename = "first_ms", with = "crate::as_millis")]
    first: Duration,
    #[serde(rename = "last_ms", with = "crate::as_millis")]
    last: Duration,
}

impl Sending {
    fn hear(&mut self, at: Duration) {
        if self.heard == 0 {
            self.first = at;
        }
        self.last = at;
        self.heard += 1;
    }

    /// Whether levels for the stage were heard, and no end of them.
    #[must_use]
    pub const fn is_live(&self) -> bool {
        self.heard > 0 && !self.preview && !self.ended
    }

    /// Whether it was live so long before this moment that whoever gets it knew by then.
    #[must_use]
    pub fn was_live_before(&self, moment: Duration) -> bool {
        self.is_live() && self.first + NOTICED_WITHIN <= moment
    }

    /// Messages a second, once a few were heard.
    #[must_use]
    pub fn rate(&self) -> Option<f64> {
        let time = self.last.saturating_sub(self.first).as_secs_f64();
        // A count of messages heard within seconds is far below what a double holds exactly.
        let between = u32::try_from(self.heard.saturating_sub(1)).unwrap_or(u32::MAX);
        (between >= 2 && time > 0.0).then(|| f64::from(between) / time)
    }
}

/// A source that sends a universe now, or lists it among those that it sends.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Sender<'a> {
    /// Who.
    pub(crate) source: &'a Source,
    /// That universe.
    pub(crate) sending: Sending,
}

/// Who sends which universe, by Port-Address: both protocols number a universe alike.
pub(crate) type Senders<'a> = BTreeMap<PortAddress, Vec<Sender<'a>>>;

/// Who of these sends which universe.
pub(crate) fn by_universe(sources: &[Source]) -> Senders<'_> {
    let mut all = Senders::new();
    for source in sources {
        for (number, sending) in &source.universes {
            let is_listed = sending.heard == 0 && !sending.ended;
            let address = source.universe(*number).and_then(Universe::port_address);
            if let Some(address) = address.filter(|_| sending.is_live() || is_listed) {
                all.entry(address).or_default().push(Sender { source, sending: *sending });
            }
        }
    }
    all
}

/// The first that sends this universe by this protocol.
pub(crate) fn sent_by<'s, 'a>(
    senders: &'s Senders<'a>,
    address: PortAddress,
    protocol: Protocol,
) -> Option<&'s Sender<'a>> {
    senders.get(&address)?.iter().find(|one| one.source.protocol == protocol)
}

/// The same, where it was live so long before this moment that whoever gets it knew by then.
pub(crate) fn sent_before<'s, 'a>(
    senders: &'s Senders<'a>,
    address: PortAddress,
    protocol: Protocol,
    moment: Duration,
) -> Option<&'s Sender<'a>> {
    let known = |one: &&Sender<'_>| one.source.protocol == protocol && one.sending.was_live_before(moment);
    senders.get(&address)?.iter().find(known)
}

/// A row of universes that is sent one beside what is waited for: one side counts from 0, the other from 1.
#[derive(Debug)]
pub(crate) struct Beside<'s, 'a> {
    /// The universe that is sent next to the one that is waited for.
    pub(crate) first: PortAddress,
    /// The end of the row, which is sent for nobody; the same where only one is.
    pub(crate) last: PortAddress,
    /// Who sends it.
    pub(crate) sender: &'s Sender<'a>,
}

/// The row beside this universe that one source sends by this protocol, where its end is for nobody.
pub(crate) fn sent_beside<'s, 'a>(
    senders: &'s Senders<'a>,
    address: PortAddress,
    protocol: Protocol,
    is_for_somebody: impl Fn(PortAddress) -> bool,
) -> Option<Beside<'s, 'a>> {
    let row = |by: i32| {
        let first = address.shifted(by)?;
        let sender = sent_by(senders, first, protocol)?;
        let sends = |at: &PortAddress| {
            let same = |one: &Sender<'_>| std::ptr::eq(one.source, sender.source);
            senders.get(at).is_some_and(|all| all.iter().any(same))
        };
        let mut last = first;
        while is_for_somebody(last) {
            last = last.shifted(by).filter(sends)?;
        }
        Some(Beside { first, last, sender })
    };
    [-1, 1].into_iter().filter_map(row).min_by_key(|beside| beside.first.flat().abs_diff(beside.last.flat()))
}

/// How a source is known again.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Key {
    /// By its identifier.
    Cid(Cid),
    /// By where it sends from.
    Place(Option<MacAddress>, Ipv4Addr),
}

/// All sources.
#[derive(Debug, Clone, Default)]
pub(crate) struct Sources {
    known: HashMap<Key, Source>,
    /// How many universes all of them have together.
    sendings: usize,
    overlooked: u64,
}

impl Sources {
    const MOST: usize = 1024;
    /// The most universes of all sources together: four times as many as there are.
    const MOST_SENDINGS: usize = 262_144;

    pub(crate) fn take(&mut self, sighting: &Sighting) {
        let (protocol, cid, name) = match &sighting.told {
            Told::Levels(levels) => (levels.protocol, levels.cid, &levels.source),
            Told::Universes { cid, source, .. } => (Protocol::Sacn, Some(*cid), source),
            _ => return,
        };
        let key = cid.map_or(Key::Place(sighting.mac, sighting.from), Key::Cid);
        if self.known.len() >= Self::MOST && !self.known.contains_key(&key) {
            self.overlooked += 1;
            return;
        }
        let source = self.known.entry(key).or_insert_with(|| Source {
            protocol,
            cid: cid.map(|cid| cid.to_string()),
            name: Said::default(),
            address: sighting.from,
            mac: None,
            universes: BTreeMap::new(),
            pages_missing: 0,
            pages: BTreeSet::new(),
        });
        if let Told::Universes { page: (page, last), .. } = &sighting.told {
            source.pages.insert(*page);
            let came = source.pages.range(..=*last).count();
            source.pages_missing = u16::from(*last) + 1 - u16::try_from(came).unwrap_or(0);
        }
        source.name = name.clone().into();
        source.address = sighting.from;
        source.mac = sighting.mac.or(source.mac);
        let told = match &sighting.told {
            Told::Levels(levels) => std::slice::from_ref(&levels.universe),
            Told::Universes { universes, .. } => universes,
            _ => &[],
        };
        for universe in told {
            if !source.universes.contains_key(universe) {
                if self.sendings >= Self::MOST_SENDINGS {
                    self.overlooked += 1;
                    return;
                }
                self.sendings += 1;
                source.universes.insert(*universe, Sending::default());
            }
        }
        if let Told::Levels(Levels { universe, priority, preview, ended, .. }) = &sighting.told
            && let Some(sending) = source.universes.get_mut(universe)
        {
            sending.hear(sighting.at);
            (sending.priority, sending.preview, sending.ended) = (*priority, *preview, *ended);
        }
    }

    pub(crate) fn sorted(&self) -> Vec<Source> {
        let mut all: Vec<Source> = self.known.values().cloned().collect();
        all.sort_by(|a, b| (a.address, a.protocol, &a.cid, a.mac).cmp(&(b.address, b.protocol, &b.cid, b.mac)));
        all
    }

    pub(crate) const fn overlooked(&self) -> u64 {
        self.overlooked
    }
}

#[cfg(test)]
mod tests {
    use std::time::Duration;

    use super::*;

    #[test]
    fn made_up_sources_and_universes_stay_bounded() {
        let mut sources = Sources::default();
        let universes: Vec<u16> = (1..=512).collect();
        for i in 0..Sources::MOST + 10 {
            let [.., a, b] = i.to_be_bytes();
            let cid = Cid([a, b, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0]);
            let told =
                Told::Universes { cid, source: "forged".to_owned(), universes: universes.clone(), page: (0, 0) };
            sources.take(&Sighting::plain(Duration::ZERO, Ipv4Addr::LOCALHOST, told));
        }
        let held: usize = sources.sorted().iter().map(|source| source.universes.len()).sum();
        assert_eq!((sources.sorted().len(), held), (Sources::MOST, Sources::MOST_SENDINGS));
        assert!(sources.overlooked() >= 10);
    }
}
