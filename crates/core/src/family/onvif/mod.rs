//! ONVIF: cameras and decoders are found by WS-Discovery, read and set by SOAP over HTTP.
//!
//! [`Search`] is its part in a survey, [`Talk`] makes one change. [`caller`] puts one order after the other to a device and
//! proves who asks; [`reading`] is the questions of a whole reading.

mod caller;
mod orders;
mod reading;
mod search;
mod talk;

use std::net::{Ipv4Addr, SocketAddrV4};

use lantern_wire::onvif::{DEVICE_SERVICE, Discovery, GROUP, PORT, Sort};
use lantern_wire::{Place, WireError};

use super::llrp::own_cid;
use super::{Asker, join};
use crate::census::{Told, Unit, Way};
use crate::conversation::{Outgoing, Vantage};
use crate::facts::{Difference, Field};

pub(super) use search::Search;
pub(super) use talk::Talk;

/// What a device tells.
const FIELDS: [Field; 11] = [
    Field::Name,
    Field::Location,
    Field::HostName,
    Field::Addressing,
    Field::Mask,
    Field::Gateway,
    Field::Maker,
    Field::Model,
    Field::Serial,
    Field::Version,
    Field::Access,
];

/// Whether it can be told to make this difference vanish.
pub(super) const fn can_set(difference: &Difference) -> bool {
    let field = difference.field;
    matches!(
        field,
        Field::Address
            | Field::Addressing
            | Field::Mask
            | Field::Gateway
            | Field::Name
            | Field::Location
            | Field::HostName
    )
}

/// What a datagram tells.
pub(super) fn told(bytes: &[u8]) -> Result<Option<Told>, WireError> {
    Ok(Some(match Discovery::parse(bytes)? {
        Discovery::Present(all) if all.iter().any(lantern_wire::onvif::Present::is_onvif) => {
            Told::Spoke { family: Way::Onvif, stated: None, bytes: bytes.to_vec() }
        }
        _ => Told::Traffic,
    }))
}

/// Searches for everybody, from every seat. Some answer only who asks for their sort, some only who asks for none.
fn search(vantage: &Vantage, count: &mut u16, out: &mut Vec<Outgoing>) {
    for sort in [Sort::Transmitters, Sort::Everybody] {
        let mut id = own_cid(vantage);
        [id.0[2], id.0[3]] = count.to_be_bytes();
        *count = count.wrapping_add(1);
        let bytes = Discovery::search(sort, &format!("urn:uuid:{id}"));
        out.extend(vantage.seats.iter().enumerate().map(|(seat, place)| {
            let to = SocketAddrV4::new(place.everybody(GROUP), PORT);
            Outgoing::Datagram { seat, to, bytes: bytes.clone() }
        }));
    }
}

/// How a unit's service is written down: its port and its path, since its address may change.
fn handle(place: &Place) -> String {
    format!(":{}{}", place.at.port(), place.path)
}

/// Where the service of a unit is that stands at this address.
fn place(unit: &Unit, at: Ipv4Addr) -> Place {
    let usual = Place { at: SocketAddrV4::new(at, 80), path: DEVICE_SERVICE.to_owned() };
    Place::parse(&format!("http://{at}{}", unit.handle)).unwrap_or(usual)
}
