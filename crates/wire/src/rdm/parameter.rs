//! Parameters of E1.20 (section 10), E1.37-1, and the reasons why one is refused (appendix A-17).
//!
//! A device may have others: its maker's own begin at [`OWN`]. Each is shown by [`name`] where it has one, and by its number.

use core::fmt;

use super::endpoint;

/// Fetch what waits: an answer that took time, a status, a change at the panel (section 10.3.1). Asked with a status type.
pub const QUEUED_MESSAGE: u16 = 0x0020;
/// What the device counted of its cable.
pub const COMMS_STATUS: u16 = 0x0015;
/// What the device has to say of itself. Asked with a status type.
pub const STATUS_MESSAGES: u16 = 0x0030;
/// Which parameters there are besides those that everybody has: two bytes each.
pub const SUPPORTED_PARAMETERS: u16 = 0x0050;
/// What a parameter of the maker's own is. Asked with its number.
pub const PARAMETER_DESCRIPTION: u16 = 0x0051;
/// What the device is in numbers.
pub const DEVICE_INFO: u16 = 0x0060;
/// The model, in words.
pub const MODEL_DESCRIPTION: u16 = 0x0080;
/// The maker, in words.
pub const MAKER_LABEL: u16 = 0x0081;
/// What its owner calls it, at most 32 bytes.
pub const DEVICE_LABEL: u16 = 0x0082;
/// Everything as delivered: told as one byte, set without data.
pub const FACTORY_DEFAULTS: u16 = 0x0090;
/// The software, in words.
pub const SOFTWARE_LABEL: u16 = 0x00c0;
/// The personality: told as number and count, set by its number.
pub const PERSONALITY: u16 = 0x00e0;
/// What a personality is. Asked with its number.
pub const PERSONALITY_DESCRIPTION: u16 = 0x00e1;
/// The first slot, 1 to 512: two bytes.
pub const START_ADDRESS: u16 = 0x00f0;
/// What each slot does.
pub const SLOT_INFO: u16 = 0x0120;
/// What a slot is called. Asked with its number.
pub const SLOT_DESCRIPTION: u16 = 0x0121;
/// What the device does when data stops (E1.37-1).
pub const FAIL_MODE: u16 = 0x0141;
/// What the device does when it starts (E1.37-1).
pub const STARTUP_MODE: u16 = 0x0142;
/// What a sensor is. Asked with its number.
pub const SENSOR_DEFINITION: u16 = 0x0200;
/// What a sensor tells. Asked with its number.
pub const SENSOR_VALUE: u16 = 0x0201;
/// How many hours it was on: four bytes.
pub const DEVICE_HOURS: u16 = 0x0400;
/// How many hours its lamp was on: four bytes.
pub const LAMP_HOURS: u16 = 0x0401;
/// How often its lamp was struck: four bytes.
pub const LAMP_STRIKES: u16 = 0x0402;
/// What its lamp does: one byte.
pub const LAMP_STATE: u16 = 0x0403;
/// What its lamp does when it starts: one byte.
pub const LAMP_ON_MODE: u16 = 0x0404;
/// How often it was switched on: four bytes.
pub const POWER_CYCLES: u16 = 0x0405;
/// Whether its display stands on its head: one byte, 0 no, 1 yes, 2 by itself.
pub const DISPLAY_INVERT: u16 = 0x0500;
/// How bright its display is: one byte.
pub const DISPLAY_LEVEL: u16 = 0x0501;
/// Whether pan turns the other way: one byte.
pub const PAN_INVERT: u16 = 0x0600;
/// Whether tilt turns the other way: one byte.
pub const TILT_INVERT: u16 = 0x0601;
/// Whether pan and tilt have changed places: one byte.
pub const PAN_TILT_SWAP: u16 = 0x0602;
/// Whether it shows which one it is: one byte, 0 or 1.
pub const IDENTIFY_DEVICE: u16 = 0x1000;
/// Start anew: set with 1 (warm) or 0xff (cold).
pub const RESET_DEVICE: u16 = 0x1001;
/// The first parameter of a maker's own.
pub const OWN: u16 = 0x8000;
/// The most bytes of a label.
pub const MOST_LABEL: usize = super::text::MOST;

