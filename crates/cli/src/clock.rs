//! The wall clock, asked in one place.

use std::env;

use jiff::Timestamp;

/// The present moment in UTC. `SOURCE_DATE_EPOCH`, seconds since 1970, stands in for it where a run must be
/// repeatable.
pub(crate) fn now() -> Timestamp {
    let pinned = env::var("SOURCE_DATE_EPOCH").ok().and_then(|seconds| seconds.parse().ok());
    pinned.and_then(|seconds| Timestamp::from_second(seconds).ok()).unwrap_or_else(Timestamp::now)
}
