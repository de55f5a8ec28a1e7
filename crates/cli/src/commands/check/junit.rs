//! The result as a test report in the JUnit form, which most build servers read: a suite for each area, a case for each device,
//! and one more suite for what is wrong around them.

use std::collections::BTreeMap;
use std::io;

use lantern_core::compare::{Comparison, Verdict};
use lantern_core::finding::{Finding, Severity};
use lantern_core::sheet::RigSheet;
use quick_xml::Writer;
use quick_xml::events::{BytesDecl, Event};

use super::show;

/// One case: what it is called, what it came to, and why.
struct Case {
    name: String,
    verdict: Verdict,
    why: String,
}

/// The report.
pub(super) fn report(comparison: &Comparison<'_>, sheet: &RigSheet, found: &[Finding]) -> String {
    let mut suites: BTreeMap<String, Vec<Case>> = BTreeMap::new();
    let area = |place: Option<usize>| {
        place
            .and_then(|place| sheet.areas.get(place))
            .map_or_else(|| "rig".to_owned(), |area| area.name.value.clone())
    };
    let of_device = |name: &str| {
        let is_its = |finding: &&Finding| finding.places.iter().any(|place| place.note == name);
        let told: Vec<&str> = found.iter().filter(is_its).map(|finding| finding.what.as_str()).collect();
        told.join("; ")
    };
    for row in &comparison.rows {
        let name = row.planned.name.value.clone();
        let told = of_device(&name);
        let why = if told.is_empty() { show::state(row).0.to_owned() } else { told };
        let suite = suites.entry(area(row.planned.area.as_ref().map(|area| area.value))).or_default();
        suite.push(Case { name, verdict: row.verdict(), why });
    }
    for one in &comparison.beside {
        let name = one.member.name().value.clone();
        let why = show::beside_state(one).0.to_owned();
        let suite = suites.entry(area(one.member.area().map(|area| area.value))).or_default();
        suite.push(Case { name, verdict: one.verdict(), why });
    }
    let is_of_device = |finding: &Finding| {
        let is_called = |name: &str| finding.places.iter().any(|place| place.note == name);
        comparison.rows.iter().any(|row| is_called(&row.planned.name.value))
            || comparison.beside.iter().any(|one| is_called(&one.member.name().value))
    };
    let around = found.iter().filter(|finding| !is_of_device(finding)).map(|finding| Case {
        name: format!("{} {}", finding.rule.code, finding.rule.title),
        verdict: if finding.rule.severity == Severity::Note { Verdict::Look } else { Verdict::Fail },
        why: format!("{}; {}", finding.what, finding.remedy),
    });
    let around: Vec<Case> = around.collect();
    if !around.is_empty() {
        suites.insert("around the devices".to_owned(), around);
    }
    let mut out = Vec::new();
    // Nothing that is written to memory fails.
    write(&suites, &mut out).unwrap_or(());
    String::from_utf8_lossy(&out).into_owned() + "\n"
}

fn write(suites: &BTreeMap<String, Vec<Case>>, out: &mut Vec<u8>) -> io::Result<()> {
    let mut writer = Writer::new_with_indent(out, b' ', 2);
    writer.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    writer.create_element("testsuites").write_inner_content(|writer| {
        for (suite, cases) in suites {
            let count = |verdict| cases.iter().filter(|case| case.verdict == verdict).count().to_string();
            let numbers = [
                ("tests", cases.len().to_string()),
                ("failures", count(Verdict::Fail)),
                ("skipped", count(Verdict::Look)),
            ];
            let element = writer.create_element("testsuite").with_attribute(("name", suite.as_str()));
            let element = numbers
                .iter()
                .fold(element, |element, (key, number)| element.with_attribute((*key, number.as_str())));
            element.write_inner_content(|writer| cases.iter().try_for_each(|case| one(writer, suite, case)))?;
        }
        Ok(())
    })?;
    Ok(())
}

fn one(writer: &mut Writer<&mut Vec<u8>>, suite: &str, case: &Case) -> io::Result<()> {
    let element =
        writer.create_element("testcase").with_attributes([("classname", suite), ("name", case.name.as_str())]);
    let inner = match case.verdict {
        Verdict::Pass => return element.write_empty().map(drop),
        Verdict::Look => "skipped",
        Verdict::Fail => "failure",
    };
    element
        .write_inner_content(|writer| {
            writer.create_element(inner).with_attribute(("message", case.why.as_str())).write_empty().map(drop)
        })
        .map(drop)
}
