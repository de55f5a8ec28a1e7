//! What a node does when it is told to be otherwise.

use std::net::Ipv4Addr;

use lantern_wire::Text;
use lantern_wire::art_net::{Address, Command, DataLoss, Input, IpCommand, IpProg, PollReply, PortType, Program};

use super::{NodeSetup, Quirk, SimNode};
use crate::link_local;

impl SimNode {
    /// Takes an ArtIpProg to heart; whether it was a command at all.
    pub(super) fn program_ip(&mut self, message: &IpProg) -> bool {
        let command = message.command;
        if !command.has(IpCommand::PROGRAM) {
            return false;
        }
        if command.has(IpCommand::DEFAULTS) {
            self.address = self.setup.factory;
            self.mask = Ipv4Addr::new(255, 0, 0, 0);
            self.gateway = Ipv4Addr::UNSPECIFIED;
            self.dhcp = false;
            return true;
        }
        if command.has(IpCommand::DHCP) {
            if !self.setup.model.is_able() {
                return false;
            }
            self.take_lease();
            return true;
        }
        let (setup, before) = (&self.setup, self.address);
        let all = setup.has(Quirk::TakesAllFields);
        if all || command.has(IpCommand::ADDRESS) {
            let further = u32::from(setup.has(Quirk::ComesUpElsewhere) && message.address != self.address);
            self.address = Ipv4Addr::from_bits(message.address.to_bits() + further);
            self.dhcp = self.dhcp && setup.has(Quirk::StaysOnDhcp);
        }
        if all || command.has(IpCommand::MASK) {
            self.mask = message.mask;
        }
        if all || command.has(IpCommand::GATEWAY) {
            self.gateway = message.gateway;
        }
        if self.address != before {
            self.moved = true;
            if self.setup.has(Quirk::ResetsMask) {
                self.mask = Ipv4Addr::new(255, 0, 0, 0);
            }
            if self.setup.has(Quirk::LosesGateway) {
                self.gateway = Ipv4Addr::UNSPECIFIED;
            }
        }
        true
    }

    /// Takes what a DHCP server gives, or a link-local address made from the MAC (RFC 3927).
    pub(super) fn take_lease(&mut self) {
        self.dhcp = true;
        self.address = self.setup.lease.unwrap_or_else(|| link_local::address(self.setup.mac));
        if self.setup.lease.is_none() {
            self.mask = link_local::MASK;
            self.gateway = Ipv4Addr::UNSPECIFIED;
        }
    }
}

/// Takes an ArtAddress to heart. Names and data loss belong to the whole node, the rest to the page.
pub(super) fn program_page(pages: &mut [PollReply], index: usize, message: &Address, setup: &NodeSetup) {
    for page in pages.iter_mut() {
        if !message.short_name.is_empty() {
            page.short_name = if setup.has(Quirk::CutsNames) {
                let told = message.short_name.to_lossy();
                Text::cut(&told[..told.floor_char_boundary(8)])
            } else {
                message.short_name
            };
        }
        if !message.long_name.is_empty() {
            page.long_name = message.long_name;
        }
        if let Some(loss) = loss(message.command).filter(|_| setup.model.is_able()) {
            page.status3 = page.status3.with_data_loss(loss);
        }
    }
    let page = &mut pages[index];
    program(&mut page.net, message.net, 0x7f);
    program(&mut page.sub, message.sub, 0x0f);
    if setup.has(Quirk::MovesTheNeighbour)
        && let Some(told) = message.switch_out.iter().position(|switch| switch.value().is_some())
    {
        page.ports[(told + 1) % 4].switch_out =
            message.switch_out[told].value().unwrap_or(0).wrapping_add(1) & 0x0f;
    }
    for (slot, port) in page.ports.iter_mut().enumerate() {
        program(&mut port.switch_in, message.switch_in[slot], 0x0f);
        program(&mut port.switch_out, message.switch_out[slot], 0x0f);
    }
    if message.sacn_priority <= 200 {
        page.sacn_priority = message.sacn_priority;
    }
    if !setup.has(Quirk::IgnoresCommands) {
        obey(page, message.command, setup.model.is_able());
    }
}

/// What it says otherwise than it is; gives how many bytes it sends.
pub(super) fn misstate(reply: &mut PollReply, index: usize, setup: &NodeSetup) -> usize {
    if setup.has(Quirk::StatesAnotherAddress) {
        reply.address = Ipv4Addr::from_bits(reply.address.to_bits() ^ 1);
        reply.bind_address = reply.address;
    }
    if setup.has(Quirk::StatesNoAddress) {
        reply.address = Ipv4Addr::UNSPECIFIED;
        reply.bind_address = Ipv4Addr::UNSPECIFIED;
    }
    if setup.has(Quirk::PagesAllZero) {
        reply.bind_index = 0;
    }
    if setup.has(Quirk::PageOfItsOwn) && index > 0 {
        let [a, b, c, d] = reply.address.octets();
        reply.address = Ipv4Addr::new(a, b, c, d.wrapping_add(100));
        reply.mac.0[5] ^= 0x80;
    }
    if setup.has(Quirk::PadsNames) {
        let padded = format!("{:17}", reply.short_name.to_lossy());
        reply.short_name = Text::cut(&padded);
    }
    if setup.has(Quirk::Nameless) {
        reply.short_name = Text::EMPTY;
    }
    if setup.has(Quirk::Sends198) {
        198
    } else if setup.has(Quirk::Sends207) {
        207
    } else {
        PollReply::LENGTH
    }
}

/// Takes an ArtInput to heart.
pub(super) fn program_inputs(page: &mut PollReply, message: &Input) {
    for (port, off) in page.ports.iter_mut().zip(message.off) {
        if port.kind.is_input() {
            port.input = port.input.with(3, off);
        }
    }
}

fn program(field: &mut u8, asked: Program, mask: u8) {
    match asked {
        Program::OWN_SWITCH => *field = 0,
        other => *field = other.value().map_or(*field, |value| value & mask),
    }
}

const fn loss(command: Command) -> Option<DataLoss> {
    match command {
        Command::LOSS_HOLD => Some(DataLoss::Hold),
        Command::LOSS_ZERO => Some(DataLoss::Zero),
        Command::LOSS_FULL => Some(DataLoss::Full),
        Command::LOSS_SCENE => Some(DataLoss::Scene),
        _ => None,
    }
}

fn obey(page: &mut PollReply, command: Command, able: bool) {
    if command == Command::CANCEL_MERGE {
        page.ports.iter_mut().for_each(|port| port.output_a = port.output_a.with(3, false));
    }
    if let Some(indicators) = match command {
        Command::INDICATORS_LOCATE => Some(1),
        Command::INDICATORS_MUTE => Some(2),
        Command::INDICATORS_NORMAL => Some(3),
        _ => None,
    } {
        page.status1.0 = page.status1.0 & 0x3f | indicators << 6;
    }
    let port = &mut page.ports[usize::from(command.0 & 3)];
    match command.0 & 0xfc {
        0x10 => port.output_a = port.output_a.with(1, true),
        0x50 => port.output_a = port.output_a.with(1, false),
        _ if !able => {}
        0x20 => port.kind = PortType::DMX_OUT,
        0x30 => port.kind = PortType::DMX_IN,
        0x60 => port.output_a = port.output_a.with(0, false),
        0x70 => port.output_a = port.output_a.with(0, true),
        0xc0 => port.output_b.0 &= 0x7f,
        0xd0 => port.output_b.0 |= 0x80,
        _ => {}
    }
}
