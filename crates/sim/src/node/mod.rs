//! One simulated node.

mod cable;
mod firmware;
mod hearing;
mod program;
mod quirk;
mod setup;
mod truth;

use std::collections::BTreeMap;
use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_wire::Text;
use lantern_wire::art_net::{Address, FirmwareReply, IpProg, IpProgReply, PORT, Poll, PollReply, ReplyWord};
use rand::SeedableRng;
use rand::rngs::StdRng;

pub use firmware::firmware_file;
pub use quirk::Quirk;
pub use setup::{NodeSetup, PagePorts, Reply};
pub use truth::Truth;

/// A node may wait this long at random before it answers a poll (Art-Net 4, "ArtPoll").
const RANDOM_WAIT: Duration = Duration::from_secs(1);
/// How long it thinks before it answers anything else.
const THINKING: Duration = Duration::from_millis(4);
/// How much later it obeys where it is slow to.
const LATE: Duration = Duration::from_secs(2);
const THINKING_LATE: Duration = Duration::from_secs(1);
/// The most writes kept for tests to ask about.
const MOST_WRITES: usize = 1024;
/// The most answers kept waiting; a real node has little memory too.
const MOST_WAITING: usize = 16;

/// Something a node sends.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Speech {
    /// From which port.
    pub port: u16,
    /// To whom.
    pub to: Destination,
    /// The payload.
    pub bytes: Vec<u8>,
}

/// To whom a node speaks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Destination {
    /// Everybody on the wire.
    Everybody,
    /// A group, and the port its members hear on.
    Group(SocketAddrV4),
    /// One party.
    One(SocketAddrV4),
    /// Everybody, as the sender's own mask has it.
    Broadcast(Ipv4Addr),
}

/// A node as a state machine without I/O. `now` is always the time since the ground was started.
#[derive(Debug)]
pub struct SimNode {
    setup: NodeSetup,
    address: Ipv4Addr,
    mask: Ipv4Addr,
    gateway: Ipv4Addr,
    dhcp: bool,
    pages: Vec<PollReply>,
    power: Power,
    waiting: Vec<(Duration, Answer)>,
    speech: std::collections::VecDeque<Speech>,
    replies_sent: u32,
    polls_heard: u32,
    writes_heard: u32,
    moved: bool,
    /// How often it recorded a scene.
    scenes: u32,
    /// A file on its way in.
    loading: firmware::Loading,
    /// The last file it got whole.
    loaded: Option<Vec<u8>>,
    /// What it will become, and when.
    later: Option<(Duration, Later)>,
    /// What it has at its next start.
    at_next_start: Option<(Ipv4Addr, Ipv4Addr, Ipv4Addr, bool)>,
    /// Its pages as they were when it was switched on.
    saved: Vec<PollReply>,
    heard_writes: Vec<Written>,
    /// The slots it puts out, by universe: those of its outputs at most.
    put_out: BTreeMap<u16, Vec<u8>>,
    /// What hangs on its outputs.
    cables: cable::Cables,
    dice: StdRng,
}

/// Something a node was told to change, for tests that ask who was written to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Written {
    /// When.
    pub at: Duration,
    /// The datagram.
    pub bytes: Vec<u8>,
}

