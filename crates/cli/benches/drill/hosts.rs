//! Three hosts, two servers, three workers, one PostgreSQL, one S3 server: how much more three do than one, and what is
//! left when each was killed, cut off and brought back.

use std::collections::{BTreeMap, BTreeSet};
use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use jampin_testkit::{Answer, ObjectStore, Weather, environment, make_film, try_request};
use serde_json::{Value, json};
use tempfile::TempDir;

use super::PROGRAM;
use super::party::{signal, text};
use super::wire::{HOSTS, SHARE, Wires, inside, lead, on, outside};

const DATABASE_PORT: u16 = 5432;
const STORE_PORT: u16 = 9000;
/// Where the servers listen, each on its own host.
const SERVER: &str = "127.0.0.1:8710";
/// Films that are worked on, each of so many frames.
const FILMS: usize = 6;
const FRAMES: u32 = 100;
const LONG: u32 = 600;
/// Longer than after which a worker that is not heard of is taken for dead.
const OUTAGE: Duration = Duration::from_secs(9);

/// `speed`, `faults`, or both.
pub(crate) fn run(what: &str) {
    let mut hosts = Hosts::begin();
    let shots = hosts.bring_in();
    let long = hosts.bring_in_one(&format!(
        "-f lavfi -i testsrc2=size=640x360:rate=25:duration={} -f lavfi -i sine=duration=1 -pix_fmt yuv420p",
        LONG / 25
    ));
    println!("{HOSTS} hosts with {SHARE} % of a processor each, 5 ms each way to everything");
    if what != "faults" {
        hosts.speed("exports", &shots, Hosts::export);
        hosts.speed("pins followed and solved", &shots, Hosts::follow);
        hosts.long_export(&long);
    }
    if what != "speed" {
        hosts.only(HOSTS);
        hosts.faults(&shots, &long);
        hosts.check(&shots, &long);
        println!("nothing was lost, and nothing done twice that counts");
    }
}

/// An S3 server over a folder, until it is ended; how it is reached is printed.
pub(crate) fn store(folder: &str) {
    let store = ObjectStore::over(Path::new(folder), "127.0.0.1:9000");
    for (name, value) in store.environment() {
        println!("export {name}='{value}'");
    }
    loop {
        std::thread::park();
    }
}

struct Hosts {
    dir: TempDir,
    wires: Wires,
    store: ObjectStore,
    workers: Vec<Option<Child>>,
    servers: Vec<Option<Child>>,
    /// Of the database, from outside.
    database: String,
    project: String,
    /// How many follow jobs each shot has had.
    followed: std::cell::RefCell<BTreeMap<String, usize>>,
    asked: std::cell::Cell<usize>,
}

impl Hosts {
    fn begin() -> Self {
        let dir = tempfile::tempdir().expect("room for it");
        let open = std::os::unix::fs::PermissionsExt::from_mode(0o755);
        std::fs::set_permissions(dir.path(), open).expect("a folder of our own");
        let wires = Wires::lay();
        let store = ObjectStore::over(&dir.path().join("objects"), "127.0.0.1:0");
        let mut hosts = Self {
            dir,
            wires,
            store,
            workers: Vec::new(),
            servers: Vec::new(),
            database: String::new(),
            project: String::new(),
            followed: Default::default(),
            asked: Default::default(),
        };
        hosts.start_database();
        let database = url_address(&hosts.database);
        for host in 0..HOSTS {
            lead(host, DATABASE_PORT, database);
            lead(host, STORE_PORT, hosts.store.address());
        }
        hosts.workers.resize_with(HOSTS, || None);
        for host in 0..2 {
            let server = hosts.server(host);
            hosts.servers.push(Some(server));
            hosts.come_back(host);
        }
        let made = hosts.ask(0, "POST", "/api/projects", &json!({ "name": "Open day" })).expect("the server answers");
        hosts.project = text(&made.json()["id"]);
        hosts
    }

    fn start_database(&mut self) {
        let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../bin/postgres");
        let ended = Command::new(script).arg("start").arg(self.postgres()).arg("5710").output().expect("bin/postgres");
        assert!(ended.status.success(), "{}", String::from_utf8_lossy(&ended.stderr));
        self.database = String::from_utf8_lossy(&ended.stdout).trim().to_owned();
    }

    fn postgres(&self) -> PathBuf {
        self.dir.path().join("postgres")
    }

    /// `serve` or `worker` on a host, with a folder of its own.
    fn command(&self, host: usize, word: &str) -> Command {
        let mut command = on(host, PROGRAM);
        let database = self
            .database
            .replace(&url_address(&self.database).to_string(), &format!("{}:{DATABASE_PORT}", outside(host)));
        let media = self.dir.path().join(format!("{word}{host}"));
        command.args([word, "--log", "error", "--database", &database, "--media"]).arg(media);
        command.envs(environment(&format!("http://{}:{STORE_PORT}", outside(host))));
        command
    }

