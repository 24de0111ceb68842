//! A PostgreSQL, a server and a worker of their own, that can be killed one by one.

use std::fs;
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use jampin_testkit::{Answer, request, try_request};
use serde_json::{Value, json};
use tempfile::TempDir;

use super::PROGRAM;

pub(crate) struct Party {
    dir: TempDir,
    database: String,
    server: Option<Child>,
    workers: Vec<Child>,
    address: String,
    extra: Vec<String>,
}

fn project_root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

impl Party {
    /// With a worker in a process of its own; both get these additional words.
    pub fn begin(extra: &[&str]) -> Self {
        let dir = tempfile::tempdir().expect("room for it");
        // PostgreSQL's user must get there.
        let open = std::os::unix::fs::PermissionsExt::from_mode(0o755);
        fs::set_permissions(dir.path(), open).expect("a folder of our own");
        fs::create_dir_all(dir.path().join("media")).expect("room for media");
        let extra = extra.iter().map(|word| (*word).to_owned()).collect();
        let mut party =
            Self { dir, database: String::new(), server: None, workers: Vec::new(), address: String::new(), extra };
        party.start_database();
        party.start_server();
        party.start_worker();
        party
    }

    pub fn address(&self) -> &str {
        &self.address
    }

    pub fn database(&self) -> &str {
        &self.database
    }

    pub fn media(&self) -> PathBuf {
        self.dir.path().join("media")
    }

    fn postgres(&self) -> PathBuf {
        self.dir.path().join("postgres")
    }

    pub fn start_database(&mut self) {
        let ended = Command::new(project_root().join("bin/postgres"))
            .arg("start")
            .arg(self.postgres())
            .arg("5700")
            .output()
            .expect("bin/postgres runs");
        assert!(ended.status.success(), "{}", String::from_utf8_lossy(&ended.stderr));
        self.database = String::from_utf8_lossy(&ended.stdout).trim().to_owned();
    }

    fn command(&self, word: &str) -> Command {
        let mut command = Command::new(PROGRAM);
        command
            .arg(word)
            .args(["--log", "error", "--database", &self.database, "--media"])
            .arg(self.media())
            .args(&self.extra);
        command
    }

    pub fn start_server(&mut self) {
        let mut command = self.command("serve");
        command.args(["--port", "0", "--no-worker"]).stdout(Stdio::piped());
        let mut child = command.spawn().expect("jampin starts");
        let mut line = String::new();
        let stdout = child.stdout.take().expect("standard output is piped");
        BufReader::new(stdout).read_line(&mut line).expect("jampin says its address");
        self.address = line.trim().trim_start_matches("http://").to_owned();
        assert!(!self.address.is_empty(), "the server did not come up");
        self.server = Some(child);
    }

    pub fn start_worker(&mut self) {
        let worker = self.command("worker").spawn().expect("jampin starts");
        self.workers.push(worker);
    }

    pub fn worker(&self, index: usize) -> u32 {
        self.workers[index].id()
    }

    pub fn kill_server(&mut self) {
        end(self.server.take());
    }

    pub fn kill_workers(&mut self) {
        self.workers.drain(..).for_each(|worker| end(Some(worker)));
    }

    /// As the system does when memory is short.
    pub fn kill_database(&mut self) {
        let pid = fs::read_to_string(self.postgres().join("data/postmaster.pid")).unwrap_or_default();
        if let Some(pid) = pid.lines().next() {
            signal("KILL", pid.trim());
        }
        // Its children notice, and let go of the memory that they share; else it would not start again.
        let begun = Instant::now();
        while begun.elapsed() < Duration::from_secs(10)
            && !processes_with(&self.postgres().to_string_lossy()).is_empty()
        {
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Every ffmpeg of this party. How many.
    pub fn kill_ffmpegs(&self) -> usize {
        let media = self.media().to_string_lossy().into_owned();
        let ours =
            |command: &str| command.contains("ffmpeg") && !command.contains("serve") && !command.contains("worker");
        let found = processes_with(&media).into_iter().filter(|(_, command)| ours(command));
        found.inspect(|(pid, _)| signal("KILL", pid)).count()
    }

    pub fn get(&self, path: &str) -> Answer {
        request(&self.address, "GET", path, "", b"")
    }

    pub fn send(&self, method: &str, path: &str, body: &Value) -> Answer {
        request(&self.address, method, path, "Content-Type: application/json\r\n", body.to_string().as_bytes())
    }

    pub fn project(&self, name: &str) -> String {
        text(&self.send("POST", "/api/projects", &json!({ "name": name })).json()["id"])
    }

    pub fn upload(&self, project: &str, film: &Path) -> Answer {
        let bytes = fs::read(film).expect("the film can be read");
        request(&self.address, "PUT", &format!("/api/projects/{project}/clips?name=film"), "", &bytes)
    }

    pub fn shot_of(&self, project: &str, film: &Path) -> String {
        let shot = text(&self.upload(project, film).json()["shot"]);
        self.wait(&format!("/api/shots/{shot}"), Duration::from_secs(120), |state| state["clip"]["state"] == "ready");
        shot
    }

    pub fn wait(&self, path: &str, patience: Duration, wished: impl Fn(&Value) -> bool) -> Value {
        let begun = Instant::now();
        loop {
            let state = self.get(path).json();
            if wished(&state) {
                return state;
            }
            assert!(begun.elapsed() < patience, "waited in vain for {path}: {state}");
            std::thread::sleep(Duration::from_millis(50));
        }
    }

    /// Until nothing waits or runs.
    pub fn settle(&self) {
        let over =
            |queue: &Value| queue.as_array().is_some_and(|jobs| jobs.iter().all(|job| !job["ended_at"].is_null()));
        self.wait("/api/queue", Duration::from_secs(180), over);
    }

    /// Until the server answers and has its database.
    pub fn come_back(&self) {
        let begun = Instant::now();
        let is_well =
            || try_request(&self.address, "GET", "/health", "", b"").is_some_and(|health| health.status == 200);
        while !is_well() {
            assert!(begun.elapsed() < Duration::from_secs(30), "the server does not come back");
            std::thread::sleep(Duration::from_millis(50));
        }
    }
}

impl Drop for Party {
    fn drop(&mut self) {
        self.kill_server();
        self.kill_workers();
        let stop = Command::new(project_root().join("bin/postgres")).arg("stop").arg(self.postgres()).status();
        drop(stop);
    }
}

fn end(child: Option<Child>) {
    if let Some(mut child) = child {
        let _ = child.kill();
        let _ = child.wait();
    }
}

pub(crate) fn signal(name: &str, pid: &str) {
    let _ = Command::new("kill").args([&format!("-{name}"), pid]).stderr(Stdio::null()).status();
}

/// Processes whose command line has this in it, each with its command line.
fn processes_with(part: &str) -> Vec<(String, String)> {
    let entries = fs::read_dir("/proc").into_iter().flatten().flatten();
    let found = entries.filter_map(|entry| {
        let pid = entry.file_name().to_str()?.to_owned();
        let command = fs::read(entry.path().join("cmdline")).ok()?;
        let command = String::from_utf8_lossy(&command).replace('\0', " ");
        (pid.parse::<u32>().is_ok() && command.contains(part)).then_some((pid, command))
    });
    found.collect()
}

pub(crate) fn text(value: &Value) -> String {
    value.as_str().unwrap_or_else(|| panic!("no text: {value}")).to_owned()
}
