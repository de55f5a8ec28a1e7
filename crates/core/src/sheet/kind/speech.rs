//! How units of a kind are spoken to in lines of text, and what can be said to them.

use std::fmt;

use crate::pattern::Pattern;
use crate::sheet::fields::Fields;

/// The usual port of telnet (RFC 854).
const TELNET_PORT: u32 = 23;

/// By what lines are carried.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum CarriedBy {
    /// A connection over TCP.
    #[default]
    Tcp,
    /// The same, with telnet's negotiation.
    Telnet,
    /// Datagrams, a line each.
    Udp,
}

/// What ends a line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum LineBreak {
    /// A carriage return.
    Cr,
    /// A line feed.
    Lf,
    /// Both.
    #[default]
    CrLf,
}

/// How units are spoken to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Speech {
    /// At which port.
    pub port: u16,
    /// By what.
    pub by: CarriedBy,
    /// What ends a line.
    pub ends: LineBreak,
}

/// A line that has a name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NamedLine {
    /// What it is called.
    pub name: String,
    /// The line itself; where `{}` stands an argument is put in.
    pub say: String,
    /// What a right answer looks like, where that is known.
    pub right: Option<Pattern>,
    /// Whether a check asks it.
    pub is_checked: bool,
}

impl CarriedBy {
    /// The words of the sheet.
    pub const WORDS: [(&'static str, Self); 3] =
        [("tcp", Self::Tcp), ("telnet", Self::Telnet), ("udp", Self::Udp)];
}

impl LineBreak {
    /// The words of the sheet.
    pub const WORDS: [(&'static str, Self); 3] = [("cr", Self::Cr), ("lf", Self::Lf), ("crlf", Self::CrLf)];

    /// Its bytes.
    #[must_use]
    pub const fn bytes(self) -> &'static [u8] {
        match self {
            Self::Cr => b"\r",
            Self::Lf => b"\n",
            Self::CrLf => b"\r\n",
        }
    }
}

impl fmt::Display for CarriedBy {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Tcp => "TCP",
            Self::Telnet => "telnet",
            Self::Udp => "UDP",
        })
    }
}

impl NamedLine {
    /// Where an argument goes.
    pub const HOLE: &'static str = "{}";

    /// The line with this argument in it; `None` where it wants one and there is none, or the other way round.
    #[must_use]
    pub fn with(&self, argument: Option<&str>) -> Option<String> {
        match (self.say.contains(Self::HOLE), argument) {
            (true, Some(argument)) => Some(self.say.replace(Self::HOLE, argument)),
            (false, None) => Some(self.say.clone()),
            _ => None,
        }
    }
}

/// How a kind is spoken to, as far as its table says.
pub(super) fn read_speech(fields: &Fields<'_>) -> Option<Speech> {
    let by = fields.word("line_by", &CarriedBy::WORDS).map(|by| by.value);
    let ends = fields.word("line_end", &LineBreak::WORDS).map(|ends| ends.value);
    let port = fields.number("line_port", 1..=65_535).map(|port| port.value);
    let port = port.or_else(|| (by == Some(CarriedBy::Telnet)).then_some(TELNET_PORT));
    if port.is_none()
        && let Some(span) = fields.span_of("line_by").or_else(|| fields.span_of("line_end"))
    {
        fields.note(span, "it does not say at which port it takes lines", "line_port = 4999");
    }
    let port = u16::try_from(port?).ok()?;
    Some(Speech { port, by: by.unwrap_or_default(), ends: ends.unwrap_or_default() })
}

/// The lines of a kind that have a name.
pub(super) fn read_lines(fields: &Fields<'_>) -> Vec<NamedLine> {
    let mut lines: Vec<NamedLine> = Vec::new();
    for table in fields.tables("line", "this line") {
        let name = table.required("name", table.text("name"), "\"power on\"");
        let say = table.required("say", table.text("say"), "\"PWR ON\"");
        let right = table.parsed("right").map(|right| right.value);
        let is_checked = table.flag("check").is_some_and(|check| check.value);
        table.refuse_unknown_keys();
        let (Some(name), Some(say)) = (name, say) else { continue };
        if lines.iter().any(|line| line.name == name.value) {
            table.note(
                name.span,
                format!("the line {:?} of this kind is described twice", name.value),
                "each once",
            );
        }
        if let Some(why) = not_sayable(&say.value) {
            table.note(say.span, why, "one line of text");
        }
        if is_checked && say.value.contains(NamedLine::HOLE) {
            table.note(say.span, "a check has no argument to put in", "a line without {}");
        }
        lines.push(NamedLine { name: name.value, say: say.value, right, is_checked });
    }
    lines
}

/// Why this cannot be said as one line, if it cannot.
#[must_use]
pub fn not_sayable(line: &str) -> Option<&'static str> {
    const LONGEST: usize = 1024;
    if line.is_empty() {
        Some("there is nothing to say")
    } else if line.len() > LONGEST {
        Some("a line has at most 1024 bytes")
    } else if line.contains(['\r', '\n', '\0']) {
        Some("a line ends at its end")
    } else {
        None
    }
}
