//! `sheet export`: nodes, ports or fixtures as a table, all as JSON, names and addresses as a hosts file, or who gets which address
//! as the configuration of a DHCP server.

use std::path::PathBuf;

use clap::ValueEnum;
use lantern_core::exchange::{Delimiter, Subject, export, export_upkeep, to_hosts, to_json};
use lantern_core::lease::{ServerFile, to_dnsmasq, to_kea};

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::{self, SheetFile};
use crate::output::Out;

/// Write nodes, ports or fixtures as a table, the whole sheet as JSON, a hosts file, or a DHCP server's configuration
///
/// With the lines of `hosts` in the hosts file of a system (/etc/hosts), every program there can call the devices by name.
/// What a spreadsheet would execute as a formula gets an apostrophe in front, which sheet import takes away again.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// What is written
    #[arg(value_name = "WHAT")]
    what: What,

    /// The rig sheet; without it, the only *.rig.toml in this folder
    #[arg(value_name = "FILE.rig.toml")]
    sheet: Option<PathBuf>,

    /// The file to write; without it, the output
    #[arg(long, value_name = "FILE")]
    to: Option<PathBuf>,

    /// With fixtures: one row for each, with what it told in this census of its hours, lamp, software and state; take one with
    /// survey --fixtures=upkeep --save FILE
    #[arg(long, value_name = "FILE.census.json")]
    facts: Option<PathBuf>,

    /// With dhcp: the server that is to give the addresses
    #[arg(long = "for", value_name = "SERVER", required_if_eq("what", "dhcp"))]
    server: Option<Server>,

    /// What stands between two cells
    #[arg(long, value_name = "SIGN", default_value = "comma")]
    between: Between,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum What {
    Nodes,
    Ports,
    Fixtures,
    Json,
    Hosts,
    Dhcp,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Server {
    Dnsmasq,
    Kea,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Between {
    Comma,
    Semicolon,
    Tab,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::one(args.sheet.as_deref())?;
    let delimiter = match args.between {
        Between::Comma => Delimiter::Comma,
        Between::Semicolon => Delimiter::Semicolon,
        Between::Tab => Delimiter::Tab,
    };
    if args.facts.is_some() && args.what != What::Fixtures {
        return Err(Failure::Call("--facts is what fixtures told: sheet export fixtures --facts FILE".to_owned()));
    }
    if args.server.is_some() && args.what != What::Dhcp {
        return Err(Failure::Call("--for is about a DHCP server: sheet export dhcp --for SERVER".to_owned()));
    }
    let told = args.facts.as_deref().map(files::read_census).transpose()?;
    let table = |subject| export(&file.sheet, subject, delimiter);
    let text = match args.what {
        What::Nodes => table(Subject::Nodes),
        What::Ports => table(Subject::Ports),
        What::Fixtures => match &told {
            Some(saved) => export_upkeep(&file.sheet, &saved.census, delimiter),
            None => table(Subject::Fixtures),
        },
        What::Hosts => to_hosts(&file.sheet),
        What::Dhcp => configuration(args.server, &file, out)?,
        What::Json => {
            let json = to_json(file.sheet.text()).map_err(|error| Failure::Call(error.to_string()))?;
            format!("{json:#}\n")
        }
    };
    match &args.to {
        Some(path) => {
            files::write_over(path, &text)?;
            out.note(&format!("wrote {}", path.display()))?;
        }
        None => out.text(&text)?,
    }
    Ok(Exit::Fine)
}

/// What a server is to give, if the sheet does not contradict itself.
fn configuration(server: Option<Server>, file: &SheetFile, out: &mut Out) -> Result<String, Failure> {
    // Addresses, names and identities: what is sent to whom is no matter here.
    file.refuse_clashes_of("AN")?;
    let ServerFile { text, left_out } = match server {
        Some(Server::Kea) => to_kea(&file.sheet),
        Some(Server::Dnsmasq) | None => to_dnsmasq(&file.sheet),
    };
    if !left_out.is_empty() {
        let names = left_out.join(", ");
        out.note(&format!("left out, since the sheet does not say their MAC addresses: {names}"))?;
    }
    Ok(text)
}
