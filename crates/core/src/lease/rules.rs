//! What can be said about handing out addresses.

use crate::finding::{Rule, Severity};

pub(crate) static RULES: &[&Rule] =
    &[&RIVAL, &HELD, &OWN, &ELSEWHERE, &NO_MAC, &POOL_TAKEN, &NOT_ASKED, &SHORT, &DECLINED, &SERVER_HERE];

pub(super) static RIVAL: Rule = Rule {
    code: "G001",
    severity: Severity::Error,
    title: "another DHCP server answers",
    why: "with two servers every unit takes whichever answers first, and nobody knows which address it will have",
};
pub(super) static HELD: Rule = Rule {
    code: "G002",
    severity: Severity::Error,
    title: "the planned address is held by another device",
    why: "given away all the same, two devices would disturb each other, and one of them may be in the show",
};
pub(super) static OWN: Rule = Rule {
    code: "G003",
    severity: Severity::Error,
    title: "the planned address is this computer's own",
    why: "the unit and this computer would disturb each other",
};
pub(super) static ELSEWHERE: Rule = Rule {
    code: "G004",
    severity: Severity::Warning,
    title: "planned in a network that this computer is not in",
    why: "a unit that got such an address could not ask to keep it, and could not be checked from here",
};
pub(super) static NO_MAC: Rule = Rule {
    code: "G005",
    severity: Severity::Note,
    title: "the sheet does not say which device it is",
    why: "whoever asks for an address is known by its MAC address only",
};
pub(super) static POOL_TAKEN: Rule = Rule {
    code: "G006",
    severity: Severity::Error,
    title: "nothing of the pool can be given",
    why: "its addresses are planned for devices, lie outside every network of the sheet, or are this computer's own",
};
pub(super) static NOT_ASKED: Rule = Rule {
    code: "G007",
    severity: Severity::Warning,
    title: "did not ask for an address",
    why: "it is off, has a fixed address, hangs elsewhere, or asks only once in a while",
};
pub(super) static SHORT: Rule = Rule {
    code: "G008",
    severity: Severity::Warning,
    title: "was not told to keep its address",
    why: "it has it for a minute only, and then goes to a link-local address or asks whoever else gives some",
};
pub(super) static DECLINED: Rule = Rule {
    code: "G009",
    severity: Severity::Error,
    title: "the unit found its address held by another",
    why: "it asked the wire itself before it took it, and somebody answered whom this computer did not hear",
};
pub(super) static SERVER_HERE: Rule = Rule {
    code: "G010",
    severity: Severity::Error,
    title: "this computer runs another DHCP server",
    why: "both would answer every unit, and the other one would get what is meant for us",
};
