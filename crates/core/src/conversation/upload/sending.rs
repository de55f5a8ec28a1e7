//! One block after the other: when it is sent, sent again, answered, and when the next may go.

use std::time::Duration;

use lantern_wire::art_net::ReplyWord;

/// How long a node has for a block in all (Art-Net 4, "ArtFirmwareReply").
const PATIENCE: Duration = Duration::from_secs(30);
/// How long the first block may take before it is sent again: a node clears its memory for the file.
const FIRST: Duration = Duration::from_secs(5);
/// How long any other block may take at least.
const LEAST: Duration = Duration::from_millis(400);
/// How much longer than the slowest so far a block may take before it is sent again.
const SLOWER: u32 = 8;
/// How much later than expected a second reply may come.
const MARGIN: Duration = Duration::from_millis(60);
/// A reply that was seen passing by, and came to no socket of ours so soon, will not come.
const TO_SOCKET: Duration = Duration::from_millis(100);

/// What is to be done next.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Turn {
    /// Wait.
    Stay,
    /// Send this block.
    Send(u32),
    /// The node has everything, or may have.
    AllSent,
    /// The node says that it failed.
    Failed,
    /// The node has said nothing for all its time.
    Stuck,
}

/// Blocks on their way to one node.
#[derive(Debug)]
pub(super) struct Sending {
    blocks: u32,
    block: u32,
    /// How often this block was sent.
    sends: u32,
    first_at: Duration,
    last_at: Duration,
    again_at: Duration,
    slowest: Duration,
    /// The answer is there; the next block waits until other answers to this one have passed.
    draining: Option<(Duration, ReplyWord)>,
    /// An answer that was seen passing by, and when.
    framed: Option<(Duration, ReplyWord)>,
    /// Whether answers come to a socket of ours; `None` until the first.
    by_socket: Option<bool>,
}

impl Sending {
    pub(super) const fn new(now: Duration, blocks: u32) -> Self {
        Self {
            blocks,
            block: 0,
            sends: 0,
            first_at: now,
            last_at: now,
            again_at: now,
            slowest: Duration::ZERO,
            draining: None,
            framed: None,
            by_socket: None,
        }
    }

    /// The block that is under way, from 0.
    pub(super) const fn block(&self) -> u32 {
        self.block
    }

    /// When something is due.
    pub(super) fn wake_at(&self) -> Duration {
        let framed = self.framed.map(|(at, _)| at + TO_SOCKET);
        let own = self.draining.map_or_else(|| self.again_at.min(self.first_at + PATIENCE), |(until, _)| until);
        framed.map_or(own, |at| at.min(own))
    }

    /// Takes in what the node says.
    pub(super) fn hear(&mut self, now: Duration, word: ReplyWord, framed: bool) -> Turn {
        if self.sends == 0 {
            return Turn::Stay;
        }
        match (framed, self.by_socket) {
            (true, Some(true)) => return Turn::Stay,
            // It may come to a socket as well.
            (true, None) => {
                self.framed = Some((now, word));
                return Turn::Stay;
            }
            (true, Some(false)) => {}
            (false, _) => (self.by_socket, self.framed) = (Some(true), None),
        }
        self.answered(now, word)
    }

    fn answered(&mut self, now: Duration, word: ReplyWord) -> Turn {
        if word == ReplyWord::FAILED {
            return Turn::Failed;
        }
        if self.draining.is_some() {
            return Turn::Stay;
        }
        let took = now.saturating_sub(self.first_at);
        if self.sends == 1 {
            self.slowest = self.slowest.max(took);
            return self.on(now, word);
        }
        // As long after the last time as this one came after the first, another may come.
        self.draining = Some(((self.last_at + took + MARGIN).max(now), word));
        Turn::Stay
    }

    /// On to the next block.
    fn on(&mut self, now: Duration, word: ReplyWord) -> Turn {
        self.draining = None;
        if word == ReplyWord::ALL_GOOD || self.block + 1 >= self.blocks {
            return Turn::AllSent;
        }
        self.block += 1;
        (self.sends, self.first_at) = (0, now);
        self.send(now)
    }

