//! `access`: the passwords by which devices let themselves be read and set.

use std::io::{self, IsTerminal};
use std::path::PathBuf;

use clap::builder::PossibleValuesParser;
use lantern_core::census::Way;
use lantern_core::secret::{Login, Owner, Secret};
use serde::Serialize;

use crate::exit::Exit;
use crate::failure::Failure;
use crate::files::SheetFile;
use crate::output::{Cell, Out, Table};
use crate::secrets::{SecretsFile, Whose, leave_no_core, of_environment};

/// The most bytes of a password.
const LONGEST: usize = 1024;
/// What stands for a password.
const DOTS: &str = "•••";

/// Keep the passwords of devices that want one
#[derive(Debug, clap::Subcommand)]
pub(crate) enum Sub {
    Set(SetArgs),
    /// List whose passwords are kept, without the passwords
    List,
    Drop(DropArgs),
}

/// Keep a password: it is asked for, or read from the first line of what is piped in; never an argument
#[derive(Debug, clap::Args)]
pub(crate) struct SetArgs {
    #[command(flatten)]
    whom: Whom,

    /// The user who is let in, where the protocol wants to know that
    #[arg(long, value_name = "NAME")]
    user: Option<String>,

    /// Ask for a second password, by which what is said is encrypted (SNMP version 3)
    #[arg(long, requires = "user")]
    privacy: bool,
}

/// Forget a password
#[derive(Debug, clap::Args)]
pub(crate) struct DropArgs {
    #[command(flatten)]
    whom: Whom,
}

#[derive(Debug, clap::Args)]
struct Whom {
    /// Whose: a node of the sheet, a kind, an address, a MAC address, or all
    #[arg(value_name = "NODE|KIND")]
    whom: String,

    /// The protocol in which it is asked for
    #[arg(long, value_name = "WAY", value_parser = PossibleValuesParser::new(families().map(Way::name)))]
    way: String,

    /// The rig sheet whose nodes and kinds are meant; without it, the only *.rig.toml in this folder, if there is one
    #[arg(long, value_name = "FILE")]
    sheet: Option<PathBuf>,
}

#[derive(Debug, Serialize)]
struct Answer {
    format: u32,
    access: Vec<Kept>,
}

/// A password without the password.
#[derive(Debug, Serialize)]
struct Kept {
    whom: String,
    way: Way,
    user: Option<String>,
    /// `file` or `environment`.
    from: &'static str,
}

/// Runs it.
pub(crate) fn run(sub: &Sub, out: &mut Out) -> Result<Exit, Failure> {
    leave_no_core();
    match sub {
        Sub::Set(args) => set(args, out),
        Sub::List => list(out),
        Sub::Drop(args) => drop(args, out),
    }
}

fn families() -> impl Iterator<Item = Way> {
    Way::with_password()
}

fn set(args: &SetArgs, out: &mut Out) -> Result<Exit, Failure> {
    let (way, whose) = args.whom.meant()?;
    let user = args.user.clone().unwrap_or_default();
    if way.wants_user() && user.is_empty() {
        return Err(Failure::Call(format!("{way} wants to know who asks: add --user NAME")));
    }
    if !way.takes_user() && !user.is_empty() {
        return Err(Failure::Call(format!("{way} knows no users: leave --user out")));
    }
    if args.privacy && !way.takes_privacy() {
        return Err(Failure::Call(format!("{way} encrypts nothing by a password: leave --privacy out")));
    }
    let mut file = opened()?;
    let password = asked(&format!("the {way} password of {whose}: "))?;
    let second = format!("the second {way} password of {whose}, for what is encrypted: ");
    let privacy = args.privacy.then(|| asked(&second)).transpose()?;
    file.keep(way, &whose, &Login { user, password, privacy });
    let path = file.write()?;
    out.line(&format!("kept the {way} password of {whose} in {}, readable by you alone", path.display()))?;
    Ok(Exit::Fine)
}

