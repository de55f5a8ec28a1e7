//! macOS: a socket bound to no address, kept to its adapter (`IP_BOUND_IF`, ip(4)).

use std::io;
use std::net::{Ipv4Addr, SocketAddr, SocketAddrV4};
use std::num::NonZeroU32;

use netdev::interface::get_interfaces;
use socket2::Socket;

use crate::station::udp::bind_to_address;

/// What the system says of a port that another program holds.
pub(crate) const HELD: &[io::ErrorKind] = &[io::ErrorKind::AddrInUse];

/// Lets other programs hold the port too.
pub(crate) fn share(socket: &Socket) -> io::Result<()> {
    socket.set_reuse_address(true)?;
    socket.set_reuse_port(true)
}

/// Binds the socket so that it hears and sends through this adapter only.
pub(crate) fn bind(socket: &Socket, adapter: &str, own: SocketAddrV4) -> io::Result<()> {
    if own.ip().is_loopback() {
        return bind_to_address(socket, own);
    }
    keep_to(socket, adapter)?;
    socket.bind(&SocketAddr::from((Ipv4Addr::UNSPECIFIED, own.port())).into())
}

/// Lets what is sent leave through this adapter only.
pub(crate) fn keep_to(socket: &Socket, adapter: &str) -> io::Result<()> {
    let index = get_interfaces().iter().find(|one| one.name == adapter).and_then(|one| NonZeroU32::new(one.index));
    socket.bind_device_by_index_v4(Some(index.ok_or(io::ErrorKind::NotFound)?))
}
