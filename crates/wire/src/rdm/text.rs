//! Text as RDM carries it: ASCII, not ended; some devices end it with zeros all the same.

/// The most bytes of a label or a description.
pub const MOST: usize = 32;

/// Reads a text up to its end or the first zero. What is no UTF-8 is replaced.
#[must_use]
pub fn read(data: &[u8]) -> String {
    let end = data.iter().position(|byte| *byte == 0).unwrap_or(data.len());
    String::from_utf8_lossy(&data[..end]).into_owned()
}

/// As much of a text as fits, cut between characters.
#[must_use]
pub fn write(text: &str) -> Vec<u8> {
    cut(text, MOST)
}

/// At most so many bytes of a text, cut between characters.
pub(super) fn cut(text: &str, most: usize) -> Vec<u8> {
    text.as_bytes()[..text.floor_char_boundary(most)].to_vec()
}
