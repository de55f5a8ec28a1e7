//! `adapters dhcp`: an address from whoever hands them out.

use std::path::PathBuf;

use lantern_core::MacAddress;
use lantern_core::adapter::{
    Adapter, AdapterState, AddressState, Computer, RouteState, WantedOwn, against_lease, beside_joining,
    choose_cable, taken_finding,
};
use lantern_core::address::Subnet;
use lantern_core::conversation::{Conversation, Heard, LeaseEnd, Leased, Outgoing, TakeLease};
use lantern_core::sheet::RigSheet;
use serde::Serialize;

use super::taking::{self, refuse_impossible};
use crate::clock;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::interrupt::Calm;
use crate::machine::computer;
use crate::output::{Out, Tone, findings};
use crate::session::run_frames;

/// Take an address from the DHCP server, beside those already there
///
/// Asks whoever answers first, makes sure by ARP that nobody holds the address, and takes it for as long as it is given; it
/// is not renewed. The server's gateway is taken only when this computer has no way out yet. Undo with: adapters restore
#[derive(Debug, Default, clap::Args)]
pub(super) struct Args {
    /// The adapter, by name; without it, the only cable with link
    #[arg(long, value_name = "NAME")]
    pub(super) adapter: Option<String>,

    /// Instead of the addresses already there, not beside them
    #[arg(long)]
    pub(super) instead: bool,

    /// The rig sheet whose plan to respect; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    pub(super) sheet: Option<PathBuf>,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    adapter: &'a str,
    address: String,
    server: String,
    gateway: Option<String>,
    seconds: u32,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let sheet = SheetFile::named_or_only(args.sheet.as_deref())?;
    let sheet = sheet.as_ref().map(|file| &file.sheet);
    let computer = computer()?;
    let adapter = choose_cable(&computer.adapters, args.adapter.as_deref())?;
    let name = &adapter.name;
    refuse_impossible(name)?;
    let mac = adapter.mac.ok_or_else(|| Failure::Call(format!("{name} has no MAC address to ask with")))?;
    let leased = ask(&computer, adapter, mac, sheet, out)?;
    let has_way_out =
        computer.adapters.iter().any(|one| !(one.gateways.is_empty() || args.instead && one == adapter));
    let gateway = leased.gateway.filter(|_| !has_way_out);
    let wanted = |before: &AdapterState| with_lease(before, &leased, gateway, name, args.instead);
    // From here on an interruption gives back what was taken.
    let _calm = Calm::begin();
    let before = taking::take(name, &[leased.address], wanted)?;
    taking::settle(name, mac, &[leased.address], &before, sheet, out)?;
    tell(&leased, gateway, name, out)?;
    Ok(Exit::Fine)
}

/// Asks for an address, whether anything on the sheet speaks against it, and whether anybody holds it all the same.
fn ask(
    computer: &Computer,
    adapter: &Adapter,
    mac: MacAddress,
    sheet: Option<&RigSheet>,
    out: &mut Out,
) -> Result<Leased, Failure> {
    let name = &adapter.name;
    let transaction = u32::try_from(clock::now().as_nanosecond() & 0xffff_ffff).unwrap_or(1);
    let mut lease = TakeLease::new(mac, transaction);
    {
        let progress = out.progress();
        progress.show(format!("{name}: asking for a DHCP server"));
        run_frames(&mut lease, name)?;
    }
    let none = |why: &str| Err(Failure::NoLease { adapter: name.to_owned(), why: why.to_owned() });
    let leased = match lease.end() {
        Some(LeaseEnd::Given(leased)) => leased,
        Some(LeaseEnd::Refused(address)) => {
            return none(&format!("the server offered {address} and then refused it"));
        }
        Some(LeaseEnd::NoServer) | None => return none("no DHCP server answers on it"),
    };
    let given = WantedOwn { address: leased.address, subnet: Subnet::around(leased.address, leased.mask) };
    let mut against = against_lease(computer, &given, sheet, adapter);
    if against.is_empty() {
        findings::show_on_notes(out, &beside_joining(computer, adapter, &[given]))?;
        let taken = taking::held(name, mac, &[leased.address], out)?;
        against.extend(taken.map(|taken| taken_finding(taken, false, sheet)));
    }
    if against.is_empty() {
        return Ok(leased);
    }
    // Declined, so that the server keeps it from the next one who asks.
    run_frames(&mut Telling(lease.decline(&leased)), name)?;
    Err(Failure::Refused(against))
}

/// A conversation of one frame.
struct Telling(Option<Vec<u8>>);

impl Conversation for Telling {
    type Event = ();

    fn hear(&mut self, _: std::time::Duration, _: &Heard<'_>) {}

    fn next_send(&mut self) -> Option<Outgoing> {
        self.0.take().map(Outgoing::Frame)
    }

    fn wake_at(&self) -> Option<std::time::Duration> {
        self.0.is_some().then_some(std::time::Duration::ZERO)
    }

    fn wake(&mut self, _: std::time::Duration) {}

    fn next_event(&mut self) -> Option<()> {
        None
    }
}

fn with_lease(
    before: &AdapterState,
    leased: &Leased,
    gateway: Option<std::net::Ipv4Addr>,
    label: &str,
    instead: bool,
) -> AdapterState {
    let subnet = Subnet::around(leased.address, leased.mask);
    let fixed = AddressState::fixed(leased.address, leased.mask.prefix(), subnet.broadcast(), label);
    let mut state = if instead { AdapterState::default() } else { before.clone() };
    state.addresses.retain(|one| one.address != leased.address);
    state.addresses.push(AddressState { valid: leased.seconds, preferred: leased.seconds, ..fixed });
    state.routes.extend(gateway.map(RouteState::default_by));
    state
}

fn tell(leased: &Leased, gateway: Option<std::net::Ipv4Addr>, name: &str, out: &mut Out) -> Result<(), Failure> {
    let address = format!("{}/{}", leased.address, leased.mask.prefix());
    if out.is_json() {
        return Ok(out.object(&Answer {
            format: 1,
            adapter: name,
            address,
            server: leased.server.to_string(),
            gateway: gateway.map(|gateway| gateway.to_string()),
            seconds: leased.seconds,
        })?);
    }
    let mark = out.paint().dye(Tone::Good, "leased");
    let way_out = match (gateway, leased.gateway) {
        (Some(gateway), _) => format!(", way out by {gateway}"),
        (None, Some(gateway)) => format!(", its gateway {gateway} left out: this computer has a way out already"),
        (None, None) => String::new(),
    };
    out.line(&format!("{mark}  {name} has {address} from {} for {} s{way_out}", leased.server, leased.seconds))?;
    out.hint("it is not renewed; when you are done: deft-lantern adapters restore")?;
    Ok(())
}
