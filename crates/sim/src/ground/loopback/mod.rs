//! On loopback: every node is a real UDP socket on its own `127.x.y.z` port 6454. No rights are needed and nothing
//! outside this computer is touched.
//!
//! Each ground claims a /16 of its own by binding its directed broadcast address, which stands for the wire: what
//! is sent there reaches every node. A node that speaks to everybody speaks to every party that was heard. A node
//! whose address lies outside the ground is heard through the wire, but cannot be sent to, as on a real network.

mod sockets;

use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::net::{Ipv4Addr, SocketAddr, SocketAddrV4};
use std::sync::mpsc;
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use lantern_wire::art_net::PORT;
use tokio::net::TcpStream;
use tokio::sync::mpsc::{UnboundedReceiver, UnboundedSender, unbounded_channel};
use tokio::task::{AbortHandle, LocalSet, spawn_local};

use crate::device::{Linked, Utterance};
use crate::party::Party;
use crate::{Destination, EndpointTruth, FixtureTruth, Link, Scene, Speech, Truth};

use sockets::{LAST_PRIVILEGED, bound, read, read_on, reader, write_on};

/// The second octets grounds may use; 127.0 belongs to the computer itself.
const SECOND_OCTETS: std::ops::RangeInclusive<u8> = 1..=254;
/// How often it is looked whether the ground runs.
const HEARTBEAT: Duration = Duration::from_millis(100);
/// How many parties are remembered as listening to what nodes say to everybody.
const MOST_LISTENERS: usize = 64;

/// Simulated nodes on real sockets, in a thread of their own, until dropped.
#[derive(Debug)]
pub struct LoopbackGround {
    second_octet: u8,
    orders: UnboundedSender<Order>,
    thread: Option<JoinHandle<()>>,
}

enum Order {
    Switch { name: String, on: bool },
    Tell(Box<dyn FnOnce(&mut Ground) + Send>),
    Stop,
}

impl LoopbackGround {
    /// Lets the nodes of `scene` stand on the first free ground, each with the host part it has in the scene.
    ///
    /// # Errors
    /// When no ground is free, or the system refuses sockets.
    pub fn start(scene: &Scene) -> io::Result<Self> {
        // Grounds started at the same time spread out instead of queueing for the first.
        let spread = usize::try_from(std::process::id() % 254).unwrap_or(0);
        let octets = SECOND_OCTETS.cycle().skip(spread).take(SECOND_OCTETS.count());
        let (second_octet, wire) = octets
            .into_iter()
            .find_map(|octet| claim(octet).ok().map(|wire| (octet, wire)))
            .ok_or_else(|| io::Error::new(io::ErrorKind::AddrInUse, "every loopback ground is taken"))?;
        Self::start_on(scene, second_octet, wire)
    }

    fn start_on(scene: &Scene, second_octet: u8, wire: std::net::UdpSocket) -> io::Result<Self> {
        let parties = Party::all(&scene.on_ground(Ipv4Addr::new(127, second_octet, 0, 0)));
        let link = Link::new(scene.loss, scene.seed);
        let (orders, inbox) = unbounded_channel();
        let (ready, started) = mpsc::channel();
        let run = move || {
            let runtime = match tokio::runtime::Builder::new_current_thread().enable_all().build() {
                Ok(runtime) => runtime,
                Err(error) => return ready.send(Err(error)).unwrap_or(()),
            };
            LocalSet::new().block_on(&runtime, async {
                match Ground::new(second_octet, parties, link, wire) {
                    Ok(mut ground) => {
                        let bound = ground.bind_parties();
                        let runs = bound.is_ok();
                        ready.send(bound).unwrap_or(());
                        if runs {
                            ground.run(inbox).await;
                        }
                    }
                    Err(error) => ready.send(Err(error)).unwrap_or(()),
                }
            });
        };
        let thread = std::thread::Builder::new().name("loopback ground".to_owned()).spawn(run)?;
        started.recv().map_err(io::Error::other)??;
        Ok(Self { second_octet, orders, thread: Some(thread) })
    }

    /// The ground's own address, the first of its /16.
    #[must_use]
    pub const fn network(&self) -> Ipv4Addr {
        Ipv4Addr::new(127, self.second_octet, 0, 0)
    }

