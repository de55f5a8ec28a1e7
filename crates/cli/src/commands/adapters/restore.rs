//! `adapters restore`: everything as it was.

use lantern_core::adapter::{Move, moves};
use lantern_net::{adapter_state, carry_out};
use serde::Serialize;

use super::kept::Kept;
use super::taking::refuse_without_rights;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Out, Tone};

/// Put adapters back to what they were before `join`, also after a crash
#[derive(Debug, clap::Args)]
pub(super) struct Args {
    /// Only this adapter; without it, every adapter that was changed
    #[arg(value_name = "ADAPTER")]
    adapter: Option<String>,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    restored: Vec<String>,
}

/// Runs it.
pub(super) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let kept = match &args.adapter {
        Some(adapter) => Kept::of(adapter)?.into_iter().collect(),
        None => Kept::all()?,
    };
    for one in &kept {
        put_back(one, out)?;
    }
    if out.is_json() {
        out.object(&Answer { format: 1, restored: kept.iter().map(|one| one.adapter.clone()).collect() })?;
    } else if kept.is_empty() {
        out.line("nothing to put back: no adapter was changed by this program")?;
    }
    Ok(Exit::Fine)
}

/// Puts one adapter back, looks whether it really is, and only then forgets how it was.
fn put_back(kept: &Kept, out: &mut Out) -> Result<(), Failure> {
    let name = &kept.adapter;
    if !kept.is_of_this_start() {
        out.note(&format!("{name}: this computer was restarted since, which put everything back by itself"))?;
        return kept.forget();
    }
    let way = moves(&adapter_state(name)?, &kept.state);
    if !way.is_empty() {
        refuse_without_rights()?;
        carry_out(name, &way)?;
        if !adapter_state(name)?.is_like(&kept.state) {
            return Err(Failure::NotHeld { adapter: name.clone() });
        }
    }
    kept.forget()?;
    let list: Vec<String> = way.iter().map(described).collect();
    let list = if list.is_empty() { "it was so already".to_owned() } else { list.join(", ") };
    let mark = out.paint().dye(Tone::Good, "restored");
    if !out.is_json() {
        out.line(&format!("{mark}  {name} as of {}: {list}", kept.at))?;
    }
    Ok(())
}

fn described(one: &Move) -> String {
    match one {
        Move::RemoveAddress(state) => format!("{}/{} taken off", state.address, state.prefix),
        Move::AddAddress(state) => format!("{}/{} put back", state.address, state.prefix),
        Move::RemoveRoute(route) => format!("route to {}/{} taken away", route.destination, route.prefix),
        Move::AddRoute(route) => format!("route to {}/{} put back", route.destination, route.prefix),
    }
}
