//! A station: everything of one adapter that a conversation can hear and speak through.
//!
//! UDP sockets for the ports asked for; where the system allows it, raw frames and echo requests. What is refused is
//! remembered, to be told: a survey goes on with what there is.

mod echo;
mod tap;
pub(crate) mod udp;

use std::cell::RefCell;
use std::io;
use std::net::{Ipv4Addr, UdpSocket};

use lantern_core::ART_NET_PORT;
use lantern_core::MacAddress;
use lantern_core::adapter::Choice;
use lantern_core::conversation::{Means, Seat};

use crate::NetError;
use crate::cable::is_pretended;
use crate::capture::Recorder;
use crate::system::{bind, neighbours};

pub(crate) use echo::Echoes;
pub(crate) use tap::Tap;
pub(crate) use udp::Udp;

/// What is sent to an address nobody has stays in its socket until the system gives up looking: several share the load.
const KNOCKERS: usize = 8;

/// The most sockets opened only to be in groups.
const MOST_JOINERS: usize = 64;

/// What a station shall hear and speak.
#[derive(Debug, Clone, Default)]
pub struct Wants {
    /// UDP ports.
    pub ports: Vec<u16>,
    /// Raw frames.
    pub frames: bool,
    /// Echo requests, where there are no raw frames.
    pub echo: bool,
    /// The system's table of neighbours.
    pub neighbours: bool,
}

/// Something a station could not have.
#[derive(Debug)]
pub enum Lack {
    /// Raw frames.
    Frames(io::Error),
    /// Echo requests.
    Echo(io::Error),
    /// A UDP port.
    Port(u16, io::Error),
}

/// An adapter with everything that was opened on it.
#[derive(Debug)]
pub struct Station {
    pub(crate) adapter: String,
    pub(crate) seats: Vec<Seat>,
    pub(crate) sockets: Vec<Udp>,
    pub(crate) tap: Option<Tap>,
    pub(crate) echo: Option<Echoes>,
    pub(crate) knockers: Vec<UdpSocket>,
    pub(crate) recorder: Option<RefCell<Recorder>>,
    pub(crate) own_mac: Option<MacAddress>,
    /// Sockets that do nothing but be in groups: a system lets one socket be in few (on Linux twenty).
    joiners: RefCell<Vec<UdpSocket>>,
    /// Sockets that are only there, so that the system refuses nobody who answers.
    swallowers: Vec<UdpSocket>,
    neighbours: bool,
    lacks: Vec<Lack>,
    /// The ports that another program here holds too.
    held: Vec<u16>,
}

impl Station {
    /// Opens what is wanted on the chosen adapter. What is refused is among [`Station::lacks`].
    ///
    /// Where frames are heard, the sockets hear nothing themselves: a desk or a visualiser that holds the same port here
    /// loses no datagram to us. Where another program holds the Art-Net port for itself, frames speak in its place.
    ///
    /// # Errors
    /// When Art-Net is all that is wanted, its port is held by a program that does not share it, and there are no frames.
    pub fn open(choice: &Choice, wants: &Wants, own_mac: Option<MacAddress>) -> Result<Self, NetError> {
        if is_pretended(&choice.name) {
            // There is no system that would carry datagrams: frames do.
            return Ok(Self { own_mac, seats: choice.seats.clone(), ..Self::of_frames(&choice.name)? });
        }
        let mut station = Self { own_mac, ..Self::on(&choice.name, choice.seats.clone()) };
        if wants.frames {
            match Tap::open(&choice.name) {
                Ok(tap) => station.tap = Some(tap),
                Err(source) => station.lacks.push(Lack::Frames(source)),
            }
        }
        for port in &wants.ports {
            let is_held = Udp::is_held(choice, *port);
            station.held.extend(is_held.then_some(*port));
            if station.tap.is_some() && !is_held {
                station.swallowers.extend(udp::swallower(choice, *port));
            }
            let is_all = *port == ART_NET_PORT && wants.ports.len() == 1 && station.tap.is_none();
            let opened = if station.tap.is_some() {
                Udp::open_to_speak(choice, *port)
            } else {
                Udp::open(choice, *port).map(|socket| vec![socket])
            };
            match opened {
                Ok(sockets) => station.sockets.extend(sockets),
                Err(source) if is_all => return Err(refused(choice, source)),
                Err(source) => station.lacks.push(Lack::Port(*port, source)),
            }
        }
        if wants.echo && station.tap.is_none() {
            match Echoes::open(&choice.name) {
                Ok(echo) => station.echo = Some(echo),
                Err(source) => station.lacks.push(Lack::Echo(source)),
            }
        }
        station.neighbours = wants.neighbours && neighbours::IS_TOLD;
        if station.neighbours && station.tap.is_none() && station.echo.is_none() {
            let opened = (0..KNOCKERS).map(|_| udp::knocker(choice)).collect::<io::Result<_>>();
            // Without them nobody is knocked at, which the neighbours will show.
            station.knockers = opened.unwrap_or_default();
        }
        Ok(station)
    }

