//! What a node does when it is told to be otherwise.

use std::net::Ipv4Addr;

use lantern_wire::art_net::{Address, Command, DataLoss, IpCommand, IpProg, PollReply, PortType, Program};

use super::SimNode;

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
            self.take_lease();
            return true;
        }
        if command.has(IpCommand::ADDRESS) {
            self.address = message.address;
            self.dhcp = false;
        }
        if command.has(IpCommand::MASK) {
            self.mask = message.mask;
        }
        if command.has(IpCommand::GATEWAY) {
            self.gateway = message.gateway;
        }
        true
    }

    /// Takes what a DHCP server gives, or a link-local address made from the MAC (RFC 3927).
    pub(super) fn take_lease(&mut self) {
        let [.., c, d] = self.setup.mac.0;
        let link_local = Ipv4Addr::new(169, 254, c.clamp(1, 254), d);
        self.dhcp = true;
        self.address = self.setup.lease.unwrap_or(link_local);
        if self.setup.lease.is_none() {
            self.mask = Ipv4Addr::new(255, 255, 0, 0);
            self.gateway = Ipv4Addr::UNSPECIFIED;
        }
    }
}

/// Takes an ArtAddress to heart. Names and data loss belong to the whole node, the rest to the page.
pub(super) fn program_page(pages: &mut [PollReply], index: usize, message: &Address) {
    for page in pages.iter_mut() {
        if !message.short_name.is_empty() {
            page.short_name = message.short_name;
        }
        if !message.long_name.is_empty() {
            page.long_name = message.long_name;
        }
        if let Some(loss) = loss(message.command) {
            page.status3 = page.status3.with_data_loss(loss);
        }
    }
    let page = &mut pages[index];
    program(&mut page.net, message.net, 0x7f);
    program(&mut page.sub, message.sub, 0x0f);
    for (slot, port) in page.ports.iter_mut().enumerate() {
        program(&mut port.switch_in, message.switch_in[slot], 0x0f);
        program(&mut port.switch_out, message.switch_out[slot], 0x0f);
    }
    if message.sacn_priority <= 200 {
        page.sacn_priority = message.sacn_priority;
    }
    obey(page, message.command);
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

fn obey(page: &mut PollReply, command: Command) {
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
        0x20 => port.kind = PortType::DMX_OUT,
        0x30 => port.kind = PortType::DMX_IN,
        0x60 => port.output_a = port.output_a.with(0, false),
        0x70 => port.output_a = port.output_a.with(0, true),
        _ => {}
    }
}
