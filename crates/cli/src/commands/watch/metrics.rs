//! The figures of a watch, for whoever collects figures: OpenMetrics over HTTP.

use std::net::{Ipv4Addr, SocketAddr};
use std::sync::atomic::{AtomicI64, AtomicU64};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use lantern_core::conversation::Watch;
use lantern_core::watch::Happening;
use prometheus_client::encoding::EncodeLabelSet;
use prometheus_client::encoding::text::encode;
use prometheus_client::metrics::counter::ConstCounter;
use prometheus_client::metrics::counter::Counter;
use prometheus_client::metrics::family::Family;
use prometheus_client::metrics::gauge::Gauge;
use prometheus_client::registry::{Registry, Unit};
use tiny_http::{Header, Response, Server};

use super::Eye;
use crate::failure::Failure;
use crate::output::Out;

const SECOND: Duration = Duration::from_secs(1);
/// What the text is called, and what the older form of it is called that has no name for the type of a sample.
const OPEN: &str = "application/openmetrics-text; version=1.0.0; charset=utf-8";
const PLAIN: &str = "text/plain; version=0.0.4; charset=utf-8";

/// Whose figure it is.
#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Device {
    name: String,
    address: String,
}

/// Which universe's figure it is.
#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Flow {
    protocol: String,
    universe: String,
    source: String,
}

/// The server, and what it answers.
pub(super) struct Metrics {
    at: SocketAddr,
    text: Arc<Mutex<String>>,
    due: Duration,
}

/// Reads `PORT` or `ADDRESS:PORT`.
pub(super) fn place(text: &str) -> Result<SocketAddr, String> {
    let on_this_computer = |port: u16| SocketAddr::from((Ipv4Addr::LOCALHOST, port));
    text.parse::<u16>()
        .map(on_this_computer)
        .or_else(|_| text.parse())
        .map_err(|_| "write a port, as 9464, or an address and a port, as 10.40.0.7:9464".to_owned())
}

impl Metrics {
    /// Serves at this address until the program ends.
    pub(super) fn serve(at: SocketAddr) -> Result<Self, Failure> {
        let server = Server::http(at).map_err(|error| Failure::Metrics { at, why: error.to_string() })?;
        let at = server.server_addr().to_ip().unwrap_or(at);
        let text = Arc::new(Mutex::new("# EOF\n".to_owned()));
        let shown = Arc::clone(&text);
        std::thread::spawn(move || {
            for request in server.incoming_requests() {
                let path = request.url().split('?').next().unwrap_or_default();
                let response = if path == "/metrics" {
                    let text = shown.lock().unwrap_or_else(PoisonError::into_inner).clone();
                    let is_open = |header: &Header| {
                        header.field.equiv("Accept") && header.value.as_str().contains("openmetrics-text")
                    };
                    let (text, kind) =
                        if request.headers().iter().any(is_open) { (text, OPEN) } else { (plain(&text), PLAIN) };
                    let header = Header::from_bytes(&b"Content-Type"[..], kind.as_bytes());
                    header.into_iter().fold(Response::from_string(text), Response::with_header)
                } else {
                    Response::from_string("the figures are at /metrics\n").with_status_code(404)
                };
                // Whoever asked may have gone.
                request.respond(response).unwrap_or(());
            }
        });
        Ok(Self { at, text, due: Duration::ZERO })
    }

    pub(super) const fn at(&self) -> SocketAddr {
        self.at
    }
}

impl Eye for Metrics {
    fn happened(&mut self, _: &Watch, _: &Happening, _: &mut Out) -> Result<(), Failure> {
        Ok(())
    }

    fn look(&mut self, watch: &Watch, now: Duration, lost: u64, _: &mut Out) -> Result<bool, Failure> {
        if now >= self.due {
            self.due = now + SECOND;
            *self.text.lock().unwrap_or_else(PoisonError::into_inner) = figures(watch, now, lost);
        }
        Ok(true)
    }

