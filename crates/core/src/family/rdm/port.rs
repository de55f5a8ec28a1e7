//! The ports of a gateway that is asked by itself (E1.37-7): what is asked of them, and what they are told.

use lantern_wire::rdm::endpoint::{self, EndpointList, EndpointMode};

use super::reading::Order;
use crate::facts::{Facts, Field, PortField, Value};
use crate::universe::{SacnUniverse, Universe};
use crate::{Direction, Indicators, Protocol};

/// The most ports of one gateway that are asked for.
const MOST_PORTS: usize = 128;

/// Something about its ports. Each is known by the number of its endpoint.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Ask {
    List,
    Universe(u16),
    Mode(u16),
    Rdm(u16),
    Label(u16),
    Identify(u16),
}

impl Ask {
    pub(super) const fn parameter(self) -> u16 {
        match self {
            Self::List => endpoint::LIST,
            Self::Universe(_) => endpoint::UNIVERSE,
            Self::Mode(_) => endpoint::MODE,
            Self::Rdm(_) => endpoint::RDM_TRAFFIC,
            Self::Label(_) => endpoint::LABEL,
            Self::Identify(_) => endpoint::IDENTIFY,
        }
    }

    const fn endpoint(self) -> Option<u16> {
        match self {
            Self::List => None,
            Self::Universe(number)
            | Self::Mode(number)
            | Self::Rdm(number)
            | Self::Label(number)
            | Self::Identify(number) => Some(number),
        }
    }

    pub(super) fn data(self) -> Vec<u8> {
        self.endpoint().map_or_else(Vec::new, |number| number.to_be_bytes().to_vec())
    }

    /// What is told by its answer.
    pub(super) fn field(self) -> Option<Field> {
        let field = match self {
            Self::List => return None,
            Self::Universe(_) => PortField::Universe,
            Self::Mode(_) => PortField::Direction,
            Self::Rdm(_) => PortField::Rdm,
            Self::Label(_) => PortField::Label,
            Self::Identify(_) => PortField::Indicators,
        };
        Some(Field::Port(self.endpoint()?.into(), field))
    }

    /// What to ask so that it is seen what this field of a port is.
    pub(super) fn of(number: u32, field: PortField) -> Option<Self> {
        let number = u16::try_from(number).ok()?;
        Some(match field {
            PortField::Universe => Self::Universe(number),
            PortField::Direction => Self::Mode(number),
            PortField::Rdm => Self::Rdm(number),
            PortField::Label => Self::Label(number),
            PortField::Indicators => Self::Identify(number),
            PortField::Presence
            | PortField::Protocol
            | PortField::Merge
            | PortField::Input
            | PortField::OnDataLoss => return None,
        })
    }

    /// Everything that a port is asked.
    const fn all(number: u16) -> [Self; 5] {
        [
            Self::Universe(number),
            Self::Mode(number),
            Self::Rdm(number),
            Self::Label(number),
            Self::Identify(number),
        ]
    }

    /// It answers with something that there is no word for.
    fn cannot_be_told(self, facts: &mut Facts) -> Option<Vec<Self>> {
        self.field().into_iter().for_each(|field| facts.cannot_tell(field));
        Some(Vec::new())
    }

