//! A team at work: 200 people signed in, each with the news open; 30 of them play, 10 follow, the others look about.
//! How long each kind of request takes, in percentiles.

use std::collections::BTreeMap;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use jampin_testkit::{make_film, request};
use serde_json::{Value, json};

use super::party::Party;

const PEOPLE: usize = 200;
const PLAY: usize = 30;
const FOLLOW: usize = 10;
const PASSPHRASE: &str = "kettle orbit mango finch";
const FRAMES: u32 = 250;
const FILM: &str = "-f lavfi -i testsrc2=size=1280x720:rate=25:duration=10 -pix_fmt yuv420p";

/// A page fetches so far ahead: who is later than that sees the film stop.
const AHEAD: Duration = Duration::from_millis(560);

type Times = Arc<Mutex<BTreeMap<&'static str, Vec<f64>>>>;

/// One connection that is kept, with a cookie.
struct Page {
    stream: BufReader<TcpStream>,
    host: String,
    cookie: String,
    times: Times,
}

impl Page {
    fn open(host: &str, cookie: &str, times: &Times) -> Self {
        Self { stream: connect(host), host: host.into(), cookie: cookie.into(), times: Arc::clone(times) }
    }

    /// Sends it, and reads the first line of the answer. A connection that was idle for a while may be closed: as a
    /// browser does, another is made.
    fn send(&mut self, text: &str) -> String {
        for _ in 0..2 {
            let mut line = String::new();
            let is_sent = self.stream.get_mut().write_all(text.as_bytes()).is_ok();
            if is_sent && self.stream.read_line(&mut line).is_ok_and(|count| count > 0) {
                return line;
            }
            self.stream = connect(&self.host);
        }
        panic!("the server does not answer");
    }

    /// Asks; the status and the body. How long it took is noted under a name.
    fn ask(&mut self, name: &'static str, method: &str, path: &str, body: &str) -> (u16, Vec<u8>) {
        let begun = Instant::now();
        let head = format!(
            "{method} {path} HTTP/1.1\r\nHost: {}\r\nCookie: {}\r\nContent-Type: application/json\r\nContent-Length: {}\r\n\r\n{body}",
            self.host,
            self.cookie,
            body.len()
        );
        let mut line = self.send(&head);
        let status = line[9..12].parse().expect("a status");
        let (mut length, mut chunked) = (0, false);
        loop {
            line.clear();
            self.stream.read_line(&mut line).expect("the server answers");
            let text = line.trim().to_lowercase();
            if text.is_empty() {
                break;
            }
            if let Some(count) = text.strip_prefix("content-length: ") {
                length = count.parse().expect("a length");
            }
            chunked |= text == "transfer-encoding: chunked";
        }
        let mut bytes = self.read(length);
        while chunked {
            line.clear();
            self.stream.read_line(&mut line).expect("a chunk's length");
            let length = usize::from_str_radix(line.trim(), 16).expect("a length");
            bytes.extend(self.read(length));
            self.read(2);
            chunked = length > 0;
        }
        let took = begun.elapsed().as_secs_f64() * 1000.0;
        self.times.lock().expect("no panic").entry(name).or_default().push(took);
        assert!(status < 500, "{method} {path}: {status} {}", String::from_utf8_lossy(&bytes));
        (status, bytes)
    }
}

impl Page {
    fn read(&mut self, length: usize) -> Vec<u8> {
        let mut bytes = vec![0; length];
        self.stream.read_exact(&mut bytes).expect("the whole answer");
        bytes
    }
}

fn connect(host: &str) -> BufReader<TcpStream> {
    let stream = TcpStream::connect(host).expect("the server listens");
    stream.set_nodelay(true).expect("a socket");
    stream.set_read_timeout(Some(Duration::from_secs(60))).expect("a socket");
    BufReader::new(stream)
}

fn cookie_of(answer: &jampin_testkit::Answer) -> String {
    answer.cookies.first().and_then(|cookie| cookie.split(';').next()).unwrap_or_default().to_owned()
}

