//! `check`: does every node answer, and is it as planned.

mod answer;
mod factory;
mod fixtures;
mod junit;
mod patches;
mod power;
mod repeat;
mod show;

use std::collections::{BTreeMap, HashMap};
use std::path::PathBuf;

use lantern_core::Direction;
use lantern_core::adapter::rivals_of;
use lantern_core::census::{Device, FoundNode};
use lantern_core::change::Part;
use lantern_core::clash::{is_same_name, world_clashes};
use lantern_core::compare::{
    Comparison, FixtureComparison, PatchComparison, State, Tally, compare_all, compare_fixtures, compare_patches,
    held_addresses,
};
use lantern_core::conversation::{Concern, OnCables};
use lantern_core::facts::Difference;
use lantern_core::finding::{Finding, Severity};
use lantern_core::pattern::Pattern;
use lantern_core::sheet::{Member, RigSheet, SheetNode};

use super::named;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::{SheetFile, write_over};
use crate::output::{Out, Texts, counted, findings};
use crate::session::{Look, Session};

use repeat::Until;

/// Ask every device on the sheet to answer, and compare each with the plan
///
/// Changes nothing. Asks in every way there is, those that speak no Art-Net by ARP and echo; desks, servers and switches of the
/// sheet too. Holds what is sent against what is planned: universes and streams. Ends with 1 when a device is missing,
/// different, not on the sheet, or did not tell everything planned, and when two devices hold one address.
#[derive(Debug, Default, clap::Args)]
pub(crate) struct Args {
    /// The rig sheet; without it, the only *.rig.toml in this folder
    #[arg(value_name = "FILE.rig.toml")]
    sheet: Option<PathBuf>,

    /// The adapter that leads to the rig: its name, its label or one of its addresses
    #[arg(long, value_name = "NAME|LABEL|ADDRESS")]
    adapter: Option<String>,

    /// Only these nodes of the sheet, as in 'quay-*'; may be given several times
    #[arg(long, value_name = "NAME")]
    node: Vec<Pattern>,

    /// Only the devices of this area; may be given several times
    #[arg(long, value_name = "AREA")]
    area: Vec<String>,

    /// Ask every fixture behind the gateways too, by RDM over their cables, and compare each with the plan
    #[arg(long, conflicts_with_all = ["repeat", "after_power_cycle", "node", "area"])]
    fixtures: bool,

    /// Look again and again: until-all answer, so many times, or for a time as 30s or 5m; says what changes meanwhile
    #[arg(long, value_name = "UNTIL", conflicts_with = "after_power_cycle")]
    repeat: Option<Until>,

    /// Write the result as a test report in the JUnit form too, a case for each device and each finding
    #[arg(long, value_name = "FILE.xml")]
    junit: Option<PathBuf>,

    /// Then walk me through a power cycle: switch the nodes off and on, and see what they have kept
    #[arg(long)]
    after_power_cycle: bool,

    /// Also try the passwords that the kinds on the sheet leave their factory with; a device may count that as a wrong one
    #[arg(long, conflicts_with_all = ["repeat", "after_power_cycle"])]
    factory_passwords: bool,

    /// Write down everything sent and heard in this capture file (pcapng)
    #[arg(long, value_name = "FILE.pcapng")]
    record: Option<PathBuf>,
}

impl Args {
    /// Everything on this sheet.
    pub(crate) fn of_all(sheet: PathBuf) -> Self {
        Self { sheet: Some(sheet), ..Self::default() }
    }
}

/// A check that can be made again and again.
struct Check<'a> {
    session: &'a Session,
    file: &'a SheetFile,
    part: Part,
    on_cables: OnCables,
    /// Who still takes the password of its factory, where that was tried.
    opened: Vec<Finding>,
}

/// What was seen: the devices of the sheet, what is wrong around them, and the fixtures, where those were asked.
struct Judged<'a> {
    comparison: Comparison<'a>,
    around: Vec<Finding>,
    fixtures: Option<FixtureComparison<'a>>,
    patches: PatchComparison<'a>,
}

