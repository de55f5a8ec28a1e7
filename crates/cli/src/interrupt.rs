//! Ctrl-C, a request to end, a pipe that nobody reads any more: noticed, so that what is under way can end calmly.

use std::sync::Arc;
use std::sync::LazyLock;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

use signal_hook::consts::{SIGINT, SIGTERM};
use signal_hook::{flag, low_level};

use crate::failure::Failure;

/// The signal that came while somebody was to end calmly; 0 for none.
static CAME: LazyLock<Arc<AtomicUsize>> = LazyLock::new(Arc::default);
/// Whether a signal ends the program at once, as it does by itself.
static AT_ONCE: LazyLock<Arc<AtomicBool>> = LazyLock::new(|| Arc::new(AtomicBool::new(true)));
/// How many sections are to end calmly.
static CALM: AtomicUsize = AtomicUsize::new(0);

#[cfg(unix)]
const SIGNALS: [i32; 3] = [SIGINT, SIGTERM, signal_hook::consts::SIGHUP];
#[cfg(not(unix))]
const SIGNALS: [i32; 2] = [SIGINT, SIGTERM];

/// While it lives, a signal is noted and does not end the program: what was taken has to be given back first. Whoever holds
/// it looks at [`check`] often enough.
pub(crate) struct Calm(());

impl Calm {
    pub(crate) fn begin() -> Self {
        CALM.fetch_add(1, Ordering::SeqCst);
        AT_ONCE.store(false, Ordering::SeqCst);
        Self(())
    }
}

impl Drop for Calm {
    fn drop(&mut self) {
        if CALM.fetch_sub(1, Ordering::SeqCst) == 1 {
            AT_ONCE.store(true, Ordering::SeqCst);
        }
    }
}

/// Has signals noted from now on. Where the system refuses that, they end the program as they always did.
pub(crate) fn listen() {
    let ignored = ignored();
    // Whoever started us may have wanted us deaf to a signal, as nohup does.
    for signal in SIGNALS.into_iter().filter(|signal| ignored & (1 << (signal - 1)) == 0) {
        let number = usize::try_from(signal).unwrap_or_default();
        // In this order: the first of both is asked first.
        let asked = flag::register_conditional_default(signal, Arc::clone(&AT_ONCE));
        if asked.is_ok() {
            flag::register_usize(signal, Arc::clone(&CAME), number).map(drop).unwrap_or_default();
        }
    }
}

/// The signals that are ignored, a bit each from 1.
fn ignored() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let mask = status.lines().find_map(|line| line.strip_prefix("SigIgn:"));
    mask.and_then(|mask| u64::from_str_radix(mask.trim(), 16).ok()).unwrap_or(0)
}

/// Whether to go on: not once a signal came, nor once nobody reads the results any more.
pub(crate) fn check() -> Result<(), Failure> {
    match signal() {
        Some(signal) => Err(Failure::Interrupted { signal }),
        None if nobody_reads() => Err(Failure::Output(std::io::ErrorKind::BrokenPipe.into())),
        None => Ok(()),
    }
}

/// The signal that came.
pub(crate) fn signal() -> Option<i32> {
    i32::try_from(CAME.load(Ordering::SeqCst)).ok().filter(|signal| *signal != 0)
}

/// Takes a signal as heeded: it was meant for somebody else.
pub(crate) fn forget() {
    CAME.store(0, Ordering::SeqCst);
}

/// Ends the program as the signal would have, so that whoever called it sees that it was interrupted.
pub(crate) fn end_by(signal: i32) {
    low_level::emulate_default_handler(signal).unwrap_or_default();
}

/// Whether the reader of our results has gone.
#[cfg(unix)]
fn nobody_reads() -> bool {
    use rustix::event::{PollFd, PollFlags, Timespec, poll};
    let stdout = std::io::stdout();
    let mut polled = [PollFd::new(&stdout, PollFlags::empty())];
    let at_once = Timespec { tv_sec: 0, tv_nsec: 0 };
    poll(&mut polled, Some(&at_once)).is_ok_and(|ready| ready > 0)
        && polled[0].revents().intersects(PollFlags::ERR | PollFlags::HUP)
}

#[cfg(not(unix))]
const fn nobody_reads() -> bool {
    false
}
