//! The messages around what is asked and answered.

use rasn_snmp::v2::Pdus;
use rasn_snmp::{v2c, v3};

use super::codec::{bytes, decode, encode, number, octets, read};
use super::{Engine, Keys, Pdu};
use crate::{Layer, WireError};

/// The longest message that is taken, as the sender of a message of version 3 says.
const LONGEST: u32 = 8192;
/// The security model of users (RFC 3414).
const USERS: u32 = 3;
/// Bits of the flags (RFC 3412, section 6.4).
const SIGNED: u8 = 1;
const PRIVATE: u8 = 2;
const REPORTABLE: u8 = 4;

/// A message to be sent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Message {
    /// Of version 2c.
    Community {
        /// The community, which is a password for all.
        community: Vec<u8>,
        /// What is asked or answered.
        pdu: Pdu,
    },
    /// Of version 3.
    User(Signed),
}

/// A message of version 3 to be sent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Signed {
    /// Which message it is, or answers.
    pub id: i32,
    /// Whose clock and name count.
    pub engine: Engine,
    /// Who asks; empty where the engine is only asked who it is.
    pub user: Vec<u8>,
    /// What signs and encrypts it; `None` for neither.
    pub keys: Option<Keys>,
    /// What makes its encryption another one each time.
    pub salt: u64,
    /// Whether it wants to be told why it cannot be answered.
    pub is_reportable: bool,
    /// What is asked or answered.
    pub pdu: Pdu,
}

/// A message that came in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Incoming {
    /// Of version 2c, with its community.
    Community(Vec<u8>, Pdu),
    /// Of version 3, still closed.
    User(Sealed),
}

/// A message of version 3 that came in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sealed {
    /// Which message it is, or answers.
    pub id: i32,
    /// Whose clock and name count, as it says.
    pub engine: Engine,
    /// Who asks.
    pub user: Vec<u8>,
    /// Whether it is signed.
    pub is_signed: bool,
    /// Whether it is encrypted.
    pub is_private: bool,
    /// Whether it wants to be told why it cannot be answered.
    pub is_reportable: bool,
    signature: Vec<u8>,
    salt: Vec<u8>,
    data: v3::ScopedPduData,
    whole: Vec<u8>,
}

/// Why a message of version 3 cannot be read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum Unopened {
    /// It is signed or encrypted, and there are no keys.
    #[error("there are no keys for it")]
    NoKeys,
    /// The signature is another one.
    #[error("its signature does not match")]
    Signature,
    /// It cannot be decrypted.
    #[error("it cannot be decrypted")]
    Encryption,
}

impl Message {
    /// Its bytes; `None` where it cannot be encrypted.
    #[must_use]
    pub fn to_bytes(&self) -> Option<Vec<u8>> {
        match self {
            Self::Community { community, pdu } => bytes(&v2c::Message {
                version: v2c::Message::<Pdus>::VERSION.into(),
                community: octets(community),
                data: encode(pdu)?,
            }),
            Self::User(signed) => signed.to_bytes(),
        }
    }
}

impl Signed {
    fn to_bytes(&self) -> Option<Vec<u8>> {
        let plain =
            v3::ScopedPdu { engine_id: octets(&self.engine.id), name: octets(&[]), data: encode(&self.pdu)? };
        let mut flags = if self.is_reportable { REPORTABLE } else { 0 };
        let (mut signature, mut salt) = (Vec::new(), Vec::new());
        let mut data = v3::ScopedPduData::CleartextPdu(plain);
        if let Some(keys) = &self.keys {
            flags |= SIGNED;
            signature = vec![0; keys.authentication.length()];
            if keys.is_private() {
                flags |= PRIVATE;
                let v3::ScopedPduData::CleartextPdu(plain) = &data else { return None };
                let (encrypted, used) = keys.encrypt(&bytes(plain)?, &self.engine, self.salt)?;
                salt = used.to_vec();
                data = v3::ScopedPduData::EncryptedPdu(octets(&encrypted));
            }
        }
        let security = bytes(&v3::USMSecurityParameters {
            authoritative_engine_id: octets(&self.engine.id),
            authoritative_engine_boots: self.engine.boots.into(),
            authoritative_engine_time: self.engine.time.into(),
            user_name: octets(&self.user),
            authentication_parameters: octets(&signature),
            privacy_parameters: octets(&salt),
        })?;
        // Behind the place of the signature come the salt with its two bytes of head, and the data.
        let behind = bytes(&data)?.len() + salt.len() + 2;
        let mut message = bytes(&v3::Message {
            version: 3.into(),
            global_data: v3::HeaderData {
                message_id: self.id.into(),
                max_size: LONGEST.into(),
                flags: octets(&[flags]),
                security_model: USERS.into(),
            },
            security_parameters: octets(&security),
            scoped_data: data,
        })?;
        if let Some(keys) = &self.keys {
            let end = message.len().checked_sub(behind)?;
            let place = end.checked_sub(signature.len())?..end;
            let signature = keys.sign(&message)?;
            message.get_mut(place)?.copy_from_slice(&signature);
        }
        Some(message)
    }
}