fn drop(args: &DropArgs, out: &mut Out) -> Result<Exit, Failure> {
    let (way, whose) = args.whom.meant()?;
    let mut file = opened()?;
    if !file.drop(way, &whose) {
        return Err(Failure::Call(format!(
            "no {way} password of {whose} is kept; what is kept: deft-lantern access list"
        )));
    }
    let path = file.write()?;
    out.line(&format!("the {way} password of {whose} is gone from {}", path.display()))?;
    Ok(Exit::Fine)
}

fn list(out: &mut Out) -> Result<Exit, Failure> {
    let mut all: Vec<Kept> = Vec::new();
    let user = |login: &Login| Some(login.user.clone()).filter(|user| !user.is_empty());
    for (way, whose, login) in opened()?.entries() {
        all.push(Kept { whom: whose.to_string(), way, user: user(&login), from: "file" });
    }
    for way in families() {
        if let Some(login) = of_environment(way) {
            let whom = Whose::Owner(Owner::Everybody).to_string();
            all.push(Kept { whom, way, user: user(&login), from: "environment" });
        }
    }
    if out.is_json() {
        out.object(&Answer { format: 1, access: all })?;
        return Ok(Exit::Fine);
    }
    if all.is_empty() {
        out.line("no password is kept")?;
        out.hint("deft-lantern access set NODE --way onvif --user NAME")?;
        return Ok(Exit::Fine);
    }
    let mut table = Table::new(&["whose", "way", "user", "password", "from"]);
    for one in &all {
        table.row(vec![
            Cell::from(one.whom.as_str()),
            Cell::from(one.way.to_string()),
            Cell::from(one.user.as_deref().unwrap_or_default()),
            Cell::from(DOTS),
            Cell::from(if one.from == "file" { "the file" } else { "the environment" }),
        ]);
    }
    out.table(&table)?;
    Ok(Exit::Fine)
}

fn opened() -> Result<SecretsFile, Failure> {
    SecretsFile::read().map_err(|why| Failure::Call(format!("the passwords that are kept were not read: {why}")))
}

/// A password that nobody sees: typed blind, or the first line of what is piped in.
fn asked(question: &str) -> Result<Secret, Failure> {
    let read = if io::stdin().is_terminal() {
        rpassword::prompt_password(question)
    } else {
        let mut line = String::new();
        io::stdin().read_line(&mut line).map(|_| line)
    };
    let line = Secret::new(read.map_err(|error| Failure::Call(format!("no password was read: {error}")))?);
    let password = line.expose().trim_end_matches(['\r', '\n']);
    if password.is_empty() || password.len() > LONGEST {
        return Err(Failure::Call(format!("a password has 1 to {LONGEST} bytes; nothing was kept")));
    }
    Ok(Secret::new(password.to_owned()))
}

impl Whom {
    /// Whose it is: a node of the sheet by its MAC address where the sheet has one, else by its address.
    fn meant(&self) -> Result<(Way, Whose), Failure> {
        let way: Way = self.way.parse().map_err(Failure::Call)?;
        if let Some(plain) = Whose::plain(&self.whom) {
            return Ok((way, plain));
        }
        let file = SheetFile::named_or_only(self.sheet.as_deref())?;
        let sheet = file.as_ref().map(|file| &file.sheet);
        if let Some(node) = sheet.and_then(|sheet| super::named::planned(sheet, &self.whom)) {
            let owner = node.owners().next().ok_or_else(|| {
                let what = "has neither a MAC address nor an address on the sheet by which to know it";
                Failure::Call(format!("{} {what}; name its address", self.whom))
            })?;
            return Ok((way, Whose::Owner(owner)));
        }
        if super::kinds::book(self.sheet.as_deref())?.named(&self.whom).is_some() {
            return Ok((way, Whose::Kind(self.whom.clone())));
        }
        Err(Failure::Call(format!(
            "{} is no node of the sheet, no kind, no address and no MAC address; for everybody: all",
            self.whom
        )))
    }
}
