//! What a node's report counts (Art-Net 4, ArtPollReply "NodeReport"): `#xxxx [cccc] text`. What its code means, [`crate::codes`]
//! says.

/// A node's own count of the polls it has answered, at the head of its report; `None` where there is none.
#[must_use]
pub fn report_counter(report: &str) -> Option<u16> {
    let (_, rest) = report.strip_prefix('#')?.split_once('[')?;
    rest.split_once(']')?.0.trim().parse().ok()
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("#0001 [0412] ready", Some(412))]
    #[case("#0001 [ 7] ready", Some(7))]
    #[case("#0001 [99999] ready", None)]
    #[case("#0001 [] ready", None)]
    #[case("[0412] ready", None)]
    #[case("", None)]
    fn a_count_is_read(#[case] report: &str, #[case] count: Option<u16>) {
        assert_eq!(report_counter(report), count);
    }
}
