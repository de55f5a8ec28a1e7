//! What can be set on a device: as it says itself, else as its kind on the sheet, else as the shipped kind says.

use lantern_wire::art_net::{LongName, ShortName};
use lantern_wire::rdm::MOST_SCOPE;
use lantern_wire::rdm::network::MOST_HOST_NAME;
use lantern_wire::rdm::parameter::MOST_LABEL;

use super::Change;
use super::rules::{NOT_FROM_HERE, PAGE_UNNAMED, PAGES_MISSING, TOO_LONG, UNABLE};
use crate::census::{FoundFixture, FoundNode, PatchPoint, Subject, Unit, Way};
use crate::facts::{Difference, Field, FixtureSetting, Known, PortField, Value};
use crate::family;
use crate::finding::Finding;
use crate::sheet::kind::{Kind, Settable};
use crate::{Access, Indicators, typed};

/// Why a difference cannot be made to vanish from here, if it cannot.
pub(super) fn not_settable(subject: &Subject, kind: Option<&Kind>, difference: &Difference) -> Option<Finding> {
    let by_itself = match subject {
        Subject::Node(node) => not_settable_on_node(node, difference),
        Subject::Unit(unit) => not_settable_on_unit(unit, difference),
        Subject::Fixture(fixture) => not_settable_on_fixture(fixture, difference),
        Subject::PatchPoint(point) => not_settable_on_patch_point(point, difference),
    };
    by_itself.or_else(|| not_settable_by_kind(subject, kind?, difference))
}

/// What its kind cannot be told, where the device does not say otherwise itself.
/// Keeps the differences that can be set; of each other one it is said why it is left alone.
pub(super) fn keep_settable(subject: &Subject, differences: &mut Vec<Difference>, mut leave: impl FnMut(String)) {
    differences.retain(|difference| match not_settable(subject, None, difference) {
        Some(finding) => {
            leave(finding.what);
            false
        }
        None => true,
    });
}

fn not_settable_by_kind(subject: &Subject, kind: &Kind, difference: &Difference) -> Option<Finding> {
    if let Field::Reading(name) = difference.field {
        let can = kind.readings.iter().any(|reading| reading.name == name && reading.is_set);
        return (!can).then(|| {
            UNABLE.finding(
                format!("the {} of {} is not set from here, as its kind says", difference.field, subject.title()),
                format!("set it at the unit, or write set = true at this reading of the kind {}", kind.name.value),
            )
        });
    }
    let setting = match (difference.field, &difference.planned) {
        (Field::Address | Field::Mask | Field::Gateway, _) => Settable::Address,
        (Field::Addressing, Value::Flag(true)) => Settable::Dhcp,
        (Field::Addressing, _) => Settable::Address,
        (Field::Name | Field::HostName, _) => Settable::Name,
        (Field::Label | Field::Port(_, PortField::Label), _) => Settable::Label,
        (Field::OnDataLoss | Field::Port(_, PortField::OnDataLoss), _) => Settable::DataLoss,
        (Field::Port(_, PortField::Direction), _) => Settable::Direction,
        (Field::Port(_, PortField::Protocol), _) => Settable::Protocol,
        (Field::Port(_, PortField::Universe), _) => Settable::Universe,
        (Field::Port(_, PortField::Merge), _) => Settable::Merge,
        (Field::Port(_, PortField::Rdm), _) => Settable::Rdm,
        (Field::Indicators | Field::Port(_, PortField::Indicators), _) => Settable::Indicators,
        (Field::SacnPriority, _) => Settable::SacnPriority,
        (Field::Merging, _) => Settable::Merge,
        (Field::LossScene, _) => Settable::LossScene,
        (Field::FactoryNetwork, _) => Settable::FactoryNetwork,
        (Field::Port(_, PortField::Input), _) => Settable::Input,
        // Told, and never wanted; of a location, and of what is patched, its family knows alone whether it takes one.
        (
            Field::Location
            | Field::Contact
            | Field::Description
            | Field::DamagedFrames
            | Field::DroppedFrames
            | Field::Reading(_)
            | Field::Firmware
            | Field::Pages
            | Field::Maker
            | Field::Model
            | Field::Serial
            | Field::Version
            | Field::Power
            | Field::Input
            | Field::Faults
            | Field::LampHours
            | Field::Access
            | Field::StartAddress
            | Field::Mode
            | Field::ModeName
            | Field::Footprint
            | Field::Cable
            | Field::Carries
            | Field::Enabled
            | Field::Sender
            | Field::Group
            | Field::SecondGroup
            | Field::Channels
            | Field::Bits
            | Field::Samples
            | Field::Channel(_)
            | Field::Setting(_)
            | Field::Own(_)
            | Field::NameServer
            | Field::Scope
            | Field::Broker
            | Field::Port(_, PortField::Presence),
            _,
        ) => return None,
    };
    let says_so = subject.node().is_some_and(|node| match setting {
        Settable::Dhcp => node.can.dhcp == Some(true),
        Settable::DataLoss => node.can.data_loss == Some(true),
        Settable::Direction => node.can.direction == Some(true),
        Settable::Protocol => node.can.protocol == Some(true),
        Settable::Rdm => node.can.rdm == Some(true),
        _ => false,
    });
    (!says_so && !kind.can_set(setting)).then(|| {
        UNABLE.finding(
            format!(
                "a {} cannot be told its {} over the network, as its kind says",
                kind.title(),
                difference.field
            ),
            format!(
                "set {} at the unit, or correct the settings of the kind {}",
                subject.title(),
                kind.name.value
            ),
        )
    })
}

