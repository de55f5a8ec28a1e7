//! The reference packets on disk.
#![allow(dead_code, reason = "each test file uses its own part")]

use std::fs;
use std::path::Path;

use proptest::prelude::ProptestConfig;
use proptest::test_runner::FileFailurePersistence;
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

/// So many cases of a property; what fails is written beside the test, to be committed: it is tried first from then on.
pub(crate) fn cases(cases: u32) -> ProptestConfig {
    let beside = FileFailurePersistence::WithSource("seeds");
    ProptestConfig { failure_persistence: Some(Box::new(beside)), ..ProptestConfig::with_cases(cases) }
}