    fn server(&self, host: usize) -> Child {
        let mut command = self.command(host, "serve");
        command.args(["--port", "8710", "--no-worker"]).stdout(Stdio::null()).stderr(Stdio::null());
        command.spawn().expect("jampin starts")
    }

    fn worker(&self, host: usize) -> Child {
        self.command(host, "worker").args(["--lanes", "1"]).stderr(Stdio::null()).spawn().expect("jampin starts")
    }

    /// So many workers, no more.
    fn only(&mut self, count: usize) {
        for host in 0..HOSTS {
            if host >= count {
                end(self.workers[host].take());
            } else if self.workers[host].is_none() {
                self.workers[host] = Some(self.worker(host));
            }
        }
        let are_there = |workers: &Value| workers.as_array().is_some_and(|all| all.len() == count);
        self.wait("/api/workers", are_there);
    }

    fn all_workers(&self, name: &str) {
        self.workers.iter().flatten().for_each(|worker| signal(name, &worker.id().to_string()));
    }

    fn ask(&self, host: usize, method: &str, path: &str, body: &Value) -> Option<Answer> {
        let json = "Content-Type: application/json\r\n";
        let answer = inside(host, || try_request(SERVER, method, path, json, body.to_string().as_bytes()));
        answer.filter(|answer| answer.status < 500)
    }

    /// Until it is answered, by whichever server does.
    fn get(&self, path: &str) -> Answer {
        let begun = Instant::now();
        loop {
            for host in 0..2 {
                if let Some(answer) = self.ask(host, "GET", path, &Value::Null).filter(|answer| answer.status == 200) {
                    return answer;
                }
            }
            assert!(begun.elapsed() < Duration::from_secs(120), "no server answers {path}");
            std::thread::sleep(Duration::from_millis(200));
        }
    }

    fn wait(&self, path: &str, wished: impl Fn(&Value) -> bool) {
        let begun = Instant::now();
        loop {
            let state = self.get(path).json();
            if wished(&state) {
                return;
            }
            assert!(begun.elapsed() < Duration::from_secs(600), "waited in vain for {path}: {state}");
            std::thread::sleep(Duration::from_millis(100));
        }
    }

    /// Until nothing waits or runs. The database is asked, past the servers: they have the workers' processors.
    fn settle(&self) {
        let begun = Instant::now();
        while self.sql("SELECT count(*) FROM jobs WHERE ended_at IS NULL").as_deref() != Some("0") {
            assert!(begun.elapsed() < Duration::from_secs(600), "there is still work");
            std::thread::sleep(Duration::from_millis(200));
        }
    }

    /// What it answers; nothing while it is away.
    fn sql(&self, statement: &str) -> Option<String> {
        let output = Command::new("psql").args(["-qtAX", &self.database, "-c", statement]).output().expect("psql");
        output.status.success().then(|| String::from_utf8_lossy(&output.stdout).trim().to_owned())
    }

    fn come_back(&self, host: usize) {
        let begun = Instant::now();
        while self.ask(host, "GET", "/health", &Value::Null).is_none_or(|health| health.status != 200) {
            assert!(begun.elapsed() < Duration::from_secs(60), "server {host} does not come back");
            std::thread::sleep(Duration::from_millis(100));
        }
    }

    fn bring_in(&mut self) -> Vec<String> {
        self.only(1);
        // Cloth that is drawn past: any place on it can be followed to both ends, and all are as much work.
        let film = format!(
            "-f lavfi -i color=gray:s=640x360:r=25:d={},noise=c0s=100:all_seed=7,gblur=2,eq=contrast=4,scroll=h=0.002:v=0.001 \
             -pix_fmt yuv420p",
            FRAMES / 25
        );
        (0..FILMS).map(|_| self.bring_in_one(&film)).collect()
    }

    fn bring_in_one(&mut self, film: &str) -> String {
        let film = make_film(self.dir.path(), "film.mp4", film);
        let (bytes, path) =
            (std::fs::read(film).expect("a film"), format!("/api/projects/{}/clips?name=film", self.project));
        let taken = inside(0, || try_request(SERVER, "PUT", &path, "", &bytes)).expect("the server answers");
        let shot = text(&taken.json()["shot"]);
        self.wait(&format!("/api/shots/{shot}"), |state| state["clip"]["state"] == "ready");
        shot
    }