    /// The address a guest takes on this ground.
    #[must_use]
    pub const fn guest(&self) -> Ipv4Addr {
        Ipv4Addr::new(127, self.second_octet, 0, 1)
    }

    /// Switches the power of the node that started with this name.
    pub fn switch(&self, name: &str, on: bool) {
        self.orders.send(Order::Switch { name: name.to_owned(), on }).unwrap_or(());
    }

    /// Plugs the unit of this label into a port, from 1, of the node that started with this name. Gives whether both are there.
    pub fn replug(&self, label: &str, node: &str, port: usize) -> bool {
        let (label, node) = (label.to_owned(), node.to_owned());
        self.told(move |ground| Party::replug(ground.parties.iter_mut(), &label, &node, port))
    }

    /// Where every unit on the cables of nodes hangs at this moment: its label, the node as it started, the port.
    #[must_use]
    pub fn hanging(&self) -> Vec<(String, String, usize)> {
        self.told(|ground| ground.hanging())
    }

    /// What every Art-Net node really is at this moment, in the order of the scene.
    #[must_use]
    pub fn truth(&self) -> Vec<Truth> {
        self.told(|ground| ground.truth())
    }

    /// The names, as they were at the start, of all who show at this moment which ones they are.
    #[must_use]
    pub fn flashing(&self) -> Vec<String> {
        self.told(|ground| ground.flashing())
    }

    /// What every unit on the cables of nodes really is at this moment.
    #[must_use]
    pub fn fixtures(&self) -> Vec<FixtureTruth> {
        self.told(|ground| ground.fixtures())
    }

    /// What the ports really are that are patched through brokers, at this moment.
    #[must_use]
    pub fn endpoints(&self) -> Vec<EndpointTruth> {
        self.told(|ground| ground.parties.iter().flat_map(Party::endpoints).collect())
    }

    /// The slots that each node puts out of an Art-Net universe at this moment, of those that do.
    #[must_use]
    pub fn levels(&self, port_address: u16) -> Vec<Vec<u8>> {
        self.told(move |ground| ground.levels(port_address))
    }

    /// The longest time that the ground stood still since this was asked last, because the processors were taken by somebody
    /// else: what was not answered then was not refused by its nodes.
    #[must_use]
    pub fn stood_still(&self) -> Duration {
        self.told(|ground| std::mem::take(&mut ground.stood_still))
    }

    /// What the ground tells of itself; nothing once it has stopped.
    fn told<T: Default + Send + 'static>(&self, tell: impl FnOnce(&mut Ground) -> T + Send + 'static) -> T {
        let (to, from) = mpsc::channel();
        self.orders.send(Order::Tell(Box::new(move |ground| to.send(tell(ground)).unwrap_or(())))).unwrap_or(());
        from.recv().unwrap_or_default()
    }
}

impl Drop for LoopbackGround {
    fn drop(&mut self) {
        self.orders.send(Order::Stop).unwrap_or(());
        if let Some(thread) = self.thread.take() {
            thread.join().unwrap_or(());
        }
    }
}

/// Binds the address that stands for the wire; whoever holds it holds the ground.
fn claim(second_octet: u8) -> io::Result<std::net::UdpSocket> {
    let socket = std::net::UdpSocket::bind((Ipv4Addr::new(127, second_octet, 255, 255), PORT))?;
    socket.set_nonblocking(true)?;
    Ok(socket)
}

/// What runs in the thread.
struct Ground {
    second_octet: u8,
    parties: Vec<Party>,
    link: Link,
    /// What stands for the wire, on each port.
    wires: BTreeMap<u16, std::net::UdpSocket>,
    /// Where each party listens; `None` for one that is off.
    places: Vec<Option<Ipv4Addr>>,
    sockets: BTreeMap<SocketAddrV4, NodeSocket>,
    listeners: BTreeSet<SocketAddrV4>,
    /// Where connections are taken, and who takes them there.
    takers: BTreeMap<SocketAddrV4, AbortHandle>,
    /// Connections, by number: whose they are, and where to write.
    links: BTreeMap<u64, (usize, UnboundedSender<Vec<u8>>)>,
    opened: u64,
    heard: UnboundedSender<Inbound>,
    inbox: UnboundedReceiver<Inbound>,
    started: Instant,
    stood_still: Duration,
}

struct NodeSocket {
    /// To send by; a full buffer loses the datagram, as the network would.
    socket: std::net::UdpSocket,
    reader: AbortHandle,
}

