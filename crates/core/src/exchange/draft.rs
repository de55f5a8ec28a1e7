//! A first sheet, with comments that teach: empty, or written down from what was found.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;
use std::net::Ipv4Addr;

use lantern_wire::art_net::ShortName;
use toml::Value;

use crate::address::Subnet;
use crate::census::{Census, FoundFixture, FoundNode, FoundPort};
use crate::facts::Field;
use crate::sheet::WantedAddress;
use crate::sheet::kind::Kind;
use crate::universe::PortAddress;
use crate::{Direction, Merge};

/// What a first sheet is made from.
#[derive(Debug, Clone, Copy)]
pub struct Draft<'a> {
    /// The rig's name.
    pub name: &'a str,
    /// The network the nodes stand in.
    pub network: Subnet,
    /// The nodes found there.
    pub census: Option<&'a Census>,
    /// Units that will stand there, so many of each kind.
    pub units: &'a [(u32, &'a Kind)],
    /// The areas they are spread over evenly.
    pub areas: &'a [String],
}

impl Draft<'_> {
    /// The text of the sheet. It says what is there, clashes included: those show with `sheet clashes`.
    #[must_use]
    pub fn text(&self) -> String {
        let mut text = head(self.name, self.network, &gateway_line(self.census, self.network));
        text.push_str(&self.area_tables());
        match self.census {
            None if !self.units.is_empty() => text.push_str(&self.unit_tables()),
            Some(census) => {
                text.push_str("# The nodes as they were found. Correct here what should be otherwise.\n");
                for node in census.by_address().into_iter().filter(|node| node.is_node()) {
                    text.push_str(&node_table(node));
                }
                text.push_str(&fixture_tables(census));
            }
            None => text.push_str(&example(self.network)),
        }
        text
    }
}

impl Draft<'_> {
    fn area_tables(&self) -> String {
        let table = |area: &String| {
            format!(
                "[[area]]\nname = {}\nnetwork = \"lights\"\n# range = \"…/24\"           # its own block of addresses\n\
                 # universes = \"0:0:0-0:1:15\"\n\n",
                quoted(area)
            )
        };
        match self.areas {
            [] => AREA_EXAMPLE.to_owned(),
            areas => areas.iter().map(table).collect(),
        }
    }

    /// Every unit as a node whose address and universes are to be chosen.
    fn unit_tables(&self) -> String {
        let mut text = "# Everything that says \"fill\" is chosen by:  deft-lantern sheet fill\n".to_owned();
        let all = self.units.iter().flat_map(|(count, kind)| (0..*count).map(move |_| *kind));
        let mut numbers: BTreeMap<&str, usize> = BTreeMap::new();
        for (place, kind) in all.enumerate() {
            let area = self.areas.get(place % self.areas.len().max(1));
            let series = area.map_or(kind.name.value.as_str(), String::as_str);
            let number = numbers.entry(series).or_default();
            *number += 1;
            let mut line = |key: &str, value: &str| {
                writeln!(text, "{key} = {}", quoted(value)).unwrap_or_default();
            };
            line("\n[[node]]\nname", &unit_name(series, *number));
            area.into_iter().for_each(|area| line("area", area));
            line("kind", &kind.name.value);
            line("address", "fill");
            for port in 1..=kind.ports {
                writeln!(text, "[[node.port]]\nport = {port}\nout = \"fill\"").unwrap_or_default();
            }
        }
        text
    }
}

/// A name that a node keeps: at most seventeen bytes (Art-Net 4, ArtPollReply "ShortName").
fn unit_name(series: &str, number: usize) -> String {
    let ending = format!("-{number}");
    let lower = series.to_lowercase();
    let words = lower.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty());
    let plain = words.collect::<Vec<_>>().join("-");
    let room = ShortName::CAPACITY.saturating_sub(ending.len());
    format!("{}{ending}", plain[..plain.floor_char_boundary(room)].trim_matches('-'))
}

