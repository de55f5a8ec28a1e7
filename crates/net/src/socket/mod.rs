//! One socket for each adapter, on the Art-Net port, shared with whoever else holds it.
//!
//! A desk or a visualiser on this computer may hold the port. It is then shared, and that is told: answers sent to
//! this computer alone reach only one of the two.

#[cfg_attr(target_os = "linux", path = "imp_linux.rs")]
#[cfg_attr(not(target_os = "linux"), path = "imp_other.rs")]
mod imp;

use std::io;
use std::net::{Ipv4Addr, SocketAddr, SocketAddrV4, UdpSocket};

use lantern_core::ART_NET_PORT;
use lantern_core::adapter::Choice;
use lantern_core::conversation::Seat;
use socket2::{Domain, Protocol, Socket, Type};

use crate::NetError;

/// Room for the answers of a large rig that all come at once.
const RECEIVE_BUFFER: usize = 1 << 20;

/// The sockets of a conversation.
#[derive(Debug)]
pub struct Sockets {
    /// One for each adapter.
    pub(crate) sockets: Vec<UdpSocket>,
    /// For each seat of the conversation, where it sits and which socket serves it.
    pub(crate) seats: Vec<(Seat, usize)>,
    shared: bool,
}

impl Sockets {
    /// Opens a socket on each chosen adapter.
    ///
    /// # Errors
    /// When the port is held by a program that does not share it, or the system refuses.
    pub fn open(choices: &[Choice]) -> Result<Self, NetError> {
        let shared = choices.iter().any(is_held);
        let sockets = choices.iter().map(open).collect::<Result<_, _>>()?;
        let of_choice =
            |(socket, choice): (usize, &Choice)| choice.seats.iter().map(move |seat| (*seat, socket)).collect();
        let seats =
            choices.iter().enumerate().flat_map(|pair| -> Vec<(Seat, usize)> { of_choice(pair) }).collect();
        Ok(Self { sockets, seats, shared })
    }

    /// The seat at which something from this address was heard by this socket: the one in its subnet, or the first.
    pub(crate) fn seat_of(&self, socket: usize, from: Ipv4Addr) -> usize {
        let of_socket = || self.seats.iter().enumerate().filter(move |(_, (_, served_by))| *served_by == socket);
        let beside = of_socket().find(|(_, (seat, _))| seat.subnet.contains(from));
        beside.or_else(|| of_socket().next()).map_or(0, |(index, _)| index)
    }

    /// Whether another program holds the port too.
    #[must_use]
    pub const fn are_shared(&self) -> bool {
        self.shared
    }
}

fn open(choice: &Choice) -> Result<UdpSocket, NetError> {
    let adapter = || choice.name.clone();
    let prepare = || -> io::Result<UdpSocket> {
        let socket = bound(choice, true)?;
        socket.set_broadcast(true)?;
        socket.set_nonblocking(true)?;
        // A smaller buffer works too, for smaller rigs.
        socket.set_recv_buffer_size(RECEIVE_BUFFER).unwrap_or(());
        Ok(socket.into())
    };
    prepare().map_err(|source| match source.kind() {
        io::ErrorKind::AddrInUse => NetError::PortHeld { port: ART_NET_PORT, adapter: adapter() },
        _ => NetError::Socket { adapter: adapter(), source },
    })
}

/// Whether somebody holds the port on this adapter already.
fn is_held(choice: &Choice) -> bool {
    bound(choice, false).is_err_and(|error| error.kind() == io::ErrorKind::AddrInUse)
}

fn bound(choice: &Choice, share: bool) -> io::Result<Socket> {
    let socket = Socket::new(Domain::IPV4, Type::DGRAM, Some(Protocol::UDP))?;
    if share {
        imp::share(&socket)?;
    }
    let own = SocketAddrV4::new(choice.seats[0].own, ART_NET_PORT);
    imp::bind(&socket, &choice.name, own)?;
    Ok(socket)
}

/// Binds to one address only: it hears what is sent to that address.
fn bind_to_address(socket: &Socket, own: SocketAddrV4) -> io::Result<()> {
    socket.bind(&SocketAddr::V4(own).into())
}