    fn send(&mut self, now: Duration) -> Turn {
        self.sends += 1;
        self.last_at = now;
        let patience = if self.block == 0 { FIRST } else { (self.slowest * SLOWER).clamp(LEAST, FIRST) };
        self.again_at = now + patience * self.sends;
        Turn::Send(self.block)
    }

    /// Time has passed.
    pub(super) fn wake(&mut self, now: Duration) -> Turn {
        if let Some((_, word)) = self.framed.take_if(|(at, _)| *at + TO_SOCKET <= now) {
            self.by_socket = Some(false);
            return self.answered(now, word);
        }
        if let Some((until, word)) = self.draining {
            return if until <= now { self.on(now, word) } else { Turn::Stay };
        }
        if self.sends > 0 && now >= self.first_at + PATIENCE {
            // What has the last block may have restarted before anybody heard that it took it.
            return if self.block + 1 >= self.blocks { Turn::AllSent } else { Turn::Stuck };
        }
        if self.again_at <= now { self.send(now) } else { Turn::Stay }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const fn ms(millis: u64) -> Duration {
        Duration::from_millis(millis)
    }

    #[test]
    fn the_second_reply_to_one_block_is_not_taken_for_the_first_to_the_next() {
        let mut sending = Sending::new(ms(0), 3);
        assert_eq!(sending.wake(ms(0)), Turn::Send(0));
        // Slow: sent again, and both are answered.
        assert_eq!(sending.wake(ms(5000)), Turn::Send(0));
        assert_eq!(sending.hear(ms(6000), ReplyWord::BLOCK_GOOD, false), Turn::Stay);
        assert_eq!(sending.hear(ms(11_000), ReplyWord::BLOCK_GOOD, false), Turn::Stay);
        assert_eq!(sending.wake(sending.wake_at()), Turn::Send(1));
        assert!(sending.last_at >= ms(11_000));
        assert_eq!(sending.hear(ms(12_000), ReplyWord::BLOCK_GOOD, false), Turn::Send(2));
        assert_eq!(sending.hear(ms(12_010), ReplyWord::ALL_GOOD, false), Turn::AllSent);
    }

    #[test]
    fn a_reply_that_passes_by_and_comes_to_a_socket_counts_once() {
        let mut sending = Sending::new(ms(0), 9);
        assert_eq!(sending.wake(ms(0)), Turn::Send(0));
        assert_eq!(sending.hear(ms(4), ReplyWord::BLOCK_GOOD, true), Turn::Stay);
        assert_eq!(sending.hear(ms(5), ReplyWord::BLOCK_GOOD, false), Turn::Send(1));
        assert_eq!(sending.hear(ms(9), ReplyWord::BLOCK_GOOD, false), Turn::Send(2));
        assert_eq!(sending.hear(ms(10), ReplyWord::BLOCK_GOOD, true), Turn::Stay);
        // Where another program gets what comes to the port, what passes by is all there is.
        let mut sending = Sending::new(ms(0), 9);
        assert_eq!(sending.wake(ms(0)), Turn::Send(0));
        assert_eq!(sending.hear(ms(4), ReplyWord::BLOCK_GOOD, true), Turn::Stay);
        assert_eq!(sending.wake(ms(104)), Turn::Send(1));
        assert_eq!(sending.hear(ms(110), ReplyWord::BLOCK_GOOD, true), Turn::Send(2));
    }

    #[test]
    fn a_node_has_half_a_minute_for_a_block_and_no_more() {
        let mut sending = Sending::new(ms(0), 9);
        let (mut turn, mut sends) = (sending.wake(ms(0)), 0);
        while turn != Turn::Stuck {
            sends += u32::from(turn == Turn::Send(0));
            turn = sending.wake(sending.wake_at());
        }
        assert_eq!((sending.wake_at(), sends), (PATIENCE, 3));
    }
}
