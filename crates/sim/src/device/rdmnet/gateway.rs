//! A gateway behind a broker: it tells and takes the universes of its ports.

use std::collections::BTreeSet;
use std::time::Duration;

use lantern_wire::acn::Cid;
use lantern_wire::rdm::endpoint::{self, EndpointList, EndpointMode, EndpointType};
use lantern_wire::rdm::parameter::{self, Refusal};
use lantern_wire::rdm::{Class, DeviceInfo, Message, ResponseType, Uid, text};
use lantern_wire::rdmnet::{Client, ClientKind};

use super::{EndpointTruth, GatewayQuirk, GatewaySetup};

/// How long one that lags goes on telling the old value, and how long one that restarts is away.
const LAGS: Duration = Duration::from_millis(1500);
const AWAY: Duration = Duration::from_secs(2);
/// How long one puts off who asks, in tenths of a second.
const LATER: [u8; 2] = [0, 2];
const KEPT: usize = 8;

/// A gateway.
#[derive(Debug)]
pub(super) struct Gateway {
    setup: GatewaySetup,
    cid: Cid,
    endpoints: Vec<EndpointTruth>,
    /// What it told before, and until when it goes on telling that.
    old: Option<(Duration, Vec<EndpointTruth>)>,
    flashes: bool,
    put_off: BTreeSet<u16>,
    /// Until when it is away.
    away: Option<Duration>,
}

impl Gateway {
    pub(super) fn new(setup: &GatewaySetup) -> Self {
        let mut cid = [0x52; 16];
        cid[10..].copy_from_slice(&setup.uid.0);
        let step = if setup.quirks.contains(&GatewayQuirk::CountsOddly) { 7 } else { 1 };
        let numbers = (1..).step_by(step);
        let endpoints = setup.universes.iter().zip(numbers);
        Self {
            cid: Cid(cid),
            endpoints: endpoints
                .map(|(universe, number)| EndpointTruth::new(setup.uid, number, *universe))
                .collect(),
            old: None,
            flashes: false,
            put_off: BTreeSet::new(),
            away: None,
            setup: setup.clone(),
        }
    }

    fn has(&self, quirk: GatewayQuirk) -> bool {
        self.setup.quirks.contains(&quirk)
    }

    pub(super) const fn uid(&self) -> Uid {
        self.setup.uid
    }

    pub(super) fn endpoints(&self) -> &[EndpointTruth] {
        &self.endpoints
    }

    /// Who it is to its broker.
    pub(super) const fn client(&self) -> Client {
        Client { cid: self.cid, uid: self.setup.uid, kind: ClientKind::DEVICE, bound_to: Cid([0; 16]) }
    }

    pub(super) const fn is_away(&self) -> bool {
        self.away.is_some()
    }

    /// When it comes back.
    pub(super) fn back_at(&self) -> Option<Duration> {
        self.away.filter(|at| *at < Duration::MAX)
    }

    /// Whether it has come back by now.
    pub(super) fn comes_back(&mut self, now: Duration) -> bool {
        self.away.take_if(|at| *at <= now).is_some()
    }

    /// Answers a request for one of its endpoints; 0 is itself. `None` for one that it has not.
    pub(super) fn answer(&mut self, now: Duration, endpoint: u16, request: &Message) -> Option<Message> {
        let is_there = endpoint == 0 || self.endpoints.iter().any(|one| one.number == endpoint);
        if !is_there {
            return None;
        }
        if self.has(GatewayQuirk::PutsOff) && self.put_off.insert(request.parameter) {
            return Some(request.answered(ResponseType::ACK_TIMER, LATER.to_vec()));
        }
        let done = match request.class {
            Class::GET => self.tell(now, request),
            Class::SET => self.take(now, request),
            _ => Err(Refusal(5)),
        };
        Some(match done {
            Ok(data) => request.answered(ResponseType::ACK, data),
            Err(refusal) => request.answered(ResponseType::NACK, refusal.0.to_be_bytes().to_vec()),
        })
    }

    fn supported(&self) -> Vec<u16> {
        let mut all = vec![parameter::DEVICE_LABEL, parameter::MAKER_LABEL, parameter::MODEL_DESCRIPTION];
        if !self.has(GatewayQuirk::HasNoEndpoints) {
            all.extend([
                endpoint::LIST,
                endpoint::LIST_CHANGE,
                endpoint::IDENTIFY,
                endpoint::UNIVERSE,
                endpoint::LABEL,
                endpoint::RDM_TRAFFIC,
            ]);
        }
        if !self.has(GatewayQuirk::HasNoModes) {
            all.push(endpoint::MODE);
        }
        all
    }

    /// The endpoint that a question is about, as it is told at this time.
    fn told(&self, now: Duration, data: &[u8]) -> Result<&EndpointTruth, Refusal> {
        let number = u16::from_be_bytes(*data.first_chunk().ok_or(Refusal(1))?);
        let old = self.old.as_ref().filter(|(until, _)| *until > now).map(|(_, all)| all);
        let all = old.unwrap_or(&self.endpoints);
        all.iter().find(|one| one.number == number).ok_or(Refusal(12))
    }

