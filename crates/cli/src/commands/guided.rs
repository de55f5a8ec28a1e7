//! A guided `apply`: the person plugs in, types and answers, the program looks, sets and checks, one after the other.

use std::collections::HashSet;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::MacAddress;
use lantern_core::census::Subject;
use lantern_core::change::{ByHand, ChangePlan, Compared, Guide, GuideStep, Part, Replug};
use lantern_core::compare::{compare_all, compare_fixtures, compare_patches};
use lantern_core::conversation::{Concern, OnCables, SurveyPlan};
use lantern_core::logbook::{Begun, Ending, Run, resume};
use lantern_core::sheet::{RigSheet, SheetNode};

use super::changes::{Around, Errand, HowToWrite, carry_out};
use super::hands::{Replugged, ask_to_replug};
use super::identify;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::logbook_file::{LogbookFile, runs_of};
use crate::output::{Out, Table, Tone, counted};
use crate::session::{Look, Session};

/// How long a unit flashes when a person asks which one it is.
const FLASH: Duration = Duration::from_secs(5);

/// A guided run under way.
pub(crate) struct Guided<'a> {
    session: &'a Session,
    sheet: &'a RigSheet,
    part: &'a Part,
    begun: &'a Begun,
    how: HowToWrite,
    guide: Guide,
    run: Option<String>,
    sheet_path: String,
    /// What the person says to have plugged in elsewhere, and nobody has looked yet.
    replugged: Option<Replugged>,
}

/// What a person answers.
pub(super) enum Answer {
    /// It is done, or: go on.
    Enter,
    Skip,
    Flash,
    Quit,
    Number(usize),
}

/// Guides through everything that the sheet wants. `resumed` is the run that is gone on with.
pub(crate) fn run(
    session: &Session,
    part: &Part,
    begun: &Begun,
    resumed: Option<&Run>,
    how: HowToWrite,
    out: &mut Out,
) -> Result<Exit, Failure> {
    let Some(file) = session.sheet_file() else { return Ok(Exit::Fine) };
    let mut guide = Guide::default();
    if let Some(run) = resumed {
        // Whoever was told apart then is known now.
        let mut sheet = file.sheet.clone();
        resume::learn_identities(run, &mut sheet);
        for node in &sheet.nodes {
            node.mac.iter().for_each(|mac| guide.learn(&node.name.value, mac.value));
        }
    }
    let mut guided = Guided {
        session,
        sheet: &file.sheet,
        part,
        begun,
        // Every step is shown, and begun by the person's own hand.
        how: HowToWrite { yes: true, ..how },
        guide,
        run: resumed.map(|run| run.id.clone()),
        sheet_path: file.path.display().to_string(),
        replugged: None,
    };
    guided.go(out)
}