impl Incoming {
    /// Reads a message.
    ///
    /// # Errors
    /// When it is none of version 2c or 3, or not one as a whole.
    pub fn parse(message: &[u8]) -> Result<Self, WireError> {
        let foreign = WireError::Foreign { layer: Layer::Snmp };
        if let Some(v2c::Message { version, community, data }) = read::<v2c::Message<Pdus>>(message) {
            let is_own = number(&version) == Some(1);
            let pdu = decode(data).filter(|_| is_own).ok_or(foreign)?;
            return Ok(Self::Community(community.to_vec(), pdu));
        }
        read(message).and_then(|whole| Sealed::of(whole, message)).map(Self::User).ok_or(foreign)
    }
}

impl Sealed {
    fn of(message: v3::Message, whole: &[u8]) -> Option<Self> {
        let head = &message.global_data;
        let is_own = number(&message.version) == Some(3) && number(&head.security_model) == Some(USERS);
        let [flags] = head.flags[..] else { return None };
        let id = i32::try_from(number(&head.message_id).filter(|_| is_own)?).ok()?;
        let security: v3::USMSecurityParameters = read(&message.security_parameters)?;
        let engine = Engine {
            id: security.authoritative_engine_id.to_vec(),
            boots: number(&security.authoritative_engine_boots)?,
            time: number(&security.authoritative_engine_time)?,
        };
        Some(Self {
            id,
            engine,
            user: security.user_name.to_vec(),
            is_signed: flags & SIGNED != 0,
            is_private: flags & PRIVATE != 0,
            is_reportable: flags & REPORTABLE != 0,
            signature: security.authentication_parameters.to_vec(),
            salt: security.privacy_parameters.to_vec(),
            data: message.scoped_data,
            whole: whole.to_vec(),
        })
    }

    /// What it holds, once its signature has been proved and it has been decrypted.
    ///
    /// # Errors
    /// When the keys are not the right ones, or there are none.
    pub fn open(&self, keys: Option<&Keys>) -> Result<Pdu, Unopened> {
        if self.is_signed {
            let keys = keys.ok_or(Unopened::NoKeys)?;
            let is_right = self.unsigned().and_then(|bytes| keys.sign(&bytes)) == Some(self.signature.clone());
            if !is_right {
                return Err(Unopened::Signature);
            }
        }
        let data = match &self.data {
            v3::ScopedPduData::CleartextPdu(plain) if !self.is_private => plain.data.clone(),
            v3::ScopedPduData::EncryptedPdu(encrypted) if self.is_private && self.is_signed => {
                let keys = keys.ok_or(Unopened::NoKeys)?;
                let plain = keys.decrypt(encrypted, &self.engine, &self.salt).ok_or(Unopened::Encryption)?;
                scoped(&plain).ok_or(Unopened::Encryption)?.data
            }
            _ => return Err(Unopened::Encryption),
        };
        decode(data).ok_or(Unopened::Encryption)
    }

    /// The message as it was before it was signed.
    fn unsigned(&self) -> Option<Vec<u8>> {
        let length = u8::try_from(self.signature.len()).ok()?;
        let field = [&[4, length], &self.signature[..]].concat();
        let at = self.whole.windows(field.len()).position(|window| window == field)?;
        let mut bytes = self.whole.clone();
        bytes.get_mut(at + 2..at + field.len())?.fill(0);
        Some(bytes)
    }
}

