//! Test levels: sent within limits, and always ended.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::Cid;
use lantern_core::census::FoundNode;
use lantern_core::conversation::{Concern, TryEvent, TryPlan, Trying};
use lantern_core::levels::Pattern;
use lantern_core::universe::Universe;
use lantern_core::{Direction, Protocol};

use super::{Args, show, wants};
use crate::commands::named;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Out, Tone, counted};
use crate::session::{Look, Session};

/// How long is sent where nothing is said.
const USUAL: Duration = Duration::from_secs(10);
/// The first bytes of our identifier; the adapter's MAC address ends it, so that receivers know us again.
const CID: [u8; 10] = [0x9d, 0x1e, 0x6b, 0x70, 0x3c, 0x52, 0x4f, 0x08, 0xa4, 0x17];

/// What is to be sent, if anything.
pub(super) fn pattern(args: &Args) -> Option<Pattern> {
    match args {
        Args { all: Some(level), .. } => Some(Pattern::all(*level)),
        Args { chase: true, .. } => Some(Pattern::Chase(u8::MAX)),
        Args { ramp: true, .. } => Some(Pattern::Ramp(u8::MAX)),
        Args { set, .. } if !set.is_empty() => Some(Pattern::of(set)),
        _ => None,
    }
}

/// Sends it.
pub(super) fn run(
    args: &Args,
    universe: Universe,
    pattern: Pattern,
    sheet: Option<SheetFile>,
    out: &mut Out,
) -> Result<Exit, Failure> {
    let length = args.length.unwrap_or(USUAL);
    if length > TryPlan::LONGEST {
        return Err(Failure::Call("test levels are sent for ten minutes at most: --for 10m".to_owned()));
    }
    let adapter = args.at.adapter.as_deref();
    let to = match universe {
        Universe::ArtNet(_) => {
            let session = Session::with_sheet(adapter, sheet.clone(), out)?;
            receivers(args, universe, &session, out)?
        }
        Universe::Sacn(_) => Vec::new(),
    };
    let session = Session::wanting(&wants(universe), adapter, sheet, out)?;
    let mac = session.adapter_facts().and_then(|adapter| adapter.mac).unwrap_or_default();
    let mut cid = [0; 16];
    cid[..10].copy_from_slice(&CID);
    cid[10..].copy_from_slice(&mac.0);
    let plan = TryPlan {
        universe,
        pattern,
        to: to.iter().map(|(address, _)| *address).collect(),
        rate: args.rate,
        length,
        beside_others: args.beside_others,
        cid: Cid(cid),
        priority: args.priority,
    };
    say(&plan, &to, out)?;
    if !args.yes {
        match out.confirmed("Send these levels? What hangs there may move or light up.")? {
            Some(true) => {}
            Some(false) => {
                out.line("nothing was sent")?;
                return Ok(Exit::Unfinished);
            }
            None => {
                return Err(Failure::Call(
                    "nobody is here to be asked; with --yes it is sent without asking".to_owned(),
                ));
            }
        }
    }
    send(&session, plan, out)
}

/// Which nodes get it: those that were named, or those that put the universe out.
fn receivers(
    args: &Args,
    universe: Universe,
    session: &Session,
    out: &mut Out,
) -> Result<Vec<(Ipv4Addr, String)>, Failure> {
    if !args.to.is_empty() {
        let look = named::look(session, &args.to, out)?;
        let subjects = named::subjects(&args.to, &look.census, session.sheet())?;
        return Ok(subjects.iter().map(|subject| (subject.address(), subject.title())).collect());
    }
    let look: Look = session.look(Concern::default(), Vec::new(), out)?;
    let puts_out = |node: &&FoundNode| {
        node.ports().any(|(_, _, port)| {
            port.direction == Direction::Out
                && port.protocol == Protocol::ArtNet
                && Universe::ArtNet(port.universe) == universe
        })
    };
    let found: Vec<(Ipv4Addr, String)> =
        look.census.nodes().iter().filter(puts_out).map(|node| (node.address, node.title())).collect();
    if found.is_empty() {
        return Err(Failure::Call(format!(
            "no node puts out {}; look with deft-lantern survey --show universes, or name one with --to",
            universe.in_words()
        )));
    }
    Ok(found)
}

