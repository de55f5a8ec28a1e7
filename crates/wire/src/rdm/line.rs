//! What a device counted of its cable (E1.20, section 10.2.1, COMMS_STATUS): three counters, two bytes each.

/// Messages that came damaged. The counters stay at the highest value when they reach it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LineCounters {
    /// Too short.
    pub short: u16,
    /// Otherwise long than they said.
    pub mismatched: u16,
    /// With a wrong checksum.
    pub damaged: u16,
}

impl LineCounters {
    /// Reads the data of an answer; `None` when it is too short.
    #[must_use]
    pub fn read(data: &[u8]) -> Option<Self> {
        let [a, b, c, d, e, f] = *data.first_chunk()?;
        let [short, mismatched, damaged] = [[a, b], [c, d], [e, f]].map(u16::from_be_bytes);
        Some(Self { short, mismatched, damaged })
    }

    /// The data of the answer.
    #[must_use]
    pub fn to_bytes(self) -> Vec<u8> {
        [self.short, self.mismatched, self.damaged].into_iter().flat_map(u16::to_be_bytes).collect()
    }
}
