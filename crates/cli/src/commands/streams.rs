//! `streams`: what is sent, received and mapped.

use std::net::Ipv4Addr;
use std::path::PathBuf;

use lantern_core::Said;
use lantern_core::census::PatchSort;
use lantern_core::compare::Verdict;
use lantern_core::conversation::SurveyPlan;
use lantern_core::pattern::Pattern;
use lantern_core::view::{ChannelLine, EndLine, Patching, WantedGroup};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Cell, Out, Table, Tone, counted};
use crate::session::Session;

/// See what every device sends, receives and maps, as it calls it and as the sheet does
///
/// Reads it from the devices by NMOS, whether they announce themselves or a registry lists them. With a rig sheet, its streams and
/// channel maps stand beside that, and it ends with 1 where one is otherwise than planned. Who is heard to want a group (IGMP) stands
/// below. Changes nothing; apply patches.
#[derive(Debug, clap::Args)]
pub(crate) struct Args {
    /// The rig sheet; without it, the only *.rig.toml in this folder, if there is one
    #[arg(value_name = "FILE.rig.toml")]
    sheet: Option<PathBuf>,

    /// Only what is of these devices, by what they or the sheet call them, as in 'hall-*'; may be given several times
    #[arg(long, value_name = "NAME")]
    node: Vec<Pattern>,

    /// The adapter that leads to the rig: its name, its label or one of its addresses
    #[arg(long, value_name = "NAME|LABEL|ADDRESS")]
    adapter: Option<String>,
}

#[derive(Debug, Serialize)]
struct Answer<'a> {
    format: u32,
    #[serde(flatten)]
    patching: &'a Patching,
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::named_or_only(args.sheet.as_deref())?;
    let session = Session::with_sheet(args.adapter.as_deref(), file, out)?;
    let plan = SurveyPlan { sheet: session.sheet().cloned(), reads_patches: true, ..session.survey_plan() };
    let look = session.look_by(plan, out)?;
    let mut patching = Patching::of(&look.census, &look.devices, session.sheet());
    retain(&mut patching, &args.node);
    let wrong = patching.differs();
    let exit = if wrong { Exit::Wrong } else { Exit::Fine };
    if out.is_json() {
        out.object(&Answer { format: 1, patching: &patching })?;
        return Ok(exit);
    }
    show(&patching, out)?;
    if let Some(file) = session.sheet_file().filter(|_| wrong) {
        out.hint(&format!("deft-lantern apply {} --only streams --dry-run", file.path.display()))?;
    }
    Ok(exit)
}

fn retain(patching: &mut Patching, nodes: &[Pattern]) {
    let is_meant = |node: Option<&String>, device: &Said, address| {
        let own = device_of(node, device, address);
        nodes.is_empty() || nodes.iter().any(|node| node.matches(&own) || node.matches(device.raw()))
    };
    patching.ends.retain(|end| is_meant(end.node.as_ref(), &end.device, end.address));
    patching
        .wanted
        .retain(|one| nodes.is_empty() || one.by.iter().any(|by| nodes.iter().any(|node| node.matches(by))));
    patching.channels.retain(|channel| is_meant(channel.node.as_ref(), &channel.device, channel.address));
}

/// What its device is called: on the sheet, else by itself.
fn device_of(node: Option<&String>, device: &Said, address: Ipv4Addr) -> String {
    node.cloned().unwrap_or_else(|| if device.is_empty() { address.to_string() } else { device.to_string() })
}

/// Shows it as tables, and counts it.
pub(crate) fn show(patching: &Patching, out: &mut Out) -> Result<(), Failure> {
    if patching.is_empty() {
        return Ok(out.line("nobody tells what is sent, received or mapped")?);
    }
    if !patching.ends.is_empty() {
        out.table(&ends(&patching.ends))?;
        out.line("")?;
    }
    if !patching.channels.is_empty() {
        out.table(&channels(&patching.channels))?;
        out.line("")?;
    }
    if !patching.wanted.is_empty() {
        out.table(&wanted(&patching.wanted))?;
        out.line("")?;
    }
    let of =
        |sort: PatchSort| patching.ends.iter().filter(|end| end.sort == sort && !end.label.is_empty()).count();
    let parts = [
        counted(of(PatchSort::Sender), "sender"),
        counted(of(PatchSort::Receiver), "receiver"),
        counted(patching.channels.iter().filter(|channel| !channel.output.is_empty()).count(), "mapped channel"),
    ];
    Ok(out.line(&parts.join(", "))?)
}

