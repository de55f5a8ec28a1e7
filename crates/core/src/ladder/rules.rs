//! The rules of the ladder.

use crate::finding::{Rule, Severity};

pub(crate) static RULES: &[&Rule] = &[
    &NO_LINK,
    &NO_ADDRESS,
    &OTHER_SUBNET,
    &ITS_MASK,
    &OTHER_WAY,
    &NOBODY,
    &ELSEWHERE,
    &SOMEBODY_ELSE,
    &HELD_TWICE,
    &OURS,
    &ONLY_ARP,
    &LOSSY,
    &OTHER_PROTOCOL_ONLY,
    &PORT_TAKEN,
    &NO_PAGE,
    &SET_OTHERWISE,
    &BY_OTHER_PROTOCOL,
    &ONE_BESIDE,
    &NOBODY_SENDS,
    &DOES_NOT_ARRIVE,
    &MERGED,
];

pub(super) static NO_LINK: Rule = Rule {
    code: "D001",
    severity: Severity::Error,
    title: "this computer's adapter has no link",
    why: "nothing can be sent or heard through it",
};
pub(super) static NO_ADDRESS: Rule = Rule {
    code: "D002",
    severity: Severity::Error,
    title: "this computer has no address of the rig",
    why: "without one it can neither ask nor be answered",
};
pub(super) static OTHER_SUBNET: Rule = Rule {
    code: "D003",
    severity: Severity::Error,
    title: "its address lies in no subnet of this computer",
    why: "nothing that is sent there leaves by this adapter, and no answer comes back",
};
pub(super) static ITS_MASK: Rule = Rule {
    code: "D004",
    severity: Severity::Error,
    title: "it does not take this computer for a neighbour",
    why: "under its own mask this computer lies elsewhere, so its answers go to a gateway or nowhere",
};
pub(super) static OTHER_WAY: Rule = Rule {
    code: "D005",
    severity: Severity::Error,
    title: "another adapter lies in the same subnet",
    why: "the system may send what is meant for the rig out of the other one",
};
pub(super) static NOBODY: Rule = Rule {
    code: "D006",
    severity: Severity::Error,
    title: "nobody has the address",
    why: "the device is off, not connected to this network, or has another address that is not heard",
};
pub(super) static ELSEWHERE: Rule = Rule {
    code: "D007",
    severity: Severity::Error,
    title: "it has another address",
    why: "whoever asks at the planned one finds nobody, or somebody else",
};
pub(super) static SOMEBODY_ELSE: Rule = Rule {
    code: "D008",
    severity: Severity::Error,
    title: "somebody else has its address",
    why: "what is sent to it reaches the other device",
};
pub(super) static HELD_TWICE: Rule = Rule {
    code: "D009",
    severity: Severity::Error,
    title: "two devices have the address",
    why: "which of them answers changes from minute to minute",
};
pub(super) static OURS: Rule = Rule {
    code: "D010",
    severity: Severity::Error,
    title: "somebody has this computer's own address",
    why: "answers to this computer reach the other device",
};
pub(super) static ONLY_ARP: Rule = Rule {
    code: "D011",
    severity: Severity::Error,
    title: "it has the address and answers nothing",
    why: "it is starting, or hangs, or a filter in it drops everything",
};
pub(super) static LOSSY: Rule = Rule {
    code: "D012",
    severity: Severity::Warning,
    title: "answers get lost on the way",
    why: "what gets lost now and then is silent now and then",
};
pub(super) static OTHER_PROTOCOL_ONLY: Rule = Rule {
    code: "D013",
    severity: Severity::Error,
    title: "it is there and does not speak what it should",
    why: "its protocol or its discovery is switched off, or it is another model",
};
pub(super) static PORT_TAKEN: Rule = Rule {
    code: "D014",
    severity: Severity::Error,
    title: "another program here takes the answers",
    why: "what is sent to the port reaches one program, and it is not this one",
};
pub(super) static NO_PAGE: Rule = Rule {
    code: "D015",
    severity: Severity::Error,
    title: "its web page does not answer",
    why: "its web server hangs or is switched off, while the rest of it works",
};
pub(super) static SET_OTHERWISE: Rule = Rule {
    code: "D016",
    severity: Severity::Error,
    title: "it is set otherwise than planned",
    why: "it waits for other universes than those that are meant for it",
};
pub(super) static BY_OTHER_PROTOCOL: Rule = Rule {
    code: "D017",
    severity: Severity::Error,
    title: "its universe is sent by the other protocol",
    why: "the port waits for data that is sent in a way it does not listen to",
};
pub(super) static ONE_BESIDE: Rule = Rule {
    code: "D018",
    severity: Severity::Error,
    title: "the universe beside its own is sent",
    why: "Art-Net counts from 0, sACN and most desks from 1",
};
pub(super) static NOBODY_SENDS: Rule = Rule {
    code: "D019",
    severity: Severity::Warning,
    title: "nobody sends its universe",
    why: "whatever hangs on the port gets no data",
};
pub(super) static DOES_NOT_ARRIVE: Rule = Rule {
    code: "D020",
    severity: Severity::Error,
    title: "its universe is sent and does not arrive",
    why: "the source sends it to other nodes only, or the network keeps it from this one",
};
pub(super) static MERGED: Rule = Rule {
    code: "D021",
    severity: Severity::Warning,
    title: "two sources are merged at its port",
    why: "neither of them is in control of what comes out",
};
