//! Runs a conversation of `lantern-core` against the real world.

use std::io::{self, BufRead};
use std::net::{Ipv4Addr, SocketAddr, SocketAddrV4};
use std::ops::ControlFlow;
use std::time::Duration;

use lantern_core::conversation::{
    Conversation, Datagram, Heard, LinkEnd, LinkId, LinkNews, Neighbour, Outgoing, Request, Response,
};
use lantern_core::packets;
use tokio::net::UdpSocket;
use tokio::sync::mpsc::{Receiver, Sender, channel};
use tokio::task::JoinSet;

use crate::by_frames::ByFrames;
use crate::clock::Clock;
use crate::fetch::fetch;
use crate::links::{Links, News};
use crate::station::Echoes;
use crate::system::neighbours::neighbours;
use crate::{NetError, Station};

/// Longest datagram looked at: as long as multicast DNS may send.
const LONGEST: usize = 9000;
/// How much may wait for the conversation; more stays in the system's buffer, or is lost there.
const WAITING: usize = 4096;
/// How much is heard at once before the clock is looked at again.
const AT_ONCE: usize = 256;
/// How often whoever watches is told that time passes.
const TICK: Duration = Duration::from_millis(100);

/// A pause after a failed receive, so that a socket that only fails does not eat the processor.
const AFTER_ERROR: Duration = Duration::from_millis(5);

/// What went through the station.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Traffic {
    /// Datagrams and frames sent.
    pub sent: u64,
    /// Those the system refused to send.
    pub refused: u64,
    /// Datagrams and frames heard.
    pub heard: u64,
    /// Groups the system would not listen to.
    pub groups_refused: u64,
}

/// What came in.
pub(crate) enum Input {
    Datagram { port: u16, from: SocketAddrV4, bytes: Vec<u8> },
    Frame(Vec<u8>),
    Echo((Ipv4Addr, u16)),
    Neighbours(Vec<Neighbour>),
    Link(LinkId, News),
    Page(LinkId, Result<Response, LinkEnd>),
    Typed(Option<String>),
}

/// Runs `conversation` on `station` until it is over, or until `watch` breaks it off: then nothing more is sent. `watch` is
/// called with every event, before anything that follows from it is sent, and with `None` about ten times a second.
///
/// # Errors
/// When the system gives no sockets to wait on, or every single send is refused.
pub fn run<C: Conversation>(
    conversation: &mut C,
    station: &Station,
    watch: impl FnMut(&C, Duration, Option<C::Event>) -> ControlFlow<()>,
) -> Result<Traffic, NetError> {
    run_beside(conversation, station, |_| {}, watch)
}

/// The same, with somebody who types: each line of `typed` is handed in as it comes, and its end.
///
/// # Errors
/// As [`run`].
pub fn run_typed<C: Conversation>(
    conversation: &mut C,
    station: &Station,
    typed: impl BufRead + Send + 'static,
    watch: impl FnMut(&C, Duration, Option<C::Event>) -> ControlFlow<()>,
) -> Result<Traffic, NetError> {
    // Whoever waits for a person to type cannot be stopped; it ends with the program, or with what is typed.
    let hand_in = |mail: Sender<Input>| {
        std::thread::spawn(move || {
            for line in typed.lines().map_while(Result::ok) {
                if mail.blocking_send(Input::Typed(Some(line))).is_err() {
                    return;
                }
            }
            mail.blocking_send(Input::Typed(None)).unwrap_or(());
        });
    };
    run_beside(conversation, station, hand_in, watch)
}

/// Runs it beside whoever else hands something in.
fn run_beside<C: Conversation>(
    conversation: &mut C,
    station: &Station,
    begin: impl FnOnce(Sender<Input>),
    watch: impl FnMut(&C, Duration, Option<C::Event>) -> ControlFlow<()>,
) -> Result<Traffic, NetError> {
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().map_err(NetError::Runtime)?;
    runtime.block_on(async {
        let mut run = Run::start(station).map_err(NetError::Runtime)?;
        begin(run.mail.clone());
        run.drive(conversation, watch).await?;
        Ok(run.traffic)
    })
}

