//! Telnet: whatever comes, in whatever pieces, the same text is left of it, and nobody is answered without end.

use lantern_wire::telnet::{Telnet, as_sent};
use proptest::prelude::*;

proptest! {
    #[test]
    fn pieces_make_no_difference_and_answers_are_bounded(
        bytes in prop::collection::vec(prop_oneof![any::<u8>(), Just(255), 240_u8..=255], 0..400),
        cuts in prop::collection::vec(1_usize..9, 1..60),
    ) {
        let (whole, answer) = Telnet::default().hear(&bytes);
        let (mut text, mut said, mut rest) = (Vec::new(), Vec::new(), &bytes[..]);
        let mut telnet = Telnet::default();
        for cut in cuts.iter().cycle() {
            if rest.is_empty() {
                break;
            }
            let (piece, left) = rest.split_at((*cut).min(rest.len()));
            let (more, answered) = telnet.hear(piece);
            text.extend(more);
            said.extend(answered);
            rest = left;
        }
        prop_assert_eq!((&text, &said), (&whole, &answer));
        prop_assert!(whole.len() <= bytes.len() && answer.len() <= 2 * 256 * 3);
        // Declined once, it is not declined again.
        prop_assert_eq!(telnet.hear(&bytes).1.len() % 3, 0);
    }

    /// What is sent comes out as it went in, zeros aside, which telnet fills lines with.
    #[test]
    fn what_is_sent_is_heard(bytes in prop::collection::vec(1_u8..=255, 0..200)) {
        prop_assert_eq!(Telnet::default().hear(&as_sent(&bytes)), (bytes, Vec::new()));
    }
}
