//! A rig of a thousand nodes. It has the processors for itself: so much is answered in so short a time.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]

mod support;

use lantern_sim::Scene;

use support::Rig;

#[test]
fn a_thousand_nodes_at_two_percent_loss_are_all_found() {
    let rig = Rig::with(&Scene::crowd(1000, 0.02, 5));
    let answer = rig.run_here(&["survey", "--json"]).json();
    let nodes = answer["nodes"].as_array().unwrap();
    assert_eq!(nodes.len(), 1000);
}