    /// Asks until it is answered by one of the servers: who is told nothing asks again.
    fn export(&self, shot: &str) {
        let path = format!("/api/shots/{shot}/exports");
        self.send(&path, &|| json!({ "container": "mp4" }));
    }

    fn follow(&self, shot: &str) {
        let count = *self.followed.borrow_mut().entry(shot.to_owned()).and_modify(|count| *count += 1).or_insert(1);
        let (x, y) = (100.0 + (count * 37 % 400) as f64, 90.0 + (count * 53 % 180) as f64);
        let path = format!("/api/shots/{shot}/pins");
        let body = || {
            let revision = self.get(&format!("/api/shots/{shot}")).json()["shot"]["revision"].clone();
            json!({ "revision": revision, "frame": 50, "x": x, "y": y, "follow": true })
        };
        self.send(&path, &body);
    }

    fn send(&self, path: &str, body: &dyn Fn() -> Value) {
        let begun = Instant::now();
        let turn = self.asked.get();
        self.asked.set(turn + 1);
        for host in (0..2).cycle().skip(turn % 2) {
            match self.ask(host, "POST", path, &body()) {
                Some(answer) if answer.status < 300 => return,
                Some(answer) if answer.status != 409 => panic!("{path}: {} {}", answer.status, answer.text()),
                _ => std::thread::sleep(Duration::from_millis(100)),
            }
            assert!(begun.elapsed() < Duration::from_secs(120), "no server takes {path}");
        }
    }

    /// How much more three workers do than one.
    fn speed(&mut self, what: &str, shots: &[String], work: fn(&Self, &str)) {
        // All is asked for before anybody works: the servers have the same processors.
        let mut units = |workers: usize, rounds: usize| {
            self.only(workers);
            self.all_workers("STOP");
            for _ in 0..rounds {
                shots.iter().for_each(|shot| work(self, shot));
            }
            let begun = Instant::now();
            self.all_workers("CONT");
            self.settle();
            (rounds * FILMS) as f64 / begun.elapsed().as_secs_f64()
        };
        // Once before it counts: films have to be fetched, and planes made, by each.
        units(1, 1);
        units(HOSTS, 3);
        // One before and after: shots grow with all that is made of them.
        let before = units(1, 3);
        let three = units(HOSTS, 6);
        let after = units(1, 3);
        let one = 2.0 / (1.0 / before + 1.0 / after);
        let share = three / (3.0 * one);
        println!(
            "{what}: {before:.3} and {after:.3} a second with one worker, {three:.3} between them with three: \
             {share:.2} of three times one's"
        );
    }

    fn long_export(&mut self, long: &str) {
        let [alone, shared] = [1, HOSTS].map(|count| {
            self.only(count);
            let begun = Instant::now();
            self.export(long);
            self.settle();
            begun.elapsed().as_secs_f64()
        });
        let times = alone / shared;
        println!("one export of {LONG} frames: {alone:.1} s by one worker, {shared:.1} s by three, {times:.2} times");
    }

    /// Each in turn, while there is always work.
    fn faults(&mut self, shots: &[String], long: &str) {
        let before = self.followed.borrow().clone();
        println!("faults, each with {} exports, one of them long, and {} pins to be followed:", FILMS + 1, FILMS);
        for host in 0..HOSTS {
            self.fault(shots, long, &format!("worker {} killed", host + 1), |hosts| {
                end(hosts.workers[host].take());
                std::thread::sleep(Duration::from_secs(1));
                hosts.workers[host] = Some(hosts.worker(host));
            });
        }
        for host in 0..HOSTS {
            self.fault(shots, long, &format!("host {} cut off for {} s", host + 1, OUTAGE.as_secs()), |hosts| {
                hosts.wires.cut(host);
                std::thread::sleep(OUTAGE);
                hosts.wires.mend(host);
            });
        }
        for host in 0..2 {
            self.fault(shots, long, &format!("server {} killed", host + 1), |hosts| {
                end(hosts.servers[host].take());
                std::thread::sleep(Duration::from_secs(1));
                hosts.servers[host] = Some(hosts.server(host));
                hosts.come_back(host);
            });
        }
        self.fault(shots, long, "the object store gone for 9 s", |hosts| {
            hosts.store.set(Weather::Down);
            std::thread::sleep(OUTAGE);
            hosts.store.set(Weather::Fair);
        });
        self.fault(shots, long, "PostgreSQL killed", |hosts| {
            let pid = std::fs::read_to_string(hosts.postgres().join("data/postmaster.pid")).unwrap_or_default();
            signal("KILL", pid.lines().next().unwrap_or_default().trim());
            std::thread::sleep(Duration::from_secs(2));
            let earlier = hosts.database.clone();
            hosts.start_database();
            assert_eq!(hosts.database, earlier, "it comes back where it was");
        });
        let after = self.followed.borrow();
        let more: usize = after.iter().map(|(shot, count)| count - before.get(shot).unwrap_or(&0)).sum();
        println!("  {more} pins were followed meanwhile");
    }

