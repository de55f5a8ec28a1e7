//! What a unit is told so that a difference vanishes, and what is asked to see whether it has.

use lantern_wire::rdm::{parameter, text};

use super::port;
use super::reading::{Order, Question};
use crate::Indicators;
use crate::facts::{Difference, Field, FixtureSetting, Value};

/// Whether there is an order for this. A mode may be wanted by its number, its words, or how many slots it takes.
pub(in crate::family) const fn can_set(field: Field) -> bool {
    matches!(
        field,
        Field::StartAddress
            | Field::Mode
            | Field::ModeName
            | Field::Footprint
            | Field::Label
            | Field::Indicators
            | Field::Setting(_)
            | Field::Own(_)
    )
}

/// The order that makes the difference vanish; `None` for a mode that is not wanted by its number, and for what no order
/// is for.
pub(super) fn order(difference: &Difference) -> Option<Order> {
    let (parameter, data) = match (difference.field, &difference.planned) {
        (Field::StartAddress, Value::Count(slot)) => {
            (parameter::START_ADDRESS, u16::try_from(*slot).ok()?.to_be_bytes().to_vec())
        }
        (Field::Mode, Value::Count(number)) => return u8::try_from(*number).ok().map(Order::of_mode),
        (Field::Setting(setting), planned) => (setting.parameter(), setting.data(planned)?),
        (Field::Own(number), Value::Own(planned)) => (number, planned.data().to_vec()),
        (Field::Port(number, field), planned) => return port::order(number, field, planned),
        (Field::Label, Value::Text(label)) => (parameter::DEVICE_LABEL, text::write(label.raw())),
        (Field::Indicators, Value::Indicators(Indicators::Flash)) => (parameter::IDENTIFY_DEVICE, vec![1]),
        (Field::Indicators, Value::Indicators(Indicators::Normal)) => (parameter::IDENTIFY_DEVICE, vec![0]),
        _ => return None,
    };
    Some(Order { parameter, data })
}

impl Order {
    /// To be in the mode of this number.
    pub(super) fn of_mode(number: u8) -> Self {
        Self { parameter: parameter::PERSONALITY, data: vec![number] }
    }
}

/// The questions whose answers show whether this field is as wanted.
pub(super) fn proof(difference: &Difference) -> Vec<Question> {
    if let (Field::Own(number), Value::Own(about)) = (difference.field, &difference.planned) {
        return vec![Question::Own(number, about.clone())];
    }
    match difference.field {
        Field::Label => vec![Question::Label],
        Field::Indicators => vec![Question::Identify],
        // That it started anew nobody tells; that it is there again does.
        Field::Setting(FixtureSetting::Reset) => vec![Question::Info],
        Field::Setting(setting) => vec![Question::Setting(setting)],
        Field::Port(number, field) => port::Ask::of(number, field).map(Question::Port).into_iter().collect(),
        // What it is called is asked for once it is known which it is.
        Field::ModeName => vec![Question::Info, Question::Supported],
        _ => vec![Question::Info],
    }
}