/// Something a node does a while after it was told.
#[derive(Debug, Clone)]
enum Later {
    Ip(IpProg),
    Page(usize, Box<Address>),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Power {
    Off,
    Starting { up_at: Duration },
    On,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Answer {
    /// A poll reply for every page.
    AllPages(Destination),
    /// A poll reply for one page.
    OnePage(usize, Destination),
    /// An ArtIpProgReply.
    IpSettings(SocketAddrV4),
    /// An ArtFirmwareReply.
    Block(ReplyWord, SocketAddrV4),
    /// It restarts with other firmware.
    Restart,
}

impl SimNode {
    /// A node set up so; its random waits follow from `seed`.
    #[must_use]
    pub fn new(setup: NodeSetup, seed: u64) -> Self {
        let mut node = Self {
            address: setup.address,
            mask: setup.mask,
            gateway: setup.gateway,
            dhcp: setup.dhcp,
            pages: setup.poll_replies(),
            power: if setup.off { Power::Off } else { Power::On },
            waiting: Vec::new(),
            speech: std::collections::VecDeque::new(),
            replies_sent: 0,
            polls_heard: 0,
            writes_heard: 0,
            moved: false,
            scenes: 0,
            loading: firmware::Loading::default(),
            loaded: None,
            later: None,
            at_next_start: None,
            saved: setup.poll_replies(),
            heard_writes: Vec::new(),
            put_out: BTreeMap::new(),
            cables: cable::Cables::new(4 * setup.pages.len(), &setup.fixtures, setup.cable),
            dice: StdRng::seed_from_u64(seed),
            setup,
        };
        if node.dhcp {
            node.take_lease();
        }
        node
    }

    /// The name its maker or its owner gave it at the start; names set later show in its replies.
    #[must_use]
    pub fn setup(&self) -> &NodeSetup {
        &self.setup
    }

    /// Its present address.
    #[must_use]
    pub const fn address(&self) -> Ipv4Addr {
        self.address
    }

    /// Its present address, mask and gateway.
    #[must_use]
    pub const fn settings(&self) -> (Ipv4Addr, Ipv4Addr, Ipv4Addr) {
        (self.address, self.mask, self.gateway)
    }

    /// Whether it is on and has started.
    #[must_use]
    pub const fn is_listening(&self) -> bool {
        matches!(self.power, Power::On)
    }

    /// Everything it was told to change.
    #[must_use]
    pub fn writes(&self) -> &[Written] {
        &self.heard_writes
    }

    /// The slots it puts out of an Art-Net universe; it holds the last it got.
    #[must_use]
    pub fn puts_out(&self, port_address: u16) -> Option<&[u8]> {
        self.put_out.get(&port_address).map(Vec::as_slice)
    }

    /// The last file it got whole.
    #[must_use]
    pub fn loaded(&self) -> Option<&[u8]> {
        self.loaded.as_deref()
    }

    /// Its pages as they are.
    #[must_use]
    pub fn pages(&self) -> &[PollReply] {
        &self.pages
    }

    /// Whether it takes its address by DHCP.
    #[must_use]
    pub const fn takes_dhcp(&self) -> bool {
        self.dhcp
    }

    /// Switches its power.
    pub fn switch(&mut self, now: Duration, on: bool) {
        self.waiting.clear();
        self.start_anew();
        // Its count of replies is kept nowhere.
        self.replies_sent = 0;
        self.put_out.clear();
        if self.setup.has(Quirk::KeepsNothing) {
            self.pages = self.setup.poll_replies();
            (self.address, self.mask) = (self.setup.address, self.setup.mask);
            (self.gateway, self.dhcp) = (self.setup.gateway, self.setup.dhcp);
        }
        self.power = if on { Power::Starting { up_at: now + self.setup.restart } } else { Power::Off };
    }

    /// Somebody gives it another address at its own panel; it restarts with it.
    pub fn set_by_hand(&mut self, now: Duration, address: Ipv4Addr) {
        (self.address, self.dhcp) = (address, false);
        self.restart(now);
    }

    /// What a restart does to what it was told before.
    fn start_anew(&mut self) {
        if let Some(settings) = self.at_next_start.take() {
            (self.address, self.mask, self.gateway, self.dhcp) = settings;
        }
        if self.setup.has(Quirk::ForgetsAtRestart) {
            self.pages = self.saved.clone();
        }
        self.later = None;
        self.loading = firmware::Loading::default();
    }

    fn restart(&mut self, now: Duration) {
        self.flush_answers();
        self.start_anew();
        self.power = Power::Starting { up_at: now + self.setup.restart };
    }

    /// Does what it was told a while ago.
    fn do_late(&mut self, now: Duration) {
        let Some((_, later)) = self.later.take_if(|(at, _)| *at <= now) else { return };
        match later {
            Later::Ip(message) => {
                if self.obey(&message) {
                    self.restart(now);
                }
            }
            Later::Page(index, message) => program::program_page(&mut self.pages, index, &message, &self.setup),
        }
    }

    /// When to call [`SimNode::wake`] next.
    #[must_use]
    pub fn wake_at(&self) -> Option<Duration> {
        match self.power {
            Power::Off => None,
            Power::Starting { up_at } => Some(up_at),
            Power::On => {
                let later = self.later.as_ref().map(|(at, _)| *at);
                self.waiting.iter().map(|(at, _)| *at).chain(later).chain(self.cables.wake_at()).min()
            }
        }
    }

    /// Time has passed.
    pub fn wake(&mut self, now: Duration) {
        if let Power::Starting { up_at } = self.power
            && up_at <= now
        {
            self.power = Power::On;
            self.say(Answer::AllPages(Destination::Everybody));
        }
        if !self.is_listening() {
            return;
        }
        self.do_late(now);
        if !self.is_listening() {
            return;
        }
        self.work_cables(now);
        self.waiting.sort_by_key(|(at, _)| *at);
        let due = self.waiting.partition_point(|(at, _)| *at <= now);
        for (_, answer) in self.waiting.drain(..due).collect::<Vec<_>>() {
            if matches!(answer, Answer::Restart) {
                return self.start_with_loaded(now);
            }
            self.say(answer);
        }
    }

    /// The next thing it sends; call until `None` after every other call.
    pub fn next_speech(&mut self) -> Option<Speech> {
        self.speech.pop_front()
    }

    fn is_meant_by(&self, poll: &Poll) -> bool {
        let Some(target) = poll.target.filter(|_| poll.flags.targeted()) else { return true };
        let carries = |page: &PollReply| {
            let base = u16::from(page.net & 0x7f) << 8 | u16::from(page.sub & 0x0f) << 4;
            let ports = page.stated_ports().flat_map(|(_, port)| [port.switch_in, port.switch_out]);
            ports.map(|switch| base | u16::from(switch & 0x0f)).any(|a| (target.bottom..=target.top).contains(&a))
        };
        self.pages.iter().any(carries)
    }

    fn answer_to(&self, from: SocketAddrV4) -> Destination {
        if self.setup.has(Quirk::AnswersUnderItsMask) {
            return Destination::Broadcast(Ipv4Addr::from_bits(self.address.to_bits() | !self.mask.to_bits()));
        }
        match self.setup.reply {
            Reply::ToPoller => Destination::One(from),
            Reply::ToEverybody => Destination::Everybody,
        }
    }

    fn answer_at(&mut self, at: Duration, answer: Answer) {
        if self.waiting.len() < MOST_WAITING {
            self.waiting.push((at, answer));
        }
    }

    fn flush_answers(&mut self) {
        for (_, answer) in std::mem::take(&mut self.waiting) {
            if matches!(answer, Answer::IpSettings(_)) {
                self.say(answer);
            }
        }
    }

    fn say(&mut self, answer: Answer) {
        match answer {
            Answer::AllPages(to) => (0..self.pages.len()).for_each(|page| self.say_page(page, to)),
            Answer::OnePage(page, to) => self.say_page(page, to),
            Answer::IpSettings(to) => self.say_settings(to),
            Answer::Block(word, to) => {
                let bytes = FirmwareReply { word }.to_bytes();
                self.speech.push_back(Speech { port: PORT, to: Destination::One(to), bytes });
            }
            Answer::Restart => {}
        }
    }

    fn say_settings(&mut self, to: SocketAddrV4) {
        let reply = IpProgReply {
            address: self.address,
            mask: self.mask,
            port: PORT,
            status: if self.dhcp { IpProgReply::STATUS_DHCP } else { 0 },
            gateway: self.gateway,
        };
        let to = match self.answer_to(to) {
            under @ Destination::Broadcast(_) => under,
            _ => Destination::One(to),
        };
        self.speech.push_back(Speech { port: PORT, to, bytes: reply.to_bytes() });
    }

    fn say_page(&mut self, index: usize, to: Destination) {
        self.replies_sent += 1;
        let mut reply = self.pages[index].clone();
        reply.address = self.address;
        reply.bind_address = self.address;
        reply.status2 = reply.status2.with(1, self.dhcp);
        reply.report = self.report(index);
        let length = program::misstate(&mut reply, index, &self.setup);
        let mut bytes = reply.to_bytes();
        bytes.truncate(length);
        self.speech.push_back(Speech { port: PORT, to, bytes });
    }

    /// What this page tells of itself with the answer that is counted last.
    fn report(&self, page: usize) -> Text<64> {
        let (code, count, words) = match self.setup.has(Quirk::PagesReportThemselves) {
            // The pages answer in turn; those further on have been there for longer.
            true if page > 0 => (0xd, self.replies_sent / self.pages.len() as u32 + 100 * page as u32, "fault"),
            true => (1, self.replies_sent / self.pages.len() as u32, "ready"),
            false => (1, self.replies_sent, "ready"),
        };
        Text::cut(&format!("#{code:04x} [{:04}] {words}", count % 10_000))
    }
}

#[cfg(test)]
mod tests;
