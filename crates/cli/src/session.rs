//! One sitting at the network: the adapter that was chosen, what was opened on it, and the sheet that tells about the rig.

use std::collections::HashMap;
use std::io::BufRead;
use std::net::Ipv4Addr;
use std::ops::ControlFlow;
use std::path::{Path, PathBuf};
use std::time::Duration;

use lantern_core::ART_NET_PORT;
use lantern_core::adapter::{Adapter, Choice, Computer, choose};
use lantern_core::address::Subnet;
use lantern_core::census::{Census, Device, Viewpoint, Ways};
use lantern_core::compare::Everybody;
use lantern_core::conversation::{Concern, Conversation, OnCables, Progress, Seat, Survey, SurveyPlan, Vantage};
use lantern_core::lease::Lease;
use lantern_core::secret::Secrets;
use lantern_core::sheet::RigSheet;
use lantern_net::{Lack, NetError, Recorder, Station, Traffic, Wants, is_pretended, run, run_typed};

use crate::clock;
use crate::commands::survey::wants;
use crate::failure::Failure;
use crate::files::{SheetFile, own_logbook};
use crate::interrupt::{self, Calm};
use crate::lease_file;
use crate::machine::computer;
use crate::output::Out;
use crate::secrets;

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

/// A rig sheet that may be the only one in the folder, and the adapter that leads to its rig.
#[derive(Debug, Clone, clap::Args)]
pub(crate) struct OnOneSheet {
    /// The rig sheet; without it, the only *.rig.toml in this folder
    #[arg(value_name = "FILE.rig.toml")]
    pub(crate) sheet: Option<PathBuf>,

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
    secrets: Secrets,
    /// Where everything sent and heard is written down.
    recording: Option<PathBuf>,
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
    /// Opens a session for everything there is to hear, as the arguments say, and tells which adapter was taken and why.
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
        Self::wanting(&wants(&[]), adapter, sheet, out)
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
        let own_mac = computer.adapters.iter().find(|one| one.name == choice.name).and_then(|one| one.mac);
        let wants = if is_on_loopback(&choice) { &ports_only } else { wants };
        let station = Station::open(&choice, wants, own_mac)?;
        let places: Vec<String> =
            choice.seats.iter().map(|seat| format!("{} in {}", seat.own, seat.subnet)).collect();
        out.note(&format!("on {} as {}: {}", choice.name, places.join(" and "), choice.why))?;
        let (secrets, trouble) = secrets::kept(sheet.as_ref().map(|file| &file.sheet));
        if let Some(trouble) = trouble {
            out.note(&trouble)?;
        }
        let session = Self { choice, computer, station, sheet, secrets, recording: None };
        if let Some(sentence) = session.about_the_port() {
            out.note(&sentence)?;
        }
        Ok(session)
    }

    /// Opens it anew, since what this computer has on the adapter has changed.
    pub(crate) fn open_again(self, out: &mut Out) -> Result<Self, Failure> {
        let Self { choice, mut station, sheet, recording, .. } = self;
        let recorder = station.hand_over_recorder();
        // Else the new one would find the port held by the old one.
        drop(station);
        let mut session = Self { recording, ..Self::with_sheet(Some(&choice.name), sheet, out)? };
        if let Some(recorder) = recorder {
            session.station.record_to(recorder);
        }
        Ok(session)
    }

    /// Writes down everything sent and heard from now on, in a file that is not there yet.
    pub(crate) fn record(&mut self, path: Option<&Path>) -> Result<(), Failure> {
        let Some(path) = path else { return Ok(()) };
        let mac = self.adapter_facts().and_then(|adapter| adapter.mac);
        let recorder = Recorder::create(path, self.adapter(), mac, self.seats(), clock::now().into());
        let recorder = recorder.map_err(|source| match source.kind() {
            std::io::ErrorKind::AlreadyExists => Failure::Exists { path: path.to_owned() },
            _ => Failure::Write { path: path.to_owned(), source },
        })?;
        self.station.record_to(recorder);
        self.recording = Some(path.to_owned());
        Ok(())
    }

    /// Ends that, and says what was written down.
    pub(crate) fn end_recording(&mut self, out: &mut Out) -> Result<(), Failure> {
        if let (Some(path), Some(packets)) = (self.recording.take(), self.station.stop_recording()) {
            let packets = packets.map_err(|source| Failure::Write { path: path.clone(), source })?;
            out.note(&format!("recorded {packets} packets in {}", path.display()))?;
        }
        Ok(())
    }

    /// The program that holds the Art-Net port here, by name where the system tells it.
    pub(crate) fn port_holder(&self) -> String {
        let is_here =
            |address: Ipv4Addr| address.is_unspecified() || self.seats().iter().any(|s| s.own == address);
        let here = self.computer.holders.iter().filter(|holder| is_here(holder.address));
        here.into_iter()
            .find_map(|holder| holder.program.as_ref())
            .map_or_else(|| "another program".to_owned(), ToString::to_string)
    }

    fn lacks_art_net(&self) -> bool {
        self.station.lacks().iter().any(|lack| matches!(lack, Lack::Port(port, _) if *port == ART_NET_PORT))
    }

    /// What it means that another program here holds the Art-Net port too, if one does.
    fn about_the_port(&self) -> Option<String> {
        let frames = self.station.means().frames;
        let who = self.port_holder();
        if self.lacks_art_net() {
            let instead = if frames { "raw frames speak in its place" } else { "Art-Net is not asked" };
            return Some(format!("{who} here holds UDP 6454 for itself: {instead}"));
        }
        if !self.station.is_shared() {
            return None;
        }
        Some(if frames {
            format!("{who} here holds UDP 6454 too, and goes on hearing all that is sent to it")
        } else {
            format!(
                "{who} here holds UDP 6454 too: until this command ends, what is sent to this computer alone reaches us \
                 and not it; as administrator it would lose nothing"
            )
        })
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

    /// Whether it takes place on simulated nodes, out of reach of this computer's real adapters.
    pub(crate) fn is_simulated(&self) -> bool {
        self.is_on_loopback() || is_pretended(self.adapter())
    }

    /// Whether it takes place on loopback.
    pub(crate) fn is_on_loopback(&self) -> bool {
        is_on_loopback(&self.choice)
    }

    /// What every survey here begins with: where this computer sits, and what the system lets it do.
    pub(crate) fn survey_plan(&self) -> SurveyPlan {
        SurveyPlan {
            vantage: self.vantage(),
            ways: Ways::ALL,
            ranges: SurveyPlan::usual_ranges(self.seats()),
            ..SurveyPlan::art_net(self.seats().to_vec(), None, false)
        }
    }

    /// What was opened.
    pub(crate) const fn station(&self) -> &Station {
        &self.station
    }

    /// The logbook that changes of this session go into: the sheet's, or one in this folder.
    pub(crate) fn logbook_path(&self) -> PathBuf {
        self.sheet.as_ref().map_or_else(own_logbook, SheetFile::logbook)
    }

    /// From where conversations are held.
    pub(crate) fn vantage(&self) -> Vantage {
        let facts = self.adapter_facts();
        Vantage {
            seats: self.seats().to_vec(),
            own_mac: facts.and_then(|adapter| adapter.mac),
            gateways: facts.map(|adapter| adapter.gateways.clone()).unwrap_or_default(),
            means: self.station.means(),
            mark: u16::try_from(std::process::id() & 0xffff).unwrap_or(1),
            secrets: self.secrets.clone(),
        }
    }

    /// All addresses of this computer, on whatever adapter.
    pub(crate) fn own_addresses(&self) -> Vec<Ipv4Addr> {
        let all = self.computer.adapters.iter().flat_map(|adapter| &adapter.addresses);
        all.map(|own| own.address).collect()
    }

    /// Runs a conversation to its end, to an interruption, or to the first failure of whoever watches: then nothing more
    /// is sent.
    pub(crate) fn run<C: Conversation>(
        &self,
        conversation: &mut C,
        watch: impl FnMut(&C, Duration, Option<C::Event>) -> Result<(), Failure>,
    ) -> Result<Traffic, Failure> {
        run_whole(conversation, &self.station, watch)
    }

    /// Runs a conversation with what somebody types, as [`Self::run`] does.
    pub(crate) fn run_typed<C: Conversation>(
        &self,
        conversation: &mut C,
        typed: impl BufRead + Send + 'static,
        watch: impl FnMut(&C, Duration, Option<C::Event>) -> Result<(), Failure>,
    ) -> Result<(), Failure> {
        let (_, failed) = calmly(going_on(watch), |watch| run_typed(conversation, &self.station, typed, watch))?;
        failed.map_or(Ok(()), Err)
    }

    /// Runs a conversation until whoever watches has seen enough, or as [`Self::run`] does.
    pub(crate) fn run_until_left<C: Conversation>(
        &self,
        conversation: &mut C,
        watch: impl FnMut(&C, Duration, Option<C::Event>) -> Result<ControlFlow<()>, Failure>,
    ) -> Result<(), Failure> {
        let (_, failed) = run_calmly(conversation, &self.station, watch)?;
        failed.map_or(Ok(()), Err)
    }

    /// Runs a conversation to its end, whatever comes: one that puts back what must not stay. It is over when its devices had
    /// their time, and nobody watches.
    pub(crate) fn put_back<C: Conversation>(&self, conversation: &mut C) -> Result<Traffic, Failure> {
        let _calm = Calm::begin();
        Ok(run(conversation, &self.station, |_, _, _| ControlFlow::Continue(()))?)
    }

    /// Runs a conversation whose results are worth having also when it is interrupted; gives that too.
    pub(crate) fn run_as_far_as_possible<C: Conversation>(
        &self,
        conversation: &mut C,
        watch: impl FnMut(&C, Duration, Option<C::Event>) -> Result<(), Failure>,
    ) -> Result<(Traffic, Option<Failure>), Failure> {
        match run_calmly(conversation, &self.station, going_on(watch))? {
            (traffic, broken @ (None | Some(Failure::Interrupted { .. }))) => Ok((traffic, broken)),
            (_, Some(failure)) => Err(failure),
        }
    }

    /// Looks who is there, in every way there is, for as long as strangers may take to answer. Those it is about are asked
    /// for their settings; `likely` addresses are asked one by one.
    pub(crate) fn look(&self, concern: Concern, likely: Vec<Ipv4Addr>, out: &mut Out) -> Result<Look, Failure> {
        self.look_and_listen(concern, likely, Vec::new(), OnCables::Nothing, out)
    }

    /// The same, and listens to the levels of these universes of sACN, and asks fixtures as far as it is told to.
    pub(crate) fn look_and_listen(
        &self,
        concern: Concern,
        likely: Vec<Ipv4Addr>,
        universes: Vec<u16>,
        on_cables: OnCables,
        out: &mut Out,
    ) -> Result<Look, Failure> {
        self.look_by(SurveyPlan { universes, on_cables, ..self.look_plan(concern, likely) }, out)
    }

    /// How [`Self::look`] looks.
    pub(crate) fn look_plan(&self, concern: Concern, likely: Vec<Ipv4Addr>) -> SurveyPlan {
        SurveyPlan {
            sheet: self.sheet().cloned(),
            ask_settings: true,
            concern,
            times_echoes: true,
            likely,
            ..self.survey_plan()
        }
    }

    /// Looks by a plan of one's own.
    pub(crate) fn look_by(&self, plan: SurveyPlan, out: &mut Out) -> Result<Look, Failure> {
        // Where Art-Net can neither be asked nor heard, everybody would only seem to be missing.
        if self.lacks_art_net() && !self.station.means().frames {
            let adapter = self.choice.name.clone();
            return Err(Failure::Net(NetError::PortHeld { port: ART_NET_PORT, adapter }));
        }
        let mut survey = Survey::new(plan);
        let progress = out.progress();
        let expected = self.sheet().map(|sheet| sheet.nodes.len());
        self.run(&mut survey, |survey, now, _| {
            let state = survey.progress(now);
            let of = expected.map(|n| format!(" ({n} on the sheet)")).unwrap_or_default();
            let left = state.left.unwrap_or_default().as_secs_f32();
            let read = fixtures_read(&state);
            progress.show(format!("{} nodes answered{of}{read}, at most {left:.1} s more", state.found));
            Ok(())
        })?;
        drop(progress);
        if survey.unreadable() > 0 {
            out.note(&format!("{} datagrams could not be read and were left out", survey.unreadable()))?;
        }
        let (from, echo_times) = (survey.viewpoint(), survey.echo_times().clone());
        let census = survey.into_census();
        let devices = census.devices(&from);
        let leases = self.sheet_file().map(|file| lease_file::running(file, out)).transpose()?.unwrap_or_default();
        Ok(Look { census, devices, from, echo_times, leases })
    }
}

