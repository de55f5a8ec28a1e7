//! Passwords, from where their owner keeps them: the environment, and a file that nobody else can read. They are never an
//! argument, which everybody on the computer could see.

mod file;

use std::env;

use lantern_core::census::Way;
use lantern_core::secret::{Login, Owner, Secret, Secrets};
use lantern_core::sheet::{RigSheet, SheetNode};

pub(crate) use file::{SecretsFile, Whose};

/// What stands before the name of a family in the environment: before its password, and before its user.
const PASSWORD: &str = "DEFT_LANTERN_PASSWORD_";
const USER: &str = "DEFT_LANTERN_USER_";

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
    for (family, kind, login) in of_kinds {
        for owners in sheet.into_iter().flat_map(|sheet| of_kind(sheet, &kind)) {
            // What is kept of one device itself counts more.
            if !owners.iter().any(|owner| secrets.has(family, *owner)) {
                owners.first().into_iter().for_each(|owner| secrets.keep(family, *owner, login.clone()));
            }
        }
    }
    for family in Way::ALL.into_iter().filter(|way| way.takes_password()) {
        if let Some(login) = of_environment(family) {
            secrets.keep(family, Owner::Everybody, login);
        }
    }
    if !secrets.is_empty() {
        leave_no_core();
    }
    (secrets, trouble)
}

/// The login of a family in the environment.
pub(crate) fn of_environment(family: Way) -> Option<Login> {
    let password = Secret::new(env::var(variable(PASSWORD, family)).ok()?);
    Some(Login { user: env::var(variable(USER, family)).unwrap_or_default(), password })
}

/// How the nodes of a kind are known, the surest first.
fn of_kind<'a>(sheet: &'a RigSheet, kind: &'a str) -> impl Iterator<Item = Vec<Owner>> + 'a {
    let nodes = sheet.nodes.iter().filter(move |node| node.kind.as_ref().is_some_and(|own| own.value == kind));
    nodes.map(owners)
}

/// How a node of the sheet is known, the surest first.
pub(crate) fn owners(node: &SheetNode) -> Vec<Owner> {
    let mac = node.mac.as_ref().map(|mac| Owner::Mac(mac.value));
    mac.into_iter().chain(node.fixed_address().map(Owner::Address)).collect()
}

fn variable(start: &str, family: Way) -> String {
    format!("{start}{}", family.name().to_uppercase().replace('-', "_"))
}

/// A picture of the memory, which a system may keep of a program that fails, would hold them.
fn leave_no_core() {
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

    #[test]
    fn the_environment_has_a_variable_for_each_family() {
        assert_eq!(variable(PASSWORD, Way::Pjlink), "DEFT_LANTERN_PASSWORD_PJLINK");
        assert_eq!(variable(USER, Way::Onvif), "DEFT_LANTERN_USER_ONVIF");
    }
}
