//! Changing a sheet's text: only the bytes meant are replaced, so comments, order and everything else stay.

use super::place::Span;

/// One change of the text.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Edit {
    /// The bytes replaced; empty to insert.
    span: Span,
    /// What comes in their place, as TOML.
    text: String,
}

/// Changes of one text; no two of them may touch.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Edits(Vec<Edit>);

impl Edits {
    /// A value becomes this text, in quotes.
    pub fn quote(&mut self, span: Span, text: &str) {
        self.replace(span, toml::Value::String(text.to_owned()).to_string());
    }

    /// A value becomes this TOML.
    pub fn replace(&mut self, span: Span, text: impl Into<String>) {
        self.0.push(Edit { span, text: text.into() });
    }

    /// A line `key = "value"` comes behind the line on which `behind` ends.
    pub fn add_line_behind(&mut self, text: &str, behind: Span, key: &str, value: &str) {
        self.add_toml_behind(text, behind, key, &toml::Value::String(value.to_owned()).to_string());
    }

    /// A line `key = value`, the value as TOML, comes behind the line on which `behind` ends.
    pub fn add_toml_behind(&mut self, text: &str, behind: Span, key: &str, value: &str) {
        let end = text[behind.end..].find('\n').map_or(text.len(), |end| behind.end + end);
        self.replace(Span { start: end, end }, format!("\n{key} = {value}"));
    }

    /// The text with every change made. Of two changes that touch, the earlier one stands.
    #[must_use]
    pub fn apply(self, text: &str) -> String {
        self.apply_traced(text).0
    }

    /// The same, and where each change stands in the new text, in the order in which they were asked for.
    #[must_use]
    pub fn apply_traced(self, text: &str) -> (String, Vec<Span>) {
        let mut spans = vec![Span::default(); self.0.len()];
        let mut edits: Vec<(usize, Edit)> = self.0.into_iter().enumerate().collect();
        edits.sort_by_key(|(_, edit)| edit.span.start);
        let mut changed = String::with_capacity(text.len() + edits.len() * 8);
        let mut after = 0;
        for (place, edit) in &edits {
            let Some(between) = text.get(after..edit.span.start) else { continue };
            changed.push_str(between);
            spans[*place] = Span { start: changed.len(), end: changed.len() + edit.text.len() };
            changed.push_str(&edit.text);
            after = edit.span.end;
        }
        changed.push_str(text.get(after..).unwrap_or_default());
        (changed, spans)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_the_bytes_meant_change() {
        let text = "a = \"x\"  # ä\nb = 2\n";
        let mut edits = Edits::default();
        edits.replace(Span { start: 18, end: 19 }, "30");
        edits.quote(Span { start: 4, end: 7 }, "say \"so\"");
        edits.replace(Span { start: 5, end: 6 }, "never: it touches the one before");
        assert_eq!(edits.apply(text), "a = 'say \"so\"'  # ä\nb = 30\n");
    }
}
