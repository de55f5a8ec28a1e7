//! What a node hears, and what it does about it: polls, orders, files.

use std::net::SocketAddrV4;
use std::time::Duration;

use lantern_wire::Text;
use lantern_wire::art_net::{Address, Command, FirmwareMaster, IpCommand, IpProg, Message, PORT};
use rand::RngExt;

use super::{Answer, LATE, Later, MOST_WRITES, Power, Quirk, RANDOM_WAIT, SimNode, THINKING, THINKING_LATE};
use super::{Written, firmware, program};

impl SimNode {
    /// Takes in a datagram, which came to it alone or to everybody.
    pub fn hear(&mut self, now: Duration, from: SocketAddrV4, to_everybody: bool, bytes: &[u8]) {
        if !self.is_listening() {
            return;
        }
        match Message::parse(bytes) {
            Ok(Message::Poll(poll)) if self.is_meant_by(&poll) => {
                self.polls_heard += 1;
                let only_everybody = self.setup.has(Quirk::OnlyBroadcastPolls) && !to_everybody;
                let every_second = self.setup.has(Quirk::EverySecondPoll) && self.polls_heard % 2 == 1;
                if only_everybody || every_second {
                    return;
                }
                let wait = self.dice.random_range(Duration::ZERO..RANDOM_WAIT);
                let to = self.answer_to(from);
                self.answer_at(now + self.setup.late + wait, Answer::AllPages(to));
                if self.setup.has(Quirk::AnswersTwice) {
                    self.answer_at(now + self.setup.late + wait + THINKING, Answer::AllPages(to));
                }
            }
            Ok(Message::Dmx(dmx)) => self.hear_levels(dmx.port_address, dmx.slots),
            Ok(Message::IpProg(message)) => self.hear_ip_prog(now, from, &message, bytes),
            Ok(Message::TodRequest(request))
                if !self.cables.is_empty() && !self.setup.has(Quirk::TellsNoTables) =>
            {
                self.hear_tod_request(&request);
            }
            Ok(Message::TodControl(control)) if !self.cables.is_empty() => {
                self.note_write(now, bytes);
                self.hear_tod_control(now, &control);
            }
            Ok(Message::Rdm(request)) if !self.cables.is_empty() => self.hear_rdm(now, from, &request),
            Ok(Message::FirmwareMaster(message)) => self.hear_block(now, from, &message),
            Ok(Message::Input(message)) => {
                self.note_write(now, bytes);
                let index = usize::from(message.bind_index.max(1)) - 1;
                if index < self.pages.len() {
                    if self.takes_write() {
                        program::program_inputs(&mut self.pages[index], &message);
                    }
                    self.answer_at(now + THINKING, Answer::OnePage(index, self.answer_to(from)));
                }
            }
            Ok(Message::Address(message)) => {
                self.note_write(now, bytes);
                let index = usize::from(message.bind_index.max(1)) - 1;
                if index < self.pages.len() {
                    self.hear_address(now, index, from, &message);
                }
            }
            _ => {}
        }
    }

    /// Puts the slots out where it has outputs of this universe, and says from now on that data comes there.
    fn hear_levels(&mut self, port_address: u16, slots: &[u8]) {
        for page in &mut self.pages {
            let [net, sub] = [page.net, page.sub].map(u16::from);
            for port in page.ports.iter_mut().filter(|port| port.kind.is_output() && !port.output_a.takes_sacn()) {
                if net << 8 | sub << 4 | u16::from(port.switch_out & 0x0f) == port_address {
                    port.output_a = port.output_a.with(7, true);
                    self.put_out.insert(port_address, slots.to_vec());
                }
            }
        }
    }

    fn hear_block(&mut self, now: Duration, from: SocketAddrV4, message: &FirmwareMaster) {
        if !self.setup.model.is_able() || self.setup.has(Quirk::DeafToFirmware) {
            return;
        }
        if self.setup.has(Quirk::DiesOfFirmware) && message.block == 3 {
            self.waiting.clear();
            self.power = Power::Off;
            return;
        }
        let taken = self.loading.take(message, self.setup.model, &self.setup.quirks);
        let Some(taken) = taken else { return };
        let at = now + THINKING + taken.after;
        self.answer_at(at, Answer::Block(taken.answer, SocketAddrV4::new(*from.ip(), PORT)));
        if let Some(whole) = taken.whole {
            self.loaded = Some(whole);
            self.answer_at(at + THINKING, Answer::Restart);
        }
    }

