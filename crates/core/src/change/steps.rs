//! From differences to messages: which messages make them vanish, in which order.

use std::net::Ipv4Addr;

use lantern_wire::art_net::{Address, Command, Input, IpCommand, IpProg, Program};
use lantern_wire::{Place, Text};

use super::guard;
use crate::census::{FoundFixture, FoundNode, Page, PortPlace, Subject, Unit};
use crate::facts::{Difference, Field, Known, PortField, Value};
use crate::finding::Finding;
use crate::firmware::Image;
use crate::universe::{PortAddress, Universe};
use crate::{DataLoss, Direction, Indicators, Merge, Protocol};

/// One message and what it is to achieve.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    /// The message.
    pub message: StepMessage,
    /// The differences that are gone once it has been taken.
    pub differences: Vec<Difference>,
}

/// What a step sends.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum StepMessage {
    /// Names, universes or a command, each message for one page.
    Pages(Vec<Address>),
    /// Which inputs of a page are on.
    Inputs(Input),
    /// A file, block by block; the node restarts with it.
    Firmware(Image),
    /// Address, mask, gateway or DHCP; the node restarts.
    Ip(IpProg),
    /// Whatever the family of the unit makes of the differences.
    ByFamily,
    /// What of a device is patched, all at once.
    Patched {
        /// Where the sender that it gets describes what it sends.
        described_at: Option<Place>,
    },
}

impl Step {
    fn of_page(message: Address, differences: Vec<Difference>) -> Self {
        Self::of_pages(vec![message], differences)
    }

    const fn of_pages(messages: Vec<Address>, differences: Vec<Difference>) -> Self {
        Self { message: StepMessage::Pages(messages), differences }
    }

    /// The address it sends the node to; `None` when the node stays, or a DHCP server decides.
    #[must_use]
    pub fn destination(&self, node: &FoundNode) -> Option<Ipv4Addr> {
        match &self.message {
            StepMessage::Ip(message) if message.command.has(IpCommand::ADDRESS) => {
                Some(message.address).filter(|to| *to != node.address)
            }
            _ => None,
        }
    }

    /// Whether the node restarts and may show up elsewhere.
    #[must_use]
    pub const fn moves_node(&self) -> bool {
        matches!(self.message, StepMessage::Ip(_))
    }

    /// Each message's bytes, and the page it is for; `None` for the whole node.
    #[must_use]
    pub fn sends(&self) -> Vec<(Option<u8>, Vec<u8>)> {
        match &self.message {
            StepMessage::Pages(all) => all.iter().map(|one| (Some(one.bind_index), one.to_bytes())).collect(),
            StepMessage::Inputs(message) => vec![(Some(message.bind_index), message.to_bytes())],
            StepMessage::Ip(message) => vec![(None, message.to_bytes())],
            // Each block waits for the answer to the one before.
            StepMessage::Firmware(_) | StepMessage::ByFamily | StepMessage::Patched { .. } => Vec::new(),
        }
    }
}

/// A port of a page that is to get another universe, another direction, or both.
struct Move<'a> {
    number: u32,
    place: PortPlace,
    to: PortAddress,
    flips_to: Option<Direction>,
    direction: Direction,
    differences: Vec<&'a Difference>,
}

/// The steps that make these differences vanish.
///
/// # Errors
/// When it cannot be done without something else changing, or going lost.
pub(super) fn of(subject: &Subject, differences: &[Difference]) -> Result<Vec<Step>, Vec<Finding>> {
    match subject {
        Subject::Node(node) => steps(node, differences),
        Subject::Unit(unit) => steps_of_unit(unit, differences),
        Subject::Fixture(fixture) => Ok(steps_of_fixture(fixture, differences)),
        Subject::PatchPoint(_) => {
            let message = StepMessage::Patched { described_at: None };
            Ok(vec![Step { message, differences: differences.to_vec() }])
        }
    }
}

/// The steps of a fixture: its mode first, since some go to slot 1 with it; so its start address is held on to.
fn steps_of_fixture(fixture: &FoundFixture, differences: &[Difference]) -> Vec<Step> {
    let is_mode =
        |difference: &Difference| matches!(difference.field, Field::Mode | Field::ModeName | Field::Footprint);
    let (modes, rest): (Vec<_>, Vec<_>) = differences.iter().cloned().partition(is_mode);
    let kept = fixture.facts.get(Field::StartAddress).map(|start| Difference {
        field: Field::StartAddress,
        planned: start.clone(),
        found: Known::Told(start.clone()),
    });
    // What is an order comes behind every setting: as from the factory, then to start anew.
    let is_order =
        |difference: &Difference| matches!(difference.field, Field::Setting(setting) if setting.is_order());
    let (orders, rest): (Vec<_>, Vec<_>) = rest.into_iter().partition(is_order);
    let is_moved = rest.iter().any(|difference| difference.field == Field::StartAddress);
    let kept = kept.filter(|_| !modes.is_empty() && !is_moved);
    let step = |difference| Step { message: StepMessage::ByFamily, differences: vec![difference] };
    modes.into_iter().chain(kept).chain(rest).chain(orders).map(step).collect()
}

