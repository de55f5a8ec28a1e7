//! The reference packets on disk.

use std::fs;
use std::path::Path;

use serde_json::Value;

/// The bytes of a reference packet, and what it is said to mean.
pub(crate) fn vector(protocol: &str, name: &str) -> (Vec<u8>, Value) {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("tests/vectors/{protocol}/{name}.json"));
    let text = fs::read_to_string(&path).unwrap_or_else(|error| panic!("{}: {error}", path.display()));
    let json: Value = serde_json::from_str(&text).expect("a reference packet");
    let hex = json["hex"].as_str().expect("its bytes");
    let byte = |i: usize| u8::from_str_radix(&hex[i..i + 2], 16).expect("hexadecimal digits");
    let bytes: Vec<u8> = (0..hex.len()).step_by(2).map(byte).collect();
    assert_eq!(Some(bytes.len() as u64), json["bytes"].as_u64());
    (bytes, json["facts"].clone())
}
