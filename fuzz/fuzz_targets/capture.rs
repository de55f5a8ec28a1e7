#![no_main]
//! Any bytes as a capture file: an error or a partial result, never a panic.

use std::io::Write;
use std::time::Duration;

use lantern_core::conversation::{Extent, Survey, SurveyPlan};
use lantern_net::{Capture, replay};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let mut file = tempfile::NamedTempFile::new().expect("a file");
    file.write_all(bytes).expect("the file is written");
    if let Ok(mut capture) = Capture::open(file.path()) {
        let plan = SurveyPlan::art_net(capture.seats().to_vec(), None, false);
        let mut survey = Survey::new(SurveyPlan { extent: Extent::Listen(Duration::MAX), ..plan });
        let _ = replay(&mut survey, &mut capture, |_, _, _| {});
    }
});