/// The steps of a unit of another family: what can stay where it is first, then everything that may move it at once.
///
/// # Errors
/// When it does not tell what would have to go along with its address.
fn steps_of_unit(unit: &Unit, differences: &[Difference]) -> Result<Vec<Step>, Vec<Finding>> {
    let (of_ip, mut rest): (Vec<_>, Vec<_>) =
        differences.iter().cloned().partition(|difference| difference.field.is_network());
    // A port that begins to put out has its universe then.
    rest.sort_by_key(|one| !matches!(one.field, Field::Port(_, PortField::Universe)));
    let is_known =
        |field| of_ip.iter().any(|difference| difference.field == field) || unit.facts.get(field).is_some();
    let by_dhcp = of_ip.iter().any(Difference::wants_dhcp);
    let is_addressed = of_ip.iter().any(|difference| difference.field.is_ip());
    if is_addressed && !by_dhcp && !is_known(Field::Mask) {
        return Err(vec![guard::settings_untold(&unit.title(), "mask", by_dhcp)]);
    }
    let (of_broker, rest): (Vec<_>, Vec<_>) =
        rest.into_iter().partition(|difference| matches!(difference.field, Field::Scope | Field::Broker));
    let single = rest.into_iter().map(|difference| vec![difference]);
    let single = single.chain((!of_broker.is_empty()).then_some(of_broker));
    let together = (!of_ip.is_empty()).then_some(of_ip);
    let step = |differences| Step { message: StepMessage::ByFamily, differences };
    Ok(single.chain(together).map(step).collect())
}

/// The steps that make the differences vanish: names and universes page by page, then ports that change direction,
/// then single commands, the address last, since the node restarts with it.
///
/// # Errors
/// When a page's ports would be torn apart.
fn steps(node: &FoundNode, differences: &[Difference]) -> Result<Vec<Step>, Vec<Finding>> {
    let mut refusals = Vec::new();
    let mut steps = Vec::new();
    for page in &node.pages {
        let moves = moves(node, page, differences);
        if let Err(finding) = check_page(node, page, &moves) {
            refusals.push(finding);
        }
        steps.extend(page_step(page, &moves, differences));
        steps.extend(moves.iter().filter_map(|one| flip_step(page, one)));
        steps.extend(inputs_step(node, page, differences));
    }
    steps.extend(differences.iter().filter_map(|difference| command_step(node, difference)));
    match ip_step(node, differences) {
        Ok(step) => steps.extend(step),
        Err(finding) => refusals.push(finding),
    }
    if refusals.is_empty() { Ok(steps) } else { Err(refusals) }
}

fn moves<'a>(node: &FoundNode, page: &Page, differences: &'a [Difference]) -> Vec<Move<'a>> {
    let mut moves: Vec<Move<'a>> = Vec::new();
    for (number, place, port) in node.ports().filter(|(_, place, _)| place.page == page.index) {
        let mut one = Move {
            number,
            place,
            to: port.universe,
            flips_to: None,
            direction: port.direction,
            differences: Vec::new(),
        };
        for difference in differences {
            let Field::Port(of, field) = difference.field else { continue };
            match (field, &difference.planned) {
                _ if of != number => continue,
                (PortField::Universe, Value::Universe(planned)) => {
                    one.to = planned.port_address().unwrap_or(one.to);
                    // One that is both is programmed in the direction that is meant.
                    let found = found_universe(difference).and_then(Universe::port_address);
                    if port.also_in.is_some() && port.also_in == found && found != Some(port.universe) {
                        one.direction = Direction::In;
                    }
                }
                (PortField::Direction, Value::Direction(planned)) => one.flips_to = Some(*planned),
                _ => continue,
            }
            one.differences.push(difference);
        }
        if !one.differences.is_empty() {
            moves.push(one);
        }
    }
    moves
}

