//! What a device is asked and told (device service, WSDL of version 10; sections of the core specification beside each).

use std::net::Ipv4Addr;

use super::Token;
use super::vocabulary::{DEVICE, ENVELOPE, SCHEMA};
use crate::xml::escaped;

/// One order.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Order {
    /// What its clock shows (section 8.3.6). Answered to anybody.
    Clock,
    /// Maker, model, firmware, serial number (section 8.3.2).
    Made,
    /// Its interfaces and their addresses (section 8.2.8).
    Interfaces,
    /// Its gateway (section 8.2.10).
    Gateway,
    /// Its host name (section 8.2.1).
    HostName,
    /// Its scopes (section 8.3.11).
    Scopes,
    /// An interface is to be like this (section 8.2.9).
    SetInterface(WantedInterface),
    /// Its gateway is to be this; none where it is `None` (section 8.2.11).
    SetGateway(Option<Ipv4Addr>),
    /// Its host name is to be this (section 8.2.2).
    SetHostName(String),
    /// Its changeable scopes are to be these, and no others (section 8.3.12).
    SetScopes(Vec<String>),
    /// It is to start anew (section 8.3.1).
    Restart,
}

/// What an interface is to be like.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WantedInterface {
    /// Which one, as the device calls it.
    pub token: String,
    /// Its fixed address and length of its prefix; `None` for an address by DHCP.
    pub fixed: Option<(Ipv4Addr, u8)>,
}

impl Order {
    /// The action that goes with it in the header of the request.
    #[must_use]
    pub fn action(&self) -> String {
        format!("{DEVICE}/{}", self.name())
    }

    /// The envelope, with what proves who asks.
    #[must_use]
    pub fn to_envelope(&self, token: Option<&Token>) -> Vec<u8> {
        let header = token.map(Token::to_header).unwrap_or_default();
        let (name, inside) = (self.name(), self.inside());
        format!(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\
             <s:Envelope xmlns:s=\"{ENVELOPE}\" xmlns:d=\"{DEVICE}\" xmlns:t=\"{SCHEMA}\">{header}<s:Body>\
             <d:{name}>{inside}</d:{name}></s:Body></s:Envelope>"
        )
        .into_bytes()
    }

    const fn name(&self) -> &'static str {
        match self {
            Self::Clock => "GetSystemDateAndTime",
            Self::Made => "GetDeviceInformation",
            Self::Interfaces => "GetNetworkInterfaces",
            Self::Gateway => "GetNetworkDefaultGateway",
            Self::HostName => "GetHostname",
            Self::Scopes => "GetScopes",
            Self::SetInterface(_) => "SetNetworkInterfaces",
            Self::SetGateway(_) => "SetNetworkDefaultGateway",
            Self::SetHostName(_) => "SetHostname",
            Self::SetScopes(_) => "SetScopes",
            Self::Restart => "SystemReboot",
        }
    }

    fn inside(&self) -> String {
        match self {
            Self::SetInterface(WantedInterface { token, fixed }) => {
                let manual = fixed.map(|(address, prefix)| {
                    format!(
                        "<t:Manual><t:Address>{address}</t:Address><t:PrefixLength>{prefix}</t:PrefixLength></t:Manual>"
                    )
                });
                format!(
                    "<d:InterfaceToken>{}</d:InterfaceToken><d:NetworkInterface><t:Enabled>true</t:Enabled>\
                     <t:IPv4><t:Enabled>true</t:Enabled>{}<t:DHCP>{}</t:DHCP></t:IPv4></d:NetworkInterface>",
                    escaped(token),
                    manual.unwrap_or_default(),
                    fixed.is_none()
                )
            }
            Self::SetGateway(Some(gateway)) => format!("<d:IPv4Address>{gateway}</d:IPv4Address>"),
            Self::SetHostName(name) => format!("<d:Name>{}</d:Name>", escaped(name)),
            Self::SetScopes(scopes) => {
                scopes.iter().map(|scope| format!("<d:Scopes>{}</d:Scopes>", escaped(scope))).collect()
            }
            _ => String::new(),
        }
    }
}
