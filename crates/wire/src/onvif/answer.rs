//! What a device answers. What is missing in an answer is missing in what is read of it, and nothing more.

use std::fmt;
use std::net::Ipv4Addr;

use super::{Moment, Scope};
use crate::MacAddress;
use crate::xml::Element;

/// The most interfaces and scopes looked at.
const MOST: usize = 64;
/// The most characters of a reason that are told.
const MOST_REASON: usize = 160;

/// Why there is no answer.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Trouble {
    /// It says why (SOAP 1.2, section 5.4).
    #[error("{0}")]
    Fault(Fault),
    /// It is no envelope of SOAP.
    #[error("what it answers is no SOAP")]
    Foreign,
}

/// Why it does not do what it was asked.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Fault {
    /// The codes, the innermost last, without prefixes: `NotAuthorized`.
    pub codes: Vec<String>,
    /// In words.
    pub reason: String,
}

impl Fault {
    /// Whether it wants to know who asks, or does not believe it (ONVIF core, section 5.11.2.2).
    #[must_use]
    pub fn is_about_access(&self) -> bool {
        let words =
            ["NotAuthorized", "FailedAuthentication", "InvalidSecurity", "SenderNotAuthorized", "NotPermitted"];
        self.codes.iter().any(|code| words.contains(&code.as_str()))
    }

    /// Whether it does not know the order, or does not do it (section 5.11.2.2).
    #[must_use]
    pub fn is_unknown(&self) -> bool {
        let words = ["ActionNotSupported", "OptionalActionNotImplemented", "UnknownAction"];
        self.codes.iter().any(|code| words.contains(&code.as_str()))
    }
}

impl fmt::Display for Fault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let code = self.codes.last().map_or("a fault", String::as_str);
        if self.reason.is_empty() { f.write_str(code) } else { write!(f, "{} ({code})", self.reason) }
    }
}

/// Who made it, and what it is.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Made {
    /// Its maker.
    pub maker: Option<String>,
    /// Its model.
    pub model: Option<String>,
    /// Its firmware.
    pub firmware: Option<String>,
    /// Its serial number.
    pub serial: Option<String>,
}

/// One interface.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Interface {
    /// How the device calls it in orders.
    pub token: String,
    /// Whether it is in use.
    pub enabled: bool,
    /// Its MAC address.
    pub mac: Option<MacAddress>,
    /// Whether its address comes by DHCP.
    pub dhcp: Option<bool>,
    /// The fixed address that it is set to, with the length of its prefix.
    pub fixed: Option<(Ipv4Addr, u8)>,
    /// The address that it was given by DHCP.
    pub leased: Option<(Ipv4Addr, u8)>,
    /// The address that it chose itself.
    pub link_local: Option<(Ipv4Addr, u8)>,
}

impl Interface {
    /// The length of the prefix that goes with this address, where it is one of its.
    #[must_use]
    pub fn prefix_of(&self, address: Ipv4Addr) -> Option<u8> {
        let all = [self.fixed, self.leased, self.link_local];
        all.into_iter().flatten().find(|(own, _)| *own == address).map(|(_, prefix)| prefix)
    }
}

/// Its host name.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct HostName {
    /// The name.
    pub name: String,
    /// Whether it comes by DHCP.
    pub by_dhcp: bool,
}

/// Reads an answer: the one element in the body of its envelope.
///
/// # Errors
/// When it is a fault, or nothing of SOAP.
pub fn read(bytes: &[u8]) -> Result<Element, Trouble> {
    let envelope = Element::parse(bytes).map_err(|_| Trouble::Foreign)?;
    let body = envelope.child("Body").filter(|_| envelope.name == "Envelope").ok_or(Trouble::Foreign)?;
    let said = body.inside.first().ok_or(Trouble::Foreign)?;
    if said.name == "Fault" { Err(Trouble::Fault(fault(said))) } else { Ok(said.clone()) }
}

fn fault(said: &Element) -> Fault {
    let local = |text: &str| text.rsplit(':').next().unwrap_or_default().to_owned();
    let (mut codes, mut at) = (Vec::new(), said.child("Code"));
    while let Some(code) = at {
        codes.extend(code.text_at(&["Value"]).map(local));
        at = code.child("Subcode");
    }
    // As SOAP 1.1 has it.
    codes.extend(said.text_at(&["faultcode"]).map(local));
    let reason = said.text_at(&["Reason", "Text"]).or_else(|| said.text_at(&["faultstring"])).unwrap_or_default();
    Fault { codes, reason: reason.chars().take(MOST_REASON).collect() }
}

