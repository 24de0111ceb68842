//! Just enough HTTP to ask a server on loopback.

use std::io::{Read, Write};
use std::net::TcpStream;
use std::time::Duration;

use serde_json::Value;

/// What a server answered.
#[derive(Debug)]
pub struct Answer {
    /// Status code.
    pub status: u16,
    /// Head as it came, in small letters.
    pub head: String,
    /// Where it sends on to.
    pub location: Option<String>,
    /// Cookies that it sets, as they came: name, value and what else is said of each.
    pub cookies: Vec<String>,
    /// Body without its transfer encoding.
    pub body: Vec<u8>,
}

impl Answer {
    /// The body as JSON; `null` when it is none.
    pub fn json(&self) -> Value {
        serde_json::from_slice(&self.body).unwrap_or_default()
    }

    /// The body as text.
    pub fn text(&self) -> String {
        String::from_utf8_lossy(&self.body).into_owned()
    }
}

/// Asks `address` (host and port) for `path`. Extra head lines end with `\r\n` each.
///
/// # Panics
/// When the server cannot be reached or answers nonsense.
pub fn request(address: &str, method: &str, path: &str, extra: &str, body: &[u8]) -> Answer {
    try_request(address, method, path, extra, body).expect("the server answers")
}

/// The same of a server that may go down meanwhile: `None` when it cannot be reached or answers nonsense.
pub fn try_request(address: &str, method: &str, path: &str, extra: &str, body: &[u8]) -> Option<Answer> {
    let mut stream = TcpStream::connect(address).ok()?;
    stream.set_read_timeout(Some(Duration::from_secs(60))).ok()?;
    let host = if extra.to_lowercase().contains("host:") { String::new() } else { format!("Host: {address}\r\n") };
    let head =
        format!("{method} {path} HTTP/1.1\r\n{host}Connection: close\r\nContent-Length: {}\r\n{extra}\r\n", body.len());
    // A server that refuses early may close before all is sent; its answer still counts.
    let _ = stream.write_all(head.as_bytes()).and_then(|()| stream.write_all(body));
    let mut bytes = Vec::new();
    let _ = stream.read_to_end(&mut bytes);
    parse(&bytes)
}

fn parse(bytes: &[u8]) -> Option<Answer> {
    let end = bytes.windows(4).position(|four| four == b"\r\n\r\n")?;
    let head = String::from_utf8_lossy(&bytes[..end]);
    let of = |wanted: &'static str| {
        let value = move |line: &str| {
            let (name, value) = line.split_once(": ")?;
            name.eq_ignore_ascii_case(wanted).then(|| value.to_owned())
        };
        head.lines().filter_map(value).collect::<Vec<_>>()
    };
    let (cookies, location) = (of("set-cookie"), of("location").pop());
    let head = head.to_lowercase();
    let status = head.split(' ').nth(1).and_then(|code| code.parse().ok())?;
    let rest = &bytes[end + 4..];
    let body = if head.contains("transfer-encoding: chunked") { unchunk(rest) } else { rest.to_vec() };
    Some(Answer { status, head, location, cookies, body })
}

fn unchunk(mut rest: &[u8]) -> Vec<u8> {
    let mut body = Vec::new();
    while let Some(end) = rest.windows(2).position(|two| two == b"\r\n") {
        let size = usize::from_str_radix(String::from_utf8_lossy(&rest[..end]).trim(), 16).unwrap_or(0);
        let from = end + 2;
        if size == 0 || rest.len() < from + size {
            break;
        }
        body.extend_from_slice(&rest[from..from + size]);
        rest = &rest[(from + size + 2).min(rest.len())..];
    }
    body
}
