//! The core against simulated networks, under a virtual clock. One test binary for all rooms.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on shall stop")]
#![allow(clippy::print_stderr, reason = "to look at one seed")]

mod alter;
mod arrivals;
mod clashes;
mod clocks;
mod devices;
mod diagnosis;
mod filling;
mod firmware;
mod ladder;
mod leasing;
mod levels;
mod lines;
mod llrp;
mod llrp_names;
mod llrp_talk;
mod mixed;
mod nights;
mod nmos;
mod nmos_sites;
mod onvif;
mod pages;
mod pjlink;
mod properties;
mod quirks;
mod rdm;
mod rdm_behaviour;
mod rdm_health;
mod rdm_own;
mod rdm_plan;
mod rdm_talk;
mod rdmnet;
mod reading;
mod records;
mod sacn_counting;
mod safety;
mod sending;
mod settings;
mod snmp;
mod support;
mod survey;
mod sweeping;
mod watching;
mod ways;
mod whole_job;
