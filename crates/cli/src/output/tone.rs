//! Colours, always beside a word or a sign that says the same.

use anstyle::{AnsiColor, Style};
use lantern_core::finding::Severity;

/// Whether colours may be used.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Paint {
    On,
    Off,
}

/// What a piece of text is, not what it looks like.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Tone {
    #[default]
    Plain,
    /// As it should be.
    Good,
    /// Worth a look.
    Doubtful,
    /// Wrong.
    Bad,
    /// Worth finding at a glance.
    Strong,
    /// Less important.
    Faint,
}

impl From<Severity> for Tone {
    fn from(severity: Severity) -> Self {
        match severity {
            Severity::Error => Self::Bad,
            Severity::Warning => Self::Doubtful,
            Severity::Note => Self::Faint,
        }
    }
}

impl Tone {
    const fn style(self) -> Style {
        match self {
            Self::Plain => Style::new(),
            Self::Good => AnsiColor::Green.on_default(),
            Self::Doubtful => AnsiColor::Yellow.on_default(),
            Self::Bad => AnsiColor::Red.on_default().bold(),
            Self::Strong => Style::new().bold(),
            Self::Faint => Style::new().dimmed(),
        }
    }
}

impl Paint {
    /// The text in its tone.
    pub(crate) fn dye(self, tone: Tone, text: &str) -> String {
        match (self, tone) {
            (Self::Off, _) | (_, Tone::Plain) => text.to_owned(),
            (Self::On, tone) => format!("{style}{text}{style:#}", style = tone.style()),
        }
    }
}
