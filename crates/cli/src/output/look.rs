//! How things look on a whole screen.

use ratatui::style::{Color, Modifier, Style};

use super::{Paint, Tone};

/// How tones look; without colours by weight alone.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Look(pub(crate) Paint);

impl Look {
    pub(crate) fn of(self, tone: Tone) -> Style {
        let colour = |colour| if self.0 == Paint::On { Style::new().fg(colour) } else { Style::new() };
        match tone {
            Tone::Plain => Style::new(),
            Tone::Good => colour(Color::Green),
            Tone::Doubtful => colour(Color::Yellow),
            Tone::Bad => colour(Color::Red).add_modifier(Modifier::BOLD),
            Tone::Strong => Style::new().add_modifier(Modifier::BOLD),
            Tone::Faint => Style::new().add_modifier(Modifier::DIM),
        }
    }

    /// What is chosen.
    pub(crate) fn chosen(self) -> Style {
        Style::new().add_modifier(Modifier::REVERSED)
    }
}
