//! What links carry: streams and universes on their way from sender to receivers, through the switches.

use std::collections::{HashMap, VecDeque};

use super::cabling::Chains;
use super::{NEARLY_ALL_DATA, TOO_MUCH_DATA, percent};
use crate::finding::Finding;
use crate::sheet::{Rate, RigSheet, Span};
use crate::universe::{PortAddress, Universe};
use crate::{Direction, Protocol};

/// A full universe at the most frames a second that DMX512 allows (ANSI E1.11: 44), as Art-Net: 530 bytes, with UDP,
/// IP, Ethernet, preamble and gap 596.
const ART_NET_UNIVERSE: Rate = Rate::from_kilobits(44 * 596 * 8 / 1000 + 1);
/// The same by sACN: 638 bytes, on the wire 704.
const SACN_UNIVERSE: Rate = Rate::from_kilobits(44 * 704 * 8 / 1000 + 1);

/// A cable from a switch, and what it carries.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Link {
    /// The switch's end.
    pub switch: LinkEnd,
    /// Who hangs on it.
    pub to: String,
    /// What it can carry each way, where the sheet says.
    pub capacity: Option<Rate>,
    /// What goes out of the switch.
    pub out: Rate,
    /// What comes into the switch.
    pub back: Rate,
    pub(super) span: Span,
}

impl Link {
    /// How much of its capacity the busier way takes, in percent, where the sheet gives one.
    #[must_use]
    pub fn percent(&self) -> Option<u32> {
        Some(percent(self.out.max(self.back).kilobits(), self.capacity?.kilobits()))
    }
}

/// A socket of a switch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinkEnd {
    /// The switch's name.
    pub name: String,
    /// The socket's number.
    pub port: u32,
}

/// The way everything takes: each member's neighbour towards the root, and how far away that is.
struct Tree {
    parent: Vec<Option<usize>>,
    depth: Vec<u32>,
    /// What goes down to a member from its parent, and up from it.
    down: Vec<u32>,
    up: Vec<u32>,
}

pub(super) fn links(sheet: &RigSheet, chains: &Chains) -> Vec<Link> {
    if sheet.switches.is_empty() {
        return Vec::new();
    }
    let mut tree = Tree::of(sheet, chains);
    add_streams(sheet, &mut tree);
    add_universes(sheet, &mut tree);
    let first_switch = sheet.nodes.len() + sheet.sources.len();
    let mut links = Vec::new();
    for (index, switch) in sheet.switches.iter().enumerate() {
        let here = first_switch + index;
        for port in &switch.ports {
            let there = port.to.value;
            let (out, back) = if tree.parent[there] == Some(here) {
                (tree.down[there], tree.up[there])
            } else if tree.parent[here] == Some(there) {
                (tree.up[here], tree.down[here])
            } else {
                continue;
            };
            let capacity = port.link.as_ref().or(switch.link.as_ref());
            links.push(Link {
                switch: LinkEnd { name: switch.name.value.clone(), port: port.number.value },
                to: sheet.member_name(there).to_owned(),
                capacity: capacity.map(|rate| rate.value),
                out: Rate::from_kilobits(out),
                back: Rate::from_kilobits(back),
                span: port.to.span,
            });
        }
    }
    links
}

impl Tree {
    fn of(sheet: &RigSheet, chains: &Chains) -> Self {
        let count = sheet.members().count();
        let first_switch = sheet.nodes.len() + sheet.sources.len();
        let mut near: Vec<Vec<usize>> = vec![Vec::new(); count];
        for (index, switch) in sheet.switches.iter().enumerate() {
            for port in &switch.ports {
                near[first_switch + index].push(port.to.value);
                near[port.to.value].push(first_switch + index);
            }
        }
        for (node, near) in near.iter_mut().enumerate().take(sheet.nodes.len()) {
            near.extend(chains.directly_behind(node));
        }
        let mut tree = Self {
            parent: vec![None; count],
            depth: vec![u32::MAX; count],
            down: vec![0; count],
            up: vec![0; count],
        };
        for root in first_switch..count {
            if tree.depth[root] != u32::MAX {
                continue;
            }
            tree.depth[root] = 0;
            let mut open = VecDeque::from([root]);
            while let Some(at) = open.pop_front() {
                for next in &near[at] {
                    if tree.depth[*next] == u32::MAX {
                        tree.depth[*next] = tree.depth[at] + 1;
                        tree.parent[*next] = Some(at);
                        open.push_back(*next);
                    }
                }
            }
        }
        tree
    }

