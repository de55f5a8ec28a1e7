//! The command line as typed.

use clap::{CommandFactory, FromArgMatches, Parser, Subcommand};

use crate::commands::{
    access, adapters, address, apply, arrivals, census, check, completions, demo, explain, firmware, flow, forget,
    handover, identify, keep, kinds, lease, levels, logbook, manual, matching, open, reach, run, say, set, sheet,
    show, streams, survey, undo, universe, watch, why,
};
use crate::output::ColorChoice;

/// What the program is called.
pub(crate) const NAME: &str = "deft-lantern";

/// Find, set and check the nodes of a show network.
#[derive(Debug, Parser)]
#[command(name = NAME, version, max_term_width = 100, disable_help_subcommand = true)]
#[command(help_template = "{about}\n\n{usage-heading} {usage}{after-help}\n\nEverywhere:\n{options}")]
pub(crate) struct Cli {
    #[command(subcommand)]
    pub(crate) command: Command,

    /// Print one JSON object instead of tables
    #[arg(long, global = true, help_heading = "Everywhere")]
    pub(crate) json: bool,

    /// Show findings in a line each; so they are shown when there are more than twenty
    #[arg(long, global = true, help_heading = "Everywhere", conflicts_with = "full")]
    pub(crate) brief: bool,

    /// Show every finding with its reason and what to do, however many there are
    #[arg(long, global = true, help_heading = "Everywhere")]
    pub(crate) full: bool,

    /// Show these columns of tables, in this order, instead of those that fit: name,mac,firmware
    #[arg(long, global = true, value_name = "NAME", value_delimiter = ',', help_heading = "Everywhere")]
    pub(crate) columns: Vec<String>,

    /// When to use colour; auto means on a terminal, unless NO_COLOR is set
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto", help_heading = "Everywhere")]
    pub(crate) color: ColorChoice,
}

/// The commands, in the order of the work.
#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Adapters(adapters::Args),
    Survey(survey::Args),
    Arrivals(arrivals::Args),
    #[command(subcommand)]
    Census(census::Command),
    Show(show::Args),
    Streams(streams::Args),
    Open(open::Args),
    Forget(forget::Args),
    #[command(subcommand)]
    Sheet(sheet::Command),
    Universe(universe::Args),
    Address(address::Args),
    #[command(subcommand)]
    Kinds(kinds::Sub),
    Apply(apply::Args),
    Set(Box<set::Args>),
    Undo(undo::Args),
    #[command(subcommand)]
    Logbook(logbook::Command),
    Identify(identify::Args),
    Match(matching::Args),
    Lease(lease::Args),
    #[command(subcommand)]
    Access(access::Sub),
    Say(say::Args),
    Run(run::Args),
    #[command(subcommand)]
    Keep(keep::Command),
    #[command(subcommand)]
    Firmware(firmware::Command),
    Check(check::Args),
    Reach(reach::Args),
    Why(why::Args),
    Watch(watch::Args),
    Levels(levels::Args),
    Flow(flow::Args),
    Handover(handover::Args),
    Explain(explain::Args),
    Demo(demo::Args),
    Completions(completions::Args),
    Manual(manual::Args),
}

/// The help shows the commands under these headings.
const GROUPS: [(&str, &[&str]); 7] = [
    ("Ready the computer", &["adapters"]),
    ("Find", &["survey", "arrivals", "census", "show", "streams", "open", "forget"]),
    ("Plan", &["sheet", "universe", "address", "kinds"]),
    (
        "Set",
        &[
            "apply", "set", "undo", "logbook", "identify", "match", "lease", "access", "say", "run", "keep",
            "firmware",
        ],
    ),
    ("Check", &["check", "reach", "why", "watch", "levels", "flow", "handover", "explain"]),
    ("Try", &["demo"]),
    ("Install", &["completions", "manual"]),
];

impl Cli {
    /// Reads the program's arguments; prints help or an error and ends where those are asked for or due.
    pub(crate) fn parse_grouped() -> Self {
        let command = Self::command();
        let listing = grouped(&command);
        let matches = command.after_help(listing).get_matches();
        Self::from_arg_matches(&matches).unwrap_or_else(|error| error.exit())
    }
}

fn grouped(command: &clap::Command) -> String {
    let mut text = String::new();
    for (heading, names) in GROUPS {
        text.push_str(&format!("{heading}:\n"));
        for name in names {
            let about = command.find_subcommand(name).and_then(clap::Command::get_about);
            let about = about.map(ToString::to_string).unwrap_or_default();
            text.push_str(&format!("  {name:<11} {about}\n"));
        }
        text.push('\n');
    }
    text.trim_end().to_owned()
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;

    #[test]
    fn every_command_stands_under_one_heading() {
        let listed: Vec<&str> = GROUPS.iter().flat_map(|(_, names)| names.iter().copied()).collect();
        let command = Cli::command();
        let there: BTreeSet<&str> = command.get_subcommands().map(clap::Command::get_name).collect();
        assert_eq!(listed.iter().copied().collect::<BTreeSet<&str>>(), there);
        assert_eq!(listed.len(), there.len());
    }

    #[test]
    fn the_arguments_are_consistent() {
        Cli::command().debug_assert();
    }
}
