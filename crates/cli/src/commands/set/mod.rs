//! `set`: one node, with the same care.

mod patched;

use std::net::Ipv4Addr;
use std::path::PathBuf;

use lantern_core::address::{Mask, Unusable};
use lantern_core::census::Subject;
use lantern_core::change::{Part, Wish, plan_each};
use lantern_core::compare::{Addressing, Wanted, WantedBroker, WantedPort};
use lantern_core::conversation::Depth;
use lantern_core::facts::{Field, FixtureSetting, OwnValue, ReadingName, Value};
use lantern_core::logbook::Order;
use lantern_core::sheet::WantedMode;
use lantern_core::universe::{DeskBase, Universe};
use lantern_core::{DataLoss, Direction, Indicators, Merge, Protocol};

use super::changes::{Around, Errand, HowToWrite, carry_out, let_settle, word};
use super::named::{self, AboutFixtures};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::logbook_file::runs_of;
use crate::output::Out;
use crate::session::{Session, Where};

/// Set addresses, names, universes and modes of nodes and fixtures, and patch streams
///
/// With the same care as apply: shown first, checked against everybody who answers, read back, written down.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The node: its name, address or MAC address; a fixture: its RDM identifier or name; a sender, receiver or output: NODE/LABEL;
    /// several by a pattern, as 'quay-*'
    #[arg(value_name = "NODE")]
    node: String,

    /// Its new address
    #[arg(long, value_name = "ADDRESS", conflicts_with = "dhcp")]
    address: Option<Ipv4Addr>,

    /// Its new subnet mask, as 255.255.0.0 or /16
    #[arg(long, value_name = "MASK", conflicts_with = "dhcp")]
    mask: Option<Mask>,

    /// Its new gateway; 0.0.0.0 for none
    #[arg(long, value_name = "ADDRESS", conflicts_with = "dhcp")]
    gateway: Option<Ipv4Addr>,

    /// Let it take its address by DHCP
    #[arg(long)]
    dhcp: bool,

    /// What it is called on the network, at most 63 letters, digits and hyphens; by LLRP or ONVIF
    #[arg(long, value_name = "TEXT", value_parser = host_name)]
    host_name: Option<String>,

    /// The server that it asks for names; 0.0.0.0 for none; by LLRP
    #[arg(long, value_name = "ADDRESS", conflicts_with = "dhcp")]
    name_server: Option<Ipv4Addr>,

    /// The scope in which it looks for its broker, at most 62 bytes; by LLRP
    #[arg(long, value_name = "TEXT", value_parser = clap::builder::NonEmptyStringValueParser::new())]
    scope: Option<String>,

    /// Its broker's address and port, or none to let it look for one; by LLRP
    #[arg(long, value_name = "ADDRESS:PORT", value_parser = broker)]
    broker: Option<WantedBroker>,

    /// Its new name, at most 17 bytes
    #[arg(long, value_name = "TEXT")]
    name: Option<String>,

    /// Its new label, at most 63 bytes; of a fixture 32
    #[arg(long, value_name = "TEXT")]
    label: Option<String>,

    /// Where it stands, as it is to tell it; by ONVIF or SNMP
    #[arg(long, value_name = "TEXT")]
    location: Option<String>,

    /// Who looks after it, as it is to tell it; by SNMP
    #[arg(long, value_name = "TEXT")]
    contact: Option<String>,

    /// A reading of its kind on the sheet that can be set, and what to; by SNMP; may be given several times
    #[arg(long, value_name = "NAME=VALUE", value_parser = reading)]
    reading: Vec<(ReadingName, String)>,

    /// What it does when data stops
    #[arg(long, value_name = "WORD", value_parser = word(&DataLoss::WORDS))]
    on_data_loss: Option<String>,

    /// The priority with which its inputs send sACN, 0 to 200
    #[arg(long, value_name = "NUMBER", value_parser = clap::value_parser!(u8).range(0..=200))]
    sacn_priority: Option<u8>,

    /// Let it go on with one of two sources that it combines now
    #[arg(long)]
    stop_merging: bool,

    /// Let it record what is sent now, as the scene for when data stops
    #[arg(long)]
    record_scene: bool,

    /// Back to the network settings of the factory: address, mask, gateway, DHCP
    #[arg(long, conflicts_with_all = ["address", "mask", "gateway", "dhcp"])]
    factory_network: bool,

    /// Of a fixture: the first slot it takes
    #[arg(long, value_name = "SLOT", value_parser = clap::value_parser!(u16).range(1..=512))]
    start_address: Option<u16>,

    /// Of a fixture: its mode, by number or by what the fixture calls it
    #[arg(long, value_name = "MODE")]
    mode: Option<WantedMode>,

    /// Of a fixture: whether pan turns the other way, on or off
    #[arg(long, value_name = "WORD", value_parser = setting(FixtureSetting::PanInvert))]
    pan_invert: Option<Value>,

    /// Of a fixture: whether tilt turns the other way, on or off
    #[arg(long, value_name = "WORD", value_parser = setting(FixtureSetting::TiltInvert))]
    tilt_invert: Option<Value>,

    /// Of a fixture: whether pan and tilt change places, on or off
    #[arg(long, value_name = "WORD", value_parser = setting(FixtureSetting::PanTiltSwap))]
    pan_tilt_swap: Option<Value>,

    /// Of a fixture: whether its display stands on its head: off, on or auto
    #[arg(long, value_name = "WORD", value_parser = setting(FixtureSetting::DisplayInvert))]
    display_invert: Option<Value>,

    /// Of a fixture: how bright its display is, 0 to 255
    #[arg(long, value_name = "NUMBER", value_parser = setting(FixtureSetting::DisplayLevel))]
    display_level: Option<Value>,

    /// Of a fixture: its lamp off, on, strike or standby
    #[arg(long, value_name = "WORD", value_parser = setting(FixtureSetting::Lamp))]
    lamp: Option<Value>,

    /// Of a fixture: its lamp when it starts: off, by-dmx, on or after-calibration
    #[arg(long, value_name = "WORD", value_parser = setting(FixtureSetting::LampAtStart))]
    lamp_at_start: Option<Value>,

    /// Of a fixture: what it shows when data stops, as 'scene 3 after 2.5 s for 10 s at 255', or for ever
    #[arg(long, value_name = "SCENE", value_parser = setting(FixtureSetting::FailMode))]
    fail_mode: Option<Value>,

    /// Of a fixture: what it shows when it starts and no data come, in the same words
    #[arg(long, value_name = "SCENE", value_parser = setting(FixtureSetting::StartupMode))]
    startup_mode: Option<Value>,

    /// Of a fixture: everything as from the factory; asks twice, and undo puts back what it told before
    #[arg(long, conflicts_with_all = ["label", "start_address", "mode", "pan_invert", "tilt_invert", "pan_tilt_swap",
        "display_invert", "display_level", "lamp", "lamp_at_start", "fail_mode", "startup_mode"])]
    factory_defaults: bool,

    /// Of a fixture: let it start anew, warm or cold
    #[arg(long, value_name = "WORD", value_parser = setting(FixtureSetting::Reset))]
    reset: Option<Value>,

    /// Of a fixture: a parameter that is its maker's own, as show tells them: its number and value, as 0x8001=3
    #[arg(long, value_name = "NUMBER=VALUE", value_parser = own_parameter)]
    parameter: Vec<(u16, String)>,

    /// What its indicators do
    #[arg(long, value_name = "WORD", value_parser = word(&Indicators::WORDS))]
    indicators: Option<String>,

    /// A port to set, from 1; with --universe one for each
    #[arg(long, value_name = "NUMBER", value_parser = clap::value_parser!(u32).range(1..))]
    port: Vec<u32>,

    /// The new universe of the port, in any notation; none where the gateway knows that
    #[arg(long, value_name = "UNIVERSE", requires = "port")]
    universe: Vec<String>,

    /// Which way the ports named work; off where the gateway knows that
    #[arg(long, value_name = "WORD", requires = "port", value_parser = ["out", "in", "off"])]
    direction: Option<String>,

    /// Which protocol the ports named listen to
    #[arg(long, value_name = "WORD", requires = "port", value_parser = word(&Protocol::WORDS))]
    protocol: Option<String>,

    /// How the ports named combine two sources
    #[arg(long, value_name = "WORD", requires = "port", value_parser = word(&Merge::WORDS))]
    merge: Option<String>,

    /// Whether RDM goes through the ports named
    #[arg(long, value_name = "WORD", requires = "port", value_parser = ["on", "off"])]
    rdm: Option<String>,

    /// Whether the inputs named send what comes in
    #[arg(long, value_name = "WORD", requires = "port", value_parser = ["on", "off"])]
    input: Option<String>,

    /// What the port named is called, at most 32 bytes, where the gateway keeps that
    #[arg(long, value_name = "TEXT", requires = "port")]
    port_label: Option<String>,

    #[command(flatten)]
    patch: patched::Patch,

    /// The address lies outside the sheet's networks or areas, and is meant
    #[arg(long, requires = "address")]
    outside: bool,

    /// Write down everything sent and heard in this capture file (pcapng)
    #[arg(long, value_name = "FILE.pcapng")]
    record: Option<PathBuf>,

    #[command(flatten)]
    at: Where,

    #[command(flatten)]
    how: HowToWrite,
}

