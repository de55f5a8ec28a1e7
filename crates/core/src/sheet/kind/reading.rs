//! What units of a kind are asked for by SNMP, beside what all are: an object, and what it is when all is well.

use std::fmt;

use lantern_wire::snmp::Oid;

use crate::facts::ReadingName;
use crate::pattern::Pattern;
use crate::sheet::Placed;
use crate::sheet::fields::Fields;

/// The most readings of a kind.
const MOST: usize = 64;

/// One reading.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KindReading {
    /// What it is called.
    pub name: ReadingName,
    /// Which object is asked for.
    pub object: Oid,
    /// What it is when all is well, where that is known.
    pub right: Option<Pattern>,
    /// The least and the most that it is when all is well.
    pub limits: [Option<u32>; 2],
    /// What it counts, if anything.
    pub counts: Counts,
    /// Whether it can be set.
    pub is_set: bool,
}

/// Whether a reading is a counter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Counts {
    /// It is a value of this moment.
    #[default]
    Nothing,
    /// It counts what goes wrong: an old count that stands still is history, one that rises is trouble now.
    Faults,
}

impl KindReading {
    /// What it is to be exactly; `None` where several things are right, or nothing is known.
    #[must_use]
    pub fn exact(&self) -> Option<&str> {
        self.right.as_ref().filter(|right| !right.is_open()).map(Pattern::text)
    }

    /// Whether this is right, as far as the kind says.
    #[must_use]
    pub fn is_right(&self, told: &str) -> bool {
        let fits = self.right.as_ref().is_none_or(|right| right.matches(told));
        let [least, most] = self.limits;
        let number = told.parse::<i128>().ok();
        let is_within = number.is_some_and(|number| {
            least.is_none_or(|least| number >= least.into()) && most.is_none_or(|most| number <= most.into())
        });
        fits && (is_within || (least.is_none() && most.is_none()))
    }
}

impl fmt::Display for KindReading {
    /// What is right, in words.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (&self.right, self.limits) {
            (Some(right), _) => right.fmt(f),
            (None, [Some(least), Some(most)]) => write!(f, "{least} to {most}"),
            (None, [Some(least), None]) => write!(f, "at least {least}"),
            (None, [None, Some(most)]) => write!(f, "at most {most}"),
            (None, [None, None]) => f.write_str("anything"),
        }
    }
}

/// The name of a reading.
pub(crate) fn read_reading_name(fields: &Fields<'_>) -> Option<Placed<ReadingName>> {
    let name = fields.required("name", fields.text("name"), "\"dropouts\"")?;
    let read = ReadingName::new(&name.value);
    if read.is_none() {
        fields.note(name.span, "a reading is called by at most 32 bytes of plain text", "\"dropouts\"");
    }
    Some(Placed { value: read?, span: name.span })
}

/// The readings of a kind.
pub(super) fn read_readings(fields: &Fields<'_>) -> Vec<KindReading> {
    let mut readings: Vec<KindReading> = Vec::new();
    for table in fields.tables("reading", "this reading") {
        let name = read_reading_name(&table);
        let object = table.required("object", table.parsed::<Oid>("object"), "\"1.3.6.1.2.1.1.7.0\"");
        let right = table.parsed::<Pattern>("right");
        let limits = [table.number("at_least", 0..=u32::MAX), table.number("at_most", 0..=u32::MAX)];
        let counts = table.word("counts", &[("faults", Counts::Faults)]);
        let is_set = table.flag("set").is_some_and(|set| set.value);
        table.refuse_unknown_keys();
        let [least, most] = limits.map(|limit| limit.map(|limit| limit.value));
        let (Some(name), Some(object)) = (name, object) else { continue };
        if readings.iter().any(|one| one.name == name.value) {
            table.note(
                name.span,
                format!("the reading {:?} of this kind is described twice", name.value),
                "each once",
            );
        }
        if let Some(right) = right.as_ref().filter(|_| least.is_some() || most.is_some()) {
            table.note(right.span, "it is right within limits, and has a text that is right too", "one of both");
        }
        if least.zip(most).is_some_and(|(least, most)| least > most) {
            table.note(object.span, "the least is above the most", "at_least below at_most");
        }
        if readings.len() == MOST {
            table.note(name.span, format!("a kind has at most {MOST} readings"), "those that matter");
            break;
        }
        readings.push(KindReading {
            name: name.value,
            object: object.value,
            right: right.map(|right| right.value),
            limits: [least, most],
            counts: counts.map(|counts| counts.value).unwrap_or_default(),
            is_set,
        });
    }
    readings
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_reading_is_right_within_its_limits_or_as_its_pattern_says() {
        let reading = |right: Option<&str>, limits| KindReading {
            name: ReadingName::new("x").unwrap(),
            object: "1.3.6.1".parse().unwrap(),
            right: right.map(|right| right.parse().unwrap()),
            limits,
            counts: Counts::Nothing,
            is_set: false,
        };
        let one = reading(Some("ok*"), [None, None]);
        assert!(one.is_right("OK, all") && !one.is_right("no") && one.exact().is_none());
        let one = reading(Some("5"), [None, None]);
        assert_eq!((one.exact(), one.is_right("5"), one.to_string().as_str()), (Some("5"), true, "5"));
        let one = reading(None, [Some(1), Some(4)]);
        assert_eq!(
            ["0", "1", "4", "5", "-1", "many"].map(|told| one.is_right(told)),
            [false, true, true, false, false, false]
        );
        assert_eq!(one.to_string(), "1 to 4");
        assert!(reading(None, [None, None]).is_right("whatever"));
    }
}
