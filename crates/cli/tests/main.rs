//! Drives the built program. One test binary for all rooms: what waits for simulated nodes in one waits beside the others.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]
#![cfg_attr(
    not(target_os = "linux"),
    allow(dead_code, unused_imports, reason = "some of what is shared serves rooms that only Linux has")
)]
#![allow(clippy::print_stdout, reason = "a skipped test says why, a long one how far it came")]

mod adapters;
mod adapters_join;
mod adapters_neighbours;
mod adapters_presets_dhcp;
mod address;
mod agents;
mod apply_check;
mod around;
mod brokers;
mod cable;
mod cameras;
mod cases;
mod check;
mod clocks;
mod codes;
mod demo;
mod faults;
mod firmware;
mod fixtures;
mod flow;
mod guided;
mod handover;
mod help;
mod hints;
mod identify;
mod install;
mod interrupted;
mod keep;
mod killed;
mod lease;
mod levels;
mod lines;
mod matching;
mod on_the_wire;
mod reach;
mod readme;
mod screens;
mod segment;
mod self_test;
mod set;
mod sheet;
mod sheet_broken;
mod sheet_exchange;
mod sheet_fill;
mod sheet_rework;
mod show;
mod situations;
mod strangers;
mod streams;
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
mod windows;
