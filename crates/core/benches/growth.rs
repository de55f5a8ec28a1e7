//! How the core's work grows with the rig: read the ratios between the sizes, not the single times.

use std::fmt::Write;
use std::net::Ipv4Addr;
use std::time::Duration;

use divan::Bencher;
use lantern_core::census::{Census, Sighting, Viewpoint};
use lantern_core::clash::{sheet_clashes, world_clashes};
use lantern_core::compare::compare;
use lantern_core::sheet::RigSheet;
use lantern_sim::Scene;
use lantern_wire::art_net::Poll;

const SIZES: [u16; 3] = [50, 500, 5000];

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
        node.hear(Duration::ZERO, from, &poll);
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

#[divan::bench(args = SIZES)]
fn reading_a_sheet(bencher: Bencher<'_, '_>, nodes: u16) {
    bencher.with_inputs(|| sheet(nodes)).bench_refs(|text| RigSheet::parse(text).is_ok());
}

#[divan::bench(args = SIZES)]
fn clashes_of_a_sheet(bencher: Bencher<'_, '_>, nodes: u16) {
    let parsed = RigSheet::parse(&sheet(nodes));
    bencher.bench(|| parsed.as_ref().map_or(0, |sheet| sheet_clashes(sheet).len()));
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
        world_clashes(&census, &census.devices(&from), &from).len()
    });
}

#[divan::bench(args = SIZES)]
fn comparing(bencher: Bencher<'_, '_>, nodes: u16) {
    let (parsed, census) = (RigSheet::parse(&sheet(nodes)), census(nodes));
    bencher.bench(|| parsed.as_ref().map_or(0, |sheet| compare(sheet, &census).unexpected.len()));
}
