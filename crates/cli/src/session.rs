//! One sitting at the network: the adapter that was chosen, what was opened on it, and the sheet that tells about the rig.

use std::path::{Path, PathBuf};
use std::time::Duration;

use lantern_core::ART_NET_PORT;
use lantern_core::adapter::{Adapter, Choice, Computer, choose};
use lantern_core::address::Subnet;
use lantern_core::census::{Census, Ways};
use lantern_core::conversation::{Conversation, Seat, Survey, SurveyPlan};
use lantern_core::sheet::RigSheet;
use lantern_net::{Station, Traffic, Wants, run};

use crate::failure::Failure;
use crate::files::SheetFile;
use crate::machine::computer;
use crate::output::Out;

/// Which adapter, and which sheet tells about the rig.
#[derive(Debug, Clone, clap::Args, Default)]
pub(crate) struct Where {
    /// The adapter that leads to the rig: its name, its label or one of its addresses
    #[arg(long, value_name = "NAME|LABEL|ADDRESS")]
    pub(crate) adapter: Option<String>,

    /// The rig sheet; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    pub(crate) sheet: Option<PathBuf>,
}

/// A rig sheet that must be named, and the adapter that leads to its rig.
#[derive(Debug, Clone, clap::Args)]
pub(crate) struct OnSheet {
    /// The rig sheet
    #[arg(value_name = "FILE.rig.toml")]
    pub(crate) sheet: PathBuf,

    /// The adapter that leads to the rig: its name, its label or one of its addresses
    #[arg(long, value_name = "NAME|LABEL|ADDRESS")]
    pub(crate) adapter: Option<String>,
}

/// A chosen adapter with an open station.
pub(crate) struct Session {
    choice: Choice,
    computer: Computer,
    station: Station,
    sheet: Option<SheetFile>,
}

impl Where {
    /// The sheet that is meant, told where it was not named.
    pub(crate) fn sheet(&self, out: &mut Out) -> Result<Option<SheetFile>, Failure> {
        let sheet = SheetFile::named_or_only(self.sheet.as_deref())?;
        if let (None, Some(sheet)) = (&self.sheet, &sheet) {
            out.note(&format!("using the sheet {}", sheet.path.display()))?;
        }
        Ok(sheet)
    }
}

impl Session {
    /// Opens a session for talks by Art-Net as the arguments say, and tells which adapter was taken and why.
    pub(crate) fn open(at: &Where, out: &mut Out) -> Result<Self, Failure> {
        let sheet = at.sheet(out)?;
        Self::with_sheet(at.adapter.as_deref(), sheet, out)
    }

    /// Opens such a session for a sheet that was read already.
    pub(crate) fn with_sheet(
        adapter: Option<&str>,
        sheet: Option<SheetFile>,
        out: &mut Out,
    ) -> Result<Self, Failure> {
        let wants = Wants { ports: vec![ART_NET_PORT], ..Wants::default() };
        Self::wanting(&wants, adapter, sheet, out)
    }

    /// Opens a session that hears and speaks in these ways, as far as the system allows.
    pub(crate) fn wanting(
        wants: &Wants,
        adapter: Option<&str>,
        sheet: Option<SheetFile>,
        out: &mut Out,
    ) -> Result<Self, Failure> {
        let computer = computer()?;
        let choice = choose(&computer.adapters, adapter, sheet.as_ref().map(|file| &file.sheet))?;
        // On simulated nodes there are no frames, and the system itself answers every echo.
        let ports_only = Wants { ports: wants.ports.clone(), ..Wants::default() };
        let station = Station::open(&choice, if is_simulated(&choice) { &ports_only } else { wants })?;
        let places: Vec<String> =
            choice.seats.iter().map(|seat| format!("{} in {}", seat.own, seat.subnet)).collect();
        out.note(&format!("on {} as {}: {}", choice.name, places.join(" and "), choice.why))?;
        if station.is_shared() {
            out.note(
                "another program here holds UDP 6454 too: answers sent to this computer alone reach only one of us",
            )?;
        }
        Ok(Self { choice, computer, station, sheet })
    }

