//! With what units of a kind let themselves be opened as they leave the factory.

use crate::secret::{Login, Secret};
use crate::sheet::fields::Fields;
use crate::way::Way;

/// A way in that the maker made known for every unit of a kind.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FactoryLogin {
    /// By which family it opens them.
    pub way: Way,
    /// With what.
    pub login: Login,
}

/// The ways in of a kind.
pub(super) fn read_factory_logins(fields: &Fields<'_>) -> Vec<FactoryLogin> {
    let words: Vec<(&'static str, Way)> = Way::with_password().map(|way| (way.name(), way)).collect();
    let mut logins: Vec<FactoryLogin> = Vec::new();
    for table in fields.tables("factory_login", "this login") {
        let way = table.required("way", table.word("way", &words), "\"onvif\"");
        let user = table.text("user");
        let password = table.required("password", table.text("password"), "\"what the manual says\"");
        let privacy = table.text("privacy");
        table.refuse_unknown_keys();
        let (Some(way), Some(password)) = (way, password) else { continue };
        if way.value.wants_user() && user.is_none() {
            table.note(way.span, "this way wants to know who asks, too", "user = \"what the manual says\"");
        }
        if logins.iter().any(|one| one.way == way.value) {
            table.note(way.span, "a factory login by this way is described twice", "each once");
        }
        logins.push(FactoryLogin {
            way: way.value,
            login: Login {
                user: user.map(|user| user.value).unwrap_or_default(),
                password: Secret::new(password.value),
                privacy: privacy.map(|privacy| Secret::new(privacy.value)),
            },
        });
    }
    logins
}
