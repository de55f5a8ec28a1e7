//! `adapters label` and `adapters prefer`: what the user says of the adapters.

use lantern_core::adapter::{Adapter, ChooseError, Computer, unknown};

use crate::exit::Exit;
use crate::failure::Failure;
use crate::machine::{Habits, computer};

/// Call an adapter by its role, as in: adapters label eth1 show
#[derive(Debug, clap::Args)]
pub(super) struct LabelArgs {
    /// The adapter
    #[arg(value_name = "ADAPTER")]
    adapter: String,

    /// What to call it; without it, the label is taken off
    #[arg(value_name = "LABEL")]
    label: Option<String>,
}

/// Take this adapter whenever several could lead to the rig
#[derive(Debug, clap::Args)]
pub(super) struct PreferArgs {
    /// The adapter; without it, none is preferred
    #[arg(value_name = "ADAPTER")]
    adapter: Option<String>,
}

/// Labels an adapter.
pub(super) fn label(args: &LabelArgs) -> Result<Exit, Failure> {
    let computer = computer()?;
    let name = called(&computer, &args.adapter)?.name.clone();
    let mut habits = Habits::read()?;
    match &args.label {
        None => habits.labels.remove(&name),
        Some(label) => {
            if let Some(other) =
                computer.adapters.iter().find(|other| other.name != name && other.is_called(label))
            {
                return Err(Failure::Call(format!("{} is called {label:?} already", other.name)));
            }
            habits.labels.insert(name, label.clone())
        }
    };
    habits.write()?;
    Ok(Exit::Fine)
}

/// Prefers an adapter.
pub(super) fn prefer(args: &PreferArgs) -> Result<Exit, Failure> {
    let computer = computer()?;
    let name = args.adapter.as_deref().map(|wanted| called(&computer, wanted)).transpose()?;
    let mut habits = Habits::read()?;
    habits.preferred = name.map(|adapter| adapter.name.clone());
    habits.write()?;
    Ok(Exit::Fine)
}

pub(super) fn called<'a>(computer: &'a Computer, wanted: &str) -> Result<&'a Adapter, ChooseError> {
    let found = computer.adapters.iter().find(|adapter| adapter.is_called(wanted));
    found.ok_or_else(|| unknown(&computer.adapters, wanted))
}