    /// Lets data flow from one member to others; on a cable they share it goes once.
    fn flow(&mut self, from: usize, to: impl Iterator<Item = usize>, rate: Rate) {
        let mut down: Vec<usize> = Vec::new();
        let mut up: Vec<usize> = Vec::new();
        for to in to {
            let (mut a, mut b) = (from, to);
            if self.depth[a] == u32::MAX || self.depth[b] == u32::MAX {
                continue;
            }
            let (mut climbed, mut descended) = (Vec::new(), Vec::new());
            while a != b {
                if self.depth[a] >= self.depth[b] {
                    climbed.push(a);
                    let Some(parent) = self.parent[a] else { break };
                    a = parent;
                } else {
                    descended.push(b);
                    let Some(parent) = self.parent[b] else { break };
                    b = parent;
                }
            }
            // Two ends without a cable between them: nothing flows.
            if a == b {
                up.extend(climbed);
                down.extend(descended);
            }
        }
        for (cables, load) in [(&mut up, &mut self.up), (&mut down, &mut self.down)] {
            cables.sort_unstable();
            cables.dedup();
            for cable in cables {
                load[*cable] = load[*cable].saturating_add(rate.kilobits());
            }
        }
    }
}

fn add_streams(sheet: &RigSheet, tree: &mut Tree) {
    for stream in &sheet.streams {
        if let Some(rate) = stream.load() {
            tree.flow(stream.from.member.value, stream.to.iter().map(|to| to.member.value), rate);
        }
    }
}

fn add_universes(sheet: &RigSheet, tree: &mut Tree) {
    let mut listeners: HashMap<(Protocol, PortAddress), Vec<usize>> = HashMap::new();
    for (index, node) in sheet.nodes.iter().enumerate() {
        for port in node.ports.iter().filter(|port| port.direction == Direction::Out) {
            let Some(universe) = port.universe.value.real() else { continue };
            let protocol = universe.protocol();
            if let Some(address) = universe.port_address() {
                listeners.entry((protocol, address)).or_default().push(index);
            }
        }
    }
    for nodes in listeners.values_mut() {
        nodes.dedup();
    }
    let nodes = sheet.nodes.iter().enumerate().flat_map(|(index, node)| {
        let inputs = node.ports.iter().filter(|port| port.direction == Direction::In);
        let universes = inputs.filter_map(|port| port.universe.value.real());
        universes.filter_map(move |universe| {
            let protocol = universe.protocol();
            Some((index, protocol, Universe::port_address(universe)?))
        })
    });
    let sources = sheet.sources.iter().enumerate().flat_map(|(index, source)| {
        let addresses = source.sends.iter().flat_map(|block| block.value.iter());
        addresses.map(move |address| (sheet.nodes.len() + index, source.protocol, address))
    });
    let senders: Vec<(usize, Protocol, PortAddress)> = sources.chain(nodes).collect();
    for (sender, protocol, address) in senders {
        let Some(nodes) = listeners.get(&(protocol, address)) else { continue };
        match protocol {
            // Art-Net goes to each node by itself (Art-Net 4, section "ArtDmx").
            Protocol::ArtNet => {
                for node in nodes {
                    tree.flow(sender, [*node].into_iter(), ART_NET_UNIVERSE);
                }
            }
            Protocol::Sacn => tree.flow(sender, nodes.iter().copied(), SACN_UNIVERSE),
        }
    }
}

pub(super) fn clash(sheet: &RigSheet, link: &Link) -> Option<Finding> {
    let (capacity, used) = (link.capacity?, link.percent()?);
    let (busier, way) = if link.out >= link.back { (link.out, "to") } else { (link.back, "from") };
    let what = format!(
        "{} port {} carries {busier} {way} {}, of {capacity} ({used} %)",
        link.switch.name, link.switch.port, link.to
    );
    let finding = if busier > capacity {
        TOO_MUCH_DATA.finding(what, "use a faster link, or move senders and receivers together")
    } else if used >= sheet.thresholds.link {
        NEARLY_ALL_DATA.finding(what, format!("keep below {} %, or raise the threshold", sheet.thresholds.link))
    } else {
        return None;
    };
    Some(finding.at(sheet, link.span, format!("{busier} {way} {}", link.to)))
}
