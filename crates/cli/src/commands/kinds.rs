//! `kinds`: what is known of models.

use std::path::PathBuf;

use lantern_core::sheet::kind::{Counts, FactoryMode, Kind, KindBook};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Cell, Out, Table, Tone};

/// See what is known of models of node
#[derive(Debug, clap::Subcommand)]
pub(crate) enum Sub {
    List(ListArgs),
    Show(ShowArgs),
}

/// List all kinds, or those that have a text in their name, maker or model
#[derive(Debug, clap::Args)]
pub(crate) struct ListArgs {
    /// Only kinds with this in their name, maker or model
    #[arg(value_name = "TEXT")]
    text: Option<String>,

    /// The rig sheet whose kinds count too; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    sheet: Option<PathBuf>,
}

/// Show everything known of one kind
#[derive(Debug, clap::Args)]
pub(crate) struct ShowArgs {
    /// Its name
    #[arg(value_name = "NAME")]
    name: String,

    /// The rig sheet whose kinds count too; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    sheet: Option<PathBuf>,
}

/// A kind for machines.
#[derive(Debug, Serialize)]
struct Record {
    name: String,
    maker: String,
    model: String,
    esta: Option<u16>,
    oem: Option<u16>,
    ports: u32,
    factory: Option<String>,
    factory_mode: &'static str,
    power: Option<String>,
    chain: Option<u32>,
    settings: Vec<&'static str>,
    speaks: Vec<&'static str>,
    line_port: Option<u16>,
    lines: Vec<String>,
    readings: Vec<String>,
    factory_logins: Vec<&'static str>,
    page: Option<String>,
    hints: Vec<(&'static str, String)>,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    kinds: Vec<Record>,
}

/// Runs it.
pub(crate) fn run(sub: &Sub, out: &mut Out) -> Result<Exit, Failure> {
    match sub {
        Sub::List(args) => list(args, out),
        Sub::Show(args) => show(args, out),
    }
}

/// The kinds that ship, and those of the sheet.
pub(super) fn book(sheet: Option<&std::path::Path>) -> Result<KindBook, Failure> {
    let file = SheetFile::named_or_only(sheet)?;
    Ok(file.map_or_else(|| KindBook::shipped().clone(), |file| file.sheet.kinds))
}

fn list(args: &ListArgs, out: &mut Out) -> Result<Exit, Failure> {
    let book = book(args.sheet.as_deref())?;
    let wanted = args.text.as_ref().map(|text| text.to_lowercase()).unwrap_or_default();
    let all = book.names().into_iter().filter_map(|name| book.named(name));
    let is_meant = |kind: &&Kind| format!("{} {}", kind.name.value, kind.title()).to_lowercase().contains(&wanted);
    let all: Vec<&Kind> = all.filter(is_meant).collect();
    if out.is_json() {
        out.object(&Answer { format: 1, kinds: all.iter().map(|kind| record(kind)).collect() })?;
        return Ok(Exit::Fine);
    }
    if all.is_empty() {
        return Err(Failure::Call(format!("no kind has {wanted:?} in its name, maker or model")));
    }
    let mut table = Table::new(&["kind", "maker and model", "ports", "from the factory", "power"])
        .unbroken(&["kind", "ports"]);
    for kind in all {
        table.row(vec![
            Cell::new(kind.name.value.clone(), Tone::Strong),
            kind.title().into(),
            kind.ports.to_string().into(),
            factory(kind).into(),
            kind.power.map(|power| power.to_string()).unwrap_or_default().into(),
        ]);
    }
    out.table(&table)?;
    Ok(Exit::Fine)
}

fn show(args: &ShowArgs, out: &mut Out) -> Result<Exit, Failure> {
    let book = book(args.sheet.as_deref())?;
    let Some(kind) = book.named(&args.name) else {
        return Err(Failure::NoKind {
            wanted: args.name.clone(),
            there: book.names().into_iter().map(ToOwned::to_owned).collect(),
        });
    };
    if out.is_json() {
        out.object(&Answer { format: 1, kinds: vec![record(kind)] })?;
        return Ok(Exit::Fine);
    }
    let mut table = Table::new(&["of the kind", "known"]).unbroken(&["of the kind"]);
    let mut row = |what: &str, known: String| table.row(vec![what.into(), known.into()]);
    row("name on a sheet", kind.name.value.clone());
    row("maker and model", kind.title());
    if let Some((esta, oem)) = kind.codes {
        row("codes", format!("ESTA {esta:#06x}, OEM {oem:#06x}"));
    }
    row("ports", kind.ports.to_string());
    row("from the factory", factory(kind));
    if !kind.permitted.is_empty() {
        let permitted: Vec<String> = kind.permitted.iter().map(ToString::to_string).collect();
        row("takes only", permitted.join(", "));
    }
    if let Some(power) = kind.power {
        row("power", power.to_string());
    }
    if let Some(chain) = kind.chain {
        row("in a chain", format!("at most {chain}"));
    }
    if let Some(bytes) = kind.name_bytes {
        row("keeps of a name", format!("{bytes} bytes"));
    }
    if let Some(keeps) = kind.keeps {
        row(
            "over a power cut",
            if keeps { "keeps what it is told" } else { "keeps nothing of what it is told" }.to_owned(),
        );
    }
    let speaks: Vec<String> = kind.should_speak().iter().map(ToString::to_string).collect();
    row("speaks", if speaks.is_empty() { "nothing that is known".to_owned() } else { speaks.join(", ") });
    let settings: Vec<&str> = kind.settings.iter().map(|setting| setting.word()).collect();
    row(
        "set over the network",
        if settings.is_empty() { "not known: it is tried".to_owned() } else { settings.join(", ") },
    );
    if let Some(speech) = kind.speech {
        let names: Vec<String> = kind.lines.iter().map(|line| line.name.clone()).collect();
        let lines = if names.is_empty() { String::new() } else { format!(": {}", names.join(", ")) };
        row("takes lines", format!("at port {} by {}{lines}", speech.port, speech.by));
    }
    let mut name = "tells by SNMP";
    for reading in &kind.readings {
        let right =
            if reading.to_string() == "anything" { String::new() } else { format!(", right is {reading}") };
        let counts = if reading.counts == Counts::Faults { ", counts faults" } else { "" };
        let set = if reading.is_set { ", can be set" } else { "" };
        row(name, format!("{}: {}{right}{counts}{set}", reading.name, reading.object));
        name = "";
    }
    for factory in &kind.factory_logins {
        let user = &factory.login.user;
        let user = if user.is_empty() { String::new() } else { format!(", as {user}") };
        row("leaves the factory with", format!("a known password by {}{user}", factory.way));
    }
    if let Some(page) = &kind.hints.page {
        row("its page", page.clone());
    }
    for (what, text) in kind.hints.all() {
        row(what, text.to_owned());
    }
    out.table(&table)?;
    Ok(Exit::Fine)
}

/// Where its units stand as they leave the factory.
fn factory(kind: &Kind) -> String {
    match (kind.factory_mode, kind.factory) {
        (FactoryMode::Dhcp, _) => "by DHCP".to_owned(),
        (FactoryMode::LinkLocal, _) => "link-local".to_owned(),
        (FactoryMode::Fixed, Some(range)) => range.to_string(),
        (FactoryMode::Fixed, None) => "not known".to_owned(),
    }
}

fn record(kind: &Kind) -> Record {
    let mode = FactoryMode::WORDS.iter().find(|(_, mode)| *mode == kind.factory_mode);
    Record {
        name: kind.name.value.clone(),
        maker: kind.maker.clone(),
        model: kind.model.clone(),
        esta: kind.codes.map(|(esta, _)| esta),
        oem: kind.codes.map(|(_, oem)| oem),
        ports: kind.ports,
        factory: kind.factory.map(|range| range.to_string()),
        factory_mode: mode.map_or("", |(word, _)| word),
        power: kind.power.map(|power| power.to_string()),
        chain: kind.chain,
        settings: kind.settings.iter().map(|setting| setting.word()).collect(),
        speaks: kind.should_speak().iter().map(|way| way.name()).collect(),
        line_port: kind.speech.map(|speech| speech.port),
        lines: kind.lines.iter().map(|line| line.name.clone()).collect(),
        readings: kind.readings.iter().map(|reading| reading.name.to_string()).collect(),
        factory_logins: kind.factory_logins.iter().map(|factory| factory.way.name()).collect(),
        page: kind.hints.page.clone(),
        hints: kind.hints.all().map(|(what, text)| (what, text.to_owned())).collect(),
    }
}
