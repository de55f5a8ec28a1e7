//! The real sockets of a ground: who has which, and what comes in through them.

use std::collections::BTreeSet;
use std::io;
use std::net::{SocketAddr, SocketAddrV4};

use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::tcp::{OwnedReadHalf, OwnedWriteHalf};
use tokio::net::{TcpListener, UdpSocket};
use tokio::sync::mpsc::{UnboundedReceiver, UnboundedSender};
use tokio::task::spawn_local;

use super::{Frame, Ground, Inbound, NodeSocket};
use crate::party::Party;

/// Ports up to this one need rights; what happens there is left out.
pub(super) const LAST_PRIVILEGED: u16 = 1023;

impl Ground {
    /// Gives every listening party its sockets and takes those away that nobody has any more.
    pub(super) fn bind_parties(&mut self) -> io::Result<()> {
        let wanted = self.places_of(Party::ports);
        self.sockets.retain(|place, bound| {
            let stays = wanted.contains(place);
            if !stays {
                bound.reader.abort();
            }
            stays
        });
        for place in wanted {
            let free = self.is_on_ground(*place.ip()) && *place.ip() != self.wire_address();
            if free && !self.sockets.contains_key(&place) {
                let socket = bound(place)?;
                let reader = spawn_local(read(reader(&socket)?, place, self.heard.clone())).abort_handle();
                self.sockets.insert(place, NodeSocket { socket, reader });
            }
        }
        self.take_connections()
    }

    /// Where listening parties have these ports, as far as no rights are needed for them.
    fn places_of(&self, ports: impl Fn(&Party) -> Vec<u16>) -> BTreeSet<SocketAddrV4> {
        let listening = self.parties.iter().filter(|party| party.is_listening());
        let places = listening.flat_map(|party| {
            let address = party.address();
            ports(party).into_iter().map(move |port| SocketAddrV4::new(address, port))
        });
        places.filter(|place| place.port() > LAST_PRIVILEGED).collect()
    }

    /// Lets every listening party take connections, and nobody else.
    fn take_connections(&mut self) -> io::Result<()> {
        let wanted = self.places_of(Party::link_ports);
        self.takers.retain(|place, taker| {
            let stays = wanted.contains(place);
            if !stays {
                taker.abort();
            }
            stays
        });
        for place in wanted {
            if self.is_on_ground(*place.ip()) && !self.takers.contains_key(&place) {
                let listener = std::net::TcpListener::bind(place)?;
                listener.set_nonblocking(true)?;
                let listener = TcpListener::from_std(listener)?;
                let taker = spawn_local(accept(listener, place, self.heard.clone())).abort_handle();
                self.takers.insert(place, taker);
            }
        }
        Ok(())
    }
}

async fn accept(listener: TcpListener, at: SocketAddrV4, heard: UnboundedSender<Inbound>) {
    while let Ok((stream, _)) = listener.accept().await {
        if heard.send(Inbound::Taken { at, stream }).is_err() {
            return;
        }
    }
}

/// Passes on what comes on a connection; nothing at its end.
pub(super) async fn read_on(mut reads: OwnedReadHalf, link: u64, heard: UnboundedSender<Inbound>) {
    let mut buffer = [0; 2048];
    loop {
        let length = reads.read(&mut buffer).await.unwrap_or(0);
        if heard.send(Inbound::OnLink { link, bytes: buffer[..length].to_vec() }).is_err() || length == 0 {
            return;
        }
    }
}

/// Writes what is to be written, until nobody has anything more to say.
pub(super) async fn write_on(mut writes: OwnedWriteHalf, mut waiting: UnboundedReceiver<Vec<u8>>) {
    while let Some(bytes) = waiting.recv().await {
        if writes.write_all(&bytes).await.is_err() {
            return;
        }
    }
}

pub(super) fn bound(place: SocketAddrV4) -> io::Result<std::net::UdpSocket> {
    let socket = std::net::UdpSocket::bind(place)?;
    socket.set_nonblocking(true)?;
    Ok(socket)
}

pub(super) fn reader(socket: &std::net::UdpSocket) -> io::Result<UdpSocket> {
    UdpSocket::from_std(socket.try_clone()?)
}

/// Passes on what a socket hears, until it is closed.
pub(super) async fn read(socket: UdpSocket, to: SocketAddrV4, heard: UnboundedSender<Inbound>) {
    let mut buffer = [0; 2048];
    loop {
        if let Ok((length, SocketAddr::V4(from))) = socket.recv_from(&mut buffer).await
            && heard.send(Inbound::Datagram(Frame { to, from, bytes: buffer[..length].to_vec() })).is_err()
        {
            return;
        }
    }
}