fn ends(all: &[EndLine]) -> Table {
    let mut table = Table::new(&[
        "stream", "end", "device", "calls it", "on", "group", "from", "form", "state", "channels", "address",
    ])
    .unbroken(&["end", "on", "group", "address"])
    .needs_width("form", 150)
    .on_request(&["channels", "address"]);
    let mut last = None;
    for end in all {
        // A stream is named once, with its ends below.
        let stream = end.stream.as_deref();
        let named = if stream == last { "" } else { stream.unwrap_or("(none)") };
        last = stream;
        let way = match end.sort {
            PatchSort::Sender => "sends",
            PatchSort::Receiver => "receives",
            PatchSort::Output => "maps",
        };
        let on = end.enabled.map_or("", |on| if on { "on" } else { "off" });
        let (state, tone) = state(end);
        let channels: Vec<String> = end.channels.iter().map(ToString::to_string).collect();
        table.row(vec![
            Cell::new(named, Tone::Strong),
            way.into(),
            device_of(end.node.as_ref(), &end.device, end.address).into(),
            Cell::new(end.label.to_string(), Tone::Strong),
            Cell::new(on, if end.enabled == Some(true) { Tone::Good } else { Tone::Faint }),
            end.groups.join("\n").into(),
            end.from.clone().unwrap_or_default().into(),
            end.form.clone().into(),
            Cell::new(state, tone),
            channels.join(", ").into(),
            end.address.to_string().into(),
        ]);
    }
    table
}

/// Who was heard to want a group. Who was not may want it all the same: switches keep such wishes to themselves.
fn wanted(all: &[WantedGroup]) -> Table {
    let mut table = Table::new(&["group", "carries", "wanted by"]).unbroken(&["group"]);
    for one in all {
        let carries = match &one.carries[..] {
            [] => Cell::new("nobody tells", Tone::Doubtful),
            some => Cell::new(some.join(", "), Tone::Strong),
        };
        table.row(vec![one.group.to_string().into(), carries, one.by.join(", ").into()]);
    }
    table
}

fn state(end: &EndLine) -> (String, Tone) {
    let otherwise = end.otherwise.join("\n");
    match end.verdict {
        Some(Verdict::Pass) => ("as planned".to_owned(), Tone::Good),
        Some(Verdict::Look) => (otherwise, Tone::Doubtful),
        Some(Verdict::Fail) => (otherwise, Tone::Bad),
        None => (otherwise, Tone::Faint),
    }
}

fn channels(all: &[ChannelLine]) -> Table {
    let mut table = Table::new(&["device", "output", "channel", "calls it", "here", "comes from", "planned"])
        .unbroken(&["channel"]);
    let mut last = None;
    for channel in all {
        let output = (channel.address, &channel.output, channel.planned_as.as_ref());
        let is_new = last != Some(output);
        last = Some(output);
        let device = device_of(channel.node.as_ref(), &channel.device, channel.address);
        let named = |text: String| if is_new { text } else { String::new() };
        let planned = channel.planned.clone().unwrap_or_default();
        let planned = match channel.verdict {
            Some(Verdict::Pass) => Cell::new("as planned", Tone::Good),
            Some(Verdict::Look) => Cell::new(planned, Tone::Doubtful),
            Some(Verdict::Fail) => Cell::new(planned, Tone::Bad),
            None => Cell::new(planned, Tone::Faint),
        };
        let from = channel.from.clone().or_else(|| channel.otherwise.clone());
        // One that was not found is called as the sheet does.
        let called = match &channel.planned_as {
            Some(planned) if channel.output.is_empty() => planned.clone(),
            _ => channel.output.to_string(),
        };
        table.row(vec![
            Cell::new(named(device), Tone::Strong),
            Cell::new(named(called), Tone::Strong),
            channel.number.to_string().into(),
            channel.label.to_string().into(),
            channel.name.clone().unwrap_or_default().into(),
            from.unwrap_or_else(|| "not told".to_owned()).into(),
            planned,
        ]);
    }
    table
}