/// One conversation on its way.
struct Run<'a> {
    station: &'a Station,
    out: Vec<UdpSocket>,
    /// Whose turn it is among the sockets for echoes, and for knocking.
    turn: usize,
    inbox: Receiver<Input>,
    mail: Sender<Input>,
    readers: JoinSet<()>,
    links: Links,
    clock: Clock,
    traffic: Traffic,
    refusal: Option<io::Error>,
    by_frames: ByFrames,
}

impl<'a> Run<'a> {
    fn start(station: &'a Station) -> io::Result<Self> {
        let (mail, inbox) = channel(WAITING);
        let mut readers = JoinSet::new();
        let mut out = Vec::new();
        for udp in &station.sockets {
            // What came before the conversation began was said to nobody.
            udp.empty();
            let socket = UdpSocket::from_std(udp.socket.try_clone()?)?;
            let port = udp.port;
            readers.spawn(read(socket, mail.clone(), move |from, bytes| match from {
                SocketAddr::V4(from) => Some(Input::Datagram { port, from, bytes: bytes.to_vec() }),
                SocketAddr::V6(_) => None,
            }));
            out.push(UdpSocket::from_std(udp.socket.try_clone()?)?);
        }
        for socket in station.echo.iter().flat_map(|echoes| &echoes.0) {
            let socket = UdpSocket::from_std(socket.try_clone()?)?;
            readers
                .spawn(read(socket, mail.clone(), |from, bytes| Echoes::answered(from, bytes).map(Input::Echo)));
        }
        if let Some(tap) = &station.tap {
            tap.listen(mail.clone(), Input::Frame)?;
        }
        let (traffic, clock) = (Traffic::default(), Clock::start());
        if let Some(recorder) = &station.recorder {
            recorder.borrow_mut().begin()?;
        }
        Ok(Self {
            station,
            out,
            turn: 0,
            inbox,
            mail,
            readers,
            links: Links::default(),
            clock,
            traffic,
            refusal: None,
            by_frames: ByFrames::default(),
        })
    }

    async fn drive<C: Conversation>(
        &mut self,
        conversation: &mut C,
        mut watch: impl FnMut(&C, Duration, Option<C::Event>) -> ControlFlow<()>,
    ) -> Result<(), NetError> {
        let mut ticked = Duration::ZERO;
        while let Some(wake_at) = conversation.wake_at() {
            self.clock.look(Duration::ZERO);
            let wait = self.clock.until(wake_at).min(TICK);
            if wait.is_zero() {
                conversation.wake(self.clock.now());
            } else {
                let first = tokio::time::timeout(wait, self.inbox.recv()).await;
                self.clock.look(wait);
                if let Ok(Some(input)) = first {
                    self.hear(conversation, &input);
                    for _ in 1..AT_ONCE {
                        let Ok(input) = self.inbox.try_recv() else { break };
                        self.hear(conversation, &input);
                    }
                }
            }
            let now = self.clock.now();
            while let Some(event) = conversation.next_event() {
                if watch(conversation, now, Some(event)).is_break() {
                    return Ok(());
                }
            }
            while let Some(outgoing) = conversation.next_send() {
                self.send(outgoing).await;
            }
            if self.traffic.sent == 0
                && let Some(error) = self.refusal.take()
            {
                return Err(NetError::NothingSent(error));
            }
            if now >= ticked + TICK {
                ticked = now;
                if watch(conversation, now, None).is_break() {
                    return Ok(());
                }
            }
        }
        Ok(())
    }

