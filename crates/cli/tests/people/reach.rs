//! Listening elsewhere than on loopback.

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};
use std::sync::Arc;

use jampin_testkit::{Answer, fresh_database, request};
use rustls::pki_types::CertificateDer;
use rustls::{ClientConfig, ClientConnection, RootCertStore, StreamOwned};

use super::PROGRAM;

#[test]
fn where_others_could_listen_in_it_does_not_start_and_says_why() {
    for (words, why) in [
        (vec!["--listen", "0.0.0.0"], "everybody in the network could listen in"),
        (vec!["--listen", "0.0.0.0", "--url", "https://films.example"], "everybody in the network could listen in"),
        (vec!["--listen", "::"], "name the proxy"),
        (vec!["--listen", "0.0.0.0", "--proxy", "127.0.0.1"], "say with --url"),
        (vec!["--proxy", "127.0.0.1", "--url", "http://films.example"], "begins with https://"),
        (vec!["--proxy", "127.0.0.1", "--url", "https://films.example/below"], "ends with the host"),
        (vec!["--url", "https://films.example"], "goes with TLS or a proxy"),
        (
            vec!["--url", "https://films.example", "--tls-certificate", "/none.pem", "--tls-key", "/none.pem"],
            "/none.pem",
        ),
    ] {
        let output = Command::new(PROGRAM).args(["serve", "--port", "0"]).args(&words).output().unwrap();
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert_eq!(output.status.code(), Some(2), "{words:?}: {said}");
        assert!(said.contains(why) && said.trim().lines().count() == 1, "{words:?}: {said}");
    }
}

/// A server on a free port; what it says first: its address, and the link for its owner.
struct Elsewhere {
    child: Child,
    port: u16,
    link: String,
    _media: tempfile::TempDir,
}

impl Elsewhere {
    fn start(words: &[&str]) -> Self {
        let media = tempfile::tempdir().unwrap();
        // Nobody else here takes a port that was just given back.
        let port = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
        let mut child = Command::new(PROGRAM)
            .args(["serve", "--port", &port.to_string(), "--database", &fresh_database(), "--log", "warn", "--media"])
            .arg(media.path())
            .args(words)
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
        assert_eq!(lines.next().unwrap().unwrap(), "https://films.example");
        let said = lines.next().unwrap().unwrap();
        let link = said.rsplit_once(": https://films.example").unwrap().1.to_owned();
        let began = std::time::Instant::now();
        while TcpStream::connect(("127.0.0.1", port)).is_err() {
            assert!(began.elapsed().as_secs() < 30, "it does not listen");
        }
        Self { child, port, link, _media: media }
    }

    fn address(&self) -> String {
        format!("127.0.0.1:{}", self.port)
    }
}

impl Drop for Elsewhere {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

#[test]
fn behind_its_proxy_nobody_is_let_in_for_sitting_at_the_machine_and_the_cookie_is_for_tls() {
    let server = Elsewhere::start(&["--proxy", "127.0.0.1", "--url", "https://films.example"]);
    let ask = |method: &str, path: &str, head: &str, body: &str| -> Answer {
        let head = format!("Host: films.example\r\n{head}");
        request(&server.address(), method, path, &head, body.as_bytes())
    };
    assert_eq!(ask("GET", "/api/queue", "", "").status, 401);
    let wrong = request(&server.address(), "GET", "/sign-in", "", b"");
    assert!(wrong.status == 403 && wrong.text().contains("Open Jam Pin as https://films.example"), "{}", wrong.text());
    let page = ask("GET", "/sign-in", "", "");
    assert_eq!(page.status, 200);
    assert!(page.head.contains("strict-transport-security: max-age=31536000"), "{}", page.head);
    let token = server.link.split('=').nth(1).unwrap();
    let body = format!("token={token}&name=Mara&passphrase=kettle+orbit+mango+finch");
    let form = "Content-Type: application/x-www-form-urlencoded\r\n";
    let foreign = ask("POST", "/welcome", &format!("{form}Origin: http://films.example\r\n"), &body);
    assert_eq!(foreign.status, 403, "not over TLS");
    let welcome = ask("POST", "/welcome", &format!("{form}Origin: https://films.example\r\n"), &body);
    assert_eq!(welcome.status, 303, "{}", welcome.text());
    let cookie = &welcome.cookies[0];
    assert!(cookie.starts_with("__Host-jampin=") && cookie.contains("Secure"), "{cookie}");
    let kept = format!("Cookie: {}\r\n", cookie.split(';').next().unwrap());
    assert_eq!(ask("GET", "/api/queue", &kept, "").status, 200);
    // Tries are counted for where people are, not for the proxy.
    let tried = |from: &str| {
        let head = format!("{form}X-Forwarded-For: 203.0.113.9, {from}\r\n");
        ask("POST", "/sign-in", &head, "name=Mara&passphrase=x").status
    };
    for _ in 0..8 {
        assert_eq!(tried("192.0.2.1"), 401);
    }
    assert_eq!((tried("192.0.2.1"), tried("192.0.2.2")), (429, 401));
}

#[test]
fn whoever_is_not_the_proxy_is_not_answered() {
    let server = Elsewhere::start(&["--proxy", "192.0.2.1", "--url", "https://films.example"]);
    let answer = request(&server.address(), "GET", "/sign-in", "Host: films.example\r\n", b"");
    assert!(answer.status == 403 && answer.text().contains("through its proxy"), "{}", answer.text());
}

#[test]
fn with_a_certificate_it_speaks_tls_itself() {
    let folder = tempfile::tempdir().unwrap();
    let made = rcgen::generate_simple_self_signed(vec!["films.example".into()]).unwrap();
    let (certificate, key) = (folder.path().join("certificate.pem"), folder.path().join("key.pem"));
    std::fs::write(&certificate, made.cert.pem()).unwrap();
    std::fs::write(&key, made.signing_key.serialize_pem()).unwrap();
    let (certificate, key) = (certificate.to_str().unwrap(), key.to_str().unwrap());
    let server =
        Elsewhere::start(&["--url", "https://films.example", "--tls-certificate", certificate, "--tls-key", key]);
    let answer = over_tls(&server.address(), made.cert.der().clone());
    assert!(answer.starts_with("HTTP/1.1 200") && answer.contains("Sign in"), "{answer}");
    let plain =
        std::panic::catch_unwind(|| request(&server.address(), "GET", "/sign-in", "Host: films.example\r\n", b""));
    assert!(plain.is_err(), "it answers without TLS");
}

fn over_tls(address: &str, trusted: CertificateDer<'static>) -> String {
    let mut roots = RootCertStore::empty();
    roots.add(trusted).unwrap();
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let config = ClientConfig::builder_with_provider(provider).with_safe_default_protocol_versions().unwrap();
    let config = config.with_root_certificates(roots).with_no_client_auth();
    let connection = ClientConnection::new(Arc::new(config), "films.example".try_into().unwrap()).unwrap();
    let mut stream = StreamOwned::new(connection, TcpStream::connect(address).unwrap());
    stream.write_all(b"GET /sign-in HTTP/1.1\r\nHost: films.example\r\nConnection: close\r\n\r\n").unwrap();
    let mut text = Vec::new();
    let _ = stream.read_to_end(&mut text);
    String::from_utf8_lossy(&text).into_owned()
}
