//! Why bytes could not be read as a message.

use core::fmt;

use crate::art_net::OpCode;

/// The part of a datagram that was being read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Layer {
    /// The ten bytes every Art-Net message starts with: identifier and OpCode.
    ArtNetHeader,
    /// What follows the header in an Art-Net message of this kind.
    ArtNet(OpCode),
    /// An Ethernet frame that carries ARP.
    Arp,
    /// An Ethernet frame that carries UDP over IPv4.
    UdpFrame,
    /// A DHCP message.
    Dhcp,
    /// An Ethernet frame or IP packet.
    Frame,
    /// The root layer of E1.31.
    SacnRoot,
    /// Levels of a universe in E1.31.
    SacnData,
    /// A source's list of universes in E1.31.
    SacnDiscovery,
    /// A session announcement.
    Sap,
    /// A session description.
    Sdp,
    /// Group membership.
    Igmp,
    /// What a switch tells about itself.
    Lldp,
    /// A message of multicast DNS.
    DnsSd,
    /// Low level recovery (E1.33).
    Llrp,
    /// Remote device management (E1.20).
    Rdm,
    /// RDM over TCP, through a broker (E1.33).
    RdmNet,
    /// A line or datagram of PJLink.
    Pjlink,
    /// A message about clocks (IEEE 1588).
    Ptp,
    /// XML.
    Xml,
    /// A message of ONVIF.
    Onvif,
    /// A message of SNMP.
    Snmp,
    /// A packet of a stream.
    Rtp,
}

impl fmt::Display for Layer {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::ArtNetHeader => f.write_str("Art-Net header"),
            Self::ArtNet(op) => write!(f, "{op}"),
            Self::Arp => f.write_str("ARP"),
            Self::UdpFrame => f.write_str("UDP frame"),
            Self::Dhcp => f.write_str("DHCP"),
            Self::Frame => f.write_str("frame that can be read"),
            Self::SacnRoot => f.write_str("sACN"),
            Self::SacnData => f.write_str("sACN data"),
            Self::SacnDiscovery => f.write_str("sACN universe discovery"),
            Self::Sap => f.write_str("SAP"),
            Self::Sdp => f.write_str("SDP"),
            Self::Igmp => f.write_str("IGMP"),
            Self::Lldp => f.write_str("LLDP"),
            Self::DnsSd => f.write_str("multicast DNS"),
            Self::Llrp => f.write_str("LLRP"),
            Self::Rdm => f.write_str("RDM"),
            Self::RdmNet => f.write_str("RDMnet"),
            Self::Pjlink => f.write_str("PJLink"),
            Self::Ptp => f.write_str("PTP"),
            Self::Xml => f.write_str("XML"),
            Self::Onvif => f.write_str("ONVIF message"),
            Self::Snmp => f.write_str("SNMP message"),
            Self::Rtp => f.write_str("RTP"),
        }
    }
}

/// A datagram that is not, or not wholly, a message of the expected protocol.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum WireError {
    /// The datagram ends before the layer does.
    #[error("{layer} needs {needed} bytes from offset {offset}, but only {available} are there")]
    Short {
        /// The layer that is cut.
        layer: Layer,
        /// Where in the datagram that layer starts, in bytes.
        offset: usize,
        /// How many bytes the layer needs from there.
        needed: usize,
        /// How many there are.
        available: usize,
    },
    /// Another protocol.
    #[error("this is no {layer}")]
    Foreign {
        /// What it should have been.
        layer: Layer,
    },
    /// A checksum that does not match.
    #[error("this {layer} was damaged on the way: its checksum does not match")]
    Damaged {
        /// The layer that states the checksum.
        layer: Layer,
    },
    /// The sender speaks a protocol version older than this one can read.
    #[error("{layer} states protocol version {found}, the oldest that can be read is {oldest}")]
    Version {
        /// The layer that states the version.
        layer: Layer,
        /// The version found.
        found: u16,
        /// The oldest version understood.
        oldest: u16,
    },
    /// A whole message, but of another kind than the one asked for.
    #[error("found {found} where {wanted} was expected")]
    OtherMessage {
        /// The kind found.
        found: OpCode,
        /// The kind asked for.
        wanted: OpCode,
    },
}