/// All ports of a page share net and sub: moving one must not move a neighbour that is not meant to move.
fn check_page(node: &FoundNode, page: &Page, moves: &[Move<'_>]) -> Result<(), Finding> {
    let Some(wanted) = moves.first().map(|one| one.to) else { return Ok(()) };
    for (number, _, port) in node.ports().filter(|(_, place, _)| place.page == page.index) {
        let becomes = moves.iter().find(|one| one.number == number).map_or(port.universe, |one| one.to);
        if !becomes.shares_page_with(wanted) {
            return Err(guard::page_split(node, number, becomes, wanted));
        }
    }
    Ok(())
}

/// Names (on the root page) and universes of one page, in one message.
fn page_step(page: &Page, moves: &[Move<'_>], differences: &[Difference]) -> Option<Step> {
    let mut message = Address::keep_all(page.index);
    let mut done: Vec<Difference> = Vec::new();
    for difference in differences.iter().filter(|_| page.index == 1) {
        match (difference.field, &difference.planned) {
            (Field::Name, Value::Text(name)) => message.short_name = Text::cut(name.raw()),
            (Field::Label, Value::Text(label)) => message.long_name = Text::cut(label.raw()),
            _ => continue,
        }
        done.push(difference.clone());
    }
    for one in moves.iter().filter(|one| one.flips_to.is_none()) {
        one.program(page, one.direction, &mut message);
        done.extend(one.differences.iter().copied().cloned());
    }
    (!done.is_empty()).then(|| Step::of_page(message, done))
}

/// A port that changes direction gets its universe in the same message: an input that woke up on a universe it was
/// never meant for would disturb whoever sends there.
fn flip_step(page: &Page, one: &Move<'_>) -> Option<Step> {
    let direction = one.flips_to?;
    let command = match direction {
        Direction::Out => Command::output(one.place.slot),
        Direction::In => Command::input(one.place.slot),
    };
    let mut message = Address { command, ..Address::keep_all(page.index) };
    one.program(page, direction, &mut message);
    Some(Step::of_page(message, one.differences.iter().copied().cloned().collect()))
}

impl Move<'_> {
    /// Programs the port's universe into `message`, and the page's net and sub where they change.
    fn program(&self, page: &Page, direction: Direction, message: &mut Address) {
        if page.ports.iter().any(|port| !port.universe.shares_page_with(self.to)) {
            message.net = Program::set(self.to.net());
            message.sub = Program::set(self.to.sub());
        }
        let switches = match direction {
            Direction::Out => &mut message.switch_out,
            Direction::In => &mut message.switch_in,
        };
        switches[usize::from(self.place.slot & 3)] = Program::set(self.to.universe());
    }
}

/// Which inputs of the page are on, in one message: the others stay as they are.
fn inputs_step(node: &FoundNode, page: &Page, differences: &[Difference]) -> Option<Step> {
    let slot_of = |difference: &Difference| match difference.field {
        Field::Port(number, PortField::Input) => {
            node.port(number).filter(|(place, _)| place.page == page.index).map(|(place, _)| place.slot)
        }
        _ => None,
    };
    let mut off = [false; 4];
    for port in &page.ports {
        off[usize::from(port.slot & 3)] = port.input == Some(false);
    }
    let mut done = Vec::new();
    for difference in differences {
        if let (Some(slot), Value::Flag(on)) = (slot_of(difference), &difference.planned) {
            off[usize::from(slot & 3)] = !on;
            done.push(difference.clone());
        }
    }
    let last = page.ports.iter().map(|port| u16::from(port.slot) + 1).max().unwrap_or(0);
    let message = Input { bind_index: page.index, port_count: last, off };
    (!done.is_empty()).then_some(Step { message: StepMessage::Inputs(message), differences: done })
}

/// What is told to several pages at once.
fn pages_step(node: &FoundNode, difference: &Difference) -> Option<Step> {
    let tell = |page: &Page| Address::keep_all(page.index);
    let all = node.pages.iter();
    let messages: Vec<Address> = match (difference.field, &difference.planned) {
        (Field::SacnPriority, Value::Count(planned)) => {
            let sacn_priority = u8::try_from(*planned).ok()?;
            let differ = all.filter(|page| page.sacn_priority != Some(sacn_priority));
            differ.map(|page| Address { sacn_priority, ..tell(page) }).collect()
        }
        (Field::Merging, Value::Flag(false)) => {
            let merge = all.filter(|page| page.ports.iter().any(|port| port.merging));
            merge.map(|page| Address { command: Command::CANCEL_MERGE, ..tell(page) }).collect()
        }
        (Field::LossScene, _) => {
            all.map(|page| Address { command: Command::RECORD_SCENE, ..tell(page) }).collect()
        }
        _ => return None,
    };
    Some(Step::of_pages(messages, vec![difference.clone()]))
}

/// The one command that sets this difference, if it takes a command of its own.
fn command_step(node: &FoundNode, difference: &Difference) -> Option<Step> {
    if let Some(step) = pages_step(node, difference) {
        return Some(step);
    }
    let (page, command) = match (difference.field, &difference.planned) {
        (Field::Indicators, Value::Indicators(planned)) => (node.pages.first()?, indicator_command(*planned)),
        (Field::OnDataLoss, Value::DataLoss(planned)) => (node.pages.first()?, loss_command(*planned)),
        (Field::Port(number, field), planned) => {
            let (place, _) = node.port(number)?;
            let page = node.pages.iter().find(|page| page.index == place.page)?;
            (page, port_command(field, planned, place.slot)?)
        }
        _ => return None,
    };
    let message = Address { command, ..Address::keep_all(page.index) };
    Some(Step::of_page(message, vec![difference.clone()]))
}

const fn indicator_command(indicators: Indicators) -> Command {
    match indicators {
        Indicators::Normal => Command::INDICATORS_NORMAL,
        Indicators::Mute => Command::INDICATORS_MUTE,
        Indicators::Flash => Command::INDICATORS_LOCATE,
    }
}

const fn loss_command(loss: DataLoss) -> Command {
    match loss {
        DataLoss::Hold => Command::LOSS_HOLD,
        DataLoss::Dark => Command::LOSS_ZERO,
        DataLoss::Full => Command::LOSS_FULL,
        DataLoss::Scene => Command::LOSS_SCENE,
    }
}

const fn port_command(field: PortField, planned: &Value, slot: u8) -> Option<Command> {
    Some(match (field, planned) {
        (PortField::Protocol, Value::Protocol(Protocol::ArtNet)) => Command::take_art_net(slot),
        (PortField::Protocol, Value::Protocol(Protocol::Sacn)) => Command::take_sacn(slot),
        (PortField::Merge, Value::Merge(Merge::Ltp)) => Command::merge_ltp(slot),
        (PortField::Merge, Value::Merge(Merge::Htp)) => Command::merge_htp(slot),
        (PortField::Rdm, Value::Flag(true)) => Command::rdm_on(slot),
        (PortField::Rdm, Value::Flag(false)) => Command::rdm_off(slot),
        _ => return None,
    })
}

/// The universe that was found, of a difference about one.
const fn found_universe(difference: &Difference) -> Option<Universe> {
    match difference.found {
        Known::Told(Value::Universe(universe)) => Some(universe),
        _ => None,
    }
}

/// Address, mask, gateway and DHCP go in one message. It carries all of them, also those that stay, each with its bit:
/// many units take the whole message whatever the single bits say.
///
/// # Errors
/// When the node does not tell what would have to go along, and nobody else says it either.
fn ip_step(node: &FoundNode, differences: &[Difference]) -> Result<Option<Step>, Finding> {
    let done: Vec<Difference> = differences.iter().filter(|d| d.field.is_ip()).cloned().collect();
    if done.is_empty() {
        return Ok(None);
    }
    if done.iter().any(|difference| difference.field == Field::FactoryNetwork) {
        let message = IpProg { command: IpCommand::PROGRAM.and(IpCommand::DEFAULTS), ..IpProg::ASK };
        return Ok(Some(Step { message: StepMessage::Ip(message), differences: done }));
    }
    let mut address = node.address;
    // A mask of nothing is none that could be sent on.
    let mut mask = node.settings.map(|settings| settings.mask).filter(|mask| !mask.is_unspecified());
    let mut gateway = node.settings.map(|settings| settings.gateway);
    let mut by_dhcp = false;
    for difference in &done {
        match (difference.field, &difference.planned) {
            (Field::Address, Value::Address(planned)) => address = *planned,
            (Field::Mask, Value::Address(planned)) => mask = Some(*planned),
            (Field::Gateway, Value::Address(planned)) => gateway = Some(*planned),
            (Field::Addressing, Value::Flag(dhcp)) => by_dhcp = *dhcp,
            _ => {}
        }
    }
    let (Some(mask), Some(gateway)) = (mask, gateway) else {
        let lacks = match (mask, gateway) {
            (None, None) => "mask and gateway",
            (None, _) => "mask",
            _ => "gateway",
        };
        return Err(guard::settings_untold(&node.title(), lacks, by_dhcp));
    };
    let all = IpCommand::ADDRESS.and(IpCommand::MASK).and(IpCommand::GATEWAY);
    let command = IpCommand::PROGRAM.and(if by_dhcp { IpCommand::DHCP } else { all });
    let message = IpProg { command, address, mask, gateway, ..IpProg::ASK };
    Ok(Some(Step { message: StepMessage::Ip(message), differences: done }))
}
