#![no_main]
//! Any packets as a stream: no panic, and what is counted is no more than what came and what its numbers leave room for.

use std::net::Ipv4Addr;
use std::time::Duration;

use lantern_core::flow::Flow;
use lantern_wire::rtp::Rtp;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let (mut flow, mut taken) = (None::<Flow>, 0);
    for (nth, chunk) in bytes.chunks(20).enumerate() {
        let Ok(packet) = Rtp::parse(chunk) else { continue };
        assert!(packet.payload <= chunk.len());
        let now = Duration::from_micros(nth as u64 * 1000);
        taken += 1;
        match &mut flow {
            Some(flow) => flow.take(now, &packet, chunk.len()),
            None => flow = Some(Flow::new(now, Ipv4Addr::LOCALHOST, &packet, chunk.len(), Some(packet.timestamp))),
        }
    }
    if let Some(flow) = flow {
        assert_eq!(flow.packets + flow.doubled, taken);
        assert!(flow.lost <= taken * 3000 && flow.rate().0.is_finite());
        let _ = flow.jitter();
    }
});
