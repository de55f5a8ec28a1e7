//! The value of a parameter that is its maker's own, as the unit describes it (E1.20, section 10.4.2).

use std::fmt;

use lantern_wire::rdm::{Description, Form, Unit};
use serde::{Deserialize, Serialize};

use crate::Said;

/// A value and what is known of it. Where the unit says nothing of the parameter, there are its bytes alone.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct OwnValue {
    /// What the parameter is called; empty where the unit does not say.
    pub name: Said,
    /// What its bytes hold; 0 where the unit does not say.
    form: u8,
    /// Unit and prefix of its values.
    unit: [u8; 2],
    /// The lowest and the highest value.
    range: [i64; 2],
    /// The value as delivered.
    pub default: i64,
    /// Whether it can be set.
    pub is_set: bool,
    /// The most bytes of it.
    length: u8,
    /// Its bytes.
    data: Vec<u8>,
}

/// How many bytes one number of this form has, and whether it has a sign; `None` where it holds no numbers.
const fn number(form: u8) -> Option<(usize, bool)> {
    match Form(form) {
        Form::BYTE => Some((1, false)),
        Form::SIGNED_BYTE => Some((1, true)),
        Form::WORD => Some((2, false)),
        Form::SIGNED_WORD => Some((2, true)),
        Form::LONG => Some((4, false)),
        Form::SIGNED_LONG => Some((4, true)),
        _ => None,
    }
}

/// The number that these bytes, at most four, hold.
fn read_number(bytes: &[u8], is_signed: bool) -> i64 {
    let value = bytes.iter().fold(0_i64, |value, byte| value << 8 | i64::from(*byte));
    let limit = 1_i64 << (8 * bytes.len());
    if is_signed && value >= limit / 2 { value - limit } else { value }
}

impl OwnValue {
    /// A parameter that the unit describes; nothing is told of its value yet.
    #[must_use]
    pub fn described(about: &Description) -> Self {
        // The fields of the description are four bytes wide, whatever the value is.
        let is_signed = number(about.form.0).is_some_and(|(_, is_signed)| is_signed);
        let wide = |value: u32| read_number(&value.to_be_bytes(), is_signed);
        Self {
            name: about.name.as_str().into(),
            form: about.form.0,
            unit: [about.unit.unit, about.unit.prefix],
            range: about.range.map(wide),
            default: wide(about.default),
            is_set: about.is_set,
            length: about.length,
            data: Vec::new(),
        }
    }

    /// A parameter of which nothing is known.
    #[must_use]
    pub fn undescribed() -> Self {
        let (name, unit, range) = (Said::default(), [0, 0], [0, 0]);
        Self { name, form: 0, unit, range, default: 0, is_set: false, length: 0, data: Vec::new() }
    }

    /// The same parameter with these bytes.
    #[must_use]
    pub fn with_data(&self, data: &[u8]) -> Self {
        Self { data: data.to_vec(), ..self.clone() }
    }

    /// Its bytes.
    #[must_use]
    pub fn data(&self) -> &[u8] {
        &self.data
    }

    /// What it can be, in words.
    #[must_use]
    pub fn takes(&self) -> String {
        match (number(self.form), Form(self.form)) {
            (Some(_), _) => {
                let [low, high] = self.range;
                format!("{low} to {high}{}", self.in_unit())
            }
            (None, Form::TEXT) => format!("a text of at most {} bytes", self.length),
            _ => String::new(),
        }
    }

    fn in_unit(&self) -> String {
        let [unit, prefix] = self.unit;
        let unit = Unit { unit, prefix }.to_string();
        if unit.is_empty() { unit } else { format!(" {unit}") }
    }

    /// The same parameter with what somebody typed: a number, several in a row, or a text, as the unit says.
    ///
    /// # Errors
    /// What it can be.
    pub fn read(&self, text: &str) -> Result<Self, String> {
        let named = if self.name.is_empty() { "this parameter".to_owned() } else { self.name.to_string() };
        if !self.is_set {
            return Err(format!("{named} can only be read"));
        }
        let most = usize::from(self.length);
        let data = match (number(self.form), Form(self.form)) {
            (Some((width, _)), _) => {
                let one = |word: &str| {
                    let value: i64 = word.parse().ok()?;
                    let fits = (self.range[0]..=self.range[1]).contains(&value);
                    fits.then(|| value.to_be_bytes()[8 - width..].to_vec())
                };
                text.split_whitespace().map(one).collect::<Option<Vec<_>>>().map(|all| all.concat())
            }
            (None, Form::TEXT) => Some(text.as_bytes().to_vec()),
            _ => return Err(format!("the unit does not say how {named} is written")),
        };
        let data = data.filter(|data| !data.is_empty() && data.len() <= most);
        data.map(|data| self.with_data(&data)).ok_or_else(|| format!("{named} is {}", self.takes()))
    }
}

