//! Services on the local network (DNS-SD, RFC 6763, over multicast DNS, RFC 6762). The messages themselves are read
//! and written by `hickory-proto`; this is what of them matters here.

use std::net::Ipv4Addr;

use hickory_proto::op::{Message, MessageType, OpCode, Query};
use hickory_proto::rr::rdata::{A, PTR, SRV, TXT};
use hickory_proto::rr::{Name, RData, Record, RecordType};

use crate::{Layer, WireError};

/// The UDP port of every message.
pub const PORT: u16 = 5353;
/// The group of every message.
pub const GROUP: Ipv4Addr = Ipv4Addr::new(224, 0, 0, 251);
/// The name under which all types of services are listed (RFC 6763, section 9).
pub const EVERY_TYPE: &str = "_services._dns-sd._udp.local.";

/// The longest message a responder should send (RFC 6762, section 17).
const LONGEST: usize = 9000;
/// For how many seconds our stand-ins' answers hold (RFC 6762, section 10).
const HOLDS: u32 = 120;

/// What is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Wanted {
    /// What stands under a name: types, or instances of a type.
    Pointer,
    /// Where an instance runs.
    Service,
    /// What an instance tells about itself.
    Text,
    /// The address of a host.
    Address,
    /// Anything else.
    Other,
}

/// One question.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Question {
    /// The name asked about.
    pub name: String,
    /// What is asked for.
    pub wanted: Wanted,
    /// Whether the answer shall come to the asker alone.
    pub to_asker: bool,
}

/// One answer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Answer {
    /// The name it is about.
    pub name: String,
    /// What it says.
    pub fact: Fact,
    /// Whether it says that this is over: it has no time left (RFC 6762, section 10.1).
    pub is_over: bool,
}

/// What an answer says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Fact {
    /// This stands under the name.
    Pointer(String),
    /// The instance runs there.
    Service {
        /// The host.
        host: String,
        /// The port.
        port: u16,
    },
    /// What the instance tells about itself, `key=value` each.
    Text(Vec<String>),
    /// The host's address.
    Address(Ipv4Addr),
}

/// A message.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct DnsSd {
    /// Whether it answers.
    pub is_answer: bool,
    /// What it asks.
    pub questions: Vec<Question>,
    /// What it says, of all sections.
    pub answers: Vec<Answer>,
}

impl DnsSd {
    /// A message that asks.
    #[must_use]
    pub fn asking(questions: Vec<Question>) -> Self {
        Self { is_answer: false, questions, answers: Vec::new() }
    }

    /// A message that answers.
    #[must_use]
    pub fn answering(answers: Vec<Answer>) -> Self {
        Self { is_answer: true, questions: Vec::new(), answers }
    }

    /// Reads a message. Records of kinds that do not matter here are left out.
    ///
    /// # Errors
    /// When it is longer than any message may be, or cannot be read.
    pub fn parse(datagram: &[u8]) -> Result<Self, WireError> {
        let foreign = WireError::Foreign { layer: Layer::DnsSd };
        if datagram.len() > LONGEST {
            return Err(foreign);
        }
        let message = Message::from_vec(datagram).map_err(|_| foreign)?;
        Ok(Self {
            is_answer: message.metadata.message_type == MessageType::Response,
            questions: message.queries.iter().map(question).collect(),
            answers: message.all_sections().filter_map(answer).collect(),
        })
    }

    /// The message as bytes. Names that no DNS message can carry are left out.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let kind = if self.is_answer { MessageType::Response } else { MessageType::Query };
        let mut message = Message::new(0, kind, OpCode::Query);
        message.metadata.authoritative = self.is_answer;
        message.add_queries(self.questions.iter().filter_map(Question::to_query));
        message.add_answers(self.answers.iter().filter_map(Answer::to_record));
        message.to_vec().unwrap_or_default()
    }
}

impl Question {
    /// Asks everybody for what stands under a name, to be answered to the asker alone where `to_asker`.
    #[must_use]
    pub fn pointer(name: &str, to_asker: bool) -> Self {
        Self { name: name.to_owned(), wanted: Wanted::Pointer, to_asker }
    }

    fn to_query(&self) -> Option<Query> {
        let kind = match self.wanted {
            Wanted::Pointer => RecordType::PTR,
            Wanted::Service => RecordType::SRV,
            Wanted::Text => RecordType::TXT,
            Wanted::Address => RecordType::A,
            Wanted::Other => RecordType::ANY,
        };
        let mut query = Query::query(name(&self.name)?, kind);
        query.set_mdns_unicast_response(self.to_asker);
        Some(query)
    }
}

impl Answer {
    fn to_record(&self) -> Option<Record> {
        let data = match &self.fact {
            Fact::Pointer(to) => RData::PTR(PTR(name(to)?)),
            Fact::Service { host, port } => RData::SRV(SRV::new(0, 0, *port, name(host)?)),
            // Nothing to tell is told by one empty string (RFC 6763, section 6.1).
            Fact::Text(pairs) if pairs.is_empty() => RData::TXT(TXT::new(vec![String::new()])),
            Fact::Text(pairs) => RData::TXT(TXT::new(pairs.clone())),
            Fact::Address(address) => RData::A(A(*address)),
        };
        Some(Record::from_rdata(name(&self.name)?, if self.is_over { 0 } else { HOLDS }, data))
    }
}