    fn hear<C: Conversation>(&mut self, conversation: &mut C, input: &Input) {
        let now = self.clock.now();
        self.record_heard(now, input);
        self.traffic.heard += 1;
        match input {
            Input::Datagram { port, from, bytes } => {
                let seat = self.station.seat_of(*from.ip());
                conversation.hear(now, &Heard::Datagram(Datagram { seat, from: *from, port: *port, bytes }));
            }
            Input::Frame(frame) => {
                self.by_frames.learn(self.station, frame);
                conversation.hear(now, &Heard::Frame(frame));
            }
            Input::Link(link, news) => {
                if self.links.hears(*link, news) {
                    let news = match news {
                        News::Opened => LinkNews::Opened,
                        News::Bytes(bytes) => LinkNews::Bytes(bytes),
                        News::Closed(end) => LinkNews::Closed(*end),
                    };
                    conversation.hear(now, &Heard::Link(*link, news));
                }
            }
            Input::Page(link, page) => {
                conversation.hear(now, &Heard::Page(*link, page.as_ref().map_err(|end| *end)));
            }
            Input::Typed(line) => conversation.hear(now, &Heard::Typed(line.as_deref())),
            Input::Echo((from, number)) => {
                conversation.hear(now, &Heard::Echo { from: *from, number: *number });
            }
            Input::Neighbours(table) => conversation.hear(now, &Heard::Neighbours(table)),
        }
    }

    async fn send(&mut self, outgoing: Outgoing) {
        self.record_sent(&outgoing);
        let sent = match outgoing {
            Outgoing::Datagram { seat, to, bytes } => match self.station.socket_of(to.port(), seat) {
                Some(socket) => self.out[socket].send_to(&bytes, SocketAddr::V4(to)).await.map(drop),
                // Another program holds the port for itself: told as a lack when the station was opened.
                None => match self.by_frames.send(self.station, to, &bytes) {
                    Some(sent) => sent,
                    None => return,
                },
            },
            Outgoing::Frame(frame) => self.station.tap.as_ref().map_or(Ok(()), |tap| tap.send(&frame)),
            Outgoing::Echo { to, number, .. } => {
                let sockets = self.station.echo.as_ref().map_or(&[][..], |echoes| &echoes.0);
                return self.knock(sockets, (to, 0).into(), &Echoes::request(number));
            }
            Outgoing::Knock { to, bytes } => return self.knock(&self.station.knockers, to.into(), &bytes),
            Outgoing::Neighbours => {
                let (mail, adapter) = (self.mail.clone(), self.station.adapter.clone());
                self.readers.spawn(async move {
                    mail.send(Input::Neighbours(neighbours(&adapter).await)).await.unwrap_or(());
                });
                return;
            }
            Outgoing::Join { seat, group, port } => return self.join(seat, group, port),
            Outgoing::Open { link, to } => return self.open(link, to),
            Outgoing::Ask { link, to, bytes } => return self.ask(link, to, bytes),
            Outgoing::Fetch { link, request } => return self.fetch(link, request),
            Outgoing::Write { link, bytes } => return self.links.write(link, bytes),
            Outgoing::Close { link } => return self.links.close(link),
        };
        match sent {
            Ok(()) => self.traffic.sent += 1,
            Err(error) => {
                self.traffic.refused += 1;
                self.refusal = Some(error);
            }
        }
    }