    fn end(&mut self, _: &Watch, _: Duration, _: &mut Out) -> Result<(), Failure> {
        Ok(())
    }
}

/// All figures as text.
fn figures(watch: &Watch, now: Duration, lost: u64) -> String {
    type Count = Counter<u64, AtomicU64>;
    type Level = Gauge<f64, AtomicU64>;
    let answers = Family::<Device, Gauge<i64, AtomicI64>>::default();
    let time = Family::<Device, Level>::default();
    let (asked, answered) = (Family::<Device, Count>::default(), Family::<Device, Count>::default());
    let (silences, restarts) = (Family::<Device, Count>::default(), Family::<Device, Count>::default());
    for one in watch.board().watched() {
        let device = Device { name: one.title(), address: one.address.to_string() };
        answers.get_or_create(&device).set(i64::from(!one.state.is_bad()));
        if let Some(last) = one.curve().last().filter(|_| !one.state.is_bad()) {
            time.get_or_create(&device).set(last.as_secs_f64());
        }
        asked.get_or_create(&device).inc_by(one.curve().asked());
        answered.get_or_create(&device).inc_by(one.curve().answered());
        silences.get_or_create(&device).inc_by(one.silences.into());
        restarts.get_or_create(&device).inc_by(one.restarts.into());
    }
    let (live, rate) = (Family::<Flow, Gauge<i64, AtomicI64>>::default(), Family::<Flow, Level>::default());
    let (heard, gaps) = (Family::<Flow, Count>::default(), Family::<Flow, Count>::default());
    for one in watch.board().traffic().flows() {
        let words = one.universe.in_words();
        let (protocol, universe) = words.split_once(' ').unwrap_or((&words, ""));
        let source = one.address.to_string();
        let flow = Flow { protocol: protocol.to_owned(), universe: universe.to_owned(), source };
        live.get_or_create(&flow).set(i64::from(one.is_live));
        rate.get_or_create(&flow).set(one.rate.into());
        heard.get_or_create(&flow).inc_by(one.heard);
        gaps.get_or_create(&flow).inc_by(one.gaps);
    }
    let mut all = Registry::with_prefix("lantern");
    all.register("device_answers", "Whether the device answers: 1 or 0", answers);
    all.register_with_unit("device_answer_time", "How long its last answer took", Unit::Seconds, time);
    all.register("device_questions", "Questions to the device", asked);
    all.register("device_answered", "Questions it answered", answered);
    all.register("device_silences", "How often it fell silent", silences);
    all.register("device_restarts", "How often it started anew", restarts);
    all.register("universe_live", "Whether the universe is sent by this source: 1 or 0", live);
    all.register("universe_rate", "Messages with levels in the last second", rate);
    all.register("universe_messages", "Messages with levels", heard);
    all.register("universe_gaps", "Messages missing by their numbers", gaps);
    all.register("questions", "Questions to single devices", ConstCounter::new(watch.asked()));
    all.register("frames_lost", "Frames that came faster than they could be read", ConstCounter::new(lost));
    all.register_with_unit(
        "watched",
        "How long the watch has gone on",
        Unit::Seconds,
        prometheus_client::metrics::gauge::ConstGauge::new(now.as_secs_f64()),
    );
    let mut text = String::new();
    // Writing into a text does not fail.
    encode(&mut text, &all).unwrap_or(());
    text
}

/// The same in the older form: there a counter bears the name of its samples, and units and the end are not told.
fn plain(text: &str) -> String {
    let is_counter = |name: &str| text.contains(&format!("# TYPE {name} counter"));
    let line = |line: &str| match line.split(' ').collect::<Vec<_>>()[..] {
        ["#", "EOF" | "UNIT", ..] => String::new(),
        ["#", word @ ("HELP" | "TYPE"), name, ..] if is_counter(name) => {
            let rest = line.splitn(4, ' ').nth(3).unwrap_or_default();
            format!("# {word} {name}_total {rest}\n")
        }
        _ => format!("{line}\n"),
    };
    text.lines().map(line).collect()
}
