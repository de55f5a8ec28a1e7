//! A pretended cable: the only adapter of this computer while the program is plugged in there, so that nothing it does leaves the
//! computer. Its frames are datagrams to a simulated network on the same computer: an empty one plugs in, one byte plugs out.

use std::fmt;
use std::io;
use std::net::{Ipv4Addr, SocketAddrV4, UdpSocket};
use std::str::FromStr;
use std::sync::OnceLock;
use std::time::Duration;

use lantern_core::MacAddress;
use lantern_core::adapter::{Adapter, Computer, Medium, Origin, OwnAddress};
use lantern_core::address::{Mask, Subnet};
use socket2::SockRef;
use tokio::sync::mpsc::Sender;

use crate::NetError;

/// The adapter's name.
const NAME: &str = "cable0";
/// How long the thread waits before it looks whether anybody still listens.
const NAP: Duration = Duration::from_millis(20);
/// Room for the answers of a large rig that all come at once.
const RECEIVE_BUFFER: usize = 1 << 20;
/// Longest frame looked at.
const LONGEST: usize = 9216;
const PLUG_IN: &[u8] = &[];
const PLUG_OUT: &[u8] = &[0];

static PLUGGED: OnceLock<Cable> = OnceLock::new();

/// Where a pretended cable is plugged in, and who this computer is on it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cable {
    place: SocketAddrV4,
    own: Ipv4Addr,
    mask: Mask,
    mac: MacAddress,
}

impl Cable {
    /// A cable that ends at this place of this computer.
    ///
    /// # Errors
    /// When the place is on another computer.
    pub fn new(place: SocketAddrV4, (own, mask): (Ipv4Addr, Mask), mac: MacAddress) -> Result<Self, CableError> {
        if place.ip().is_loopback() { Ok(Self { place, own, mask, mac }) } else { Err(CableError) }
    }

    /// Plugs this program in, until it ends. From then on it knows no other adapter. A second cable is left aside.
    pub fn plug_in(self) {
        PLUGGED.get_or_init(|| self);
    }

    fn adapter(&self) -> Adapter {
        let subnet = Subnet::around(self.own, self.mask);
        Adapter {
            name: NAME.to_owned(),
            label: None,
            preferred: false,
            medium: Medium::Wired,
            on: true,
            link: true,
            speed: None,
            mac: Some(self.mac),
            addresses: vec![OwnAddress { address: self.own, subnet, origin: Origin::Fixed }],
            gateways: Vec::new(),
        }
    }
}

/// What this computer is while it is plugged in; `None` while it is not.
pub(crate) fn computer() -> Option<Computer> {
    PLUGGED.get().map(|cable| Computer {
        adapters: vec![cable.adapter()],
        holders: Vec::new(),
        name_servers: Vec::new(),
    })
}

/// Whether this adapter is the near end of a pretended cable.
#[must_use]
pub fn is_pretended(adapter: &str) -> bool {
    adapter == NAME && PLUGGED.get().is_some()
}

/// What a system knows or is set to it does not know of a pretended adapter.
pub(crate) fn refuse_pretended(adapter: &str) -> Result<(), NetError> {
    if is_pretended(adapter) { Err(NetError::Pretended(adapter.to_owned())) } else { Ok(()) }
}

/// On the cable there are frames only: what a socket sends would leave by the computer's real adapters.
pub(crate) fn refuse_sockets() -> io::Result<()> {
    PLUGGED.get().map_or(Ok(()), |_| Err(io::ErrorKind::HostUnreachable.into()))
}

/// No description of a cable.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("a pretended cable is written as 127.0.0.1:PORT ADDRESS/PREFIX MAC, and ends on this computer")]
pub struct CableError;

/// `127.0.0.1:41234 10.40.0.7/16 02:4d:42:00:00:07`.
impl fmt::Display for Cable {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self { place, own, mask, mac } = self;
        write!(f, "{place} {own}/{} {mac}", mask.prefix())
    }
}

