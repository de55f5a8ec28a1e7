//! The file of passwords: `secrets.toml` in the folder of the user's settings, readable by its owner alone. What is not meant stays
//! as it was written, comments too.

use std::fs::{self, OpenOptions};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use lantern_core::census::Way;
use lantern_core::secret::{Login, Owner, Secret};
use toml_edit::{DocumentMut, InlineTable, Item, Table, Value, value};

use crate::failure::Failure;
use crate::machine::config_folder;

/// The key of the login of every device that has none of its own.
const EVERYBODY: &str = "all";
/// What stands before the name of a kind.
const KIND: &str = "kind:";
const EXPECTED: &str = "[family], then all, an address, a MAC address or kind:NAME = \"password\", or = { user = \"…\", password = \"…\" }, of snmp with privacy = \"…\" where it is encrypted";

/// The file as it is written.
#[derive(Debug, Clone, Default)]
pub(crate) struct SecretsFile(DocumentMut);

/// Whose login it is.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Whose {
    /// One device's, or everybody's.
    Owner(Owner),
    /// Of all devices of this kind.
    Kind(String),
}

/// Where it is.
pub(super) fn path() -> PathBuf {
    config_folder().join("secrets.toml")
}

impl SecretsFile {
    /// Reads it; one that is not there is empty. What is wrong is told by its line, never by what stands there.
    pub(crate) fn read() -> Result<Self, String> {
        let path = path();
        let text = match fs::read_to_string(&path) {
            Ok(text) => Secret::new(text),
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Self::default()),
            Err(error) => return Err(error.to_string()),
        };
        if is_open_to_others(&path) {
            return Err(format!("others can read it; for you alone: chmod 600 {}", path.display()));
        }
        Self::parse(text.expose())
    }

    fn parse(text: &str) -> Result<Self, String> {
        let document: DocumentMut = text.parse().map_err(|error: toml_edit::TomlError| {
            let at = error.span().map_or(0, |span| span.start);
            let line = text.get(..at).map_or(1, |before| before.matches('\n').count() + 1);
            format!("line {line} is none of: {EXPECTED}")
        })?;
        let file = Self(document);
        file.all().collect::<Result<Vec<_>, String>>()?;
        Ok(file)
    }

    /// Everything in it.
    pub(crate) fn entries(&self) -> Vec<(Way, Whose, Login)> {
        // It was read whole before.
        self.all().filter_map(Result::ok).collect()
    }

    fn all(&self) -> impl Iterator<Item = Result<(Way, Whose, Login), String>> {
        self.0.iter().flat_map(|(name, item)| {
            let family = family(name);
            let table = item
                .as_table_like()
                .ok_or_else(|| format!("what stands beside the families is none of: {EXPECTED}"));
            match (family, table) {
                (Ok(family), Ok(table)) => table.iter().map(|(owner, item)| entry(family, owner, item)).collect(),
                (Err(why), _) | (_, Err(why)) => vec![Err(why)],
            }
        })
    }

    /// Keeps a login; a later one takes the place of an earlier one of the same owner.
    pub(crate) fn keep(&mut self, family: Way, whose: &Whose, login: &Login) {
        let password = login.password.expose();
        let written = if login.user.is_empty() {
            value(password)
        } else {
            let mut both = InlineTable::new();
            both.insert("user", Value::from(login.user.as_str()));
            both.insert("password", Value::from(password));
            if let Some(privacy) = &login.privacy {
                both.insert("privacy", Value::from(privacy.expose()));
            }
            value(both)
        };
        let table = self.0.entry(family.name()).or_insert(Item::Table(Table::new()));
        if let Some(table) = table.as_table_like_mut() {
            table.insert(&whose.key(), written);
        }
    }

    /// Forgets a login; gives whether there was one.
    pub(crate) fn drop(&mut self, family: Way, whose: &Whose) -> bool {
        let table = self.0.get_mut(family.name()).and_then(Item::as_table_like_mut);
        table.is_some_and(|table| table.remove(&whose.key()).is_some())
    }

    /// Writes it, readable by its owner alone, beside the old one and then in its place.
    pub(crate) fn write(&self) -> Result<PathBuf, Failure> {
        let path = path();
        let folder = config_folder();
        let failed = |source| Failure::Write { path: path.clone(), source };
        fs::create_dir_all(&folder).map_err(failed)?;
        let beside = folder.join(format!("secrets.toml.{}.new", std::process::id()));
        let text = Secret::new(self.0.to_string());
        let written = write_private(&beside, text.expose()).and_then(|()| fs::rename(&beside, &path));
        if written.is_err() {
            fs::remove_file(&beside).unwrap_or(());
        }
        written.map_err(failed)?;
        Ok(path)
    }
}

impl Whose {
    /// Its key in the file.
    fn key(&self) -> String {
        match self {
            Self::Owner(Owner::Everybody) => EVERYBODY.to_owned(),
            Self::Owner(Owner::Address(address)) => address.to_string(),
            Self::Owner(Owner::Mac(mac)) => mac.to_string(),
            Self::Kind(kind) => format!("{KIND}{kind}"),
        }
    }

    /// Reads all, an address or a MAC address; `None` for anything else.
    pub(crate) fn plain(text: &str) -> Option<Self> {
        Some(Self::Owner(match (text, text.parse(), text.parse()) {
            (EVERYBODY, ..) => Owner::Everybody,
            (_, Ok(address), _) => Owner::Address(address),
            (_, _, Ok(mac)) => Owner::Mac(mac),
            _ => return None,
        }))
    }
}

impl std::fmt::Display for Whose {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Owner(Owner::Everybody) => f.write_str("all"),
            Self::Kind(kind) => write!(f, "every {kind} of the sheet"),
            Self::Owner(_) => f.write_str(&self.key()),
        }
    }
}

