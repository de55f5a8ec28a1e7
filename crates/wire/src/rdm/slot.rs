//! What each slot of a device does (E1.20, section 10.6.4, SLOT_INFO): slot 2, sort 1, label 2, for each.

/// One slot.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Slot {
    /// Which one, from 0.
    pub offset: u16,
    /// 0 a primary slot; others refine one (appendix C-1).
    pub sort: u8,
    /// Of a primary slot what it does (appendix C-2), of any other the slot it refines.
    pub label: u16,
}

impl Slot {
    /// Reads the data of an answer; what is too short to be a slot is left out.
    #[must_use]
    pub fn read_all(data: &[u8]) -> Vec<Self> {
        let of = |d: &[u8; 5]| Self {
            offset: u16::from_be_bytes([d[0], d[1]]),
            sort: d[2],
            label: u16::from_be_bytes([d[3], d[4]]),
        };
        data.as_chunks::<5>().0.iter().map(of).collect()
    }

    /// Its bytes.
    #[must_use]
    pub fn to_bytes(self) -> Vec<u8> {
        let ([a, b], [c, d]) = (self.offset.to_be_bytes(), self.label.to_be_bytes());
        vec![a, b, self.sort, c, d]
    }
}
