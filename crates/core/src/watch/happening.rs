//! What happens while somebody watches.

use std::fmt;
use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_wire::MacAddress;
use lantern_wire::ptp::ClockIdentity;

use crate::Said;
use crate::census::Way;
use crate::conversation::Shift;
use crate::facts::Field;

/// Something that happened.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Happening {
    /// When, since the watch began.
    pub at: Duration,
    /// To whom: a device by its name, or a universe.
    pub who: String,
    /// What.
    pub news: News,
}

/// What happened.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum News {
    /// A device came that was not here before.
    Came(Ipv4Addr),
    /// It was waited for, and is seen for the first time.
    Seen(Ipv4Addr),
    /// It answers nothing any more.
    Silent,
    /// It no longer answers in this way.
    Lacks(Way),
    /// It answers nothing any more, and is still heard.
    OnlyHeard,
    /// It answers again, after so long.
    Back(Duration),
    /// It answers in this way again.
    AnswersBy(Way),
    /// It has started anew: its own count of messages began again.
    Restarted,
    /// It has another address.
    Moved(Ipv4Addr, Ipv4Addr),
    /// Somebody else has its address too.
    Contested(Ipv4Addr, MacAddress),
    /// It tells something else than before.
    Changed(Shift),
    /// It reports something else than before.
    Reports(Said),
    /// It tells itself that this is not in order, and what would be.
    Trouble(Said, String),
    /// That is in order again.
    InOrder(Said),
    /// It has counted more damaged messages on its cable: so many before, so many now.
    LineGrows(u64, u64),
    /// It has counted more of these faults: so many before, so many now.
    Rises(Field, u64, u64),
    /// A source sends this universe now.
    SourceCame(String),
    /// A second source sends it with the same right.
    SecondSource(String),
    /// A source says that it sends it no more.
    SourceEnded(String),
    /// Nothing comes from this source any more.
    SourceWent(String),
    /// This clock leads its domain now.
    ClockLeads(ClockIdentity),
    /// This one leads it too.
    SecondClock(ClockIdentity),
    /// Nobody leads it any more.
    ClockWent(ClockIdentity),
    /// Questions are asked less often, since this part of all answers, in percent, is lost.
    Slower(u32),
    /// Questions are asked as often as meant.
    AsMeant,
}

impl News {
    /// A word for it, for files.
    #[must_use]
    pub const fn word(&self) -> &'static str {
        match self {
            Self::Came(_) => "came",
            Self::Seen(_) => "seen",
            Self::Silent => "silent",
            Self::Lacks(_) => "lacks",
            Self::OnlyHeard => "only-heard",
            Self::Back(_) => "back",
            Self::AnswersBy(_) => "answers-by",
            Self::Restarted => "restarted",
            Self::Moved(..) => "moved",
            Self::Contested(..) => "contested",
            Self::Changed(_) => "changed",
            Self::Reports(_) => "reports",
            Self::Trouble(..) => "trouble",
            Self::InOrder(_) => "in-order",
            Self::LineGrows(..) => "line-grows",
            Self::Rises(..) => "rises",
            Self::SourceCame(_) => "source-came",
            Self::SecondSource(_) => "second-source",
            Self::SourceEnded(_) => "source-ended",
            Self::SourceWent(_) => "source-went",
            Self::ClockLeads(_) => "clock-leads",
            Self::SecondClock(_) => "second-clock",
            Self::ClockWent(_) => "clock-went",
            Self::Slower(_) => "slower",
            Self::AsMeant => "as-meant",
        }
    }

    /// Whether it wants somebody to look.
    #[must_use]
    pub const fn is_bad(&self) -> bool {
        matches!(
            self,
            Self::Silent
                | Self::Lacks(_)
                | Self::OnlyHeard
                | Self::Contested(..)
                | Self::Trouble(..)
                | Self::LineGrows(..)
                | Self::Rises(..)
                | Self::SecondSource(_)
                | Self::SourceWent(_)
                | Self::SecondClock(_)
                | Self::ClockWent(_)
                | Self::Slower(_)
        )
    }

    /// Whether it is the end of something bad.
    #[must_use]
    pub const fn is_good(&self) -> bool {
        matches!(self, Self::Seen(_) | Self::Back(_) | Self::AnswersBy(_) | Self::AsMeant | Self::InOrder(_))
    }
}

impl fmt::Display for News {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Came(address) if address.is_unspecified() => f.write_str("came, and has no address"),
            Self::Came(address) => write!(f, "came, at {address}"),
            Self::Seen(address) => write!(f, "is here, at {address}"),
            Self::Silent => f.write_str("silent"),
            Self::Lacks(way) => write!(f, "no longer answers by {way}"),
            Self::OnlyHeard => f.write_str("answers nothing any more, and is still heard"),
            Self::Back(away) => {
                write!(f, "back after {}; desks that were on before may have to find it again", in_words(*away))
            }
            Self::AnswersBy(way) => write!(f, "answers by {way} again"),
            Self::Restarted => {
                f.write_str("has started anew; desks that were on before may have to find it again")
            }
            Self::Moved(from, to) => write!(f, "moved from {from} to {to}"),
            Self::Contested(address, mac) => write!(f, "{address} is held by {mac} too"),
            Self::Changed(shift) => {
                write!(f, "{}: {} → {}", shift.field, shift.before_in_words(), shift.after_in_words())
            }
            Self::Reports(report) => write!(f, "reports: {report}"),
            Self::Trouble(what, limits) if limits.is_empty() => what.fmt(f),
            Self::Trouble(what, limits) => write!(f, "{what}; in order is {limits}"),
            Self::InOrder(what) => write!(f, "in order again: {what}"),
            Self::Rises(field, before, now) => write!(f, "{field}: {before} → {now}, rising"),
            Self::LineGrows(before, now) => write!(f, "damaged messages on its cable: {before} → {now}"),
            Self::SourceCame(who) => write!(f, "sent by {who} now"),
            Self::SecondSource(who) => write!(f, "sent by {who} too, with the same right"),
            Self::SourceEnded(who) => write!(f, "{who} says that it sends it no more"),
            Self::SourceWent(who) => write!(f, "nothing more comes from {who}"),
            Self::ClockLeads(clock) => write!(f, "led by {clock} now"),
            Self::SecondClock(clock) => write!(f, "led by {clock} too: they do not hear each other"),
            Self::ClockWent(clock) => write!(f, "{clock} is announced no more, and nobody leads"),
            Self::Slower(lost) => write!(f, "{lost} % of all answers are lost: asking less often"),
            Self::AsMeant => f.write_str("answers come again: asking as often as meant"),
        }
    }
}

/// A time in words: `41 s`, `12 min`, `3 h 05 min`.
#[must_use]
pub fn in_words(time: Duration) -> String {
    match time.as_secs() {
        seconds @ 0..120 => format!("{seconds} s"),
        seconds @ 120..7200 => format!("{} min", seconds / 60),
        seconds => format!("{} h {:02} min", seconds / 3600, seconds / 60 % 60),
    }
}
