//! Users of version 3: how their messages are signed and encrypted (RFC 3414; SHA-2: RFC 7860; AES: RFC 3826).

use aes::Aes128;
use cbc::cipher::block_padding::NoPadding;
use cbc::cipher::{BlockDecryptMut, BlockEncryptMut, KeyIvInit};
use cfb_mode::cipher::AsyncStreamCipher;
use des::Des;
use hmac::{Hmac, Mac};
use md5::Md5;
use sha1::{Digest, Sha1};
use sha2::Sha256;
use zeroize::Zeroizing;

/// Whose clock and name count: the agent's own.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Engine {
    /// Its name, 5 to 32 bytes; none where it is not known yet.
    pub id: Vec<u8>,
    /// How often it has started.
    pub boots: u32,
    /// How many seconds ago it started last.
    pub time: u32,
}

/// How messages are signed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Authentication {
    /// HMAC-MD5-96.
    Md5,
    /// HMAC-SHA-96.
    Sha1,
    /// HMAC-192-SHA-256.
    Sha256,
}

/// How messages are encrypted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Privacy {
    /// CBC-DES.
    Des,
    /// CFB128-AES-128.
    Aes,
}

/// What signs and encrypts the messages of one user to one engine.
#[derive(Clone, PartialEq, Eq)]
pub struct Keys {
    /// How they are signed.
    pub authentication: Authentication,
    signing: Zeroizing<Vec<u8>>,
    privacy: Option<(Privacy, Zeroizing<Vec<u8>>)>,
}

/// So much of a password, repeated, is hashed (RFC 3414, section A.2).
const PASSWORD_LENGTH: usize = 1 << 20;
/// The bytes of a salt.
const SALT: usize = 8;

impl Authentication {
    /// The bytes of a signature.
    pub(super) const fn length(self) -> usize {
        match self {
            Self::Md5 | Self::Sha1 => 12,
            Self::Sha256 => 24,
        }
    }

    fn hash(self, parts: &[&[u8]]) -> Zeroizing<Vec<u8>> {
        fn of<D: Digest>(parts: &[&[u8]]) -> Zeroizing<Vec<u8>> {
            let mut hash = D::new();
            parts.iter().for_each(|part| hash.update(part));
            Zeroizing::new(hash.finalize().to_vec())
        }
        match self {
            Self::Md5 => of::<Md5>(parts),
            Self::Sha1 => of::<Sha1>(parts),
            Self::Sha256 => of::<Sha256>(parts),
        }
    }

    /// The key of a password at one engine (RFC 3414, sections 2.6 and A.2).
    fn key(self, password: &[u8], engine: &[u8]) -> Zeroizing<Vec<u8>> {
        let repeated = Zeroizing::new(password.iter().copied().cycle().take(PASSWORD_LENGTH).collect::<Vec<u8>>());
        let key = self.hash(&[&repeated]);
        self.hash(&[&key, engine, &key])
    }

    fn sign(self, key: &[u8], message: &[u8]) -> Option<Vec<u8>> {
        fn of<M: Mac + hmac::digest::KeyInit>(key: &[u8], message: &[u8]) -> Option<Vec<u8>> {
            let mut mac = <M as Mac>::new_from_slice(key).ok()?;
            mac.update(message);
            Some(mac.finalize().into_bytes().to_vec())
        }
        let mut signature = match self {
            Self::Md5 => of::<Hmac<Md5>>(key, message),
            Self::Sha1 => of::<Hmac<Sha1>>(key, message),
            Self::Sha256 => of::<Hmac<Sha256>>(key, message),
        }?;
        signature.truncate(self.length());
        Some(signature)
    }
}

impl core::fmt::Debug for Keys {
    fn fmt(&self, f: &mut core::fmt::Formatter<'_>) -> core::fmt::Result {
        let privacy = self.privacy.as_ref().map(|(privacy, _)| *privacy);
        f.debug_struct("Keys").field("authentication", &self.authentication).field("privacy", &privacy).finish()
    }
}

impl Keys {
    /// Those of a user with these passwords, at the engine of this name. An empty password opens nothing: `None`.
    #[must_use]
    pub fn new(
        authentication: Authentication,
        password: &str,
        privacy: Option<(Privacy, &str)>,
        engine: &[u8],
    ) -> Option<Self> {
        let is_empty = password.is_empty() || privacy.is_some_and(|(_, password)| password.is_empty());
        let key = |password: &str| authentication.key(password.as_bytes(), engine);
        (!is_empty).then(|| Self {
            authentication,
            signing: key(password),
            privacy: privacy.map(|(privacy, password)| (privacy, key(password))),
        })
    }

    /// The same for messages that are signed and not encrypted.
    #[must_use]
    pub fn unencrypted(&self) -> Self {
        Self { privacy: None, ..self.clone() }
    }

    /// Whether messages are encrypted.
    #[must_use]
    pub const fn is_private(&self) -> bool {
        self.privacy.is_some()
    }

    pub(super) fn sign(&self, message: &[u8]) -> Option<Vec<u8>> {
        self.authentication.sign(&self.signing, message)
    }