/// The word for a port that is to have no universe.
const NO_UNIVERSE: &str = "none";

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    args.refuse_nonsense()?;
    let mut session = Session::open(&args.at, out)?;
    session.record(args.record.as_deref())?;
    let exit = set(args, &session, out);
    session.end_recording(out)?;
    exit
}

fn set(args: &Args, session: &Session, out: &mut Out) -> Result<Exit, Failure> {
    if args.patch.is_given() {
        return patched::set(args, session, out);
    }
    let desk = session.sheet().map_or(DeskBase::default(), |sheet| sheet.desk);
    let wanted = args.wanted(desk)?;
    args.refuse_impossible(session.is_on_loopback())?;
    let _alone = args.how.alone_on(session)?;
    // Whoever else is there must be known before an address is given.
    let likely: Vec<Ipv4Addr> = args.address.into_iter().chain(args.node.parse().ok()).collect();
    let named = std::slice::from_ref(&args.node);
    let runs = runs_of(&session.logbook_path(), out)?;
    let_settle(&runs, &session.logbook_path(), out)?;
    let about = if args.is_of_fixtures() { AboutFixtures::Surely } else { AboutFixtures::Perhaps };
    let depth = if args.parameter.is_empty() { Depth::Settings } else { Depth::Own };
    let look = named::look_into(session, named, likely, (about, depth), out)?;
    let subjects = named::subjects(named, &look.census, session.sheet())?;
    args.refuse_one_for_several(subjects.len())?;
    let around = Around::of(session, &look, &runs)?.outside(args.outside);
    let wish = |subject: Subject| {
        let own = args.own(&subject)?;
        Ok(Wish::asked_for(subject, Wanted { own, ..wanted.clone() }))
    };
    let wishes: Vec<Wish> = subjects.into_iter().map(wish).collect::<Result<_, Failure>>()?;
    let plan = plan_each(&wishes, &around.protection());
    let part = Part { nodes: named::pattern(&args.node).into_iter().collect(), ..Part::default() };
    let errand = Errand::asked_for(Order::Set, part, session);
    carry_out(session, &plan, &errand, args.how, out)
}

