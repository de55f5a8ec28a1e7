//! How the core's work grows with the rig: read the ratios between the sizes, not the single times.

use std::fmt::Write;
use std::net::Ipv4Addr;
use std::time::Duration;

use divan::Bencher;
use lantern_core::address::Seat;
use lantern_core::census::{Census, Sighting, Told, Viewpoint};
use lantern_core::change::{Part, Protection, plan_by_sheet};
use lantern_core::clash::{sheet_clashes, world_clashes};
use lantern_core::compare::compare;
use lantern_core::fill::fill;
use lantern_core::sheet::RigSheet;
use lantern_sim::Scene;
use lantern_wire::art_net::{IpProgReply, Poll};

const SIZES: [u16; 3] = [50, 500, 5000];
/// Nodes of whole rigs.
const RIGS: [u32; 3] = [500, 5_000, 50_000];

fn main() {
    divan::main();
}

/// A sheet of `nodes` nodes of four ports, without a clash.
fn sheet(nodes: u16) -> String {
    let mut text = "[rig]\nname = \"crowd\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n".to_owned();
    for i in 0..u32::from(nodes) {
        let address = Ipv4Addr::from_bits(0x0a28_0101 + i);
        write!(text, "[[node]]\nname = \"crowd-{i}\"\naddress = \"{address}\"\n").unwrap_or_default();
        for port in 0..4 {
            write!(text, "[[node.port]]\nport = {}\nout = {}\n", port + 1, i * 4 + port).unwrap_or_default();
        }
    }
    text
}

/// The replies of as many simulated nodes, as sightings.
fn sightings(nodes: u16) -> Vec<Sighting> {
    let from = std::net::SocketAddrV4::new(Ipv4Addr::new(10, 40, 0, 7), 6454);
    let poll = Poll::default().to_bytes();
    let replies = Scene::crowd(nodes, 0.0, 1).nodes().into_iter().flat_map(|mut node| {
        node.hear(Duration::ZERO, from, true, &poll);
        node.wake(Duration::from_secs(2));
        let source = std::net::SocketAddrV4::new(node.address(), 6454);
        let said = std::iter::from_fn(move || node.next_speech());
        said.filter_map(move |speech| {
            Sighting::read(Duration::ZERO, 0, source, 6454, &speech.bytes).ok().flatten()
        })
    });
    replies.collect()
}

fn census(nodes: u16) -> Census {
    let mut census = Census::default();
    for sighting in sightings(nodes) {
        census.take(&sighting);
    }
    census
}

/// A rig in which everything is still open: areas of 124 nodes, four ports to a node, four fixtures, two streams to five
/// nodes. Eight ports share a universe on purpose, or the largest rig would need more than there are.
fn open_rig(nodes: u32) -> String {
    let mut text = "[rig]\nname = \"crowd\"\n[[network]]\nname = \"n\"\nrange = \"10.0.0.0/8\"\n".to_owned();
    for area in 0..nodes.div_ceil(124) {
        let (high, low, first) = (1 + area / 200, area % 200, area * 64);
        let range =
            format!("range = \"10.{high}.{low}.0/24\"\nnodes_from = 10\nuniverses = \"{first}-{}\"", first + 63);
        writeln!(text, "[[area]]\nname = \"area-{area}\"\n{range}").unwrap_or_default();
    }
    for i in 0..nodes {
        let area = i / 124;
        writeln!(text, "[[node]]\nname = \"crowd-{i}\"\narea = \"area-{area}\"\naddress = \"fill\"")
            .unwrap_or_default();
        for port in 1..=4 {
            writeln!(text, "[[node.port]]\nport = {port}\nout = \"fill\"\nsplits = 8").unwrap_or_default();
        }
        for fixture in 0..4 {
            let on = area * 64 + (i % 124) / 2;
            let place = "slot = \"fill\"\nfootprint = 14";
            writeln!(text, "[[fixture]]\nname = \"f-{i}-{fixture}\"\non = {on}\n{place}").unwrap_or_default();
        }
        if i % 5 < 2 {
            let ends = format!("from = \"crowd-{i}\"\nto = \"crowd-{}\"", nodes - 1 - i);
            writeln!(text, "[[stream]]\nname = \"s-{i}\"\ncarries = \"audio\"\n{ends}\ngroup = \"fill\"")
                .unwrap_or_default();
        }
    }
    text
}

/// The same, filled in.
fn whole_rig(nodes: u32) -> String {
    let text = open_rig(nodes);
    RigSheet::parse(&text).ok().and_then(|sheet| fill(&sheet).ok()).map_or(text, |filled| filled.text)
}

