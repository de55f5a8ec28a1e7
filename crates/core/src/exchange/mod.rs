//! A sheet beside other files: compared with another sheet, written as and read from tables and JSON, fixtures taken
//! from a designer's file, a first one written from what is there.

mod diff;
mod draft;
mod export;
mod hosts;
mod import;
mod json;
mod scene_file;
mod table;
mod upkeep;

pub use diff::{SheetChange, sheet_diff};
pub use draft::Draft;
pub use export::export;
pub(crate) use hosts::host_name;
pub use hosts::to_hosts;
pub use import::{BadCell, Imported, import};
pub use json::{JsonError, from_json, to_json};
pub use scene_file::{SceneFileError, read_scene_file};
pub use table::{Delimiter, Subject, Table, TableError, read_table, write_table};
pub use upkeep::export_upkeep;

#[cfg(test)]
mod tests;