/// Adds somebody, lets them come by their link and into the project; their cookie.
fn newcomer(party: &Party, owner: &str, project: &str, name: &str) -> String {
    let json_head = format!("Cookie: {owner}\r\nContent-Type: application/json\r\n");
    let send = |method: &str, path: &str, body: Value| {
        request(party.address(), method, path, &json_head, body.to_string().as_bytes())
    };
    let added = send("POST", "/api/people", json!({ "name": name }));
    let token = added.json()["link"].as_str().expect("a link").split('=').nth(1).expect("a token").to_owned();
    let form = format!("token={token}&name={}&passphrase={}", name.replace(' ', "+"), PASSPHRASE.replace(' ', "+"));
    let head = "Content-Type: application/x-www-form-urlencoded\r\n";
    let come = request(party.address(), "POST", "/welcome", head, form.as_bytes());
    assert_eq!(come.status, 303, "{}", come.text());
    send("PUT", &format!("/api/projects/{project}/members"), json!({ "name": name, "role": "editor" }));
    cookie_of(&come)
}

pub(crate) fn run(seconds: u32) {
    let party = Party::begin(&[]);
    let set = request(
        party.address(),
        "PUT",
        "/api/you/passphrase",
        "Content-Type: application/json\r\n",
        json!({ "new": PASSPHRASE }).to_string().as_bytes(),
    );
    let owner = cookie_of(&set);
    let times = Times::default();
    let mut page = Page::open(party.address(), &owner, &times);
    let (_, made) = page.ask("set up", "POST", "/api/projects", &json!({ "name": "Open day" }).to_string());
    let project = serde_json::from_slice::<Value>(&made).expect("a project")["id"].as_str().expect("its id").to_owned();
    let dir = tempfile::tempdir().expect("room");
    let film = std::fs::read(make_film(dir.path(), "card.mp4", FILM)).expect("the film");
    let shots: Vec<(String, String)> = (0..FOLLOW).map(|_| bring_in(&party, &owner, &project, &film)).collect();
    let begun = Instant::now();
    let cookies: Vec<String> =
        (0..PEOPLE).map(|n| newcomer(&party, &owner, &project, &format!("Person {n}"))).collect();
    println!("{PEOPLE} people came in {:.0} s", begun.elapsed().as_secs_f32());

    times.lock().expect("no panic").clear();
    let end = Arc::new(AtomicBool::new(false));
    let heard = Arc::new(Mutex::new(0usize));
    let late = Arc::new(Mutex::new([0usize; 2]));
    std::thread::scope(|scope| {
        for (n, cookie) in cookies.iter().enumerate() {
            let (party, shots, times, end) = (&party, &shots, &times, &end);
            let (heard, late) = (Arc::clone(&heard), Arc::clone(&late));
            scope.spawn(move || listen(party.address(), cookie, end, &heard));
            let (shot, clip) = &shots[n % FOLLOW];
            let mut page = Page::open(party.address(), cookie, times);
            scope.spawn(move || match n {
                n if n < PLAY => play(&mut page, (shot, clip), end, &late),
                n if n < PLAY + FOLLOW => follow(&mut page, shot, n, end),
                _ => look_about(&mut page, shot, n, end),
            });
        }
        std::thread::sleep(Duration::from_secs(seconds.into()));
        end.store(true, Ordering::Relaxed);
    });
    report(&times, *heard.lock().expect("no panic"), *late.lock().expect("no panic"));
}

fn bring_in(party: &Party, owner: &str, project: &str, film: &[u8]) -> (String, String) {
    let head = format!("Cookie: {owner}\r\n");
    let path = format!("/api/projects/{project}/clips?name=card.mp4");
    let taken = request(party.address(), "PUT", &path, &head, film).json();
    let shot = taken["shot"].as_str().expect("a shot").to_owned();
    loop {
        let state = request(party.address(), "GET", &format!("/api/shots/{shot}"), &head, b"").json();
        if state["clip"]["state"] == "ready" {
            return (shot, state["clip"]["id"].as_str().expect("its id").to_owned());
        }
        std::thread::sleep(Duration::from_millis(100));
    }
}

/// The news, as every browser has it open.
fn listen(host: &str, cookie: &str, end: &AtomicBool, heard: &Mutex<usize>) {
    let mut stream = TcpStream::connect(host).expect("the server listens");
    stream.set_read_timeout(Some(Duration::from_millis(500))).expect("a socket");
    let head = format!("GET /api/events?all=true HTTP/1.1\r\nHost: {host}\r\nCookie: {cookie}\r\n\r\n");
    stream.write_all(head.as_bytes()).expect("the server reads");
    let mut bytes = [0; 8192];
    while !end.load(Ordering::Relaxed) {
        if let Ok(count) = stream.read(&mut bytes) {
            assert!(count > 0, "the news broke off");
            let told = String::from_utf8_lossy(&bytes[..count]).matches("data: ").count();
            *heard.lock().expect("no panic") += told;
        }
    }
}

