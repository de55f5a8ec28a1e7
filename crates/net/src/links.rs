//! Connections that a conversation opens, and ports of its own from which it asks by datagrams: one task each, which reads and writes.

use std::collections::HashMap;
use std::io::{self, ErrorKind};
use std::net::{Ipv4Addr, SocketAddr, SocketAddrV4};
use std::time::Duration;

use lantern_core::conversation::{LinkEnd, LinkId};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpSocket, TcpStream, UdpSocket};
use tokio::sync::mpsc::{Receiver, Sender, channel};
use tokio::task::{AbortHandle, JoinSet};

use crate::cable;
use crate::driver::Input;

/// How long the other side may take to take a connection.
const CONNECTING: Duration = Duration::from_secs(3);
/// How many writes may wait.
const WAITING: usize = 32;
/// The most connections at a time; a conversation asks for far fewer.
const MOST: usize = 256;

/// What became of a link, for the one who drives the conversation.
pub(crate) enum News {
    Opened,
    Bytes(Vec<u8>),
    Closed(LinkEnd),
}

/// The connections of one conversation.
#[derive(Default)]
pub(crate) struct Links(HashMap<LinkId, Open>);

struct Open {
    writes: Sender<Vec<u8>>,
    task: AbortHandle,
}

impl Links {
    /// Begins a connection from one of our addresses, carried by a task among `readers`.
    pub(crate) fn open(
        &mut self,
        link: LinkId,
        from: Option<Ipv4Addr>,
        to: SocketAddrV4,
        tell: Sender<Input>,
        readers: &mut JoinSet<()>,
    ) {
        let (writes, to_write) = channel(WAITING);
        if self.0.len() >= MOST {
            readers.spawn(async move {
                tell.send(Input::Link(link, News::Closed(LinkEnd::Torn))).await.unwrap_or(());
            });
            return;
        }
        let task = readers.spawn(carry(link, from, to, to_write, tell));
        self.0.insert(link, Open { writes, task });
    }

    /// Sends a datagram from a port that this link has for itself: opened with the first one, carried by a task among `readers`.
    pub(crate) fn ask(
        &mut self,
        link: LinkId,
        (from, to): (Option<Ipv4Addr>, SocketAddrV4),
        bytes: Vec<u8>,
        tell: Sender<Input>,
        readers: &mut JoinSet<()>,
    ) {
        if self.0.len() < MOST && !self.0.contains_key(&link) {
            let (writes, to_write) = channel(WAITING);
            let task = readers.spawn(carry_datagrams(link, from, to, to_write, tell));
            self.0.insert(link, Open { writes, task });
        }
        // What a full one refuses is lost, as on the wire.
        if let Some(open) = self.0.get(&link) {
            open.writes.try_send(bytes).unwrap_or(());
        }
    }

    /// Writes on a connection. What a full one refuses tears it: half a message is worse than none.
    pub(crate) fn write(&mut self, link: LinkId, bytes: Vec<u8>) {
        if let Some(open) = self.0.get(&link)
            && open.writes.try_send(bytes).is_err()
        {
            self.close(link);
        }
    }

    /// Closes a connection.
    pub(crate) fn close(&mut self, link: LinkId) {
        if let Some(open) = self.0.remove(&link) {
            open.task.abort();
        }
    }

    /// Whether this connection is still wanted; one that has told that it is over is forgotten.
    pub(crate) fn hears(&mut self, link: LinkId, news: &News) -> bool {
        let is_known = self.0.contains_key(&link);
        if matches!(news, News::Closed(_)) {
            self.0.remove(&link);
        }
        is_known
    }
}

/// What brings bytes to the other side and back: a connection, or datagrams.
trait Carrier: Send {
    /// How much comes at once at most.
    const ROOM: usize;

    /// The next bytes; `None` when the other side has finished.
    fn read(&mut self, buffer: &mut [u8]) -> impl Future<Output = io::Result<Option<usize>>> + Send;

    fn write(&mut self, bytes: &[u8]) -> impl Future<Output = io::Result<()>> + Send;
}