impl fmt::Display for OwnValue {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (number(self.form), Form(self.form)) {
            (Some((width, is_signed)), _) if !self.data.is_empty() && self.data.len().is_multiple_of(width) => {
                let numbers = self.data.chunks(width).map(|bytes| read_number(bytes, is_signed).to_string());
                write!(f, "{}{}", numbers.collect::<Vec<_>>().join(" "), self.in_unit())
            }
            (None, Form::TEXT) => Said::from(String::from_utf8_lossy(&self.data).as_ref()).fmt(f),
            _ if self.data.is_empty() => f.write_str("(empty)"),
            _ => {
                f.write_str("0x")?;
                self.data.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    fn about(form: Form, length: u8, range: [i32; 2]) -> OwnValue {
        OwnValue::described(&Description {
            parameter: 0x8001,
            length,
            form,
            is_told: true,
            is_set: true,
            unit: Unit { unit: 1, prefix: 0 },
            range: range.map(i32::cast_unsigned),
            default: 0,
            name: "fan".to_owned(),
        })
    }

    #[rstest]
    #[case::byte(Form::BYTE, 1, [0, 200], "7", &[7], "7 °C")]
    #[case::signed(Form::SIGNED_BYTE, 1, [-20, 20], "-7", &[0xf9], "-7 °C")]
    #[case::word(Form::WORD, 2, [0, 9000], "8999", &[0x23, 0x27], "8999 °C")]
    #[case::signed_word(Form::SIGNED_WORD, 2, [-900, 900], "-900", &[0xfc, 0x7c], "-900 °C")]
    #[case::long(Form::SIGNED_LONG, 4, [-9, 9], "-1", &[0xff, 0xff, 0xff, 0xff], "-1 °C")]
    #[case::row(Form::BYTE, 3, [0, 9], "1 2 3", &[1, 2, 3], "1 2 3 °C")]
    #[case::text(Form::TEXT, 5, [0, 0], "warm", b"warm", "warm")]
    fn what_was_typed_is_written_and_said(
        #[case] form: Form,
        #[case] length: u8,
        #[case] range: [i32; 2],
        #[case] typed: &str,
        #[case] data: &[u8],
        #[case] said: &str,
    ) {
        let read = about(form, length, range).read(typed).unwrap();
        assert_eq!((read.data(), read.to_string().as_str()), (data, said));
    }

    #[rstest]
    #[case::above(Form::BYTE, 1, "201", "fan is 0 to 200 °C")]
    #[case::no_number(Form::BYTE, 1, "on", "fan is 0 to 200 °C")]
    #[case::nothing(Form::BYTE, 1, "", "fan is 0 to 200 °C")]
    #[case::too_many(Form::BYTE, 1, "1 2", "fan is 0 to 200 °C")]
    #[case::too_long(Form::TEXT, 3, "warm", "fan is a text of at most 3 bytes")]
    #[case::unknown(Form(0x90), 3, "1", "the unit does not say how fan is written")]
    fn what_it_cannot_be_is_refused(
        #[case] form: Form,
        #[case] length: u8,
        #[case] typed: &str,
        #[case] said: &str,
    ) {
        assert_eq!(about(form, length, [0, 200]).read(typed).unwrap_err(), said);
    }

    /// What a unit says is not trusted: bytes that are not what it described are shown as they are.
    #[test]
    fn what_does_not_fit_is_shown_as_bytes() {
        assert_eq!(about(Form::WORD, 2, [0, 9]).with_data(&[1, 2, 3]).to_string(), "0x010203");
        assert_eq!(about(Form::BYTE, 1, [0, 9]).with_data(&[]).to_string(), "(empty)");
        assert_eq!(OwnValue::undescribed().with_data(&[0xab]).to_string(), "0xab");
        assert_eq!(about(Form::TEXT, 9, [0, 0]).with_data(b"\x1b[2J").to_string(), "\\x1b[2J");
        assert_eq!(OwnValue::undescribed().read("1").unwrap_err(), "this parameter can only be read");
    }
}