/// Runs a conversation to its end, to an interruption, or to the first failure of whoever watches: then nothing more is
/// sent. Gives what went through, and why it was broken off.
fn run_calmly<C: Conversation>(
    conversation: &mut C,
    station: &Station,
    watch: impl FnMut(&C, Duration, Option<C::Event>) -> Result<ControlFlow<()>, Failure>,
) -> Result<(Traffic, Option<Failure>), Failure> {
    calmly(watch, |watch| run(conversation, station, watch))
}

/// The same of whatever runs it.
fn calmly<C: Conversation>(
    mut watch: impl FnMut(&C, Duration, Option<C::Event>) -> Result<ControlFlow<()>, Failure>,
    run: impl FnOnce(&mut Watching<'_, C>) -> Result<Traffic, NetError>,
) -> Result<(Traffic, Option<Failure>), Failure> {
    let _calm = Calm::begin();
    interrupt::check()?;
    let mut failed = None;
    let traffic = run(&mut |conversation, now, event| {
        let is_tick = event.is_none();
        let watched = watch(conversation, now, event);
        match watched.and_then(|flow| if is_tick { interrupt::check().map(|()| flow) } else { Ok(flow) }) {
            Ok(flow) => flow,
            Err(failure) => {
                failed = Some(failure);
                ControlFlow::Break(())
            }
        }
    })?;
    Ok((traffic, failed))
}

/// Somebody who watches a conversation, and may break it off.
type Watching<'a, C> = dyn FnMut(&C, Duration, Option<<C as Conversation>::Event>) -> ControlFlow<()> + 'a;

/// The same, where what was heard until then is worth nothing.
pub(crate) fn run_whole<C: Conversation>(
    conversation: &mut C,
    station: &Station,
    watch: impl FnMut(&C, Duration, Option<C::Event>) -> Result<(), Failure>,
) -> Result<Traffic, Failure> {
    let (traffic, failed) = run_calmly(conversation, station, going_on(watch))?;
    failed.map_or(Ok(traffic), Err)
}

/// Somebody who watches to the end.
fn going_on<C: Conversation>(
    mut watch: impl FnMut(&C, Duration, Option<C::Event>) -> Result<(), Failure>,
) -> impl FnMut(&C, Duration, Option<C::Event>) -> Result<ControlFlow<()>, Failure> {
    move |conversation, now, event| watch(conversation, now, event).map(ControlFlow::Continue)
}

/// Runs a conversation of raw frames on this adapter, which may have no address yet.
pub(crate) fn run_frames<C: Conversation>(conversation: &mut C, adapter: &str) -> Result<(), Failure> {
    run_whole(conversation, &Station::of_frames(adapter)?, |_, _, _| Ok(())).map(drop)
}

/// What was seen in one look.
pub(crate) struct Look {
    pub(crate) census: Census,
    pub(crate) devices: Vec<Device>,
    pub(crate) from: Viewpoint,
    /// How long answers to an echo took, by address.
    pub(crate) echo_times: HashMap<Ipv4Addr, Duration>,
    /// What was given by DHCP from here, and still runs.
    pub(crate) leases: Vec<Lease>,
}

impl Look {
    /// Everybody who was seen, and where everybody planned was asked.
    pub(crate) fn everybody(&self) -> Everybody<'_> {
        let asked_in = if self.from.echo_asked { &self.from.subnets[..] } else { &[] };
        Everybody { devices: &self.devices, asked_in, own: &self.from.own, leases: &self.leases }
    }
}

fn is_on_loopback(choice: &Choice) -> bool {
    choice.seats.iter().any(|seat| seat.own.is_loopback())
}

/// How many fixtures were read, where any are.
pub(crate) fn fixtures_read(progress: &Progress) -> String {
    match progress.read {
        (_, 0) => String::new(),
        (done, all) => format!(", {done} of {all} fixtures read"),
    }
}
