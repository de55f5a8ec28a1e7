//! Where the demo's nodes stand.

use lantern_core::address::{Mask, Subnet};
use lantern_sim::{LoopbackGround, Scene};
#[cfg(target_os = "linux")]
use lantern_sim::{PrivateNetwork, SegmentError, SegmentGround};

use super::GroundKind;
use crate::failure::Failure;
use crate::output::Out;

/// A ground with the nodes on it.
pub(super) enum Ground {
    Loopback(LoopbackGround),
    #[cfg(target_os = "linux")]
    Segment(SegmentGround, Subnet),
}

impl Ground {
    /// Lets the nodes stand where they are wanted. Where a private segment is refused, the tour takes place on loopback;
    /// somebody who wants to `stay` must not find himself typing into the machine's own network.
    pub(super) fn start(wanted: GroundKind, stay: bool, scene: &Scene, out: &mut Out) -> Result<Self, Failure> {
        match wanted {
            GroundKind::Loopback => Self::on_loopback(scene),
            GroundKind::Segment => Self::on_segment(stay, scene, out),
        }
    }

    fn on_loopback(scene: &Scene) -> Result<Self, Failure> {
        LoopbackGround::start(scene).map(Self::Loopback).map_err(Failure::Ground)
    }

    #[cfg(target_os = "linux")]
    fn on_segment(stay: bool, scene: &Scene, out: &mut Out) -> Result<Self, Failure> {
        let network = Subnet::around(scene.network, Mask::from_prefix(scene.prefix).unwrap_or(Mask::SIXTEEN));
        let started = PrivateNetwork::enter().and_then(|private| {
            SegmentGround::start(&private, scene, &[(scene.guest(), network.mask().prefix())])
        });
        match started {
            Ok(ground) => Ok(Self::Segment(ground, network)),
            Err(SegmentError::Refused(error)) if !stay => {
                out.note(&format!(
                    "this system allows no private network ({error}); the nodes stand on loopback"
                ))?;
                Self::on_loopback(scene)
            }
            Err(error) => Err(Failure::Segment(error)),
        }
    }

    #[cfg(not(target_os = "linux"))]
    fn on_segment(stay: bool, scene: &Scene, out: &mut Out) -> Result<Self, Failure> {
        if stay {
            return Err(Failure::Call("a private segment needs Linux; without it: demo --stay".to_owned()));
        }
        out.note("a private segment needs Linux; the nodes stand on loopback")?;
        Self::on_loopback(scene)
    }

    /// The network the nodes stand in.
    pub(super) fn network(&self) -> Subnet {
        match self {
            // A loopback ground is a /16 by what it is.
            Self::Loopback(ground) => Subnet::around(ground.network(), Mask::SIXTEEN),
            #[cfg(target_os = "linux")]
            Self::Segment(_, network) => *network,
        }
    }

    /// Whether a second terminal can reach the nodes.
    pub(super) const fn is_shared(&self) -> bool {
        matches!(self, Self::Loopback(_))
    }

    /// Plugs the fixture of this label into a port, from 1, of the node that started with this name, and says whether both are
    /// there. On a segment nobody does.
    pub(super) fn replug(&self, label: &str, node: &str, port: usize) -> bool {
        match self {
            Self::Loopback(ground) => ground.replug(label, node, port),
            #[cfg(target_os = "linux")]
            Self::Segment(..) => false,
        }
    }

    /// Switches the power of the node that started with this name.
    pub(super) fn switch(&self, name: &str, on: bool) {
        match self {
            Self::Loopback(ground) => ground.switch(name, on),
            #[cfg(target_os = "linux")]
            Self::Segment(ground, _) => ground.switch(name, on),
        }
    }
}
