//! `open`: a device's own page.

use std::env;
use std::process::{Command, Stdio};

use lantern_core::census::{Device, Service};
use lantern_core::compare::planned_as;
use lantern_core::sheet::RigSheet;

use super::named;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;
use crate::session::{Look, Session, Where};

/// Open a device's own web page
///
/// Prints its address, and opens it in a browser where there is one.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The device: its name, address or MAC address
    #[arg(value_name = "NODE")]
    node: String,

    /// Only print the address
    #[arg(long)]
    print: bool,

    #[command(flatten)]
    at: Where,
}

#[derive(Debug, serde::Serialize)]
struct Answer {
    format: u32,
    page: String,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let session = Session::open(&args.at, out)?;
    let look = named::look(&session, std::slice::from_ref(&args.node), out)?;
    let device = named::device(&args.node, &look, session.sheet())?;
    let of_kind = session.sheet().and_then(|sheet| path_of_kind(sheet, device));
    let Some(page) = page_of(device, &look, of_kind.as_deref()) else {
        return Err(Failure::Call(format!("{} has no address yet, so it has no page", device.title())));
    };
    if out.is_json() {
        out.object(&Answer { format: 1, page })?;
        return Ok(Exit::Fine);
    }
    out.line(&page)?;
    if !device.standing.is_fine() {
        out.note(&format!("it may not open: {}", device.standing.because()))?;
    }
    if !args.print && has_desktop() {
        match browser(&page).map(|mut browser| quiet(&mut browser).spawn()) {
            Some(Ok(_)) => {}
            Some(Err(error)) => out.note(&format!("no browser could be started ({error}); open it by hand"))?,
            None => out.note("open it by hand")?,
        }
    }
    Ok(Exit::Fine)
}

/// Where the page of its kind is, for a device that the sheet knows.
fn path_of_kind(sheet: &RigSheet, device: &Device) -> Option<String> {
    sheet.kind_of(planned_as(sheet, device)?)?.hints.page.clone()
}

/// Where its page is: at the port that it tells of by DNS-SD, else at the usual one.
fn page_of(device: &Device, look: &Look, path: Option<&str>) -> Option<String> {
    let address = device.address?;
    let is_page = |service: &&Service| {
        service.kind.raw().starts_with("_http._tcp") && device.addresses.contains(&service.address)
    };
    let services = look.census.services();
    let port = services.iter().find(is_page).map_or(0, |service| service.port);
    let path = path.unwrap_or("/");
    Some(if matches!(port, 0 | 80) {
        format!("http://{address}{path}")
    } else {
        format!("http://{address}:{port}{path}")
    })
}

/// Whether there is a screen that a browser could open on.
fn has_desktop() -> bool {
    !cfg!(all(unix, not(target_os = "macos")))
        || ["DISPLAY", "WAYLAND_DISPLAY"]
            .iter()
            .any(|name| env::var_os(name).is_some_and(|value| !value.is_empty()))
}

/// What opens a page here. What a device says of itself is no part of it: an address and a number.
fn browser(page: &str) -> Option<Command> {
    let mut command = if cfg!(target_os = "macos") {
        Command::new("open")
    } else if cfg!(windows) {
        let mut command = Command::new("cmd");
        command.args(["/C", "start", ""]);
        command
    } else if cfg!(unix) {
        Command::new("xdg-open")
    } else {
        return None;
    };
    command.arg(page);
    Some(command)
}

fn quiet(command: &mut Command) -> &mut Command {
    command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null())
}