impl Guided<'_> {
    fn go(&mut self, out: &mut Out) -> Result<Exit, Failure> {
        loop {
            let (step, look) = self.next(out)?;
            let goes_on = match step {
                GuideStep::Separate { address, units } => self.separate(address, &units, out)?,
                GuideStep::Make(plan) => self.make(&plan, out)?,
                GuideStep::Identify { unit, candidates } => self.identify(&unit, &candidates, &look, out)?,
                GuideStep::Replug(fixtures) => self.replug(fixtures, out)?,
                GuideStep::ByHand(by_hand) => self.by_hand(&by_hand, out)?,
                GuideStep::Connect { names } => self.connect(&names, out)?,
                GuideStep::Over(plan) => return self.over(Some(&plan), out),
            };
            if !goes_on {
                return self.over(None, out);
            }
        }
    }

    /// Looks who is there, and what is to be done next.
    fn next(&mut self, out: &mut Out) -> Result<(GuideStep, Look), Failure> {
        let runs = runs_of(&self.session.logbook_path(), out)?;
        let sheet = self.guide.sheet(self.sheet);
        let likely = sheet.nodes.iter().filter_map(SheetNode::fixed_address).collect();
        let on_cables = if self.begun.fixtures { OnCables::Read } else { OnCables::Nothing };
        let rediscovers = self.replugged.as_ref().map(Replugged::searched).unwrap_or_default();
        let whole = self.session.look_plan(Concern::Everybody, likely);
        let look = self.session.look_by(SurveyPlan { on_cables, rediscovers, ..whole }, out)?;
        let comparison = compare_all(&sheet, &look.census, look.everybody());
        let fixtures = self.begun.fixtures.then(|| compare_fixtures(&sheet, &look.census));
        let patches = compare_patches(&sheet, &look.census, &look.devices);
        if let Some(replugged) = self.replugged.take() {
            let rows = fixtures.iter().flat_map(|all| &all.rows);
            let there: HashSet<&str> =
                rows.filter(|row| row.is_on_its_cable()).map(|row| row.name.as_str()).collect();
            replugged.seen(|one| there.contains(one.name.as_str()), out)?;
        }
        let around = Around::of(self.session, &look, &runs)?;
        let protection = lantern_core::change::Protection { sheet: Some(&sheet), ..around.protection() };
        let compared = Compared { nodes: &comparison, fixtures: fixtures.as_ref(), patches: Some(&patches) };
        let step = self.guide.next(compared, &protection, self.part);
        Ok((step, look))
    }

    fn make(&mut self, plan: &ChangePlan, out: &mut Out) -> Result<bool, Failure> {
        self.guide.tried(plan);
        let errand = self.errand();
        carry_out(self.session, plan, &errand, self.how, out)?;
        let runs = runs_of(&self.session.logbook_path(), out)?;
        self.run = runs.last().map(|run| run.id.clone());
        Ok(true)
    }

    fn errand(&self) -> Errand {
        Errand {
            begun: Begun { resumed: self.run.is_some(), guided: true, ..self.begun.clone() },
            run: self.run.clone(),
            go_on: format!("deft-lantern apply {} --resume", self.sheet_path),
            page: None,
            take_back: Some(format!("deft-lantern undo --sheet {}", self.sheet_path)),
        }
    }

    fn separate(
        &mut self,
        address: Ipv4Addr,
        units: &[(MacAddress, String)],
        out: &mut Out,
    ) -> Result<bool, Failure> {
        out.line(&format!("{} have {address}:", counted(units.len(), "unit")))?;
        for (mac, name) in units {
            out.line(&format!("  {mac}  {name}"))?;
        }
        match ask("Unplug all of them but one. Enter when that is done, s to leave them, q to end: ", 0, out)? {
            Answer::Skip => self.guide.keep(address),
            Answer::Quit => return Ok(false),
            _ => {}
        }
        Ok(true)
    }

    /// Which node of the sheet is it? The person reads its label, lets it flash, or goes by order.
    fn identify(
        &mut self,
        unit: &Subject,
        candidates: &[String],
        look: &Look,
        out: &mut Out,
    ) -> Result<bool, Failure> {
        let (Some(mac), at) = (unit.mac(), unit.address()) else { return Ok(true) };
        out.line(&format!(
            "{} at {at} is not on the sheet. Its label says {mac}. Which one is it?",
            unit.title()
        ))?;
        for (number, name) in (1..).zip(candidates) {
            out.line(&format!("  {number}  {name}"))?;
        }
        let first = &candidates[0];
        let question =
            format!("A number, Enter for {first}, f to let it flash, s if it is none of them, q to end: ");
        loop {
            match ask(&question, candidates.len(), out)? {
                Answer::Enter => self.guide.learn(first, mac),
                Answer::Number(number) => self.guide.learn(&candidates[number - 1], mac),
                Answer::Skip => self.guide.pass(mac),
                Answer::Quit => return Ok(false),
                Answer::Flash => {
                    self.flash(unit, look, out)?;
                    continue;
                }
            }
            return Ok(true);
        }
    }

    fn flash(&self, unit: &Subject, look: &Look, out: &mut Out) -> Result<(), Failure> {
        let around = Around::of(self.session, look, &[])?;
        let plan = identify::to_flash(std::slice::from_ref(unit), &[], &around)?;
        identify::flash(self.session, &plan, || true, FLASH, out).map(drop)
    }

    fn replug(&mut self, fixtures: Vec<Replug>, out: &mut Out) -> Result<bool, Failure> {
        match ask_to_replug(&fixtures, out)? {
            Answer::Skip => fixtures.iter().for_each(|one| self.guide.skip(&one.name)),
            Answer::Quit => return Ok(false),
            _ => {
                let begun = self.errand().begun;
                let replugged = Replugged::said(self.session, self.run.clone(), &begun, fixtures)?;
                self.run = Some(replugged.run());
                self.replugged = Some(replugged);
            }
        }
        Ok(true)
    }

    fn by_hand(&mut self, step: &ByHand, out: &mut Out) -> Result<bool, Failure> {
        let mark = out.paint().dye(Tone::Doubtful, "by hand");
        let page =
            if step.address.is_unspecified() { String::new() } else { format!(" or at http://{}/", step.address) };
        out.line(&format!("{mark}  {}: {}", step.name, step.why))?;
        out.line(&format!("at the unit itself{page}, set:"))?;
        let mut table = Table::new(&["field", "it has", "type"]).unbroken(&["field"]);
        for one in &step.differences {
            table.row(vec![
                one.field.to_string().into(),
                one.found_in_words().into(),
                one.planned_in_words().into(),
            ]);
        }
        out.table(&table)?;
        match ask("Enter when that is done, s to skip it, q to end: ", 0, out)? {
            Answer::Skip => self.guide.skip(&step.name),
            Answer::Quit => return Ok(false),
            _ => out.note("looking whether it is so")?,
        }
        Ok(true)
    }

    fn connect(&mut self, names: &[String], out: &mut Out) -> Result<bool, Failure> {
        let first = &names[0];
        let (what, rest) = match names {
            [only] => (only.clone(), String::new()),
            _ => (counted(names.len(), "node"), format!(": {}", names.join(", "))),
        };
        out.line(&format!("{what} to come{rest}"))?;
        match ask(
            &format!("Connect the next one. Enter when that is done, s to skip {first}, q to end: "),
            0,
            out,
        )? {
            Answer::Skip => self.guide.skip(first),
            Answer::Quit => return Ok(false),
            _ => {}
        }
        Ok(true)
    }

    /// Says what is left, and writes down whether anything is. Without a plan the person ended it.
    fn over(&mut self, rest: Option<&ChangePlan>, out: &mut Out) -> Result<Exit, Failure> {
        if let Some(rest) = rest.filter(|rest| rest.is_refused()) {
            return Err(Failure::Refused(rest.findings.clone()));
        }
        let skipped: Vec<&str> = self.guide.skipped().collect();
        let is_whole = skipped.is_empty() && rest.is_some_and(|rest| rest.untouched.is_empty());
        let how = if is_whole { Ending::Done } else { Ending::Unfinished };
        // Also where nothing was sent yet: what was skipped is to be found again.
        LogbookFile::begin(&self.session.logbook_path(), self.run.clone(), &self.errand().begun)?.end(how)?;
        if is_whole {
            out.line(match self.part.is_everything() {
                true => "every node of the sheet is as it says",
                false => "all that was meant is as the sheet says",
            })?;
            return Ok(Exit::Fine);
        }
        for left in rest.iter().flat_map(|rest| &rest.untouched) {
            let mark = out.paint().dye(Tone::Doubtful, "left alone");
            out.line(&format!("{mark} {}: {}", left.name, left.why))?;
        }
        if !skipped.is_empty() {
            out.note(&format!("skipped: {}", skipped.join(", ")))?;
        }
        out.hint(&self.errand().go_on)?;
        Ok(Exit::Unfinished)
    }
}

/// What the person answers; asks again where that makes no sense. Whoever hangs up wants to end.
pub(super) fn ask(question: &str, numbers: usize, out: &mut Out) -> Result<Answer, Failure> {
    loop {
        let said = out.asked(question)?.ok_or(Failure::NobodyToAsk)?;
        let Some(said) = said else { return Ok(Answer::Quit) };
        match said.trim() {
            "" => return Ok(Answer::Enter),
            "s" | "skip" => return Ok(Answer::Skip),
            "q" | "quit" => return Ok(Answer::Quit),
            "f" | "flash" if numbers > 0 => return Ok(Answer::Flash),
            other => match other.parse() {
                Ok(number) if (1..=numbers).contains(&number) => return Ok(Answer::Number(number)),
                _ => out.note("that is none of the answers")?,
            },
        }
    }
}
