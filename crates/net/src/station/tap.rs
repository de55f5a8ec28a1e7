//! Raw Ethernet frames of one adapter: everything that passes it is heard.

use std::cell::RefCell;
use std::io;

use tokio::sync::mpsc::Sender;

use crate::cable::{Plug, is_pretended};
use crate::system::frames::Frames;

/// An adapter's frames.
pub(crate) struct Tap(RefCell<Source>);

enum Source {
    System(Frames),
    Cable(Plug),
}

impl std::fmt::Debug for Tap {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Tap")
    }
}

impl Tap {
    pub(super) fn open(adapter: &str) -> io::Result<Self> {
        let source = if is_pretended(adapter) {
            Plug::open().map(Source::Cable)
        } else {
            Frames::open(adapter).map(Source::System)
        };
        source.map(|source| Self(RefCell::new(source)))
    }

    pub(crate) fn send(&self, frame: &[u8]) -> io::Result<()> {
        match &mut *self.0.borrow_mut() {
            Source::System(frames) => frames.send(frame),
            Source::Cable(plug) => plug.send(frame),
        }
    }

    /// How many frames the system threw away because they came faster than they were read.
    pub(crate) fn lost(&self) -> u64 {
        match &*self.0.borrow() {
            Source::System(frames) => frames.lost(),
            Source::Cable(_) => 0,
        }
    }

    /// Passes every frame on, made into what the inbox takes, until it is closed.
    pub(crate) fn listen<T: Send + 'static>(&self, inbox: Sender<T>, into: fn(Vec<u8>) -> T) -> io::Result<()> {
        match &mut *self.0.borrow_mut() {
            Source::System(frames) => frames.listen(inbox, into),
            Source::Cable(plug) => plug.listen(inbox, into),
        }
    }
}
