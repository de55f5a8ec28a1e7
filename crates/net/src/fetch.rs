//! One request over HTTP (RFC 9112): connected from our own address, asked, and read as far as it is taken in.

use std::net::{Ipv4Addr, SocketAddrV4};
use std::time::Duration;

use http_body_util::{BodyExt, Full};
use hyper::body::{Body, Bytes};
use hyper::client::conn::http1;
use hyper_util::rt::TokioIo;
use lantern_core::conversation::{LinkEnd, Request, Response};

use crate::links::{connect, reason};

/// How long a whole answer may take.
const PATIENCE: Duration = Duration::from_secs(4);
/// The most header fields kept.
const MOST_HEADERS: usize = 64;

/// Asks, and gives the answer.
pub(crate) async fn fetch(from: Option<Ipv4Addr>, request: Request) -> Result<Response, LinkEnd> {
    tokio::time::timeout(PATIENCE, talk(from, request)).await.unwrap_or(Err(LinkEnd::Silent))
}

async fn talk(from: Option<Ipv4Addr>, request: Request) -> Result<Response, LinkEnd> {
    let stream = connect(from, request.to).await.map_err(|error| reason(error.kind()))?;
    let torn = |_| LinkEnd::Torn;
    let (mut sender, connection) = http1::handshake(TokioIo::new(stream)).await.map_err(torn)?;
    // It ends with the answer, or with the time.
    let connection = tokio::spawn(connection);
    let answer = async {
        let mut asked = hyper::Request::builder()
            .method(request.method)
            .uri(&request.path)
            .header(hyper::header::HOST, host(request.to))
            .header(hyper::header::CONNECTION, "close");
        for (name, value) in &request.headers {
            asked = asked.header(name, value);
        }
        let most = request.most;
        let asked = asked.body(Full::new(Bytes::from(request.body))).map_err(|_| LinkEnd::Torn)?;
        let answer = sender.send_request(asked).await.map_err(torn)?;
        let headers = answer.headers().iter().take(MOST_HEADERS);
        let headers = headers
            .map(|(name, value)| {
                (name.as_str().to_owned(), String::from_utf8_lossy(value.as_bytes()).into_owned())
            })
            .collect();
        let status = answer.status().as_u16();
        Ok(Response { status, headers, body: beginning(answer.into_body(), most).await })
    };
    let answer = answer.await;
    connection.abort();
    answer
}

/// The port is told where it is not the usual one (RFC 9110, section 7.2).
fn host(to: SocketAddrV4) -> String {
    if to.port() == 80 { to.ip().to_string() } else { to.to_string() }
}

/// As much of a body as is taken in. One that breaks off is what came until then.
async fn beginning(mut body: impl Body<Data = Bytes> + Unpin, most: usize) -> Vec<u8> {
    let mut all = Vec::new();
    while let Some(Ok(frame)) = body.frame().await {
        if let Some(data) = frame.data_ref() {
            all.extend_from_slice(&data[..data.len().min(most - all.len())]);
        }
        if all.len() >= most {
            break;
        }
    }
    all
}