    /// The rig sheet, if there is one.
    pub(crate) fn sheet(&self) -> Option<&RigSheet> {
        self.sheet.as_ref().map(|file| &file.sheet)
    }

    /// Its file.
    pub(crate) fn sheet_file(&self) -> Option<&SheetFile> {
        self.sheet.as_ref()
    }

    /// The adapter's name.
    pub(crate) fn adapter(&self) -> &str {
        &self.choice.name
    }

    /// The adapter as the system tells it.
    pub(crate) fn adapter_facts(&self) -> Option<&Adapter> {
        self.computer.adapters.iter().find(|adapter| adapter.name == self.choice.name)
    }

    /// This computer.
    pub(crate) const fn computer(&self) -> &Computer {
        &self.computer
    }

    /// Where this computer sits.
    pub(crate) fn seats(&self) -> &[Seat] {
        &self.choice.seats
    }

    /// The subnets this computer is in, as far as this session goes.
    pub(crate) fn subnets(&self) -> Vec<Subnet> {
        self.choice.seats.iter().map(|seat| seat.subnet).collect()
    }

    /// Whether it takes place on simulated nodes on loopback.
    pub(crate) fn is_simulated(&self) -> bool {
        is_simulated(&self.choice)
    }

    /// What every survey here begins with: where this computer sits, and what the system lets it do.
    pub(crate) fn survey_plan(&self) -> SurveyPlan {
        let facts = self.adapter_facts();
        SurveyPlan {
            own_mac: facts.and_then(|adapter| adapter.mac),
            gateways: facts.map(|adapter| adapter.gateways.clone()).unwrap_or_default(),
            means: self.station.means(),
            ways: Ways::ALL,
            ranges: SurveyPlan::usual_ranges(self.seats()),
            ..SurveyPlan::art_net(self.seats().to_vec(), None, false)
        }
    }

    /// What was opened.
    pub(crate) const fn station(&self) -> &Station {
        &self.station
    }

    /// What was opened, to be recorded.
    pub(crate) const fn station_mut(&mut self) -> &mut Station {
        &mut self.station
    }

    /// The logbook that changes of this session go into: the sheet's, or one in this folder.
    pub(crate) fn logbook_path(&self) -> PathBuf {
        self.sheet.as_ref().map_or_else(|| Path::new("deft-lantern.log.jsonl").to_owned(), SheetFile::logbook)
    }

    /// Runs a conversation to its end.
    pub(crate) fn run<C: Conversation>(
        &self,
        conversation: &mut C,
        watch: impl FnMut(&C, Duration, Option<C::Event>),
    ) -> Result<Traffic, Failure> {
        Ok(run(conversation, &self.station, watch)?)
    }

    /// Surveys the rig by Art-Net, with a line of progress. With `ask_settings` every node is asked for mask and gateway
    /// too.
    pub(crate) fn survey(&self, ask_settings: bool, out: &mut Out) -> Result<Census, Failure> {
        let mut survey =
            Survey::new(SurveyPlan::art_net(self.seats().to_vec(), self.sheet().cloned(), ask_settings));
        let progress = out.progress();
        let expected = self.sheet().map(|sheet| sheet.nodes.len());
        self.run(&mut survey, |survey, now, _| {
            let state = survey.progress(now);
            let of = expected.map(|n| format!(" ({n} on the sheet)")).unwrap_or_default();
            let left = state.left.unwrap_or_default().as_secs_f32();
            progress.show(format!("{} nodes answered{of}, at most {left:.1} s more", state.found));
        })?;
        drop(progress);
        if survey.unreadable() > 0 {
            out.note(&format!("{} datagrams could not be read and were left out", survey.unreadable()))?;
        }
        Ok(survey.into_census())
    }
}

fn is_simulated(choice: &Choice) -> bool {
    choice.seats.iter().any(|seat| seat.own.is_loopback())
}
