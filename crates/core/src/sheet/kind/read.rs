//! Reading a kind from its table.

use super::factory::read_factory_logins;
use super::reading::read_readings;
use super::speech::{read_lines, read_speech};
use super::{AddressedBy, FactoryMode, Kind, KindHints, Settable};
use crate::sheet::Placed;
use crate::sheet::fields::Fields;
use crate::way::Way;

/// The most ports of a node: 255 pages of four.
const MOST_PORTS: u32 = 1020;

/// Of Art-Net 4 the two are the same; some count from one.
pub(crate) fn read_sacn_offset(fields: &Fields<'_>) -> Option<Placed<u16>> {
    let offset = fields.number("sacn_offset", 0..=1)?;
    Some(Placed { value: u16::from(offset.value == 1), span: offset.span })
}

fn read_hints(fields: &Fields<'_>) -> KindHints {
    let page = fields.text("page");
    if let Some(page) = page.as_ref().filter(|page| !is_path(&page.value)) {
        fields.note(page.span, "this is no path on a web server", "\"/setup/network.html\"");
    }
    let texts = |key| fields.list(key).into_iter().map(|text: Placed<String>| text.value).collect();
    KindHints {
        page: page.map(|page| page.value),
        boot: fields.text("boot").map(|boot| boot.value),
        sockets: texts("sockets"),
        feeding: texts("feeding"),
        find_address: texts("find_address"),
    }
}

/// What may stand behind an address: it goes to a browser.
fn is_path(text: &str) -> bool {
    text.starts_with('/') && !text.starts_with("//") && text.bytes().all(|byte| byte.is_ascii_graphic())
}

pub(crate) fn read_kind(fields: &Fields<'_>) -> Option<Kind> {
    let name = fields.required("name", fields.text("name"), "\"house-box\"");
    let maker = fields.required("maker", fields.text("maker"), "\"Marrowbright\"");
    let model = fields.required("model", fields.text("model"), "\"Four\"");
    let esta = fields.number("esta", 0..=0xffff);
    let oem = fields.number("oem", 0..=0xffff);
    let ports = fields.required("ports", fields.number("ports", 0..=MOST_PORTS), "4");
    let factory = fields.parsed("factory");
    let factory_mode = fields.word("factory_mode", &FactoryMode::WORDS);
    let addressing = fields.word("addressing", &AddressedBy::WORDS);
    let permitted = fields.list("permitted");
    let power = fields.quantity("power");
    let chain = fields.number("chain", 1..=1024);
    let name_bytes = fields.number("name_bytes", 1..=17);
    let settings = fields.word_list("settings", &Settable::WORDS);
    let keeps = fields.flag("keeps_settings");
    let sacn_offset = read_sacn_offset(fields);
    let speaks = fields.word_list("speaks", &Way::SPOKEN);
    let speech = read_speech(fields);
    let lines = read_lines(fields);
    let readings = read_readings(fields);
    let factory_logins = read_factory_logins(fields);
    let hints = read_hints(fields);
    fields.refuse_unknown_keys();
    let code = |code: Option<Placed<u32>>| code.and_then(|code| u16::try_from(code.value).ok());
    Some(Kind {
        name: name?,
        maker: maker?.value,
        model: model?.value,
        codes: code(esta).zip(code(oem)),
        ports: ports?.value,
        factory: factory.map(|range| range.value),
        factory_mode: factory_mode.map(|mode| mode.value).unwrap_or_default(),
        addressing: addressing.map(|addressing| addressing.value),
        permitted: permitted.into_iter().map(|range| range.value).collect(),
        power: power.map(|power| power.value),
        chain: chain.map(|units| units.value),
        name_bytes: name_bytes.map(|bytes| bytes.value),
        settings: settings.into_iter().map(|setting| setting.value).collect(),
        keeps: keeps.map(|keeps| keeps.value),
        sacn_offset: sacn_offset.map(|offset| offset.value),
        speaks: speaks.into_iter().map(|way| way.value).collect(),
        speech,
        lines,
        readings,
        factory_logins,
        hints,
    })
}
