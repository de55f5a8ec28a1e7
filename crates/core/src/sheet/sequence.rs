//! Sequences: what is said to several devices by one command, each with its own words.

use std::fmt;
use std::str::FromStr;
use std::time::Duration;

use lantern_wire::pjlink::{Command, input_in_words};

use super::fields::Fields;
use super::kind::{NamedLine, Speech, not_sayable};
use super::place::Placed;
use super::{RigSheet, SheetNode};
use crate::pattern::Pattern;

/// How long an answer is waited for, where a step does not say.
pub const USUAL_WAIT: Duration = Duration::from_secs(2);
/// How long a projector or screen may take until it tells that it is so, where a step does not say.
const SCREEN_WAIT: Duration = Duration::from_secs(10);
/// The most steps of one sequence.
const MOST_STEPS: usize = 1000;

/// A sequence.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sequence {
    /// What it is called.
    pub name: Placed<String>,
    /// Whether all steps are taken side by side; else one after the other.
    pub together: bool,
    /// What becomes of the rest when a step fails.
    pub on_failure: OnFailure,
    /// Its steps, in order.
    pub steps: Vec<SequenceStep>,
}

/// What becomes of the rest when a step fails.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum OnFailure {
    /// Nothing more is begun.
    #[default]
    Stop,
    /// It goes on.
    GoOn,
}

/// One step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SequenceStep {
    /// To which node: its place in [`RigSheet::nodes`].
    pub node: Placed<usize>,
    /// What is said.
    pub words: Placed<Words>,
    /// What a right answer looks like; where it does not say, the line of the kind does.
    pub right: Option<Pattern>,
    /// How long an answer is waited for.
    pub wait: Duration,
}

/// What is said to a node.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Words {
    /// A line that its kind has under this name, with an argument where it takes one.
    Line(String, Option<String>),
    /// This.
    Plain(String),
    /// What projectors and screens are told by PJLink.
    Screen(ScreenOrder),
}

/// What a projector or screen is told by PJLink.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ScreenOrder(pub(crate) Command);

impl fmt::Display for ScreenOrder {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.0 {
            Command::Power(on) => write!(f, "power {}", if *on { "on" } else { "off" }),
            Command::Input(code) => write!(f, "input {}", input_in_words(code).unwrap_or_default()),
        }
    }
}

/// The inputs of projectors and screens, by what they are called.
#[derive(Debug)]
struct Input(Command);

impl FromStr for Input {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        Command::input(text).map(Self).ok_or(
            "an input like \"digital 1\": RGB, video, digital, storage, network or internal, and its number",
        )
    }
}

/// What a step comes to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Spoken {
    /// The line itself.
    pub say: String,
    /// What a right answer looks like, where that is known.
    pub right: Option<Pattern>,
    /// At which port, by what, and what ends a line.
    pub speech: Speech,
}

/// A sequence whose nodes are names still.
pub(super) struct Unplaced {
    pub(super) sequence: Sequence,
    pub(super) nodes: Vec<Placed<String>>,
}

