//! What differs between operating systems: one room each, all with the same face. Nothing outside asks which system it is.

#[cfg(target_os = "linux")]
mod linux;
#[cfg(target_os = "macos")]
mod macos;
#[cfg(not(target_os = "linux"))]
#[allow(dead_code, reason = "a system takes of it what it has nothing of its own for")]
mod plain;
#[cfg(not(target_os = "linux"))]
mod told_by_netdev;
#[cfg(windows)]
mod windows;

// What that system answers is read the same everywhere, so that it can be tried here.
#[cfg(all(test, not(windows)))]
#[path = "windows"]
#[allow(dead_code, reason = "what runs the commands is not tried here")]
mod windows_words {
    mod answers;
    mod orders;
    mod shell;
}

#[cfg(target_os = "linux")]
use linux as imp;
#[cfg(target_os = "macos")]
use macos as imp;
#[cfg(not(any(target_os = "linux", target_os = "macos", windows)))]
use plain as imp;
#[cfg(windows)]
use windows as imp;

pub(crate) use imp::{addressing, bind, computer, frames, neighbours};
