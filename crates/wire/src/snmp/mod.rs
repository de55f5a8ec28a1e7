//! SNMP: what a device tells of itself by numbered objects, and what it is told (version 2c: RFC 1901, RFC 3416; version 3: RFC 3412,
//! RFC 3414; carried by UDP: RFC 3417).
//!
//! A [`Pdu`] is what is asked and answered, the same in both versions. A [`Message`] wraps it: with a community in version 2c, with a
//! user, a signature and encryption in version 3. What came in is [`Incoming`]; of version 3 it is opened with the [`Keys`] of its user.

mod codec;
mod message;
mod oid;
mod pdu;
mod user;
mod value;

pub use message::{Incoming, Message, Sealed, Signed, Unopened};
pub use oid::{Oid, OidError};
pub use pdu::{Failed, Kind, Pdu};
pub use user::{Authentication, Engine, Keys, Privacy};
pub use value::Value;

/// The UDP port of agents (RFC 3417, section 3).
pub const PORT: u16 = 161;

/// Objects of the standards. A scalar is asked for with a 0 behind it, a column with the number of its row.
pub mod objects {
    /// What it is, in its maker's words (RFC 3418, sysDescr).
    pub const DESCRIPTION: &str = "1.3.6.1.2.1.1.1.0";
    /// Which make it is (sysObjectID).
    pub const MAKE: &str = "1.3.6.1.2.1.1.2.0";
    /// Since when it runs, in hundredths of a second (sysUpTime).
    pub const UPTIME: &str = "1.3.6.1.2.1.1.3.0";
    /// Who looks after it (sysContact). Can be set.
    pub const CONTACT: &str = "1.3.6.1.2.1.1.4.0";
    /// What it is called (sysName). Can be set.
    pub const NAME: &str = "1.3.6.1.2.1.1.5.0";
    /// Where it stands (sysLocation). Can be set.
    pub const LOCATION: &str = "1.3.6.1.2.1.1.6.0";
    /// The MAC addresses of its interfaces, a column (RFC 2863, ifPhysAddress).
    pub const MAC_ADDRESSES: &str = "1.3.6.1.2.1.2.2.1.6";
    /// Frames that came and were thrown away, a column (ifInDiscards).
    pub const IN_DROPPED: &str = "1.3.6.1.2.1.2.2.1.13";
    /// Frames that came damaged, a column (ifInErrors).
    pub const IN_DAMAGED: &str = "1.3.6.1.2.1.2.2.1.14";
    /// Frames that were to be sent and were thrown away, a column (ifOutDiscards).
    pub const OUT_DROPPED: &str = "1.3.6.1.2.1.2.2.1.19";
    /// Frames that could not be sent, a column (ifOutErrors).
    pub const OUT_DAMAGED: &str = "1.3.6.1.2.1.2.2.1.20";

    /// The mask of an address, a table by address (RFC 4293, ipAdEntNetMask).
    pub const MASKS: &str = "1.3.6.1.2.1.4.20.1.3";

    /// What is wrong with a message of version 3, as a counter that is sent back (RFC 3414, section 5).
    pub const WRONG_LEVEL: &str = "1.3.6.1.6.3.15.1.1.1.0";
    /// It was of another time.
    pub const WRONG_TIME: &str = "1.3.6.1.6.3.15.1.1.2.0";
    /// Its user is unknown.
    pub const WRONG_USER: &str = "1.3.6.1.6.3.15.1.1.3.0";
    /// It was for another engine, or for none.
    pub const WRONG_ENGINE: &str = "1.3.6.1.6.3.15.1.1.4.0";
    /// It was signed with another key.
    pub const WRONG_SIGNATURE: &str = "1.3.6.1.6.3.15.1.1.5.0";
    /// It was encrypted with another key.
    pub const WRONG_ENCRYPTION: &str = "1.3.6.1.6.3.15.1.1.6.0";
}
