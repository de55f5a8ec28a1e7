//! Where a broker is, as DNS-SD tells (E1.33, section 9.1).

use std::fmt;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::str::FromStr;

use lantern_wire::dns_sd::{Answer, DnsSd, Fact, Question};

use crate::census::Unit;
use crate::facts::{Field, Value};

/// The type of service that a broker is.
const SERVICE: &str = "_rdmnet._tcp.local.";
/// What its text says its scope by.
const SCOPE_KEY: &str = "E133Scope=";
/// The scope that everything has as delivered (section 6.2.2).
const USUAL_SCOPE: &str = "default";
/// The longest scope, in bytes.
const LONGEST_SCOPE: usize = 62;

/// A broker: where it takes connections, and of which scope it is.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Place {
    pub(super) at: SocketAddrV4,
    pub(super) scope: String,
}

impl Place {
    /// The brokers that these answers tell of; `from` is who told. What says no address of its host is where it was told from.
    pub(super) fn of(from: Ipv4Addr, answers: &[Answer]) -> Vec<Self> {
        let is_broker = |name: &str| name.to_lowercase().ends_with(&format!(".{SERVICE}"));
        let brokers = answers.iter().filter(|answer| !answer.is_over && is_broker(&answer.name));
        let services = brokers.filter_map(|answer| match &answer.fact {
            Fact::Service { host, port } if *port != 0 => Some((&answer.name, host, *port)),
            _ => None,
        });
        services
            .map(|(name, host, port)| {
                let address = answers.iter().find_map(|answer| match answer.fact {
                    Fact::Address(address) if answer.name.eq_ignore_ascii_case(host) => Some(address),
                    _ => None,
                });
                let scope =
                    answers.iter().filter(|answer| answer.name == *name).find_map(|answer| match &answer.fact {
                        Fact::Text(lines) => lines.iter().find_map(|line| line.strip_prefix(SCOPE_KEY)),
                        _ => None,
                    });
                let scope = scope.filter(|scope| scope.len() <= LONGEST_SCOPE).unwrap_or(USUAL_SCOPE);
                Self { at: SocketAddrV4::new(address.unwrap_or(from), port), scope: scope.to_owned() }
            })
            .collect()
    }

    /// The broker that a unit was told by hand.
    pub(super) fn of_unit(unit: &Unit) -> Option<Self> {
        let told = |field| match unit.facts.get(field) {
            Some(Value::Text(text)) => Some(text.raw()),
            _ => None,
        };
        Some(Self { at: told(Field::Broker)?.parse().ok()?, scope: told(Field::Scope)?.to_owned() })
    }

    /// The question who is a broker.
    pub(super) fn question() -> Vec<u8> {
        DnsSd::asking(vec![Question::pointer(SERVICE, true)]).to_bytes()
    }
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.at, self.scope)
    }
}

impl FromStr for Place {
    type Err = &'static str;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let (at, scope) = text.split_once(' ').ok_or("no broker")?;
        let at = at.parse().map_err(|_| "no broker")?;
        Ok(Self { at, scope: scope.to_owned() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn answer(name: &str, fact: Fact) -> Answer {
        Answer { name: name.to_owned(), fact, is_over: false }
    }

    #[test]
    fn a_broker_is_where_its_host_is() {
        let name = "Night._rdmnet._tcp.local.";
        let told = [
            answer(SERVICE, Fact::Pointer(name.to_owned())),
            answer(name, Fact::Service { host: "chart-room.local.".to_owned(), port: 8888 }),
            answer(name, Fact::Text(vec!["TxtVers=1".to_owned(), "E133Scope=quay side".to_owned()])),
            answer("other.local.", Fact::Address(Ipv4Addr::new(10, 40, 0, 1))),
            answer("Chart-Room.local.", Fact::Address(Ipv4Addr::new(10, 40, 0, 20))),
        ];
        let places = Place::of(Ipv4Addr::new(10, 40, 0, 9), &told);
        let texts: Vec<String> = places.iter().map(ToString::to_string).collect();
        assert_eq!(texts, ["10.40.0.20:8888 quay side"]);
        assert_eq!(texts[0].parse().as_ref(), Ok(&places[0]));
        // Without its host's address, it is where it was told from; one that says goodbye is none.
        let bare = Place::of(Ipv4Addr::new(10, 40, 0, 9), &told[..2]);
        assert_eq!(bare[0].to_string(), "10.40.0.9:8888 default");
        assert_eq!(Place::of(Ipv4Addr::LOCALHOST, &[Answer { is_over: true, ..told[1].clone() }]), []);
    }
}
