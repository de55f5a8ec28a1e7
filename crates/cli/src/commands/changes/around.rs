//! What is known around the changes of one run: who was seen, who was seen earlier, and what this computer has itself.

use std::net::Ipv4Addr;

use lantern_core::address::AddressRange;
use lantern_core::census::NodeName;
use lantern_core::change::{Earlier, Protection, Silent};
use lantern_core::logbook::{Run, silent_of};
use lantern_core::sheet::RigSheet;

use crate::clock;
use crate::failure::Failure;
use crate::memory::{Memory, Remembered};
use crate::session::{Look, Session};

/// Who was silent for longer than this is not expected back.
const LATELY_DAYS: i64 = 30;

/// Everything a [`Protection`] looks at.
pub(crate) struct Around<'a> {
    session: &'a Session,
    look: &'a Look,
    own: Vec<Ipv4Addr>,
    earlier: Vec<Earlier>,
    silent: Vec<Silent>,
    outside: bool,
    parking: Option<AddressRange>,
    stands_for: Option<NodeName>,
}

impl<'a> Around<'a> {
    /// What is known in this session, and from these runs of the logbook.
    pub(crate) fn of(session: &'a Session, look: &'a Look, runs: &[Run]) -> Result<Self, Failure> {
        let memory = Memory::of_earlier(session.sheet_file(), session.is_simulated())?;
        let known = memory.as_ref().map_or_else(|| Ok(Vec::new()), Memory::all)?;
        let is_here = |one: &Remembered| look.devices.iter().any(|device| one.is(device));
        let earlier: Vec<Earlier> =
            known.iter().filter(|one| !is_here(one) && is_recent(one)).filter_map(silent).collect();
        let mut rig = session.sheet().map_or_else(Vec::new, |sheet| {
            let of_devices = look.devices.iter().filter_map(|device| device.mac);
            let of_nodes = look.census.nodes().iter().filter_map(|node| node.mac);
            silent_of(runs, sheet, &of_devices.chain(of_nodes).collect())
        });
        rig.extend(session.sheet().into_iter().flat_map(|sheet| of_sheet(sheet, &earlier)));
        Ok(Self {
            session,
            look,
            own: session.own_addresses(),
            earlier,
            silent: rig,
            outside: false,
            parking: None,
            stands_for: None,
        })
    }

    /// The same, where an address off the sheet's networks is meant, or not.
    pub(crate) const fn outside(mut self, outside: bool) -> Self {
        self.outside = outside;
        self
    }

    /// The same, where nodes wait in this range.
    pub(crate) const fn parking(mut self, parking: Option<AddressRange>) -> Self {
        self.parking = parking;
        self
    }

    /// The same, where the one that is changed takes the place of a unit that is gone.
    pub(crate) fn stands_for(mut self, gone: Option<NodeName>) -> Self {
        self.stands_for = gone;
        self
    }

    /// What speaks against a change is looked for in this.
    pub(crate) fn protection(&self) -> Protection<'_> {
        let sheet: Option<&RigSheet> = self.session.sheet();
        Protection {
            census: &self.look.census,
            devices: &self.look.devices,
            sheet,
            seats: self.session.seats(),
            own: &self.own,
            earlier: &self.earlier,
            outside: self.outside,
            going_back: false,
            by_hand: false,
            stands_for: self.stands_for.as_ref(),
            silent: &self.silent,
            parking: self.parking,
        }
    }
}

/// Those seen by earlier surveys that the sheet knows by their MAC addresses: they belong to the rig, and come back.
fn of_sheet(sheet: &RigSheet, earlier: &[Earlier]) -> Vec<Silent> {
    let planned = |one: &Earlier| {
        let node =
            sheet.nodes.iter().find(|node| node.mac.as_ref().is_some_and(|mac| Some(mac.value) == one.mac))?;
        Some(Silent {
            name: node.name.value.clone(),
            mac: one.mac,
            places: vec![one.address],
            why: Silent::NO_ANSWER,
        })
    };
    earlier.iter().filter_map(planned).collect()
}

fn is_recent(one: &Remembered) -> bool {
    let day: Result<jiff::civil::Date, _> = one.last_day().parse();
    let today = clock::now().to_zoned(jiff::tz::TimeZone::UTC).date();
    day.is_ok_and(|day| (today - day).get_days() <= i32::try_from(LATELY_DAYS).unwrap_or(i32::MAX))
}

fn silent(one: &Remembered) -> Option<Earlier> {
    let name = [&one.name, &one.what].into_iter().find(|text| !text.is_empty());
    Some(Earlier {
        address: one.address.as_ref()?.parse().ok()?,
        mac: one.mac.as_ref().and_then(|mac| mac.parse().ok()),
        name: name.map_or_else(|| "a device".to_owned(), ToString::to_string),
        last_seen: one.last_day().to_owned(),
    })
}
