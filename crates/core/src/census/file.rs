//! The census as a file and as machine-readable output: one JSON object.

use serde::{Deserialize, Serialize};

use super::{Census, Device, Evidence, FoundNode};
use crate::address::Subnet;
use crate::{Said, as_text};

/// The version of the format.
const FORMAT: u32 = 1;

/// A saved census.
#[derive(Debug, Serialize)]
pub struct CensusFile<'a> {
    /// The version of the format.
    pub format: u32,
    /// When it was taken, in UTC (RFC 3339).
    pub taken: &'a str,
    /// Through which adapter.
    pub adapter: &'a str,
    /// The networks that this computer was in there.
    #[serde(serialize_with = "as_text::list::serialize")]
    pub networks: &'a [Subnet],
    /// Every device, in the order of their addresses.
    pub devices: &'a [Device],
    /// The Art-Net nodes among them, in the order of their addresses.
    pub nodes: Vec<NodeRecord<'a>>,
    /// Everything else.
    #[serde(flatten)]
    pub evidence: Evidence,
}

/// A census read from its file.
#[derive(Debug)]
pub struct SavedCensus {
    /// When it was taken.
    pub taken: String,
    /// The networks that this computer was in there; none in files of earlier versions.
    pub networks: Vec<Subnet>,
    /// The Art-Net nodes, and everything else that was seen.
    pub census: Census,
    /// Every device.
    pub devices: Vec<Device>,
}

/// A node with what can be derived from it, for readers that know nothing of pages and codes.
#[derive(Debug, Serialize)]
pub struct NodeRecord<'a> {
    name: Said,
    label: Said,
    model: String,
    #[serde(flatten)]
    node: &'a FoundNode,
}

/// Why a file is no census.
#[derive(Debug, thiserror::Error)]
pub enum CensusFileError {
    /// It is no JSON, or holds other things than a census.
    #[error("it is not a census: {0}")]
    Unreadable(#[from] serde_json::Error),
    /// It was written by a later version of the program.
    #[error("it has format {found}, this program reads {FORMAT}")]
    Format {
        /// The format found.
        found: u32,
    },
}

impl<'a> CensusFile<'a> {
    /// `census`, and the devices in it, as taken at that time through that adapter in those networks.
    #[must_use]
    pub fn new(
        census: &'a Census,
        devices: &'a [Device],
        taken: &'a str,
        adapter: &'a str,
        networks: &'a [Subnet],
    ) -> Self {
        let record =
            |node: &'a FoundNode| NodeRecord { name: node.name(), label: node.label(), model: node.model(), node };
        Self {
            format: FORMAT,
            taken,
            adapter,
            networks,
            devices,
            nodes: census.by_address().into_iter().map(record).collect(),
            evidence: census.evidence(),
        }
    }
}

impl SavedCensus {
    /// Reads a saved census.
    ///
    /// # Errors
    /// When the text is none, or of another format.
    pub fn from_json(text: &str) -> Result<Self, CensusFileError> {
        #[derive(Deserialize)]
        struct Head {
            format: u32,
        }
        #[derive(Deserialize)]
        struct Body {
            taken: String,
            #[serde(default, deserialize_with = "as_text::list::deserialize")]
            networks: Vec<Subnet>,
            nodes: Vec<FoundNode>,
            #[serde(default)]
            devices: Vec<Device>,
        }
        let head: Head = serde_json::from_str(text)?;
        if head.format != FORMAT {
            return Err(CensusFileError::Format { found: head.format });
        }
        let body: Body = serde_json::from_str(text)?;
        // Read by itself: flattened, universes that are keys would not be read as numbers.
        let evidence: Evidence = serde_json::from_str(text)?;
        Ok(Self {
            taken: body.taken,
            networks: body.networks,
            census: Census::of(body.nodes).with(evidence),
            devices: body.devices,
        })
    }
}