/// The number of a parameter and what it is to be.
fn own_parameter(text: &str) -> Result<(u16, String), String> {
    const EXPECTED: &str = "a number from 0x8000 and a value, as 0x8001=3";
    let (number, value) = text.split_once('=').ok_or(EXPECTED)?;
    let read = match number.strip_prefix("0x") {
        Some(digits) => u16::from_str_radix(digits, 16).ok(),
        None => number.parse().ok(),
    };
    let number = read.filter(|number| *number >= 0x8000).ok_or(EXPECTED)?;
    Ok((number, value.to_owned()))
}

/// Reads a setting of a fixture.
fn setting(one: FixtureSetting) -> impl Fn(&str) -> Result<Value, String> + Clone + Send + Sync + 'static {
    move |text: &str| one.read(text)
}

/// A name as hosts have it (RFC 1123, section 2.1).
fn host_name(text: &str) -> Result<String, &'static str> {
    let is_fine = |c: char| c.is_ascii_alphanumeric() || c == '-';
    let is_name = !text.is_empty() && text.chars().all(is_fine) && !text.starts_with('-') && !text.ends_with('-');
    is_name.then(|| text.to_owned()).ok_or("letters, digits and hyphens between them, as quay-north")
}

fn reading(text: &str) -> Result<(ReadingName, String), String> {
    let wanted = || "a reading of its kind and what it is to be, as 'stream=5'".to_owned();
    let (name, value) = text.split_once('=').ok_or_else(wanted)?;
    Ok((ReadingName::new(name.trim()).ok_or_else(wanted)?, value.trim().to_owned()))
}

