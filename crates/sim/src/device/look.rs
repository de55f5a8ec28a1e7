//! What a simulated desk puts into the slots: some that stand, some that move, many that are dark.

use std::time::Duration;

/// How long one movement takes, up and down.
const ROUND: u128 = 8000;

/// The levels of a universe at a moment.
pub(super) fn levels(universe: u16, now: Duration) -> [u8; 512] {
    let phase = |slot: usize| (now.as_millis() + slot as u128 * 97) % ROUND;
    std::array::from_fn(|slot| match slot % 16 {
        // A lamp of four slots: how bright, and its colour.
        0 => u8::MAX,
        1..4 => u8::try_from((slot * 37 + usize::from(universe) * 11) % 256).unwrap_or(0),
        // One that moves.
        8 | 9 => {
            let (half, at) = (ROUND / 2, phase(slot));
            let height = if at < half { at } else { ROUND - at };
            u8::try_from(height * 255 / half).unwrap_or(u8::MAX)
        }
        _ => 0,
    })
}
