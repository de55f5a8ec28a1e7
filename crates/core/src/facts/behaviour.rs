//! What a fixture does without data and when it starts, in words: "scene 3 after 2.5 s for 10 s at 255".

use std::iter::Peekable;
use std::str::SplitWhitespace;

use lantern_wire::rdm::Behaviour;

/// What stands for ever, in tenths of a second (E1.37-1, section 3.3).
const FOR_EVER: u16 = 0xffff;
/// The level where none is said.
const FULL: u8 = 0xff;

/// All of it, also what is usual. What scene 0 is, the fixture's own papers say.
pub(super) fn in_words(one: Behaviour) -> String {
    let Behaviour { scene, delay, hold, level } = one;
    let stays = if hold == FOR_EVER { "for ever".to_owned() } else { format!("for {}", seconds(hold)) };
    let when = if delay == FOR_EVER { "never".to_owned() } else { format!("after {}", seconds(delay)) };
    format!("scene {scene} {when} {stays} at {level}")
}

fn seconds(tenths: u16) -> String {
    match (tenths / 10, tenths % 10) {
        (whole, 0) => format!("{whole} s"),
        (whole, tenth) => format!("{whole}.{tenth} s"),
    }
}

/// Reads it; what is not said is at once, for ever, and full. `None` where it is not in these words.
pub(super) fn read(text: &str) -> Option<Behaviour> {
    let mut words = text.split_whitespace().peekable();
    let scene = words.next().filter(|word| *word == "scene").and_then(|_| words.next())?.parse().ok()?;
    let mut read = Behaviour { scene, delay: 0, hold: FOR_EVER, level: FULL };
    while let Some(word) = words.next() {
        match word {
            "never" => read.delay = FOR_EVER,
            "for" if words.next_if_eq(&"ever").is_some() => read.hold = FOR_EVER,
            "after" => read.delay = time(&mut words)?,
            "for" => read.hold = time(&mut words)?,
            "at" => read.level = words.next()?.parse().ok()?,
            _ => return None,
        }
    }
    Some(read)
}

/// Seconds with at most one decimal, as tenths: at most 6553.4, since the last one is for ever. The unit may stand by itself,
/// or at its number.
fn time(words: &mut Peekable<SplitWhitespace<'_>>) -> Option<u16> {
    let word = words.next()?;
    let number = word.strip_suffix('s').unwrap_or(word);
    words.next_if_eq(&"s");
    let (whole, tenth) = number.split_once('.').unwrap_or((number, "0"));
    let is_number = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit());
    if tenth.len() != 1 || !is_number(tenth) || !is_number(whole) {
        return None;
    }
    let tenths = whole.parse::<u16>().ok()?.checked_mul(10)?.checked_add(tenth.parse().ok()?)?;
    (tenths != FOR_EVER).then_some(tenths)
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("scene 3", Some("scene 3 after 0 s for ever at 255"))]
    #[case("scene 3 after 2.5 s for 10 s at 128", Some("scene 3 after 2.5 s for 10 s at 128"))]
    #[case("scene 3 at 128 for 10s after 2.5s", Some("scene 3 after 2.5 s for 10 s at 128"))]
    #[case("scene 0 never", Some("scene 0 never for ever at 255"))]
    #[case("scene 65535 after 6553.4 s", Some("scene 65535 after 6553.4 s for ever at 255"))]
    #[case("scene", None)]
    #[case("hold", None)]
    #[case("scene 3 after", None)]
    #[case("scene 3 after 6553.5 s", None)]
    #[case("scene 3 after 2.55 s", None)]
    #[case("scene 3 after -1 s", None)]
    #[case("scene 3 at 128 s", None)]
    #[case("scene 3 at 256", None)]
    #[case("scene 70000", None)]
    #[case("scene 3 now", None)]
    fn what_was_typed_is_said_whole(#[case] text: &str, #[case] said: Option<&str>) {
        let read = read(text);
        assert_eq!(read.map(in_words).as_deref(), said);
        assert_eq!(read.and_then(|one| super::read(&in_words(one))), read, "and read back");
    }
}
