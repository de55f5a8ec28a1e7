//! Runs a conversation of `lantern-core` against the real world.

use std::io;
use std::net::{SocketAddr, SocketAddrV4};
use std::time::{Duration, Instant};

use lantern_core::conversation::{Conversation, Heard, Outgoing};
use tokio::net::UdpSocket;
use tokio::sync::mpsc::{Receiver, Sender, channel};
use tokio::task::JoinSet;

use crate::{NetError, Sockets};

/// Longest datagram looked at; every message of interest is shorter.
const LONGEST: usize = 1500;
/// How many datagrams may wait for the conversation; more stay in the system's buffer, or are lost there.
const WAITING: usize = 1024;
/// How often whoever watches is told that time passes.
const TICK: Duration = Duration::from_millis(100);

/// A pause after a failed receive, so that a socket that only fails does not eat the processor.
const AFTER_ERROR: Duration = Duration::from_millis(5);

/// What went through the sockets.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Traffic {
    /// Datagrams sent.
    pub sent: u64,
    /// Datagrams the system refused to send.
    pub refused: u64,
    /// Datagrams heard.
    pub heard: u64,
}

/// What came in through one socket.
struct Datagram {
    socket: usize,
    from: SocketAddrV4,
    bytes: Vec<u8>,
}

/// Runs `conversation` on `sockets` until it is over. `watch` is called with every event, before anything that
/// follows from it is sent, and with `None` at least ten times a second.
///
/// # Errors
/// When the system gives no sockets to wait on, or every single send is refused.
pub fn run<C>(
    conversation: &mut C,
    sockets: &Sockets,
    watch: impl FnMut(&C, Duration, Option<C::Event>),
) -> Result<Traffic, NetError>
where
    C: for<'a> Conversation<Heard<'a> = Heard<'a>, Outgoing = Outgoing>,
{
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().map_err(NetError::Runtime)?;
    runtime.block_on(drive(conversation, sockets, watch))
}

async fn drive<C>(
    conversation: &mut C,
    sockets: &Sockets,
    mut watch: impl FnMut(&C, Duration, Option<C::Event>),
) -> Result<Traffic, NetError>
where
    C: for<'a> Conversation<Heard<'a> = Heard<'a>, Outgoing = Outgoing>,
{
    let cloned = sockets.sockets.iter().map(|socket| socket.try_clone().and_then(UdpSocket::from_std));
    let out: Vec<UdpSocket> = cloned.collect::<io::Result<_>>().map_err(NetError::Runtime)?;
    let (mut inbox, _readers) = listen(sockets).map_err(NetError::Runtime)?;
    let began = Instant::now();
    let mut traffic = Traffic::default();
    let mut refusal = None;
    while let Some(wake_at) = conversation.wake_at() {
        let now = began.elapsed();
        if wake_at <= now {
            conversation.wake(now);
        } else if let Ok(Some(datagram)) = tokio::time::timeout((wake_at - now).min(TICK), inbox.recv()).await {
            traffic.heard += 1;
            let seat = sockets.seat_of(datagram.socket, *datagram.from.ip());
            let heard = Heard { seat, from: datagram.from, bytes: &datagram.bytes };
            conversation.hear(began.elapsed(), &heard);
        }
        while let Some(event) = conversation.next_event() {
            watch(conversation, began.elapsed(), Some(event));
        }
        while let Some(outgoing) = conversation.next_send() {
            match out[sockets.seats[outgoing.seat].1].send_to(&outgoing.bytes, SocketAddr::V4(outgoing.to)).await {
                Ok(_) => traffic.sent += 1,
                Err(error) => {
                    traffic.refused += 1;
                    refusal = Some(error);
                }
            }
        }
        if traffic.sent == 0
            && let Some(error) = refusal.take()
        {
            return Err(NetError::NothingSent(error));
        }
        watch(conversation, began.elapsed(), None);
    }
    Ok(traffic)
}

/// One reader for each socket, all into one inbox. The readers end with the set.
fn listen(sockets: &Sockets) -> io::Result<(Receiver<Datagram>, JoinSet<()>)> {
    let (sender, inbox) = channel(WAITING);
    let mut readers = JoinSet::new();
    for (index, socket) in sockets.sockets.iter().enumerate() {
        let socket = UdpSocket::from_std(socket.try_clone()?)?;
        readers.spawn(read(index, socket, sender.clone()));
    }
    Ok((inbox, readers))
}

async fn read(index: usize, socket: UdpSocket, inbox: Sender<Datagram>) {
    let mut buffer = [0; LONGEST];
    loop {
        // An error of one datagram (a port closed at the other end) is none of the socket.
        let Ok((length, SocketAddr::V4(from))) = socket.recv_from(&mut buffer).await else {
            tokio::time::sleep(AFTER_ERROR).await;
            continue;
        };
        if inbox.send(Datagram { socket: index, from, bytes: buffer[..length].to_vec() }).await.is_err() {
            return;
        }
    }
}