    /// Encrypts; gives what was encrypted, and the salt that is sent with it. No salt is used twice with one key.
    pub(super) fn encrypt(&self, plain: &[u8], engine: &Engine, salt: u64) -> Option<(Vec<u8>, [u8; SALT])> {
        let (privacy, key) = self.privacy.as_ref()?;
        let mut salt = salt.to_be_bytes();
        if *privacy == Privacy::Des {
            // Of a salt for DES the first half is the engine's (RFC 3414, section 8.1.1.1).
            salt[..4].copy_from_slice(&engine.boots.to_be_bytes());
        }
        let bytes = match privacy {
            Privacy::Aes => {
                let mut bytes = plain.to_vec();
                let cipher =
                    cfb_mode::Encryptor::<Aes128>::new_from_slices(key.get(..16)?, &aes_vector(engine, salt));
                cipher.ok()?.encrypt(&mut bytes);
                bytes
            }
            Privacy::Des => {
                let padded = [plain, &[0; 8][..(8 - plain.len() % 8) % 8]].concat();
                let cipher = cbc::Encryptor::<Des>::new_from_slices(key.get(..8)?, &des_vector(key, salt)?);
                cipher.ok()?.encrypt_padded_vec_mut::<NoPadding>(&padded)
            }
        };
        Some((bytes, salt))
    }

    /// Decrypts; `None` where that cannot be.
    pub(super) fn decrypt(&self, bytes: &[u8], engine: &Engine, salt: &[u8]) -> Option<Vec<u8>> {
        let (privacy, key) = self.privacy.as_ref()?;
        let salt: [u8; SALT] = salt.try_into().ok()?;
        match privacy {
            Privacy::Aes => {
                let mut bytes = bytes.to_vec();
                let cipher =
                    cfb_mode::Decryptor::<Aes128>::new_from_slices(key.get(..16)?, &aes_vector(engine, salt));
                cipher.ok()?.decrypt(&mut bytes);
                Some(bytes)
            }
            Privacy::Des => {
                let cipher = cbc::Decryptor::<Des>::new_from_slices(key.get(..8)?, &des_vector(key, salt)?);
                cipher.ok()?.decrypt_padded_vec_mut::<NoPadding>(bytes).ok()
            }
        }
    }
}

/// RFC 3826, section 3.1.2.1.
fn aes_vector(engine: &Engine, salt: [u8; SALT]) -> [u8; 16] {
    let mut vector = [0; 16];
    vector[..4].copy_from_slice(&engine.boots.to_be_bytes());
    vector[4..8].copy_from_slice(&engine.time.to_be_bytes());
    vector[8..].copy_from_slice(&salt);
    vector
}

/// RFC 3414, section 8.1.1.1: the second half of the key, with the salt.
fn des_vector(key: &[u8], salt: [u8; SALT]) -> Option<[u8; 8]> {
    let mut vector: [u8; 8] = key.get(8..16)?.try_into().ok()?;
    vector.iter_mut().zip(salt).for_each(|(byte, salt)| *byte ^= salt);
    Some(vector)
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    const ENGINE: [u8; 12] = [0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 2];

    /// RFC 3414, sections A.3.1 and A.3.2.
    #[rstest]
    #[case(Authentication::Md5, "526f5eed9fcce26f8964c2930787d82b")]
    #[case(Authentication::Sha1, "6695febc9288e36282235fc7151f128497b38f3f")]
    fn a_password_becomes_the_key_of_the_standard(#[case] authentication: Authentication, #[case] key: &str) {
        let made: String =
            authentication.key(b"maplesyrup", &ENGINE).iter().map(|byte| format!("{byte:02x}")).collect();
        assert_eq!(made, key);
    }

    #[rstest]
    fn what_is_encrypted_is_decrypted(
        #[values(Authentication::Md5, Authentication::Sha1, Authentication::Sha256)]
        authentication: Authentication,
        #[values(Privacy::Des, Privacy::Aes)] privacy: Privacy,
    ) {
        let engine = Engine { id: ENGINE.to_vec(), boots: 3, time: 77 };
        let keys = |password| Keys::new(authentication, "maplesyrup", Some((privacy, password)), &ENGINE).unwrap();
        let plain = b"what nobody else may read";
        let (bytes, salt) = keys("drumlin pass").encrypt(plain, &engine, 42).unwrap();
        assert!(!bytes.windows(6).any(|window| window == b"nobody"));
        let read = |keys: Keys| keys.decrypt(&bytes, &engine, &salt).unwrap();
        assert!(read(keys("drumlin pass")).starts_with(plain));
        assert!(!read(keys("another pass")).starts_with(plain));
        assert_eq!(keys("drumlin pass").decrypt(&bytes, &engine, &salt[..7]), None);
    }

    #[test]
    fn an_empty_password_opens_nothing_and_none_is_shown() {
        assert_eq!(Keys::new(Authentication::Md5, "", None, &ENGINE), None);
        assert_eq!(Keys::new(Authentication::Md5, "maple", Some((Privacy::Aes, "")), &ENGINE), None);
        let shown = format!("{:?}", Keys::new(Authentication::Sha1, "maplesyrup", None, &ENGINE));
        assert!(shown.contains("Sha1") && !shown.contains("102"), "{shown}");
    }
}