impl Judged<'_> {
    /// What is wrong with devices and around them.
    fn of_devices(&self, sheet: &RigSheet) -> Vec<Finding> {
        [self.comparison.findings(sheet), self.around.clone()].concat()
    }

    /// Everything that is wrong.
    fn findings(&self, sheet: &RigSheet) -> Vec<Finding> {
        let of_fixtures = self.fixtures.as_ref().map(|compared| compared.findings(sheet));
        [self.of_devices(sheet), self.patches.findings(sheet), of_fixtures.unwrap_or_default()].concat()
    }
}

/// Runs it.
pub(crate) fn run(args: &Args, out: &mut Out) -> Result<Exit, Failure> {
    let file = SheetFile::one(args.sheet.as_deref())?;
    if args.sheet.is_none() {
        out.note(&format!("using the sheet {}", file.path.display()))?;
    }
    let part = named::part(&file, &args.node, &args.area, Vec::new())?;
    let mut session = Session::with_sheet(args.adapter.as_deref(), Some(file), out)?;
    session.record(args.record.as_deref())?;
    let exit = check(args, &session, part, out);
    session.end_recording(out)?;
    exit
}

fn check(args: &Args, session: &Session, part: Part, out: &mut Out) -> Result<Exit, Failure> {
    let Some(file) = session.sheet_file() else { return Ok(Exit::Fine) };
    let on_cables = if args.fixtures { OnCables::Examine } else { OnCables::Nothing };
    let mut check = Check { session, file, part, on_cables, opened: Vec::new() };
    if args.factory_passwords {
        check.opened = factory::try_them(&check, out)?;
    }
    let (look, rounds) = match args.repeat {
        Some(until) => repeat::rounds(&check, until, out)?,
        None => (check.look(out)?, Vec::new()),
    };
    // A dropout in between is one, whatever the last look says; only who waited for all waited for that.
    let mut lost = args.repeat != Some(Until::All) && rounds.iter().any(|round| round.tally.fail > 0);
    let look = if args.after_power_cycle {
        let (after, not_kept) = power::power_cycle(session, &look, out)?;
        lost = not_kept;
        after
    } else {
        look
    };
    let sheet = &file.sheet;
    let judged = check.judged(&look);
    let found = judged.findings(sheet);
    if let Some(path) = &args.junit {
        write_over(path, &junit::report(&judged.comparison, sheet, &found))?;
    }
    let exit = if lost { Exit::Wrong } else { Exit::of(&found) };
    if out.is_json() {
        out.object(&answer::answer(&judged, sheet, &found, &rounds, &look.echo_times))?;
        return Ok(exit);
    }
    check.show(&look, &judged, out)?;
    Ok(exit)
}

