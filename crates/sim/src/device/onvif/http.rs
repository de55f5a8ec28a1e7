//! One request to a web server (RFC 9112), and who asks (RFC 7616).

use std::collections::HashMap;

use md5::{Digest, Md5};

const REALM: &str = "camera";

/// A request, as far as it came.
#[derive(Debug, Default)]
pub(super) struct Request {
    pub(super) method: String,
    pub(super) path: String,
    pub(super) body: String,
    authorization: Option<String>,
}

impl Request {
    /// The request, once it is whole.
    pub(super) fn read(bytes: &[u8]) -> Option<Self> {
        let text = String::from_utf8_lossy(bytes);
        let (head, body) = text.split_once("\r\n\r\n")?;
        let mut lines = head.split("\r\n");
        let mut words = lines.next()?.split(' ');
        let (method, path) = (words.next()?.to_owned(), words.next()?.to_owned());
        let fields: HashMap<String, String> = lines
            .filter_map(|line| line.split_once(':'))
            .map(|(name, value)| (name.to_ascii_lowercase(), value.trim().to_owned()))
            .collect();
        let length: usize = fields.get("content-length").and_then(|text| text.parse().ok()).unwrap_or(0);
        let body = body.get(..length)?.to_owned();
        Some(Self { method, path, body, authorization: fields.get("authorization").cloned() })
    }

    /// Whether its digest is that of this user and password.
    pub(super) fn proves(&self, user: &str, password: &str) -> bool {
        let Some(field) = self.authorization.as_deref().and_then(|field| field.strip_prefix("Digest ")) else {
            return false;
        };
        let pairs: HashMap<&str, &str> = field
            .split(", ")
            .filter_map(|pair| pair.split_once('='))
            .map(|(name, value)| (name, value.trim_matches('"')))
            .collect();
        let of = |name: &str| pairs.get(name).copied().unwrap_or_default();
        let who = hex(&format!("{user}:{REALM}:{password}"));
        let what = hex(&format!("{}:{}", self.method, of("uri")));
        let [nonce, count, own] = ["nonce", "nc", "cnonce"].map(of);
        let expected = hex(&format!("{who}:{nonce}:{count}:{own}:auth:{what}"));
        of("username") == user && of("uri") == self.path && of("response") == expected
    }
}

/// The field that asks for a digest.
pub(super) fn challenge(nonce: u32) -> String {
    format!("WWW-Authenticate: Digest realm=\"{REALM}\", nonce=\"n{nonce}\", qop=\"auth\", algorithm=MD5")
}

/// An answer, whole.
pub(super) fn answer(code: u16, word: &str, fields: &[&str], body: &str) -> Vec<u8> {
    let fields: String = fields.iter().map(|field| format!("{field}\r\n")).collect();
    format!(
        "HTTP/1.1 {code} {word}\r\nContent-Type: application/soap+xml; charset=utf-8\r\n{fields}\
         Content-Length: {}\r\nConnection: close\r\n\r\n{body}",
        body.len()
    )
    .into_bytes()
}

fn hex(text: &str) -> String {
    Md5::digest(text.as_bytes()).iter().map(|byte| format!("{byte:02x}")).collect()
}
