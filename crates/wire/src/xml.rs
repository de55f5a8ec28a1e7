//! XML from strangers, as a tree of elements: bounded, without document types, and with the five entities that XML itself has.
//! Prefixes are left out: devices choose them as they like, and some choose wrongly.

use quick_xml::Reader;
use quick_xml::escape::{escape, resolve_xml_entity};
use quick_xml::events::{BytesStart, Event};

use crate::{Layer, WireError};

/// The deepest nesting.
const DEEPEST: usize = 32;
/// The most elements.
const MOST: usize = 4096;
/// The longest document, in bytes.
const LONGEST: usize = 64 * 1024;

/// An element.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Element {
    /// Its name, without a prefix.
    pub name: String,
    /// Its attributes, their names without a prefix.
    pub attributes: Vec<(String, String)>,
    /// The text in it, without that of the elements in it, and without blanks around.
    pub text: String,
    /// The elements in it.
    pub inside: Vec<Self>,
}

impl Element {
    /// Reads a document: its one outermost element.
    ///
    /// # Errors
    /// [`WireError::Foreign`] when it is no XML, too long or too deep, or defines a document type or entities of its own.
    pub fn parse(bytes: &[u8]) -> Result<Self, WireError> {
        read(bytes).ok_or(WireError::Foreign { layer: Layer::Xml })
    }

    /// The first element of this name in it.
    #[must_use]
    pub fn child(&self, name: &str) -> Option<&Self> {
        self.inside.iter().find(|one| one.name == name)
    }

    /// All elements of this name in it.
    pub fn children<'a>(&'a self, name: &'a str) -> impl Iterator<Item = &'a Self> {
        self.inside.iter().filter(move |one| one.name == name)
    }

    /// What stands at the end of this path, each step the first element of that name.
    #[must_use]
    pub fn at(&self, path: &[&str]) -> Option<&Self> {
        path.iter().try_fold(self, |element, name| element.child(name))
    }

    /// The text at the end of this path; `None` where there is no such element.
    #[must_use]
    pub fn text_at(&self, path: &[&str]) -> Option<&str> {
        self.at(path).map(|element| element.text.as_str())
    }

    /// The attribute of this name.
    #[must_use]
    pub fn attribute(&self, name: &str) -> Option<&str> {
        self.attributes.iter().find(|(own, _)| own == name).map(|(_, value)| value.as_str())
    }
}

/// A text as it may stand in a document.
#[must_use]
pub fn escaped(text: &str) -> String {
    escape(text).into_owned()
}

fn read(bytes: &[u8]) -> Option<Element> {
    let text = std::str::from_utf8(bytes).ok().filter(|text| text.len() <= LONGEST)?;
    let mut reader = Reader::from_str(text.trim_start_matches('\u{feff}'));
    let (mut open, mut outermost, mut count): (Vec<Element>, Option<Element>, usize) = (Vec::new(), None, 0);
    loop {
        match reader.read_event().ok()? {
            Event::Start(tag) if open.len() < DEEPEST => open.push(begun(&tag, &mut count)?),
            Event::Empty(tag) if open.len() < DEEPEST => {
                let element = begun(&tag, &mut count)?;
                close(element, &mut open, &mut outermost)?;
            }
            Event::End(_) => {
                let mut element = open.pop()?;
                element.text = element.text.trim().to_owned();
                close(element, &mut open, &mut outermost)?;
            }
            Event::Text(said) => add(&said.xml10_content(), &mut open)?,
            Event::CData(said) => add(&said.xml10_content(), &mut open)?,
            Event::GeneralRef(entity) => match entity.resolve_char_ref().ok()? {
                Some(char) => add(char.encode_utf8(&mut [0; 4]), &mut open)?,
                None => add(resolve_xml_entity(&entity)?, &mut open)?,
            },
            Event::Comment(_) | Event::Decl(_) | Event::PI(_) => {}
            Event::Eof => return outermost.filter(|_| open.is_empty()),
            Event::Start(_) | Event::Empty(_) | Event::DocType(_) => return None,
        }
    }
}

fn begun(tag: &BytesStart<'_>, count: &mut usize) -> Option<Element> {
    *count += 1;
    if *count > MOST {
        return None;
    }
    let mut attributes = Vec::new();
    for attribute in tag.attributes() {
        let attribute = attribute.ok()?;
        let value = attribute.normalized_value(quick_xml::XmlVersion::Implicit1_0).ok()?.into_owned();
        attributes.push((attribute.key.local_name().as_ref().to_owned(), value));
    }
    Some(Element { name: tag.local_name().as_ref().to_owned(), attributes, ..Element::default() })
}

/// Text outside the outermost element may only be blank.
fn add(text: &str, open: &mut [Element]) -> Option<()> {
    match open.last_mut() {
        Some(element) => element.text.push_str(text),
        None if text.trim().is_empty() => {}
        None => return None,
    }
    Some(())
}

fn close(element: Element, open: &mut [Element], outermost: &mut Option<Element>) -> Option<()> {
    match open.last_mut() {
        Some(around) => around.inside.push(element),
        None if outermost.is_none() => *outermost = Some(element),
        None => return None,
    }
    Some(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn prefixes_blanks_and_entities_are_read_away() {
        let text = "\u{feff}<?xml version=\"1.0\"?><!-- x --><a:Out b:t='1 &amp; 2'> <Inner>\n q&#x26;<![CDATA[<r>]]>&lt; </Inner><c:Empty/></a:Out>\n";
        let out = Element::parse(text.as_bytes()).unwrap();
        assert_eq!((out.name.as_str(), out.attribute("t")), ("Out", Some("1 & 2")));
        assert_eq!(out.text_at(&["Inner"]), Some("q&<r><"));
        assert_eq!(out.child("Empty").map(|one| one.text.as_str()), Some(""));
        assert_eq!(out.at(&["Inner", "None"]), None);
    }

    #[test]
    fn what_is_hostile_or_broken_is_foreign() {
        let deep = format!("{}{}", "<a>".repeat(40), "</a>".repeat(40));
        let many = format!("<a>{}</a>", "<b/>".repeat(MOST));
        let long = format!("<a>{}</a>", "x".repeat(LONGEST));
        let laughs = "<!DOCTYPE a [<!ENTITY b \"ha\"><!ENTITY c \"&b;&b;\">]><a>&c;</a>";
        for text in [
            "",
            "x",
            "<a>",
            "<a></b>",
            "<a/><b/>",
            "x<a/>",
            "<a>&nbsp;</a>",
            "<a x=1/>",
            laughs,
            &deep,
            &many,
            &long,
        ] {
            assert!(Element::parse(text.as_bytes()).is_err(), "{}", &text[..text.len().min(60)]);
        }
        assert!(Element::parse(b"<a>\xff</a>").is_err());
    }
}
