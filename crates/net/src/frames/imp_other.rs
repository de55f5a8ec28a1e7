//! Other systems: not yet.

use std::io;
use std::time::Duration;

pub(super) struct Socket;

impl Socket {
    pub(super) fn open(_adapter: &str) -> io::Result<Self> {
        Err(io::Error::from(io::ErrorKind::Unsupported))
    }

    pub(super) fn wait(&self, _time: Duration) -> io::Result<()> {
        Ok(())
    }

    pub(super) fn receive(&mut self) -> Option<Vec<u8>> {
        None
    }

    pub(super) fn send(&mut self, _frame: &[u8]) {}
}
