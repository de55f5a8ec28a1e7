//! A sheet as JSON: the same tables and keys, without the comments.

use serde_json::Value;

/// Why a text cannot be turned into a sheet.
#[derive(Debug, thiserror::Error)]
pub enum JsonError {
    /// It is no JSON object.
    #[error("it is not JSON: {0}")]
    Json(#[from] serde_json::Error),
    /// It holds something that a sheet cannot.
    #[error("a sheet cannot hold it: {0}")]
    Toml(#[from] toml::ser::Error),
}

/// The tables of a sheet's text as JSON. The text must have been read as a sheet before.
///
/// # Errors
/// When it is no TOML.
pub fn to_json(text: &str) -> Result<Value, toml::de::Error> {
    toml::from_str(text)
}

/// The text of a sheet that says what the JSON says. Whether it is a sheet, reading it tells.
///
/// # Errors
/// When it is no JSON, or holds null or numbers that TOML has not.
pub fn from_json(text: &str) -> Result<String, JsonError> {
    let value: serde_json::Map<String, Value> = serde_json::from_str(text)?;
    Ok(toml::to_string_pretty(&value)?)
}
