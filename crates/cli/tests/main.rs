//! Drives the built program. One test binary for all rooms: what waits for simulated nodes in one waits beside the others.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]
#![allow(clippy::print_stdout, reason = "a skipped test says why, a long one how far it came")]

mod adapters;
mod adapters_join;
mod adapters_presets_dhcp;
mod address;
mod apply_check;
mod around;
mod check;
mod codes;
mod demo;
mod faults;
mod firmware;
mod guided;
mod handover;
mod help;
mod hints;
mod identify;
mod interrupted;
mod keep;
mod killed;
mod levels;
mod on_the_wire;
mod reach;
mod readme;
mod screens;
mod segment;
mod set;
mod sheet;
mod sheet_broken;
mod sheet_exchange;
mod sheet_fill;
mod sheet_rework;
mod show;
mod situations;
mod strangers;
mod support;
mod survey;
mod survey_harbour;
mod survey_limits;
mod survey_peers;
mod survey_thousand;
mod undo;
mod universe;
mod watch;
mod why;
