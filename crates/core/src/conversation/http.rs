//! HTTP as values: what a conversation asks a web server, and what that answers. Whoever drives the conversation speaks it.

use std::net::SocketAddrV4;

/// The most bytes of a body that are taken in where nobody expects more; the rest is left out.
pub const MOST_BODY: usize = 64 * 1024;

/// A question to a web server.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// To whom.
    pub to: SocketAddrV4,
    /// What is to be done: `GET`, `PUT`.
    pub method: &'static str,
    /// Where: `/` and what follows.
    pub path: String,
    /// Header fields beside those that every request has.
    pub headers: Vec<(String, String)>,
    /// What is handed over.
    pub body: Vec<u8>,
    /// The most bytes of the answer's body that are taken in.
    pub most: usize,
}

/// An answer. One that leads elsewhere is an answer too: nobody follows it unasked.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Response {
    /// The code: 200 is fine.
    pub status: u16,
    /// Header fields, their names in small letters.
    pub headers: Vec<(String, String)>,
    /// What is handed over, at most as many bytes of it as were asked for.
    pub body: Vec<u8>,
}

impl Request {
    /// Asks for what stands there.
    #[must_use]
    pub fn get(to: SocketAddrV4, path: &str) -> Self {
        Self { to, method: "GET", path: path.to_owned(), headers: Vec::new(), body: Vec::new(), most: MOST_BODY }
    }
}

impl Response {
    /// The header field of this name, in small letters.
    #[must_use]
    pub fn header(&self, name: &str) -> Option<&str> {
        self.headers.iter().find(|(field, _)| field == name).map(|(_, value)| value.as_str())
    }
}