/// That no message sets this.
pub(super) fn without_a_message(subject: &Subject, difference: &Difference) -> Finding {
    let (title, field, family) = (subject.title(), difference.field, subject.family());
    UNABLE.finding(format!("no message of {family} sets the {field} of {title}"), "set it at the unit itself")
}

fn not_settable_on_unit(unit: &Unit, difference: &Difference) -> Option<Finding> {
    if !family::can_set(unit.family) {
        return Some(UNABLE.finding(
            format!("{} speaks {}, by which nothing is set from here", unit.title(), unit.family),
            "set it at the unit itself, or at its web page",
        ));
    }
    if let Some(Value::Access(access @ (Access::Locked | Access::Refused))) = unit.facts.get(Field::Access) {
        let what = format!("{} {access}, and is told nothing without the right one", unit.title());
        return Some(UNABLE.finding(what, unit.how_to_open()));
    }
    if is_of_fixtures(difference.field) {
        let what = format!("{} is no fixture, and has no {}", unit.title(), difference.field);
        return Some(UNABLE.finding(what, NAME_A_FIXTURE));
    }
    if let (Field::Port(number, PortField::Presence), Known::Told(Value::Count(has))) =
        (difference.field, &difference.found)
    {
        let what = format!("{} has no port {number}, it states {has}", unit.title());
        return Some(UNABLE.finding(what, "choose one of its ports"));
    }
    if let (Field::Port(number, PortField::Universe), Value::Universe(planned)) =
        (difference.field, &difference.planned)
        && planned.sacn().is_none()
    {
        let what = format!("{} port {number} takes sACN, which has no universe of the number 0", unit.title());
        return Some(UNABLE.finding(what, "choose a universe from 1 to 63999"));
    }
    if difference.is_told() && !family::can_set_on(unit, difference) {
        let what = format!("{} is not told its {} by {}", unit.title(), difference.field, unit.family);
        return Some(UNABLE.finding(what, "set it at the unit itself, or correct the sheet"));
    }
    if difference.planned == Value::Indicators(Indicators::Mute) {
        return Some(UNABLE.finding(
            format!("{} has no word for dark indicators in {}", unit.title(), unit.family),
            "darken it at the unit itself",
        ));
    }
    // Whoever is given an address is meant to keep it; one that has no word for that is given it all the same.
    let is_implied = difference.field == Field::Addressing && !difference.wants_dhcp();
    (difference.cannot_be_told() && !is_implied).then(|| {
        let remedy = if unit.family == Way::Llrp && difference.field.port().is_some() {
            let name = typed(&unit.title());
            format!(
                "its ports are patched through its broker, and none told of it: deft-lantern set {name} --broker ADDRESS:PORT"
            )
        } else {
            "set it at the unit itself".to_owned()
        };
        let what = format!("{} does not tell its {} by {}", unit.title(), difference.field, unit.family);
        UNABLE.finding(what, remedy)
    })
}

