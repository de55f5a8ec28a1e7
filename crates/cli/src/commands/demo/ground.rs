//! Where the demo's nodes stand.

use std::io;
use std::net::SocketAddr;

use lantern_core::address::{Mask, Subnet};
use lantern_net::Cable;
use lantern_sim::{CableGround, LoopbackGround, Scene};
#[cfg(target_os = "linux")]
use lantern_sim::{PrivateNetwork, SegmentError, SegmentGround};

use super::GroundKind;
use crate::failure::Failure;
use crate::output::Out;

/// A ground with the nodes on it.
pub(super) struct Ground {
    kind: Kind,
    network: Subnet,
}

enum Kind {
    Loopback(LoopbackGround),
    Cable(CableGround),
    #[cfg(target_os = "linux")]
    Segment(SegmentGround),
}

impl Ground {
    /// Lets the nodes stand where they are wanted. Where nothing is wanted, on loopback; where the system has only one address there,
    /// behind a pretended cable, which is said. Where a private segment is refused, the tour takes place as if nothing were wanted;
    /// somebody who wants to `stay` is told.
    pub(super) fn start(
        wanted: Option<GroundKind>,
        stay: bool,
        scene: &Scene,
        out: &mut Out,
    ) -> Result<Self, Failure> {
        match wanted {
            None => Self::anywhere(scene, out),
            Some(GroundKind::Loopback) => Self::on_loopback(scene).map_err(Failure::Ground),
            Some(GroundKind::Cable) => Self::on_cable(scene),
            Some(GroundKind::Segment) => Self::on_segment(stay, scene, out),
        }
    }

    fn anywhere(scene: &Scene, out: &mut Out) -> Result<Self, Failure> {
        match Self::on_loopback(scene) {
            Ok(ground) => Ok(ground),
            Err(error) => {
                out.note(&format!(
                    "this system gives the nodes no addresses of their own on loopback ({error}); they stand behind a cable \
                     that is pretended between this program and itself"
                ))?;
                Self::on_cable(scene)
            }
        }
    }

    fn on_loopback(scene: &Scene) -> io::Result<Self> {
        let ground = LoopbackGround::start(scene)?;
        // A loopback ground is a /16 by what it is.
        let network = Subnet::around(ground.network(), Mask::SIXTEEN);
        Ok(Self { kind: Kind::Loopback(ground), network })
    }

    fn on_cable(scene: &Scene) -> Result<Self, Failure> {
        let ground = CableGround::start(scene).map_err(Failure::Ground)?;
        Ok(Self { kind: Kind::Cable(ground), network: network_of(scene) })
    }

    #[cfg(target_os = "linux")]
    fn on_segment(stay: bool, scene: &Scene, out: &mut Out) -> Result<Self, Failure> {
        let network = network_of(scene);
        let started = PrivateNetwork::enter().and_then(|private| {
            SegmentGround::start(&private, scene, &[(scene.guest(), network.mask().prefix())])
        });
        match started {
            Ok(ground) => Ok(Self { kind: Kind::Segment(ground), network }),
            Err(SegmentError::Refused(error)) if !stay => {
                out.note(&format!("this system allows no private network ({error})"))?;
                Self::anywhere(scene, out)
            }
            Err(error) => Err(Failure::Segment(error)),
        }
    }

    #[cfg(not(target_os = "linux"))]
    fn on_segment(stay: bool, scene: &Scene, out: &mut Out) -> Result<Self, Failure> {
        if stay {
            let why = "a private segment needs Linux; without it: demo --stay, or demo --stay --ground cable";
            return Err(Failure::Call(why.to_owned()));
        }
        out.note("a private segment needs Linux")?;
        Self::anywhere(scene, out)
    }

    /// The network the nodes stand in.
    pub(super) const fn network(&self) -> Subnet {
        self.network
    }

    /// The pretended cable that leads to the nodes, where one does.
    pub(super) fn cable(&self) -> Option<Cable> {
        let Kind::Cable(ground) = &self.kind else { return None };
        let SocketAddr::V4(place) = ground.place() else { return None };
        let (own, mac) = ground.guest();
        Cable::new(place, (own, self.network.mask()), mac).ok()
    }

    /// Whether a second terminal can reach the nodes.
    pub(super) const fn is_shared(&self) -> bool {
        matches!(self.kind, Kind::Loopback(_))
    }

    /// Plugs the fixture of this label into a port, from 1, of the node that started with this name, and says whether both are
    /// there. Hands are lent on loopback only.
    pub(super) fn replug(&self, label: &str, node: &str, port: usize) -> bool {
        match &self.kind {
            Kind::Loopback(ground) => ground.replug(label, node, port),
            Kind::Cable(_) => false,
            #[cfg(target_os = "linux")]
            Kind::Segment(_) => false,
        }
    }

    /// Switches the power of the node that started with this name.
    pub(super) fn switch(&self, name: &str, on: bool) {
        match &self.kind {
            Kind::Loopback(ground) => ground.switch(name, on),
            Kind::Cable(ground) => ground.switch(name, on),
            #[cfg(target_os = "linux")]
            Kind::Segment(ground) => ground.switch(name, on),
        }
    }
}

fn network_of(scene: &Scene) -> Subnet {
    Subnet::around(scene.network, Mask::from_prefix(scene.prefix).unwrap_or(Mask::SIXTEEN))
}
