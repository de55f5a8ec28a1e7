//! Clocks that announce themselves: one leads each domain, and streams follow one that is there.

use std::collections::{BTreeMap, BTreeSet};

use lantern_wire::ptp::ClockIdentity;

use super::named;
use crate::census::{Census, Clock, Stream};
use crate::finding::{Finding, Rule, Severity};

pub(super) static RULES: &[&Rule] = &[&TWO_LEAD, &OTHER_CLOCK, &LOST];

static TWO_LEAD: Rule = Rule {
    code: "W018",
    severity: Severity::Error,
    title: "two grandmasters lead one domain",
    why: "units follow either of them, and what they play drifts apart until it clicks or drops out",
};
static OTHER_CLOCK: Rule = Rule {
    code: "W019",
    severity: Severity::Warning,
    title: "a stream follows a clock that nobody announces",
    why: "receivers that follow another clock drop or double samples again and again",
};
static LOST: Rule = Rule {
    code: "W020",
    severity: Severity::Warning,
    title: "a grandmaster has lost its time reference",
    why: "it drifts from the time of day, and leads the others along until another one is better",
};

/// What is wrong with the clocks of a network.
pub(super) fn clashes(census: &Census) -> Vec<Finding> {
    let clocks = census.surroundings().clocks;
    let mut findings = two_lead(&clocks);
    findings.extend(clocks.iter().filter(|clock| clock.is_grandmaster()).filter_map(lost));
    findings.extend(other_clock(&clocks, &census.streams()));
    findings
}

/// Two in one domain at the same time. One that falls silent as another begins has made way for it, as it should.
fn two_lead(clocks: &[Clock]) -> Vec<Finding> {
    let mut by_domain: BTreeMap<u8, Vec<&Clock>> = BTreeMap::new();
    for clock in clocks {
        by_domain.entry(clock.domain).or_default().push(clock);
    }
    let finding = |(domain, all): (u8, Vec<&Clock>)| {
        let is_rival = |clock: &&Clock| {
            all.iter().any(|other| other.grandmaster != clock.grandmaster && other.is_beside(clock))
        };
        let leaders: BTreeSet<ClockIdentity> =
            all.iter().copied().filter(is_rival).map(|clock| clock.grandmaster).collect();
        let who = |leader: &ClockIdentity| {
            let clock = all.iter().find(|clock| clock.grandmaster == *leader);
            let told = clock.map_or_else(String::new, |clock| {
                format!(" (priority {}, {}, from {})", clock.priority1, clock.class_in_words(), clock.address)
            });
            format!("{leader}{told}")
        };
        let names = named(leaders.iter().map(who), " and ");
        (!leaders.is_empty()).then(|| {
            TWO_LEAD.finding(
                format!("domain {domain} is led by {names}"),
                "they do not hear each other, or one must not give way: see that the switches between carry 224.0.1.129, or \
                 switch one off",
            )
        })
    };
    by_domain.into_iter().filter_map(finding).collect()
}

fn lost(clock: &Clock) -> Option<Finding> {
    matches!(clock.class, 7 | 14 | 52 | 58 | 187 | 193).then(|| {
        let Clock { grandmaster, address, domain, .. } = clock;
        LOST.finding(
            format!("{grandmaster} at {address} leads domain {domain} and {}", clock.class_in_words()),
            "look at its antenna or reference input",
        )
    })
}

/// Streams that state a clock which is not announced, where any is.
fn other_clock(clocks: &[Clock], streams: &[Stream]) -> Option<Finding> {
    let follows = |stream: &Stream| {
        let (identity, domain) = stated(stream.clock.as_ref()?.raw())?;
        let is_there =
            clocks.iter().any(|clock| clock.grandmaster == identity && domain.is_none_or(|d| d == clock.domain));
        let domain = domain.map(|domain| format!(" in domain {domain}")).unwrap_or_default();
        (!is_there).then(|| format!("{} follows {identity}{domain}", stream.session))
    };
    let wrong: Vec<String> = streams.iter().filter(|stream| !stream.over).filter_map(follows).collect();
    let there: BTreeSet<String> =
        clocks.iter().map(|clock| format!("{} in domain {}", clock.grandmaster, clock.domain)).collect();
    (!wrong.is_empty() && !clocks.is_empty()).then(|| {
        let what = format!("{}; announced is {}", named(&wrong, ", "), named(&there, ", "));
        OTHER_CLOCK.finding(what, "give the sender's clock the same domain, or let its stream be described anew")
    })
}

/// The clock and domain that a description states (RFC 7273, section 4.3); `None` for one that is not by PTP, or traceable.
fn stated(clock: &str) -> Option<(ClockIdentity, Option<u8>)> {
    let (_, rest) = clock.strip_prefix("ptp=")?.split_once(':')?;
    let (identity, domain) =
        rest.split_once(':').map_or((rest, None), |(identity, domain)| (identity, Some(domain)));
    let domain = domain.map(|text| text.trim_start_matches("domain-nmbr=").parse());
    Some((identity.trim().parse().ok()?, domain.transpose().ok()?))
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case("ptp=IEEE1588-2008:39-A7-94-FF-FE-07-CB-D0:4", Some(Some(4)))]
    #[case("ptp=IEEE1588-2019:39-A7-94-FF-FE-07-CB-D0:domain-nmbr=4", Some(Some(4)))]
    #[case("ptp=IEEE1588-2008:39-A7-94-FF-FE-07-CB-D0", Some(None))]
    #[case("ptp=IEEE1588-2008:traceable", None)]
    #[case("ptp=IEEE1588-2008:39-A7-94-FF-FE-07-CB-D0:four", None)]
    #[case("localmac=00-1D-C1-00-00-01", None)]
    #[case("ptp=", None)]
    fn stated_clocks_are_read(#[case] text: &str, #[case] domain: Option<Option<u8>>) {
        let read = stated(text);
        assert_eq!(read.map(|(_, domain)| domain), domain);
        assert!(read.is_none_or(|(identity, _)| identity.to_string() == "39-A7-94-FF-FE-07-CB-D0"));
    }
}
