//! From differences to messages: which messages make them vanish, in which order.

use lantern_wire::Text;
use lantern_wire::art_net::{Address, Command, IpCommand, IpProg, Program};

use super::guard;
use crate::census::{FoundNode, FoundPort, PortPlace, Protocol};
use crate::compare::{Difference, PortDifference};
use crate::finding::Finding;
use crate::universe::PortAddress;
use crate::{DataLoss, Direction, Merge};

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

/// The steps that make the differences vanish: names and universes page by page, then single commands, the address
/// last, since the node restarts with it.
///
/// # Errors
/// When a page's ports would be torn apart.
pub(super) fn steps(node: &FoundNode, differences: &[Difference]) -> Result<Vec<Step>, Vec<Finding>> {
    let mut refusals = Vec::new();
    let mut steps = Vec::new();
    for page in &node.pages {
        match page_step(node, page.index, differences) {
            Ok(step) => steps.extend(step),
            Err(finding) => refusals.push(finding),
        }
    }
    let commands = differences.iter().filter_map(|d| command(node, d).map(|message| (d, message)));
    steps.extend(commands.map(|(difference, message)| Step {
        message: StepMessage::Page(Box::new(message)),
        differences: vec![difference.clone()],
    }));
    steps.extend(ip_step(node, differences));
    if refusals.is_empty() { Ok(steps) } else { Err(refusals) }
}

/// Names (on the root page) and universes of one page, in one message.
fn page_step(node: &FoundNode, index: u8, differences: &[Difference]) -> Result<Option<Step>, Finding> {
    let mut message = Address::keep_all(index);
    let mut done = Vec::new();
    let mut moves: Vec<(PortPlace, &FoundPort, PortAddress)> = Vec::new();
    for difference in differences {
        match difference {
            Difference::Name { planned, .. } if index == 1 => message.short_name = Text::cut(planned),
            Difference::Label { planned, .. } if index == 1 => message.long_name = Text::cut(planned),
            Difference::Port { number, what: PortDifference::Universe { planned, .. } } => {
                let Some((place, port)) = node.port(*number).filter(|(place, _)| place.page == index) else {
                    continue;
                };
                let Some(address) = planned.port_address() else { continue };
                moves.push((place, port, address));
            }
            _ => continue,
        }
        done.push(difference.clone());
    }
    if done.is_empty() {
        return Ok(None);
    }
    if let Some((_, port, wanted)) = moves.first().copied() {
        let page_moves = !port.universe.shares_page_with(wanted);
        check_page(node, index, wanted, &moves)?;
        if page_moves {
            message.net = Program::set(wanted.net());
            message.sub = Program::set(wanted.sub());
        }
        for (place, port, address) in moves {
            // A port that becomes an input is programmed as one, before it is switched.
            let switches = match wanted_direction(differences, node, place).unwrap_or(port.direction) {
                Direction::Out => &mut message.switch_out,
                Direction::In => &mut message.switch_in,
            };
            switches[usize::from(place.slot & 3)] = Program::set(address.universe());
        }
    }
    Ok(Some(Step { message: StepMessage::Page(Box::new(message)), differences: done }))
}

fn wanted_direction(differences: &[Difference], node: &FoundNode, place: PortPlace) -> Option<Direction> {
    differences.iter().find_map(|difference| match difference {
        Difference::Port { number, what: PortDifference::Direction { planned, .. } } => {
            node.port(*number).filter(|(at, _)| *at == place).map(|_| *planned)
        }
        _ => None,
    })
}

/// All ports of a page share net and sub: moving one must not move a neighbour that is not meant to move.
fn check_page(
    node: &FoundNode,
    index: u8,
    wanted: PortAddress,
    moves: &[(PortPlace, &FoundPort, PortAddress)],
) -> Result<(), Finding> {
    for (number, place, port) in node.ports().filter(|(_, place, _)| place.page == index) {
        let becomes = moves.iter().find(|(at, ..)| *at == place).map_or(port.universe, |(_, _, address)| *address);
        if !becomes.shares_page_with(wanted) {
            return Err(guard::page_split(node, number, becomes, wanted));
        }
    }
    Ok(())
}

/// The one command that sets this difference, if it takes a command.
fn command(node: &FoundNode, difference: &Difference) -> Option<Address> {
    let (page, command) = match difference {
        Difference::DataLoss { planned, .. } => (1, loss_command(*planned)),
        Difference::Port { number, what } => {
            let (place, _) = node.port(*number)?;
            (place.page, port_command(*what, place.slot)?)
        }
        _ => return None,
    };
    Some(Address { command, ..Address::keep_all(page) })
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
        PortDifference::Direction { planned: Direction::Out, .. } => Command::output(slot),
        PortDifference::Direction { planned: Direction::In, .. } => Command::input(slot),
        PortDifference::Protocol { planned: Protocol::ArtNet, .. } => Command::take_art_net(slot),
        PortDifference::Protocol { planned: Protocol::Sacn, .. } => Command::take_sacn(slot),
        PortDifference::Merge { planned: Merge::Ltp, .. } => Command::merge_ltp(slot),
        PortDifference::Merge { .. } => Command::merge_htp(slot),
        PortDifference::Universe { .. } | PortDifference::Absent { .. } => return None,
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