    /// The socket whose turn it is.
    fn next_of<'s>(&self, sockets: &'s [std::net::UdpSocket]) -> Option<&'s std::net::UdpSocket> {
        sockets.get(self.turn % sockets.len().max(1))
    }

    /// Sends by the next of these sockets. What a full one refuses is lost, as on the wire.
    fn knock(&mut self, sockets: &[std::net::UdpSocket], to: SocketAddr, bytes: &[u8]) {
        let Some(socket) = self.next_of(sockets) else { return };
        self.turn += 1;
        match socket.send_to(bytes, to) {
            Ok(_) => self.traffic.sent += 1,
            Err(_) => self.traffic.refused += 1,
        }
    }

    /// The address of ours from which to connect there.
    fn own_beside(&self, to: Ipv4Addr) -> Option<Ipv4Addr> {
        self.station.seats.get(self.station.seat_of(to)).map(|seat| seat.own)
    }

    /// Asks a web server.
    fn fetch(&mut self, link: LinkId, request: Request) {
        let (from, mail) = (self.own_beside(*request.to.ip()), self.mail.clone());
        self.traffic.sent += 1;
        self.readers.spawn(async move {
            mail.send(Input::Page(link, fetch(from, request).await)).await.unwrap_or(());
        });
    }

    /// Opens a connection, from our address beside the other side.
    fn open(&mut self, link: LinkId, to: SocketAddrV4) {
        let from = self.own_beside(*to.ip());
        self.traffic.sent += 1;
        self.links.open(link, from, to, self.mail.clone(), &mut self.readers);
    }

    /// Sends a datagram from a port of its own, from our address beside the other side.
    fn ask(&mut self, link: LinkId, to: SocketAddrV4, bytes: Vec<u8>) {
        let from = self.own_beside(*to.ip());
        self.traffic.sent += 1;
        self.links.ask(link, (from, to), bytes, self.mail.clone(), &mut self.readers);
    }

    /// All seats of a station sit on one adapter, so one of them is enough.
    fn join(&mut self, seat: usize, group: Ipv4Addr, port: u16) {
        let is_first = seat == 0 && self.station.seats.first().is_some_and(|seat| !seat.own.is_loopback());
        if let Some(socket) = self.station.socket_of(port, seat).filter(|_| is_first)
            && self.station.join(socket, group).is_err()
        {
            self.traffic.groups_refused += 1;
        }
    }

    fn record_heard(&self, now: Duration, input: &Input) {
        let Some(recorder) = &self.station.recorder else { return };
        let mut recorder = recorder.borrow_mut();
        let own = self.station.seats.first().map_or(Ipv4Addr::UNSPECIFIED, |seat| seat.own);
        match input {
            // What passes on our own connections may be answers to a password.
            Input::Frame(frame) if packets::is_of_connection(frame, |address| self.station.is_own(address)) => {}
            Input::Frame(frame) => recorder.frame(now, frame),
            // Where frames are heard, every datagram is among them.
            Input::Datagram { port, from, bytes } if self.station.tap.is_none() => {
                recorder.datagram(now, *from, SocketAddrV4::new(own, *port), bytes);
            }
            Input::Datagram { .. } | Input::Link(..) | Input::Page(..) | Input::Typed(_) => {}
            Input::Echo((from, number)) => recorder.echo_reply(now, *from, own, *number),
            Input::Neighbours(table) => recorder.neighbours(now, table),
        }
    }

    fn record_sent(&self, outgoing: &Outgoing) {
        let Some(recorder) = &self.station.recorder else { return };
        let mut recorder = recorder.borrow_mut();
        let now = self.clock.now();
        match outgoing {
            Outgoing::Frame(frame) => recorder.frame(now, frame),
            // The tap hears what the system sends.
            Outgoing::Datagram { seat, to, bytes } if self.station.tap.is_none() => {
                let own = self.station.seats[*seat].own;
                recorder.datagram(now, SocketAddrV4::new(own, to.port()), *to, bytes);
            }
            Outgoing::Echo { seat, to, number } => {
                recorder.echo_request(now, self.station.seats[*seat].own, *to, *number);
            }
            Outgoing::Knock { to, bytes } => {
                let own = self.station.seats.first().map_or(Ipv4Addr::UNSPECIFIED, |seat| seat.own);
                let knocker = self.next_of(&self.station.knockers).and_then(|socket| socket.local_addr().ok());
                if let Some(from) = knocker {
                    recorder.datagram(now, SocketAddrV4::new(own, from.port()), *to, bytes);
                }
            }
            Outgoing::Datagram { .. }
            | Outgoing::Neighbours
            | Outgoing::Join { .. }
            | Outgoing::Open { .. }
            | Outgoing::Ask { .. }
            | Outgoing::Fetch { .. }
            | Outgoing::Write { .. }
            | Outgoing::Close { .. } => {}
        }
    }
}

/// Passes on what a socket hears, as far as `into` makes something of it.
async fn read(socket: UdpSocket, inbox: Sender<Input>, into: impl Fn(SocketAddr, &[u8]) -> Option<Input>) {
    let mut buffer = [0; LONGEST];
    loop {
        // An error of one datagram (a port closed at the other end) is none of the socket.
        let Ok((length, from)) = socket.recv_from(&mut buffer).await else {
            tokio::time::sleep(AFTER_ERROR).await;
            continue;
        };
        if let Some(input) = into(from, &buffer[..length])
            && inbox.send(input).await.is_err()
        {
            return;
        }
    }
}
