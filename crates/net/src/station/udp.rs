//! A UDP socket on one adapter, its port shared with whoever else holds it.
//!
//! A desk or a visualiser on this computer may hold the port. It is then shared, and that is told: answers sent to
//! this computer alone reach only one of the two.

use std::io;
use std::net::{Ipv4Addr, SocketAddr, SocketAddrV4, UdpSocket};

use lantern_core::adapter::Choice;
use socket2::{Domain, Protocol, SockRef, Socket, Type};

use crate::system::bind;

/// Room for the answers of a large rig that all come at once.
const RECEIVE_BUFFER: usize = 1 << 20;
/// Multicast DNS is believed only when it has passed no router (RFC 6762, section 11).
const TIME_TO_LIVE: u32 = 255;

/// An address that nobody has, and a port where nothing answers (RFC 5737, RFC 863).
const NOBODY: Ipv4Addr = Ipv4Addr::new(192, 0, 2, 1);
const DISCARD: u16 = 9;
/// The most datagrams thrown away before a conversation.
const MOST_OLD: usize = 100_000;

/// A socket and its port.
#[derive(Debug)]
pub(crate) struct Udp {
    pub(crate) port: u16,
    pub(crate) socket: UdpSocket,
    /// The seat it speaks from; `None` where the system chooses.
    pub(crate) seat: Option<usize>,
    pub(super) own: Ipv4Addr,
}

impl Udp {
    /// Opens the port on every seat, only to speak from it: what comes there is left to others.
    pub(super) fn open_to_speak(choice: &Choice, port: u16) -> io::Result<Vec<Self>> {
        (0..choice.seats.len()).map(|seat| Self::open_at(choice, port, Some(seat))).collect()
    }

    /// Opens the port, to hear and to speak.
    pub(super) fn open(choice: &Choice, port: u16) -> io::Result<Self> {
        Self::open_at(choice, port, None)
    }

    fn open_at(choice: &Choice, port: u16, seat: Option<usize>) -> io::Result<Self> {
        let own = choice.seats[seat.unwrap_or(0)].own;
        let socket = match seat {
            Some(_) => bound_at(choice, own, port)?,
            None => bound(choice, port, true)?,
        };
        socket.set_broadcast(true)?;
        socket.set_nonblocking(true)?;
        // A smaller buffer works too, for smaller rigs.
        socket.set_recv_buffer_size(RECEIVE_BUFFER).unwrap_or(());
        if !own.is_loopback() {
            socket.set_multicast_if_v4(&own)?;
            socket.set_multicast_ttl_v4(TIME_TO_LIVE)?;
        }
        if seat.is_some() {
            // A socket with a partner hears that partner only, and this one nobody has (RFC 5737).
            socket.connect(&SocketAddr::V4(SocketAddrV4::new(NOBODY, DISCARD)).into())?;
        }
        Ok(Self { port, socket: socket.into(), seat, own })
    }

    /// Throws away what came already.
    pub(crate) fn empty(&self) {
        let mut byte = [0; 1];
        for _ in 0..MOST_OLD {
            match self.socket.recv_from(&mut byte) {
                Ok(_) => {}
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(_) => return,
            }
        }
    }

    /// Whether somebody holds the port already.
    pub(super) fn is_held(choice: &Choice, port: u16) -> bool {
        bound(choice, port, false).is_err_and(|error| bind::HELD.contains(&error.kind()))
    }

    /// Listens to a group.
    pub(crate) fn join(&self, group: Ipv4Addr) -> io::Result<()> {
        match SockRef::from(&self.socket).join_multicast_v4(&group, &self.own) {
            Err(error) if error.kind() == io::ErrorKind::AddrInUse => Ok(()),
            other => other,
        }
    }
}

/// Takes in what comes to a port here that nobody else holds, and does nothing with it. Without it the system would tell
/// everybody who answers us that nobody is here (ICMP, port unreachable).
///
/// It is bound to no adapter and no address, so that a program that opens the port later is preferred to it.
pub(super) fn swallower(choice: &Choice, port: u16) -> io::Result<UdpSocket> {
    let socket = Socket::new(Domain::IPV4, Type::DGRAM, Some(Protocol::UDP))?;
    bind::share(&socket)?;
    // The system makes the smallest buffer of it; what is more than that is dropped in silence.
    socket.set_recv_buffer_size(1).unwrap_or(());
    let at = |address| bind_to_address(&socket, SocketAddrV4::new(address, port));
    // Somebody on another adapter may hold it for himself.
    at(Ipv4Addr::UNSPECIFIED).or_else(|_| at(choice.seats[0].own))?;
    Ok(socket.into())
}

/// A socket of any port, to knock with.
pub(super) fn knocker(choice: &Choice) -> io::Result<UdpSocket> {
    let socket = bound(choice, 0, false)?;
    socket.set_nonblocking(true)?;
    Ok(socket.into())
}

fn bound(choice: &Choice, port: u16, share: bool) -> io::Result<Socket> {
    let socket = Socket::new(Domain::IPV4, Type::DGRAM, Some(Protocol::UDP))?;
    if share {
        bind::share(&socket)?;
    }
    bind::bind(&socket, &choice.name, SocketAddrV4::new(choice.seats[0].own, port))?;
    Ok(socket)
}

/// Bound to one address of the adapter, so that what leaves has it as its source.
fn bound_at(choice: &Choice, own: Ipv4Addr, port: u16) -> io::Result<Socket> {
    let socket = Socket::new(Domain::IPV4, Type::DGRAM, Some(Protocol::UDP))?;
    bind::share(&socket)?;
    bind::keep_to(&socket, &choice.name)?;
    bind_to_address(&socket, SocketAddrV4::new(own, port))?;
    Ok(socket)
}

/// Binds to one address only: it hears what is sent to that address.
pub(crate) fn bind_to_address(socket: &Socket, own: SocketAddrV4) -> io::Result<()> {
    socket.bind(&SocketAddr::V4(own).into())
}
