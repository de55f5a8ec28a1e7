//! From text to a sheet: the rig, its networks and areas.

use toml::de::DeTable;

use super::error::SheetErrors;
use super::fields::{Fields, Mistakes};
use super::names::Names;
use super::place::{LineIndex, Placed, Span};
use super::{Area, Network, RigSheet, parse_node};
use crate::universe::DeskBase;

impl RigSheet {
    /// Reads the text of a rig sheet.
    ///
    /// # Errors
    /// Every mistake found, with its place: broken TOML, unknown keys, values of the wrong sort, references to
    /// areas and networks that the sheet does not have.
    pub fn parse(text: &str) -> Result<Self, SheetErrors> {
        let mistakes = Mistakes::default();
        let sheet = match DeTable::parse(text) {
            Ok(table) => read(&Fields::new(table.get_ref(), Span::default(), "the sheet", &mistakes), &mistakes),
            Err(broken) => {
                let span = broken.span().unwrap_or(0..0).into();
                mistakes.note(span, broken.message(), "TOML: `key = value` lines under [headings]", None);
                None
            }
        };
        let errors = mistakes.into_inner();
        match sheet {
            Some(parts) if errors.is_empty() => {
                Ok(Self { text: text.to_owned(), lines: LineIndex::new(text), ..parts })
            }
            _ => Err(SheetErrors::new(text, errors)),
        }
    }
}

/// Reads everything; `None`, or a note in `mistakes`, when something is wrong.
fn read(sheet: &Fields<'_>, mistakes: &Mistakes) -> Option<RigSheet> {
    let rig = sheet.table("rig", "[rig]");
    let rig = sheet.required("rig", rig, "the heading [rig] with a name = \"…\"");
    let networks = sheet.tables("network", "this network");
    let areas = sheet.tables("area", "this area");
    let nodes = sheet.tables("node", "this node");
    sheet.refuse_unknown_keys();

    let networks: Vec<Network> = networks.iter().filter_map(network).collect();
    let network_names = Names::new("network", networks.iter().map(|n| &n.name), mistakes);
    let areas: Vec<Area> = areas.iter().filter_map(|fields| area(fields, &network_names)).collect();
    let area_names = Names::new("area", areas.iter().map(|a| &a.name), mistakes);
    let (name, desk) = rig_head(&rig?)?;
    let nodes = nodes.iter().filter_map(|fields| parse_node::node(fields, &area_names, desk, mistakes)).collect();
    Some(RigSheet { name, desk, networks, areas, nodes, text: String::new(), lines: LineIndex::default() })
}

fn rig_head(fields: &Fields<'_>) -> Option<(Placed<String>, DeskBase)> {
    let name = fields.required("name", fields.text("name"), "\"Tidewick Harbour Night\"");
    let desk = fields.number("desk_counts_from", 0..=1);
    fields.refuse_unknown_keys();
    let desk = desk.map_or(DeskBase::default(), |n| if n.value == 0 { DeskBase::Zero } else { DeskBase::One });
    Some((name?, desk))
}

fn network(fields: &Fields<'_>) -> Option<Network> {
    let name = fields.required("name", fields.text("name"), "\"lights\"");
    let range = fields.required("range", fields.parsed("range"), "\"10.40.0.0/16\"");
    let gateway = fields.parsed("gateway");
    let keep_free = fields.list("keep_free");
    let dhcp = fields.list("dhcp");
    let locked = fields.list("locked");
    fields.refuse_unknown_keys();
    Some(Network { name: name?, range: range?, gateway, keep_free, dhcp, locked })
}

fn area(fields: &Fields<'_>, networks: &Names<'_>) -> Option<Area> {
    let name = fields.required("name", fields.text("name"), "\"Quay\"");
    let network = fields.text("network").and_then(|name| networks.find(&name));
    let network = match networks.only() {
        Some(only) if network.is_none() => Some(only),
        _ => fields.required("network", network, "\"lights\""),
    };
    let range = fields.parsed("range");
    let nodes_from = fields.number("nodes_from", 1..=65_534);
    let universes = fields.parsed("universes");
    fields.refuse_unknown_keys();
    Some(Area { name: name?, network: network?, range, nodes_from, universes })
}