fn not_settable_on_fixture(fixture: &FoundFixture, difference: &Difference) -> Option<Finding> {
    let name = fixture.title();
    let unable = |what: String, remedy: &str| Some(UNABLE.finding(what, remedy));
    match (difference.field, &difference.planned) {
        (Field::Cable, _) => {
            unable(format!("{name}: {difference}"), "plug it in where it is planned, or correct the sheet")
        }
        (Field::Indicators, Value::Indicators(Indicators::Mute)) => {
            unable(format!("{name} has no word for dark indicators in RDM"), "darken it at the unit itself")
        }
        (field, _) if !family::can_set_on_fixture(field) => {
            unable(format!("{name} is a fixture, and has no {field} that is set by RDM"), "leave it out")
        }
        // That it starts anew nobody tells.
        (field, _) if difference.cannot_be_told() && field != Field::Setting(FixtureSetting::Reset) => {
            unable(format!("{name} does not tell its {field} by RDM"), "set it at the unit itself")
        }
        _ => None,
    }
}

fn not_settable_on_patch_point(point: &PatchPoint, difference: &Difference) -> Option<Finding> {
    let (name, sort, field) = (point.title(), point.sort.word(), difference.field);
    let unable = |what: String, remedy: &str| Some(UNABLE.finding(what, remedy));
    if point.unit.handle.is_empty() {
        return unable(
            format!("{name} does not say where it is patched, or at another address than it has"),
            "patch it at its own page: deft-lantern open",
        );
    }
    if field == Field::SecondGroup && difference.cannot_be_told() {
        return unable(
            format!("{name} has one leg only"),
            "leave its second group out, on the sheet too, or use another one",
        );
    }
    if let Field::Channel(number) = field
        && difference.cannot_be_told()
    {
        return unable(format!("{name} has no channel {number}"), "choose one of its channels");
    }
    if let (Field::Channel(_), Value::Patched(from)) = (field, &difference.planned)
        && !point.choices.iter().any(|choice| choice.is_same(from))
    {
        let there: Vec<String> = point.choices.iter().take(16).map(ToString::to_string).collect();
        return unable(
            format!("{name} has no channel {from} to take"),
            &format!("choose one of {}", there.join(", ")),
        );
    }
    (!family::can_set_patch(point.sort, difference)).then(|| {
        UNABLE.finding(
            format!("the {sort} {name} is not told its {field}"),
            "set it at the unit itself, or correct the sheet",
        )
    })
}