/// What its clock shows, in UTC.
#[must_use]
pub fn clock(answer: &Element) -> Option<Moment> {
    let utc = answer.at(&["SystemDateAndTime", "UTCDateTime"])?;
    let number = |path: [&str; 2]| utc.text_at(&path).and_then(|text| text.parse::<i16>().ok());
    let [year, month, day] = [["Date", "Year"], ["Date", "Month"], ["Date", "Day"]].map(number);
    let [hour, minute, second] = [["Time", "Hour"], ["Time", "Minute"], ["Time", "Second"]].map(number);
    let small = |number: Option<i16>| number.and_then(|number| i8::try_from(number).ok());
    Moment::new([year?, month?, day?], [small(hour)?, small(minute)?, small(second)?])
}

/// Who made it, and what it is.
#[must_use]
pub fn made(answer: &Element) -> Made {
    let text = |name| answer.text_at(&[name]).filter(|text| !text.is_empty()).map(str::to_owned);
    Made {
        maker: text("Manufacturer"),
        model: text("Model"),
        firmware: text("FirmwareVersion"),
        serial: text("SerialNumber"),
    }
}

/// Its interfaces.
#[must_use]
pub fn interfaces(answer: &Element) -> Vec<Interface> {
    let one = |element: &Element| {
        let config = element.at(&["IPv4", "Config"]);
        let address = |name| {
            let place = config?.child(name)?;
            let prefix = place.text_at(&["PrefixLength"])?.parse().ok().filter(|prefix| *prefix <= 32)?;
            Some((place.text_at(&["Address"])?.parse().ok()?, prefix))
        };
        Interface {
            token: element.attribute("token").unwrap_or_default().to_owned(),
            enabled: element.text_at(&["Enabled"]) != Some("false"),
            mac: element.text_at(&["Info", "HwAddress"]).and_then(|mac| mac.replace('-', ":").parse().ok()),
            dhcp: config.and_then(|config| config.text_at(&["DHCP"])).and_then(flag),
            fixed: address("Manual"),
            leased: address("FromDHCP"),
            link_local: address("LinkLocal"),
        }
    };
    answer.children("NetworkInterfaces").take(MOST).map(one).collect()
}

/// Its first gateway; all zero for none.
#[must_use]
pub fn gateway(answer: &Element) -> Option<Ipv4Addr> {
    let all = answer.child("NetworkGateway")?;
    all.text_at(&["IPv4Address"]).map_or(Some(Ipv4Addr::UNSPECIFIED), |first| first.parse().ok())
}

/// Its host name.
#[must_use]
pub fn host_name(answer: &Element) -> Option<HostName> {
    let told = answer.child("HostnameInformation")?;
    Some(HostName {
        name: told.text_at(&["Name"]).unwrap_or_default().to_owned(),
        by_dhcp: told.text_at(&["FromDHCP"]).and_then(flag).unwrap_or(false),
    })
}

/// Its scopes.
#[must_use]
pub fn scopes(answer: &Element) -> Vec<Scope> {
    let one = |element: &Element| {
        let text = element.text_at(&["ScopeItem"])?.to_owned();
        Some(Scope { text, configurable: element.text_at(&["ScopeDef"]) == Some("Configurable") })
    };
    answer.children("Scopes").take(MOST).filter_map(one).collect()
}

/// Whether what an interface was told takes effect only when the device starts anew.
#[must_use]
pub fn needs_restart(answer: &Element) -> bool {
    answer.text_at(&["RebootNeeded"]).and_then(flag).unwrap_or(false)
}