impl Check<'_> {
    fn means(&self, node: &SheetNode) -> bool {
        self.part.means(Some(&self.file.sheet), node)
    }

    /// Whether a desk, server or switch is meant.
    fn means_beside(&self, member: Member<'_>) -> bool {
        let area = member.area().and_then(|area| self.file.sheet.areas.get(area.value));
        self.part.nodes.is_empty() && self.part.has_area(area.map(|area| area.name.value.as_str()))
    }

    /// Whether whoever stands at this place of the sheet is meant.
    fn means_member(&self, sheet: &RigSheet, place: usize) -> bool {
        sheet.member(place).is_some_and(|member| match member {
            Member::Node(node) => self.means(node),
            other => self.means_beside(other),
        })
    }

    fn is_part(&self) -> bool {
        !self.part.nodes.is_empty() || !self.part.areas.is_empty()
    }

    /// Looks who is there now.
    fn look(&self, out: &mut Out) -> Result<Look, Failure> {
        let sheet = &self.file.sheet;
        let concern = Concern::of_part(sheet, |node| self.means(node));
        let meant = sheet.nodes.iter().filter(|node| self.means(node)).filter_map(SheetNode::fixed_address);
        let others =
            sheet.members().filter(|member| !matches!(member, Member::Node(_)) && self.means_beside(*member));
        let addresses = meant.chain(others.filter_map(Member::fixed_address)).collect();
        let universes = if self.is_part() { Vec::new() } else { sheet.sacn_universes() };
        self.session.look_and_listen(concern, addresses, universes, self.on_cables.clone(), out)
    }

    /// What was seen, held against the sheet.
    fn judged<'a>(&'a self, look: &'a Look) -> Judged<'a> {
        let sheet = &self.file.sheet;
        let whole = compare_all(sheet, &look.census, look.everybody());
        let mut around = around(look, sheet);
        around.extend(self.opened.clone());
        // What is sent is the business of the whole rig.
        let comparison = if self.is_part() {
            whole.only(|node| self.means(node), |member| self.means_beside(member))
        } else {
            around.extend(whole.sending(sheet, &look.census));
            whole
        };
        let adapter = self.session.adapter_facts().filter(|_| !self.session.is_simulated());
        around.extend(adapter.map(|adapter| rivals_of(adapter, self.session.computer())).unwrap_or_default());
        let fixtures = self.on_cables.reads().then(|| compare_fixtures(sheet, &look.census));
        let patches = compare_patches(sheet, &look.census, &look.devices);
        let patches = if self.is_part() { patches.only(|place| self.means_member(sheet, place)) } else { patches };
        Judged { comparison, around, fixtures, patches }
    }

    fn show(&self, look: &Look, judged: &Judged<'_>, out: &mut Out) -> Result<(), Failure> {
        let (sheet, comparison) = (&self.file.sheet, &judged.comparison);
        out.table(&show::table(comparison, sheet, look))?;
        out.line("")?;
        if let Some(areas) = show::areas(comparison, sheet) {
            out.table(&areas)?;
            out.line("")?;
        }
        let of_fixtures = judged.fixtures.as_ref();
        if let Some(table) = of_fixtures.map(fixtures::table).filter(|table| !table.is_empty()) {
            out.table(&table)?;
            out.line("")?;
        }
        let of_patches = patches::table(&judged.patches);
        if !of_patches.is_empty() {
            out.table(&of_patches)?;
            out.line("")?;
        }
        // The table tells the differences; the list adds who is missing, who is too many, what is wrong around them, and of whom
        // nothing was told.
        let untold = of_fixtures.map(FixtureComparison::untold).unwrap_or_default();
        let listed = [comparison.absences(sheet), judged.around.clone(), untold].concat();
        findings::print(out, &listed)?;
        let of_devices = show::summary(comparison, &judged.of_devices(sheet));
        let further = of_fixtures.map(fixtures::summary).into_iter().chain(patches::summary(&judged.patches));
        for (tone, line) in [of_devices].into_iter().chain(further) {
            let line = out.paint().dye(tone, &line);
            out.line(&line)?;
        }
        let is_leased = |device: &Device| look.leases.iter().any(|lease| lease.is_of(device));
        let of_leases = comparison.rows.iter().filter(|row| {
            sheet.is_reserved(row.planned) && matches!(row.state, State::Seen(device, _) if is_leased(device))
        });
        let of_leases = of_leases.count();
        if of_leases > 0 {
            let devices = counted(of_leases, "device");
            out.note(&format!("{devices} have their address by leases that were given here and run still"))?;
        }
        let out_of_reach = comparison.rows.iter().find(|row| matches!(row.state, State::NotAsked));
        if let Some(address) =
            out_of_reach.and_then(|row| row.planned.fixed_address()).filter(|_| !self.session.is_simulated())
        {
            out.note(&format!("to ask those out of reach too: deft-lantern adapters advise {address}"))?;
        }
        let fixtures = judged.fixtures.as_ref().is_some_and(|fixtures| fixtures.settable() > 0);
        let patched = judged.patches.rows.iter().any(|row| row.differences().iter().any(Difference::is_told));
        if comparison.different() > 0 || fixtures || patched {
            let fixtures = if fixtures { " --fixtures" } else { "" };
            out.hint(&format!("deft-lantern apply {}{fixtures} --dry-run", self.file.path.display()))?;
        }
        Ok(())
    }
}

