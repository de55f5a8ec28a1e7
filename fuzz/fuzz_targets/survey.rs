#![no_main]
//! Frames of any bytes into a whole survey: no panic, nothing grows, devices can always be put together.

use std::time::Duration;

use lantern_core::census::Ways;
use lantern_core::conversation::{Conversation, Heard, Means, Seat, Survey, SurveyPlan};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let seat = Seat {
        own: [10, 40, 0, 7].into(),
        subnet: "10.40.0.0/24".parse().expect("a subnet"),
        limited_broadcast: true,
    };
    let means = Means { frames: true, echo: false, neighbours: false };
    let mut survey = Survey::new(SurveyPlan { ways: Ways::ALL, ..SurveyPlan::art_net(vec![seat], None, true).with_means(means) });
    survey.wake(Duration::ZERO);
    // Each frame is led by its length.
    let mut rest = bytes;
    while let Some((length, tail)) = rest.split_first() {
        let (frame, tail) = tail.split_at(tail.len().min(usize::from(*length)));
        survey.hear(Duration::from_millis(5), &Heard::Frame(frame));
        survey.hear(Duration::from_millis(5), &Heard::Packet(frame));
        rest = tail;
    }
    while survey.next_send().is_some() {}
    let _ = survey.census().devices(&survey.viewpoint());
});
