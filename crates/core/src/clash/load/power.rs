//! What switches feed.

use super::cabling::Chains;
use super::{NEARLY_ALL_POWER, TOO_MUCH_POWER, percent};
use crate::finding::Finding;
use crate::sheet::{Member, RigSheet, Switch, Watts};

/// What a switch feeds by Power over Ethernet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SwitchLoad {
    /// The switch's name.
    pub name: String,
    /// What it can feed, where the sheet says.
    pub budget: Option<Watts>,
    /// What is drawn from it.
    pub drawn: Watts,
    /// Devices whose power nobody knows: they count as nothing.
    pub unknown: Vec<String>,
    /// How many sockets are used, and how many there are.
    pub sockets: (usize, Option<u32>),
}

impl SwitchLoad {
    /// How much of its budget is drawn, in percent, where the sheet gives one.
    #[must_use]
    pub fn percent(&self) -> Option<u32> {
        Some(percent(self.drawn.milliwatts(), self.budget?.milliwatts()))
    }
}

pub(super) fn of_switch(sheet: &RigSheet, switch: &Switch, chains: &Chains) -> SwitchLoad {
    let feeding = switch.ports.iter().filter(|port| port.feeds.as_ref().is_none_or(|feeds| feeds.value));
    let mut drawn = Vec::new();
    let mut unknown = Vec::new();
    for member in feeding.flat_map(|port| chains.from(port.to.value)) {
        let Some(Member::Node(node)) = sheet.member(member) else { continue };
        let power = node.power.as_ref().map(|power| power.value);
        match power.or_else(|| sheet.kind_of(node).and_then(|kind| kind.power)) {
            Some(power) => drawn.push(power),
            None => unknown.push(node.name.value.clone()),
        }
    }
    SwitchLoad {
        name: switch.name.value.clone(),
        budget: switch.power.as_ref().map(|power| power.value),
        drawn: drawn.into_iter().sum(),
        unknown,
        sockets: (switch.ports.len(), switch.sockets.as_ref().map(|sockets| sockets.value)),
    }
}

pub(super) fn clash(sheet: &RigSheet, switch: &Switch, load: &SwitchLoad) -> Option<Finding> {
    let (budget, used) = (switch.power.as_ref()?, load.percent()?);
    let what = format!("{} feeds {} of {} ({used} %)", load.name, load.drawn, budget.value);
    let finding = if load.drawn > budget.value {
        TOO_MUCH_POWER
            .finding(what, "move a device to another switch, or feed it by a supply of its own (feeds = false)")
    } else if used >= sheet.thresholds.power {
        NEARLY_ALL_POWER.finding(what, format!("keep below {} %, or raise the threshold", sheet.thresholds.power))
    } else {
        return None;
    };
    Some(finding.at(sheet, budget.span, "its budget"))
}
