//! A private segment: a real Ethernet between this program and the simulated nodes, out of reach of everything else.
//!
//! The program enters a network of its own (Linux namespaces, no root needed where the system allows it). One end of
//! a cable, [`ADAPTER`], is the program's only adapter; at the other end, in a second network that only the
//! simulator's thread is in, a switch connects every node by frames. Nodes have their own MAC address and stack, so
//! ARP, echo, UDP, wrong subnets and duplicate addresses are as on a real rig.

mod far_end;
mod private;

use std::io;
use std::net::Ipv4Addr;
use std::sync::mpsc::channel;

use super::switched::{Running, Switch, run};
use crate::Scene;

pub use private::PrivateNetwork;

use far_end::FarEnd;

/// The program's adapter on the segment.
pub const ADAPTER: &str = "rig0";
/// The simulator's end of the cable.
const FAR_END: &str = "far0";

/// Why there is no private segment.
#[derive(Debug, thiserror::Error)]
pub enum SegmentError {
    /// The system does not let this user have a network of his own.
    #[error("this system does not allow a private network: {0}")]
    Refused(#[source] io::Error),
    /// It could not be set up.
    #[error("the private network cannot be set up: {0}")]
    SetUp(String),
}

/// Simulated nodes at the far end of a private segment, until dropped.
#[derive(Debug)]
pub struct SegmentGround(Running);

impl SegmentGround {
    /// Lets the nodes of `scene` stand on the segment, at the very addresses of the scene, and gives our adapter
    /// these addresses with their prefix lengths.
    ///
    /// # Errors
    /// When the cable cannot be laid or the far end not be opened.
    pub fn start(_in: &PrivateNetwork, scene: &Scene, own: &[(Ipv4Addr, u8)]) -> Result<Self, SegmentError> {
        let (ready, far_ready) = channel();
        let (laid, cable_laid) = channel::<()>();
        let scene = scene.clone();
        let far_side = move |orders: &_| {
            let network = private::enter_far_network();
            let entered = network.is_ok();
            ready.send(network.map(Some)).unwrap_or(());
            if !entered || cable_laid.recv().is_err() {
                return;
            }
            match private::plug_far_end().and_then(|()| FarEnd::open()) {
                Ok(far_end) => {
                    ready.send(Ok(None)).unwrap_or(());
                    run(Switch::new(&scene, far_end), orders);
                }
                Err(error) => ready.send(Err(error)).unwrap_or(()),
            }
        };
        let running = Running::start("private segment", far_side);
        let running = running.map_err(|error| SegmentError::SetUp(error.to_string()))?;
        let answer = || far_ready.recv().map_err(|_| SegmentError::SetUp("the far end gave up".to_owned()))?;
        if let Some(far_network) = answer()? {
            private::lay_cable(&far_network, own)?;
        }
        laid.send(()).unwrap_or(());
        answer()?;
        private::await_link()?;
        Ok(Self(running))
    }

    /// Switches the power of the node that started with this name.
    pub fn switch(&self, name: &str, on: bool) {
        self.0.switch(name, on);
    }
}
