//! PJLink (classes 1 and 2, as published by JBMIA): projectors and screens tell their state over a TCP connection, one line
//! each way, ended by a carriage return.
//!
//! ```text
//! device      PJLINK 0            open                     PJLINK 1 498e4a67   a password is wanted
//! controller  %1POWR ?            a question of class 1    before the first: MD5 of random and password, in hex
//! device      %1POWR=1            the answer               %1POWR=ERR3         none now
//! controller  %1POWR 1            a command, answered by   %1POWR=OK           which says that it was heard
//!                                                          PJLINK ERRA         wrong password
//! ```
//!
//! Class 2 adds a search by UDP: `%2SRCH` to everybody, answered by `%2ACKN=` and a MAC address.

mod answer;
mod command;
mod greeting;
mod question;
mod search;

pub use answer::{Answer, Faults, NoAnswer, Power, input_in_words, lamp_hours};
pub use command::Command;
pub use greeting::Greeting;
pub use question::Question;
pub use search::{Found, SEARCH};

/// The TCP and UDP port.
pub const PORT: u16 = 4352;
/// The longest line: two bytes of class, four of the command, a separator, 128 of a parameter, and the end.
pub const LONGEST_LINE: usize = 136;
/// What ends a line.
pub const END: u8 = b'\r';
