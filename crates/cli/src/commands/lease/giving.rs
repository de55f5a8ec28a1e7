//! Addresses are given, and every line is on disk before the answer leaves.

use std::net::Ipv4Addr;
use std::ops::ControlFlow;
use std::time::Duration;

use lantern_core::MacAddress;
use lantern_core::conversation::{LeaseNews, Leasing, LeasingStage};
use lantern_core::lease::{FORMAT, LeaseLine};

use super::kept::Kept;
use super::show;
use crate::clock;
use crate::failure::Failure;
use crate::interrupt::{self, Calm};
use crate::output::Out;
use crate::session::Session;

/// Gives until somebody ends it, then tells everybody to keep what it has. Ended a second time, it ends at once.
pub(super) fn give(
    session: &Session,
    leasing: &mut Leasing,
    mut kept: Kept,
    timeout: Option<Duration>,
    out: &mut Out,
) -> Result<(), Failure> {
    let _calm = Calm::begin();
    out.note("looking for other DHCP servers, for four seconds; Ctrl-C ends it, and tells every unit to keep its address")?;
    match run(session, leasing, &mut kept, timeout, out) {
        Err(Failure::Interrupted { .. }) => interrupt::forget(),
        Err(failure @ Failure::Output(_)) => return tell_unseen(session, leasing, failure),
        other => other?,
    }
    if leasing.rival().is_some() {
        return Ok(());
    }
    leasing.turn_to_end();
    match run(session, leasing, &mut kept, None, out) {
        Err(Failure::Interrupted { .. }) => {
            interrupt::forget();
            Ok(())
        }
        Err(failure @ Failure::Output(_)) => tell_unseen(session, leasing, failure),
        other => other,
    }
}

/// Nobody reads any more what is said here, but units that are not told to keep their address lose it.
fn tell_unseen(session: &Session, leasing: &mut Leasing, failure: Failure) -> Result<(), Failure> {
    leasing.turn_to_end();
    session.put_back(leasing)?;
    Err(failure)
}

/// Runs it until it is over, or somebody ends it.
fn run(
    session: &Session,
    leasing: &mut Leasing,
    kept: &mut Kept,
    timeout: Option<Duration>,
    out: &mut Out,
) -> Result<(), Failure> {
    let progress = out.progress();
    session.run_until_left(leasing, |leasing, now, news| {
        match news {
            Some(news) => {
                write(kept, &news)?;
                progress.suspend(|| show::news(&news, leasing, out))?;
            }
            None => progress.show(state(leasing)),
        }
        let is_over = timeout.is_some_and(|timeout| timeout <= now);
        Ok(if is_over { ControlFlow::Break(()) } else { ControlFlow::Continue(()) })
    })
}

/// Renewals of what is written down already are not written again.
fn write(kept: &mut Kept, news: &LeaseNews) -> Result<(), Failure> {
    let line = |mac: &MacAddress, node: &Option<String>, address: &Ipv4Addr| {
        let (format, at) = (FORMAT, clock::now().to_string());
        LeaseLine {
            format,
            at,
            mac: *mac,
            node: node.clone(),
            address: *address,
            seconds: 0,
            mask: None,
            gateway: None,
        }
    };
    match news {
        LeaseNews::Given { mac, node, address, mask, gateway, seconds, is_new, is_kept }
            if *is_new || *is_kept =>
        {
            kept.write(LeaseLine {
                seconds: *seconds,
                mask: Some(*mask),
                gateway: *gateway,
                ..line(mac, node, address)
            })
        }
        LeaseNews::Released { mac, node, address } => kept.write(line(mac, node, address)),
        _ => Ok(()),
    }
}

fn state(leasing: &Leasing) -> String {
    if leasing.is_looking() {
        return "looking for other DHCP servers".to_owned();
    }
    let stages: Vec<LeasingStage> = leasing.stages().map(|(_, stage)| stage).collect();
    let count = |wanted: &[LeasingStage]| stages.iter().filter(|stage| wanted.contains(stage)).count();
    let has = count(&[LeasingStage::Short, LeasingStage::Kept]);
    if leasing.is_ending() {
        return format!(
            "{} of {has} told to keep their address; Ctrl-C ends at once",
            count(&[LeasingStage::Kept])
        );
    }
    let next = leasing.next().map(|name| format!("; the next unknown one is {name}")).unwrap_or_default();
    format!("{has} of {} have their address{next}; Ctrl-C ends it", stages.len())
}
