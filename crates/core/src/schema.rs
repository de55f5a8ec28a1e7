//! The shape of a rig sheet as a JSON Schema (draft 2020-12), for editors that read one for TOML.
//!
//! The tables here say of every key what it holds; a test holds them against what the reader of sheets knows.

use serde_json::{Map, Value, json};

use crate::facts::{FixtureSetting, Form};
use crate::sheet::OnFailure;
use crate::sheet::kind::{AddressedBy, CarriedBy, FactoryMode, LineBreak, Settable};
use crate::sheet::{Carried, FORMAT, SLOTS};
use crate::way::Way;
use crate::{DataLoss, Merge, Protocol};

/// What a key holds.
enum Shape {
    Text,
    /// Text in quotes or a bare number.
    TextOrNumber,
    Number(u32, u32),
    /// A number with decimals.
    Quantity,
    Flag,
    Words(Vec<&'static str>),
    /// One text, or a list of them.
    Texts,
    /// One of these words, or a list of them.
    WordList(Vec<&'static str>),
    /// A table of texts.
    Words2Texts,
    Tables(Vec<Key>),
}

use Shape::{Flag, Number, Quantity, Tables, Text, TextOrNumber, Texts, WordList, Words, Words2Texts};

/// A key of a table.
struct Key {
    name: &'static str,
    shape: Shape,
    needed: bool,
    says: &'static str,
}

const fn key(name: &'static str, shape: Shape, says: &'static str) -> Key {
    Key { name, shape, needed: false, says }
}

const fn needed(name: &'static str, shape: Shape, says: &'static str) -> Key {
    Key { name, shape, needed: true, says }
}

fn words<T>(all: &[(&'static str, T)]) -> Vec<&'static str> {
    all.iter().map(|(word, _)| *word).collect()
}

/// The schema.
#[must_use]
pub fn sheet_schema() -> Value {
    let mut properties = Map::new();
    properties.insert("rig".to_owned(), table(&rig(), "The rig itself."));
    properties.insert("thresholds".to_owned(), table(&thresholds(), "From where on load is worth a warning."));
    for (name, keys, says) in headings() {
        properties
            .insert(name.to_owned(), json!({ "type": "array", "description": says, "items": table(&keys, says) }));
    }
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Rig sheet",
        "description": format!("What a show network should be, format {FORMAT}."),
        "type": "object",
        "required": ["rig"],
        "additionalProperties": false,
        "properties": properties,
    })
}

fn table(keys: &[Key], says: &str) -> Value {
    let properties: Map<String, Value> = keys.iter().map(|key| (key.name.to_owned(), described(key))).collect();
    let required: Vec<&str> = keys.iter().filter(|key| key.needed).map(|key| key.name).collect();
    let mut table = json!({
        "type": "object", "description": says, "additionalProperties": false,
        "properties": properties, "required": required,
    });
    // A port has exactly one of the two.
    if keys.iter().any(|key| key.name == "out") {
        table["oneOf"] = json!([{ "required": ["out"] }, { "required": ["in"] }]);
    }
    table
}

fn described(key: &Key) -> Value {
    let mut value = match &key.shape {
        Text => json!({ "type": "string", "minLength": 1 }),
        TextOrNumber => json!({ "type": ["string", "integer"] }),
        Number(first, last) => json!({ "type": "integer", "minimum": first, "maximum": last }),
        Quantity => json!({ "type": "number", "minimum": 0 }),
        Flag => json!({ "type": "boolean" }),
        Words(words) => json!({ "enum": words }),
        Texts => json!({ "oneOf": [{ "type": "string" }, { "type": "array", "items": { "type": "string" } }] }),
        WordList(words) => {
            json!({ "oneOf": [{ "enum": words }, { "type": "array", "items": { "enum": words } }] })
        }
        Words2Texts => json!({ "type": "object", "additionalProperties": { "type": "string" } }),
        Tables(keys) => json!({ "type": "array", "items": table(keys, key.says) }),
    };
    value["description"] = key.says.into();
    value
}

fn rig() -> Vec<Key> {
    vec![
        key("format", Number(FORMAT, FORMAT), "The format of this file."),
        needed("name", Text, "The rig's name."),
        key("desk_counts_from", Number(0, 1), "What the desk calls Port-Address 0."),
        key("kinds", Texts, "Files with further kinds, beside the sheet."),
    ]
}

fn thresholds() -> Vec<Key> {
    vec![
        key("power", Number(1, 100), "Percent of a switch's power."),
        key("link", Number(1, 100), "Percent of what a link carries."),
    ]
}

fn headings() -> Vec<(&'static str, Vec<Key>, &'static str)> {
    vec![
        ("network", network(), "A network of the rig."),
        ("area", area(), "A place or department with its own block of addresses and universes."),
        ("kind", kind(), "Facts about a model of node."),
        ("node", node(), "A node as it should be."),
        ("source", source(), "A desk or server that sends universes."),
        ("fixture", fixture(), "One fixture, or a row of equal ones."),
        ("stream", stream(), "A stream of sound or picture."),
        ("channel_map", channel_map(), "Which channel goes where within a device."),
        ("switch", switch(), "A switch."),
        ("sequence", sequence(), "What is said to several devices by one command."),
    ]
}

fn network() -> Vec<Key> {
    let scheme = vec![
        needed("octet", Number(1, 4), "Which number of the address, from the left."),
        needed("means", Text, "What it tells; area and kind must be the node's own."),
        needed("words", Words2Texts, "What each number, or run like 10-19, stands for."),
    ];
    vec![
        needed("name", Text, "Its name."),
        needed("range", Text, "Its addresses, as in 10.40.0.0/16."),
        key("gateway", Text, "The way out, or none."),
        key("keep_free", Texts, "Addresses never handed out."),
        key("dhcp", Texts, "Addresses that somebody else hands out."),
        key("locked", Texts, "Addresses whose devices are never touched."),
        key("locked_devices", Texts, "MAC addresses of devices that are never touched."),
        key("groups", Texts, "Multicast groups for streams."),
        key("scheme", Tables(scheme), "What a number of an address means."),
    ]
}

fn area() -> Vec<Key> {
    let class = vec![
        needed("kind", Text, "The kind."),
        needed("from", Number(0, 65_534), "The number within the area's range."),
    ];
    vec![
        needed("name", Text, "Its name."),
        key("network", Text, "Its network; may be left out when there is only one."),
        key("range", Text, "Its addresses."),
        key("nodes_from", Number(0, 65_534), "The number within its range from which nodes are placed."),
        key("class", Tables(class), "Where units of one kind begin."),
        key("universes", Text, "Its universes, as in 0:0:0-0:1:15."),
    ]
}

fn sequence() -> Vec<Key> {
    let step = vec![
        needed("node", Text, "To which node."),
        key("line", Text, "What is said: a line that its kind has under this name."),
        key("with", TextOrNumber, "The argument of that line."),
        key("say", Text, "What is said, in full."),
        key("right", Text, "What a right answer looks like; * stands for any text."),
        key("power", Words(vec!["on", "off"]), "What a projector or screen is to do, by PJLink."),
        key("input", Text, "Which input a projector or screen is to show, by PJLink."),
        key("wait", Number(1, 600), "How many seconds an answer is waited for."),
    ];
    vec![
        needed("name", Text, "What it is called."),
        key("together", Flag, "Whether all steps are taken side by side."),
        key("on_failure", Words(words(&OnFailure::WORDS)), "What becomes of the rest when a step fails."),
        key("step", Tables(step), "One step."),
    ]
}

fn kind() -> Vec<Key> {
    let line = vec![
        needed("name", Text, "What it is called."),
        needed("say", Text, "The line; {} where an argument goes."),
        key("right", Text, "What a right answer looks like; * stands for any text."),
        key("check", Flag, "Whether a check asks it."),
    ];
    let reading = vec![
        needed("name", Text, "What it is called, of at most 32 bytes."),
        needed("object", Text, "The number of its object, as 1.3.6.1.2.1.1.7.0."),
        key("right", Text, "What it is when all is well; * stands for any text."),
        key("at_least", Number(0, u32::MAX), "The least that it is when all is well."),
        key("at_most", Number(0, u32::MAX), "The most that it is when all is well."),
        key("counts", Words(vec!["faults"]), "What it counts, where it is a counter."),
        key("set", Flag, "Whether it can be set."),
    ];
    let factory_login = vec![
        needed("way", Words(Way::with_password().map(Way::name).collect()), "By what it opens them."),
        key("user", Text, "Who asks, where the way wants to know that."),
        needed("password", Text, "The password that the maker made known."),
        key("privacy", Text, "The password for what is encrypted, where there is another one."),
    ];
    vec![
        needed("name", Text, "What nodes call it."),
        needed("maker", Text, "Who makes it."),
        needed("model", Text, "What the maker calls it."),
        key("esta", Number(0, 0xffff), "ESTA code of the maker, as its poll reply states it."),
        key("oem", Number(0, 0xffff), "OEM code of the model."),
        needed("ports", Number(0, 1020), "How many DMX ports it has."),
        key("factory", Text, "Where units stand as they leave the factory."),
        key("factory_mode", Words(words(&FactoryMode::WORDS)), "Where their address comes from then."),
        key(
            "addressing",
            Words(words(&AddressedBy::WORDS)),
            "How their planned address comes to be theirs: set on them, or reserved at a DHCP server.",
        ),
        key("permitted", Texts, "The only addresses it accepts."),
        key("power", Quantity, "What it draws, in watts."),
        key("chain", Number(1, 1024), "Units that may be chained one behind the other."),
        key("name_bytes", Number(1, 17), "Bytes of a name that it keeps."),
        key("settings", WordList(words(&Settable::WORDS)), "What can be set on it over the network."),
        key("keeps_settings", Flag, "Whether it keeps what it is told when its power goes."),
        key("sacn_offset", Number(0, 1), "By how much its sACN universes are above its Port-Addresses."),
        key("speaks", WordList(words(&Way::SPOKEN)), "By what it should answer; art-net where it has ports."),
        key("line_by", Words(words(&CarriedBy::WORDS)), "By what lines of text are carried."),
        key("line_end", Words(words(&LineBreak::WORDS)), "What ends a line; crlf where it does not say."),
        key("line_port", Number(1, 65_535), "At which port it takes lines of text."),
        key("line", Tables(line), "A line that has a name."),
        key("reading", Tables(reading), "What its units are asked for by SNMP, beside what all are."),
        key("factory_login", Tables(factory_login), "What opens its units as they leave the factory."),
        key("page", Text, "Where on its web server its page is, as /setup."),
        key("boot", Text, "How it shows that it starts, and how long that takes."),
        key("sockets", Texts, "Its sockets: which look alike and are not."),
        key("feeding", Texts, "What feeds it: Power over Ethernet and its class, an injector, what it passes on."),
        key(
            "find_address",
            Texts,
            "How its address is found without the network: display, USB, what it says at power-up.",
        ),
    ]
}

fn node() -> Vec<Key> {
    let port = vec![
        needed("port", Number(1, 1020), "Its number, counted over all pages of the node."),
        key("out", TextOrNumber, "The universe that comes out of it."),
        key("in", TextOrNumber, "The universe that it sends."),
        key("merge", Words(words(&Merge::WORDS)), "How two sources are combined."),
        key("sources", Number(1, 64), "How many sources are meant."),
        key("splits", Number(2, 1024), "How many outputs carry this universe on purpose."),
        key("rdm", Flag, "Whether RDM goes through it."),
        key("on_data_loss", Words(words(&DataLoss::WORDS)), "What it does when data stops."),
        key("label", Text, "What it is called, of at most 32 bytes."),
    ];
    let reading =
        vec![needed("name", Text, "Its name, as its kind has it."), needed("is", Text, "What it is to be.")];
    vec![
        needed("name", Text, "Its name, of at most 17 bytes."),
        key("label", Text, "A longer text, of at most 63 bytes."),
        key("location", Text, "Where it stands, as the device itself is to tell it."),
        key("contact", Text, "Who looks after it, as the device itself is to tell it."),
        key("description", Text, "What the device itself is to tell of what it is."),
        key("area", Text, "Where it stands."),
        key("kind", Text, "Its model."),
        key("mac", Text, "Its MAC address."),
        key("serial", Text, "The serial number on its label."),
        key("number", Number(0, u32::MAX), "The number on its thumbwheel or in its system."),
        key("clone_of", Text, "The node whose number and universes it shares on purpose."),
        key("behind", Text, "The node it is chained behind."),
        needed("address", Text, "Its address, dhcp, or fill."),
        key(
            "addressing",
            Words(words(&AddressedBy::WORDS)),
            "How that comes to be its, where its kind does not say or says otherwise.",
        ),
        key("firmware", Text, "The firmware it should run, as in 1.4."),
        key("on_data_loss", Words(words(&DataLoss::WORDS)), "What it does when data stops."),
        key("protocol", Words(words(&Protocol::WORDS)), "The protocol of its ports that do not say."),
        key("sacn_offset", Number(0, 1), "By how much its sACN universes are above its Port-Addresses."),
        key("power", Quantity, "What it draws, in watts."),
        key("reading", Tables(reading), "What a reading of its kind is to be."),
        key("port", Tables(port), "One of its ports."),
    ]
}

fn source() -> Vec<Key> {
    vec![
        needed("name", Text, "Its name."),
        key("area", Text, "Where it stands."),
        key("address", Text, "Its address."),
        key("sends", Texts, "The universes it sends."),
        key("protocol", Words(words(&Protocol::WORDS)), "By which protocol."),
        key("priority", Number(0, 200), "The priority of its sACN data."),
    ]
}

fn fixture() -> Vec<Key> {
    let setting = |setting: FixtureSetting| {
        let takes = match setting.form() {
            Form::OnOff => Flag,
            Form::Level => Number(0, 255),
            Form::Scene => Text,
            Form::Words(all) => Words(all.iter().map(|(word, _)| *word).collect()),
        };
        key(setting.key(), takes, "A setting of each, by RDM.")
    };
    let mut all = vec![
        needed("name", Text, "Its name."),
        needed("on", TextOrNumber, "The universe it hangs on."),
        needed("slot", TextOrNumber, "Its first slot, or fill."),
        needed("footprint", Number(1, SLOTS), "How many slots one of them takes."),
        key("count", Number(1, SLOTS), "How many stand in a row."),
        key("behind", Text, "The node it hangs behind, where several carry its universe."),
        key("port", Number(1, 1024), "The port of that node."),
        key("label", Text, "What it is labelled, at most 32 bytes; of a row each with its number behind."),
        key("mode", TextOrNumber, "The mode of each: its number, or what the fixture calls it."),
    ];
    all.extend(FixtureSetting::ALL.map(setting));
    let uid = "The RDM identifier of each, in the order of the row; unknown where it is not known yet.";
    all.push(key("uid", Texts, uid));
    all
}

fn stream() -> Vec<Key> {
    vec![
        needed("name", Text, "Its name."),
        needed("carries", Words(words(&Carried::WORDS)), "What it carries."),
        needed("from", Text, "Who sends it: node, or node/sender."),
        key("to", Texts, "Who receives it: node, or node/receiver."),
        needed("group", Text, "Its multicast group and port, or fill."),
        key("second_group", Text, "The same of its second leg."),
        key("channels", Number(1, 1024), "Channels of sound."),
        key("bits", Number(8, 32), "Bits of a sample."),
        key("samples", Number(8_000, 384_000), "Samples in a second."),
        key("rate", Quantity, "What it takes of a link, in Mbit/s."),
    ]
}

fn channel_map() -> Vec<Key> {
    vec![
        needed("node", Text, "In which node."),
        key("output", Text, "Which of its outputs, as the device calls it."),
        needed("channels", Texts, "Where each channel comes from: input/channel, or none."),
        key("names", Texts, "What each channel is called here."),
    ]
}

fn switch() -> Vec<Key> {
    let port = vec![
        needed("port", Number(1, 1024), "Its number."),
        needed("to", Text, "Who hangs on it."),
        key("link", Quantity, "What the link carries, in Mbit/s."),
        key("feeds", Flag, "Whether it feeds what hangs on it."),
    ];
    vec![
        needed("name", Text, "Its name."),
        key("area", Text, "Where it stands."),
        key("address", Text, "Its own address."),
        key("sockets", Number(1, 1024), "How many sockets it has."),
        key("power", Quantity, "What it can feed, in watts."),
        key("link", Quantity, "What each link carries, in Mbit/s."),
        key("port", Tables(port), "A used socket."),
    ]
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;
    use crate::sheet::RigSheet;

    fn names(keys: &[Key]) -> String {
        keys.iter().map(|key| key.name).collect::<Vec<_>>().join(", ")
    }

    /// The keys the reader knows, as it names them where it meets one that it does not.
    fn known(text: &str) -> String {
        let errors = RigSheet::parse(text).unwrap_err();
        let unknown = errors.errors.iter().find(|error| error.what.ends_with("has no key `zzz`")).unwrap();
        unknown.expected.strip_prefix("one of: ").unwrap().to_owned()
    }

    #[rstest]
    #[case::rig("[rig]\nzzz = 1", rig())]
    #[case::thresholds("[thresholds]\nzzz = 1", thresholds())]
    #[case::network("[[network]]\nzzz = 1", network())]
    #[case::area("[[area]]\nzzz = 1", area())]
    #[case::kind("[[kind]]\nzzz = 1", kind())]
    #[case::node("[[node]]\nzzz = 1", node())]
    #[case::source("[[source]]\nzzz = 1", source())]
    #[case::fixture("[[fixture]]\nzzz = 1", fixture())]
    #[case::stream("[[stream]]\nzzz = 1", stream())]
    #[case::channel_map("[[channel_map]]\nzzz = 1", channel_map())]
    #[case::switch("[[switch]]\nzzz = 1", switch())]
    #[case::sequence("[[sequence]]\nzzz = 1", sequence())]
    fn the_schema_has_the_keys_that_the_reader_knows(#[case] text: &str, #[case] keys: Vec<Key>) {
        assert_eq!(known(text), names(&keys));
        for inner in &keys {
            if let Tables(inside) = &inner.shape {
                let text =
                    format!("{text}\n[[{}.{}]]\nzzz = 1", text.split(['[', ']']).nth(2).unwrap(), inner.name);
                let text = text.replacen("zzz = 1", "", 1);
                assert_eq!(known(&text), names(inside));
            }
        }
    }

    #[test]
    fn every_heading_is_in_the_schema() {
        let mut all: Vec<&str> = vec!["rig", "thresholds"];
        all.extend(headings().iter().map(|(name, _, _)| *name));
        assert_eq!(known("zzz = 1"), all.join(", "));
        let schema = sheet_schema();
        assert_eq!(schema["properties"].as_object().unwrap().len(), all.len());
        assert_eq!(schema["properties"]["node"]["items"]["required"], json!(["name", "address"]));
    }
}
