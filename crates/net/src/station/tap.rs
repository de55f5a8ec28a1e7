//! Raw Ethernet frames of one adapter: everything that passes it is heard.

use std::cell::RefCell;
use std::io;

use tokio::sync::mpsc::Sender;

use crate::system::frames::Frames;

/// An adapter's frames.
pub(crate) struct Tap(RefCell<Frames>);

impl std::fmt::Debug for Tap {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Tap")
    }
}

impl Tap {
    pub(super) fn open(adapter: &str) -> io::Result<Self> {
        Frames::open(adapter).map(|frames| Self(RefCell::new(frames)))
    }

    pub(crate) fn send(&self, frame: &[u8]) -> io::Result<()> {
        self.0.borrow_mut().send(frame)
    }

    /// How many frames the system threw away because they came faster than they were read.
    pub(crate) fn lost(&self) -> u64 {
        self.0.borrow().lost()
    }

    /// Passes every frame on, made into what the inbox takes, until it is closed.
    pub(crate) fn listen<T: Send + 'static>(&self, inbox: Sender<T>, into: fn(Vec<u8>) -> T) -> io::Result<()> {
        self.0.borrow_mut().listen(inbox, into)
    }
}
