//! Pages: one file, no script, nothing from elsewhere. What others say is escaped by the template.

use lantern_core::finding::Finding;
use minijinja::value::Value;
use minijinja::{AutoEscape, Environment};
use serde::Serialize;

/// The most findings on a page.
pub(crate) const MOST_FINDINGS: usize = 200;

/// A finding on a page.
#[derive(Debug, Serialize)]
pub(crate) struct Judged {
    severity: String,
    code: &'static str,
    line: usize,
    what: String,
    remedy: String,
}

/// The first of these findings, as many as a page has.
pub(crate) fn judged(findings: &[Finding]) -> Vec<Judged> {
    let of = |finding: &Finding| Judged {
        severity: finding.rule.severity.to_string(),
        code: finding.rule.code,
        line: finding.line(),
        what: finding.what.clone(),
        remedy: finding.remedy.clone(),
    };
    findings.iter().take(MOST_FINDINGS).map(of).collect()
}

/// What pages share: how they look, and how a rig is drawn.
const SHARED: [(&str, &str); 3] = [
    ("page.css", include_str!("page.css")),
    ("addresses.html", include_str!("page_addresses.html")),
    ("universes.html", include_str!("page_universes.html")),
];

/// The page that a template makes of these values.
pub(crate) fn render(template: &str, values: Value) -> Result<String, minijinja::Error> {
    let mut environment = Environment::new();
    environment.set_auto_escape_callback(|_| AutoEscape::Html);
    environment.set_trim_blocks(true);
    environment.set_lstrip_blocks(true);
    for (name, text) in SHARED {
        environment.add_template(name, text)?;
    }
    environment.render_named_str("page.html", template, values)
}
