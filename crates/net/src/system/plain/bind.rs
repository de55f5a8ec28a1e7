//! Other systems: a socket bound to the adapter's address.

use std::io;
use std::net::SocketAddrV4;

use socket2::Socket;

use crate::station::udp::bind_to_address;

/// What the system says of a port that another program holds.
pub(crate) const HELD: &[io::ErrorKind] = &[io::ErrorKind::AddrInUse];

/// Lets other programs hold the port too.
pub(crate) fn share(socket: &Socket) -> io::Result<()> {
    socket.set_reuse_address(true)?;
    #[cfg(unix)]
    socket.set_reuse_port(true)?;
    Ok(())
}

/// Binds the socket so that it sends through this adapter only.
pub(crate) fn bind(socket: &Socket, _adapter: &str, own: SocketAddrV4) -> io::Result<()> {
    bind_to_address(socket, own)
}

/// The address it is bound to decides through which adapter it sends.
pub(crate) fn keep_to(_: &Socket, _: &str) -> io::Result<()> {
    Ok(())
}