#[divan::bench(args = RIGS)]
fn reading_a_sheet(bencher: Bencher<'_, '_>, nodes: u32) {
    bencher.with_inputs(|| whole_rig(nodes)).bench_refs(|text| RigSheet::parse(text).is_ok());
}

#[divan::bench(args = RIGS)]
fn clashes_of_a_sheet(bencher: Bencher<'_, '_>, nodes: u32) {
    let parsed = RigSheet::parse(&whole_rig(nodes));
    bencher.bench(|| parsed.as_ref().map_or(0, |sheet| sheet_clashes(sheet).len()));
}

#[divan::bench(args = RIGS)]
fn filling_a_sheet(bencher: Bencher<'_, '_>, nodes: u32) {
    let parsed = RigSheet::parse(&open_rig(nodes));
    bencher.bench(|| parsed.as_ref().is_ok_and(|sheet| fill(sheet).is_ok()));
}

#[divan::bench(args = SIZES)]
fn putting_a_census_together(bencher: Bencher<'_, '_>, nodes: u16) {
    let sightings = sightings(nodes);
    bencher.bench(|| {
        let mut census = Census::default();
        for sighting in &sightings {
            census.take(sighting);
        }
        census
    });
}

#[divan::bench(args = SIZES)]
fn clashes_of_the_world(bencher: Bencher<'_, '_>, nodes: u16) {
    let census = census(nodes);
    bencher.bench(|| {
        let from = Viewpoint::default();
        world_clashes(&census, &census.devices(&from), &from, None).len()
    });
}

#[divan::bench(args = SIZES)]
fn comparing(bencher: Bencher<'_, '_>, nodes: u16) {
    let (parsed, census) = (RigSheet::parse(&sheet(nodes)), census(nodes));
    bencher.bench(|| parsed.as_ref().map_or(0, |sheet| compare(sheet, &census).unexpected.len()));
}

/// A sheet that has every node of a census go to the next one's address: a hundred rings, and the rest one after the other.
fn moved(census: &Census) -> RigSheet {
    let nodes = census.nodes();
    let mut text = "[rig]\nname = \"crowd\"\n[[network]]\nname = \"n\"\nrange = \"10.40.0.0/16\"\n".to_owned();
    for (place, node) in nodes.iter().enumerate() {
        // Groups of ten: of the first thousand each is a ring, then the last of a group goes to a free address.
        let (first, in_group) = (place - place % 10, place % 10);
        let next = if in_group < 9 { place + 1 } else { first };
        let is_ring = place < 1000 || in_group < 9;
        let to = if is_ring && next < nodes.len() {
            nodes[next].address
        } else {
            Ipv4Addr::from_bits(0x0a28_8000 + u32::try_from(place).unwrap_or(0))
        };
        let mac = node.mac.map(|mac| mac.to_string()).unwrap_or_default();
        writeln!(text, "[[node]]\nname = \"crowd-{place}\"\nmac = \"{mac}\"\naddress = \"{to}\"")
            .unwrap_or_default();
    }
    RigSheet::parse(&text).unwrap_or_else(|errors| panic!("{errors}"))
}

/// What it takes to plan so many changes, and to put them in order.
#[divan::bench(args = [100, 1000, 10_000], sample_count = 10)]
fn planning_changes(bencher: Bencher<'_, '_>, nodes: u16) {
    let mut census = census(nodes);
    for (at, reply) in census.nodes().iter().map(|node| node.address).map(settings_of).collect::<Vec<_>>() {
        census.take(&Sighting::plain(Duration::ZERO, at, reply));
    }
    let sheet = moved(&census);
    let own = Ipv4Addr::new(10, 40, 0, 7);
    let seats = [Seat {
        own,
        subnet: "10.40.0.0/16".parse().unwrap_or_else(|_| panic!("a subnet")),
        limited_broadcast: true,
    }];
    let protection = Protection { sheet: Some(&sheet), ..Protection::of(&census, &seats) };
    let plan = plan_by_sheet(&compare(&sheet, &census), &protection, &Part::default());
    assert!(!plan.is_refused() && plan.changes.len() >= usize::from(nodes), "{:?}", plan.findings.first());
    bencher.bench_local(|| plan_by_sheet(&compare(&sheet, &census), &protection, &Part::default()));
}

fn settings_of(at: Ipv4Addr) -> (Ipv4Addr, Told) {
    let (mask, gateway) = (Ipv4Addr::new(255, 255, 0, 0), Ipv4Addr::UNSPECIFIED);
    (at, Told::IpSettings(IpProgReply { address: at, mask, port: 6454, status: 0, gateway }))
}