fn family(name: &str) -> Result<Way, String> {
    let family: Way = name.parse().map_err(|_| format!("[{name}] is no family"))?;
    if family.takes_password() { Ok(family) } else { Err(format!("{family} takes no password")) }
}

fn entry(family: Way, owner: &str, item: &Item) -> Result<(Way, Whose, Login), String> {
    let kind = owner.strip_prefix(KIND).map(|kind| Whose::Kind(kind.to_owned()));
    let whose = kind.or_else(|| Whose::plain(owner)).ok_or_else(|| {
        let name = family.name();
        format!("a key under [{name}] is neither all, nor an address, nor a MAC address, nor kind:NAME")
    })?;
    let text = |key: &str| item.as_table_like().and_then(|table| table.get(key)).and_then(Item::as_str);
    let login = match item.as_str() {
        Some(password) => Login::without_user(password.to_owned()),
        None => {
            let wrong = || format!("what stands under [{}] is none of: {EXPECTED}", family.name());
            let password = text("password").ok_or_else(wrong)?.to_owned();
            let privacy = text("privacy").map(|privacy| Secret::new(privacy.to_owned()));
            let user = text("user").unwrap_or_default().to_owned();
            Login { user, password: Secret::new(password), privacy }
        }
    };
    if family.wants_user() && login.user.is_empty() {
        return Err(format!("{family} wants to know who asks: {{ user = \"…\", password = \"…\" }}"));
    }
    if login.privacy.is_some() && (!family.takes_privacy() || login.user.is_empty()) {
        return Err(format!("{family} encrypts nothing without a user, or not at all: leave privacy out"));
    }
    Ok((family, whose, login))
}

fn write_private(path: &Path, text: &str) -> io::Result<()> {
    let mut options = OpenOptions::new();
    options.write(true).create_new(true);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt;
        options.mode(0o600);
    }
    let mut file = options.open(path)?;
    file.write_all(text.as_bytes())?;
    file.sync_all()
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
    fn a_file_holds_logins_by_owner_and_its_mistakes_are_told_without_them() {
        let text = "# the screens\n[pjlink]\nall = \"moonrise\" # as always\n\"kind:tessaquill-wall\" = \"moonset\"\n\
                    [onvif]\n\"10.40.7.1\" = { user = \"tess\", password = \"moonfall\" }\n";
        let file = SecretsFile::parse(text).unwrap();
        let all: Vec<(Way, String, String)> =
            file.entries().into_iter().map(|(way, whose, login)| (way, whose.to_string(), login.user)).collect();
        let expected = [
            (Way::Pjlink, "all", ""),
            (Way::Pjlink, "every tessaquill-wall of the sheet", ""),
            (Way::Onvif, "10.40.7.1", "tess"),
        ];
        assert_eq!(all, expected.map(|(way, whose, user)| (way, whose.to_owned(), user.to_owned())));
        for text in [
            "[pjlink]\nall = moonrise\n",
            "[pjlink]\nall = 7\nx = \"moonrise\"",
            "[pjlink]\nall = { user = \"moonrise\" }",
            "[onvif]\nall = \"moonrise\"",
            "[nothing]\nall = \"moonrise\"",
            "[sacn]\nall = \"moonrise\"",
            "[snmp]\nall = { password = \"moonrise\", privacy = \"moonrise\" }",
            "[onvif]\nall = { user = \"tess\", password = \"moonrise\", privacy = \"moonrise\" }",
            "[pjlink]\nmoonrise = \"x\"",
            "pjlink = \"moonrise\"",
            "moonrise",
        ] {
            let why = SecretsFile::parse(text).unwrap_err();
            assert!(!why.contains("moonrise"), "{why}");
        }
    }

    /// A community, a user, and one whose messages are encrypted.
    #[test]
    fn logins_of_snmp_are_kept_and_read_again() {
        let secret = |text: &str| Secret::new(text.to_owned());
        let user = || Login::of_user("tech".to_owned(), secret("moonrise1"));
        let logins = [
            Login::without_user("stagedoor".to_owned()),
            user(),
            Login { privacy: Some(secret("moonset22")), ..user() },
        ];
        let mut file = SecretsFile::default();
        let whose =
            |last: usize| Whose::Owner(Owner::Address(Ipv4Addr::new(10, 40, 8, u8::try_from(last).unwrap())));
        for (last, login) in logins.iter().enumerate() {
            file.keep(Way::Snmp, &whose(last), login);
        }
        let read = SecretsFile::parse(&file.0.to_string()).unwrap().entries();
        let kept: Vec<_> =
            logins.into_iter().enumerate().map(|(last, login)| (Way::Snmp, whose(last), login)).collect();
        assert_eq!(read, kept);
    }

    #[test]
    fn what_is_not_meant_stays_as_it_was_written() {
        let text = "# mine\n[pjlink]\nall = \"a\" # as always\n";
        let mut file = SecretsFile::parse(text).unwrap();
        let one = Whose::Owner(Owner::Address(Ipv4Addr::new(10, 40, 7, 1)));
        let login = Login::of_user("tess".to_owned(), Secret::new("q\"\u{7}".to_owned()));
        file.keep(Way::Onvif, &one, &login);
        let written = file.0.to_string();
        assert!(written.starts_with(text) && written.contains("[onvif]"), "{written}");
        let again = SecretsFile::parse(&written).unwrap().entries();
        assert_eq!(again[1], (Way::Onvif, one.clone(), login));
        assert!(file.drop(Way::Onvif, &one) && !file.drop(Way::Onvif, &one));
    }
}