    /// Takes in an answer: what to ask next; `None` where it makes no sense.
    pub(super) fn take(self, data: &[u8], facts: &mut Facts) -> Option<Vec<Self>> {
        let of_this = |number: u16| Some(number) == self.endpoint();
        let value = match self {
            Self::List => {
                let mut ports: Vec<u16> =
                    EndpointList::read(data)?.endpoints.into_iter().map(|one| one.0).collect();
                ports.retain(|number| *number != 0);
                ports.truncate(MOST_PORTS);
                for number in &ports {
                    // It knows no other.
                    let protocol = Field::Port((*number).into(), PortField::Protocol);
                    facts.can_tell(protocol);
                    facts.learn(protocol, Value::Protocol(Protocol::Sacn));
                }
                let asks: Vec<Self> = ports.into_iter().flat_map(Self::all).collect();
                asks.iter().filter_map(|ask| ask.field()).for_each(|field| facts.can_tell(field));
                return Some(asks);
            }
            Self::Universe(_) => {
                let (_, universe) = endpoint::read_universe(data).filter(|(number, _)| of_this(*number))?;
                match universe {
                    0 => Value::Nothing,
                    // One that is made of several has no number (section 3.4).
                    number => match SacnUniverse::new(number.into()) {
                        Ok(universe) => Value::Universe(Universe::Sacn(universe)),
                        Err(_) => return self.cannot_be_told(facts),
                    },
                }
            }
            Self::Mode(_) => match endpoint::read_byte(data).filter(|(number, _)| of_this(*number))?.1 {
                mode if mode == EndpointMode::INPUT.0 => Value::Direction(Direction::In),
                mode if mode == EndpointMode::OUTPUT.0 => Value::Direction(Direction::Out),
                mode if mode == EndpointMode::OFF.0 => Value::Nothing,
                _ => return self.cannot_be_told(facts),
            },
            Self::Rdm(_) => Value::Flag(endpoint::read_byte(data).filter(|(number, _)| of_this(*number))?.1 != 0),
            Self::Label(_) => {
                let (_, label) = endpoint::read_label(data).filter(|(number, _)| of_this(*number))?;
                Value::Text(label.as_str().into())
            }
            Self::Identify(_) => match endpoint::read_byte(data).filter(|(number, _)| of_this(*number))?.1 {
                0 => Value::Indicators(Indicators::Normal),
                _ => Value::Indicators(Indicators::Flash),
            },
        };
        facts.learn(self.field()?, value);
        Some(Vec::new())
    }
}

/// Whether there is an order for this field of a port.
pub(in crate::family) fn can_set(field: PortField) -> bool {
    Ask::of(1, field).is_some()
}

/// The order that makes this field of a port so; `None` where there is none.
pub(super) fn order(number: u32, field: PortField, planned: &Value) -> Option<Order> {
    let port = u16::try_from(number).ok()?;
    let data = match (field, planned) {
        (PortField::Universe, Value::Nothing) => endpoint::write_universe(port, 0),
        (PortField::Universe, Value::Universe(universe)) => {
            endpoint::write_universe(port, universe.sacn()?.number())
        }
        (PortField::Direction, Value::Nothing) => endpoint::write_byte(port, EndpointMode::OFF.0),
        (PortField::Direction, Value::Direction(Direction::In)) => {
            endpoint::write_byte(port, EndpointMode::INPUT.0)
        }
        (PortField::Direction, Value::Direction(Direction::Out)) => {
            endpoint::write_byte(port, EndpointMode::OUTPUT.0)
        }
        (PortField::Rdm, Value::Flag(on)) => endpoint::write_byte(port, (*on).into()),
        (PortField::Indicators, Value::Indicators(Indicators::Flash)) => endpoint::write_byte(port, 1),
        (PortField::Indicators, Value::Indicators(Indicators::Normal)) => endpoint::write_byte(port, 0),
        (PortField::Label, Value::Text(label)) => endpoint::write_label(port, label.raw()),
        _ => return None,
    };
    Some(Order { parameter: Ask::of(number, field)?.parameter(), data })
}

/// What an order that somebody else gave makes of a port, in words; `None` where it is about no port.
pub(in crate::family) fn in_words(parameter: u16, data: &[u8]) -> Option<String> {
    let number = u16::from_be_bytes(*data.first_chunk()?);
    let ask = Ask::all(number).into_iter().find(|ask| ask.parameter() == parameter)?;
    let mut facts = Facts::default();
    ask.take(data, &mut facts)?;
    let field = ask.field()?;
    Some(format!("{field} to {}", field.in_words(facts.get(field)?)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::{Known, Tells};

    /// What a port answers that there is no word for cannot be told; what answers for another port answers nothing.
    #[test]
    fn what_there_is_no_word_for_cannot_be_told() {
        let all =
            [(Ask::Universe(3), endpoint::write_universe(3, 0xffff)), (Ask::Mode(3), endpoint::write_byte(3, 9))];
        for (ask, data) in all {
            let field = ask.field().unwrap();
            let mut facts = Facts::able(&[field]);
            assert_eq!(ask.take(&data, &mut facts), Some(Vec::new()));
            assert_eq!(facts.tells(field, &Value::Nothing), Known::CannotTell);
        }
        let mut facts = Facts::default();
        assert_eq!(Ask::Universe(3).take(&endpoint::write_universe(4, 7), &mut facts), None);
        assert_eq!(Ask::Universe(3).take(&[0, 3, 0], &mut facts), None);
        assert_eq!(facts, Facts::default());
    }
}