    fn fault(&mut self, shots: &[String], long: &str, what: &str, make: impl FnOnce(&mut Self)) {
        let begun = Instant::now();
        self.export(long);
        for shot in shots {
            self.follow(shot);
            self.export(shot);
        }
        // In the middle of it.
        std::thread::sleep(Duration::from_secs(4));
        make(self);
        self.settle();
        println!("  {what}: all done after {:.0} s", begun.elapsed().as_secs_f64());
    }

    /// What has to be true in the end.
    fn check(&self, shots: &[String], long: &str) {
        let count = |statement: &str| self.sql(statement).expect("the database answers");
        let not_done = "SELECT kind || ' ' || state || ' ' || attempts || ' ' || coalesce(problem, '') FROM jobs WHERE state <> 'done'";
        assert_eq!(count(not_done), "", "every job came to a good end");
        // By where the pin was put: all films are the same one.
        let mut found: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        for (shot, followed) in self.followed.borrow().iter() {
            let jobs = count(&format!("SELECT count(*) FROM jobs WHERE shot_id = '{shot}' AND kind = 'follow'"));
            let entries = count(&format!("SELECT count(*) FROM log WHERE shot_id = '{shot}'"));
            let pins = self.get(&format!("/api/shots/{shot}")).json();
            let tracks = pins["tracks"].as_array().expect("tracks").clone();
            // A pin whose answer was lost was put a second time by us: as many jobs as pins.
            assert!(
                jobs == tracks.len().to_string() && tracks.len() >= *followed,
                "{jobs} {} {followed}",
                tracks.len()
            );
            assert_eq!(entries, jobs, "each is one entry in the log, however often it was tried");
            let pins =
                pins["subjects"].as_array().expect("subjects").iter().flat_map(|subject| subject["pins"].as_array());
            for (pin, track) in pins.flatten().zip(&tracks) {
                assert_eq!(pin["id"], track["pin"]);
                let what = json!([track["frame"], track["x"], track["y"], track["state"]]);
                found.entry(pin["at"].to_string()).or_default().insert(what.to_string());
            }
        }
        let unlike: Vec<&String> = found.iter().filter(|(_, all)| all.len() > 1).map(|(at, _)| at).collect();
        assert!(unlike.is_empty(), "followed unlike on films that are alike: {unlike:?}");
        println!("  {} places, each followed alike on {FILMS} films to the last bit", found.len());
        // The long shot was never changed: whoever wrote it, and whatever happened meanwhile, it has the same bytes.
        let films = count(&format!("SELECT id FROM jobs WHERE shot_id = '{long}' AND kind = 'export'"));
        let kinds: BTreeSet<Vec<u8>> =
            films.lines().map(|job| self.get(&format!("/api/exports/{job}/film")).body).collect();
        assert_eq!((kinds.len(), films.lines().count() >= 10), (1, true), "one film, many times");
        let exports = count("SELECT id FROM jobs WHERE kind = 'export'");
        let promised: BTreeSet<String> = exports.lines().map(|job| format!("{job}.mp4")).collect();
        let folder = self.dir.path().join("objects/films/kept/exports");
        let there = std::fs::read_dir(folder).into_iter().flatten().flatten();
        let there: BTreeSet<String> = there
            .map(|entry| entry.file_name().to_string_lossy().into_owned())
            .filter(|name| !name.starts_with('.'))
            .collect();
        let left: Vec<&String> = there.difference(&promised).filter(|name| !name.ends_with(".pieces")).collect();
        assert!(promised.is_subset(&there) && left.is_empty(), "a film for each, and no other: {left:?}");
        println!(
            "  {} films, {} shots with all their samples, {} copies of the long film alike",
            promised.len(),
            shots.len(),
            films.lines().count()
        );
    }
}

impl Drop for Hosts {
    fn drop(&mut self) {
        self.workers.drain(..).chain(self.servers.drain(..)).for_each(end);
        let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../bin/postgres");
        let _ = Command::new(script).arg("stop").arg(self.postgres()).status();
    }
}

fn end(child: Option<Child>) {
    if let Some(mut child) = child {
        let _ = child.kill();
        let _ = child.wait();
    }
}

/// Host and port of a database's URL.
fn url_address(url: &str) -> SocketAddr {
    let place = url.rsplit('@').next().and_then(|rest| rest.split('/').next()).unwrap_or_default();
    place.parse().expect("an address with a port")
}
