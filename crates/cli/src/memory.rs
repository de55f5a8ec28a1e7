//! What earlier surveys saw: one small database beside the rig sheet, or among the user's own data.

use std::env;
use std::fs;
use std::path::{Path, PathBuf};

use lantern_core::census::{Device, Standing};
use rusqlite::{Connection, params};

use crate::failure::Failure;
use crate::files::{self, SheetFile};

const SCHEMA: &str = "
CREATE TABLE IF NOT EXISTS survey (id INTEGER PRIMARY KEY, network TEXT NOT NULL, taken TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS device (
    identity TEXT PRIMARY KEY, mac TEXT, address TEXT, name TEXT NOT NULL, what TEXT NOT NULL,
    network TEXT NOT NULL, first_seen TEXT NOT NULL, last_seen TEXT NOT NULL, survey INTEGER NOT NULL);
PRAGMA user_version = 1;";
/// How long another run of the program may hold the database.
const PATIENCE: std::time::Duration = std::time::Duration::from_secs(2);
/// How long a device that was not seen again is remembered.
const KEPT_FOR: &str = "-400 days";
/// The most devices that are remembered; past it the oldest are forgotten.
const MOST: usize = 20_000;

/// The database.
pub(crate) struct Memory {
    path: PathBuf,
    database: Connection,
}

/// What is remembered of a device.
#[derive(Debug, Clone)]
pub(crate) struct Remembered {
    pub(crate) mac: Option<String>,
    pub(crate) address: Option<String>,
    pub(crate) name: String,
    pub(crate) what: String,
    pub(crate) network: String,
    pub(crate) first_seen: String,
    pub(crate) last_seen: String,
    /// Whether the last survey of its network saw it.
    pub(crate) in_last: bool,
}

impl Memory {
    /// The memory of a rig, or without a sheet the user's own; `None` where there is no place for one: no sheet and no
    /// home, or simulated nodes on loopback.
    pub(crate) fn open(sheet: Option<&SheetFile>, on_loopback: bool) -> Result<Option<Self>, Failure> {
        let path = match sheet {
            Some(file) => file.beside("memory.sqlite3"),
            None if on_loopback => return Ok(None),
            None => match own_path() {
                Some(path) => path,
                None => return Ok(None),
            },
        };
        Self::open_at(path).map(Some)
    }

    /// The memory that is there already, to be read only.
    pub(crate) fn of_earlier(sheet: Option<&SheetFile>, on_loopback: bool) -> Result<Option<Self>, Failure> {
        let there = match sheet {
            Some(file) => Some(file.beside("memory.sqlite3")),
            None if on_loopback => None,
            None => own_path(),
        };
        there.filter(|path| path.exists()).map(Self::open_at).transpose()
    }

    fn open_at(path: PathBuf) -> Result<Self, Failure> {
        if let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) {
            fs::create_dir_all(folder).map_err(|source| Failure::Write { path: folder.to_owned(), source })?;
        }
        let failed = |source| Failure::Memory { path: path.clone(), source };
        let database = Connection::open(&path).map_err(failed)?;
        database.busy_timeout(PATIENCE).map_err(failed)?;
        let version: i64 = database.pragma_query_value(None, "user_version", |row| row.get(0)).map_err(failed)?;
        if version > 1 {
            return Err(Failure::MemoryFormat { path, version });
        }
        database.execute_batch(SCHEMA).map_err(failed)?;
        Ok(Self { path, database })
    }

    fn failed(&self) -> impl Fn(rusqlite::Error) -> Failure + '_ {
        |source| Failure::Memory { path: self.path.clone(), source }
    }

    /// Where it is.
    pub(crate) fn path(&self) -> &Path {
        &self.path
    }

    /// Takes in what a survey of this network saw. Only a `whole` one is what the next is compared with: who was not asked
    /// about is neither silent nor new.
    pub(crate) fn remember(
        &mut self,
        network: &str,
        taken: &str,
        devices: &[Device],
        whole: bool,
    ) -> Result<(), Failure> {
        let path = self.path.clone();
        let failed = |source| Failure::Memory { path: path.clone(), source };
        let all = self.database.transaction().map_err(failed)?;
        if whole {
            all.execute("INSERT INTO survey (network, taken) VALUES (?1, ?2)", params![network, taken])
                .map_err(failed)?;
        }
        let survey: i64 = all
            .query_row("SELECT coalesce(max(id), 0) FROM survey WHERE network = ?1", params![network], |row| {
                row.get(0)
            })
            .map_err(failed)?;
        for device in devices.iter().filter(|device| device.standing != Standing::Missing) {
            let mac = device.mac.map(|mac| mac.to_string());
            let address = device.address.map(|address| address.to_string());
            // An address by itself means somebody in one network only.
            let in_network = || address.as_ref().map(|address| format!("{network} {address}"));
            let Some(identity) = mac.clone().or_else(in_network) else { continue };
            all.execute(
                "INSERT INTO device VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?7, ?8)
                 ON CONFLICT (identity) DO UPDATE SET address = ?3, network = ?6, last_seen = ?7, survey = ?8,
                 name = CASE WHEN ?4 = '' THEN name ELSE ?4 END, what = CASE WHEN ?5 = '' THEN what ELSE ?5 END",
                params![
                    identity,
                    mac,
                    address,
                    device.name.to_string(),
                    device.what.to_string(),
                    network,
                    taken,
                    survey
                ],
            )
            .map_err(failed)?;
        }
        all.execute(
            "DELETE FROM device WHERE identity NOT IN (SELECT identity FROM device ORDER BY survey DESC LIMIT ?1)",
            params![i64::try_from(MOST).unwrap_or(i64::MAX)],
        )
        .map_err(failed)?;
        all.execute("DELETE FROM device WHERE last_seen < date(?1, ?2)", params![taken, KEPT_FOR])
            .map_err(failed)?;
        all.commit().map_err(failed)
    }

    /// Everything remembered, in the order of networks and addresses.
    pub(crate) fn all(&self) -> Result<Vec<Remembered>, Failure> {
        let mut select = self
            .database
            .prepare(
                "SELECT mac, address, name, what, network, first_seen, last_seen,
                 coalesce(survey > 0 AND survey = (SELECT max(id) FROM survey
                 WHERE survey.network = device.network), 0) FROM device",
            )
            .map_err(self.failed())?;
        let read = |row: &rusqlite::Row<'_>| {
            Ok(Remembered {
                mac: row.get(0)?,
                address: row.get(1)?,
                name: row.get(2)?,
                what: row.get(3)?,
                network: row.get(4)?,
                first_seen: row.get(5)?,
                last_seen: row.get(6)?,
                in_last: row.get(7)?,
            })
        };
        let rows = select.query_map([], read).map_err(self.failed())?;
        let mut all: Vec<Remembered> = rows.collect::<Result<_, _>>().map_err(self.failed())?;
        let key = |one: &Remembered| {
            (
                one.network.clone(),
                one.address.as_ref().and_then(|a| a.parse::<std::net::Ipv4Addr>().ok()),
                one.mac.clone(),
            )
        };
        all.sort_by_key(key);
        Ok(all)
    }

    /// Forgets everything, or the device with this MAC address or address; gives how many were forgotten.
    pub(crate) fn forget(&self, whom: Option<&str>) -> Result<usize, Failure> {
        let forgotten = match whom {
            Some(whom) => {
                self.database.execute("DELETE FROM device WHERE mac = ?1 OR address = ?1", params![whom])
            }
            None => self
                .database
                .execute("DELETE FROM survey", [])
                .and_then(|_| self.database.execute("DELETE FROM device", [])),
        };
        forgotten.map_err(self.failed())
    }
}

