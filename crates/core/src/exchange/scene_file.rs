//! The fixture patch of a designer's file in the My Virtual Rig format (DIN SPEC 15801: a zip archive with
//! `GeneralSceneDescription.xml`), and the footprints from the device descriptions in it (DIN SPEC 15800).
//!
//! Such files come from strangers: what is unpacked is counted, entities are refused, nothing is written to disk.

use std::collections::HashMap;
use std::io::{Cursor, Read};

use quick_xml::Reader;
use quick_xml::escape::{resolve_xml_entity, unescape};
use quick_xml::events::{BytesStart, Event};
use zip::ZipArchive;

use super::table::Table;
use crate::sheet::SLOTS;
use crate::universe::PortAddress;

const SCENE: &str = "GeneralSceneDescription.xml";
const DEVICE: &str = "description.xml";
/// The most bytes unpacked from one archive, all parts together.
const MOST_BYTES: u64 = 192 << 20;
/// The most parts of an archive.
const MOST_PARTS: usize = 20_000;
/// The deepest nesting.
const DEEPEST: usize = 256;
/// The most fixtures.
const MOST_FIXTURES: usize = 100_000;

/// Why a file gives no fixtures.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SceneFileError {
    /// It is no zip archive.
    #[error("it is no zip archive: {0}")]
    NoArchive(String),
    /// It has no scene.
    #[error("the archive has no {SCENE}")]
    NoScene,
    /// It unpacks to more than any scene needs.
    #[error("it unpacks to more than {} MiB or {MOST_PARTS} parts", MOST_BYTES >> 20)]
    TooLarge,
    /// It defines entities, with which a small file can become a huge one.
    #[error("it defines a document type, which scenes do not need")]
    DocumentType,
    /// It is no XML.
    #[error("{SCENE} cannot be read: {0}")]
    NoXml(String),
}

/// A fixture as the scene has it.
#[derive(Debug, Default)]
struct Found {
    name: String,
    number: String,
    device: String,
    mode: String,
    address: Option<String>,
}

/// Reads the fixtures of a scene as a table of fixtures; `footprint` is for those whose device says nothing.
///
/// # Errors
/// When it is no such archive, or a hostile one.
pub fn read_scene_file(bytes: &[u8], footprint: Option<u32>) -> Result<Table, SceneFileError> {
    let mut unpacking = Unpacking { left: MOST_BYTES };
    let mut archive = open(bytes)?;
    let scene = unpacking.part(&mut archive, SCENE)?.ok_or(SceneFileError::NoScene)?;
    let found = fixtures(&text_of(&scene)?)?;
    let mut footprints: HashMap<(String, String), Option<u32>> = HashMap::new();
    let mut names: HashMap<String, usize> = HashMap::new();
    let mut table = Table {
        columns: ["name", "on", "slot", "footprint"].map(str::to_owned).to_vec(),
        rows: Vec::with_capacity(found.len()),
    };
    for (place, fixture) in found.into_iter().enumerate() {
        let key = (fixture.device.clone(), fixture.mode.clone());
        let known = match footprints.get(&key) {
            Some(known) => *known,
            None => {
                let known = unpacking.footprint(&mut archive, &fixture.device, &fixture.mode)?;
                footprints.insert(key, known);
                known
            }
        };
        let (on, slot) = fixture.address.as_deref().and_then(patched).unwrap_or_default();
        let size = known.or(footprint).map(|size| size.to_string()).unwrap_or_default();
        table.rows.push((place + 1, vec![own_name(&fixture, place, &mut names), on, slot, size]));
    }
    Ok(table)
}

fn open(bytes: &[u8]) -> Result<ZipArchive<Cursor<&[u8]>>, SceneFileError> {
    let archive =
        ZipArchive::new(Cursor::new(bytes)).map_err(|error| SceneFileError::NoArchive(error.to_string()))?;
    if archive.len() > MOST_PARTS { Err(SceneFileError::TooLarge) } else { Ok(archive) }
}

fn text_of(bytes: &[u8]) -> Result<String, SceneFileError> {
    String::from_utf8(bytes.to_vec()).map_err(|error| SceneFileError::NoXml(error.to_string()))
}

/// How much may still be unpacked. What an archive says of its sizes is not believed.
struct Unpacking {
    left: u64,
}

impl Unpacking {
    fn part<R: Read + std::io::Seek>(
        &mut self,
        archive: &mut ZipArchive<R>,
        name: &str,
    ) -> Result<Option<Vec<u8>>, SceneFileError> {
        let Ok(part) = archive.by_name(name) else { return Ok(None) };
        let mut bytes = Vec::new();
        let read = part.take(self.left + 1).read_to_end(&mut bytes);
        read.map_err(|error| SceneFileError::NoArchive(error.to_string()))?;
        let size = u64::try_from(bytes.len()).unwrap_or(u64::MAX);
        self.left = self.left.checked_sub(size).ok_or(SceneFileError::TooLarge)?;
        Ok(Some(bytes))
    }

    /// How many slots a device takes in a mode, where its description is in the archive.
    fn footprint<R: Read + std::io::Seek>(
        &mut self,
        archive: &mut ZipArchive<R>,
        device: &str,
        mode: &str,
    ) -> Result<Option<u32>, SceneFileError> {
        let named = if device.ends_with(".gdtf") { device.to_owned() } else { format!("{device}.gdtf") };
        let Some(packed) = self.part(archive, &named)? else { return Ok(None) };
        let mut inner = open(&packed)?;
        let Some(description) = self.part(&mut inner, DEVICE)? else { return Ok(None) };
        highest_slot(&text_of(&description)?, mode)
    }
}