fn broker(text: &str) -> Result<WantedBroker, String> {
    if text == "none" {
        return Ok(WantedBroker::LookedFor);
    }
    let at = text.parse().map_err(|_| "an address with its port, as 10.40.0.20:8888, or none".to_owned())?;
    Ok(WantedBroker::At(at))
}

/// What a word of a setting means.
fn meant<T: Copy>(words: &[(&'static str, T)], word: Option<&String>) -> Option<T> {
    words.iter().find(|(known, _)| word.is_some_and(|word| word == known)).map(|(_, value)| *value)
}

impl Args {
    /// What no survey is needed for to see that it makes no sense.
    fn refuse_nonsense(&self) -> Result<(), Failure> {
        let words = [&self.direction, &self.protocol, &self.merge, &self.rdm, &self.input, &self.port_label];
        let of_ports = words.iter().any(|word| word.is_some());
        let (ports, universes) = (self.port.len(), self.universe.len());
        if universes != ports && (universes > 0 || !of_ports) {
            return Err(Failure::Call(format!(
                "{ports} times --port but {universes} times --universe: give them in pairs, --port 2 --universe 0:0:5"
            )));
        }
        if self.patch.is_given() && !self.is_empty() {
            let what = "--from, --group, --second-group, --enabled and --channel patch a sender, a receiver or an output: leave the rest to \
                        another call";
            return Err(Failure::Call(what.to_owned()));
        }
        if self.is_empty() && !self.patch.is_given() {
            return Err(Failure::Call(
                "nothing to set: give at least one of --address, --mask, --gateway, --dhcp, --host-name, --name-server, --scope, --broker, --name, --label, --location, --contact, --reading, \
                 --start-address, --mode, --pan-invert and the other settings of fixtures, --on-data-loss, --sacn-priority, --stop-merging, --record-scene, --factory-network, --indicators, \
                 --port with --universe, --direction, --protocol, --merge, --rdm, --input or --port-label; of a stream's end or an output \
                 --from, --group, --second-group, --enabled or --channel"
                    .to_owned(),
            ));
        }
        // On a loopback ground 127.x.y.z are addresses as good as any; which ground it is shows later.
        self.refuse_impossible(true)
    }

    fn refuse_impossible(&self, on_loopback: bool) -> Result<(), Failure> {
        let impossible = self.address.and_then(|address| Some((address, Unusable::of(address, on_loopback)?)));
        impossible.map_or(Ok(()), |(address, why)| Err(Failure::Impossible { address, why }))
    }

    /// What only one can have is not given to several.
    fn refuse_one_for_several(&self, count: usize) -> Result<(), Failure> {
        let single = [
            ("--address", self.address.is_some()),
            ("--name", self.name.is_some()),
            ("--host-name", self.host_name.is_some()),
            ("--start-address", self.start_address.is_some()),
        ];
        if self.port_label.is_some() && self.port.len() > 1 {
            return Err(Failure::Call("--port-label is for one port; name one of them".to_owned()));
        }
        match single.iter().find(|(_, given)| *given && count > 1) {
            Some((option, _)) => {
                Err(Failure::Call(format!("{option} is one for {count} nodes; name one of them")))
            }
            None => Ok(()),
        }
    }

    /// The further settings of a fixture.
    fn settings(&self) -> Vec<(FixtureSetting, Value)> {
        let given = [
            (FixtureSetting::PanInvert, &self.pan_invert),
            (FixtureSetting::TiltInvert, &self.tilt_invert),
            (FixtureSetting::PanTiltSwap, &self.pan_tilt_swap),
            (FixtureSetting::DisplayInvert, &self.display_invert),
            (FixtureSetting::DisplayLevel, &self.display_level),
            (FixtureSetting::Lamp, &self.lamp),
            (FixtureSetting::LampAtStart, &self.lamp_at_start),
            (FixtureSetting::FailMode, &self.fail_mode),
            (FixtureSetting::StartupMode, &self.startup_mode),
            (FixtureSetting::FactoryDefaults, &self.factory_defaults.then_some(Value::Flag(true))),
            (FixtureSetting::Reset, &self.reset),
        ];
        given.into_iter().filter_map(|(setting, value)| Some((setting, value.clone()?))).collect()
    }

    /// The parameters of its maker's own, in the form that the fixture says of each.
    fn own(&self, subject: &Subject) -> Result<Vec<(u16, OwnValue)>, Failure> {
        let told = subject.told_facts();
        let one = |(number, text): &(u16, String)| match told.get(Field::Own(*number)) {
            Some(Value::Own(value)) => {
                let read =
                    value.read(text).map_err(|why| Failure::Call(format!("parameter 0x{number:04x}: {why}")))?;
                Ok((*number, read))
            }
            _ => Err(Failure::Call(format!(
                "{} tells no parameter 0x{number:04x} of its maker's own: deft-lantern show {} lists those it has",
                subject.title(),
                self.node
            ))),
        };
        self.parameter.iter().map(one).collect()
    }

    fn is_of_fixtures(&self) -> bool {
        self.start_address.is_some()
            || self.mode.is_some()
            || !self.settings().is_empty()
            || !self.parameter.is_empty()
    }

    fn is_empty(&self) -> bool {
        self.address.is_none()
            && self.mask.is_none()
            && self.gateway.is_none()
            && !self.dhcp
            && self.name.is_none()
            && self.host_name.is_none()
            && self.name_server.is_none()
            && self.scope.is_none()
            && self.broker.is_none()
            && self.label.is_none()
            && self.location.is_none()
            && self.contact.is_none()
            && self.reading.is_empty()
            && self.on_data_loss.is_none()
            && self.sacn_priority.is_none()
            && !(self.stop_merging || self.record_scene || self.factory_network)
            && self.indicators.is_none()
            && self.port.is_empty()
            && !self.is_of_fixtures()
    }

    fn wanted(&self, desk: DeskBase) -> Result<Wanted, Failure> {
        let direction = match self.direction.as_deref() {
            Some("in") => Some(Direction::In),
            Some("out") => Some(Direction::Out),
            _ => None,
        };
        let mut ports = Vec::new();
        for (i, number) in self.port.iter().enumerate() {
            let read = |text: &String| {
                Universe::read(text, desk).map_err(|error| Failure::Universe { text: text.clone(), error })
            };
            let universe = self.universe.get(i);
            let is_unpatched = universe.is_some_and(|text| text == NO_UNIVERSE);
            ports.push(WantedPort {
                number: *number,
                direction,
                is_off: self.direction.as_deref() == Some("off"),
                universe: universe.filter(|_| !is_unpatched).map(read).transpose()?,
                is_unpatched,
                protocol: meant(&Protocol::WORDS, self.protocol.as_ref()),
                merge: meant(&Merge::WORDS, self.merge.as_ref()),
                rdm: self.rdm.as_ref().map(|word| word == "on"),
                input: self.input.as_ref().map(|word| word == "on"),
                label: self.port_label.clone(),
                ..WantedPort::default()
            });
        }
        let addressing = if self.dhcp { Some(Addressing::Dhcp) } else { self.address.map(Addressing::Fixed) };
        Ok(Wanted {
            name: self.name.clone(),
            label: self.label.clone(),
            location: self.location.clone(),
            contact: self.contact.clone(),
            readings: self.reading.clone(),
            addressing,
            mask: self.mask,
            gateway: self.gateway,
            host_name: self.host_name.clone(),
            name_server: self.name_server,
            scope: self.scope.clone(),
            broker: self.broker,
            on_data_loss: meant(&DataLoss::WORDS, self.on_data_loss.as_ref()),
            indicators: meant(&Indicators::WORDS, self.indicators.as_ref()),
            sacn_priority: self.sacn_priority,
            settings: self.settings(),
            start_address: self.start_address.map(u32::from),
            mode: self.mode.clone(),
            stops_merging: self.stop_merging,
            records_scene: self.record_scene,
            factory_network: self.factory_network,
            ports,
            ..Wanted::default()
        })
    }
}
