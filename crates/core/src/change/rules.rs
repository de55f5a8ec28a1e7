//! What can speak against a change.

use crate::finding::{Rule, Severity};

pub(crate) static RULES: &[&Rule] = &[
    &TAKEN,
    &OWN,
    &LOCKED,
    &NOT_FROM_HERE,
    &UNABLE,
    &PAGE_SPLIT,
    &UNREACHABLE,
    &NO_MAC,
    &RING,
    &OUT_OF_REACH,
    &SHARED,
    &TOO_LONG,
    &NO_HOST,
    &GATEWAY,
    &PAGES_MISSING,
    &SETTINGS_UNTOLD,
    &IMPOSSIBLE,
    &OUTSIDE,
    &TWINS,
    &EARLIER,
    &NAME_TAKEN,
    &PAGE_UNNAMED,
    &NO_NODE,
    &FACTORY,
    &NO_NEWER,
    &OTHER_KIND,
    &FIRMWARE,
    &NOT_KEPT,
    &BEYOND_END,
    &SLOTS_TAKEN,
];

pub(super) static TAKEN: Rule = Rule {
    code: "C001",
    severity: Severity::Error,
    title: "the wanted address is taken",
    why: "two devices with one address disturb each other, and one of them may be in the show",
};
pub(super) static OWN: Rule = Rule {
    code: "C002",
    severity: Severity::Error,
    title: "the wanted address is this computer's own",
    why: "the node and this computer would disturb each other",
};
pub(super) static LOCKED: Rule = Rule {
    code: "C003",
    severity: Severity::Error,
    title: "the node stands in a locked range",
    why: "the sheet says that nothing there is ever touched",
};
pub(super) static NOT_FROM_HERE: Rule = Rule {
    code: "C004",
    severity: Severity::Warning,
    title: "not set over the network",
    why: "no message of the protocol sets it, so it has to be done otherwise",
};
pub(super) static UNABLE: Rule = Rule {
    code: "C005",
    severity: Severity::Error,
    title: "the node cannot do that",
    why: "its own status says so, and asking all the same would leave it half set",
};
pub(super) static PAGE_SPLIT: Rule = Rule {
    code: "C006",
    severity: Severity::Error,
    title: "ports of one page in different subs",
    why: "the ports of a page share net and sub, so moving one there would move its neighbour too",
};
pub(super) static UNREACHABLE: Rule = Rule {
    code: "C007",
    severity: Severity::Error,
    title: "the node cannot be talked to from here",
    why: "its address lies in another subnet, so it would never get what is sent to it",
};
pub(super) static NO_MAC: Rule = Rule {
    code: "C008",
    severity: Severity::Error,
    title: "the node does not tell its MAC address",
    why: "once its address has changed, it could not be known again for certain",
};
pub(super) static RING: Rule = Rule {
    code: "C009",
    severity: Severity::Error,
    title: "addresses going round in a ring, and nowhere to wait",
    why: "each node waits for the next to leave, so one has to wait at a free address, and there is none",
};
pub(super) static OUT_OF_REACH: Rule = Rule {
    code: "C010",
    severity: Severity::Warning,
    title: "the node leaves this computer's subnet",
    why: "it will be heard afterwards, but neither read back in full nor set again from here",
};
pub(super) static SHARED: Rule = Rule {
    code: "C011",
    severity: Severity::Error,
    title: "the node's present address is held twice",
    why: "what is sent to that address may reach the other device",
};
pub(super) static TOO_LONG: Rule = Rule {
    code: "C012",
    severity: Severity::Error,
    title: "a text longer than the protocol keeps",
    why: "the node would keep only the beginning",
};
pub(super) static NO_HOST: Rule = Rule {
    code: "C013",
    severity: Severity::Error,
    title: "no device's address under that mask",
    why: "the first and the last address of a subnet mean the subnet itself and everybody in it",
};
pub(super) static GATEWAY: Rule = Rule {
    code: "C014",
    severity: Severity::Error,
    title: "a gateway outside the node's subnet",
    why: "the node could never reach it; inside a subnet no gateway is needed",
};
pub(super) static PAGES_MISSING: Rule = Rule {
    code: "C015",
    severity: Severity::Error,
    title: "not every page of the node was heard",
    why: "its ports cannot be counted for certain, and the wrong one could be changed",
};
pub(super) static SETTINGS_UNTOLD: Rule = Rule {
    code: "C016",
    severity: Severity::Error,
    title: "the node does not tell what must go along",
    why: "many units take address, mask and gateway all together, so one that is not known would be overwritten with nothing",
};
pub(super) static IMPOSSIBLE: Rule = Rule {
    code: "C017",
    severity: Severity::Error,
    title: "no address for any device",
    why: "it means something else everywhere, so the node could never be reached again",
};
pub(super) static OUTSIDE: Rule = Rule {
    code: "C018",
    severity: Severity::Error,
    title: "an address outside the plan",
    why: "the sheet says where this node may stand, and a mistyped digit looks just like this",
};
pub(super) static TWINS: Rule = Rule {
    code: "C019",
    severity: Severity::Error,
    title: "two units bear one MAC address",
    why: "what is meant for one may be taken by the other, and no answer says which of them gave it",
};
pub(super) static EARLIER: Rule = Rule {
    code: "C020",
    severity: Severity::Warning,
    title: "an address that somebody had lately",
    why: "who is off now comes back with its old address, and then two have it",
};
pub(super) static NAME_TAKEN: Rule = Rule {
    code: "C021",
    severity: Severity::Warning,
    title: "a name that another node has",
    why: "nobody at the desk can tell them apart",
};
pub(super) static PAGE_UNNAMED: Rule = Rule {
    code: "C022",
    severity: Severity::Error,
    title: "a page that cannot be addressed",
    why: "a message to its index would be taken by another page of the node",
};
pub(super) static NO_NODE: Rule = Rule {
    code: "C023",
    severity: Severity::Error,
    title: "a desk or a program, not a node",
    why: "it controls nodes and has no ports of its own to set",
};
pub(super) static FACTORY: Rule = Rule {
    code: "C024",
    severity: Severity::Warning,
    title: "a node that goes back to its factory settings",
    why: "it leaves its address for one that it chooses itself, and may be out of reach from here then",
};
pub(super) static NO_NEWER: Rule = Rule {
    code: "C025",
    severity: Severity::Error,
    title: "firmware that is no newer",
    why: "an older one may not know what the node has stored, and the same one changes nothing",
};
pub(super) static OTHER_KIND: Rule = Rule {
    code: "C026",
    severity: Severity::Error,
    title: "firmware of another kind",
    why: "a node that takes the firmware of another model may never start again",
};
pub(super) static FIRMWARE: Rule = Rule {
    code: "C027",
    severity: Severity::Warning,
    title: "a node that gets other firmware",
    why: "it is dark while it restarts, and what it had before is not put back by undo",
};
pub(super) static NOT_KEPT: Rule = Rule {
    code: "C028",
    severity: Severity::Note,
    title: "a node that keeps nothing over power",
    why: "its kind says so: after the next power cut it is as it was before",
};
pub(super) static BEYOND_END: Rule = Rule {
    code: "C029",
    severity: Severity::Error,
    title: "slots beyond the end of the universe",
    why: "a universe has 512 slots; a fixture that starts too late is not reached as a whole, and most refuse it",
};
pub(super) static SLOTS_TAKEN: Rule = Rule {
    code: "C030",
    severity: Severity::Warning,
    title: "slots that another fixture takes",
    why: "both do what is meant for one of them; where that is not meant, the desk moves the wrong light",
};
