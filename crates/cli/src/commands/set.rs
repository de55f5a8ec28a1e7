//! `set`: one node, with the same care.

use std::net::Ipv4Addr;

use lantern_core::address::Mask;
use lantern_core::change::{Protection, plan_one};
use lantern_core::compare::{Addressing, Wanted, WantedPort};
use lantern_core::universe::{DeskBase, Universe};

use super::changes::{HowToWrite, carry_out};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::Out;
use crate::session::{Session, Where};

/// Set the address, name or universes of one node
///
/// With the same care as apply: shown first, checked against everybody who answers, read back, written down.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The node: its name, address or MAC address
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

    /// Its new name, at most 17 bytes
    #[arg(long, value_name = "TEXT")]
    name: Option<String>,

    /// Its new label, at most 63 bytes
    #[arg(long, value_name = "TEXT")]
    label: Option<String>,

    /// The port that the next --universe is for, from 1
    #[arg(long, value_name = "NUMBER", requires = "universe")]
    port: Vec<u32>,

    /// The new universe of the port, in any notation
    #[arg(long, value_name = "UNIVERSE", requires = "port")]
    universe: Vec<String>,

    #[command(flatten)]
    at: Where,

    #[command(flatten)]
    how: HowToWrite,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let ports = args.ports_as_typed()?;
    let session = Session::open(&args.at, out)?;
    let desk = session.sheet().map_or(DeskBase::default(), |sheet| sheet.desk);
    let wanted = args.wanted(&ports, desk)?;
    // Whoever else is there must be known before an address is given.
    let census = session.survey(true, out)?;
    let node = census.designated(&args.node)?;
    let protection = Protection { census: &census, sheet: session.sheet(), seats: session.seats() };
    let plan = plan_one(node, &wanted, &protection);
    carry_out(&session, &plan, args.how, out)
}

impl Args {
    fn ports_as_typed(&self) -> Result<Vec<(u32, &str)>, Failure> {
        if self.port.len() != self.universe.len() {
            let (ports, universes) = (self.port.len(), self.universe.len());
            return Err(Failure::Call(format!(
                "{ports} times --port but {universes} times --universe: give them in pairs, --port 2 --universe 0:0:5"
            )));
        }
        if self.is_empty() {
            return Err(Failure::Call(
                "nothing to set: give at least one of --address, --mask, --gateway, --dhcp, --name, --label, \
                 --port with --universe"
                    .to_owned(),
            ));
        }
        Ok(self.port.iter().copied().zip(self.universe.iter().map(String::as_str)).collect())
    }

    const fn is_empty(&self) -> bool {
        self.address.is_none()
            && self.mask.is_none()
            && self.gateway.is_none()
            && !self.dhcp
            && self.name.is_none()
            && self.label.is_none()
            && self.port.is_empty()
    }

    fn wanted(&self, ports: &[(u32, &str)], desk: DeskBase) -> Result<Wanted, Failure> {
        let port = |(number, text): &(u32, &str)| match Universe::read(text, desk) {
            Ok(universe) => {
                Ok(WantedPort { number: *number, direction: None, universe: Some(universe), merge: None })
            }
            Err(error) => Err(Failure::Universe { text: (*text).to_owned(), error }),
        };
        let addressing = if self.dhcp { Some(Addressing::Dhcp) } else { self.address.map(Addressing::Fixed) };
        Ok(Wanted {
            name: self.name.clone(),
            label: self.label.clone(),
            addressing,
            mask: self.mask,
            gateway: self.gateway,
            ports: ports.iter().map(port).collect::<Result<_, _>>()?,
            ..Wanted::default()
        })
    }
}
