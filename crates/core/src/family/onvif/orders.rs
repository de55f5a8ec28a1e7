//! The orders that make a step come true, one after the other.

use std::collections::VecDeque;
use std::time::Duration;

use lantern_wire::onvif::{Order, Scope, Topic, WantedInterface, needs_restart};

use super::caller::Reply;
use super::reading::Reading;
use crate::Said;
use crate::address::Mask;
use crate::conversation::{LinkEnd, LinkId, Outgoing, Response};
use crate::facts::{Difference, Facts, Field, Value};

/// How often an order is put that was not answered. One that moves the device is put once: it may be gone for that.
const ASKS: u32 = 3;

/// How the orders ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum End {
    /// All were taken.
    Taken {
        /// Whether it starts anew with them.
        restarts: bool,
    },
    /// One was not taken, and why.
    Refused(Said),
    /// One was not answered.
    Unanswered,
}

/// Orders under way.
#[derive(Debug)]
pub(super) struct Orders {
    open: VecDeque<Order>,
    asks: u32,
    restarts: bool,
    pub(super) end: Option<End>,
}

impl Orders {
    /// The orders for what is open of a step, to a device that was read before; what it has not told this time it had when it was
    /// `found`.
    pub(super) fn of(reading: &Reading, found: &Facts, open: &[Difference]) -> Self {
        let mut orders = VecDeque::new();
        let scopes: Vec<(Topic, &Value)> = open.iter().filter_map(of_scopes).collect();
        if !scopes.is_empty() {
            orders.push_back(Order::SetScopes(scopes_with(&reading.scopes, &scopes)));
        }
        for difference in open {
            match (difference.field, &difference.planned) {
                (Field::HostName, Value::Text(name)) => {
                    orders.push_back(Order::SetHostName(name.raw().to_owned()));
                }
                (Field::Gateway, Value::Address(gateway)) => {
                    orders.push_back(Order::SetGateway(Some(*gateway).filter(|to| !to.is_unspecified())));
                }
                _ => {}
            }
        }
        orders.extend(interface(reading, found, open).map(Order::SetInterface));
        Self { open: orders, asks: 0, restarts: false, end: None }
    }

    /// Puts what is to be put.
    pub(super) fn work(&mut self, now: Duration, reading: &mut Reading, out: &mut Vec<Outgoing>) {
        if let Some((order, reply)) = reading.caller.late(now) {
            self.take(&order, reply);
        }
        if reading.caller.until().is_some() || self.end.is_some() {
            return;
        }
        match self.open.front() {
            Some(next) => {
                self.asks += 1;
                reading.caller.ask(now, next.clone(), out);
            }
            None => self.end = Some(End::Taken { restarts: self.restarts }),
        }
    }

    /// Takes in a page, and goes on.
    pub(super) fn hear(
        &mut self,
        now: Duration,
        (link, page): (LinkId, Result<&Response, LinkEnd>),
        reading: &mut Reading,
        out: &mut Vec<Outgoing>,
    ) {
        if let Some((order, reply)) = reading.caller.hear(now, link, page, out) {
            self.take(&order, reply);
        }
        self.work(now, reading, out);
    }

    fn take(&mut self, order: &Order, reply: Reply) {
        let moves = matches!(order, Order::SetInterface(_) | Order::Restart);
        // Once it stands where it should, it may take a gateway that makes no sense where it stands now.
        let is_tried = matches!(order, Order::SetGateway(_)) && self.open.len() > 1;
        let refused = match reply {
            Reply::Answer(answer) => {
                if moves {
                    self.restarts |= *order == Order::Restart;
                    if needs_restart(&answer) {
                        self.open.push_back(Order::Restart);
                    }
                }
                None
            }
            Reply::Gone(_) if moves => None,
            Reply::Gone(_) if self.asks < ASKS => return,
            Reply::Gone(_) => {
                self.end = Some(End::Unanswered);
                return;
            }
            Reply::Fault(fault) => Some(fault.to_string()),
            Reply::Locked => Some("it wants a password".to_owned()),
            Reply::Refused => Some("it does not let this user set it".to_owned()),
            Reply::Foreign(status) => Some(format!("it answers with {status}, and nothing of ONVIF")),
        };
        if let Some(why) = refused.filter(|_| !is_tried) {
            self.end = Some(End::Refused(Said::from(why.as_str())));
            return;
        }
        self.asks = 0;
        self.open.pop_front();
    }
}

const fn of_scopes(difference: &Difference) -> Option<(Topic, &Value)> {
    match difference.field {
        Field::Name => Some((Topic::Name, &difference.planned)),
        Field::Location => Some((Topic::Location, &difference.planned)),
        _ => None,
    }
}

/// Those that can be changed, with these in the place of what they said before: whoever is told some forgets all others.
fn scopes_with(told: &[Scope], wanted: &[(Topic, &Value)]) -> Vec<String> {
    let is_replaced = |scope: &&Scope| wanted.iter().any(|(topic, _)| scope.says(*topic).is_some());
    let kept =
        told.iter().filter(|scope| scope.configurable && !is_replaced(scope)).map(|scope| scope.text.clone());
    let new = wanted.iter().filter_map(|(topic, value)| match value {
        Value::Text(text) if !text.is_empty() => Some(Scope::about(*topic, text.raw()).text),
        _ => None,
    });
    kept.chain(new).collect()
}

/// What its interface is to be like, where that is to become different.
fn interface(reading: &Reading, found: &Facts, open: &[Difference]) -> Option<WantedInterface> {
    let wanted = |field: Field| open.iter().find(|difference| difference.field == field).map(|one| &one.planned);
    let is_open =
        [Field::Address, Field::Addressing, Field::Mask].into_iter().any(|field| wanted(field).is_some());
    let own = reading.interface().filter(|_| is_open)?;
    let told = |field| wanted(field).or_else(|| reading.facts.get(field)).or_else(|| found.get(field));
    let address = match wanted(Field::Address) {
        Some(Value::Address(address)) => *address,
        _ => reading.address(),
    };
    let fixed = match told(Field::Addressing) {
        Some(Value::Flag(true)) if wanted(Field::Address).is_none() => None,
        _ => Some((address, prefix(told(Field::Mask))?)),
    };
    Some(WantedInterface { token: own.token.clone(), fixed })
}

fn prefix(mask: Option<&Value>) -> Option<u8> {
    let Some(Value::Address(mask)) = mask else { return None };
    Mask::try_from(*mask).ok().map(Mask::prefix)
}
