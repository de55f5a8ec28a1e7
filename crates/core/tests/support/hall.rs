//! A hall whose streams are patched by NMOS: a stage box that sends, an amplifier that receives and maps, and the sheet for them.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use lantern_core::census::{Census, Device, PatchPoint, Ways};
use lantern_core::change::{Change, ChangePlan, Part, Protection, plan_rig};
use lantern_core::compare::{Everybody, PatchComparison, compare_all, compare_patches};
use lantern_core::conversation::{Apply, ApplyEvent, Concern, Extent, Made, Outcome, SurveyPlan};
use lantern_core::facts::Field;
use lantern_core::sheet::RigSheet;
use lantern_sim::{Link, MemoryGround, PatchTruth, SimDevice};
use lantern_wire::MacAddress;

use super::{GUEST, ground_of, manner, protection, run, seat, seen_by, with_frames};

pub(crate) const OWN: MacAddress = MacAddress([2, 0, 0, 0, 0, 7]);

/// A stage box that sends, and an amplifier that receives and maps; each with these further keys.
pub(crate) fn scene(of_box: &str, of_amp: &str) -> String {
    format!(
        "[[device]]\nname = \"hall-box\"\nmac = \"02:4d:42:00:60:01\"\naddress = \"10.40.6.1\"\n\
         nmos = {{ label = \"Hall box\", senders = [\
         {{ label = \"Mix\", to = [\"239.69.9.9:5004\", \"239.79.9.9:5004\"], channels = [\"L\", \"R\"] }}, \
         {{ label = \"Talk\", to = [\"239.69.9.8:5004\"], channels = [\"1\"] }}]{of_box} }}\n\
         [[device]]\nname = \"hall-amp\"\nmac = \"02:4d:42:00:60:02\"\naddress = \"10.40.6.2\"\n\
         nmos = {{ label = \"Hall amp\", receivers = [\
         {{ label = \"In A\", legs = 2 }}, {{ label = \"In B\", from = [\"239.1.1.1:5004\"] }}], \
         inputs = [{{ id = \"in1\", label = \"Stream\", channels = [\"Left\", \"Right\", \"Sub\"] }}], \
         outputs = [{{ id = \"out1\", label = \"Speakers\", channels = [\"1\", \"2\"], map = [\"in1/2\"] }}]{of_amp} }}\n"
    )
}

/// The sheet that belongs to it.
pub(crate) fn sheet(further: &str) -> RigSheet {
    let text = format!(
        "[rig]\nname = \"hall\"\n[[network]]\nname = \"sound\"\nrange = \"10.40.0.0/16\"\n\
         [[node]]\nname = \"hall-box\"\nkind = \"streamer\"\naddress = \"10.40.6.1\"\n\
         [[node]]\nname = \"hall-amp\"\nkind = \"streamer\"\naddress = \"10.40.6.2\"\n\
         [[kind]]\nname = \"streamer\"\nmaker = \"Tessaquill\"\nmodel = \"Streamer\"\nports = 0\nspeaks = [\"nmos\"]\n\
         [[stream]]\nname = \"mix\"\ncarries = \"audio\"\nfrom = \"hall-box/Mix\"\nto = [\"hall-amp/In A\"]\n\
         group = \"239.69.10.1:5004\"\nsecond_group = \"239.79.10.1:5004\"\nchannels = 2\n{further}"
    );
    RigSheet::parse(&text).unwrap_or_else(|errors| panic!("{errors}"))
}

pub(crate) const MAP: &str =
    "[[channel_map]]\nnode = \"hall-amp\"\noutput = \"Speakers\"\nchannels = [\"Stream/Left\", \"in1/2\"]\n";

pub(crate) fn ground(devices: &str, loss: f64, seed: u64) -> MemoryGround {
    ground_of(devices, Link::new(loss, seed), OWN)
}

pub(crate) type Seen = (Census, Vec<Device>);

pub(crate) fn seen(ground: &mut MemoryGround, sheet: &RigSheet) -> Seen {
    let plan = SurveyPlan {
        vantage: with_frames(OWN),
        ways: Ways::ALL,
        extent: Extent::Whole(Duration::from_secs(3)),
        concern: Concern::of_sheet(sheet),
        likely: vec![Ipv4Addr::new(10, 40, 6, 1)],
        ..SurveyPlan::art_net(vec![seat()], Some(sheet.clone()), true)
    };
    seen_by(ground, plan)
}

pub(crate) fn compared<'a>(sheet: &'a RigSheet, seen: &Seen) -> PatchComparison<'a> {
    compare_patches(sheet, &seen.0, &seen.1)
}

pub(crate) fn planned(sheet: &RigSheet, seen: &Seen) -> ChangePlan {
    let seats = [seat()];
    let subnets = [seat().subnet];
    let everybody = Everybody { devices: &seen.1, asked_in: &subnets, own: &[GUEST], leases: &[] };
    let comparison = compare_all(sheet, &seen.0, everybody);
    let protection = Protection { devices: &seen.1, own: &[GUEST], ..protection(&seen.0, Some(sheet), &seats) };
    plan_rig(&comparison, None, Some(&compared(sheet, seen)), &protection, &Part::default())
}

/// Makes a plan's changes; gives what became of each, and everything that was told.
pub(crate) fn applied(ground: &mut MemoryGround, plan: &ChangePlan) -> (Vec<(String, Outcome)>, Vec<ApplyEvent>) {
    assert!(!plan.is_refused(), "{:?}", plan.findings);
    let mut apply = Apply::new(plan, with_frames(OWN), manner(20, 16));
    let (events, _) = run(&mut apply, ground);
    let outcome = |(change, made): (&Change, &Option<Made>)| {
        let name = change.planned_as.clone().unwrap_or_default();
        Some((name, made.as_ref()?.outcome.clone()))
    };
    let outcomes = plan.changes.iter().zip(apply.made()).filter_map(outcome).collect();
    (outcomes, events.into_iter().map(|(_, event)| event).collect())
}

pub(crate) fn wait(ground: &mut MemoryGround, time: Duration) {
    let until = ground.now() + time;
    while ground.run_until(until).is_some() {}
}

/// What one of them really is.
pub(crate) fn really(ground: &MemoryGround, label: &str) -> PatchTruth {
    let all = ground.devices().iter().flat_map(SimDevice::patches);
    all.into_iter().find(|one| one.label == label).unwrap_or_else(|| panic!("no {label}"))
}

pub(crate) fn at(text: &str) -> Option<SocketAddrV4> {
    Some(text.parse().unwrap())
}

pub(crate) fn point(seen: &Seen, label: &str) -> PatchPoint {
    let points = seen.0.patch_points();
    points.into_iter().find(|point| point.label().raw() == label).unwrap_or_else(|| panic!("no {label}"))
}

pub(crate) fn told(point: &PatchPoint, field: Field) -> String {
    point.unit.facts.get(field).map_or_else(|| "-".to_owned(), |value| field.in_words(value))
}
