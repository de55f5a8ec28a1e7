//! How a device stands with this computer: whether it can be talked to, and why not.

use std::fmt;
use std::net::Ipv4Addr;

use serde::{Deserialize, Serialize};

use super::{SeenBy, Viewpoint, Way};

/// How a device stands with this computer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Standing {
    /// It answers this computer.
    Answers,
    /// It is heard, but its address lies in another subnet.
    OtherSubnet,
    /// It is heard, but has no address.
    NoAddress,
    /// It answers only everybody at once, and is silent to echo: its mask or gateway may be wrong.
    OneWay,
    /// It answers nothing but ARP.
    OnlyArp,
    /// It is heard, but silent to echo.
    SilentToEcho,
    /// It is heard, and could not be asked more.
    NotAsked,
    /// It was seen earlier, and is silent now.
    Missing,
}

impl Standing {
    pub(super) fn of(
        address: Option<Ipv4Addr>,
        is_node: bool,
        to_us: bool,
        seen_by: &[SeenBy],
        from: &Viewpoint,
    ) -> Self {
        let by = |way: Way| seen_by.iter().any(|seen| seen.way == way);
        let Some(address) = address else {
            // Through its broker it answers from wherever it is.
            return if by(Way::Rdmnet) { Self::Answers } else { Self::NoAddress };
        };
        let is_far = !from.subnets.is_empty() && !from.subnets.iter().any(|subnet| subnet.contains(address));
        // An answer to us alone shows a way from there to here; a way back there is only through a router.
        if by(Way::Echo) || (to_us && (!is_far || !from.gateways.is_empty())) {
            return Self::Answers;
        }
        if is_far {
            return Self::OtherSubnet;
        }
        match (is_node, from.echo_asked) {
            (true, true) => Self::OneWay,
            // It answered our question, and nothing speaks against its hearing us.
            (_, false) if from.asked && (is_node || by(Way::DnsSd)) => Self::Answers,
            (false, true) if seen_by.iter().all(|seen| matches!(seen.way, Way::Arp | Way::Neighbours)) => {
                Self::OnlyArp
            }
            (false, true) => Self::SilentToEcho,
            (_, false) => Self::NotAsked,
        }
    }

    /// Whether it can be talked to.
    #[must_use]
    pub const fn is_fine(self) -> bool {
        matches!(self, Self::Answers)
    }

    /// Why it cannot be talked to, in a sentence; empty when it can.
    #[must_use]
    pub const fn because(self) -> &'static str {
        match self {
            Self::Answers => "",
            Self::OtherSubnet => "its address lies in another subnet than this computer",
            Self::NoAddress => "it has no address yet",
            Self::OneWay => "it answers only everybody at once, and no echo: its mask or gateway may be wrong",
            Self::OnlyArp => {
                "it answers ARP, but no echo and no protocol of the trade: a firewall, or it is starting"
            }
            Self::SilentToEcho => "it is heard, but answers no echo: a firewall, or its mask is wrong",
            Self::NotAsked => "it was heard, or this computer's system knew it; it could not be asked more",
            Self::Missing => "it was here earlier, and is silent now",
        }
    }
}

impl fmt::Display for Standing {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Answers => "answers",
            Self::OtherSubnet => "seen: other subnet",
            Self::NoAddress => "seen: no address",
            Self::OneWay => "seen: one way only",
            Self::OnlyArp => "seen: ARP only",
            Self::SilentToEcho => "seen: no echo",
            Self::NotAsked => "seen: not asked",
            Self::Missing => "silent",
        })
    }
}
