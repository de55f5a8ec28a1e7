//! Any Art-Net message.

use super::{
    Address, Dmx, FirmwareMaster, FirmwareReply, Input, IpProg, IpProgReply, OpCode, Poll, PollReply, Rdm,
    TodControl, TodData, TodRequest, header,
};
use crate::WireError;

/// A datagram read as the message it says it is.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Message<'a> {
    /// A controller asks who is there.
    Poll(Poll),
    /// A node says who it is.
    PollReply(Box<PollReply>),
    /// A controller asks for or sets IP address, mask and gateway.
    IpProg(IpProg),
    /// A node tells its IP settings.
    IpProgReply(IpProgReply),
    /// A controller sets names, universes and port behaviour.
    Address(Box<Address>),
    /// Somebody sends levels.
    Dmx(Dmx<'a>),
    /// A controller switches inputs on and off.
    Input(Input),
    /// A controller asks for the tables of RDM devices.
    TodRequest(TodRequest),
    /// A gateway tells the RDM devices on a port.
    TodData(TodData),
    /// A controller lets a gateway search its cable anew.
    TodControl(TodControl),
    /// An RDM message on its way.
    Rdm(Box<Rdm>),
    /// A controller sends one block of a file.
    FirmwareMaster(FirmwareMaster),
    /// A node says what became of a block.
    FirmwareReply(FirmwareReply),
    /// Art-Net, but a message this crate has no type for.
    Other(OpCode),
}

impl<'a> Message<'a> {
    /// Reads one datagram.
    ///
    /// # Errors
    /// When it is not Art-Net, or ends before its message does.
    pub fn parse(datagram: &'a [u8]) -> Result<Self, WireError> {
        Ok(match header::parse(datagram)? {
            OpCode::POLL => Self::Poll(Poll::parse(datagram)?),
            OpCode::POLL_REPLY => Self::PollReply(Box::new(PollReply::parse(datagram)?)),
            OpCode::IP_PROG => Self::IpProg(IpProg::parse(datagram)?),
            OpCode::IP_PROG_REPLY => Self::IpProgReply(IpProgReply::parse(datagram)?),
            OpCode::ADDRESS => Self::Address(Box::new(Address::parse(datagram)?)),
            OpCode::DMX => Self::Dmx(Dmx::parse(datagram)?),
            OpCode::INPUT => Self::Input(Input::parse(datagram)?),
            OpCode::TOD_REQUEST => Self::TodRequest(TodRequest::parse(datagram)?),
            OpCode::TOD_DATA => Self::TodData(TodData::parse(datagram)?),
            OpCode::TOD_CONTROL => Self::TodControl(TodControl::parse(datagram)?),
            OpCode::RDM => Self::Rdm(Box::new(Rdm::parse(datagram)?)),
            OpCode::FIRMWARE_MASTER => Self::FirmwareMaster(FirmwareMaster::parse(datagram)?),
            OpCode::FIRMWARE_REPLY => Self::FirmwareReply(FirmwareReply::parse(datagram)?),
            other => Self::Other(other),
        })
    }
}
