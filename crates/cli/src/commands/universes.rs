//! The universes of a node in few characters.

use lantern_core::Direction;
use lantern_core::census::{FoundNode, FoundPort};
use lantern_core::universe::Universe;

/// `0:0:0-3, in 2:0:7`: runs of ports in a row are drawn together.
pub(super) fn summary(node: &FoundNode) -> String {
    let mut runs: Vec<Run> = Vec::new();
    for (_, _, port) in node.ports() {
        match runs.last_mut().filter(|run| run.goes_on_with(port)) {
            Some(run) => run.last = *port,
            None => runs.push(Run { first: *port, last: *port }),
        }
    }
    let texts: Vec<String> = runs.iter().map(Run::text).collect();
    texts.join(", ")
}

/// `2 of 4`: through how many ports of a node data passes now.
pub(super) fn data(node: &FoundNode) -> String {
    let passing = node.ports().filter(|(_, _, port)| port.data).count();
    format!("{passing} of {}", node.ports().count())
}

/// Ports in a row whose universes follow each other within one sub.
struct Run {
    first: FoundPort,
    last: FoundPort,
}

impl Run {
    fn goes_on_with(&self, port: &FoundPort) -> bool {
        let last = &self.last;
        (port.direction, port.protocol) == (last.direction, last.protocol)
            && port.universe.shares_page_with(last.universe)
            && port.universe.flat() == last.universe.flat() + 1
    }

    fn text(&self) -> String {
        let way = if self.first.direction == Direction::In { "in " } else { "" };
        let end = match self.last.universe() {
            last if last == self.first.universe() => String::new(),
            Universe::ArtNet(address) => format!("-{}", address.universe()),
            Universe::Sacn(universe) => format!("-{}", universe.number()),
        };
        format!("{way}{}{end}", self.first.universe())
    }
}
