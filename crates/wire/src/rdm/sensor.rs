//! Sensors (E1.20, section 10.7).
//!
//! ```text
//! SENSOR_DEFINITION  asked: number 1; told: number 1, what it measures 1, unit 1, prefix 1, range 2 + 2, normal 2 + 2,
//!                    what it keeps 1, text
//! SENSOR_VALUE       asked: number 1; told: number 1, now 2, lowest 2, highest 2, recorded 2
//! ```

use core::fmt;

use super::text;

/// What a sensor measures (appendix A-12).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Quantity(pub u8);

/// In which unit (appendix A-13), with its prefix (appendix A-14).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Unit {
    /// The unit.
    pub unit: u8,
    /// What to multiply by.
    pub prefix: u8,
}

/// What a sensor is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SensorDefinition {
    /// Its number, from 0.
    pub number: u8,
    /// What it measures.
    pub quantity: Quantity,
    /// In which unit.
    pub unit: Unit,
    /// The lowest and the highest it can tell.
    pub range: [i16; 2],
    /// The lowest and the highest that is in order; `i16::MIN` and `i16::MAX` where there is no such limit.
    pub normal: [i16; 2],
    /// Whether it keeps the lowest and highest.
    pub keeps_extremes: bool,
    /// Whether it can record.
    pub records: bool,
    /// What it is called.
    pub name: String,
}

/// What a sensor tells; zero for what it does not keep.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SensorValue {
    /// Its number.
    pub number: u8,
    /// The present value.
    pub now: i16,
    /// The lowest since it was reset.
    pub lowest: i16,
    /// The highest since it was reset.
    pub highest: i16,
    /// What was recorded last.
    pub recorded: i16,
}

impl SensorDefinition {
    const RECORDS: u8 = 1;
    const KEEPS: u8 = 2;

    /// Reads the data of an answer; `None` when it is too short.
    #[must_use]
    pub fn read(data: &[u8]) -> Option<Self> {
        let (d, name): (&[u8; 13], &[u8]) = data.split_first_chunk()?;
        let word = |at: usize| i16::from_be_bytes([d[at], d[at + 1]]);
        Some(Self {
            number: d[0],
            quantity: Quantity(d[1]),
            unit: Unit { unit: d[2], prefix: d[3] },
            range: [word(4), word(6)],
            normal: [word(8), word(10)],
            records: d[12] & Self::RECORDS != 0,
            keeps_extremes: d[12] & Self::KEEPS != 0,
            name: text::read(name),
        })
    }

    /// The data of the answer.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = vec![self.number, self.quantity.0, self.unit.unit, self.unit.prefix];
        self.range.iter().chain(&self.normal).for_each(|limit| out.extend(limit.to_be_bytes()));
        let keeps = if self.keeps_extremes { Self::KEEPS } else { 0 };
        out.push(keeps | if self.records { Self::RECORDS } else { 0 });
        out.extend(text::write(&self.name));
        out
    }

    /// Whether a value is in order.
    #[must_use]
    pub const fn is_normal(&self, value: i16) -> bool {
        self.normal[0] <= value && value <= self.normal[1]
    }
}

impl SensorValue {
    /// Reads the data of an answer. Some leave out what they do not keep; `None` when even the present value is missing.
    #[must_use]
    pub fn read(data: &[u8]) -> Option<Self> {
        let (number, rest) = data.split_first()?;
        let mut words = rest.as_chunks::<2>().0.iter().map(|word| i16::from_be_bytes(*word));
        let now = words.next()?;
        let mut or_nothing = || words.next().unwrap_or(0);
        Some(Self { number: *number, now, lowest: or_nothing(), highest: or_nothing(), recorded: or_nothing() })
    }

    /// The data of the answer.
    #[must_use]
    pub fn to_bytes(self) -> Vec<u8> {
        let words = [self.now, self.lowest, self.highest, self.recorded];
        [self.number].into_iter().chain(words.into_iter().flat_map(i16::to_be_bytes)).collect()
    }
}

impl fmt::Display for Quantity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self.0 {
            0x00 => "temperature",
            0x01 => "voltage",
            0x02 => "current",
            0x03 => "frequency",
            0x04 => "resistance",
            0x05 => "power",
            0x0d => "angle",
            0x0e => "position",
            0x0f => "speed",
            0x14 => "time",
            0x15 => "humidity",
            0x1b => "light level",
            other => return write!(f, "quantity 0x{other:02x}"),
        })
    }
}

impl fmt::Display for Unit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let prefix = match self.prefix {
            0x00 => "",
            0x01 => "d",
            0x02 => "c",
            0x03 => "m",
            0x04 => "µ",
            0x11 => "da",
            0x12 => "h",
            0x13 => "k",
            0x14 => "M",
            other => return write!(f, "unit 0x{:02x}, prefix 0x{other:02x}", self.unit),
        };
        let unit = match self.unit {
            0x00 => "",
            0x01 => "°C",
            0x02 => "V DC",
            0x03 => "V peak",
            0x04 => "V RMS",
            0x05 => "A DC",
            0x06 => "A peak",
            0x07 => "A RMS",
            0x08 => "Hz",
            0x09 => "Ω",
            0x0a => "W",
            0x12 => "m",
            0x15 => "kg",
            0x19 => "s",
            0x1a => "°",
            other => return write!(f, "unit 0x{other:02x}"),
        };
        write!(f, "{prefix}{unit}")
    }
}
