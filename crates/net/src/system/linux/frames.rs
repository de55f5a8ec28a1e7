//! Linux: a packet socket, read by a thread of its own.

use std::io;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use pnet_datalink::{Channel, Config, DataLinkReceiver, DataLinkSender};
use tokio::sync::mpsc::Sender;

/// How long the thread waits before it looks whether anybody still listens.
const NAP: Duration = Duration::from_millis(20);

/// How long the next conversation waits for the last one's thread to end.
const PATIENCE: Duration = Duration::from_secs(1);
/// The most frames thrown away before a conversation.
const MOST_OLD: usize = 8192;

pub(crate) struct Frames {
    sender: Box<dyn DataLinkSender>,
    receiver: Receiver,
}

/// The receiver, while no conversation reads from it: the thread of the last one puts it back.
type Receiver = Arc<Mutex<Option<Box<dyn DataLinkReceiver>>>>;

fn take(place: &Receiver) -> Option<Box<dyn DataLinkReceiver>> {
    let began = Instant::now();
    while began.elapsed() < PATIENCE {
        if let Some(receiver) = place.lock().unwrap_or_else(PoisonError::into_inner).take() {
            return Some(receiver);
        }
        std::thread::sleep(Duration::from_millis(2));
    }
    None
}

impl Frames {
    pub(crate) fn open(adapter: &str) -> io::Result<Self> {
        let adapters = pnet_datalink::interfaces();
        let found = adapters.iter().find(|one| one.name == adapter);
        let config = Config { read_timeout: Some(NAP), ..Config::default() };
        match pnet_datalink::channel(found.ok_or(io::ErrorKind::NotFound)?, config)? {
            Channel::Ethernet(sender, receiver) => {
                Ok(Self { sender, receiver: Arc::new(Mutex::new(Some(receiver))) })
            }
            _ => Err(io::ErrorKind::Unsupported.into()),
        }
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
        // What passed since the last conversation was said to nobody.
        let began = Instant::now();
        let old = (0..MOST_OLD).take_while(|_| began.elapsed() < NAP && receiver.next().is_ok());
        old.for_each(drop);
        let read = move || {
            while !inbox.is_closed() {
                match receiver.next() {
                    Ok(frame) => {
                        if inbox.blocking_send(into(frame.to_vec())).is_err() {
                            break;
                        }
                    }
                    Err(error)
                        if matches!(
                            error.kind(),
                            io::ErrorKind::TimedOut | io::ErrorKind::Interrupted | io::ErrorKind::WouldBlock
                        ) => {}
                    // The adapter is gone: nothing more will be heard.
                    Err(_) => break,
                }
            }
            *place.lock().unwrap_or_else(PoisonError::into_inner) = Some(receiver);
        };
        std::thread::Builder::new().name("frames".to_owned()).spawn(read).map(drop)
    }
}
