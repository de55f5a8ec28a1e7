//! What a device is in numbers (E1.20, section 10.5.1, DEVICE_INFO).
//!
//! ```text
//!  0  2  version of RDM, 1.0            10  2  footprint, in slots
//!  2  2  model                          12  1  personality, from 1
//!  4  2  category                       13  1  how many personalities
//!  6  4  software                       14  2  start address, 0xffff for none
//!                                       16  2  how many sub-devices
//!                                       18  1  how many sensors
//! ```

/// The data of an answer to DEVICE_INFO.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct DeviceInfo {
    /// Which version of RDM it speaks: 1 and 0.
    pub version: [u8; 2],
    /// Its model, by its maker's number.
    pub model: u16,
    /// Which sort of device it is (appendix A-5).
    pub category: u16,
    /// The version of its software, as its maker counts.
    pub software: u32,
    /// How many slots it takes, 0 to 512.
    pub footprint: u16,
    /// The personality it is in, from 1.
    pub personality: u8,
    /// How many it has.
    pub personalities: u8,
    /// Its first slot, 1 to 512; [`DeviceInfo::NO_ADDRESS`] where it takes none.
    pub start_address: u16,
    /// How many sub-devices it has.
    pub sub_devices: u16,
    /// How many sensors it has.
    pub sensors: u8,
}

impl DeviceInfo {
    /// It takes no slots.
    pub const NO_ADDRESS: u16 = 0xffff;
    /// Length of the data, in bytes.
    pub const LENGTH: usize = 19;

    /// Reads the data; `None` when it is too short.
    #[must_use]
    pub fn read(data: &[u8]) -> Option<Self> {
        let d: &[u8; Self::LENGTH] = data.first_chunk()?;
        let word = |at: usize| u16::from_be_bytes([d[at], d[at + 1]]);
        Some(Self {
            version: [d[0], d[1]],
            model: word(2),
            category: word(4),
            software: u32::from_be_bytes([d[6], d[7], d[8], d[9]]),
            footprint: word(10),
            personality: d[12],
            personalities: d[13],
            start_address: word(14),
            sub_devices: word(16),
            sensors: d[18],
        })
    }

    /// The data of the answer.
    #[must_use]
    pub fn to_bytes(self) -> Vec<u8> {
        let mut out = self.version.to_vec();
        out.extend(self.model.to_be_bytes());
        out.extend(self.category.to_be_bytes());
        out.extend(self.software.to_be_bytes());
        out.extend(self.footprint.to_be_bytes());
        out.extend([self.personality, self.personalities]);
        out.extend(self.start_address.to_be_bytes());
        out.extend(self.sub_devices.to_be_bytes());
        out.push(self.sensors);
        out
    }
}
