//! What types of services mean, after the open registrations (IANA service names; the standards named).

use std::fmt;

use serde::{Deserialize, Serialize};

/// What a service is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Meaning {
    /// Light.
    Light,
    /// Sound.
    Sound,
    /// Picture, or sound and picture.
    Picture,
    /// Sound, picture or both: the service does not say which.
    SoundOrPicture,
    /// Being controlled, or controlling.
    Control,
    /// A page to open in a browser.
    WebPage,
    /// The time.
    Clock,
    /// Files and printing.
    Office,
}

/// Type of service, what it means, where it is defined.
const REGISTERED: &[(&str, Meaning, &str)] = &[
    ("_http._tcp", Meaning::WebPage, "RFC 9110"),
    ("_https._tcp", Meaning::WebPage, "RFC 9110"),
    ("_rtsp._tcp", Meaning::Picture, "RFC 7826"),
    ("_rtsp._udp", Meaning::Picture, "RFC 7826"),
    ("_nmos-node._tcp", Meaning::SoundOrPicture, "AMWA IS-04"),
    ("_nmos-register._tcp", Meaning::SoundOrPicture, "AMWA IS-04"),
    ("_nmos-query._tcp", Meaning::SoundOrPicture, "AMWA IS-04"),
    ("_nmos-system._tcp", Meaning::SoundOrPicture, "AMWA IS-09"),
    ("_oca._tcp", Meaning::Sound, "AES70-3"),
    ("_ocasec._tcp", Meaning::Sound, "AES70-3"),
    ("_oca._udp", Meaning::Sound, "AES70-3"),
    ("_ocaws._tcp", Meaning::Sound, "AES70-3"),
    ("_sip._udp", Meaning::Sound, "RFC 3261"),
    ("_sip._tcp", Meaning::Sound, "RFC 3261"),
    ("_rdmnet._tcp", Meaning::Light, "ANSI E1.33"),
    ("_mqtt._tcp", Meaning::Control, "OASIS MQTT"),
    ("_ssh._tcp", Meaning::Control, "RFC 4253"),
    ("_telnet._tcp", Meaning::Control, "RFC 854"),
    ("_snmp._udp", Meaning::Control, "RFC 3411"),
    ("_coap._udp", Meaning::Control, "RFC 7252"),
    ("_ntp._udp", Meaning::Clock, "RFC 5905"),
    ("_ipp._tcp", Meaning::Office, "RFC 8011"),
    ("_ftp._tcp", Meaning::Office, "RFC 959"),
    ("_nfs._tcp", Meaning::Office, "RFC 7530"),
    ("_webdav._tcp", Meaning::Office, "RFC 4918"),
    ("_workstation._tcp", Meaning::Office, "IANA service names"),
];

impl Meaning {
    /// What a type of service, such as `_http._tcp`, means; `None` when it is not known here.
    #[must_use]
    pub fn of(kind: &str) -> Option<Self> {
        REGISTERED.iter().find(|(known, ..)| *known == kind).map(|(_, meaning, _)| *meaning)
    }

    /// The types of services that are known, to be asked for even when nobody lists them.
    pub fn registered() -> impl Iterator<Item = &'static str> {
        REGISTERED.iter().map(|(kind, ..)| *kind)
    }
}

impl fmt::Display for Meaning {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Light => "light",
            Self::Sound => "sound",
            Self::Picture => "picture",
            Self::SoundOrPicture => "sound or picture",
            Self::Control => "control",
            Self::WebPage => "web page",
            Self::Clock => "clock",
            Self::Office => "office",
        })
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;

    #[test]
    fn every_type_is_well_formed_and_stands_once() {
        let types: BTreeSet<&str> = Meaning::registered().collect();
        assert_eq!(types.len(), REGISTERED.len());
        assert!(
            types.iter().all(|kind| kind.starts_with('_') && (kind.ends_with("._tcp") || kind.ends_with("._udp")))
        );
        assert!(REGISTERED.iter().all(|(_, _, source)| !source.is_empty()));
        assert_eq!((Meaning::of("_http._tcp"), Meaning::of("_made-up._tcp")), (Some(Meaning::WebPage), None));
    }
}
