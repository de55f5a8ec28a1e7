//! Passwords that are still those of the factory.

use lantern_core::clash::{factory_passwords, factory_secrets};
use lantern_core::conversation::{SurveyPlan, Vantage};
use lantern_core::finding::Finding;
use lantern_core::secret::Secrets;
use lantern_core::sheet::SheetNode;

use super::Check;
use crate::failure::Failure;
use crate::output::Out;

/// Looks without any password, then with those of the factory. Nothing is changed, and no password of the user's own is sent.
pub(super) fn try_them(check: &Check<'_>, out: &mut Out) -> Result<Vec<Finding>, Failure> {
    let sheet = &check.file.sheet;
    let tried = factory_secrets(sheet, |node| check.means(node));
    if tried.is_empty() {
        let what = "no kind of what is to be checked states a [[kind.factory_login]]; kinds are described in";
        return Err(Failure::Call(format!("{what} {} or a file of its own", check.file.path.display())));
    }
    out.note("trying the passwords that the sheet's kinds leave their factory with; a device may count that")?;
    let meant = sheet.nodes.iter().filter(|node| check.means(node));
    let likely: Vec<_> = meant.filter_map(SheetNode::fixed_address).collect();
    let mut look = |secrets: Secrets| {
        let plan = check.session.survey_plan();
        let vantage = Vantage { secrets, ..plan.vantage };
        check.session.look_by(SurveyPlan { vantage, likely: likely.clone(), ..plan }, out)
    };
    let bare = look(Secrets::default())?;
    let opened = look(tried)?;
    Ok(factory_passwords(sheet, &bare.census, &opened.census))
}