/// Something that came in.
enum Inbound {
    Datagram(Frame),
    /// Somebody has connected there.
    Taken {
        at: SocketAddrV4,
        stream: TcpStream,
    },
    /// This came on a connection; nothing when it is over.
    OnLink {
        link: u64,
        bytes: Vec<u8>,
    },
}

/// A datagram that came in, and the address it was sent to.
struct Frame {
    to: SocketAddrV4,
    from: SocketAddrV4,
    bytes: Vec<u8>,
}

impl Ground {
    fn new(second_octet: u8, parties: Vec<Party>, link: Link, wire: std::net::UdpSocket) -> io::Result<Self> {
        let (heard, inbox) = unbounded_channel();
        let mut wires = BTreeMap::from([(PORT, wire)]);
        let ports: BTreeSet<u16> =
            parties.iter().flat_map(Party::ports).filter(|port| *port > LAST_PRIVILEGED).collect();
        for port in ports.into_iter().filter(|port| *port != PORT) {
            wires.insert(port, bound(SocketAddrV4::new(Ipv4Addr::new(127, second_octet, 255, 255), port))?);
        }
        Ok(Self {
            second_octet,
            places: parties.iter().map(place).collect(),
            parties,
            link,
            wires,
            sockets: BTreeMap::new(),
            listeners: BTreeSet::new(),
            takers: BTreeMap::new(),
            links: BTreeMap::new(),
            opened: 0,
            heard,
            inbox,
            started: Instant::now(),
            stood_still: Duration::ZERO,
        })
    }

    const fn wire_address(&self) -> Ipv4Addr {
        Ipv4Addr::new(127, self.second_octet, 255, 255)
    }

    const fn is_on_ground(&self, address: Ipv4Addr) -> bool {
        let [a, b, ..] = address.octets();
        a == 127 && b == self.second_octet
    }

    async fn run(&mut self, mut orders: UnboundedReceiver<Order>) {
        for (port, wire) in &self.wires {
            let address = SocketAddrV4::new(self.wire_address(), *port);
            // Without a reader the wire is dead on this port; so is the network when the system has no sockets left.
            if let Ok(reader) = reader(wire) {
                spawn_local(read(reader, address, self.heard.clone()));
            }
        }
        let mut looked = self.started.elapsed();
        loop {
            let wake = self.parties.iter().filter_map(Party::wake_at).min();
            let sleep = wake.map_or(HEARTBEAT, |at| at.saturating_sub(self.started.elapsed())).min(HEARTBEAT);
            tokio::select! {
                frame = self.inbox.recv() => match frame {
                    Some(Inbound::Datagram(frame)) => self.hear(&frame),
                    Some(Inbound::Taken { at, stream }) => self.take(at, stream),
                    Some(Inbound::OnLink { link, bytes }) => self.hear_on(link, &bytes),
                    None => return,
                },
                order = orders.recv() => match order {
                    Some(Order::Switch { name, on }) => self.switch(&name, on),
                    Some(Order::Tell(tell)) => tell(self),
                    Some(Order::Stop) | None => return,
                },
                () = tokio::time::sleep(sleep) => {}
            }
            self.wake_parties();
            let now = self.started.elapsed();
            self.stood_still = self.stood_still.max((now - looked).saturating_sub(sleep));
            looked = now;
        }
    }

    fn fixtures(&self) -> Vec<FixtureTruth> {
        self.parties.iter().flat_map(Party::fixtures).collect()
    }

    fn hanging(&self) -> Vec<(String, String, usize)> {
        self.parties.iter().flat_map(Party::hanging).collect()
    }

    fn flashing(&self) -> Vec<String> {
        let all = self.parties.iter().filter(|party| party.flashes());
        all.map(|party| party.name().to_owned()).collect()
    }

    fn truth(&self) -> Vec<Truth> {
        self.parties.iter().filter_map(Party::truth).collect()
    }

    fn levels(&self, port_address: u16) -> Vec<Vec<u8>> {
        self.parties.iter().filter_map(|party| party.puts_out(port_address)).map(<[u8]>::to_vec).collect()
    }

    /// After a party did something: gives it the address it has now.
    fn settle(&mut self, index: usize) {
        let place = place(&self.parties[index]);
        if std::mem::replace(&mut self.places[index], place) != place {
            // A party that cannot have the address it was given stays silent, as a real one would.
            self.bind_parties().unwrap_or(());
        }
    }

