//! A sheet is read in pieces of some kilobytes, on several processors: each piece begins at a heading `[[…]]` and is
//! TOML by itself.

use std::num::NonZero;
use std::thread;

/// The fewest bytes of a piece: reading in small pieces stays within the processor's caches.
const SMALLEST: usize = 16 << 10;
/// The fewest pieces for which another thread is worth its start.
const WORTH_A_THREAD: usize = 4;
/// The most threads.
const MOST_THREADS: usize = 8;

/// A part of the text, and the offset at which it begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Piece<'t> {
    pub(super) offset: usize,
    pub(super) text: &'t str,
}

/// Cuts the text before headings. A line like `[[node]]` is a heading unless it stands within a text of several
/// lines; a sheet with such texts stays whole.
pub(super) fn cut(text: &str) -> Vec<Piece<'_>> {
    if text.len() < 2 * SMALLEST || text.contains("\"\"\"") || text.contains("'''") {
        return vec![Piece { offset: 0, text }];
    }
    let mut pieces = Vec::new();
    let (mut start, mut line) = (0, 0);
    while line < text.len() {
        if line - start >= SMALLEST && is_heading(&text[line..]) {
            pieces.push(Piece { offset: start, text: &text[start..line] });
            start = line;
        }
        line = text[line..].find('\n').map_or(text.len(), |end| line + end + 1);
    }
    pieces.push(Piece { offset: start, text: &text[start..] });
    pieces
}

/// Whether a text begins with `[[word]]`: in a list such a line would not be TOML.
fn is_heading(text: &str) -> bool {
    let word = text.strip_prefix("[[").and_then(|rest| rest.get(..rest.find([']', '\n'])?));
    word.is_some_and(|word| !word.is_empty() && word.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'_'))
}

/// What `read` makes of each piece, in their order.
pub(super) fn read_all<T: Send>(pieces: &[Piece<'_>], read: impl Fn(Piece<'_>) -> T + Sync) -> Vec<T> {
    let processors = thread::available_parallelism().map_or(1, NonZero::get).min(MOST_THREADS);
    let threads = processors.min(pieces.len() / WORTH_A_THREAD).max(1);
    let share = pieces.len().div_ceil(threads);
    let read = &read;
    thread::scope(|scope| {
        let mut shares = pieces.chunks(share);
        let first = shares.next().unwrap_or_default();
        let others: Vec<_> =
            shares.map(|share| scope.spawn(move || share.iter().map(|piece| read(*piece)).collect())).collect();
        let mut all: Vec<T> = first.iter().map(|piece| read(*piece)).collect();
        for other in others {
            let part: Vec<T> = other.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic));
            all.extend(part);
        }
        all
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pieces_begin_at_headings_and_are_the_whole_text() {
        let node = "[[node]]\nname = \"a\"\nx = [\n[1],\n]\n[[node.port]]\nport = 1\n";
        let text = node.repeat(2000);
        let pieces = cut(&text);
        assert!(pieces.len() > 3);
        assert!(pieces.iter().all(|piece| piece.text.starts_with("[[node]]\n")));
        assert!(pieces.iter().all(|piece| text[piece.offset..].starts_with(piece.text)));
        assert_eq!(pieces.iter().map(|piece| piece.text).collect::<String>(), text);
        assert_eq!(read_all(&pieces, |piece| piece.offset), pieces.iter().map(|p| p.offset).collect::<Vec<_>>());
    }

    #[test]
    fn a_text_of_several_lines_keeps_the_sheet_whole() {
        let text = format!("a = '''\n[[node]]\n'''\n{}", "[[node]]\nb = 1\n".repeat(9000));
        assert_eq!(cut(&text).len(), 1);
    }
}
