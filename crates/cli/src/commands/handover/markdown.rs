//! The papers as text with marks (Markdown).

use super::papers::Papers;
use crate::output::counted;

/// All of it.
pub(super) fn text(papers: &Papers<'_>) -> String {
    let mut text = format!("# {}\n\n{}: {}\n\n", safe(&papers.rig), safe(&papers.file), papers.counts);
    text += &format!("## Proof\n\n{}\n", safe(&papers.proof));
    if papers.checked {
        for (area, pass, look, fail) in &papers.areas {
            text += &format!("- {}: {}\n", safe(area), tally(*pass, *look, *fail));
        }
        text += "\n";
        text += &table(papers.headings, papers.rows.iter().cloned());
    }
    text += "\n## At three in the morning\n\n";
    if papers.dhcp.is_empty() {
        text += "Nobody asks for an address by DHCP.\n\n";
    } else {
        text += &format!("By DHCP: {}\n\n", safe(&papers.dhcp.join(", ")));
    }
    let night = papers.night.iter().map(|one| {
        vec![
            one.name.clone(),
            one.address.clone(),
            one.on_data_loss.clone(),
            one.merge.clone(),
            one.by.to_owned(),
            one.page.clone(),
        ]
    });
    text += &table(&["node", "address", "without data", "two sources", "address by", "its page"], night);
    text += "\n## Addresses\n\n";
    let desks = papers.desks.iter().map(|one| vec![one.name.clone(), one.what.to_owned(), one.address.clone()]);
    text += &table(&["name", "what", "address"], desks);
    text += "\n## Patch\n\n";
    let patch = papers.patch.iter().map(|one| {
        vec![one.universe.clone(), one.desk.clone(), one.from.clone(), one.to.clone(), one.fixtures.to_string()]
    });
    text += &table(&["universe", "desk", "sent by", "comes out of", "fixtures"], patch);
    if !papers.fixtures.is_empty() {
        text += "\n## Fixtures\n\n";
        let fixtures = papers.fixtures.iter().map(|one| {
            let slots =
                if one.end.is_empty() { one.start.clone() } else { format!("{} to {}", one.start, one.end) };
            vec![one.universe.clone(), slots, one.name.clone(), one.mode.clone(), one.uid.clone()]
        });
        text += &table(&["universe", "slots", "fixture", "mode", "RDM identifier"], fixtures);
    }
    if !papers.runs.is_empty() {
        text += "\n## What was changed\n\n";
        let runs = papers.runs.iter().map(|run| {
            vec![
                run.at.clone(),
                run.by.to_owned(),
                run.nodes.to_string(),
                run.steps.to_string(),
                run.ended.to_owned(),
            ]
        });
        text += &table(&["when", "by", "nodes", "steps", "ended"], runs);
    }
    text
}

/// How many are fine and how many are not, of an area.
fn tally(pass: usize, look: usize, fail: usize) -> String {
    let mut parts = vec![format!("{pass} pass")];
    parts.extend((look > 0).then(|| format!("{look} to look at")));
    parts.extend((fail > 0).then(|| counted(fail, "failure")));
    parts.join(", ")
}

fn table(headings: &[&str], rows: impl Iterator<Item = Vec<String>>) -> String {
    let line = |cells: Vec<String>| format!("| {} |\n", cells.join(" | "));
    let head = line(headings.iter().map(|heading| (*heading).to_owned()).collect());
    let rule = line(vec!["---".to_owned(); headings.len()]);
    let body: String = rows.map(|row| line(row.iter().map(|cell| safe(cell)).collect())).collect();
    format!("{head}{rule}{body}")
}

/// Text that stays text: no mark, no tag, no cell's end, on one line.
fn safe(text: &str) -> String {
    let mut out = String::new();
    for sign in text.chars() {
        match sign {
            '\n' => out.push_str("; "),
            '|' | '*' | '_' | '`' | '[' | ']' | '#' | '\\' => out.extend(['\\', sign]),
            '<' => out.push_str("&lt;"),
            '&' => out.push_str("&amp;"),
            sign if sign.is_control() => {}
            sign => out.push(sign),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_cannot_become_a_mark() {
        assert_eq!(safe("a|b\n<img>\u{1b}*x*"), "a\\|b; &lt;img>\\*x\\*");
    }
}