    fn tell(&self, now: Duration, request: &Message) -> Result<Vec<u8>, Refusal> {
        let asked = || self.told(now, &request.data);
        Ok(match request.parameter {
            parameter::DEVICE_INFO => {
                let info = DeviceInfo {
                    version: [1, 0],
                    model: 0x0801,
                    category: 0x0701,
                    software: 3,
                    footprint: 0,
                    personality: 0,
                    personalities: 0,
                    start_address: DeviceInfo::NO_ADDRESS,
                    sub_devices: 0,
                    sensors: 0,
                };
                info.to_bytes().to_vec()
            }
            parameter::SUPPORTED_PARAMETERS => self.supported().into_iter().flat_map(u16::to_be_bytes).collect(),
            parameter::SOFTWARE_LABEL => text::write("2.1"),
            parameter::DEVICE_LABEL => text::write(&self.setup.label),
            parameter::MAKER_LABEL => text::write("Marrowbright"),
            parameter::MODEL_DESCRIPTION => text::write("Octet"),
            parameter::IDENTIFY_DEVICE => vec![u8::from(self.flashes)],
            _ if self.has(GatewayQuirk::HasNoEndpoints) => return Err(Refusal::UNKNOWN),
            endpoint::LIST => {
                let endpoints = self.endpoints.iter().map(|one| (one.number, EndpointType::PHYSICAL)).collect();
                EndpointList { change: 1, endpoints }.to_bytes()
            }
            endpoint::LIST_CHANGE => 1_u32.to_be_bytes().to_vec(),
            endpoint::UNIVERSE => endpoint::write_universe(asked()?.number, asked()?.universe),
            endpoint::MODE if !self.has(GatewayQuirk::HasNoModes) => {
                endpoint::write_byte(asked()?.number, asked()?.mode)
            }
            endpoint::LABEL => endpoint::write_label(asked()?.number, &asked()?.label),
            endpoint::RDM_TRAFFIC => endpoint::write_byte(asked()?.number, asked()?.rdm.into()),
            endpoint::IDENTIFY => endpoint::write_byte(asked()?.number, asked()?.flashes.into()),
            _ => return Err(Refusal::UNKNOWN),
        })
    }

    fn take(&mut self, now: Duration, request: &Message) -> Result<Vec<u8>, Refusal> {
        let data = &request.data;
        let kept = if self.has(GatewayQuirk::CutsLabels) { KEPT } else { text::MOST };
        let cut = |text: String| text.chars().take(kept).collect::<String>();
        match request.parameter {
            parameter::DEVICE_LABEL => self.setup.label = cut(text::read(data)),
            parameter::IDENTIFY_DEVICE => self.flashes = data[..] == [1],
            endpoint::UNIVERSE | endpoint::MODE | endpoint::LABEL | endpoint::RDM_TRAFFIC | endpoint::IDENTIFY => {
                let place = self.place(data)?;
                if self.has(GatewayQuirk::IsWriteProtected) && request.parameter == endpoint::UNIVERSE {
                    return Err(Refusal::WRITE_PROTECTED);
                }
                if self.has(GatewayQuirk::TakesNothing) {
                    return Ok(Vec::new());
                }
                if self.has(GatewayQuirk::LagsBehind) {
                    self.old = Some((now + LAGS, self.endpoints.clone()));
                }
                self.set(place, request.parameter, data, &cut)?;
                self.after(now, place, request.parameter);
            }
            _ => return Err(Refusal::UNKNOWN),
        }
        Ok(Vec::new())
    }

    /// The place of the endpoint that an order is about.
    fn place(&self, data: &[u8]) -> Result<usize, Refusal> {
        let number = u16::from_be_bytes(*data.first_chunk().ok_or(Refusal(1))?);
        let place = self.endpoints.iter().position(|one| one.number == number);
        place.filter(|_| !self.has(GatewayQuirk::HasNoEndpoints)).ok_or(Refusal(12))
    }

    fn set(
        &mut self,
        place: usize,
        parameter: u16,
        data: &[u8],
        cut: &dyn Fn(String) -> String,
    ) -> Result<(), Refusal> {
        let knows_modes = !self.has(GatewayQuirk::HasNoModes);
        let one = &mut self.endpoints[place];
        let byte = || endpoint::read_byte(data).map(|(_, byte)| byte).ok_or(Refusal(1));
        match parameter {
            endpoint::UNIVERSE => {
                let (_, universe) = endpoint::read_universe(data).ok_or(Refusal(1))?;
                if universe > 63999 {
                    return Err(Refusal::OUT_OF_RANGE);
                }
                one.universe = universe;
            }
            endpoint::MODE if !knows_modes => return Err(Refusal::UNKNOWN),
            endpoint::MODE => match byte()? {
                mode if mode <= EndpointMode::OUTPUT.0 => one.mode = mode,
                _ => return Err(Refusal::OUT_OF_RANGE),
            },
            endpoint::RDM_TRAFFIC => one.rdm = byte()? != 0,
            endpoint::IDENTIFY => one.flashes = byte()? != 0,
            _ => one.label = cut(endpoint::read_label(data).ok_or(Refusal(1))?.1),
        }
        Ok(())
    }

    /// What else comes of an order.
    fn after(&mut self, now: Duration, place: usize, parameter: u16) {
        if parameter != endpoint::UNIVERSE {
            return;
        }
        if self.has(GatewayQuirk::PatchesTheNext) {
            let universe = self.endpoints[place].universe;
            let next = (place + 1) % self.endpoints.len();
            self.endpoints[next].universe = universe;
        }
        if self.has(GatewayQuirk::RestartsWithUniverse) {
            self.away = Some(now + AWAY);
        }
        if self.has(GatewayQuirk::DiesOfUniverse) {
            self.away = Some(Duration::MAX);
        }
    }
}
