//! Secrets: passwords, which are shown as dots, written nowhere, and wiped when they are no longer needed.

use std::collections::BTreeMap;
use std::fmt;
use std::net::Ipv4Addr;

use lantern_wire::MacAddress;
use zeroize::Zeroizing;

use crate::census::Way;

/// One secret. It cannot be serialised, and shows as dots.
#[derive(Clone, PartialEq, Eq)]
pub struct Secret(Zeroizing<String>);

/// Whose secret it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Owner {
    /// Every device of the family that has none of its own.
    Everybody,
    /// Whoever has this address.
    Address(Ipv4Addr),
    /// Whoever has this MAC address.
    Mac(MacAddress),
}

/// The secrets there are, by family.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Secrets(BTreeMap<(Way, Owner), Login>);

/// What opens a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Login {
    /// Who asks, where the family wants to know that; empty where it does not.
    pub user: String,
    /// The password.
    pub password: Secret,
    /// The password for what is encrypted, where there is another one for that.
    pub privacy: Option<Secret>,
}

impl Secret {
    /// Keeps a secret.
    #[must_use]
    pub fn new(text: String) -> Self {
        Self(Zeroizing::new(text))
    }

    /// The secret itself, for the one place that needs it.
    #[must_use]
    pub fn expose(&self) -> &str {
        &self.0
    }
}

impl Login {
    /// A user and a password.
    #[must_use]
    pub const fn of_user(user: String, password: Secret) -> Self {
        Self { user, password, privacy: None }
    }

    /// A password that is enough by itself.
    #[must_use]
    pub fn without_user(password: String) -> Self {
        Self { user: String::new(), password: Secret::new(password), privacy: None }
    }
}

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("•••")
    }
}

impl Secrets {
    /// Keeps one of a family; a later one of the same owner takes the place of the earlier.
    pub fn keep(&mut self, family: Way, owner: Owner, login: Login) {
        self.0.insert((family, owner), login);
    }

    /// Whether there is one of just this owner.
    #[must_use]
    pub fn has(&self, family: Way, owner: Owner) -> bool {
        self.0.contains_key(&(family, owner))
    }

    /// Whether there is none at all.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The secret for a device: by its MAC address, else by its address, else its family's.
    #[must_use]
    pub fn of(&self, family: Way, mac: Option<MacAddress>, address: Ipv4Addr) -> Option<&Login> {
        let by_mac = mac.and_then(|mac| self.0.get(&(family, Owner::Mac(mac))));
        let by_address = || self.0.get(&(family, Owner::Address(address)));
        by_mac.or_else(by_address).or_else(|| self.0.get(&(family, Owner::Everybody)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_nearest_one_counts_and_none_is_shown() {
        let mut secrets = Secrets::default();
        let address = Ipv4Addr::new(10, 40, 6, 1);
        let mac = MacAddress([2, 0, 0, 0, 0, 1]);
        for (owner, text) in
            [(Owner::Everybody, "all"), (Owner::Address(address), "here"), (Owner::Mac(mac), "this")]
        {
            secrets.keep(Way::Pjlink, owner, Login::without_user(text.to_owned()));
        }
        let of = |mac, address| secrets.of(Way::Pjlink, mac, address).map(|login| login.password.expose());
        assert_eq!(of(Some(mac), address), Some("this"));
        assert_eq!(of(None, address), Some("here"));
        assert_eq!(of(None, Ipv4Addr::LOCALHOST), Some("all"));
        assert_eq!(secrets.of(Way::Sacn, None, address), None);
        let shown = format!("{secrets:?}");
        assert!(["all", "here", "this"].iter().all(|text| !shown.contains(text)), "{shown}");
    }
}
