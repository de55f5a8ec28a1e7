//! What `set` patches: a sender, a receiver, or the channels of an output.

use std::net::SocketAddrV4;

use lantern_core::census::{Device, PatchPoint, PatchSort, Subject};
use lantern_core::change::{Part, Wish, plan_each};
use lantern_core::compare::{Wanted, routed};
use lantern_core::conversation::SurveyPlan;
use lantern_core::facts::{Field, Patched, Value};
use lantern_core::logbook::Order;
use lantern_core::sheet::WantedChannel;

use super::Args;
use crate::commands::changes::{Around, Errand, carry_out, let_settle};
use crate::commands::named;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::logbook_file::runs_of;
use crate::output::Out;
use crate::session::{Look, Session};

/// What is patched.
#[derive(Debug, clap::Args)]
pub(super) struct Patch {
    /// Of a receiver: the sender that it takes, as NODE/SENDER, or none; by NMOS
    #[arg(long, value_name = "NODE/SENDER")]
    from: Option<String>,

    /// Of a sender or receiver: its group and port, or none
    #[arg(long, value_name = "GROUP:PORT", value_parser = group)]
    group: Option<Value>,

    /// The same of its second leg
    #[arg(long, value_name = "GROUP:PORT", value_parser = group)]
    second_group: Option<Value>,

    /// Whether a sender sends, or a receiver receives; one that gets a sender does, unless this says off
    #[arg(long, value_name = "WORD", value_parser = ["on", "off"])]
    enabled: Option<String>,

    /// Of an output: where one of its channels comes from, as 1=Stream/2 or 1=none; may be given several times
    #[arg(long, value_name = "NUMBER=INPUT/CHANNEL", value_parser = channel)]
    channel: Vec<(u32, WantedChannel)>,
}

/// The word for no sender and no group.
const NONE: &str = "none";

fn group(text: &str) -> Result<Value, &'static str> {
    if text == NONE {
        return Ok(Value::Nothing);
    }
    let to: Result<SocketAddrV4, _> = text.parse();
    to.map(Value::Group).map_err(|_| "a group and port, as 239.69.10.1:5004, or none")
}

fn channel(text: &str) -> Result<(u32, WantedChannel), String> {
    const EXPECTED: &str = "a channel from 1 and where it comes from, as 1=Stream/2 or 1=none";
    let (number, from) = text.split_once('=').ok_or(EXPECTED)?;
    let number = number.parse().ok().filter(|number| *number > 0).ok_or(EXPECTED)?;
    Ok((number, from.parse().map_err(|_| EXPECTED)?))
}

impl Patch {
    pub(super) const fn is_given(&self) -> bool {
        self.from.is_some()
            || self.group.is_some()
            || self.second_group.is_some()
            || self.enabled.is_some()
            || !self.channel.is_empty()
    }

    /// Which sort it can only be about.
    const fn sort(&self) -> Option<PatchSort> {
        if self.from.is_some() {
            Some(PatchSort::Receiver)
        } else if !self.channel.is_empty() {
            Some(PatchSort::Output)
        } else {
            None
        }
    }

    fn wanted(&self, point: &PatchPoint, look: &Look, session: &Session) -> Result<Wanted, Failure> {
        let mut patch = Vec::new();
        match self.from.as_deref() {
            Some(NONE) => patch.push((Field::Sender, Value::Nothing)),
            Some(from) => {
                let sender = meant(from, Some(PatchSort::Sender), look, session)?;
                let label = sender.title();
                let sender = Patched { id: sender.unit.identity, channel: None, label: label.as_str().into() };
                patch.push((Field::Sender, Value::Patched(Box::new(sender))));
            }
            None => {}
        }
        let takes = self.from.as_deref().is_some_and(|from| from != NONE).then_some(true);
        let enabled = self.enabled.as_ref().map(|word| word == "on").or(takes);
        let of_legs = [(Field::Group, &self.group), (Field::SecondGroup, &self.second_group)];
        patch.extend(of_legs.into_iter().filter_map(|(field, value)| Some((field, value.clone()?))));
        patch.extend(enabled.map(|on| (Field::Enabled, Value::Flag(on))));
        let of_channel =
            |(number, from): &(u32, WantedChannel)| (Field::Channel(*number), routed(from, &point.choices));
        patch.extend(self.channel.iter().map(of_channel));
        Ok(Wanted { patch, ..Wanted::default() })
    }
}

/// Patches it, with the same care.
pub(super) fn set(args: &Args, session: &Session, out: &mut Out) -> Result<Exit, Failure> {
    let _alone = args.how.alone_on(session)?;
    let runs = runs_of(&session.logbook_path(), out)?;
    let_settle(&runs, &session.logbook_path(), out)?;
    let device = args.node.split('/').next().unwrap_or_default().to_owned();
    let plan = SurveyPlan {
        sheet: session.sheet().cloned(),
        ask_settings: true,
        reads_patches: true,
        likely: named::likely(&[device], session.sheet()),
        ..session.survey_plan()
    };
    let look = session.look_by(plan, out)?;
    let point = meant(&args.node, args.patch.sort(), &look, session)?;
    let wanted = args.patch.wanted(&point, &look, session)?;
    let around = Around::of(session, &look, &runs)?;
    let wish = Wish::asked_for(Subject::of_patch_point(&point), wanted);
    let plan = plan_each(&[wish], &around.protection());
    carry_out(session, &plan, &Errand::asked_for(Order::Set, Part::default(), session), args.how, out)
}

/// The point that is meant by `NODE/LABEL`, or by the name of its device where that has only one.
fn meant(named: &str, sort: Option<PatchSort>, look: &Look, session: &Session) -> Result<PatchPoint, Failure> {
    let cuts = named.match_indices('/').map(|(at, _)| (&named[..at], Some(named[at + 1..].trim())));
    let mut unknown = None;
    for (device, label) in std::iter::once((named, None)).chain(cuts) {
        match named::device(device.trim(), look, session.sheet()) {
            Ok(device) => return of_device(named, device, label, sort, look),
            Err(nobody) => unknown = Some(nobody),
        }
    }
    Err(unknown.unwrap_or_else(|| Failure::Call("name a sender, receiver or output: NODE/LABEL".to_owned())))
}

fn of_device(
    named: &str,
    device: &Device,
    label: Option<&str>,
    sort: Option<PatchSort>,
    look: &Look,
) -> Result<PatchPoint, Failure> {
    let mut own = look.census.patch_points();
    own.retain(|point| point.is_of(device) && sort.is_none_or(|sort| point.sort == sort));
    let what = sort.map_or("sender, receiver or output", PatchSort::word);
    let labels = |all: &[PatchPoint]| {
        let each: Vec<String> =
            all.iter().map(|point| format!("{} ({})", point.label(), point.sort.word())).collect();
        if each.is_empty() { "none".to_owned() } else { each.join(", ") }
    };
    let there = labels(&own);
    own.retain(|point| label.is_none_or(|label| point.label().raw() == label));
    match &own[..] {
        [only] => Ok(only.clone()),
        [] => Err(Failure::Call(format!("{named} is no {what}; {} has {there}", device.title()))),
        several => Err(Failure::Call(format!("{named} could be {}: name one, as NODE/LABEL", labels(several)))),
    }
}
