//! Bytes whose bits each mean something. Every value survives a round trip; the accessors name the bits that
//! the standard defines (Art-Net 4, sections "ArtPoll" and "ArtPollReply").

use core::fmt;

macro_rules! flag_bytes {
    ($($(#[$doc:meta])* $name:ident;)+) => {$(
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
        pub struct $name(pub u8);

        impl $name {
            const fn bit(self, bit: u8) -> bool {
                self.0 & 1 << bit != 0
            }

            /// The same byte with `bit` (0 to 7) set or cleared.
            #[must_use]
            pub const fn with(self, bit: u8, on: bool) -> Self {
                let cleared = self.0 & !(1 << bit);
                Self(if on { cleared | 1 << bit } else { cleared })
            }
        }
    )+};
}

flag_bytes! {
    /// What a controller wants besides the reply.
    PollFlags;
    /// What a port can do and in which direction it is set.
    PortType;
    /// State of an input port.
    GoodInput;
    /// State of an output port, first byte.
    GoodOutputA;
    /// State of an output port, second byte.
    GoodOutputB;
    /// State of the node, first byte.
    Status1;
    /// State of the node, second byte.
    Status2;
    /// State of the node, third byte.
    Status3;
}

impl PollFlags {
    /// Bit 1: also reply, unasked, when something changes.
    pub const REPLY_ON_CHANGE: Self = Self(0x02);
    /// Bit 5: only the Port-Addresses in the target shall reply.
    pub const TARGETED: Self = Self(0x20);

    /// Whether only part of the nodes shall reply.
    #[must_use]
    pub const fn targeted(self) -> bool {
        self.bit(5)
    }

    /// Whether a reply is wanted at every change.
    #[must_use]
    pub const fn reply_on_change(self) -> bool {
        self.bit(1)
    }
}

impl PortType {
    /// A DMX512 output.
    pub const DMX_OUT: Self = Self(0x80);
    /// A DMX512 input.
    pub const DMX_IN: Self = Self(0x40);

    /// Whether the port sends data from the network to its socket.
    #[must_use]
    pub const fn is_output(self) -> bool {
        self.bit(7)
    }

    /// Whether the port sends data from its socket to the network.
    #[must_use]
    pub const fn is_input(self) -> bool {
        self.bit(6)
    }

    /// What runs on the socket: 0 DMX512, others as in the standard.
    #[must_use]
    pub const fn protocol(self) -> u8 {
        self.0 & 0x3f
    }
}

impl GoodInput {
    /// Bit 7: data comes in.
    #[must_use]
    pub const fn receiving(self) -> bool {
        self.bit(7)
    }

    /// Bit 3: the input is switched off.
    #[must_use]
    pub const fn disabled(self) -> bool {
        self.bit(3)
    }

    /// Bit 2: errors were seen.
    #[must_use]
    pub const fn errors(self) -> bool {
        self.bit(2)
    }
}

impl GoodOutputA {
    /// Bit 7: data goes out.
    #[must_use]
    pub const fn sending(self) -> bool {
        self.bit(7)
    }

    /// Bit 3: two sources are being merged.
    #[must_use]
    pub const fn merging(self) -> bool {
        self.bit(3)
    }

    /// Bit 2: the output is short-circuited.
    #[must_use]
    pub const fn short_circuit(self) -> bool {
        self.bit(2)
    }

    /// Bit 1: two sources would be merged by LTP; otherwise by HTP.
    #[must_use]
    pub const fn merges_ltp(self) -> bool {
        self.bit(1)
    }

    /// Bit 0: the output listens to sACN; otherwise to Art-Net.
    #[must_use]
    pub const fn takes_sacn(self) -> bool {
        self.bit(0)
    }
}

impl GoodOutputB {
    /// Bit 7: RDM is switched off.
    #[must_use]
    pub const fn rdm_off(self) -> bool {
        self.bit(7)
    }
}

/// What the node's indicators show (Status1, bits 7 and 6).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Indicators {
    /// Not told.
    Unknown,
    /// Flashing, to find the unit.
    Locate,
    /// Dark.
    Mute,
    /// As usual.
    Normal,
}

impl Status1 {
    /// What the indicators show.
    #[must_use]
    pub const fn indicators(self) -> Indicators {
        match self.0 >> 6 {
            0 => Indicators::Unknown,
            1 => Indicators::Locate,
            2 => Indicators::Mute,
            _ => Indicators::Normal,
        }
    }

    /// Bit 2: the node runs its rescue program.
    #[must_use]
    pub const fn rescue_boot(self) -> bool {
        self.bit(2)
    }

    /// Bit 1: the node can do RDM.
    #[must_use]
    pub const fn rdm(self) -> bool {
        self.bit(1)
    }
}

impl Status2 {
    /// Bit 0: the node has a web page.
    #[must_use]
    pub const fn web_page(self) -> bool {
        self.bit(0)
    }

    /// Bit 1: the address came by DHCP.
    #[must_use]
    pub const fn dhcp_in_use(self) -> bool {
        self.bit(1)
    }

    /// Bit 2: the node can do DHCP.
    #[must_use]
    pub const fn dhcp_able(self) -> bool {
        self.bit(2)
    }

    /// Bit 3: the node knows 15-bit Port-Addresses (net, sub, universe).
    #[must_use]
    pub const fn wide_port_address(self) -> bool {
        self.bit(3)
    }

    /// Bit 4: outputs can be switched between Art-Net and sACN.
    #[must_use]
    pub const fn sacn_able(self) -> bool {
        self.bit(4)
    }

    /// Bit 7: RDM of a port can be switched on and off.
    #[must_use]
    pub const fn rdm_settable(self) -> bool {
        self.bit(7)
    }
}

/// What a node does when data stops (Status3, bits 7 and 6).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum DataLoss {
    /// Keep the last levels.
    Hold,
    /// All levels to zero.
    Zero,
    /// All levels to full.
    Full,
    /// Play the recorded scene.
    Scene,
}

impl Status3 {
    /// What the node does when data stops.
    #[must_use]
    pub const fn data_loss(self) -> DataLoss {
        match self.0 >> 6 {
            0 => DataLoss::Hold,
            1 => DataLoss::Zero,
            2 => DataLoss::Full,
            _ => DataLoss::Scene,
        }
    }

    /// The same byte with another behaviour when data stops.
    #[must_use]
    pub const fn with_data_loss(self, loss: DataLoss) -> Self {
        Self(self.0 & 0x3f | (loss as u8) << 6)
    }

    /// Bit 5: the behaviour when data stops can be told over the network.
    #[must_use]
    pub const fn data_loss_settable(self) -> bool {
        self.bit(5)
    }

    /// Bit 3: a port's direction can be told over the network.
    #[must_use]
    pub const fn direction_settable(self) -> bool {
        self.bit(3)
    }
}

/// What sort of device replies (ArtPollReply, byte 200).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub struct Style(pub u8);

impl Style {
    /// Between the network and DMX512.
    pub const NODE: Self = Self(0);
    /// A lighting desk.
    pub const CONTROLLER: Self = Self(1);
}

impl fmt::Display for Style {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self.0 {
            0 => "node",
            1 => "controller",
            2 => "media server",
            3 => "router",
            4 => "backup",
            5 => "configuration program",
            6 => "visualiser",
            other => return write!(f, "style 0x{other:02x}"),
        })
    }
}
