//! Who asks, proved in the request (RFC 7616).

use std::collections::HashMap;

use md5::{Digest, Md5};

use super::super::http::Request;

const REALM: &str = "camera";

/// Whether a request's digest is that of this user and password.
pub(super) fn proves(request: &Request, user: &str, password: &str) -> bool {
    let field = request.fields.get("authorization").and_then(|field| field.strip_prefix("Digest "));
    let Some(field) = field else { return false };
    let pairs: HashMap<&str, &str> = field
        .split(", ")
        .filter_map(|pair| pair.split_once('='))
        .map(|(name, value)| (name, value.trim_matches('"')))
        .collect();
    let of = |name: &str| pairs.get(name).copied().unwrap_or_default();
    let who = hex(&format!("{user}:{REALM}:{password}"));
    let what = hex(&format!("{}:{}", request.method, of("uri")));
    let [nonce, count, own] = ["nonce", "nc", "cnonce"].map(of);
    let expected = hex(&format!("{who}:{nonce}:{count}:{own}:auth:{what}"));
    of("username") == user && of("uri") == request.path && of("response") == expected
}

/// The field that asks for a digest.
pub(super) fn challenge(nonce: u32) -> String {
    format!("WWW-Authenticate: Digest realm=\"{REALM}\", nonce=\"n{nonce}\", qop=\"auth\", algorithm=MD5")
}

fn hex(text: &str) -> String {
    Md5::digest(text.as_bytes()).iter().map(|byte| format!("{byte:02x}")).collect()
}
