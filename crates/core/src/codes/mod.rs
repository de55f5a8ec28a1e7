//! Codes that units report about themselves, in words: those of the standards, and those a user has written down.

use std::sync::LazyLock;

use serde::Serialize;

use crate::facts::ReadingName;
use crate::sheet::fields::Fields;
use crate::sheet::{SheetErrors, read_list};

/// The codes of the standards (Art-Net 4, "NodeReport"), in the form that users write.
const STANDARD: &str = include_str!("standard.toml");

static OF_STANDARDS: LazyLock<CodeBook> = LazyLock::new(|| {
    let all = CodeBook::read(STANDARD).map_or_else(|_| Vec::new(), |book| book.all);
    CodeBook { all: all.into_iter().map(|code| ReportCode { yours: false, ..code }).collect() }
});

/// One code.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ReportCode {
    /// The code as the unit tells it, in small letters: `#000d`, `e17`.
    pub code: String,
    /// The kind whose code it is; `None` for every kind's.
    pub kind: Option<String>,
    /// The reading whose values it is among (`[[kind.reading]]`); `None` for what units report of themselves.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reading: Option<String>,
    /// What it means.
    pub means: String,
    /// What it mostly comes from.
    pub cause: Option<String>,
    /// What to do about it.
    pub remedy: Option<String>,
    /// Whether a user wrote it.
    pub yours: bool,
}

/// Several.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct CodeBook {
    all: Vec<ReportCode>,
}

impl CodeBook {
    /// The codes of the standards.
    #[must_use]
    pub fn standard() -> Self {
        OF_STANDARDS.clone()
    }

    /// Reads a file of `[[code]]` tables.
    ///
    /// # Errors
    /// Every mistake in it, with its place.
    pub fn read(text: &str) -> Result<Self, SheetErrors> {
        Ok(Self { all: read_list(text, "code", "this code", read)? })
    }

    /// This book, with another one's codes before its own: what a user has written counts first.
    #[must_use]
    pub fn behind(mut self, first: Self) -> Self {
        self.all.splice(0..0, first.all);
        self
    }

    /// Everything it has.
    #[must_use]
    pub fn all(&self) -> &[ReportCode] {
        &self.all
    }

    /// All that a code may mean, whatever the kind.
    #[must_use]
    pub fn meanings(&self, code: &str) -> Vec<&ReportCode> {
        let code = code.trim().to_lowercase();
        self.all.iter().filter(|one| one.code == code).collect()
    }

    /// What the code means that a unit of this kind reports: the first word of its report that is a code.
    #[must_use]
    pub fn of_report(&self, report: &str, kind: Option<&str>) -> Option<&ReportCode> {
        self.first_in(report, kind, None)
    }

    /// What the value of a reading means, of a unit of this kind: the first word of it that is a code of that reading.
    #[must_use]
    pub fn of_reading(&self, value: &str, reading: ReadingName, kind: Option<&str>) -> Option<&ReportCode> {
        self.first_in(value, kind, Some(reading.as_str()))
    }

    fn first_in(&self, report: &str, kind: Option<&str>, reading: Option<&str>) -> Option<&ReportCode> {
        let words = report.split(|sign: char| sign.is_whitespace() || matches!(sign, '[' | ']' | ':' | ',' | ';'));
        words.filter(|word| !word.is_empty()).find_map(|word| {
            let fits = |one: &&ReportCode| {
                one.reading.as_deref() == reading && (one.kind.is_none() || one.kind.as_deref() == kind)
            };
            self.meanings(word).into_iter().find(fits)
        })
    }
}

fn read(fields: &Fields<'_>) -> Option<ReportCode> {
    let code = fields.required("code", fields.text("code"), "\"#0042\"");
    let means = fields.required("means", fields.text("means"), "\"its fan stands still\"");
    let text = |key| fields.text(key).map(|text| text.value);
    let (kind, reading, cause, remedy) = (text("kind"), text("reading"), text("cause"), text("remedy"));
    fields.refuse_unknown_keys();
    let (code, means) = (code?.value.trim().to_lowercase(), means?.value);
    Some(ReportCode { code, kind, reading, means, cause, remedy, yours: true })
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    const OWN: &str = "[[code]]\ncode = \"#00FF\"\nkind = \"marrowbright-four\"\nmeans = \"its fan stands still\"\n\
        remedy = \"clean it\"\n[[code]]\ncode = \"E17\"\nmeans = \"too hot\"\n[[code]]\ncode = \"#0001\"\nmeans = \"ours\"\n";

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
        assert_eq!(CodeBook::standard().of_report(report, None).map(|code| code.means.as_str()), words);
    }

    /// A value of a reading is a code only where a code says that it is one of that reading's.
    #[rstest]
    #[case("17", "fault", Some("amp"), Some("its fan stands still"))]
    #[case("17", "fault", Some("box"), None)]
    #[case("17", "stream", Some("amp"), None)]
    #[case("E17: hot", "fault", None, Some("too hot"))]
    #[case("#0001", "fault", None, None)]
    fn a_value_is_read_by_the_codes_of_its_reading(
        #[case] value: &str,
        #[case] reading: &str,
        #[case] kind: Option<&str>,
        #[case] means: Option<&str>,
    ) {
        let own = "[[code]]\ncode = \"17\"\nreading = \"fault\"\nkind = \"amp\"\nmeans = \"its fan stands still\"\n\
            [[code]]\ncode = \"e17\"\nreading = \"fault\"\nmeans = \"too hot\"\n";
        let book = CodeBook::standard().behind(CodeBook::read(own).unwrap());
        let found = book.of_reading(value, ReadingName::new(reading).unwrap(), kind);
        assert_eq!(found.map(|code| code.means.as_str()), means);
        assert_eq!(book.of_report("17 [0001]", Some("amp")), None);
    }

    #[test]
    fn all_of_the_standard_can_be_read_and_each_trouble_has_a_remedy() {
        let book = CodeBook::standard();
        assert_eq!(book.all().len(), 17);
        let faults =
            ["#0002", "#0003", "#0004", "#0005", "#0008", "#0009", "#000a", "#000b", "#000c", "#000d", "#000e"];
        for fault in faults {
            assert!(book.meanings(fault).iter().all(|code| code.remedy.is_some() && !code.yours), "{fault}");
        }
    }

    #[rstest]
    #[case("#00ff [0001]", Some("marrowbright-four"), Some("its fan stands still"))]
    #[case("#00ff [0001]", Some("marrowbright-two"), None)]
    #[case("#0001 [0001]", None, Some("ours"))]
    #[case("fault e17: over temperature", None, Some("too hot"))]
    fn what_a_user_writes_counts_first(
        #[case] report: &str,
        #[case] kind: Option<&str>,
        #[case] means: Option<&str>,
    ) {
        let book = CodeBook::standard().behind(CodeBook::read(OWN).unwrap());
        assert_eq!(book.of_report(report, kind).map(|code| code.means.as_str()), means);
    }

    #[test]
    fn a_broken_table_is_told_with_its_place() {
        for text in ["[[code]]\ncode = \"#1\"\n", "[[code]]\ncode = 1\nmeans = \"x\"\n", "[[codes]]\n", "code = 1"]
        {
            assert!(CodeBook::read(text).is_err(), "{text}");
        }
    }
}
