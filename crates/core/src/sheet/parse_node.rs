//! From text to a sheet: nodes and their ports.

use super::fields::{Fields, Mistakes};
use super::names::Names;
use super::place::Placed;
use super::{AskedUniverse, SheetNode, SheetPort};
use crate::universe::{DeskBase, Universe, UniverseError};
use crate::{DataLoss, Direction, Merge};

/// Highest port number a sheet may use: 255 pages of four ports.
const LAST_PORT: u32 = 1020;

pub(super) fn node(
    fields: &Fields<'_>,
    areas: &Names<'_>,
    desk: DeskBase,
    mistakes: &Mistakes,
) -> Option<SheetNode> {
    let name = fields.required("name", fields.text("name"), "\"quay-north\"");
    let label = fields.text("label");
    let area = fields.text("area").and_then(|name| areas.find(&name));
    let kind = fields.text("kind");
    let mac = fields.parsed("mac");
    let address = fields.required("address", fields.parsed("address"), "\"10.40.1.100\"");
    let firmware = fields.parsed("firmware");
    let on_data_loss = fields.word("on_data_loss", &DataLoss::WORDS);
    let ports = fields.tables("port", "this port");
    fields.refuse_unknown_keys();
    let ports: Vec<SheetPort> = ports.iter().filter_map(|fields| port(fields, desk, mistakes)).collect();
    refuse_repeated_numbers(&ports, mistakes);
    Some(SheetNode { name: name?, label, area, kind, mac, address: address?, firmware, on_data_loss, ports })
}

fn refuse_repeated_numbers(ports: &[SheetPort], mistakes: &Mistakes) {
    for (i, port) in ports.iter().enumerate() {
        let number = port.number.value;
        if ports[..i].iter().any(|earlier| earlier.number.value == number) {
            let what = format!("port {number} of this node is described twice");
            mistakes.note(port.number.span, what, "each port once", None);
        }
    }
}

fn port(fields: &Fields<'_>, desk: DeskBase, mistakes: &Mistakes) -> Option<SheetPort> {
    let number = fields.required("port", fields.number("port", 1..=LAST_PORT), "1");
    let out = universe(fields, "out", desk).map(|u| (Direction::Out, u));
    let taken = universe(fields, "in", desk).map(|u| (Direction::In, u));
    let merge = fields.word("merge", &Merge::WORDS);
    let sources = fields.number("sources", 1..=64);
    let splits = fields.number("splits", 2..=1024);
    fields.refuse_unknown_keys();
    let used = match (out, taken) {
        (Some(_), Some((_, second))) => {
            mistakes.note(second.span, "this port has both `out` and `in`", "only one of the two", None);
            None
        }
        (Some(used), None) | (None, Some(used)) => Some(used),
        (None, None) => None,
    };
    if !fields.has("in") {
        fields.required("out", used.as_ref(), "\"0:0:0\" (or in = \"0:0:0\")");
    }
    let (direction, universe) = used?;
    Some(SheetPort { number: number?, direction, universe, merge, sources, splits })
}

fn universe(fields: &Fields<'_>, key: &'static str, desk: DeskBase) -> Option<Placed<AskedUniverse>> {
    let text = fields.text_or_number(key)?;
    let asked = match Universe::read(&text.value, desk) {
        Ok(universe) => AskedUniverse::Real(universe),
        Err(UniverseError::OutOfRange(out)) => AskedUniverse::Impossible(out),
        Err(unreadable) => {
            fields.refuse(key, &text.value, text.span, &unreadable);
            return None;
        }
    };
    Some(Placed::new(asked, text.span))
}
