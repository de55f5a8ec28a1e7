//! Art-Net 4, as published: UDP port 6454, controllers and nodes.
//!
//! [`Message::parse`] reads a whole datagram; each message's own file shows its layout. Numbers are
//! big-endian except where a file says otherwise, since the standard mixes both.

mod address;
mod dmx;
mod firmware;
mod flags;
mod header;
mod input;
mod ip_prog;
mod ip_prog_reply;
mod message;
mod op_code;
mod poll;
mod poll_reply;
mod rdm;
mod tod_control;
mod tod_data;
mod tod_request;

pub use address::{Address, Command, Program};
pub use dmx::Dmx;
pub use firmware::{BlockKind, FirmwareMaster, FirmwareReply, ReplyWord};
pub use flags::{
    DataLoss, GoodInput, GoodOutputA, GoodOutputB, Indicators, PollFlags, PortType, Status1, Status2, Status3,
    Style,
};
pub use input::Input;
pub use ip_prog::{IpCommand, IpProg};
pub use ip_prog_reply::IpProgReply;
pub use message::Message;
pub use op_code::OpCode;
pub use poll::{Poll, PollTarget};
pub use poll_reply::{PollReply, PortBlock};
pub use rdm::Rdm;
pub use tod_control::TodControl;
pub use tod_data::TodData;
pub use tod_request::TodRequest;

/// The UDP port of every Art-Net message, as source and as destination.
pub const PORT: u16 = 6454;

/// A short name: at most 17 bytes of text.
pub type ShortName = crate::Text<18>;

/// A long name: at most 63 bytes of text.
pub type LongName = crate::Text<64>;