fn not_settable_on_node(node: &FoundNode, difference: &Difference) -> Option<Finding> {
    let name = node.title();
    let unable = |what: String, remedy: &str| Some(UNABLE.finding(what, remedy));
    match (difference.field, &difference.planned) {
        (Field::Firmware, _) => Some(NOT_FROM_HERE.finding(
            format!("{name}: {difference}"),
            format!("send it: deft-lantern firmware send FILE {}; or correct the sheet", typed(&name)),
        )),
        (Field::OnDataLoss, _) if node.can.data_loss == Some(false) => unable(
            format!("{name} cannot be told what to do on data loss"),
            "set it at the unit, or take on_data_loss off the sheet",
        ),
        (Field::LossScene, _) if node.can.data_loss == Some(false) => {
            unable(format!("{name} cannot be told what to do on data loss"), "record the scene at the unit")
        }
        (Field::Addressing, Value::Flag(true)) if node.can.dhcp == Some(false) => {
            unable(format!("{name} cannot take its address by DHCP"), "give it a fixed address")
        }
        (Field::Port(number, field), planned) => match (field, planned) {
            (PortField::Presence, _) => unable(
                format!("{name} has no port {number}, it states {}", node.port_count()),
                "choose one of its ports",
            ),
            (_, Value::Nothing) => unable(
                format!(
                    "{name} port {number} always has a universe and a direction; Art-Net has no word for none"
                ),
                "give it a universe that nobody sends",
            ),
            (PortField::Direction, _) if node.can.direction == Some(false) => unable(
                format!("{name} cannot switch port {number} between input and output"),
                "switch it at the unit, or use another port",
            ),
            (PortField::Protocol, _) if node.can.protocol == Some(false) => unable(
                format!("{name} cannot switch port {number} to {}", difference.planned_in_words()),
                "use the protocol it speaks, or another node",
            ),
            (PortField::Rdm, _) if node.can.rdm == Some(false) => unable(
                format!("{name} cannot switch RDM of port {number} over the network"),
                "switch it at the unit",
            ),
            (PortField::Input, _) if difference.cannot_be_told() => unable(
                format!("{name} port {number} is an output; Art-Net switches only inputs on and off"),
                "name one of its inputs",
            ),
            (PortField::Universe, Value::Universe(planned)) if planned.port_address().is_none() => unable(
                format!("{planned} on {name} port {number} is above what can be programmed"),
                "choose an sACN universe up to 32767",
            ),
            (PortField::Merge | PortField::OnDataLoss | PortField::Label | PortField::Indicators, _)
                if difference.cannot_be_told() =>
            {
                Some(NOT_FROM_HERE.finding(
                    format!("{name}: {difference}"),
                    "set and check it at the unit itself; Art-Net has no message for it",
                ))
            }
            _ if is_unnamed(node, number) => Some(PAGE_UNNAMED.finding(
                format!("{name} port {number} is on a page that does not say which it is"),
                "set this port at the unit itself: several of its pages answer to one index",
            )),
            _ => None,
        },
        (Field::Location, _) => unable(
            format!("{name} has no location; Art-Net has no word for it"),
            "write where it stands into its label, or take location off the sheet",
        ),
        (Field::Contact | Field::Description | Field::Reading(_), _) => unable(
            format!("{name} has no {}; Art-Net has no word for it", difference.field),
            "set it at the unit itself, or take it off the sheet",
        ),
        (Field::HostName | Field::NameServer | Field::Scope | Field::Broker, _) => unable(
            format!("{name} is told its {} by LLRP, which it does not speak", difference.field),
            "set it at the unit itself, or at its web page",
        ),
        (field, _) if is_of_fixtures(field) => {
            unable(format!("{name} is a node, and has no {}", difference.field), NAME_A_FIXTURE)
        }
        (Field::Pages, _) => Some(PAGES_MISSING.finding(
            format!("only {} of the pages of {name} were heard", node.pages.len()),
            "run the same command again; a lost answer is the usual cause",
        )),
        _ => None,
    }
}

const NAME_A_FIXTURE: &str = "name a fixture: its identifier, or its label";

/// What only fixtures have.
const fn is_of_fixtures(field: Field) -> bool {
    matches!(
        field,
        Field::StartAddress | Field::Mode | Field::ModeName | Field::Footprint | Field::Setting(_) | Field::Own(_)
    )
}

fn is_unnamed(node: &FoundNode, port: u32) -> bool {
    let page = node.port(port).map(|(place, _)| place.page);
    node.pages.iter().any(|one| Some(one.index) == page && !one.says_index)
}

/// Texts that are longer than the device keeps.
pub(super) fn too_long(change: &Change) -> Vec<Finding> {
    let finding = |what: &str, text: &str, most: usize| {
        TOO_LONG.finding(
            format!("the {what} {text:?} has {} bytes, {most} are kept", text.len()),
            format!("shorten it to {most} bytes"),
        )
    };
    let of_node = change.subject.node().is_some();
    let long = |difference: &Difference| match (difference.field, &difference.planned) {
        (Field::Name, Value::Text(planned)) if of_node && !ShortName::fits(planned.raw()) => {
            Some(finding("name", planned.raw(), ShortName::CAPACITY))
        }
        (Field::Label, Value::Text(planned)) if of_node && !LongName::fits(planned.raw()) => {
            Some(finding("label", planned.raw(), LongName::CAPACITY))
        }
        (Field::Label | Field::Port(_, PortField::Label), Value::Text(planned))
            if !of_node && planned.raw().len() > MOST_LABEL =>
        {
            Some(finding("label", planned.raw(), MOST_LABEL))
        }
        (Field::HostName, Value::Text(planned)) if planned.raw().len() > MOST_HOST_NAME => {
            Some(finding("host name", planned.raw(), MOST_HOST_NAME))
        }
        (Field::Scope, Value::Text(planned)) if planned.raw().len() > MOST_SCOPE => {
            Some(finding("scope", planned.raw(), MOST_SCOPE))
        }
        _ => None,
    };
    change.differences.iter().filter_map(long).collect()
}
