//! What there is to tell while addresses are given.

use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use lantern_wire::dhcp::Dhcp;

use crate::Said;
use crate::address::Mask;

/// One who asked, as it showed itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stranger {
    /// Its MAC address.
    pub mac: MacAddress,
    /// What it calls itself.
    pub host_name: Said,
    /// What it says it is.
    pub class: Said,
    /// The port it hangs on, where a switch tells it.
    pub circuit: Said,
}

impl Stranger {
    pub(super) fn of(message: &Dhcp) -> Self {
        let said = |bytes: &[u8]| Said::from(String::from_utf8_lossy(bytes).into_owned());
        Self {
            mac: message.client,
            host_name: said(&message.host_name),
            class: said(&message.class),
            circuit: circuit_in_words(message.circuit().unwrap_or_default()).into(),
        }
    }
}

/// What there is to tell.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum LeaseNews {
    /// Nobody else gives addresses here: now it begins.
    Giving,
    /// Somebody asks whom nothing is planned for. Told once of each.
    Unknown(Stranger),
    /// Somebody is taken for a device of which the sheet does not say who it is: by the port it hangs on, or since it is its
    /// turn.
    Taken {
        /// Who.
        who: Stranger,
        /// For which device of the sheet.
        node: String,
    },
    /// Somebody asks who is locked. Told once of each.
    Locked(MacAddress),
    /// An address is given. Told before the answer leaves, so that it can be written down first.
    Given {
        /// To whom.
        mac: MacAddress,
        /// As which device of the sheet; `None` for a stranger out of the pool.
        node: Option<String>,
        /// Which.
        address: Ipv4Addr,
        /// The mask that goes with it.
        mask: Mask,
        /// The gateway that goes with it, where one does.
        gateway: Option<Ipv4Addr>,
        /// For how many seconds.
        seconds: u32,
        /// Whether it has it for the first time.
        is_new: bool,
        /// Whether it is to keep it when this ends.
        is_kept: bool,
    },
    /// Somebody wanted to keep another address than the planned one, and was told to let it go.
    Moved {
        /// Who.
        mac: MacAddress,
        /// What it wanted.
        from: Ipv4Addr,
        /// What it is to have; `None` where nothing is planned for it.
        to: Option<Ipv4Addr>,
    },
    /// An address cannot be given, since somebody holds it; `by` nobody knows whom where the unit itself found that out.
    Held {
        /// For whom it was meant.
        mac: MacAddress,
        /// As which device of the sheet.
        node: Option<String>,
        /// Which.
        address: Ipv4Addr,
        /// Who holds it.
        by: Option<MacAddress>,
    },
    /// An address was given back.
    Released {
        /// By whom.
        mac: MacAddress,
        /// As which device of the sheet; `None` for a stranger out of the pool.
        node: Option<String>,
        /// Which.
        address: Ipv4Addr,
    },
    /// Everybody has an address: now everybody is told to keep it.
    Ending,
    /// Another server was heard: nothing more is given.
    Rival {
        /// Its address.
        server: Ipv4Addr,
        /// Its MAC address; `None` where only a client told of it.
        mac: Option<MacAddress>,
    },
}

/// How far a device of the sheet is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LeasingStage {
    /// It has not asked.
    Awaited,
    /// Its address is held by somebody else.
    Held,
    /// It has its address for a short time.
    Short,
    /// It was told to keep its address.
    Kept,
}

/// A port as its switch calls it; one that is no text is written in hexadecimal, so that it can be typed.
pub(super) fn circuit_in_words(circuit: &[u8]) -> String {
    if circuit.iter().all(|byte| (b' '..=b'~').contains(byte)) {
        return circuit.iter().copied().map(char::from).collect();
    }
    let digits: String = circuit.iter().map(|byte| format!("{byte:02x}")).collect();
    format!("0x{digits}")
}
