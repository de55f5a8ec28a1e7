//! What can be said of a change beforehand: what may go wrong on the way, how long it is dark, and what taking it back means.

use super::{Change, StepMessage};
use crate::facts::{Difference, Field, FixtureSetting, PortField, Value};

impl Change {
    /// What can go wrong, or be seen by others, while it is made: a sentence each.
    #[must_use]
    pub fn risks(&self) -> Vec<String> {
        let mut all = Vec::new();
        let has = |is: fn(Field) -> bool| self.differences.iter().any(|difference| is(difference.field));
        if self.differences.iter().any(Difference::wants_dhcp) {
            all.push(
                "where it comes up a DHCP server decides; without one it chooses a link-local address".to_owned(),
            );
        } else if let Some(to) = self.new_address().filter(|to| *to != self.subject.address()) {
            all.push(format!(
                "somebody may take {to} in this moment: it is asked right before, and not given then"
            ));
            all.push(format!(
                "it may not come back: it is looked for at {to}, at {} and by asking everybody",
                self.subject.address()
            ));
        }
        if has(Field::is_ip) {
            all.push("it restarts: what it drives is dark meanwhile".to_owned());
        }
        if has(|field| field == Field::FactoryNetwork) {
            all.push("it chooses its own address, perhaps out of reach from here".to_owned());
        }
        if has(|field| field == Field::Setting(FixtureSetting::FactoryDefaults)) {
            all.push("its start address, mode, label and all else become those of the factory".to_owned());
        }
        if has(|field| field == Field::Setting(FixtureSetting::Reset)) {
            all.push("it starts anew: it is dark, and may move, until it is there again".to_owned());
        }
        if self.steps.iter().any(|step| matches!(step.message, StepMessage::Firmware(_))) {
            all.push(
                "cut off half way it may start with what it had, or not at all; then the file is sent anew"
                    .to_owned(),
            );
        }
        let turns_lamp_off = |difference: &Difference| {
            let is_lamp = difference.field == Field::Setting(FixtureSetting::Lamp);
            is_lamp && !matches!(&difference.planned, Value::Text(word) if ["on", "strike"].contains(&word.raw()))
        };
        if self.differences.iter().any(turns_lamp_off) {
            all.push(
                "its lamp goes out; most strike again only when they have cooled down, after minutes".to_owned(),
            );
        }
        all.extend(self.dark().map(str::to_owned));
        if has(|field| matches!(field, Field::Port(_, PortField::Direction))) {
            all.push("a port that becomes an input sends what is plugged in to its universe".to_owned());
        }
        if has(|field| field == Field::Merging) {
            all.push("one of the two sources is heard no more".to_owned());
        }
        all
    }

    /// For how long its outputs get nothing they are meant for.
    fn dark(&self) -> Option<&'static str> {
        let of = |is: PortField| {
            self.differences
                .iter()
                .any(|difference| matches!(difference.field, Field::Port(_, field) if field == is))
        };
        match (of(PortField::Protocol), of(PortField::Universe)) {
            // The universe goes first, then the protocol, as soon as that was read back.
            (true, true) => Some(
                "its outputs are dark from the new universe until it listens to the other protocol: two messages, one to three seconds",
            ),
            (true, false) => Some("its outputs are dark until it has joined the other protocol: about a second"),
            (false, true) => Some("its outputs follow another universe at once"),
            (false, false) => None,
        }
    }

    /// What taking it back means.
    #[must_use]
    pub fn undoing(&self) -> String {
        let is_lost = |difference: &&Difference| {
            (!difference.is_told() && difference.field != Field::Setting(FixtureSetting::FactoryDefaults))
                || matches!(difference.field, Field::Firmware | Field::LossScene | Field::Merging)
        };
        let given_back = |difference: &&Difference| difference.field != Field::FactoryNetwork;
        let lost: Vec<String> = (self.differences.iter().filter(is_lost).filter(given_back))
            .map(|difference| difference.field.to_string())
            .collect();
        let moves = self.differences.iter().any(|difference| difference.field.is_ip());
        let from = self.subject.address();
        let is_reset = |one: &Difference| one.field == Field::Setting(FixtureSetting::Reset);
        if self.differences.iter().all(is_reset) {
            return "nothing of it changes".to_owned();
        }
        let back = match (lost.len() == self.differences.len(), moves) {
            (true, _) => String::new(),
            (false, true) => format!("back to {from}, with another restart, while nobody else has that"),
            (false, false) => "written back as it was".to_owned(),
        };
        let lost =
            if lost.is_empty() { String::new() } else { format!("{} cannot be taken back", lost.join(", ")) };
        [back, lost].into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>().join("; ")
    }
}

#[cfg(test)]
mod tests {
    use std::net::Ipv4Addr;

    use rstest::rstest;

    use super::*;
    use crate::Protocol;
    use crate::census::{Subject, Unit, Way};
    use crate::facts::{Facts, Known, Value};
    use crate::universe::{DeskBase, Universe};

    fn change(fields: Vec<(Field, Value, Value)>) -> Change {
        let at = Ipv4Addr::new(10, 40, 1, 1);
        let unit = Unit::of_address(Way::Llrp, at, None, "unit", Facts::default());
        let of = |(field, found, planned)| Difference { field, planned, found: Known::Told(found) };
        Change {
            subject: Subject::of_unit(&unit),
            differences: fields.into_iter().map(of).collect(),
            planned_as: None,
            reason: String::new(),
            steps: Vec::new(),
        }
    }

    fn universe(text: &str) -> Value {
        Value::Universe(Universe::read(text, DeskBase::Zero).unwrap())
    }

    #[rstest]
    #[case::address(vec![(Field::Address, Value::Address([10, 40, 1, 1].into()), Value::Address([10, 40, 1, 9].into()))],
        "it restarts", "back to 10.40.1.1")]
    #[case::dhcp(vec![(Field::Addressing, Value::Flag(false), Value::Flag(true))], "a DHCP server decides", "back to 10.40.1.1")]
    #[case::protocol(vec![
        (Field::Port(1, PortField::Protocol), Value::Protocol(Protocol::ArtNet), Value::Protocol(Protocol::Sacn)),
        (Field::Port(1, PortField::Universe), universe("0:0:1"), universe("0:0:2")),
    ], "one to three seconds", "written back as it was")]
    #[case::universe(vec![(Field::Port(1, PortField::Universe), universe("0:0:1"), universe("0:0:2"))], "at once", "written back")]
    #[case::merging(vec![(Field::Merging, Value::Flag(true), Value::Flag(false))], "heard no more", "merging cannot be taken back")]
    fn what_may_happen_is_said_beforehand(
        #[case] fields: Vec<(Field, Value, Value)>,
        #[case] risk: &str,
        #[case] undoing: &str,
    ) {
        let change = change(fields);
        assert!(change.risks().iter().any(|one| one.contains(risk)), "{:?}", change.risks());
        assert!(change.undoing().contains(undoing), "{}", change.undoing());
    }

    #[test]
    fn a_name_disturbs_nobody() {
        let name = |text: &str| Value::Text(text.into());
        let change = change(vec![(Field::Name, name("a"), name("b"))]);
        assert_eq!((change.risks(), change.undoing().as_str()), (Vec::new(), "written back as it was"));
    }
}