/// What a parameter is called; `None` for one that the standards above do not name.
#[must_use]
pub const fn name(parameter: u16) -> Option<&'static str> {
    Some(match parameter {
        QUEUED_MESSAGE => "queued messages",
        COMMS_STATUS => "line counters",
        STATUS_MESSAGES => "status messages",
        SUPPORTED_PARAMETERS => "parameters",
        PARAMETER_DESCRIPTION => "parameter description",
        DEVICE_INFO => "device info",
        MODEL_DESCRIPTION => "model",
        MAKER_LABEL => "maker",
        DEVICE_LABEL => "label",
        FACTORY_DEFAULTS => "factory defaults",
        SOFTWARE_LABEL => "software",
        PERSONALITY => "personality",
        PERSONALITY_DESCRIPTION => "personality description",
        START_ADDRESS => "start address",
        SLOT_INFO => "slots",
        SLOT_DESCRIPTION => "slot description",
        FAIL_MODE => "on data loss",
        STARTUP_MODE => "at start",
        SENSOR_DEFINITION => "sensor",
        SENSOR_VALUE => "sensor value",
        DEVICE_HOURS => "hours",
        LAMP_HOURS => "lamp hours",
        LAMP_STRIKES => "lamp strikes",
        LAMP_STATE => "lamp",
        LAMP_ON_MODE => "lamp at start",
        POWER_CYCLES => "power cycles",
        DISPLAY_INVERT => "display invert",
        DISPLAY_LEVEL => "display level",
        PAN_INVERT => "pan invert",
        TILT_INVERT => "tilt invert",
        PAN_TILT_SWAP => "pan/tilt swap",
        IDENTIFY_DEVICE => "identify",
        RESET_DEVICE => "reset",
        endpoint::LIST => "endpoints",
        endpoint::LIST_CHANGE => "changes of endpoints",
        endpoint::IDENTIFY => "identify endpoint",
        endpoint::UNIVERSE => "endpoint universe",
        endpoint::MODE => "endpoint mode",
        endpoint::LABEL => "endpoint label",
        endpoint::RDM_TRAFFIC => "RDM of endpoint",
        endpoint::DISCOVERY_STATE => "discovery of endpoint",
        endpoint::BACKGROUND_DISCOVERY => "background discovery",
        endpoint::RESPONDERS => "responders of endpoint",
        _ => return None,
    })
}

/// The parameters told by [`SUPPORTED_PARAMETERS`]; half of one is left out.
#[must_use]
pub fn read_all(data: &[u8]) -> Vec<u16> {
    data.as_chunks::<2>().0.iter().map(|number| u16::from_be_bytes(*number)).collect()
}

/// The data that tells these parameters.
#[must_use]
pub fn write_all(parameters: &[u16]) -> Vec<u8> {
    parameters.iter().flat_map(|number| number.to_be_bytes()).collect()
}

/// A number of one, two or four bytes; `None` when it is none.
#[must_use]
pub fn number(data: &[u8]) -> Option<u32> {
    Some(match *data {
        [a] => u32::from(a),
        [a, b] => u32::from(u16::from_be_bytes([a, b])),
        [a, b, c, d] => u32::from_be_bytes([a, b, c, d]),
        _ => return None,
    })
}

/// Why a device refuses, as its answer says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Refusal(pub u16);

impl Refusal {
    /// It has no such parameter.
    pub const UNKNOWN: Self = Self(0);
    /// It cannot read the data.
    pub const FORMAT: Self = Self(1);
    /// It has the parameter, and it cannot be written.
    pub const WRITE_PROTECTED: Self = Self(4);
    /// It has the parameter, and this cannot be done with it.
    pub const CLASS: Self = Self(5);
    /// No value it takes.
    pub const OUT_OF_RANGE: Self = Self(6);
    /// Its buffer is full.
    pub const NO_ROOM: Self = Self(7);
    /// It has no such sub-device.
    pub const SUB_DEVICE: Self = Self(9);

    /// Whether the same may be taken when it is told again.
    #[must_use]
    pub const fn is_passing(self) -> bool {
        // Its own buffer is full, or that of whoever stands in for it.
        matches!(self.0, 7 | 10)
    }

    /// The reason in the data of an answer; one without is unknown.
    #[must_use]
    pub fn read(data: &[u8]) -> Self {
        data.first_chunk().map_or(Self::UNKNOWN, |code| Self(u16::from_be_bytes(*code)))
    }
}

impl fmt::Display for Refusal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self.0 {
            0 => "it does not know this parameter",
            1 => "it cannot read the form",
            2 => "a fault in the device",
            3 => "whoever stands in for it refuses",
            4 => "it is write-protected",
            5 => "it does not do this with the parameter",
            6 => "the value is out of its range",
            7 => "its buffer is full",
            8 => "the message is too large for it",
            9 => "it has no such sub-device",
            10 => "the buffer of whoever stands in for it is full",
            11 => "the action is not supported",
            12 => "it has no such endpoint",
            13 => "the endpoint is in another mode",
            14 => "nobody has this identifier",
            15 => "it has no such scope",
            _ => return write!(f, "reason {}", self.0),
        })
    }
}
