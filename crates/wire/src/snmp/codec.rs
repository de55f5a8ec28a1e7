//! Between what is ours and what is encoded (ISO 8825-1, by the rules of RFC 3417, section 8).

use rasn::types::{Integer, ObjectIdentifier, OctetString};
use rasn_smi::v2::{ApplicationSyntax, ObjectSyntax, SimpleSyntax};
use rasn_snmp::v2::{self, BulkPdu, Pdus, VarBind, VarBindValue};
use std::net::Ipv4Addr;

use super::{Failed, Kind, Oid, Pdu, Value};

pub(super) fn bytes<T: rasn::Encode>(value: &T) -> Option<Vec<u8>> {
    rasn::ber::encode(value).ok()
}

pub(super) fn read<T: rasn::Decode>(bytes: &[u8]) -> Option<T> {
    rasn::ber::decode(bytes).ok()
}

pub(super) fn octets(bytes: &[u8]) -> OctetString {
    bytes.to_vec().into()
}

/// A number that has to be one of 31 bits (RFC 3412, section 6).
pub(super) fn number(integer: &Integer) -> Option<u32> {
    i64::try_from(integer.clone()).ok().and_then(|number| u32::try_from(number).ok()).filter(|n| *n <= 0x7fff_ffff)
}

fn identifier(oid: &Oid) -> ObjectIdentifier {
    ObjectIdentifier::new_unchecked(oid.parts().to_vec().into())
}

/// `None` for what its maker has wrapped: it is heard, and never said.
fn encoded(value: &Value) -> Option<VarBindValue> {
    let simple = |simple| VarBindValue::Value(ObjectSyntax::Simple(simple));
    let wide = |wide| VarBindValue::Value(ObjectSyntax::ApplicationWide(wide));
    Some(match value {
        Value::Integer(number) => simple(SimpleSyntax::Integer((*number).into())),
        Value::Bytes(bytes) => simple(SimpleSyntax::String(octets(bytes))),
        Value::Oid(oid) => simple(SimpleSyntax::ObjectId(identifier(oid))),
        Value::Address(address) => {
            wide(ApplicationSyntax::Address(rasn_smi::v1::IpAddress(address.octets().into())))
        }
        Value::Counter(number) => match u32::try_from(*number) {
            Ok(number) => wide(ApplicationSyntax::Counter(rasn_smi::v1::Counter(number))),
            Err(_) => wide(ApplicationSyntax::BigCounter(rasn_smi::v2::Counter64(*number))),
        },
        Value::Gauge(number) => wide(ApplicationSyntax::Unsigned(rasn_smi::v1::Gauge(*number))),
        Value::Ticks(ticks) => wide(ApplicationSyntax::Ticks(rasn_smi::v1::TimeTicks(*ticks))),
        Value::Opaque(_) => return None,
        Value::Unspecified => VarBindValue::Unspecified,
        Value::Missing => VarBindValue::NoSuchObject,
        Value::End => VarBindValue::EndOfMibView,
    })
}

/// `None` for what is none of these, or out of its range.
fn decoded(value: VarBindValue) -> Option<Value> {
    Some(match value {
        VarBindValue::Value(ObjectSyntax::Simple(simple)) => match simple {
            SimpleSyntax::Integer(number) => Value::Integer(i64::try_from(number).ok()?),
            SimpleSyntax::String(bytes) => Value::Bytes(bytes.to_vec()),
            SimpleSyntax::ObjectId(oid) => Value::Oid(Oid::new(oid.to_vec())?),
        },
        VarBindValue::Value(ObjectSyntax::ApplicationWide(wide)) => match wide {
            ApplicationSyntax::Address(address) => Value::Address(Ipv4Addr::from(*address.0)),
            ApplicationSyntax::Counter(counter) => Value::Counter(counter.0.into()),
            ApplicationSyntax::BigCounter(counter) => Value::Counter(counter.0),
            ApplicationSyntax::Unsigned(gauge) => Value::Gauge(gauge.0),
            ApplicationSyntax::Ticks(ticks) => Value::Ticks(ticks.0),
            ApplicationSyntax::Arbitrary(opaque) => Value::Opaque(opaque.as_ref().to_vec()),
        },
        VarBindValue::Unspecified => Value::Unspecified,
        VarBindValue::NoSuchObject | VarBindValue::NoSuchInstance => Value::Missing,
        VarBindValue::EndOfMibView => Value::End,
    })
}

pub(super) fn encode(pdu: &Pdu) -> Option<Pdus> {
    let values =
        pdu.values.iter().map(|(oid, value)| Some(VarBind { name: identifier(oid), value: encoded(value)? }));
    let values: Vec<VarBind> = values.collect::<Option<_>>()?;
    if let Kind::GetBulk { once, repeats } = pdu.kind {
        return Some(Pdus::GetBulkRequest(v2::GetBulkRequest(BulkPdu {
            request_id: pdu.id,
            non_repeaters: once,
            max_repetitions: repeats,
            variable_bindings: values,
        })));
    }
    let inner = v2::Pdu {
        request_id: pdu.id,
        error_status: pdu.failed.map_or(0, |failed| failed.status),
        error_index: pdu.failed.map_or(0, |failed| failed.index),
        variable_bindings: values,
    };
    Some(match pdu.kind {
        Kind::Get | Kind::GetBulk { .. } => Pdus::GetRequest(v2::GetRequest(inner)),
        Kind::GetNext => Pdus::GetNextRequest(v2::GetNextRequest(inner)),
        Kind::Set => Pdus::SetRequest(v2::SetRequest(inner)),
        Kind::Response => Pdus::Response(v2::Response(inner)),
        Kind::Report => Pdus::Report(v2::Report(inner)),
        Kind::Notice => Pdus::Trap(v2::Trap(inner)),
    })
}

pub(super) fn decode(pdus: Pdus) -> Option<Pdu> {
    let (kind, pdu) = match pdus {
        Pdus::GetRequest(pdu) => (Kind::Get, pdu.0),
        Pdus::GetNextRequest(pdu) => (Kind::GetNext, pdu.0),
        Pdus::SetRequest(pdu) => (Kind::Set, pdu.0),
        Pdus::Response(pdu) => (Kind::Response, pdu.0),
        Pdus::Report(pdu) => (Kind::Report, pdu.0),
        Pdus::Trap(pdu) => (Kind::Notice, pdu.0),
        Pdus::InformRequest(pdu) => (Kind::Notice, pdu.0),
        Pdus::GetBulkRequest(bulk) => {
            let BulkPdu { request_id, non_repeaters, max_repetitions, variable_bindings } = bulk.0;
            let inner = v2::Pdu { request_id, error_status: 0, error_index: 0, variable_bindings };
            (Kind::GetBulk { once: non_repeaters, repeats: max_repetitions }, inner)
        }
    };
    let value = |bind: VarBind| Some((Oid::new(bind.name.to_vec())?, decoded(bind.value)?));
    let values = pdu.variable_bindings.into_iter().map(value).collect::<Option<_>>()?;
    let failed = Failed { status: pdu.error_status, index: pdu.error_index };
    Some(Pdu { kind, id: pdu.request_id, failed: (failed.status != 0).then_some(failed), values })
}