impl Carrier for TcpStream {
    const ROOM: usize = 2048;

    async fn read(&mut self, buffer: &mut [u8]) -> io::Result<Option<usize>> {
        AsyncReadExt::read(self, buffer).await.map(|length| Some(length).filter(|length| *length > 0))
    }

    async fn write(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.write_all(bytes).await
    }
}

impl Carrier for UdpSocket {
    /// The longest datagram that is looked at.
    const ROOM: usize = 9000;

    async fn read(&mut self, buffer: &mut [u8]) -> io::Result<Option<usize>> {
        self.recv(buffer).await.map(Some)
    }

    async fn write(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.send(bytes).await.map(drop)
    }
}

/// Carries one connection to its end.
async fn carry(
    link: LinkId,
    from: Option<Ipv4Addr>,
    to: SocketAddrV4,
    mut writes: Receiver<Vec<u8>>,
    tell: Sender<Input>,
) {
    let end = match tokio::time::timeout(CONNECTING, connect(from, to)).await {
        Err(_) => LinkEnd::Silent,
        Ok(Err(error)) => reason(error.kind()),
        Ok(Ok(stream)) => {
            if tell.send(Input::Link(link, News::Opened)).await.is_err() {
                return;
            }
            talk(stream, link, &mut writes, &tell).await
        }
    };
    tell.send(Input::Link(link, News::Closed(end))).await.unwrap_or(());
}

/// Carries datagrams from and to one port of its own.
async fn carry_datagrams(
    link: LinkId,
    from: Option<Ipv4Addr>,
    to: SocketAddrV4,
    mut writes: Receiver<Vec<u8>>,
    tell: Sender<Input>,
) {
    let end = match datagrams_to(from, to).await {
        Err(error) => reason(error.kind()),
        Ok(socket) => talk(socket, link, &mut writes, &tell).await,
    };
    tell.send(Input::Link(link, News::Closed(end))).await.unwrap_or(());
}

async fn datagrams_to(from: Option<Ipv4Addr>, to: SocketAddrV4) -> io::Result<UdpSocket> {
    cable::refuse_sockets()?;
    let socket = UdpSocket::bind(SocketAddrV4::new(from.unwrap_or(Ipv4Addr::UNSPECIFIED), 0)).await?;
    socket.connect(to).await?;
    Ok(socket)
}

async fn talk<C: Carrier>(
    mut carrier: C,
    link: LinkId,
    writes: &mut Receiver<Vec<u8>>,
    tell: &Sender<Input>,
) -> LinkEnd {
    let mut buffer = vec![0; C::ROOM];
    loop {
        tokio::select! {
            read = carrier.read(&mut buffer) => match read {
                Ok(None) => return LinkEnd::Finished,
                Ok(Some(length)) => {
                    if tell.send(Input::Link(link, News::Bytes(buffer[..length].to_vec()))).await.is_err() {
                        return LinkEnd::Torn;
                    }
                }
                Err(error) => return reason(error.kind()),
            },
            bytes = writes.recv() => match bytes {
                Some(bytes) => {
                    if let Err(error) = carrier.write(&bytes).await {
                        return reason(error.kind());
                    }
                }
                None => return LinkEnd::Torn,
            },
        }
    }
}

/// From our address on the chosen adapter, so that no other one is taken.
pub(crate) async fn connect(from: Option<Ipv4Addr>, to: SocketAddrV4) -> io::Result<TcpStream> {
    cable::refuse_sockets()?;
    let socket = TcpSocket::new_v4()?;
    if let Some(from) = from {
        socket.bind(SocketAddr::V4(SocketAddrV4::new(from, 0)))?;
    }
    socket.connect(SocketAddr::V4(to)).await
}

pub(crate) const fn reason(error: ErrorKind) -> LinkEnd {
    match error {
        ErrorKind::ConnectionRefused => LinkEnd::Refused,
        ErrorKind::TimedOut | ErrorKind::HostUnreachable | ErrorKind::NetworkUnreachable => LinkEnd::Silent,
        _ => LinkEnd::Torn,
    }
}
