//! Another kind for units that are planned: the plan stays, and ports that the new kind has not are kept as comments.

use super::ReworkError;
use crate::pattern::Pattern;
use crate::sheet::kind::Kind;
use crate::sheet::{Edits, RigSheet, SheetNode, SheetPort, Span};

/// What it comes to.
#[derive(Debug)]
pub struct Exchange {
    /// What changes on the sheet.
    pub edits: Edits,
    /// For each unit what becomes of its ports.
    pub units: Vec<Unit>,
}

/// One unit and its ports.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unit {
    /// What the sheet calls it.
    pub name: String,
    /// Ports that the new kind has and the plan does not use, from the first after those that it does.
    pub free: Vec<u32>,
    /// Ports that the new kind has not, and what was planned for them.
    pub left_over: Vec<(u32, String)>,
    /// Whether the sheet names a MAC address, which will be another one.
    pub has_mac: bool,
}

/// Gives everything whose name fits the pattern another kind.
///
/// # Errors
/// When nothing fits, the kind is not known, or a port that is left over is not written as a table of its own.
pub fn exchange(sheet: &RigSheet, pattern: &Pattern, kind: &str) -> Result<Exchange, ReworkError> {
    let unknown = || ReworkError::NoKind(kind.to_owned(), sheet.kinds.names().join(", "));
    let new = sheet.kinds.named(kind).ok_or_else(unknown)?;
    let meant: Vec<&SheetNode> = sheet.nodes.iter().filter(|node| pattern.matches(&node.name.value)).collect();
    if meant.is_empty() {
        return Err(ReworkError::NoneNamed(pattern.to_string()));
    }
    let mut edits = Edits::default();
    let mut units = Vec::with_capacity(meant.len());
    for node in meant {
        match &node.kind {
            Some(before) => edits.quote(before.span, kind),
            None => edits.add_line_behind(sheet.text(), node.name.span, "kind", kind),
        }
        let has_not = |port: &&SheetPort| port.number.value > new.ports;
        for port in node.ports.iter().filter(has_not) {
            let table = table_of(sheet.text(), port.number.span)
                .ok_or_else(|| ReworkError::NoTable(node.name.value.clone(), port.number.value))?;
            edits.replace(table, commented(&sheet.text()[table.start..table.end], new));
        }
        units.push(unit(node, new));
    }
    Ok(Exchange { edits, units })
}

fn unit(node: &SheetNode, new: &Kind) -> Unit {
    let last = node.ports.iter().map(|port| port.number.value).max().unwrap_or(0);
    let left_over = node.ports.iter().filter(|port| port.number.value > new.ports);
    Unit {
        name: node.name.value.clone(),
        free: (last + 1..=new.ports).collect(),
        left_over: left_over.map(|port| (port.number.value, planned(port))).collect(),
        has_mac: node.mac.is_some(),
    }
}

fn planned(port: &SheetPort) -> String {
    port.universe
        .value
        .real()
        .map_or_else(|| "a universe to be chosen".to_owned(), |universe| universe.to_string())
}

/// The lines of the table `[[node.port]]` in which this stands; `None` where it is written otherwise.
fn table_of(text: &str, inside: Span) -> Option<Span> {
    let line_of = |at: usize| text[..at].rfind('\n').map_or(0, |end| end + 1);
    let mut start = line_of(inside.start);
    while !text[start..].trim_start().starts_with('[') {
        start = line_of(start.checked_sub(1)?);
    }
    if !text[start..].trim_start().starts_with("[[node.port]]") {
        return None;
    }
    // What is blank or a comment before the next table belongs to that.
    let mut end = start;
    let mut at = start;
    for line in text[start..].split_inclusive('\n') {
        let trimmed = line.trim();
        if at > start && trimmed.starts_with('[') {
            break;
        }
        at += line.len();
        if !trimmed.is_empty() && !trimmed.starts_with('#') {
            end = at;
        }
    }
    Some(Span { start, end })
}

fn commented(table: &str, new: &Kind) -> String {
    let lines = table.lines().map(|line| format!("# {line}\n"));
    format!("# A {} has no such port:\n{}", new.title(), lines.collect::<String>())
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    const SHEET: &str = "[rig]\nname = \"t\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n\
        [[node]]\nname = \"quay\"     # by the water\nkind = \"marrowbright-four\"\naddress = \"10.40.1.1\"\n\
        [[node.port]]\nport = 1\nout = \"0:0:0\"\n\
        [[node.port]]\nport = 4 # the mast\nout = \"0:0:3\"\n\n# the hall\n\
        [[node]]\nname = \"hall\"\naddress = \"10.40.1.2\"\n";

    fn exchanged(pattern: &str, kind: &str) -> (String, Vec<Unit>) {
        let sheet = RigSheet::parse(SHEET).unwrap();
        let Exchange { edits, units } = exchange(&sheet, &pattern.parse().unwrap(), kind).unwrap();
        (edits.apply(SHEET), units)
    }

    #[test]
    fn the_plan_stays_and_what_does_not_fit_is_a_comment() {
        let (text, units) = exchanged("quay", "marrowbright-two");
        let sheet = RigSheet::parse(&text).unwrap();
        assert_eq!((sheet.nodes[0].ports.len(), sheet.nodes.len()), (1, 2), "{text}");
        assert!(text.contains("# A Marrowbright Two has no such port:\n# [[node.port]]\n# port = 4 # the mast\n# out = \"0:0:3\"\n\n# the hall\n"), "{text}");
        assert!(text.contains("kind = \"marrowbright-two\"") && text.contains("# by the water"), "{text}");
        assert_eq!((&units[0].left_over[..], &units[0].free[..]), (&[(4, "0:0:3".to_owned())][..], &[][..]));
    }

    #[test]
    fn what_is_free_is_said_and_a_kind_comes_where_none_was() {
        let (text, units) = exchanged("*", "marrowbright-eight");
        let sheet = RigSheet::parse(&text).unwrap();
        assert!(sheet.nodes.iter().all(|node| sheet.kind_of(node).unwrap().ports == 8), "{text}");
        assert_eq!(units[0].free, [5, 6, 7, 8]);
        assert_eq!(units[1].free.len(), 8);
    }

    #[rstest]
    #[case("pier", "marrowbright-two", "nothing on the sheet is named \"pier\"")]
    #[case("quay", "nobody", "no kind is called nobody; there are marrowbright-eight")]
    fn what_cannot_be_exchanged_says_why(#[case] pattern: &str, #[case] kind: &str, #[case] says: &str) {
        let sheet = RigSheet::parse(SHEET).unwrap();
        let error = exchange(&sheet, &pattern.parse().unwrap(), kind).unwrap_err();
        assert!(error.to_string().contains(says), "{error}");
    }

    #[test]
    fn a_port_without_a_table_of_its_own_is_left_to_a_person() {
        let text = SHEET.replace(
            "[[node.port]]\nport = 1\nout = \"0:0:0\"\n[[node.port]]\nport = 4 # the mast\nout = \"0:0:3\"\n",
            "port = [{ port = 4, out = \"0:0:3\" }]\n",
        );
        let sheet = RigSheet::parse(&text).unwrap();
        let error = exchange(&sheet, &"quay".parse().unwrap(), "marrowbright-two").unwrap_err();
        assert!(error.to_string().contains("quay port 4"), "{error}");
    }
}
