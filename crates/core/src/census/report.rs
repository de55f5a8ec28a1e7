//! What a node's report says (Art-Net 4, ArtPollReply "NodeReport"): `#xxxx [cccc] text`.

/// The codes of the standard's table of report codes.
const CODES: [(u16, &str); 17] = [
    (0x0000, "only for its makers"),
    (0x0001, "it started well"),
    (0x0002, "it failed its own test at the start"),
    (0x0003, "it could not open its socket"),
    (0x0004, "it could not read the last message to it"),
    (0x0005, "it could not send"),
    (0x0006, "it took its short name"),
    (0x0007, "it took its long name"),
    (0x0008, "it sees errors in the DMX that comes in"),
    (0x0009, "it could not take in all messages"),
    (0x000a, "it could not take in all DMX"),
    (0x000b, "its switches contradict each other"),
    (0x000c, "its configuration contradicts itself"),
    (0x000d, "an output is short-circuited"),
    (0x000e, "new firmware failed"),
    (0x000f, "somebody changed it at the unit"),
    (0x0010, "it was put back to the settings of its factory"),
];

/// What the code at the head of a report means; `None` where there is none, or none of the standard's.
#[must_use]
pub fn report_in_words(report: &str) -> Option<&'static str> {
    let code = u16::from_str_radix(report.strip_prefix('#')?.get(..4)?, 16).ok()?;
    CODES.iter().find(|(known, _)| *known == code).map(|(_, words)| *words)
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("#0001 [0412] ready", Some("it started well"))]
    #[case("#000d [0001] port 3", Some("an output is short-circuited"))]
    #[case("#000D [0001] port 3", Some("an output is short-circuited"))]
    #[case("#00ff [0001] own", None)]
    #[case("ready", None)]
    #[case("#1", None)]
    #[case("#\u{e9}\u{e9}\u{e9}", None)]
    #[case("", None)]
    fn a_report_is_read_by_its_code(#[case] report: &str, #[case] words: Option<&str>) {
        assert_eq!(report_in_words(report), words);
    }
}
