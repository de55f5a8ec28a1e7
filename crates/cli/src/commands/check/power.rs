//! A power cycle, walked through with a person: what nodes keep over it.

use lantern_core::compare::{Kept, after_power};
use lantern_core::conversation::{Concern, Shift};

use crate::failure::Failure;
use crate::output::{Out, Tone, counted, wrapped};
use crate::session::{Look, Session};

/// A person switches the nodes off and on. Gives what is seen afterwards, and whether anybody has not kept what it had.
pub(super) fn power_cycle(session: &Session, before: &Look, out: &mut Out) -> Result<(Look, bool), Failure> {
    let nodes = before.census.nodes().iter().filter(|node| node.is_node()).count();
    out.line(&format!(
        "{} answer now. Switch them off, wait until they are dark, and switch them on again.",
        counted(nodes, "node")
    ))?;
    let question = "Enter when they have started again: ";
    out.asked(question)?.ok_or(Failure::NobodyToAsk)?;
    let likely = before.census.nodes().iter().map(|node| node.address).collect();
    let after = session.look(Concern::Everybody, likely, out)?;
    let all = after_power(&before.census, &after.census);
    let kept = all.iter().filter(|one| one.kept == Kept::All).count();
    for one in &all {
        match &one.kept {
            Kept::All => {}
            Kept::Silent => {
                let word = out.paint().dye(Tone::Bad, "silent");
                out.line(&format!("{word}  {} has not come back", one.name))?;
            }
            Kept::Not(lost) => {
                let word = out.paint().dye(Tone::Bad, "not kept");
                let one_of = |shift: &Shift| {
                    format!("{} was {}, is {}", shift.field, shift.before_in_words(), shift.after_in_words())
                };
                let list: Vec<String> = lost.iter().map(one_of).collect();
                let text = format!("{word}  {}: {}", one.name, list.join("; "));
                out.line(&wrapped(&text, out.width(), 2))?;
            }
        }
    }
    out.line(&format!("{kept} of {} have kept what they had over power", counted(all.len(), "node")))?;
    out.line("")?;
    Ok((after, kept < all.len()))
}
