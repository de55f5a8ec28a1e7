//! What a device counts of its own faults: frames that came damaged, dropouts, and whatever its kind on the sheet says.

use std::collections::BTreeMap;
use std::time::Duration;

use super::{Counter, News};
use crate::facts::{Facts, Field, Value};

/// Its counters.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Counts(BTreeMap<Field, Counter>);

impl Counts {
    /// Takes in what it tells now; gives what has risen since. An old count that is seen for the first time is no news.
    pub(super) fn take(&mut self, now: Duration, facts: &Facts) -> Vec<News> {
        let is_count =
            |field: &Field| matches!(field, Field::DamagedFrames | Field::DroppedFrames | Field::Reading(_));
        let mut news = Vec::new();
        for (field, value) in facts.told().filter(|(field, _)| is_count(field)) {
            let Value::Count(count) = value else { continue };
            let (counter, count) = (self.0.entry(field).or_default(), u64::from(*count));
            let before = counter.value();
            counter.read(now, count);
            news.extend(before.filter(|before| *before < count).map(|before| News::Rises(field, before, count)));
        }
        news
    }

    /// Each with what it counts.
    pub fn all(&self) -> impl Iterator<Item = (Field, &Counter)> {
        self.0.iter().map(|(field, counter)| (*field, counter))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::ReadingName;
    use crate::watch::Trend;

    #[test]
    fn an_old_count_is_history_and_one_that_rises_is_news() {
        let dropouts = Field::Reading(ReadingName::new("dropouts").unwrap());
        let mut counts = Counts::default();
        let mut told = Vec::new();
        for (second, damaged, dropped) in
            [(0, 12, 0), (15, 12, 0), (30, 12, 3), (45, 12, 3), (200, 12, 3), (215, 0, 3)]
        {
            let mut facts = Facts::default();
            facts.learn(Field::DamagedFrames, Value::Count(damaged));
            facts.learn(dropouts, Value::Count(dropped));
            facts.learn(Field::Name, Value::Text("Box".into()));
            told.extend(counts.take(Duration::from_secs(second), &facts));
        }
        assert_eq!(told, [News::Rises(dropouts, 0, 3)]);
        let trends: Vec<_> =
            counts.all().map(|(field, counter)| (field, counter.trend(Duration::from_secs(220)))).collect();
        assert_eq!(trends, [(Field::DamagedFrames, Some(Trend::Restarted)), (dropouts, Some(Trend::Still))]);
    }
}
