//! A private segment: a real Ethernet between this program and the simulated nodes, out of reach of everything else.
//!
//! The program enters a network of its own (Linux namespaces, no root needed where the system allows it). One end of
//! a cable, [`ADAPTER`], is the program's only adapter; at the other end, in a second network that only the
//! simulator's thread is in, a switch connects every node by frames. Nodes have their own MAC address and stack, so
//! ARP, echo, UDP, wrong subnets and duplicate addresses are as on a real rig.

mod host;
mod private;
mod switch;

use std::io;
use std::net::Ipv4Addr;
use std::sync::mpsc::{Receiver, Sender, channel};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use crate::{Link, Scene};

pub use private::PrivateNetwork;

use switch::Switch;

/// The program's adapter on the segment.
pub const ADAPTER: &str = "rig0";
/// The simulator's end of the cable.
const FAR_END: &str = "far0";
/// How long the simulator sleeps at most: an order has to wait no longer.
const NAP: Duration = Duration::from_millis(10);

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
pub struct SegmentGround {
    orders: Sender<Order>,
    thread: Option<JoinHandle<()>>,
}

#[derive(Debug)]
enum Order {
    Switch { name: String, on: bool },
    Stop,
}

impl SegmentGround {
    /// Lets the nodes of `scene` stand on the segment, at the very addresses of the scene, and gives our adapter
    /// these addresses with their prefix lengths.
    ///
    /// # Errors
    /// When the cable cannot be laid or the far end not be opened.
    pub fn start(_in: &PrivateNetwork, scene: &Scene, own: &[(Ipv4Addr, u8)]) -> Result<Self, SegmentError> {
        let (orders, inbox) = channel();
        let (ready, far_ready) = channel();
        let (laid, cable_laid) = channel::<()>();
        let scene = scene.clone();
        let far_side = move || {
            let network = private::enter_far_network();
            let entered = network.is_ok();
            ready.send(network.map(Some)).unwrap_or(());
            if !entered || cable_laid.recv().is_err() {
                return;
            }
            match private::plug_far_end().and_then(|()| Switch::open(&scene)) {
                Ok(switch) => {
                    ready.send(Ok(None)).unwrap_or(());
                    run(switch, &inbox);
                }
                Err(error) => ready.send(Err(error)).unwrap_or(()),
            }
        };
        let spawned = std::thread::Builder::new().name("private segment".to_owned()).spawn(far_side);
        let thread = spawned.map_err(|error| SegmentError::SetUp(error.to_string()))?;
        let answer = || far_ready.recv().map_err(|_| SegmentError::SetUp("the far end gave up".to_owned()))?;
        if let Some(far_network) = answer()? {
            private::lay_cable(&far_network, own)?;
        }
        laid.send(()).unwrap_or(());
        answer()?;
        private::await_link()?;
        Ok(Self { orders, thread: Some(thread) })
    }

    /// Switches the power of the node that started with this name.
    pub fn switch(&self, name: &str, on: bool) {
        self.orders.send(Order::Switch { name: name.to_owned(), on }).unwrap_or(());
    }
}

impl Drop for SegmentGround {
    fn drop(&mut self) {
        self.orders.send(Order::Stop).unwrap_or(());
        if let Some(thread) = self.thread.take() {
            thread.join().unwrap_or(());
        }
    }
}

fn run(mut switch: Switch, orders: &Receiver<Order>) {
    let began = Instant::now();
    loop {
        while let Ok(order) = orders.try_recv() {
            match order {
                Order::Switch { name, on } => switch.switch(began.elapsed(), &name, on),
                Order::Stop => return,
            }
        }
        switch.run(began.elapsed());
        switch.wait(began.elapsed(), NAP);
    }
}

/// A link as the scene has it.
fn link_of(scene: &Scene) -> Link {
    Link::new(scene.loss, scene.seed)
}
