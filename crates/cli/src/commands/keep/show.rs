//! `keep show`: what was kept.

use std::path::PathBuf;

use serde::Serialize;

use super::Kept;
use crate::commands::logbook::when;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::output::{Cell, Out, Table, Tone};

/// Show what was kept
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The keepsakes
    #[arg(value_name = "FILE.keep.toml", required = true)]
    file: Vec<PathBuf>,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    kept: Vec<One>,
}

#[derive(Debug, Serialize)]
struct One {
    file: String,
    taken: String,
    name: String,
    mac: Option<String>,
    model: String,
    firmware: Option<String>,
    settings: std::collections::BTreeMap<String, lantern_core::facts::Value>,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let all = Kept::all(&args.file)?;
    if out.is_json() {
        let kept = all.iter().map(one).collect();
        out.object(&Answer { format: 1, kept })?;
        return Ok(Exit::Fine);
    }
    for Kept { keepsake, .. } in &all {
        let node = &keepsake.node;
        let mac = node.mac.map(|mac| format!(" ({mac})")).unwrap_or_default();
        let firmware =
            keepsake.firmware.as_ref().map(|version| format!(", firmware {version}")).unwrap_or_default();
        let model = keepsake.model.escape_debug();
        out.line(&format!(
            "{}{mac}, {model}{firmware}, kept {}",
            node.name.escape_debug(),
            when(&keepsake.taken)
        ))?;
        let mut table = Table::new(&["setting", "kept"]).unbroken(&["setting"]);
        for (field, value) in &keepsake.settings {
            table.row(vec![field.to_string().into(), Cell::new(field.in_words(value), Tone::Strong)]);
        }
        out.table(&table)?;
        out.line("")?;
    }
    Ok(Exit::Fine)
}

fn one(kept: &Kept) -> One {
    let Kept { path, keepsake } = kept;
    One {
        file: path.display().to_string(),
        taken: keepsake.taken.clone(),
        name: keepsake.node.name.clone(),
        mac: keepsake.node.mac.map(|mac| mac.to_string()),
        model: keepsake.model.clone(),
        firmware: keepsake.firmware.clone(),
        settings: keepsake.settings.iter().map(|(field, value)| (field.to_string(), value.clone())).collect(),
    }
}