/// What was encrypted, without what it was filled up with.
fn scoped(plain: &[u8]) -> Option<v3::ScopedPdu> {
    let (head, long) = (2, usize::from(plain.get(1)? & 0x7f));
    let length = match plain[1] {
        short @ 0..0x80 => head + usize::from(short),
        _ => {
            let bytes = plain.get(head..head + long).filter(|_| long <= 3)?;
            head + long + bytes.iter().fold(0, |length, byte| length << 8 | usize::from(*byte))
        }
    };
    read(plain.get(..length)?)
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::super::{Authentication, Failed, Kind, Privacy, Value};
    use super::*;

    fn question() -> Pdu {
        let object = |text: &str| text.parse().unwrap();
        Pdu::question(Kind::Get, 7, &[object("1.3.6.1.2.1.1.5.0"), object("1.3.6.1.4.1.64000.3.1.2")])
    }

    /// A GetRequest of version 2c for sysName, put together by hand after ISO 8825-1.
    #[test]
    fn a_question_is_encoded_as_the_standard_says() {
        let pdu = Pdu::question(Kind::Get, 1, &["1.3.6.1.2.1.1.5.0".parse().unwrap()]);
        let message = Message::Community { community: b"public".to_vec(), pdu: pdu.clone() };
        let expected = [
            0x30, 0x26, 0x02, 0x01, 0x01, 0x04, 0x06, b'p', b'u', b'b', b'l', b'i', b'c', 0xa0, 0x19, 0x02, 0x01,
            0x01, 0x02, 0x01, 0x00, 0x02, 0x01, 0x00, 0x30, 0x0e, 0x30, 0x0c, 0x06, 0x08, 0x2b, 0x06, 0x01, 0x02,
            0x01, 0x01, 0x05, 0x00, 0x05, 0x00,
        ];
        assert_eq!(message.to_bytes().as_deref(), Some(&expected[..]));
        assert_eq!(Incoming::parse(&expected), Ok(Incoming::Community(b"public".to_vec(), pdu)));
    }

    #[test]
    fn every_sort_of_value_goes_there_and_back() {
        let object = |text: &str| "1.3.6.1.4.1.64000".parse::<super::super::Oid>().unwrap().row(text.len() as u32);
        let values = [
            Value::Integer(-5),
            Value::Integer(i64::from(i32::MAX)),
            Value::Bytes(b"Quay, mast".to_vec()),
            Value::Oid("1.3.6.1.4.1.64000.1".parse().unwrap()),
            Value::Address([10, 40, 1, 7].into()),
            Value::Counter(4_000_000_000),
            Value::Counter(u64::MAX),
            Value::Gauge(u32::MAX),
            Value::Ticks(8_640_000),
            Value::Missing,
            Value::End,
        ];
        let values: Vec<_> = values.into_iter().map(|value| (object("row"), value)).collect();
        let failed = Some(Failed { status: 17, index: 2 });
        for pdu in [
            question().answer(values.clone(), None),
            question().answer(values.clone(), failed),
            Pdu::order(-3, values.clone()),
            Pdu { kind: Kind::GetBulk { once: 1, repeats: 20 }, ..question() },
            Pdu { kind: Kind::GetNext, ..question() },
            Pdu { kind: Kind::Report, ..question() },
            Pdu { kind: Kind::Notice, ..question() },
        ] {
            let message = Message::Community { community: vec![0xff, 0], pdu: pdu.clone() };
            assert_eq!(Incoming::parse(&message.to_bytes().unwrap()), Ok(Incoming::Community(vec![0xff, 0], pdu)));
        }
    }

    #[rstest]
    fn what_is_signed_is_opened_by_its_own_keys_alone(
        #[values(Authentication::Md5, Authentication::Sha1, Authentication::Sha256)]
        authentication: Authentication,
        #[values(None, Some(Privacy::Des), Some(Privacy::Aes))] privacy: Option<Privacy>,
        // Long ones have long heads, and what looks like the place of a signature in their names.
        #[values(0, 9)] further: u32,
    ) {
        let id = vec![0x80, 0, 0xfa, 0, 4, 12, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0];
        let engine = Engine { id: id.clone(), boots: 2, time: 99 };
        let keys = |password: &str| {
            Keys::new(authentication, password, privacy.map(|privacy| (privacy, "drumlin pass")), &id)
        };
        let right = keys("maplesyrup");
        let objects: Vec<_> = (0..=further).map(|row| question().values[1].0.row(row * 77_777)).collect();
        let pdu = Pdu::question(Kind::Get, 7, &objects);
        let signed = Signed {
            id: 5,
            engine: engine.clone(),
            user: b"tech".to_vec(),
            keys: right.clone(),
            salt: 9,
            is_reportable: true,
            pdu: pdu.clone(),
        };
        let bytes = Message::User(signed).to_bytes().unwrap();
        let Ok(Incoming::User(sealed)) = Incoming::parse(&bytes) else { panic!("not read") };
        assert_eq!((sealed.id, &sealed.engine, &sealed.user[..]), (5, &engine, &b"tech"[..]));
        assert_eq!((sealed.is_signed, sealed.is_private, sealed.is_reportable), (true, privacy.is_some(), true));
        assert_eq!(sealed.open(right.as_ref()), Ok(pdu));
        assert_eq!(sealed.open(keys("another one").as_ref()), Err(Unopened::Signature));
        assert_eq!(sealed.open(None), Err(Unopened::NoKeys));
        for place in 0..bytes.len() {
            let mut bent = bytes.clone();
            bent[place] ^= 0x40;
            if let Ok(Incoming::User(bent)) = Incoming::parse(&bent) {
                assert!(!bent.is_signed || bent.open(right.as_ref()).is_err(), "{place}");
            }
        }
    }

    #[test]
    fn what_is_cut_is_refused() {
        let whole = Message::Community { community: b"public".to_vec(), pdu: question() }.to_bytes().unwrap();
        let foreign = WireError::Foreign { layer: Layer::Snmp };
        for length in 0..whole.len() {
            assert_eq!(Incoming::parse(&whole[..length]), Err(foreign), "{length}");
        }
        // Version 1 holds other counters and answers other errors.
        let mut first = whole;
        first[4] = 0;
        assert_eq!(Incoming::parse(&first), Err(foreign));
    }
}