/// A name from its text: labels between dots; a dot or backslash within a label is escaped by a backslash.
fn name(text: &str) -> Option<Name> {
    let mut labels = vec![Vec::new()];
    let mut characters = text.chars();
    while let Some(c) = characters.next() {
        let mut encoded = [0; 4];
        let label = labels.last_mut()?;
        match c {
            '.' => labels.push(Vec::new()),
            '\\' => label.extend(characters.next()?.encode_utf8(&mut encoded).bytes()),
            c => label.extend(c.encode_utf8(&mut encoded).bytes()),
        }
    }
    if labels.last().is_some_and(Vec::is_empty) {
        labels.pop();
    }
    let mut name = Name::from_labels(labels.iter().map(Vec::as_slice)).ok()?;
    name.set_fqdn(true);
    Some(name)
}

fn text_of(name: &Name) -> String {
    let label = |bytes: &[u8]| String::from_utf8_lossy(bytes).replace('\\', "\\\\").replace('.', "\\.") + ".";
    name.iter().map(label).collect()
}

/// The first label of a name as people read it: `Hall mixer` of `Hall mixer._http._tcp.local.`.
#[must_use]
pub fn first_label(name: &str) -> String {
    let mut label = String::new();
    let mut characters = name.chars();
    while let Some(c) = characters.next() {
        match c {
            '.' => break,
            '\\' => label.extend(characters.next()),
            c => label.push(c),
        }
    }
    label
}

/// The name without its first label.
#[must_use]
pub fn parent(name: &str) -> &str {
    let mut escaped = false;
    let end = name.char_indices().find(|(_, c)| {
        let is_end = *c == '.' && !escaped;
        escaped = *c == '\\' && !escaped;
        is_end
    });
    end.map_or("", |(at, _)| &name[at + 1..])
}

fn question(query: &Query) -> Question {
    let wanted = match query.query_type {
        RecordType::PTR => Wanted::Pointer,
        RecordType::SRV => Wanted::Service,
        RecordType::TXT => Wanted::Text,
        RecordType::A => Wanted::Address,
        _ => Wanted::Other,
    };
    Question { name: text_of(&query.name), wanted, to_asker: query.mdns_unicast_response }
}

fn answer(record: &Record) -> Option<Answer> {
    let fact = match &record.data {
        RData::PTR(PTR(to)) => Fact::Pointer(text_of(to)),
        RData::SRV(service) => Fact::Service { host: text_of(&service.target), port: service.port },
        RData::TXT(text) => {
            let pairs = text.txt_data.iter().filter(|pair| !pair.is_empty());
            Fact::Text(pairs.map(|pair| String::from_utf8_lossy(pair).into_owned()).collect())
        }
        RData::A(A(address)) => Fact::Address(*address),
        _ => return None,
    };
    Some(Answer { name: text_of(&record.name), fact, is_over: record.ttl == 0 })
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn whole() -> DnsSd {
        let instance = "Hall mixer\\. left._http._tcp.local.";
        let say = |name: &str, fact| Answer { name: name.to_owned(), fact, is_over: false };
        DnsSd::answering(vec![
            say("_http._tcp.local.", Fact::Pointer(instance.to_owned())),
            say(instance, Fact::Service { host: "hall-mixer.local.".to_owned(), port: 80 }),
            say(instance, Fact::Text(vec!["model=Ollivane Twelve".to_owned()])),
            say(instance, Fact::Text(Vec::new())),
            say("hall-mixer.local.", Fact::Address(Ipv4Addr::new(10, 60, 1, 20))),
            Answer { is_over: true, ..say("gone.local.", Fact::Address(Ipv4Addr::new(10, 60, 1, 21))) },
        ])
    }

    #[test]
    fn messages_survive_both_ways() {
        let asking = DnsSd::asking(vec![
            Question::pointer(EVERY_TYPE, true),
            Question::pointer("_http._tcp.local.", false),
        ]);
        for message in [whole(), asking] {
            assert_eq!(DnsSd::parse(&message.to_bytes()), Ok(message));
        }
    }

    #[test]
    fn no_truncation_panics_and_nonsense_is_foreign() {
        let bytes = whole().to_bytes();
        for cut in 0..bytes.len() {
            assert_eq!(DnsSd::parse(&bytes[..cut]), Err(WireError::Foreign { layer: Layer::DnsSd }));
        }
        assert!(DnsSd::parse(&[0; 10_000]).is_err(), "longer than any message");
    }

    /// A question for a PTR record as RFC 6762 lays it out, with the bit that asks for a unicast answer.
    #[test]
    fn a_question_is_laid_out_as_the_standard_says() {
        let bytes = DnsSd::asking(vec![Question::pointer("_http._tcp.local.", true)]).to_bytes();
        assert_eq!(bytes, b"\0\0\0\0\0\x01\0\0\0\0\0\0\x05_http\x04_tcp\x05local\0\0\x0c\x80\x01");
    }

    #[rstest]
    #[case("Hall mixer\\. left._http._tcp.local.", "Hall mixer. left", "_http._tcp.local.")]
    #[case("a\\\\._http._tcp.local.", "a\\", "_http._tcp.local.")]
    #[case("plain", "plain", "")]
    fn names_are_split_at_dots_that_are_not_escaped(#[case] name: &str, #[case] first: &str, #[case] rest: &str) {
        assert_eq!((first_label(name).as_str(), parent(name)), (first, rest));
    }
}