/// An element begins, or ends with the text inside it.
enum Step<'a> {
    Begins(&'a BytesStart<'a>),
    Ends { name: String, text: String },
}

/// Walks over XML, refusing document types and bottomless nesting.
fn walk(xml: &str, mut step: impl FnMut(Step<'_>) -> Result<(), SceneFileError>) -> Result<(), SceneFileError> {
    let broken = |error: &dyn std::fmt::Display| SceneFileError::NoXml(error.to_string());
    let mut reader = Reader::from_str(xml);
    let mut depth = 0_usize;
    let mut text = String::new();
    loop {
        match reader.read_event().map_err(|error| broken(&error))? {
            Event::DocType(_) => return Err(SceneFileError::DocumentType),
            Event::Start(element) => {
                depth += 1;
                if depth > DEEPEST {
                    return Err(broken(&"it is nested too deeply"));
                }
                text.clear();
                step(Step::Begins(&element))?;
            }
            Event::Empty(element) => {
                step(Step::Begins(&element))?;
                step(Step::Ends { name: name_of(&element), text: String::new() })?;
            }
            Event::End(element) => {
                depth = depth.saturating_sub(1);
                let name = element.name().as_ref().to_owned();
                step(Step::Ends { name, text: std::mem::take(&mut text).trim().to_owned() })?;
            }
            Event::Text(part) => text.push_str(&part),
            // Only the five that XML itself defines; others would need a document type.
            Event::GeneralRef(part) => text.push_str(resolve_xml_entity(&part).unwrap_or_default()),
            Event::Eof if depth > 0 => return Err(broken(&"it ends in the middle of an element")),
            Event::Eof => return Ok(()),
            _ => {}
        }
    }
}

fn name_of(element: &BytesStart<'_>) -> String {
    element.name().as_ref().to_owned()
}

fn attribute(element: &BytesStart<'_>, name: &str) -> Option<String> {
    let found = element.try_get_attribute(name).ok()??;
    unescape(&found.value).ok().map(std::borrow::Cow::into_owned)
}

fn fixtures(xml: &str) -> Result<Vec<Found>, SceneFileError> {
    let mut all: Vec<Found> = Vec::new();
    let mut current: Option<Found> = None;
    walk(xml, |step| {
        match step {
            Step::Begins(element) if name_of(element) == "Fixture" => {
                current = Some(Found { name: attribute(element, "name").unwrap_or_default(), ..Found::default() });
            }
            Step::Begins(_) => {}
            Step::Ends { name, .. } if name == "Fixture" => {
                all.extend(current.take());
                if all.len() > MOST_FIXTURES {
                    return Err(SceneFileError::TooLarge);
                }
            }
            Step::Ends { name, text } => {
                let Some(fixture) = current.as_mut().filter(|_| !text.is_empty()) else { return Ok(()) };
                match name.as_str() {
                    "GDTFSpec" => fixture.device = text,
                    "GDTFMode" => fixture.mode = text,
                    "FixtureID" => fixture.number = text,
                    // The first break is the one that is patched.
                    "Address" if fixture.address.is_none() => fixture.address = Some(text),
                    _ => {}
                }
            }
        }
        Ok(())
    })?;
    Ok(all)
}

/// Universe and slot of an address, written as one number or as `universe.slot`; the scene counts universes from 1.
fn patched(address: &str) -> Option<(String, String)> {
    let (universe, slot) = match address.split_once('.') {
        Some((universe, slot)) => (universe.parse::<u64>().ok()?.checked_sub(1)?, slot.parse::<u64>().ok()?),
        None => {
            let absolute = address.parse::<u64>().ok()?.checked_sub(1)?;
            (absolute / u64::from(SLOTS), absolute % u64::from(SLOTS) + 1)
        }
    };
    let universe = PortAddress::new(universe).map_or_else(|_| universe.to_string(), |address| address.to_string());
    Some((universe, slot.to_string()))
}

/// A name of its own for each: scenes repeat names, and count with a number.
fn own_name(fixture: &Found, place: usize, names: &mut HashMap<String, usize>) -> String {
    let base = match (fixture.name.is_empty(), fixture.number.is_empty()) {
        (false, _) => fixture.name.clone(),
        (true, false) => format!("fixture {}", fixture.number),
        (true, true) => format!("fixture {}", place + 1),
    };
    let count = names.entry(base.clone()).or_default();
    *count += 1;
    match (*count, fixture.number.is_empty()) {
        (1, _) => base,
        (_, false) => format!("{base} {}", fixture.number),
        (count, true) => format!("{base} {count}"),
    }
}

/// The highest slot of a mode's channels.
fn highest_slot(xml: &str, mode: &str) -> Result<Option<u32>, SceneFileError> {
    let mut highest: Option<u32> = None;
    let mut is_meant = false;
    walk(xml, |step| {
        match step {
            Step::Begins(element) => match name_of(element).as_str() {
                "DMXMode" => is_meant = attribute(element, "Name").as_deref() == Some(mode),
                "DMXChannel" if is_meant => {
                    let offsets = attribute(element, "Offset").unwrap_or_default();
                    let last = offsets.split(',').filter_map(|offset| offset.trim().parse::<u32>().ok()).max();
                    highest = highest.max(last);
                }
                _ => {}
            },
            Step::Ends { name, .. } if name == "DMXMode" => is_meant = false,
            Step::Ends { .. } => {}
        }
        Ok(())
    })?;
    Ok(highest)
}
