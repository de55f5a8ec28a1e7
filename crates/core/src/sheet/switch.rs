//! Switches: what they feed, and what hangs on which port.

use super::fields::Fields;
use super::node::WantedAddress;
use super::place::Placed;
use super::quantity::{Rate, Watts};

/// A switch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Switch {
    /// Its name.
    pub name: Placed<String>,
    /// Which of [`super::RigSheet::areas`] it stands in.
    pub area: Option<Placed<usize>>,
    /// Its own address, when it has one.
    pub address: Option<Placed<WantedAddress>>,
    /// How many sockets it has.
    pub sockets: Option<Placed<u32>>,
    /// What it can feed by Power over Ethernet, all sockets together.
    pub power: Option<Placed<Watts>>,
    /// What each link carries, unless its port says otherwise.
    pub link: Option<Placed<Rate>>,
    /// Who hangs on which socket.
    pub ports: Vec<SwitchPort>,
}

/// One used socket of a switch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SwitchPort {
    /// Its number, from 1.
    pub number: Placed<u32>,
    /// Who hangs on it: the place in [`super::RigSheet::member`].
    pub to: Placed<usize>,
    /// What the link carries.
    pub link: Option<Placed<Rate>>,
    /// Whether it feeds what hangs on it; where that is not said, it does.
    pub feeds: Option<Placed<bool>>,
}

/// A switch whose references are names still.
pub(super) struct Unplaced {
    pub(super) switch: Switch,
    pub(super) area: Option<Placed<String>>,
    pub(super) to: Vec<Placed<String>>,
}

pub(super) fn read(fields: &Fields<'_>) -> Option<Unplaced> {
    let name = fields.required("name", fields.text("name"), "\"quay-switch\"");
    let area = fields.text("area");
    let address = fields.parsed("address");
    let sockets = fields.number("sockets", 1..=1024);
    let power = fields.quantity("power");
    let link = fields.quantity("link");
    let ports = fields.tables("port", "this port");
    fields.refuse_unknown_keys();
    let (ports, to) = ports.iter().filter_map(port).unzip();
    Some(Unplaced { switch: Switch { name: name?, area: None, address, sockets, power, link, ports }, area, to })
}

fn port(fields: &Fields<'_>) -> Option<(SwitchPort, Placed<String>)> {
    let number = fields.required("port", fields.number("port", 1..=1024), "1");
    let to = fields.required("to", fields.text("to"), "\"quay-north\"");
    let link = fields.quantity("link");
    let feeds = fields.flag("feeds");
    fields.refuse_unknown_keys();
    let to = to?;
    let unknown = Placed::new(usize::MAX, to.span);
    Some((SwitchPort { number: number?, to: unknown, link, feeds }, to))
}
