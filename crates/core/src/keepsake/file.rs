//! A keepsake as a file.

use std::collections::BTreeMap;
use std::net::Ipv4Addr;

use serde::{Deserialize, Serialize};

use super::Keepsake;
use crate::census::{NodeName, Way};
use crate::facts::{Field, PortField, Value};
use crate::{MacAddress, as_text};

/// The version of the format.
const FORMAT: u32 = 1;
/// The most ports of a device.
const MOST_PORTS: u32 = 1020;

/// Why a text is no keepsake.
#[derive(Debug, thiserror::Error)]
pub enum KeepsakeError {
    /// It is no TOML, or holds other things.
    #[error("it is no keepsake: {0}")]
    Form(#[from] toml::de::Error),
    /// A later version of this program wrote it.
    #[error("it was written by a later version of this program (format {0})")]
    Later(u32),
    /// A setting that there is none of.
    #[error("there is no setting {0:?}")]
    Unknown(String),
    /// A value that its setting cannot have.
    #[error("{setting} cannot be {value}: {why}")]
    Impossible {
        /// Which setting.
        setting: String,
        /// What is written.
        value: String,
        /// Why not.
        why: String,
    },
    /// A port without a number, or with one that no port has.
    #[error("every [[port]] needs a number from 1 to {MOST_PORTS}, as port = 1")]
    NoNumber,
}

type Settings = BTreeMap<String, serde_json::Value>;

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    format: u32,
    taken: String,
    unit: UnitPart,
    settings: Settings,
    #[serde(default, rename = "port", skip_serializing_if = "Vec::is_empty")]
    ports: Vec<PortPart>,
}

#[derive(Serialize, Deserialize)]
struct PortPart {
    #[serde(default)]
    port: u32,
    #[serde(flatten)]
    settings: Settings,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct UnitPart {
    name: String,
    family: Way,
    #[serde(with = "as_text::option", default, skip_serializing_if = "Option::is_none")]
    mac: Option<MacAddress>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    identity: Option<String>,
    address: Ipv4Addr,
    #[serde(default)]
    model: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    firmware: Option<String>,
}

impl Keepsake {
    /// As text.
    ///
    /// # Errors
    /// Never with what a device told; what is written by hand may hold a value that TOML has no word for.
    pub fn to_text(&self) -> Result<String, toml::ser::Error> {
        use serde::ser::Error;
        let mut settings = Settings::new();
        let mut ports: BTreeMap<u32, Settings> = BTreeMap::new();
        for (field, value) in &self.settings {
            let written = serde_json::to_value(value).map_err(toml::ser::Error::custom)?;
            match field {
                Field::Port(number, field) => {
                    ports.entry(*number).or_default().insert(key_of_port(*field), written);
                }
                field => {
                    settings.insert(key(*field), written);
                }
            }
        }
        toml::to_string(&File {
            format: FORMAT,
            taken: self.taken.clone(),
            unit: UnitPart {
                name: self.node.name.clone(),
                family: self.node.family,
                mac: self.node.mac,
                identity: self.node.identity.clone(),
                address: self.node.address,
                model: self.model.clone(),
                firmware: self.firmware.clone(),
            },
            settings,
            ports: ports.into_iter().map(|(port, settings)| PortPart { port, settings }).collect(),
        })
    }

    /// Reads one.
    ///
    /// # Errors
    /// When it is none, with what is wrong with it.
    pub fn read(text: &str) -> Result<Self, KeepsakeError> {
        #[derive(Deserialize)]
        struct Head {
            format: u32,
        }
        let head: Head = toml::from_str(text)?;
        if head.format > FORMAT {
            return Err(KeepsakeError::Later(head.format));
        }
        let File { taken, unit, settings, ports, .. } = toml::from_str(text)?;
        let mut all = Vec::new();
        for (name, written) in &settings {
            let field =
                Field::OF_DEVICES.into_iter().find(|field| key(*field) == *name && super::is_setting(*field));
            all.push(value(field.ok_or_else(|| KeepsakeError::Unknown(name.clone()))?, written)?);
        }
        for PortPart { port: number, settings } in ports {
            if !(1..=MOST_PORTS).contains(&number) {
                return Err(KeepsakeError::NoNumber);
            }
            for (name, written) in &settings {
                let is_it = |field: &PortField| key_of_port(*field) == *name && *field != PortField::Presence;
                let field = PortField::ALL.into_iter().find(is_it);
                let field = field.ok_or_else(|| KeepsakeError::Unknown(format!("{name} of port {number}")))?;
                all.push(value(Field::Port(number, field), written)?);
            }
        }
        all.sort_by_key(|(field, _)| *field);
        let UnitPart { name, family, mac, identity, address, model, firmware } = unit;
        let node = NodeName { family, mac, identity, name, address };
        Ok(Self { taken, node, model, firmware, settings: all })
    }
}

fn value(field: Field, written: &serde_json::Value) -> Result<(Field, Value), KeepsakeError> {
    let read = Value::read(field, written).map_err(|error| KeepsakeError::Impossible {
        setting: field.to_string(),
        value: written.to_string(),
        why: error.to_string(),
    })?;
    Ok((field, read))
}

/// What a field is called in the file.
fn key(field: Field) -> String {
    match field {
        // Yes or no, and to what is clear.
        Field::Addressing => "dhcp".to_owned(),
        field => field.to_string().to_lowercase().replace(' ', "_"),
    }
}

fn key_of_port(field: PortField) -> String {
    let whole = Field::Port(1, field).to_string();
    whole.trim_start_matches("port 1").trim().to_lowercase().replace(' ', "_")
}
