//! Other systems: not yet.

use std::io;

use tokio::sync::mpsc::Sender;

pub(crate) struct Frames;

impl Frames {
    pub(crate) fn open(_adapter: &str) -> io::Result<Self> {
        Err(io::ErrorKind::Unsupported.into())
    }

    pub(crate) const fn lost(&self) -> u64 {
        0
    }

    pub(crate) fn send(&mut self, _frame: &[u8]) -> io::Result<()> {
        Err(io::ErrorKind::Unsupported.into())
    }

    pub(crate) fn listen<T: Send + 'static>(
        &mut self,
        _inbox: Sender<T>,
        _into: fn(Vec<u8>) -> T,
    ) -> io::Result<()> {
        Err(io::ErrorKind::Unsupported.into())
    }
}