/// The user's own memory, where there is a home for it.
pub(crate) fn own_path() -> Option<PathBuf> {
    let home = if cfg!(windows) { "LOCALAPPDATA" } else { "HOME" };
    let has_home =
        ["XDG_DATA_HOME", home].iter().any(|name| env::var_os(name).is_some_and(|value| !value.is_empty()));
    has_home.then(|| files::own_folder("XDG_DATA_HOME", ".local/share").join("memory.sqlite3"))
}

impl Remembered {
    /// The day on which it was last seen.
    pub(crate) fn last_day(&self) -> &str {
        self.last_seen.split('T').next().unwrap_or(&self.last_seen)
    }

    /// Whether this is what is remembered of a device.
    pub(crate) fn is(&self, device: &Device) -> bool {
        match (&self.mac, device.mac) {
            (Some(known), Some(mac)) => *known == mac.to_string(),
            _ => self.address.is_some() && self.address == device.address.map(|address| address.to_string()),
        }
    }

    /// What was known of it, as somebody who is silent now.
    pub(crate) fn as_missing(&self) -> Device {
        let address = self.address.as_ref().and_then(|address| address.parse().ok());
        Device {
            name: self.name.as_str().into(),
            what: self.what.as_str().into(),
            mac: self.mac.as_ref().and_then(|mac| mac.parse().ok()),
            address,
            addresses: address.into_iter().collect(),
            standing: Standing::Missing,
            seen_by: Vec::new(),
            node: None,
            units: Vec::new(),
            set_as: None,
        }
    }
}