    /// Starts with the firmware that it got.
    pub(super) fn start_with_loaded(&mut self, now: Duration) {
        let version = self.loaded.as_deref().map(firmware::version_of);
        if let Some(version) = version.filter(|_| !self.setup.has(Quirk::KeepsOldFirmware)) {
            self.pages.iter_mut().for_each(|page| page.firmware = version);
            self.saved.iter_mut().for_each(|page| page.firmware = version);
        }
        if self.setup.has(Quirk::LosesSettingsWithFirmware) {
            self.pages.iter_mut().for_each(|page| page.short_name = Text::cut("Four"));
        }
        self.restart(now);
    }

    fn note_write(&mut self, now: Duration, bytes: &[u8]) {
        self.writes_heard += 1;
        if self.heard_writes.len() < MOST_WRITES {
            self.heard_writes.push(Written { at: now, bytes: bytes.to_vec() });
        }
    }

    /// Whether it takes the write that it has just heard.
    fn takes_write(&self) -> bool {
        let lost = self.setup.has(Quirk::LosesEverySecondWrite) && self.writes_heard % 2 == 1;
        !self.setup.refuses && !lost
    }

    fn hear_address(&mut self, now: Duration, index: usize, from: SocketAddrV4, message: &Address) {
        if self.setup.has(Quirk::ObeysLate) {
            self.later = Some((now + LATE, Later::Page(index, Box::new(message.clone()))));
        } else if self.takes_write() {
            program::program_page(&mut self.pages, index, message, &self.setup);
            self.scenes += u32::from(message.command == Command::RECORD_SCENE);
        }
        let to = self.answer_to(from);
        self.answer_at(now + THINKING, Answer::OnePage(index, to));
        if self.setup.has(Quirk::RestartsAtEveryWrite) {
            self.waiting.clear();
            self.restart(now);
        }
    }

    fn hear_ip_prog(&mut self, now: Duration, from: SocketAddrV4, message: &IpProg, bytes: &[u8]) {
        let habits = self.setup.quirks.clone();
        let quirk = |quirk| habits.contains(&quirk);
        let is_order = message.command.has(IpCommand::PROGRAM);
        let mute = quirk(Quirk::NeverTellsSettings) || (quirk(Quirk::SilentAfterMove) && self.moved);
        if is_order {
            self.note_write(now, bytes);
        }
        if mute || (is_order && quirk(Quirk::NoAcknowledgement)) {
            if is_order && self.obey(message) {
                self.restart(now);
            }
            return;
        }
        if is_order && quirk(Quirk::TakesLate) {
            self.later = Some((now + 3 * THINKING_LATE, Later::Ip(*message)));
            return self.tell_settings(now, from);
        }
        if is_order && quirk(Quirk::TakesAtNextStart) {
            let before = (self.address, self.mask, self.gateway, self.dhcp);
            self.obey(message);
            let after = (self.address, self.mask, self.gateway, self.dhcp);
            self.say_settings(SocketAddrV4::new(*from.ip(), PORT));
            self.at_next_start = Some(after);
            (self.address, self.mask, self.gateway, self.dhcp) = before;
            return;
        }
        if is_order && quirk(Quirk::AcknowledgesOld) {
            self.say_settings(SocketAddrV4::new(*from.ip(), PORT));
            if self.obey(message) {
                self.restart(now);
            }
            return;
        }
        let to = SocketAddrV4::new(*from.ip(), PORT);
        let (address, mask, gateway, dhcp) = (self.address, self.mask, self.gateway, self.dhcp);
        if is_order && quirk(Quirk::DiesOfItsFirstMove) && !std::mem::replace(&mut self.moved, true) {
            self.power = Power::Off;
            return;
        }
        let obeys = self.obey(message);
        self.answer_at(now + THINKING, Answer::IpSettings(to));
        if is_order && self.setup.has(Quirk::DiesOfMoving) {
            self.flush_answers();
            self.power = Power::Off;
            return;
        }
        if obeys && (address, mask, gateway, dhcp) != (self.address, self.mask, self.gateway, self.dhcp) {
            // The acknowledgement still goes out from where the node was; then it restarts.
            self.restart(now);
        }
    }

    pub(super) fn obey(&mut self, message: &IpProg) -> bool {
        !self.setup.refuses && self.program_ip(message)
    }

    fn tell_settings(&mut self, now: Duration, from: SocketAddrV4) {
        self.answer_at(now + THINKING, Answer::IpSettings(SocketAddrV4::new(*from.ip(), PORT)));
    }
}