/// 25 pictures a second, with what is painted on them.
fn play(page: &mut Page, (shot, clip): (&str, &str), end: &AtomicBool, late: &Mutex<[usize; 2]>) {
    let begun = Instant::now();
    for n in 0u32.. {
        if end.load(Ordering::Relaxed) {
            return;
        }
        let due = begun + Duration::from_millis(40) * n;
        match due.checked_duration_since(Instant::now()) {
            Some(wait) => std::thread::sleep(wait),
            None if due.elapsed() > AHEAD => late.lock().expect("no panic")[0] += 1,
            None => {}
        }
        let frame = n % FRAMES;
        let (status, _) = page.ask("frame", "GET", &format!("/clips/{clip}/frames/{frame}.jpg"), "");
        assert_eq!(status, 200);
        late.lock().expect("no panic")[1] += 1;
        if frame.is_multiple_of(60) {
            page.ask("scene", "GET", &format!("/api/shots/{shot}/scene?at={frame}&art="), "");
        }
    }
}

/// A click every few seconds, followed both ways.
fn follow(page: &mut Page, shot: &str, n: usize, end: &AtomicBool) {
    for round in 0u32.. {
        let (status, state) = page.ask("shot", "GET", &format!("/api/shots/{shot}"), "");
        assert_eq!(status, 200);
        let state: Value = serde_json::from_slice(&state).expect("a shot");
        let (x, y) = (200.0 + f64::from(round * 37 % 800), 100.0 + (n * 13 % 400) as f64);
        let pin = json!({ "revision": state["shot"]["revision"], "frame": 20, "x": x, "y": y, "follow": true });
        let (status, said) = page.ask("click", "POST", &format!("/api/shots/{shot}/pins"), &pin.to_string());
        assert!(matches!(status, 201 | 409 | 422), "{status} {}", String::from_utf8_lossy(&said));
        for _ in 0..80 {
            if end.load(Ordering::Relaxed) {
                return;
            }
            std::thread::sleep(Duration::from_millis(100));
        }
        if round % 5 == 4 {
            (0..5).for_each(|_| undo(page, shot));
        }
    }
}

fn undo(page: &mut Page, shot: &str) {
    let (_, state) = page.ask("shot", "GET", &format!("/api/shots/{shot}"), "");
    let state: Value = serde_json::from_slice(&state).expect("a shot");
    let body = json!({ "revision": state["shot"]["revision"] });
    page.ask("undo", "POST", &format!("/api/shots/{shot}/undo"), &body.to_string());
}

/// Pages are opened now and then, and each says every five seconds that it is there.
fn look_about(page: &mut Page, shot: &str, n: usize, end: &AtomicBool) {
    let id = uuid::Uuid::new_v4();
    for round in n.. {
        for _ in 0..50 {
            if end.load(Ordering::Relaxed) {
                return;
            }
            std::thread::sleep(Duration::from_millis(100));
        }
        let here = json!({ "page": id, "frame": round % FRAMES as usize, "at": [1.0, 2.0], "subject": null });
        let (status, _) = page.ask("here", "POST", &format!("/api/shots/{shot}/here"), &here.to_string());
        assert_eq!(status, 204);
        match round % 4 {
            0 => page.ask("shot", "GET", &format!("/api/shots/{shot}"), ""),
            1 => page.ask("page", "GET", "/", ""),
            2 => page.ask("queue", "GET", "/api/queue", ""),
            _ => page.ask("page", "GET", &format!("/shots/{shot}"), ""),
        };
    }
}

fn report(times: &Times, heard: usize, late: [usize; 2]) {
    println!("| request | count | median ms | 95 % | 99 % | worst |\n| --- | --- | --- | --- | --- | --- |");
    for (name, all) in times.lock().expect("no panic").iter_mut() {
        all.sort_by(f64::total_cmp);
        let at = |share: f64| all[((all.len() - 1) as f64 * share) as usize];
        println!("| {name} | {} | {:.1} | {:.1} | {:.1} | {:.1} |", all.len(), at(0.5), at(0.95), at(0.99), at(1.0));
    }
    let share = 100.0 * late[0] as f64 / late[1].max(1) as f64;
    println!(
        "{} of {} pictures came too late to be seen in time ({share:.2} %); {heard} pieces of news were heard",
        late[0], late[1]
    );
}
