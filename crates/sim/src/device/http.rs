//! One request to a web server, and one answer (RFC 9112).

use std::collections::HashMap;

/// A request, once it is whole.
#[derive(Debug, Default)]
pub(super) struct Request {
    pub(super) method: String,
    /// Without what stands behind the `?`.
    pub(super) path: String,
    pub(super) query: String,
    pub(super) body: String,
    pub(super) fields: HashMap<String, String>,
}

impl Request {
    /// The request; `None` as long as something of it has not come.
    pub(super) fn read(bytes: &[u8]) -> Option<Self> {
        let text = String::from_utf8_lossy(bytes);
        let (head, body) = text.split_once("\r\n\r\n")?;
        let mut lines = head.split("\r\n");
        let mut words = lines.next()?.split(' ');
        let (method, target) = (words.next()?.to_owned(), words.next()?);
        let (path, query) = target.split_once('?').unwrap_or((target, ""));
        let fields: HashMap<String, String> = lines
            .filter_map(|line| line.split_once(':'))
            .map(|(name, value)| (name.to_ascii_lowercase(), value.trim().to_owned()))
            .collect();
        let length: usize = fields.get("content-length").and_then(|text| text.parse().ok()).unwrap_or(0);
        let body = body.get(..length)?.to_owned();
        Some(Self { method, path: path.to_owned(), query: query.to_owned(), body, fields })
    }
}

/// An answer, whole, after which the connection is closed.
pub(super) fn answer(code: u16, word: &str, kind: &str, fields: &[&str], body: &str) -> Vec<u8> {
    let fields: String = fields.iter().map(|field| format!("{field}\r\n")).collect();
    format!(
        "HTTP/1.1 {code} {word}\r\nContent-Type: {kind}\r\n{fields}Content-Length: {}\r\nConnection: close\r\n\r\n{body}",
        body.len()
    )
    .into_bytes()
}
