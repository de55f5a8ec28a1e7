//! From differences to messages: which messages make them vanish, in which order.

use lantern_wire::Text;
use lantern_wire::art_net::{Address, Command, IpCommand, IpProg, Program};

use super::guard;
use crate::census::{FoundNode, Page, PortPlace};
use crate::compare::{Difference, PortDifference};
use crate::finding::Finding;
use crate::universe::PortAddress;
use crate::{DataLoss, Direction, Merge, Protocol};

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
    /// Names, universes or a command, for one page.
    Page(Box<Address>),
    /// Address, mask, gateway or DHCP; the node restarts.
    Ip(IpProg),
}

impl Step {
    /// Whether the node restarts and may show up elsewhere.
    #[must_use]
    pub const fn moves_node(&self) -> bool {
        matches!(self.message, StepMessage::Ip(_))
    }

    /// The message's bytes.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        match &self.message {
            StepMessage::Page(message) => message.to_bytes(),
            StepMessage::Ip(message) => message.to_bytes(),
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

/// The steps that make the differences vanish: names and universes page by page, then ports that change direction,
/// then single commands, the address last, since the node restarts with it.
///
/// # Errors
/// When a page's ports would be torn apart.
pub(super) fn steps(node: &FoundNode, differences: &[Difference]) -> Result<Vec<Step>, Vec<Finding>> {
    let mut refusals = Vec::new();
    let mut steps = Vec::new();
    for page in &node.pages {
        let moves = moves(node, page, differences);
        if let Err(finding) = check_page(node, page, &moves) {
            refusals.push(finding);
        }
        steps.extend(page_step(page, &moves, differences));
        steps.extend(moves.iter().filter_map(|one| flip_step(page, one)));
    }
    steps.extend(differences.iter().filter_map(|difference| command_step(node, difference)));
    steps.extend(ip_step(node, differences));
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
            let Difference::Port { number: of, what } = difference else { continue };
            match what {
                _ if *of != number => continue,
                PortDifference::Universe { planned, .. } => one.to = planned.port_address().unwrap_or(one.to),
                PortDifference::Direction { planned, .. } => one.flips_to = Some(*planned),
                PortDifference::Absent { .. } | PortDifference::Protocol { .. } | PortDifference::Merge { .. } => {
                    continue;
                }
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
        match difference {
            Difference::Name { planned, .. } => message.short_name = Text::cut(planned),
            Difference::Label { planned, .. } => message.long_name = Text::cut(planned),
            _ => continue,
        }
        done.push(difference.clone());
    }
    for one in moves.iter().filter(|one| one.flips_to.is_none()) {
        one.program(page, one.direction, &mut message);
        done.extend(one.differences.iter().copied().cloned());
    }
    (!done.is_empty()).then(|| Step { message: StepMessage::Page(Box::new(message)), differences: done })
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
    let differences = one.differences.iter().copied().cloned().collect();
    Some(Step { message: StepMessage::Page(Box::new(message)), differences })
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

/// The one command that sets this difference, if it takes a command of its own.
fn command_step(node: &FoundNode, difference: &Difference) -> Option<Step> {
    let (page, command) = match difference {
        Difference::DataLoss { planned, .. } => (1, loss_command(*planned)),
        Difference::Port { number, what } => {
            let (place, _) = node.port(*number)?;
            (place.page, port_command(*what, place.slot)?)
        }
        _ => return None,
    };
    let message = Address { command, ..Address::keep_all(page) };
    Some(Step { message: StepMessage::Page(Box::new(message)), differences: vec![difference.clone()] })
}

const fn loss_command(loss: DataLoss) -> Command {
    match loss {
        DataLoss::Hold => Command::LOSS_HOLD,
        DataLoss::Dark => Command::LOSS_ZERO,
        DataLoss::Full => Command::LOSS_FULL,
        DataLoss::Scene => Command::LOSS_SCENE,
    }
}

fn port_command(what: PortDifference, slot: u8) -> Option<Command> {
    Some(match what {
        PortDifference::Protocol { planned: Protocol::ArtNet, .. } => Command::take_art_net(slot),
        PortDifference::Protocol { planned: Protocol::Sacn, .. } => Command::take_sacn(slot),
        PortDifference::Merge { planned: Merge::Ltp, .. } => Command::merge_ltp(slot),
        PortDifference::Merge { .. } => Command::merge_htp(slot),
        PortDifference::Direction { .. } | PortDifference::Universe { .. } | PortDifference::Absent { .. } => {
            return None;
        }
    })
}

/// Address, mask, gateway and DHCP go in one message.
fn ip_step(node: &FoundNode, differences: &[Difference]) -> Option<Step> {
    let done: Vec<Difference> = differences.iter().filter(|d| d.is_ip()).cloned().collect();
    if done.is_empty() {
        return None;
    }
    let mut message = IpProg { command: IpCommand::PROGRAM, ..IpProg::ASK };
    for difference in &done {
        let part = match difference {
            Difference::Address { planned, .. } => {
                message.address = *planned;
                IpCommand::ADDRESS
            }
            Difference::Mask { planned, .. } => {
                message.mask = planned.dotted();
                IpCommand::MASK
            }
            Difference::Gateway { planned, .. } => {
                message.gateway = *planned;
                IpCommand::GATEWAY
            }
            Difference::Dhcp { planned: true } => IpCommand::DHCP,
            // Programming an address is what takes a node off DHCP: the very one it has, if no other is wanted.
            Difference::Dhcp { planned: false } if message.address.is_unspecified() => {
                message.address = node.address;
                IpCommand::ADDRESS
            }
            _ => continue,
        };
        message.command = message.command.and(part);
    }
    Some(Step { message: StepMessage::Ip(message), differences: done })
}
