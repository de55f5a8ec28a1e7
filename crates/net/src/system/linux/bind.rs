//! Linux: a socket that shall hear broadcasts is bound to the device, not to an address.

use std::io;
use std::net::{Ipv4Addr, SocketAddr, SocketAddrV4};

use socket2::Socket;

use crate::station::udp::bind_to_address;

/// What the system says of a port that another program holds.
pub(crate) const HELD: &[io::ErrorKind] = &[io::ErrorKind::AddrInUse];

/// Lets other programs hold the port too.
pub(crate) fn share(socket: &Socket) -> io::Result<()> {
    socket.set_reuse_address(true)
}

/// Binds the socket so that it hears and sends through this adapter only.
pub(crate) fn bind(socket: &Socket, adapter: &str, own: SocketAddrV4) -> io::Result<()> {
    // Every ground shares the loopback device, so there the address tells them apart.
    if own.ip().is_loopback() {
        return bind_to_address(socket, own);
    }
    match socket.bind_device(Some(adapter.as_bytes())) {
        Ok(()) => socket.bind(&SocketAddr::from((Ipv4Addr::UNSPECIFIED, own.port())).into()),
        // Kernels before 5.7 keep this for root. Bound to the address we still hear what is sent to us alone.
        Err(error) if error.kind() == io::ErrorKind::PermissionDenied => bind_to_address(socket, own),
        Err(error) => Err(error),
    }
}

/// Lets what is sent leave through this adapter only, where the system allows it.
pub(crate) fn keep_to(socket: &Socket, adapter: &str) -> io::Result<()> {
    match socket.bind_device(Some(adapter.as_bytes())) {
        Err(error) if error.kind() != io::ErrorKind::PermissionDenied => Err(error),
        _ => Ok(()),
    }
}
