//! Raw Ethernet frames.

#[cfg_attr(target_os = "linux", path = "imp_linux.rs")]
#[cfg_attr(not(target_os = "linux"), path = "imp_other.rs")]
mod imp;

use std::time::{Duration, Instant};

use lantern_core::conversation::Conversation;

use crate::NetError;

/// The most time spent waiting without looking at the clock.
const NAP: Duration = Duration::from_millis(50);

/// Runs a conversation of frames on this adapter until it is over.
///
/// # Errors
/// When the system gives no raw frames, or the adapter goes away.
pub fn run_frames<C>(conversation: &mut C, adapter: &str) -> Result<(), NetError>
where
    C: for<'a> Conversation<Heard<'a> = &'a [u8], Outgoing = Vec<u8>>,
{
    let failed = |source| NetError::Frames { adapter: adapter.to_owned(), source };
    let mut socket = imp::Socket::open(adapter).map_err(failed)?;
    let began = Instant::now();
    while let Some(wake_at) = conversation.wake_at() {
        let now = began.elapsed();
        if wake_at <= now {
            conversation.wake(now);
        } else {
            socket.wait((wake_at - now).min(NAP)).map_err(failed)?;
            while let Some(frame) = socket.receive() {
                conversation.hear(began.elapsed(), &&frame[..]);
            }
        }
        while conversation.next_event().is_some() {}
        while let Some(frame) = conversation.next_send() {
            socket.send(&frame);
        }
    }
    Ok(())
}