    /// Raw frames only, on an adapter that may have no address yet.
    ///
    /// # Errors
    /// When the system gives no raw frames.
    pub fn of_frames(adapter: &str) -> Result<Self, NetError> {
        let tap = Tap::open(adapter);
        let tap = tap.map_err(|source| NetError::Frames { adapter: adapter.to_owned(), source })?;
        Ok(Self { tap: Some(tap), ..Self::on(adapter, Vec::new()) })
    }

    fn on(adapter: &str, seats: Vec<Seat>) -> Self {
        Self {
            adapter: adapter.to_owned(),
            seats,
            sockets: Vec::new(),
            tap: None,
            echo: None,
            knockers: Vec::new(),
            recorder: None,
            own_mac: None,
            joiners: RefCell::new(Vec::new()),
            swallowers: Vec::new(),
            neighbours: false,
            lacks: Vec::new(),
            held: Vec::new(),
        }
    }

    /// Writes down everything sent and heard from now on.
    pub fn record_to(&mut self, recorder: Recorder) {
        self.recorder = Some(RefCell::new(recorder));
    }

    /// Hands over what it writes down in, for another station to go on with.
    pub fn hand_over_recorder(&mut self) -> Option<Recorder> {
        self.recorder.take().map(RefCell::into_inner)
    }

    /// Ends the writing down; gives how many packets were written.
    pub fn stop_recording(&mut self) -> Option<io::Result<u64>> {
        self.hand_over_recorder().map(Recorder::finish)
    }

    /// What the system lets a conversation do here.
    #[must_use]
    pub const fn means(&self) -> Means {
        Means { frames: self.tap.is_some(), echo: self.echo.is_some(), neighbours: self.neighbours }
    }

    /// How many frames the system threw away because they came faster than they were read: what was heard lacks them.
    #[must_use]
    pub fn lost(&self) -> u64 {
        self.tap.as_ref().map_or(0, Tap::lost)
    }

    /// What was wanted and refused.
    #[must_use]
    pub fn lacks(&self) -> &[Lack] {
        &self.lacks
    }

    /// Whether another program holds the Art-Net port too.
    #[must_use]
    pub fn is_shared(&self) -> bool {
        self.is_held(ART_NET_PORT)
    }

    /// Whether another program holds this port, of those that were wanted.
    #[must_use]
    pub fn is_held(&self, port: u16) -> bool {
        self.held.contains(&port)
    }

    /// Whether datagrams that have no socket are sent as frames.
    pub(crate) const fn speaks_by_frames(&self) -> bool {
        self.tap.is_some() && self.own_mac.is_some()
    }

    /// Lets a socket's port hear a group: by the socket itself, or by another that is in the group in its place.
    pub(crate) fn join(&self, socket: usize, group: Ipv4Addr) -> io::Result<()> {
        let Err(refused) = self.sockets[socket].join(group) else { return Ok(()) };
        let own = self.sockets[socket].own;
        let mut joiners = self.joiners.borrow_mut();
        if joiners.last().is_some_and(|last| last.join_multicast_v4(&group, &own).is_ok()) {
            return Ok(());
        }
        if joiners.len() >= MOST_JOINERS {
            return Err(refused);
        }
        let further = UdpSocket::bind((Ipv4Addr::UNSPECIFIED, 0))?;
        further.join_multicast_v4(&group, &own)?;
        joiners.push(further);
        Ok(())
    }

    /// The seat at which something from this address was heard: the one in its subnet, or the first.
    pub(crate) fn seat_of(&self, from: Ipv4Addr) -> usize {
        Seat::beside(&self.seats, from).unwrap_or(0)
    }

    /// Whether this is an address of ours here.
    pub(crate) fn is_own(&self, address: Ipv4Addr) -> bool {
        self.seats.iter().any(|seat| seat.own == address)
    }

    /// The socket that serves a port, from this seat where it can be chosen.
    pub(crate) fn socket_of(&self, port: u16, seat: usize) -> Option<usize> {
        let of_port = |socket: &Udp| socket.port == port;
        let here = self.sockets.iter().position(|socket| of_port(socket) && socket.seat == Some(seat));
        here.or_else(|| self.sockets.iter().position(of_port))
    }
}

fn refused(choice: &Choice, source: io::Error) -> NetError {
    let adapter = choice.name.clone();
    if bind::HELD.contains(&source.kind()) {
        NetError::PortHeld { port: ART_NET_PORT, adapter }
    } else {
        NetError::Socket { adapter, source }
    }
}
