//! Passwords, from where their owner keeps them: the environment, and a file that nobody else can read. They are never an
//! argument, which everybody on the computer could see.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::{env, fs, io};

use lantern_core::census::Way;
use lantern_core::secret::{Owner, Secret, Secrets};

use crate::machine::config_folder;

/// What stands before the name of a family in the environment.
const VARIABLE: &str = "DEFT_LANTERN_PASSWORD_";
/// In the file, the password of every device that has none of its own.
const EVERYBODY: &str = "all";

/// Everything that is kept, and what could not be read, in words that hold no secret.
pub(crate) fn kept() -> (Secrets, Option<String>) {
    let path = path();
    let (mut secrets, trouble) = match from_file(&path) {
        Ok(secrets) => (secrets, None),
        Err(why) => (Secrets::default(), Some(format!("{} was not read: {why}", path.display()))),
    };
    for family in Way::ALL.into_iter().filter(|way| way.takes_password()) {
        if let Ok(text) = env::var(variable(family)) {
            secrets.keep(family, Owner::Everybody, Secret::new(text));
        }
    }
    (secrets, trouble)
}

/// The variable of the environment that holds a family's password.
fn variable(family: Way) -> String {
    format!("{VARIABLE}{}", family.name().to_uppercase().replace('-', "_"))
}

fn path() -> PathBuf {
    config_folder().join("secrets.toml")
}

fn from_file(path: &Path) -> Result<Secrets, String> {
    let text = match fs::read_to_string(path) {
        Ok(text) => Secret::new(text),
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Secrets::default()),
        Err(error) => return Err(error.to_string()),
    };
    if is_open_to_others(path) {
        return Err(format!("others can read it; for you alone: chmod 600 {}", path.display()));
    }
    read(text.expose())
}

/// Reads the file's text. What is wrong is told by its line, never by what stands there.
fn read(text: &str) -> Result<Secrets, String> {
    let families: BTreeMap<String, BTreeMap<String, String>> = toml::from_str(text).map_err(|error| {
        let at = error.span().map_or(0, |span| span.start);
        let line = text.get(..at).map_or(1, |before| before.matches('\n').count() + 1);
        format!("line {line} is none of: [family], all = \"password\", \"10.40.6.1\" = \"password\"")
    })?;
    let mut secrets = Secrets::default();
    for (name, owners) in families {
        let family: Way = name.parse().map_err(|_| format!("[{name}] is no family"))?;
        if !family.takes_password() {
            return Err(format!("{family} takes no password"));
        }
        for (owner, text) in owners {
            let owner = match (owner.as_str(), owner.parse(), owner.parse()) {
                (EVERYBODY, ..) => Owner::Everybody,
                (_, Ok(address), _) => Owner::Address(address),
                (_, _, Ok(mac)) => Owner::Mac(mac),
                _ => {
                    return Err(format!("a key under [{name}] is neither all, nor an address, nor a MAC address"));
                }
            };
            secrets.keep(family, owner, Secret::new(text));
        }
    }
    Ok(secrets)
}

#[cfg(unix)]
fn is_open_to_others(path: &Path) -> bool {
    use std::os::unix::fs::PermissionsExt;
    fs::metadata(path).is_ok_and(|meta| meta.permissions().mode() & 0o077 != 0)
}

#[cfg(not(unix))]
const fn is_open_to_others(_: &Path) -> bool {
    false
}

#[cfg(test)]
mod tests {
    use std::net::Ipv4Addr;

    use super::*;

    #[test]
    fn a_file_holds_passwords_by_owner_and_its_mistakes_are_told_without_them() {
        let secrets = read("[pjlink]\nall = \"moonrise\"\n\"10.40.6.2\" = \"moonset\"\n").unwrap();
        let of = |last| secrets.of(Way::Pjlink, None, Ipv4Addr::new(10, 40, 6, last)).map(Secret::expose);
        assert_eq!((of(1), of(2)), (Some("moonrise"), Some("moonset")));
        for text in [
            "[pjlink]\nall = moonrise\n",
            "[pjlink]\nall = 7\nx = \"moonrise\"",
            "[nothing]\nall = \"moonrise\"",
            "[sacn]\nall = \"moonrise\"",
            "[pjlink]\nmoonrise = \"x\"",
            "moonrise",
        ] {
            let why = read(text).unwrap_err();
            assert!(!why.contains("moonrise"), "{why}");
        }
        assert_eq!(variable(Way::Pjlink), "DEFT_LANTERN_PASSWORD_PJLINK");
    }
}