/// What will be sent, before it is.
fn say(plan: &TryPlan, to: &[(Ipv4Addr, String)], out: &mut Out) -> Result<(), Failure> {
    let what = match &plan.pattern {
        Pattern::Still(slots) => {
            let lit: Vec<usize> = (0..slots.len()).filter(|slot| slots[*slot] > 0).collect();
            match (lit.first(), lit.last()) {
                (Some(first), Some(last)) if lit.len() == slots.len() => {
                    format!("all {} slots at {} of 255", last - first + 1, slots[*first])
                }
                (Some(first), Some(last)) if first == last => {
                    format!("slot {} at {} of 255, all others at 0", first + 1, slots[*first])
                }
                (Some(first), Some(last)) => {
                    format!(
                        "{} lit between {} and {}, all others at 0",
                        counted(lit.len(), "slot"),
                        first + 1,
                        last + 1
                    )
                }
                _ => "all slots at 0".to_owned(),
            }
        }
        Pattern::Chase(_) => "one slot after the other at full, two a second".to_owned(),
        Pattern::Ramp(_) => "all slots up to full and down again, in ten seconds".to_owned(),
    };
    let whom = match plan.universe {
        Universe::ArtNet(_) => {
            let names: Vec<String> = to.iter().map(|(address, name)| format!("{name} ({address})")).collect();
            names.join(", ")
        }
        Universe::Sacn(_) => format!("everybody who listens, with priority {}", plan.priority),
    };
    let seconds = plan.length.as_secs_f32();
    out.line(&format!("{}: {what}, for {seconds} s, to {whom}", plan.universe.in_words()))?;
    let end = match plan.universe {
        Universe::ArtNet(_) => {
            "then all at 0; Art-Net has no word for the end, so each node does what it is set to do without data; \
             killed by force, it may keep these levels"
        }
        Universe::Sacn(_) => {
            "then all at 0 and the word that no more comes; killed by force, receivers notice after 2.5 s"
        }
    };
    Ok(out.line(end)?)
}

fn send(session: &Session, plan: TryPlan, out: &mut Out) -> Result<Exit, Failure> {
    let (length, universe) = (plan.length, plan.universe);
    let mut trying = Trying::new(session.vantage(), plan);
    let mut refused = false;
    let mut disturbed = false;
    let progress = out.progress();
    let ran = session.run(&mut trying, |trying, now, event| {
        match event {
            Some(TryEvent::Refused) => refused = true,
            Some(TryEvent::Disturbed) => disturbed = true,
            Some(TryEvent::Began) => {}
            None => match trying.began() {
                Some(began) => progress.show(format!(
                    "sending, {:.0} s more; Ctrl-C ends it",
                    (began + length).saturating_sub(now).as_secs_f32()
                )),
                None => progress.show("listening whether anybody else sends it".to_owned()),
            },
        }
        Ok(())
    });
    drop(progress);
    let messages = trying.messages();
    let others = show::heads(session, trying.levels());
    // However it ended: a closed pipe, Ctrl-C, or the time was over.
    let mut release = trying.release();
    session.put_back(&mut release)?;
    ran?;
    if refused {
        others.iter().try_for_each(|line| out.line(line))?;
        out.error(&format!("somebody else sends {}: nothing was sent", universe.in_words()))?;
        out.hint("end it there, or send all the same with --beside-others: then levels are merged")?;
        return Ok(Exit::Wrong);
    }
    let sent = counted(usize::try_from(messages).unwrap_or(usize::MAX), "message");
    if disturbed {
        others.iter().try_for_each(|line| out.line(line))?;
        let word = out.paint().dye(Tone::Doubtful, "ended early");
        out.line(&format!("{word}: somebody else began to send {}; {sent}, released", universe.in_words()))?;
        return Ok(Exit::Wrong);
    }
    let word = out.paint().dye(Tone::Good, "released");
    out.line(&format!("{word} after {} s: {sent}", length.as_secs_f32()))?;
    Ok(Exit::Fine)
}
