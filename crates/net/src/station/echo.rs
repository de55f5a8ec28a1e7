//! Echo requests without raw frames: a socket that some systems give to everybody, others to nobody.

use std::io;
use std::net::{Ipv4Addr, SocketAddr, SocketAddrV4, UdpSocket};

use socket2::{Domain, Protocol, Socket, Type};

use super::KNOCKERS;
use crate::system::bind;

const REQUEST: u8 = 8;
const REPLY: u8 = 0;

/// Sockets for echo requests. The system fills in mark and checksum, and passes on only answers to its own requests.
#[derive(Debug)]
pub(crate) struct Echoes(pub(crate) Vec<UdpSocket>);

impl Echoes {
    pub(super) fn open(adapter: &str) -> io::Result<Self> {
        (0..KNOCKERS).map(|_| Self::socket(adapter)).collect::<io::Result<_>>().map(Self)
    }

    fn socket(adapter: &str) -> io::Result<UdpSocket> {
        let socket = Socket::new(Domain::IPV4, Type::DGRAM, Some(Protocol::ICMPV4))?;
        bind::keep_to(&socket, adapter)?;
        socket.set_nonblocking(true)?;
        // Everything this program does with it a UDP socket does too: send to, receive from.
        Ok(socket.into())
    }

    /// A request of this number, as the system wants it.
    pub(crate) const fn request(number: u16) -> [u8; 8] {
        let [high, low] = number.to_be_bytes();
        [REQUEST, 0, 0, 0, 0, 0, high, low]
    }

    /// Who answered which request, where this is an answer.
    pub(crate) fn answered(from: SocketAddr, bytes: &[u8]) -> Option<(Ipv4Addr, u16)> {
        let SocketAddr::V4(from) = from else { return None };
        // Some systems put the IP header in front.
        let message = if bytes.first().is_some_and(|byte| byte >> 4 == 4) { bytes.get(20..)? } else { bytes };
        let number = u16::from_be_bytes(message.get(6..8)?.try_into().ok()?);
        (message.first() == Some(&REPLY)).then(|| (*SocketAddrV4::ip(&from), number))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_replies_are_answers_with_or_without_the_ip_header() {
        let from = SocketAddr::from(([10, 40, 1, 1], 0));
        let answered = |number| Some((Ipv4Addr::new(10, 40, 1, 1), number));
        assert_eq!(Echoes::answered(from, &[0, 0, 0, 0, 0, 0, 1, 2]), answered(0x0102));
        assert_eq!(Echoes::answered(from, &[&[0x45; 20][..], &[0; 8]].concat()), answered(0));
        assert_eq!(Echoes::answered(from, &[0, 0, 0, 0]), None);
        assert_eq!(Echoes::answered(from, &Echoes::request(1)), None);
        assert_eq!(Echoes::answered(from, &[]), None);
    }
}
