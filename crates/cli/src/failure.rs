//! Why a command could not do what it was called for.

use std::io;
use std::net::{Ipv4Addr, SocketAddr};
use std::path::PathBuf;

use lantern_core::adapter::{AdviseError, ChooseError};
use lantern_core::address::Unusable;
use lantern_core::census::{CensusFileError, DesignationError};
use lantern_core::exchange::{BadCell, JsonError, SceneFileError, TableError};
use lantern_core::finding::Finding;
use lantern_core::keepsake::KeepsakeError;
use lantern_core::lease::LeaseLineError;
use lantern_core::logbook::{LogbookError, Order};
use lantern_core::rework::ReworkError;
use lantern_core::sheet::SheetErrors;
use lantern_core::universe::UniverseError;
use lantern_core::watch::LogError;
use lantern_net::{CaptureError, NetError};

use crate::exit::Exit;
use crate::output::counted;

/// What Windows says of a pipe whose reader has gone, beside what every system says (ERROR_PIPE_NOT_CONNECTED).
const PIPE_NOT_CONNECTED: i32 = 233;

/// A failure, with everything needed to explain it. What to do about each stands in `hints`.
#[derive(Debug, thiserror::Error)]
pub(crate) enum Failure {
    #[error("{} cannot be read: {source}", path.display())]
    Read { path: PathBuf, source: io::Error },
    #[error("{} cannot be written: {source}", path.display())]
    Write { path: PathBuf, source: io::Error },
    #[error("{} cannot be written: {source}; {}", path.display(), if *sent { "nothing further was sent" } else { "nothing was sent to any node" })]
    Logbook { path: PathBuf, source: io::Error, sent: bool },
    #[error("{}: {error}", path.display())]
    LogbookFormat { path: PathBuf, error: LogbookError },
    #[error("{}: {error}", path.display())]
    Leases { path: PathBuf, error: LeaseLineError },
    #[error("there is nothing to go on with in {}", logbook.display())]
    NothingToResume { logbook: PathBuf, last: Option<(String, Option<Order>)> },
    #[error("there is nothing to take back in {}", logbook.display())]
    NothingToUndo { logbook: PathBuf },
    #[error("there is no run {wanted:?} in the logbook")]
    NoRun { wanted: String, there: Vec<String> },
    #[error("the run changed nothing of {wanted}")]
    NotInRun { wanted: String, there: Vec<String> },
    #[error("another run is changing nodes by {} right now", path.display())]
    Busy { path: PathBuf },
    #[error("{address} is no address for any device: {why}")]
    Impossible { address: Ipv4Addr, why: Unusable },
    #[error("{} is no file", path.display())]
    NoFile { path: PathBuf },
    #[error("{} exists already", path.display())]
    Exists { path: PathBuf },
    #[error("{} is not UTF-8 text: byte {offset} (line {line})", path.display())]
    NotText { path: PathBuf, offset: usize, line: usize },
    #[error("{} is {size} bytes long, at most {most} are read", path.display())]
    TooLarge { path: PathBuf, size: u64, most: u64 },
    #[error("{}: {errors}", path.display())]
    Sheet { path: PathBuf, text: String, errors: SheetErrors },
    #[error("{}: {error}", path.display())]
    Census { path: PathBuf, error: CensusFileError },
    #[error("{}: {error}", path.display())]
    Capture { path: PathBuf, error: CaptureError },
    #[error("{}: {error}", path.display())]
    Watched { path: PathBuf, error: LogError },
    #[error("no figures can be served at {at}: {why}")]
    Metrics { at: SocketAddr, why: String },
    #[error("{}: {error}", path.display())]
    Keepsake { path: PathBuf, error: KeepsakeError },
    #[error("{}: {name}, of which it was taken, does not answer", path.display())]
    KeptOfNobody { path: PathBuf, name: String },
    #[error("{}: several units bear the MAC address of {name}, of which it was taken", path.display())]
    KeptOfSeveral { path: PathBuf, name: String },
    #[error("what is remembered in {} cannot be used: {source}", path.display())]
    Memory { path: PathBuf, source: rusqlite::Error },
    #[error("{} was written by a later version of this program (format {version})", path.display())]
    MemoryFormat { path: PathBuf, version: i64 },
    #[error(transparent)]
    Choose(#[from] ChooseError),
    #[error(transparent)]
    Advise(AdviseError),
    #[error(transparent)]
    Net(#[from] NetError),
    #[error(transparent)]
    Designation(#[from] DesignationError),
    #[error("{text:?} is no universe: {error}")]
    Universe { text: String, error: UniverseError },
    #[error("the sheet contradicts itself, so nothing was sent to any node")]
    Clashes { path: PathBuf, text: String, findings: Vec<Finding> },
    #[error("{}: not everything can be filled in, so nothing was written", path.display())]
    CannotFill { path: PathBuf, text: String, findings: Vec<Finding> },
    #[error("{}: the sheet would contradict itself then, so nothing was written", path.display())]
    Worse { path: PathBuf, text: String, findings: Vec<Finding> },
    #[error("{} was changed by somebody else meanwhile; nothing was written", path.display())]
    ChangedMeanwhile { path: PathBuf },
    #[error("no page can be made of {}: {why}", path.display())]
    Page { path: PathBuf, why: String },
    #[error("there is no finding {wanted:?}")]
    NoCode { wanted: String, near: Option<&'static str> },
    #[error("{}: {} cannot be brought in, so nothing was written", path.display(), counted(cells.len(), "cell"))]
    BadCells { path: PathBuf, cells: Vec<BadCell> },
    #[error("{}: {error}", path.display())]
    Table { path: PathBuf, error: TableError },
    #[error("{}: {error}", path.display())]
    Scene { path: PathBuf, error: SceneFileError },
    #[error("{}: {error}", path.display())]
    Json { path: PathBuf, error: JsonError },
    #[error("{count} addresses are too many to ask in one go, at most {most}")]
    RangeTooLong { count: u64, most: u64 },
    #[error("there is no kind {wanted:?}")]
    NoKind { wanted: String, there: Vec<String> },
    #[error("there is no area {wanted:?} on the sheet")]
    NoArea { wanted: String, there: Vec<String> },
    #[error(transparent)]
    Rework(#[from] ReworkError),
    #[error("something speaks against it, so nothing was sent to any node")]
    Refused(Vec<Finding>),
    #[error("somebody defends the address, so it was given back; nothing is changed")]
    GivenBack(Vec<Finding>),
    #[error("this program lacks the rights for {}; nothing was done", .0.join(" and for "))]
    Rights(Vec<&'static str>),
    #[error("{}: it is no preset: {why}", path.display())]
    Preset { path: PathBuf, why: String },
    #[error("there is no preset {name:?}")]
    NoPreset { name: String, there: Vec<String> },
    #[error("{adapter} was given no address: {why}")]
    NoLease { adapter: String, why: String },
    #[error("the system did not keep what {adapter} was set to")]
    NotHeld { adapter: String },
    #[error("there is no node {wanted:?} on the sheet")]
    NotOnSheet { wanted: String, there: Vec<String> },
    #[error("{0}")]
    Call(String),
    #[error("nobody is there to say yes")]
    NobodyToAsk,
    #[error("the simulated nodes cannot stand on loopback: {0}")]
    Ground(#[source] io::Error),
    #[cfg(target_os = "linux")]
    #[error(transparent)]
    Segment(lantern_sim::SegmentError),
    #[error("interrupted")]
    Interrupted { signal: i32 },
    #[error("nobody reads what this command says any more; nothing further was sent")]
    Unheard,
    #[error("{program} cannot be started: {source}")]
    Start { program: String, source: io::Error },
    #[error("the output cannot be written: {0}")]
    Output(#[from] io::Error),
}

impl From<AdviseError> for Failure {
    fn from(error: AdviseError) -> Self {
        match error {
            AdviseError::Choose(error) => Self::Choose(error),
            other @ AdviseError::NoneFree(_) => Self::Advise(other),
        }
    }
}

impl Failure {
    pub(crate) fn is_closed_pipe(&self) -> bool {
        let is_closed = |error: &io::Error| {
            error.kind() == io::ErrorKind::BrokenPipe
                || cfg!(windows) && error.raw_os_error() == Some(PIPE_NOT_CONNECTED)
        };
        matches!(self, Self::Output(error) if is_closed(error))
    }

    pub(crate) fn exit(&self) -> Exit {
        match self {
            Self::Interrupted { signal } => Exit::Interrupted(u8::try_from(*signal).unwrap_or(2)),
            Self::Net(_)
            | Self::Output(_)
            | Self::Ground(_)
            | Self::NotHeld { .. }
            | Self::NoLease { .. }
            | Self::Logbook { sent: true, .. }
            | Self::Unheard
            | Self::GivenBack(_) => Exit::Unfinished,
            Self::CannotFill { .. } => Exit::Wrong,
            #[cfg(target_os = "linux")]
            Self::Segment(_) => Exit::Unfinished,
            _ => Exit::Call,
        }
    }
}
