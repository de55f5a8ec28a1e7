//! Ways of seeing a device.

use std::fmt;
use std::str::FromStr;
use std::time::Duration;

use serde::{Deserialize, Serialize};

/// How something was seen.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Way {
    /// It spoke Art-Net.
    ArtNet,
    /// It sent sACN.
    Sacn,
    /// It told its services by multicast DNS.
    DnsSd,
    /// It announced a stream.
    Sap,
    /// It answered an echo request.
    Echo,
    /// It spoke ARP.
    Arp,
    /// This computer's system had found it.
    Neighbours,
    /// It asked for an address, or gives addresses.
    Dhcp,
    /// It told who it is at the other end of the cable.
    Lldp,
    /// It asks who wants which group.
    Igmp,
    /// It answered a search by LLRP.
    Llrp,
    /// It told who is on its cables, by RDM.
    Rdm,
    /// A broker told of it, by RDMnet.
    Rdmnet,
    /// It told its state by PJLink.
    Pjlink,
    /// It answered a search of ONVIF.
    Onvif,
    /// It told what it sends and receives, by NMOS.
    Nmos,
    /// It told of itself by SNMP.
    Snmp,
    /// It announced a clock.
    Ptp,
    /// It answered a line of text.
    Lines,
    /// Its web server answered.
    Http,
    /// It spoke to everybody about something else.
    Traffic,
}

/// Some ways of seeing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Ways(u32);

impl Way {
    /// Those in which a device of a kind can be expected to answer, with their words on the sheet.
    pub const SPOKEN: [(&'static str, Self); 11] = [
        ("art-net", Self::ArtNet),
        ("llrp", Self::Llrp),
        ("rdmnet", Self::Rdmnet),
        ("pjlink", Self::Pjlink),
        ("onvif", Self::Onvif),
        ("nmos", Self::Nmos),
        ("snmp", Self::Snmp),
        ("lines", Self::Lines),
        ("http", Self::Http),
        ("dns-sd", Self::DnsSd),
        ("echo", Self::Echo),
    ];
    /// All of them, in the order in which they are told.
    pub const ALL: [Self; 21] = [
        Self::ArtNet,
        Self::Sacn,
        Self::DnsSd,
        Self::Sap,
        Self::Ptp,
        Self::Rdm,
        Self::Llrp,
        Self::Rdmnet,
        Self::Pjlink,
        Self::Onvif,
        Self::Nmos,
        Self::Snmp,
        Self::Lines,
        Self::Http,
        Self::Echo,
        Self::Arp,
        Self::Neighbours,
        Self::Dhcp,
        Self::Lldp,
        Self::Igmp,
        Self::Traffic,
    ];

    /// Whether devices that are asked so may want a password.
    #[must_use]
    pub const fn takes_password(self) -> bool {
        matches!(self, Self::Pjlink | Self::Onvif | Self::Snmp)
    }

    /// Those that can be told a password.
    pub fn with_password() -> impl Iterator<Item = Self> {
        Self::ALL.into_iter().filter(|way| way.takes_password())
    }

    /// Whether they want to know who asks, too.
    #[must_use]
    pub const fn wants_user(self) -> bool {
        matches!(self, Self::Onvif)
    }

    /// Whether they can be told who asks.
    #[must_use]
    pub const fn takes_user(self) -> bool {
        self.wants_user() || matches!(self, Self::Snmp)
    }

    /// Whether a second password, for what is encrypted, can be kept beside the first.
    #[must_use]
    pub const fn takes_privacy(self) -> bool {
        matches!(self, Self::Snmp)
    }

    /// How often somebody seen in this way tells of itself at the least, unasked (ANSI E1.31, 4.3; IEEE 802.1AB; RFC 3376; RFC 2974,
    /// 3.1); `None` where that is nowhere laid down.
    #[must_use]
    pub const fn rhythm(self) -> Option<Duration> {
        Some(Duration::from_secs(match self {
            Self::Sacn => 10,
            Self::Lldp => 30,
            Self::Igmp => 125,
            Self::Sap => 300,
            _ => return None,
        }))
    }

    /// Its name on the command line and in files.
    #[must_use]
    pub const fn name(self) -> &'static str {
        match self {
            Self::ArtNet => "art-net",
            Self::Sacn => "sacn",
            Self::DnsSd => "dns-sd",
            Self::Sap => "sap",
            Self::Echo => "echo",
            Self::Arp => "arp",
            Self::Neighbours => "neighbours",
            Self::Dhcp => "dhcp",
            Self::Lldp => "lldp",
            Self::Igmp => "igmp",
            Self::Llrp => "llrp",
            Self::Rdmnet => "rdmnet",
            Self::Rdm => "rdm",
            Self::Pjlink => "pjlink",
            Self::Onvif => "onvif",
            Self::Nmos => "nmos",
            Self::Snmp => "snmp",
            Self::Ptp => "ptp",
            Self::Lines => "lines",
            Self::Http => "http",
            Self::Traffic => "traffic",
        }
    }
}

impl Ways {
    /// Every way.
    pub const ALL: Self = Self(u32::MAX);
    /// None.
    pub const NONE: Self = Self(0);

    /// Only these.
    #[must_use]
    pub fn only(ways: &[Way]) -> Self {
        ways.iter().fold(Self::NONE, |all, way| all.and(*way))
    }

    /// These and one more.
    #[must_use]
    pub const fn and(self, way: Way) -> Self {
        Self(self.0 | 1 << way as u16)
    }

    /// Whether this one is among them.
    #[must_use]
    pub const fn contains(self, way: Way) -> bool {
        self.0 & 1 << way as u16 != 0
    }
}

impl fmt::Display for Way {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::ArtNet => "Art-Net",
            Self::Sacn => "sACN",
            Self::DnsSd => "DNS-SD",
            Self::Sap => "SAP",
            Self::Echo => "echo",
            Self::Arp => "ARP",
            Self::Neighbours => "neighbours",
            Self::Dhcp => "DHCP",
            Self::Lldp => "LLDP",
            Self::Igmp => "IGMP",
            Self::Llrp => "LLRP",
            Self::Rdmnet => "RDMnet",
            Self::Rdm => "RDM",
            Self::Pjlink => "PJLink",
            Self::Onvif => "ONVIF",
            Self::Nmos => "NMOS",
            Self::Snmp => "SNMP",
            Self::Ptp => "PTP",
            Self::Lines => "text lines",
            Self::Http => "HTTP",
            Self::Traffic => "traffic",
        })
    }
}

impl FromStr for Way {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        Self::ALL.into_iter().find(|way| way.name() == text).ok_or_else(|| {
            let names: Vec<&str> = Self::ALL.into_iter().map(Self::name).collect();
            format!("ways of seeing are {}", names.join(", "))
        })
    }
}
