//! Linux: packet sockets. One is read by a thread of its own, with room for a burst, and counts what the system had to throw away;
//! the other one lets the adapter hear what is for others, and speaks.

use std::io::{self, IoSliceMut};
use std::os::fd::{AsRawFd, OwnedFd};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use nix::errno::Errno;
use nix::sys::socket::sockopt::{RcvBuf, RcvBufForce, ReceiveTimeout, RxqOvfl};
use nix::sys::socket::{
    AddressFamily, ControlMessageOwned, LinkAddr, MsgFlags, SockFlag, SockProtocol, SockType, bind, recvmsg,
    setsockopt, socket,
};
use nix::sys::time::TimeVal;
use pnet_datalink::{Channel, Config, DataLinkReceiver, DataLinkSender};
use tokio::sync::mpsc::Sender;

/// How long the thread waits before it looks whether anybody still listens.
const NAP: Duration = Duration::from_millis(20);

/// How long the next conversation waits for the last one's thread to end.
const PATIENCE: Duration = Duration::from_secs(1);
/// The most frames thrown away before a conversation.
const MOST_OLD: usize = 65_536;
/// Room for what comes while the thread does not run: a third of a second of a full gigabit. The system may give less.
const ROOM: usize = 32 << 20;
/// Longest frame looked at.
const LONGEST: usize = 9216;

pub(crate) struct Frames {
    sender: Box<dyn DataLinkSender>,
    /// While it is there, the adapter hears what is for others. It is not read: what does not fit into it is dropped.
    _promiscuous: Box<dyn DataLinkReceiver>,
    receiver: Receiver,
    lost: Arc<AtomicU64>,
}

/// The receiver, while no conversation reads from it: the thread of the last one puts it back.
type Receiver = Arc<Mutex<Option<Ear>>>;

fn take(place: &Receiver) -> Option<Ear> {
    let began = Instant::now();
    while began.elapsed() < PATIENCE {
        if let Some(receiver) = place.lock().unwrap_or_else(PoisonError::into_inner).take() {
            return Some(receiver);
        }
        std::thread::sleep(Duration::from_millis(2));
    }
    None
}

/// A socket that hears every frame of one adapter.
struct Ear {
    socket: OwnedFd,
    buffer: Vec<u8>,
    notes: Vec<u8>,
    /// What the socket has counted as thrown away: it counts up, around at the end.
    dropped: u32,
}

impl Ear {
    fn open(adapter: &str) -> io::Result<Self> {
        let place = nix::ifaddrs::getifaddrs()?
            .filter(|one| one.interface_name == adapter)
            .find_map(|one| one.address.and_then(|address| address.as_link_addr().copied()));
        let place: LinkAddr = place.ok_or(io::ErrorKind::NotFound)?;
        let socket = socket(AddressFamily::Packet, SockType::Raw, SockFlag::SOCK_CLOEXEC, SockProtocol::EthAll)?;
        bind(socket.as_raw_fd(), &place)?;
        // Whoever may not have so much takes what there is.
        if setsockopt(&socket, RcvBufForce, &ROOM).is_err() {
            setsockopt(&socket, RcvBuf, &ROOM).unwrap_or(());
        }
        setsockopt(&socket, RxqOvfl, &1).unwrap_or(());
        let nap = TimeVal::new(0, NAP.subsec_micros().into());
        setsockopt(&socket, ReceiveTimeout, &nap)?;
        Ok(Self { socket, buffer: vec![0; LONGEST], notes: nix::cmsg_space!(u32), dropped: 0 })
    }

    /// The next frame, and how many were thrown away before it; `None` when none came for a while.
    fn next(&mut self) -> io::Result<Option<(&[u8], u32)>> {
        let (length, dropped) = {
            let mut into = [IoSliceMut::new(&mut self.buffer)];
            let flags = MsgFlags::empty();
            match recvmsg::<()>(self.socket.as_raw_fd(), &mut into, Some(&mut self.notes), flags) {
                Ok(heard) => {
                    let note = heard.cmsgs().ok().into_iter().flatten().find_map(|note| match note {
                        ControlMessageOwned::RxqOvfl(dropped) => Some(dropped),
                        _ => None,
                    });
                    (heard.bytes, note)
                }
                Err(Errno::EAGAIN | Errno::EINTR) => return Ok(None),
                Err(error) => return Err(error.into()),
            }
        };
        let before = self.dropped;
        self.dropped = dropped.unwrap_or(before);
        Ok(Some((&self.buffer[..length.min(LONGEST)], self.dropped.wrapping_sub(before))))
    }
}

impl Frames {
    pub(crate) fn open(adapter: &str) -> io::Result<Self> {
        let adapters = pnet_datalink::interfaces();
        let found = adapters.iter().find(|one| one.name == adapter).ok_or(io::ErrorKind::NotFound)?;
        let Channel::Ethernet(sender, promiscuous) = pnet_datalink::channel(found, Config::default())? else {
            return Err(io::ErrorKind::Unsupported.into());
        };
        let receiver = Arc::new(Mutex::new(Some(Ear::open(adapter)?)));
        Ok(Self { sender, _promiscuous: promiscuous, receiver, lost: Arc::default() })
    }

    /// How many frames the system threw away because they came faster than they were read.
    pub(crate) fn lost(&self) -> u64 {
        self.lost.load(Ordering::Relaxed)
    }

    pub(crate) fn send(&mut self, frame: &[u8]) -> io::Result<()> {
        self.sender.send_to(frame, None).unwrap_or_else(|| Err(io::ErrorKind::InvalidInput.into()))
    }

    /// Starts the thread; it ends when the inbox is closed.
    pub(crate) fn listen<T: Send + 'static>(
        &mut self,
        inbox: Sender<T>,
        into: fn(Vec<u8>) -> T,
    ) -> io::Result<()> {
        let place = Arc::clone(&self.receiver);
        let mut receiver = take(&place).ok_or(io::ErrorKind::ResourceBusy)?;
        // What passed since the last conversation was said to nobody, and what was lost of it is missed by nobody.
        let began = Instant::now();
        let old = (0..MOST_OLD)
            .take_while(|_| began.elapsed() < NAP && receiver.next().is_ok_and(|frame| frame.is_some()));
        old.for_each(drop);
        let lost = Arc::clone(&self.lost);
        let read = move || {
            while !inbox.is_closed() {
                match receiver.next() {
                    Ok(Some((frame, dropped))) => {
                        lost.fetch_add(dropped.into(), Ordering::Relaxed);
                        if inbox.blocking_send(into(frame.to_vec())).is_err() {
                            break;
                        }
                    }
                    Ok(None) => {}
                    // The adapter is gone: nothing more will be heard.
                    Err(_) => break,
                }
            }
            *place.lock().unwrap_or_else(PoisonError::into_inner) = Some(receiver);
        };
        std::thread::Builder::new().name("frames".to_owned()).spawn(read).map(drop)
    }
}