/// `true`, `false`, and their numbers (XML Schema, section 3.2.2).
fn flag(text: &str) -> Option<bool> {
    match text {
        "true" | "1" => Some(true),
        "false" | "0" => Some(false),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn answer(body: &str) -> Element {
        read(format!("<e:Envelope><e:Header/><e:Body>{body}</e:Body></e:Envelope>").as_bytes()).unwrap()
    }

    #[test]
    fn interfaces_are_read_with_every_sort_of_address() {
        let all = interfaces(&answer(
            "<tds:GetNetworkInterfacesResponse><tds:NetworkInterfaces token=\"eth0\"><tt:Enabled>true</tt:Enabled>\
             <tt:Info><tt:Name>eth0</tt:Name><tt:HwAddress>02-4D-42-00-70-01</tt:HwAddress></tt:Info>\
             <tt:IPv4><tt:Enabled>true</tt:Enabled><tt:Config><tt:Manual><tt:Address>10.40.7.1</tt:Address>\
             <tt:PrefixLength>16</tt:PrefixLength></tt:Manual><tt:LinkLocal><tt:Address>169.254.1.1</tt:Address>\
             <tt:PrefixLength>99</tt:PrefixLength></tt:LinkLocal><tt:DHCP>0</tt:DHCP></tt:Config></tt:IPv4>\
             </tds:NetworkInterfaces></tds:GetNetworkInterfacesResponse>",
        ));
        let [one] = &all[..] else { panic!("{all:?}") };
        assert_eq!(one.mac, Some(MacAddress([2, 0x4d, 0x42, 0, 0x70, 1])));
        assert_eq!((one.dhcp, one.link_local), (Some(false), None));
        assert_eq!(one.prefix_of(Ipv4Addr::new(10, 40, 7, 1)), Some(16));
    }

    #[test]
    fn a_clock_that_shows_no_moment_is_none() {
        let at = |hour: &str| {
            clock(&answer(&format!(
                "<R><SystemDateAndTime><UTCDateTime><Time><Hour>{hour}</Hour><Minute>4</Minute><Second>5</Second></Time>\
                 <Date><Year>2026</Year><Month>2</Month><Day>3</Day></Date></UTCDateTime></SystemDateAndTime></R>"
            )))
        };
        assert_eq!(at("1").map(|moment| moment.to_string()).as_deref(), Some("2026-02-03T01:04:05Z"));
        assert_eq!((at("25"), at("")), (None, None));
    }

    #[test]
    fn faults_of_both_versions_are_read() {
        let fault = |body: &str| match read(format!("<Envelope><Body>{body}</Body></Envelope>").as_bytes()) {
            Err(Trouble::Fault(fault)) => fault,
            other => panic!("{other:?}"),
        };
        let new = fault(
            "<s:Fault><s:Code><s:Value>s:Sender</s:Value><s:Subcode><s:Value>ter:NotAuthorized</s:Value></s:Subcode>\
             </s:Code><s:Reason><s:Text xml:lang=\"en\">Who are you</s:Text></s:Reason></s:Fault>",
        );
        assert!(new.is_about_access());
        assert_eq!(new.to_string(), "Who are you (NotAuthorized)");
        let old = fault("<Fault><faultcode>SOAP-ENV:Client</faultcode><faultstring>no</faultstring></Fault>");
        assert_eq!((old.to_string().as_str(), old.is_unknown()), ("no (Client)", false));
        assert_eq!(read(b"<html><Body/></html>"), Err(Trouble::Foreign));
    }

    #[test]
    fn the_rest_is_read_as_far_as_it_is_there() {
        let none = answer("<R><NetworkGateway></NetworkGateway></R>");
        assert_eq!(gateway(&none), Some(Ipv4Addr::UNSPECIFIED));
        assert_eq!(gateway(&answer("<R/>")), None);
        let made = made(&answer("<R><Manufacturer>Tessaquill</Manufacturer><Model/></R>"));
        assert_eq!((made.maker.as_deref(), made.model), (Some("Tessaquill"), None));
        let told = scopes(&answer(
            "<R><Scopes><ScopeDef>Fixed</ScopeDef><ScopeItem>a</ScopeItem></Scopes><Scopes><ScopeDef>Configurable</ScopeDef><ScopeItem>b</ScopeItem></Scopes><Scopes/></R>",
        ));
        assert_eq!(told.iter().map(|one| one.configurable).collect::<Vec<_>>(), [false, true]);
        assert!(needs_restart(&answer("<R><RebootNeeded>1</RebootNeeded></R>")));
        let name =
            host_name(&answer("<R><HostnameInformation><FromDHCP>true</FromDHCP></HostnameInformation></R>"));
        assert_eq!(name, Some(HostName { name: String::new(), by_dhcp: true }));
    }
}
