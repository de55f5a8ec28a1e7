//! What a step is told as.

use std::collections::BTreeMap;
use std::net::SocketAddrV4;

use lantern_wire::nmos::{Id, LegOrder, Order, Routed, map_order};

use crate::census::PatchSort;
use crate::facts::{Difference, Facts, Field, Value};

/// One request that makes a step come true.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Told {
    pub(super) method: &'static str,
    /// Behind where the point is told things.
    pub(super) rest: &'static str,
    pub(super) body: Vec<u8>,
}

/// Everything that is open of a step, in one request; `None` where there is no word for it.
pub(super) fn of(
    sort: PatchSort,
    identity: &str,
    facts: &Facts,
    open: &[Difference],
    file: Option<&str>,
) -> Option<Told> {
    if sort == PatchSort::Output {
        let output: Id = identity.rsplit('/').next()?.parse().ok()?;
        let channels: BTreeMap<u32, Option<Routed>> = open.iter().filter_map(of_channel).collect();
        let body = map_order(&output, &channels);
        return (!channels.is_empty()).then_some(Told { method: "POST", rest: "map/activations", body });
    }
    // As many legs as it has; one that is told nothing stays as it is.
    let count = 1 + usize::from(facts.get(Field::SecondGroup).is_some());
    let mut order = Order {
        receives: sort == PatchSort::Receiver,
        legs: vec![LegOrder::default(); count],
        ..Order::default()
    };
    for difference in open {
        match (difference.field, &difference.planned) {
            (Field::Enabled, Value::Flag(on)) => order.enabled = Some(*on),
            (Field::Sender, Value::Patched(sender)) => {
                order.sender = Some(Some(sender.id.raw().parse().ok()?));
                order.file = file.map(str::to_owned);
            }
            (Field::Sender, Value::Nothing) => order.sender = Some(None),
            (Field::Group, to) => order.legs[0] = of_leg(to)?,
            (Field::SecondGroup, to) => *order.legs.get_mut(1)? = of_leg(to)?,
            _ => return None,
        }
    }
    Some(Told { method: "PATCH", rest: "staged", body: order.to_json() })
}

/// A leg that goes nowhere is not used.
fn of_leg(to: &Value) -> Option<LegOrder> {
    match to {
        Value::Group(to) => {
            let to: SocketAddrV4 = *to;
            Some(LegOrder { to: Some(Some((*to.ip(), to.port()))), enabled: Some(true) })
        }
        Value::Nothing => Some(LegOrder { to: Some(None), enabled: None }),
        _ => None,
    }
}

fn of_channel(difference: &Difference) -> Option<(u32, Option<Routed>)> {
    let Field::Channel(number) = difference.field else { return None };
    let from = match &difference.planned {
        Value::Patched(from) => Some(Routed { input: from.id.raw().parse().ok()?, channel: from.channel? }),
        Value::Nothing => None,
        _ => return None,
    };
    Some((number.checked_sub(1)?, from))
}
