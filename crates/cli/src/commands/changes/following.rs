//! This computer goes along: where nodes of a plan are, or go, out of its reach, it takes an address beside them meanwhile.

use std::net::Ipv4Addr;

use lantern_core::adapter::{Advice, Known, Target, WantedOwn, advise};
use lantern_core::address::{AddressRange, Mask, Subnet};
use lantern_core::change::{Beyond, ChangePlan};

use super::HowToWrite;
use crate::commands::adapters::meanwhile::{self, Meanwhile};
use crate::failure::Failure;
use crate::output::Out;
use crate::session::Session;

/// A session that reaches what a plan is about, the plan that was made in it, and what is to be put back at the end.
pub(crate) struct Reach {
    pub(crate) session: Session,
    pub(crate) plan: ChangePlan,
    taken: Option<Meanwhile>,
}

impl Reach {
    /// The plan as `make` makes it, after this computer took an address beside those out of its reach, where it may.
    pub(crate) fn of(
        session: Session,
        how: HowToWrite,
        out: &mut Out,
        make: impl Fn(&Session, &mut Out) -> Result<ChangePlan, Failure>,
    ) -> Result<Self, Failure> {
        // A dry run changes nothing of this computer either.
        let is_live = !session.is_simulated() && !how.dry_run;
        let mut taken = if is_live { Meanwhile::left_behind(session.adapter())? } else { None };
        let mut plan = make(&session, out)?;
        if plan.beyond.is_empty() || session.is_simulated() || !meanwhile::is_allowed() {
            return Ok(Self { session, plan, taken });
        }
        let followed = follow(&session, &plan, how, &mut taken, out).and_then(|goes| {
            match goes {
                Goes::Not => return Ok((session, plan)),
                Goes::Would => {
                    plan.as_if_reached();
                    return Ok((session, plan));
                }
                Goes::Along => {}
            }
            let session = session.open_again(out)?;
            let plan = make(&session, out)?;
            Ok((session, plan))
        });
        match followed {
            Ok((session, plan)) => Ok(Self { session, plan, taken }),
            Err(failure) => {
                give_back(taken, out)?;
                Err(failure)
            }
        }
    }

    /// Puts back what was taken.
    pub(crate) fn give_back(self, out: &mut Out) -> Result<(), Failure> {
        give_back(self.taken, out)
    }
}

fn give_back(taken: Option<Meanwhile>, out: &mut Out) -> Result<(), Failure> {
    taken.map_or(Ok(()), |taken| taken.give_back(out))
}

/// Whether this computer goes along.
enum Goes {
    Along,
    /// It would, were this no dry run.
    Would,
    Not,
}

/// Takes an address in each subnet that is out of reach, after that was agreed to.
fn follow(
    session: &Session,
    plan: &ChangePlan,
    how: HowToWrite,
    taken: &mut Option<Meanwhile>,
    out: &mut Out,
) -> Result<Goes, Failure> {
    let wanted = proposals(session, plan)?;
    let list: Vec<String> = wanted.iter().filter_map(|one| Some(one.first()?.to_string())).collect();
    let (adapter, list) = (session.adapter(), list.join(" and "));
    let Some(facts) = session.adapter_facts().filter(|_| !list.is_empty()) else { return Ok(Goes::Not) };
    if how.dry_run {
        out.note(&format!("to reach them, {adapter} would take {list} while it lasts, and give it back"))?;
        return Ok(Goes::Would);
    }
    let question = format!("Take {list} on {adapter} while it lasts, and give it back at the end?");
    if !how.yes && !out.confirmed(&question)?.ok_or(Failure::NobodyToAsk)? {
        return Ok(Goes::Not);
    }
    let mut goes = Goes::Not;
    for proposals in &wanted {
        if let Some(address) = Meanwhile::take(taken, facts, proposals, session.sheet(), out)? {
            out.note(&format!("{adapter} has {address} while it lasts"))?;
            goes = Goes::Along;
        }
    }
    Ok(goes)
}

/// For each subnet that is out of reach addresses for this computer, the best first.
fn proposals(session: &Session, plan: &ChangePlan) -> Result<Vec<Vec<WantedOwn>>, Failure> {
    let sheet = session.sheet();
    let mut all: Vec<Vec<WantedOwn>> = Vec::new();
    let seen: Vec<Ipv4Addr> = plan.beyond.iter().map(|one| one.address).collect();
    for one in &plan.beyond {
        let reaches =
            |proposals: &Vec<WantedOwn>| proposals.first().is_some_and(|first| first.subnet.contains(one.address));
        if all.iter().any(reaches) {
            continue;
        }
        let known = Known { sheet, seen: &seen, adapter: Some(session.adapter()) };
        if let Advice::Take { proposals, .. } = advise(session.computer(), &target(one), &known)? {
            all.push(proposals);
        }
    }
    Ok(all)
}

/// Somebody out of reach. Where the sheet has a network around the address it says how wide that is, else the device itself.
fn target(one: &Beyond) -> Target {
    let around = |mask: Mask| Subnet::around(one.address, mask);
    let subnet = one.mask.filter(|_| !one.is_planned).map(around);
    Target { name: one.address.to_string(), range: AddressRange::from(one.address), subnet }
}
