//! Passwords that are still those of the factory: only those that a kind on the sheet states are tried, and only when told.

use crate::census::{Census, Unit, Way};
use crate::facts::{Field, Value};
use crate::finding::{Finding, Rule, Severity};
use crate::secret::Secrets;
use crate::sheet::kind::FactoryLogin;
use crate::sheet::{RigSheet, SheetNode};
use crate::{Access, typed};

pub(super) static RULES: &[&Rule] = &[&LEFT_OVER];

static LEFT_OVER: Rule = Rule {
    code: "W022",
    severity: Severity::Warning,
    title: "a device that still takes the password of its factory",
    why: "whoever has its manual can change it, by accident or not",
};

/// The nodes of a sheet whose kinds state such a password, each with it.
fn stated<'a>(sheet: &'a RigSheet) -> impl Iterator<Item = (&'a SheetNode, &'a FactoryLogin)> {
    let logins = |node: &'a SheetNode| sheet.kind_of(node).map_or(&[][..], |kind| &kind.factory_logins);
    sheet.nodes.iter().flat_map(move |node| logins(node).iter().map(move |login| (node, login)))
}

/// What is tried, and nothing else: of the nodes that are meant, at whoever has their MAC addresses or stands at their addresses.
#[must_use]
pub fn factory_secrets(sheet: &RigSheet, is_meant: impl Fn(&SheetNode) -> bool) -> Secrets {
    let mut secrets = Secrets::default();
    for (node, factory) in stated(sheet).filter(|(node, _)| is_meant(node)) {
        node.owners().for_each(|owner| secrets.keep(factory.way, owner, factory.login.clone()));
    }
    secrets
}

/// Who lets itself be read with that: `bare` was looked at without any password, `tried` with those of the factory.
#[must_use]
pub fn factory_passwords(sheet: &RigSheet, bare: &Census, tried: &Census) -> Vec<Finding> {
    let (bare, tried) = (bare.units(), tried.units());
    let left_over = stated(sheet).filter_map(|(node, factory)| {
        let opened = tried.iter().find(|unit| is_of(unit, node, factory.way) && is_open(unit))?;
        // An agent hears nothing but the community that it is called by; others may let everybody in.
        let is_open_anyway = bare.iter().any(|unit| is_of(unit, node, factory.way) && is_open(unit));
        (factory.way == Way::Snmp || !is_open_anyway).then(|| {
            let (name, way) = (&node.name.value, factory.way);
            let user = &factory.login.user;
            let user = if user.is_empty() { String::new() } else { format!(" as {}", typed(user)) };
            LEFT_OVER.finding(
                format!(
                    "{name} at {} lets itself be opened by {way}{user} with the password of its factory",
                    opened.address
                ),
                format!(
                    "give it one of your own, then: deft-lantern access set {} --way {}",
                    typed(name),
                    way.name()
                ),
            )
        })
    });
    left_over.collect()
}

fn is_of(unit: &Unit, node: &SheetNode, way: Way) -> bool {
    let is_it = match (&node.mac, unit.mac) {
        (Some(planned), Some(mac)) => planned.value == mac,
        _ => node.fixed_address() == Some(unit.address),
    };
    unit.family == way && is_it
}

fn is_open(unit: &Unit) -> bool {
    unit.facts.get(Field::Access) == Some(&Value::Access(Access::Open))
}
