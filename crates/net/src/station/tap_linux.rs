//! Linux: a packet socket, read by a thread of its own.

use std::io;
use std::time::Duration;

use pnet_datalink::{Channel, Config, DataLinkReceiver, DataLinkSender};
use tokio::sync::mpsc::Sender;

/// How long the thread waits before it looks whether anybody still listens.
const NAP: Duration = Duration::from_millis(20);

pub(super) struct Frames {
    sender: Box<dyn DataLinkSender>,
    receiver: Option<Box<dyn DataLinkReceiver>>,
}

impl Frames {
    pub(super) fn open(adapter: &str) -> io::Result<Self> {
        let adapters = pnet_datalink::interfaces();
        let found = adapters.iter().find(|one| one.name == adapter);
        let config = Config { read_timeout: Some(NAP), ..Config::default() };
        match pnet_datalink::channel(found.ok_or(io::ErrorKind::NotFound)?, config)? {
            Channel::Ethernet(sender, receiver) => Ok(Self { sender, receiver: Some(receiver) }),
            _ => Err(io::ErrorKind::Unsupported.into()),
        }
    }

    pub(super) fn send(&mut self, frame: &[u8]) -> io::Result<()> {
        self.sender.send_to(frame, None).unwrap_or_else(|| Err(io::ErrorKind::InvalidInput.into()))
    }

    /// Starts the thread; it ends when the inbox is closed.
    pub(super) fn listen<T: Send + 'static>(
        &mut self,
        inbox: Sender<T>,
        into: fn(Vec<u8>) -> T,
    ) -> io::Result<()> {
        let Some(mut receiver) = self.receiver.take() else { return Err(io::ErrorKind::ResourceBusy.into()) };
        let read = move || {
            while !inbox.is_closed() {
                match receiver.next() {
                    Ok(frame) => {
                        if inbox.blocking_send(into(frame.to_vec())).is_err() {
                            return;
                        }
                    }
                    Err(error)
                        if matches!(
                            error.kind(),
                            io::ErrorKind::TimedOut | io::ErrorKind::Interrupted | io::ErrorKind::WouldBlock
                        ) => {}
                    // The adapter is gone: nothing more will be heard.
                    Err(_) => return,
                }
            }
        };
        std::thread::Builder::new().name("frames".to_owned()).spawn(read).map(drop)
    }
}