impl OnFailure {
    /// The words of the sheet.
    pub const WORDS: [(&'static str, Self); 2] = [("stop", Self::Stop), ("go-on", Self::GoOn)];
}

impl RigSheet {
    /// What these words come to for this node, by what the sheet and the shipped kinds know of its kind.
    ///
    /// # Errors
    /// Why nothing can be said to it so.
    pub fn spoken(&self, node: &SheetNode, words: &Words) -> Result<Spoken, String> {
        let name = &node.name.value;
        let kind = self
            .kind_of(node)
            .ok_or_else(|| format!("{name} has no kind, which would say how it is spoken to"))?;
        let called = &kind.name.value;
        let speech = kind
            .speech
            .ok_or_else(|| format!("the kind {called} of {name} has no line_port, where it takes lines"))?;
        let (say, right) = match words {
            Words::Screen(order) => return Err(format!("{order} is told by PJLink, not in a line")),
            Words::Plain(say) => (say.clone(), None),
            Words::Line(wanted, with) => {
                let line = kind.lines.iter().find(|line| line.name == *wanted).ok_or_else(|| {
                    let there: Vec<&str> = kind.lines.iter().map(|line| line.name.as_str()).collect();
                    format!("the kind {called} of {name} has no line {wanted:?}; it has: {}", there.join(", "))
                })?;
                let say = line.with(with.as_deref()).ok_or_else(|| {
                    let hole =
                        if line.say.contains(NamedLine::HOLE) { "wants an argument" } else { "takes no argument" };
                    format!("the line {wanted:?} of the kind {called} {hole}")
                })?;
                (say, line.right.clone())
            }
        };
        match not_sayable(&say) {
            Some(why) => Err(format!("{say:?} cannot be said to {name}: {why}")),
            None => Ok(Spoken { say, right, speech }),
        }
    }
}

pub(super) fn read(fields: &Fields<'_>) -> Option<Unplaced> {
    let name = fields.required("name", fields.text("name"), "\"walls on\"");
    let together = fields.flag("together").is_some_and(|together| together.value);
    let on_failure = fields.word("on_failure", &OnFailure::WORDS).map(|word| word.value).unwrap_or_default();
    let tables = fields.tables("step", "this step");
    fields.refuse_unknown_keys();
    if tables.len() > MOST_STEPS {
        fields.note(tables[MOST_STEPS].span, "this sequence has too many steps", "at most 1000");
    }
    let read: Vec<Option<(SequenceStep, Placed<String>)>> =
        tables.iter().take(MOST_STEPS).map(read_step).collect();
    let (steps, nodes) = read.into_iter().flatten().unzip();
    Some(Unplaced { sequence: Sequence { name: name?, together, on_failure, steps }, nodes })
}

fn read_step(fields: &Fields<'_>) -> Option<(SequenceStep, Placed<String>)> {
    let node = fields.required("node", fields.text("node"), "\"hall-wall\"");
    let line = fields.text("line");
    let with = fields.text_or_number("with");
    let say = fields.text("say");
    let right = fields.parsed("right").map(|right: Placed<Pattern>| right.value);
    let power = fields.word("power", &[("on", true), ("off", false)]);
    let input: Option<Placed<Input>> = fields.parsed("input");
    let wait = fields.number("wait", 1..=600);
    fields.refuse_unknown_keys();
    if let Some(say) = &say {
        if let Some(why) = not_sayable(&say.value) {
            fields.note(say.span, why, "one line of text");
        }
        let other = line.as_ref().or(with.as_ref());
        if let Some(other) = other {
            fields.note(
                other.span,
                "this step says something of its own already",
                "either `say`, or `line` and `with`",
            );
        }
    }
    let power = power.map(|on| Placed::new(Words::Screen(ScreenOrder(Command::Power(on.value))), on.span));
    let input = input.map(|input| Placed::new(Words::Screen(ScreenOrder(input.value.0)), input.span));
    let other = [
        line.as_ref().map(|line| line.span),
        say.as_ref().map(|say| say.span),
        input.as_ref().map(|one| one.span),
    ];
    if let (Some(_), Some(span)) = (&power, other.into_iter().flatten().next()) {
        fields.note(span, "this step does something else already", "one of `line`, `say`, `power` and `input`");
    }
    if let Some(screen) = power.or(input) {
        let wait = wait.map_or(SCREEN_WAIT, |wait| Duration::from_secs(wait.value.into()));
        let node = node?;
        return Some((
            SequenceStep { node: Placed::new(usize::MAX, node.span), words: screen, right, wait },
            node,
        ));
    }
    let words = match (line, say) {
        (_, Some(say)) => Placed::new(Words::Plain(say.value), say.span),
        (Some(line), None) => Placed::new(Words::Line(line.value, with.map(|with| with.value)), line.span),
        (None, None) => {
            fields.required(
                "line",
                None::<()>,
                "\"power on\" (or say = \"PWR ON\", power = \"on\", input = \"digital 1\")",
            );
            return None;
        }
    };
    let node = node?;
    let wait = wait.map_or(USUAL_WAIT, |wait| Duration::from_secs(wait.value.into()));
    let step = SequenceStep { node: Placed::new(usize::MAX, node.span), words, right, wait };
    Some((step, node))
}