    fn hear(&mut self, frame: &Frame) {
        if self.listeners.len() < MOST_LISTENERS {
            self.listeners.insert(frame.from);
        }
        let now = self.started.elapsed();
        let everybody = *frame.to.ip() == self.wire_address();
        for index in 0..self.parties.len() {
            let meant = everybody || self.parties[index].address() == *frame.to.ip();
            if meant && self.link.delivers() {
                let was_at = self.parties[index].address();
                self.parties[index].hear(now, frame.to.port(), frame.from, everybody, &frame.bytes);
                self.let_speak(index, was_at);
                self.settle(index);
            }
        }
    }

    /// Somebody has connected to the party at this address.
    fn take(&mut self, at: SocketAddrV4, stream: TcpStream) {
        let Some(index) = self.places.iter().position(|place| *place == Some(*at.ip())) else { return };
        self.opened += 1;
        let (link, (reads, writes)) = (self.opened, stream.into_split());
        let (to_write, waiting) = unbounded_channel();
        spawn_local(write_on(writes, waiting));
        spawn_local(read_on(reads, link, self.heard.clone()));
        self.links.insert(link, (index, to_write));
        self.parties[index].opened(self.started.elapsed(), at.port(), link);
        self.let_talk(index);
    }

    fn hear_on(&mut self, link: u64, bytes: &[u8]) {
        let Some(index) = self.links.get(&link).map(|(index, _)| *index) else { return };
        if bytes.is_empty() {
            self.links.remove(&link);
            self.parties[index].closed(link);
        } else {
            self.parties[index].heard_on(self.started.elapsed(), link, bytes);
        }
        self.let_talk(index);
    }

    /// Lets a party say what it has to say on its connections.
    fn let_talk(&mut self, index: usize) {
        while let Some((link, said)) = self.parties[index].next_linked() {
            match said {
                Linked::Bytes(bytes) => {
                    if let Some((_, writes)) = self.links.get(&link) {
                        writes.send(bytes).unwrap_or(());
                    }
                }
                // Whoever has nothing more to write hangs up.
                Linked::Close => drop(self.links.remove(&link)),
            }
        }
    }

    fn switch(&mut self, name: &str, on: bool) {
        let now = self.started.elapsed();
        for index in 0..self.parties.len() {
            if self.parties[index].name() == name {
                self.parties[index].switch(now, on);
                self.settle(index);
            }
        }
    }

    fn wake_parties(&mut self) {
        let now = self.started.elapsed();
        for index in 0..self.parties.len() {
            if self.parties[index].wake_at().is_some_and(|at| at <= now) {
                self.parties[index].wake(now);
                // One that has just come up speaks from its new address.
                self.settle(index);
                self.let_speak(index, self.parties[index].address());
                self.let_talk(index);
            }
        }
    }

    fn let_speak(&mut self, index: usize, source: Ipv4Addr) {
        while let Some(said) = self.parties[index].next() {
            // There are no frames on loopback.
            if let Utterance::Speech(speech) = said {
                self.carry(source, &speech);
            }
        }
    }

    fn carry(&mut self, source: Ipv4Addr, speech: &Speech) {
        let bound = self.sockets.get(&SocketAddrV4::new(source, speech.port)).map(|bound| &bound.socket);
        let Some(socket) = bound.or_else(|| self.wires.get(&speech.port)) else { return };
        let listeners: BTreeSet<SocketAddrV4> = match speech.to {
            // A mask is nothing on loopback.
            Destination::Everybody | Destination::Broadcast(_) => self.listeners.iter().copied().collect(),
            // There are no groups on loopback: whoever was heard belongs to every one.
            Destination::Group(group) => {
                self.listeners.iter().map(|one| SocketAddrV4::new(*one.ip(), group.port())).collect()
            }
            Destination::One(party) => BTreeSet::from([party]),
        };
        for listener in listeners {
            if self.link.delivers() {
                socket.send_to(&speech.bytes, SocketAddr::V4(listener)).unwrap_or(0);
            }
        }
    }
}

/// Where a party listens; `None` when it is off.
fn place(party: &Party) -> Option<Ipv4Addr> {
    party.is_listening().then(|| party.address())
}
