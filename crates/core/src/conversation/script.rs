//! For tests without a ground: runs a conversation to its end, with frames heard at their times.

use std::time::Duration;

use super::{Conversation, Heard, Outgoing};

/// Gives what was sent, with its times, and when it was over.
pub(super) fn scripted<C: Conversation>(
    conversation: &mut C,
    frames: &[(Duration, Vec<u8>)],
) -> (Vec<(Duration, Outgoing)>, Duration) {
    let (mut sent, mut now, mut frames) = (Vec::new(), Duration::ZERO, frames.iter());
    let mut next = frames.next();
    while let Some(at) = conversation.wake_at() {
        match next.filter(|(when, _)| *when < at) {
            Some((when, frame)) => {
                now = *when;
                conversation.hear(now, &Heard::Frame(frame));
                next = frames.next();
            }
            None => {
                now = at;
                conversation.wake(now);
            }
        }
        while let Some(outgoing) = conversation.next_send() {
            sent.push((now, outgoing));
        }
    }
    (sent, now)
}
