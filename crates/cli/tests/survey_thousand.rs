//! A rig of a thousand nodes. It has the processors for itself: so much is answered in so short a time.

use lantern_sim::Scene;

use crate::support::{Rig, alone};

#[test]
fn a_thousand_nodes_at_two_percent_loss_are_all_found() {
    let _alone = alone();
    let rig = Rig::with(&Scene::crowd(1000, 0.02, 5));
    let answer = rig.run_here(&["survey", "--json"]).json();
    let nodes = answer["nodes"].as_array().unwrap();
    assert_eq!(nodes.len(), 1000);
}
