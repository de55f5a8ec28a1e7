//! Text in a field of fixed length.

use core::fmt;

/// A NUL-padded text field of `N` bytes, kept as it came off the wire.
///
/// What a node says is untrusted: [`Text::to_lossy`] may hold control characters, and must be escaped
/// before it is shown.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
pub struct Text<const N: usize>([u8; N]);

impl<const N: usize> Text<N> {
    /// The most bytes of text the field holds; the last byte is always NUL.
    pub const CAPACITY: usize = N - 1;

    /// An empty field, all NUL.
    pub const EMPTY: Self = Self([0; N]);

    /// The field exactly as it is on the wire.
    #[must_use]
    pub const fn from_wire(bytes: [u8; N]) -> Self {
        Self(bytes)
    }

    /// As much of `text` as fits, cut between characters.
    #[must_use]
    pub fn cut(text: &str) -> Self {
        let end = text.floor_char_boundary(Self::CAPACITY);
        let mut bytes = [0; N];
        bytes[..end].copy_from_slice(&text.as_bytes()[..end]);
        Self(bytes)
    }

    /// Whether the whole of `text` fits.
    #[must_use]
    pub fn fits(text: &str) -> bool {
        text.len() <= Self::CAPACITY && !text.contains('\0')
    }

    /// The bytes on the wire.
    #[must_use]
    pub const fn as_wire(&self) -> &[u8; N] {
        &self.0
    }

    /// Whether there is no text before the first NUL.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.said().is_empty()
    }

    /// The text before the first NUL, without the spaces some senders pad it with. What is not UTF-8 is read as
    /// Latin-1, which older senders write.
    #[must_use]
    pub fn to_lossy(&self) -> String {
        let said = self.said();
        let text = std::str::from_utf8(said)
            .map_or_else(|_| said.iter().map(|byte| char::from(*byte)).collect(), str::to_owned);
        text.trim_end_matches(' ').to_owned()
    }

    fn said(&self) -> &[u8] {
        let end = self.0.iter().position(|&b| b == 0).unwrap_or(N);
        &self.0[..end]
    }
}

impl<const N: usize> Default for Text<N> {
    fn default() -> Self {
        Self::EMPTY
    }
}

impl<const N: usize> fmt::Debug for Text<N> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:?}", self.to_lossy())
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("quay", "quay")]
    #[case("1234567", "1234567")]
    #[case("12345678", "1234567")]
    #[case("123456é", "123456")]
    #[case("", "")]
    fn text_is_cut_between_characters(#[case] given: &str, #[case] kept: &str) {
        assert_eq!(Text::<8>::cut(given).to_lossy(), kept);
        assert_eq!(Text::<8>::fits(given), given == kept);
    }

    #[test]
    fn a_field_without_nul_is_read_to_its_end() {
        assert_eq!(Text::from_wire(*b"abcd").to_lossy(), "abcd");
    }

    #[rstest]
    #[case(*b"T\xfcr\0", "Tür")]
    #[case(*b"a   ", "a")]
    #[case(*b" a \0", " a")]
    #[case(*b"    ", "")]
    fn latin_1_is_read_and_padding_left_out(#[case] wire: [u8; 4], #[case] text: &str) {
        assert_eq!(Text::from_wire(wire).to_lossy(), text);
    }
}
