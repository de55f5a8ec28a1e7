//! Passwords, from where their owner keeps them: the environment, and a file that nobody else can read. They are never an
//! argument, which everybody on the computer could see.

mod file;

use std::env;

use lantern_core::census::Way;
use lantern_core::secret::{Login, Owner, Secret, Secrets};
use lantern_core::sheet::RigSheet;

pub(crate) use file::{SecretsFile, Whose};

/// What stands before the name of a family in the environment: before its password, and before its user.
const PASSWORD: &str = "DEFT_LANTERN_PASSWORD_";
const USER: &str = "DEFT_LANTERN_USER_";
/// And before its second password.
const PRIVACY: &str = "DEFT_LANTERN_PRIVACY_";

/// Everything that is kept, those of kinds for every node of the sheet that is of one; and what could not be read, in words that
/// hold no secret.
pub(crate) fn kept(sheet: Option<&RigSheet>) -> (Secrets, Option<String>) {
    let path = file::path();
    let (file, trouble) = match SecretsFile::read() {
        Ok(file) => (file, None),
        Err(why) => (SecretsFile::default(), Some(format!("{} was not read: {why}", path.display()))),
    };
    let mut secrets = Secrets::default();
    let mut of_kinds = Vec::new();
    for (family, whose, login) in file.entries() {
        match whose {
            Whose::Owner(owner) => secrets.keep(family, owner, login),
            Whose::Kind(kind) => of_kinds.push((family, kind, login)),
        }
    }
    if let Some(sheet) = sheet {
        spread(&mut secrets, of_kinds, sheet);
    }
    for family in Way::with_password() {
        if let Some(login) = of_environment(family) {
            secrets.keep(family, Owner::Everybody, login);
        }
    }
    if !secrets.is_empty() {
        leave_no_core();
    }
    (secrets, trouble)
}

/// Keeps what is kept of kinds for every node of the sheet that is of one. What is kept of one device itself counts more.
fn spread(secrets: &mut Secrets, of_kinds: Vec<(Way, String, Login)>, sheet: &RigSheet) {
    for (family, kind, login) in of_kinds {
        for owners in of_kind(sheet, &kind) {
            if let Some(owner) = owners.first().filter(|_| !owners.iter().any(|one| secrets.has(family, *one))) {
                secrets.keep(family, *owner, login.clone());
            }
        }
    }
}

/// The login of a family in the environment.
pub(crate) fn of_environment(family: Way) -> Option<Login> {
    let password = Secret::new(env::var(variable(PASSWORD, family)).ok()?);
    let privacy = env::var(variable(PRIVACY, family)).ok().filter(|_| family.takes_privacy());
    let user = env::var(variable(USER, family)).unwrap_or_default();
    Some(Login { user, password, privacy: privacy.map(Secret::new) })
}

/// How the nodes of a kind are known, the surest first.
fn of_kind<'a>(sheet: &'a RigSheet, kind: &'a str) -> impl Iterator<Item = Vec<Owner>> + 'a {
    let nodes = sheet.nodes.iter().filter(move |node| node.kind.as_ref().is_some_and(|own| own.value == kind));
    nodes.map(|node| node.owners().collect())
}

fn variable(start: &str, family: Way) -> String {
    format!("{start}{}", family.name().to_uppercase().replace('-', "_"))
}

/// A picture of the memory, which a system may keep of a program that fails, would hold them.
pub(crate) fn leave_no_core() {
    #[cfg(unix)]
    {
        use rustix::process::{Resource, Rlimit, setrlimit};
        let none = Rlimit { current: Some(0), maximum: Some(0) };
        // Where that is refused, there was no more to be done.
        setrlimit(Resource::Core, none).unwrap_or(());
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Of two nodes of a kind one has its own, by its address though the sheet knows its MAC address; a third is of another kind.
    #[test]
    fn what_is_kept_of_a_kind_is_of_its_nodes_that_have_none_of_their_own() {
        let node = |name: &str, kind: &str, keys: &str| {
            format!("[[node]]\nname = \"{name}\"\nkind = \"{kind}\"\n{keys}\n")
        };
        let text = [
            "[rig]\nname = \"t\"\n".to_owned(),
            node("left", "tessaquill-eye", "mac = \"02:54:51:00:00:01\"\naddress = \"10.40.7.1\""),
            node("right", "tessaquill-eye", "mac = \"02:54:51:00:00:02\"\naddress = \"10.40.7.2\""),
            node("back", "tessaquill-eye", "address = \"10.40.7.3\""),
            node("wall", "tessaquill-wall", "address = \"10.40.7.4\""),
        ];
        let sheet = RigSheet::parse(&text.concat()).unwrap();
        let login = |password: &str| Login::of_user("tess".to_owned(), Secret::new(password.to_owned()));
        let mut secrets = Secrets::default();
        let right = "10.40.7.2".parse().unwrap();
        secrets.keep(Way::Onvif, Owner::Address(right), login("own"));
        spread(&mut secrets, vec![(Way::Onvif, "tessaquill-eye".to_owned(), login("kind"))], &sheet);
        let of = |last: u8| {
            let mac = (last < 3).then_some(lantern_core::MacAddress([2, 0x54, 0x51, 0, 0, last]));
            let login = secrets.of(Way::Onvif, mac, std::net::Ipv4Addr::new(10, 40, 7, last));
            login.map(|login| login.password.expose().to_owned())
        };
        let all = [of(1), of(2), of(3), of(4)];
        assert_eq!(all.each_ref().map(Option::as_deref), [Some("kind"), Some("own"), Some("kind"), None]);
    }

    #[test]
    fn the_environment_has_a_variable_for_each_family() {
        assert_eq!(variable(PASSWORD, Way::Pjlink), "DEFT_LANTERN_PASSWORD_PJLINK");
        assert_eq!(variable(USER, Way::Onvif), "DEFT_LANTERN_USER_ONVIF");
    }
}