/// The network's gateway as the nodes there tell it, where they agree; a fresh sheet must not find fault with what is there.
fn gateway_line(census: Option<&Census>, network: Subnet) -> String {
    const NEEDLESS: &str =
        "gateway = \"none\"            # a closed network needs none; inside a network no gateway is needed";
    let Some(census) = census else { return NEEDLESS.to_owned() };
    let here = census.nodes().iter().filter(|node| network.contains(node.address));
    let told: BTreeSet<Ipv4Addr> = here.filter_map(|node| Some(node.settings?.gateway)).collect();
    let mut told = told.into_iter();
    match (told.next(), told.next()) {
        (None, _) => "# gateway = \"none\"          # not asked for; a closed network needs none".to_owned(),
        (Some(Ipv4Addr::UNSPECIFIED), None) => NEEDLESS.to_owned(),
        (Some(gateway), None) => format!("gateway = \"{gateway}\"       # as all the nodes have it"),
        (Some(_), Some(_)) => {
            "# gateway = \"…\"             # the nodes found do not all have the same one".to_owned()
        }
    }
}

const AREA_EXAMPLE: &str = r#"# [[area]]                  # a place with its own block of addresses and universes
# name = "Quay"
# network = "lights"
# range = "…/24"
# universes = "0:0:0-0:1:15"

"#;

fn head(name: &str, network: Subnet, gateway: &str) -> String {
    format!(
        r#"# A rig sheet: what the show network should be. Edit it freely; comments and order are kept.
# See what contradicts itself with:   deft-lantern sheet clashes

[rig]
name = {name}
desk_counts_from = 1        # the desk calls Port-Address 0 "universe 1"; write 0 if it says "universe 0"

[[network]]
name = "lights"
range = "{network}"
{gateway}
# keep_free = ["{first}-…"] # desks and servers: never handed out
# dhcp = ["…-…"]            # a pool that a DHCP server hands out
# locked = ["…"]            # what stands here is never touched

"#,
        name = quoted(name),
        first = network.hosts().first(),
    )
}

fn example(network: Subnet) -> String {
    let address = network.hosts().first();
    format!(
        r#"# One table like this for each node. Take the leading # away.
# [[node]]
# name = "quay-north"       # at most 17 bytes: the node keeps no more
# label = "Quay north mast" # at most 63
# kind = "marrowbright-four"
# mac = "02:4d:42:00:10:01" # from the label on the unit: the surest way to know it again
# address = "{address}"     # or "dhcp"
#
# [[node.port]]
# port = 1
# out = "0:0:0"             # net:sub:universe, or 0, 0x0, "sacn 1", "desk 1"; in = "…" for an input
"#
    )
}

fn node_table(node: &FoundNode) -> String {
    let mut text = String::from("\n[[node]]\n");
    let mut line = |key: &str, value: &str| writeln!(text, "{key} = {value}").unwrap_or_default();
    line("name", &quoted(&node.title()));
    if !node.label().is_empty() {
        line("label", &quoted(&node.label().to_string()));
    }
    if let Some(kind) = node.kind() {
        line("kind", &quoted(&kind.name.value));
    }
    if let Some(mac) = node.mac {
        line("mac", &quoted(&mac.to_string()));
    }
    let address = if node.dhcp == Some(true) { WantedAddress::Dhcp } else { WantedAddress::Fixed(node.address) };
    line("address", &quoted(&address.to_string()));
    for (number, _, port) in node.ports() {
        text.push_str(&port_table(number, port));
    }
    text
}

