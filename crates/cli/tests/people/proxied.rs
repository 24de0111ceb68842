//! Two servers on hosts of their own, over one database and one object store, behind a real proxy (HAProxy) that asks
//! them in turn.

use std::fs;
use std::net::{TcpListener, TcpStream};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use jampin_testkit::{ObjectStore, Visitor, fresh_database};
use serde_json::json;
use tempfile::TempDir;

use super::members::heard_at;
use super::{PASSPHRASE, PROGRAM, project_of};

/// Ended when let go of.
struct Running(Child);

impl Drop for Running {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

fn free_port() -> u16 {
    TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port()
}

fn wait_for(port: u16) {
    let begun = Instant::now();
    while TcpStream::connect(("127.0.0.1", port)).is_err() {
        assert!(begun.elapsed().as_secs() < 30, "nobody listens on {port}");
        std::thread::sleep(Duration::from_millis(20));
    }
}

/// What docs/scale.md says of the proxy.
fn settings(port: u16, [one, two]: [u16; 2]) -> String {
    format!(
        "global\n  log stdout format raw local0\n\
         defaults\n  mode http\n  log global\n  log-format %s\n  option forwardfor\n  option redispatch\n  \
         timeout connect 5s\n  timeout client 1h\n  timeout server 1h\n\
         frontend films\n  bind 127.0.0.1:{port}\n  http-request set-header Host films.example\n  default_backend jampin\n\
         backend jampin\n  balance roundrobin\n  server one 127.0.0.1:{one} check inter 200\n  \
         server two 127.0.0.1:{two} check inter 200\n"
    )
}

struct Site {
    proxy: TempDir,
    link: String,
    address: String,
    servers: Vec<Running>,
    _running: Running,
    _media: [TempDir; 2],
    _store: ObjectStore,
}

fn site() -> Site {
    let (store, database) = (ObjectStore::start(), fresh_database());
    let media = [(); 2].map(|()| tempfile::tempdir().unwrap());
    let ports = [free_port(), free_port()];
    let mut links = Vec::new();
    let servers = ports.into_iter().zip(&media).map(|(port, media)| {
        let mut child = Command::new(PROGRAM)
            .args(["serve", "--port", &port.to_string(), "--database", &database, "--log", "warn"])
            .args(["--proxy", "127.0.0.1", "--url", "https://films.example", "--media"])
            .arg(media.path())
            .envs(store.environment())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let said = std::io::BufRead::lines(std::io::BufReader::new(child.stdout.take().unwrap()));
        links.extend(said.take(2).last().and_then(Result::ok));
        wait_for(port);
        Running(child)
    });
    let servers: Vec<Running> = servers.collect();
    let (proxy, port) = (tempfile::tempdir().unwrap(), free_port());
    let file = proxy.path().join("settings");
    fs::write(&file, settings(port, ports)).unwrap();
    let asked = fs::File::create(proxy.path().join("asked")).unwrap();
    let running = Command::new("/usr/sbin/haproxy").arg("-db").arg("-f").arg(&file).stdout(asked).spawn().unwrap();
    let running = Running(running);
    wait_for(port);
    // Of several the newest one holds.
    let link = links[1].rsplit_once(": https://films.example").unwrap().1.to_owned();
    let address = format!("127.0.0.1:{port}");
    Site { proxy, link, address, servers, _running: running, _media: media, _store: store }
}

#[test]
fn sessions_uploads_and_news_go_by_whichever_server_the_proxy_asks() {
    let mut site = site();
    let mara = Visitor::at(&site.address);
    let token = site.link.split('=').nth(1).unwrap().to_owned();
    let welcome = mara.form("/welcome", &[("token", &token), ("name", "Mara"), ("passphrase", PASSPHRASE)]);
    assert_eq!(welcome.status, 303, "{}", welcome.text());
    for _ in 0..6 {
        assert_eq!(mara.get("/api/queue").status, 200, "signed in on both");
    }
    let [_, clip, shot] = project_of(&mara);
    let pictures: Vec<Vec<u8>> = (0..4).map(|_| mara.get(&format!("/clips/{clip}/frames/9.jpg")).body).collect();
    assert!(pictures[0].starts_with(b"\xff\xd8") && pictures.iter().all(|one| *one == pictures[0]));
    let news = heard_at(&site.address, &mara, Duration::from_secs(4), || {
        let pin = json!({ "revision": 0, "frame": 5, "x": 80.0, "y": 60.0 });
        let made = mara.send("POST", &format!("/api/shots/{shot}/pins"), &pin);
        assert_eq!(made.status, 201, "{}", made.text());
    });
    assert!(news.contains(&shot), "{news}");

    // One of them goes: the other does all.
    drop(site.servers.pop());
    for _ in 0..4 {
        assert_eq!(mara.get(&format!("/api/shots/{shot}")).json()["shot"]["revision"], 1);
    }
    let asked = fs::read_to_string(site.proxy.path().join("asked")).unwrap();
    for server in ["one", "two"] {
        assert!(asked.lines().filter(|line| *line == server).count() > 5, "both were asked: {asked}");
    }
}
