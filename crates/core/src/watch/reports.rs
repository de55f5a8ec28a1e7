//! What a node reports of itself: every page has a count and a code of its own (Art-Net 4, ArtPollReply "NodeReport").

use std::collections::BTreeMap;
use std::time::Duration;

use super::{Counter, News};
use crate::Said;
use crate::census::report_counter;

/// Above this a count goes on from 0 by itself: it has four digits.
const WRAPS_ABOVE: u64 = 9900;
/// No network holds a message back for longer.
const HELD_BACK: Duration = Duration::from_secs(2);

/// The reports of one node's pages, by their bind index, of which there are at most 256.
#[derive(Debug, Clone, Default)]
pub(super) struct Reports {
    pages: BTreeMap<u8, Report>,
}

#[derive(Debug, Clone, Default)]
struct Report {
    count: Counter,
    read_at: Duration,
    /// A reading from far below the last soon after it, which a second one has to confirm.
    fallen: Option<u64>,
    code: Option<String>,
}

/// What a reading of a count says of the message it came with.
enum Reading {
    /// It counts on, or there is none.
    GoesOn,
    /// The message is an old one that comes late, or nobody can tell yet.
    Late,
    /// The count has begun anew.
    Anew,
}

impl Reports {
    /// Takes in the report of a page; gives what is new of it.
    pub(super) fn take(&mut self, now: Duration, bind_index: u8, report: &Said) -> Vec<News> {
        let news = self.pages.entry(bind_index).or_default().take(now, report);
        // All pages begin anew together, which is told once.
        if news.contains(&News::Restarted) {
            let others = self.pages.iter_mut().filter(|(page, _)| **page != bind_index);
            others.for_each(|(_, page)| (page.count, page.fallen) = (Counter::default(), None));
        }
        news
    }

    /// The count of the first page: how many messages it says it has answered.
    pub(super) fn count(&self) -> Counter {
        self.pages.values().next().map(|page| page.count).unwrap_or_default()
    }
}

impl Report {
    fn take(&mut self, now: Duration, report: &Said) -> Vec<News> {
        let mut news = Vec::new();
        if let Some(count) = report_counter(report.raw()) {
            match self.read(now, count.into()) {
                Reading::GoesOn => {}
                Reading::Late => return news,
                Reading::Anew => news.push(News::Restarted),
            }
        }
        // The head of a report is its code, and what follows it counts on.
        let code = report.raw().split_whitespace().next().unwrap_or_default();
        let before = self.code.replace(code.to_owned());
        if before.is_some_and(|before| before != code) {
            news.push(News::Reports(report.clone()));
        }
        news
    }

    fn read(&mut self, now: Duration, count: u64) -> Reading {
        let before = self.count.value().filter(|before| count < *before && *before <= WRAPS_ABOVE);
        let is_anew = match before {
            None => false,
            Some(_) if now >= self.read_at + HELD_BACK => true,
            // A network may hand over an old message after a newer one; who begins anew comes from near zero.
            Some(before) if count * 2 > before => return Reading::Late,
            Some(_) if self.fallen.is_some_and(|fallen| count > fallen) => true,
            Some(_) => {
                self.fallen = Some(count);
                return Reading::Late;
            }
        };
        (self.fallen, self.read_at) = (None, now);
        self.count.read(now, count);
        if is_anew { Reading::Anew } else { Reading::GoesOn }
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case::counts_on(&[(1, "#0001 [0400]"), (1, "#0001 [0401]")], &[])]
    #[case::pages_differ(&[(1, "#0001 [0400]"), (2, "#000d [0007]"), (1, "#0001 [0401]"), (2, "#000d [0008]")], &[])]
    #[case::wraps(&[(1, "#0001 [9999]"), (1, "#0001 [0000]"), (1, "#0001 [0001]")], &[])]
    #[case::restarts(&[(1, "#0001 [0400]"), (1, "#0001 [0001]"), (1, "#0001 [0002]")], &["restarted"])]
    #[case::restarts_with_all_pages(
        &[(1, "#0001 [0400]"), (2, "#0001 [0400]"), (1, "#0001 [0001]"), (2, "#0001 [0001]"), (1, "#0001 [0002]"),
          (2, "#0001 [0002]"), (1, "#0001 [0003]"), (2, "#0001 [0003]")],
        &["restarted"],
    )]
    #[case::one_late(&[(1, "#0001 [0400]"), (1, "#0001 [0402]"), (1, "#0001 [0401]"), (1, "#0001 [0403]")], &[])]
    #[case::late_at_its_start(&[(1, "#0001 [0002]"), (1, "#0001 [0001]"), (1, "#0001 [0003]")], &[])]
    #[case::damaged_once(&[(1, "#0001 [0400]"), (1, "#0001 [0004]"), (1, "#0001 [0401]")], &[])]
    #[case::another_code(&[(1, "#0001 [0400]"), (1, "#000d [0401]"), (1, "#000d [0402]")], &["reports"])]
    #[case::its_old_code_late(
        &[(1, "#0001 [0400]"), (1, "#000d [0402]"), (1, "#0001 [0401]"), (1, "#000d [0403]")],
        &["reports"],
    )]
    #[case::no_count(&[(1, "all well"), (1, "all well")], &[])]
    fn only_what_is_new_is_told(#[case] heard: &[(u8, &str)], #[case] told: &[&str]) {
        let mut reports = Reports::default();
        let news = heard.iter().flat_map(|(page, report)| reports.take(HELD_BACK, *page, &Said::from(*report)));
        assert_eq!(news.map(|news| news.word()).collect::<Vec<_>>(), told);
    }

    #[rstest]
    #[case::long_after(3, &["restarted"])]
    #[case::soon_after(1, &[])]
    fn a_fall_is_sure_once_nothing_can_be_under_way(#[case] seconds: u64, #[case] told: &[&str]) {
        let mut reports = Reports::default();
        reports.take(Duration::ZERO, 1, &Said::from("#0001 [0003]"));
        let news = reports.take(Duration::from_secs(seconds), 1, &Said::from("#0001 [0001]"));
        assert_eq!(news.iter().map(News::word).collect::<Vec<_>>(), told);
    }
}
