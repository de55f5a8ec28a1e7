//! What is learned of one point: a sender, a receiver, or an output of a channel map.

use std::net::SocketAddrV4;

use lantern_wire::Place;
use lantern_wire::nmos::{ActiveMap, Connection, Flow, Format, Id, Input, Leg, Output, Receiver, Sender, Source};

use crate::Said;
use crate::census::{PatchPoint, PatchSort, Unit, Way};
use crate::facts::{Facts, Field, Patched, Value};

/// The most channels that one of an output can come from.
const MOST_CHOICES: usize = 2048;
/// What the legs of a stream are, the first and the second.
const LEGS: [Field; 2] = [Field::Group, Field::SecondGroup];

fn text(text: &str) -> Value {
    Value::Text(Said::from(text))
}

/// The sender that somebody tells, by whatever name that has.
fn sender_of(id: Option<&Id>) -> Value {
    id.map_or(Value::Nothing, |id| {
        Value::Patched(Box::new(Patched { id: id.as_str().into(), channel: None, label: Said::default() }))
    })
}

/// A point of this node, told of for the first time.
fn new(node: &Unit, sort: PatchSort, identity: &str, label: &str, able: &[Field]) -> PatchPoint {
    let mut facts = Facts::able(able);
    facts.learn(Field::Label, text(label));
    let of_label = match node.facts.get(Field::Label) {
        Some(Value::Text(label)) => label.clone(),
        _ => Said::default(),
    };
    let unit = Unit {
        family: Way::Nmos,
        identity: identity.into(),
        handle: String::new(),
        what: sort.word().into(),
        address: node.address,
        mac: node.mac,
        facts,
    };
    PatchPoint {
        sort,
        of: node.identity.clone(),
        of_label,
        of_handle: node.handle.clone(),
        channels: Vec::new(),
        choices: Vec::new(),
        unit,
    }
}

/// How it is reached, whatever address its node has.
pub(super) fn handle(base: &Place, rest: &str) -> String {
    let slash = if base.path.ends_with('/') { "" } else { "/" };
    format!(":{}{}{slash}{rest}", base.at.port(), base.path)
}

pub(super) fn of_sender(node: &Unit, sender: &Sender, flows: &[Flow], sources: &[Source]) -> PatchPoint {
    let able = [Field::Label, Field::Enabled, Field::Group];
    let mut point = new(node, PatchSort::Sender, sender.id.as_str(), &sender.label, &able);
    let facts = &mut point.unit.facts;
    let flow = sender.flow.as_ref().and_then(|id| flows.iter().find(|flow| flow.id == *id));
    let source = flow.and_then(|flow| sources.iter().find(|source| Some(&source.id) == flow.source.as_ref()));
    learn_format(facts, flow.and_then(|flow| flow.format));
    learn_count(facts, Field::Bits, flow.and_then(|flow| flow.bits));
    learn_count(facts, Field::Samples, flow.and_then(|flow| flow.samples));
    let channels = source.filter(|source| !source.channels.is_empty());
    learn_count(facts, Field::Channels, channels.and_then(|source| source.channels.len().try_into().ok()));
    learn_flag(facts, sender.active);
    point.channels = source.map(|source| labels(&source.channels)).unwrap_or_default();
    point
}

pub(super) fn of_receiver(node: &Unit, receiver: &Receiver) -> PatchPoint {
    let able = [Field::Label, Field::Enabled, Field::Sender, Field::Group];
    let mut point = new(node, PatchSort::Receiver, receiver.id.as_str(), &receiver.label, &able);
    let facts = &mut point.unit.facts;
    learn_format(facts, receiver.format);
    learn_flag(facts, receiver.active);
    facts.learn(Field::Sender, sender_of(receiver.sender.as_ref()));
    point
}

/// Of an output; its identifier is one only within its device.
pub(super) fn of_output(node: &Unit, device: &str, output: &Output, inputs: &[Input]) -> PatchPoint {
    let identity = format!("{device}/{}", output.id);
    let channels: Vec<Field> = (1..).map(Field::Channel).take(output.channels.len()).collect();
    let mut point = new(node, PatchSort::Output, &identity, &output.name, &channels);
    learn_count(&mut point.unit.facts, Field::Channels, output.channels.len().try_into().ok());
    point.channels = labels(&output.channels);
    point.choices = inputs.iter().flat_map(choices).take(MOST_CHOICES).collect();
    point
}

fn labels(channels: &[String]) -> Vec<Said> {
    channels.iter().take(MOST_CHOICES).map(|label| label.as_str().into()).collect()
}

/// The channels of an input, each by its name or its number.
fn choices(input: &Input) -> impl Iterator<Item = Patched> {
    let name = if input.name.is_empty() { input.id.as_str() } else { &input.name };
    (0..).zip(&input.channels).map(move |(channel, label)| {
        let own = if label.is_empty() { (channel + 1).to_string() } else { label.clone() };
        Patched {
            id: input.id.as_str().into(),
            channel: Some(channel),
            label: format!("{name}/{own}").as_str().into(),
        }
    })
}

/// What is active says more than what the node tells of itself, and is right where the two differ.
pub(super) fn learn_connection(facts: &mut Facts, sort: PatchSort, active: &Connection) {
    learn_flag(facts, active.enabled);
    if sort == PatchSort::Receiver {
        facts.learn(Field::Sender, sender_of(active.sender.as_ref()));
    }
    for (field, leg) in LEGS.into_iter().zip(&active.legs) {
        facts.can_tell(field);
        facts.learn(field, goes(leg));
    }
}

/// Where a leg goes to or comes from. One that is not used goes nowhere.
fn goes(leg: &Leg) -> Value {
    let to = leg.to().filter(|_| leg.enabled != Some(false));
    to.map_or(Value::Nothing, |(group, port)| Value::Group(SocketAddrV4::new(group, port)))
}

/// Where the channels of an output come from.
pub(super) fn learn_map(point: &PatchPoint, facts: &mut Facts, active: &ActiveMap) {
    let identity = point.unit.identity.raw();
    let output = identity.rsplit('/').next().unwrap_or(identity);
    let Some((_, channels)) = active.iter().find(|(id, _)| id.as_str() == output) else { return };
    for (number, from) in channels {
        let value = from.as_ref().map_or(Value::Nothing, |from| {
            let bare =
                Patched { id: from.input.as_str().into(), channel: Some(from.channel), label: Said::default() };
            let named = point.choices.iter().find(|choice| choice.is_same(&bare)).cloned();
            Value::Patched(Box::new(named.unwrap_or(bare)))
        });
        facts.learn(Field::Channel(number.saturating_add(1)), value);
    }
}

fn learn_format(facts: &mut Facts, format: Option<Format>) {
    let word = match format {
        Some(Format::Audio) => "audio",
        Some(Format::Video) => "video",
        Some(Format::Data) => "data",
        Some(Format::Mux) => "mux",
        None => return,
    };
    facts.learn(Field::Carries, text(word));
}

fn learn_count(facts: &mut Facts, field: Field, count: Option<u32>) {
    if let Some(count) = count {
        facts.learn(field, Value::Count(count));
    }
}

fn learn_flag(facts: &mut Facts, on: Option<bool>) {
    if let Some(on) = on {
        facts.learn(Field::Enabled, Value::Flag(on));
    }
}