impl FromStr for Cable {
    type Err = CableError;

    fn from_str(text: &str) -> Result<Self, CableError> {
        let words: Vec<&str> = text.split_whitespace().collect();
        let [place, own, mac] = words[..] else { return Err(CableError) };
        let (own, prefix) = own.split_once('/').ok_or(CableError)?;
        let mask = prefix.parse().ok().and_then(Mask::from_prefix).ok_or(CableError)?;
        let own = own.parse().map_err(|_| CableError)?;
        let (place, mac) = (place.parse().map_err(|_| CableError)?, mac.parse().map_err(|_| CableError)?);
        Self::new(place, (own, mask), mac)
    }
}

/// One program's plug in the cable.
pub(crate) struct Plug {
    place: SocketAddrV4,
    socket: UdpSocket,
}

impl Plug {
    /// Plugs in.
    pub(crate) fn open() -> io::Result<Self> {
        let place = PLUGGED.get().ok_or(io::ErrorKind::NotFound)?.place;
        Ok(Self { place, socket: plugged_in(place)? })
    }

    pub(crate) fn send(&self, frame: &[u8]) -> io::Result<()> {
        self.socket.send(frame).map(drop)
    }

    /// Starts a thread that passes frames on; it ends when the inbox is closed. What was said to an earlier one is not heard.
    pub(crate) fn listen<T: Send + 'static>(
        &mut self,
        inbox: Sender<T>,
        into: fn(Vec<u8>) -> T,
    ) -> io::Result<()> {
        let (before, ear) =
            (std::mem::replace(&mut self.socket, plugged_in(self.place)?), self.socket.try_clone()?);
        plug_out(&before);
        ear.set_read_timeout(Some(NAP))?;
        let read = move || {
            let mut buffer = vec![0; LONGEST];
            while !inbox.is_closed() {
                // Nothing for a while, or nobody at the other end any more: what is sent will tell that.
                let Ok(length) = ear.recv(&mut buffer) else { continue };
                if inbox.blocking_send(into(buffer[..length].to_vec())).is_err() {
                    break;
                }
            }
            plug_out(&ear);
        };
        std::thread::Builder::new().name("cable".to_owned()).spawn(read).map(drop)
    }
}

impl Drop for Plug {
    fn drop(&mut self) {
        plug_out(&self.socket);
    }
}

fn plugged_in(place: SocketAddrV4) -> io::Result<UdpSocket> {
    let socket = UdpSocket::bind((Ipv4Addr::LOCALHOST, 0))?;
    // A smaller buffer works too, for smaller rigs.
    SockRef::from(&socket).set_recv_buffer_size(RECEIVE_BUFFER).unwrap_or(());
    socket.connect(place)?;
    socket.send(PLUG_IN)?;
    Ok(socket)
}

/// Whoever is gone already need not be told.
fn plug_out(socket: &UdpSocket) {
    socket.send(PLUG_OUT).unwrap_or(0);
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[test]
    fn a_cable_is_written_and_read() {
        let text = "127.0.0.1:41234 10.40.0.7/16 02:4d:42:00:00:07";
        assert_eq!(text.parse::<Cable>().map(|cable| cable.to_string()), Ok(text.to_owned()));
    }

    #[rstest]
    #[case::nothing("")]
    #[case::another_computer("10.40.1.1:41234 10.40.0.7/16 02:4d:42:00:00:07")]
    #[case::no_prefix("127.0.0.1:41234 10.40.0.7 02:4d:42:00:00:07")]
    #[case::too_long_a_prefix("127.0.0.1:41234 10.40.0.7/33 02:4d:42:00:00:07")]
    #[case::no_mac("127.0.0.1:41234 10.40.0.7/16")]
    #[case::more("127.0.0.1:41234 10.40.0.7/16 02:4d:42:00:00:07 more")]
    fn anything_else_is_none(#[case] text: &str) {
        assert_eq!(text.parse::<Cable>(), Err(CableError));
    }
}