/// What a look at the whole rig comes to, for papers.
pub(crate) struct Proof {
    /// The adapter it was made on.
    pub(crate) adapter: String,
    /// All of it in a sentence.
    pub(crate) summary: String,
    /// A row for each device.
    pub(crate) table: Texts,
    /// Of each area, how many pass, are to be looked at, and fail.
    pub(crate) areas: Vec<(String, usize, usize, usize)>,
    /// What is wrong.
    pub(crate) findings: Vec<Finding>,
    /// What each node told of how it takes trouble, by its name on the sheet.
    pub(crate) told: HashMap<String, Told>,
}

/// What a node told of how it takes trouble.
#[derive(Debug, Default)]
pub(crate) struct Told {
    /// What it does without data.
    pub(crate) on_data_loss: Option<String>,
    /// How it combines two sources, where it has outputs.
    pub(crate) merge: Option<String>,
    /// Whether its address comes by DHCP.
    pub(crate) dhcp: Option<bool>,
}

impl Told {
    fn by(node: &FoundNode) -> Self {
        let mut merges: BTreeMap<String, Vec<String>> = BTreeMap::new();
        for (number, _, port) in node.ports().filter(|(_, _, port)| port.direction == Direction::Out) {
            merges.entry(port.merge.to_string()).or_default().push(number.to_string());
        }
        let each = |(merge, ports): (&String, &Vec<String>)| format!("ports {}: {merge}", ports.join(", "));
        let merge = match merges.len() {
            0 => None,
            1 => merges.keys().next().cloned(),
            _ => Some(merges.iter().map(each).collect::<Vec<_>>().join("; ")),
        };
        Self { on_data_loss: node.on_data_loss.map(|loss| loss.to_string()), merge, dhcp: node.dhcp }
    }
}

/// Looks at the whole rig of this session's sheet.
pub(crate) fn proof(session: &Session, out: &mut Out) -> Result<Proof, Failure> {
    let Some(file) = session.sheet_file() else {
        return Err(Failure::Call("which sheet? Without one there is nothing to hand over".to_owned()));
    };
    let check = Check { session, file, part: Part::default(), on_cables: OnCables::Nothing, opened: Vec::new() };
    let look = check.look(out)?;
    let judged = check.judged(&look);
    let (findings, comparison) = (judged.findings(&file.sheet), judged.comparison);
    let area = |(name, tally): (Option<&str>, Tally)| {
        (name.unwrap_or("without an area").to_owned(), tally.pass, tally.look, tally.fail)
    };
    Ok(Proof {
        adapter: session.adapter().to_owned(),
        summary: show::summary(&comparison, &findings).1,
        table: show::table(&comparison, &file.sheet, &look).texts(),
        told: comparison
            .rows
            .iter()
            .filter_map(|row| match &row.state {
                State::Found(node, _) => Some((row.planned.name.value.clone(), Told::by(node))),
                _ => None,
            })
            .collect(),
        areas: comparison.by_area(&file.sheet).into_iter().map(area).collect(),
        findings,
    })
}

/// What is wrong on the wire around the nodes: addresses held twice, nodes out of reach, rivals. What is only worth a note
/// belongs to a survey.
fn around(look: &Look, sheet: &RigSheet) -> Vec<Finding> {
    let mut found = world_clashes(&look.census, &look.devices, &look.from, Some(sheet));
    // Two of one name differ from the plan in it, and the plan knows better names than a survey.
    found.retain(|finding| finding.rule.severity != Severity::Note && !is_same_name(finding));
    found.extend(held_addresses(sheet, &look.devices));
    found
}