/// Every fixture that tells where it starts and how much it takes; those on one universe in the order of their slots.
fn fixture_tables(census: &Census) -> String {
    let mut all: Vec<FoundFixture> =
        census.fixtures().into_iter().filter(|fixture| fixture.slots().is_some()).collect();
    all.sort_by_key(|fixture| (fixture.behind.universe, fixture.slots(), fixture.uid));
    let mut names = BTreeSet::new();
    let mut text = String::new();
    let ambiguous = on_several_outputs(census);
    if !all.is_empty() {
        text.push_str("\n# The fixtures behind them, as they are set.\n");
    }
    for fixture in &all {
        let (Some((first, last)), label) = (fixture.slots(), fixture.label().to_string()) else { continue };
        let called = if label.is_empty() { format!("fixture-{}", fixture.uid) } else { label };
        // Those that call themselves the same get a number.
        let mut numbered = std::iter::once(called.clone()).chain((2..).map(|number| format!("{called} {number}")));
        let Some(name) = numbered.find(|name| names.insert(name.clone())) else { continue };
        let mut line = |key: &str, value: &str| writeln!(text, "{key} = {value}").unwrap_or_default();
        line("\n[[fixture]]\nname", &quoted(&name));
        line("on", &quoted(&fixture.behind.universe.to_string()));
        line("slot", &first.to_string());
        line("footprint", &(last - first + 1).to_string());
        if let Some((node, port)) =
            ambiguous.contains(&fixture.behind.universe).then(|| place(census, fixture)).flatten()
        {
            line("behind", &quoted(&node));
            line("port", &port.to_string());
        }
        if let Some(mode) = fixture.facts.get(Field::Mode) {
            line("mode", &mode.to_string());
        }
        line("uid", &quoted(&fixture.uid.to_string()));
    }
    text
}

/// The universes that come out of several outputs: by those alone nobody knows where a fixture hangs.
fn on_several_outputs(census: &Census) -> BTreeSet<PortAddress> {
    let mut seen = BTreeSet::new();
    let outputs = census.nodes().iter().flat_map(FoundNode::ports);
    let outputs = outputs.filter(|(_, _, port)| port.direction == Direction::Out);
    outputs.map(|(_, _, port)| port.universe).filter(|universe| !seen.insert(*universe)).collect()
}

/// The gateway and port that a fixture hangs on, where no other node is called so.
fn place(census: &Census, fixture: &FoundFixture) -> Option<(String, u32)> {
    let (title, port) = census.cable(&fixture.behind);
    let is_only = census.nodes().iter().filter(|node| node.title() == title).count() == 1;
    port.filter(|_| is_only).map(|port| (title, port))
}

fn port_table(number: u32, port: &FoundPort) -> String {
    let merge = if port.merge == Merge::Ltp { "merge = \"ltp\"\n" } else { "" };
    format!("[[node.port]]\nport = {number}\n{} = \"{}\"\n{merge}", port.direction, port.universe())
}

/// A TOML string, whatever the network said.
fn quoted(text: &str) -> String {
    Value::String(text.to_owned()).to_string()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sheet::RigSheet;
    use crate::sheet::kind::KindBook;

    #[test]
    fn an_empty_draft_is_a_sheet_and_so_is_its_example() {
        let draft = Draft {
            name: "Tide \"wick\"",
            network: "10.40.0.0/16".parse().unwrap(),
            census: None,
            units: &[],
            areas: &[],
        };
        let text = draft.text();
        let sheet = RigSheet::parse(&text).unwrap();
        assert_eq!((sheet.name.value.as_str(), sheet.nodes.len()), ("Tide \"wick\"", 0));
        let (before, example) = text.split_once("# [[node]]").unwrap();
        let uncommented = format!("{before}[[node]]{}", example.replace("\n# ", "\n").replace("\n#\n", "\n"));
        assert_eq!(RigSheet::parse(&uncommented).unwrap().nodes[0].ports.len(), 1);
    }

    #[test]
    fn units_are_spread_over_the_areas_and_wait_to_be_filled() {
        let (book, areas) = (KindBook::shipped(), ["Fish hall, upper deck".to_owned(), "Quay".to_owned()]);
        let units = [(3, book.named("marrowbright-four").unwrap()), (1, book.named("ollivane-amp").unwrap())];
        let network = "10.40.0.0/16".parse().unwrap();
        let text = Draft { name: "Tidewick", network, census: None, units: &units, areas: &areas }.text();
        let sheet = RigSheet::parse(&text).unwrap();
        let names: Vec<&str> = sheet.nodes.iter().map(|node| node.name.value.as_str()).collect();
        assert_eq!(names, ["fish-hall-upper-1", "quay-1", "fish-hall-upper-2", "quay-2"]);
        assert!(sheet.nodes.iter().all(|node| sheet.area_of(node).is_some() && node.fixed_address().is_none()));
        assert_eq!(sheet.nodes.iter().map(|node| node.ports.len()).collect::<Vec<_>>(), [4, 4, 4, 0]);
    }
}
