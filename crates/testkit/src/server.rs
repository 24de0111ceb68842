//! The real program, serving, with a database and a media folder of its own.

use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use serde_json::{Value, json};
use tempfile::TempDir;

use crate::{Answer, fresh_database, request};

/// A running `jampin serve`. Killed when let go of.
pub struct Server {
    program: PathBuf,
    database: String,
    media: TempDir,
    extra: Vec<String>,
    environment: Vec<(&'static str, String)>,
    /// Looked for programs in before the path.
    tools: Option<PathBuf>,
    child: Child,
    /// Host and port.
    pub address: String,
}

impl Server {
    /// Starts the program with these additional words.
    ///
    /// # Panics
    /// When it does not come up.
    pub fn start(program: &str, extra: &[&str]) -> Self {
        Self::launch(program, extra, None)
    }

    /// Starts it with stand-ins for ffmpeg or ffprobe in this folder.
    ///
    /// # Panics
    /// When it does not come up.
    pub fn start_with_tools(program: &str, extra: &[&str], tools: &Path) -> Self {
        Self::launch(program, extra, Some(tools.to_owned()))
    }

    /// Starts it with these environment variables, over a database or a new one.
    ///
    /// # Panics
    /// When it does not come up.
    pub fn start_in(
        program: &str,
        database: Option<&str>,
        extra: &[&str],
        environment: Vec<(&'static str, String)>,
    ) -> Self {
        let (database, media) =
            (database.map_or_else(fresh_database, str::to_owned), tempfile::tempdir().expect("a folder for media"));
        let program = PathBuf::from(program);
        let extra: Vec<String> = extra.iter().map(|word| (*word).to_owned()).collect();
        let (child, address) = launch(&program, &database, media.path(), &extra, (None, &environment));
        Self { program, database, media, extra, environment, tools: None, child, address }
    }

    /// Starts it over this database and the media of another.
    ///
    /// # Panics
    /// When it does not come up.
    pub fn over(program: &str, database: &str, media: &Path) -> Self {
        Self::over_with(program, database, media, &[])
    }

    /// The same, with these additional words.
    ///
    /// # Panics
    /// When it does not come up.
    pub fn over_with(program: &str, database: &str, media: &Path, extra: &[&str]) -> Self {
        let own = tempfile::tempdir().expect("a folder for media");
        let program = PathBuf::from(program);
        let extra: Vec<String> = extra.iter().map(|word| (*word).to_owned()).collect();
        let (child, address) = launch(&program, database, media, &extra, (None, &[]));
        let environment = Vec::new();
        Self { program, database: database.to_owned(), media: own, extra, environment, tools: None, child, address }
    }

    fn launch(program: &str, extra: &[&str], tools: Option<PathBuf>) -> Self {
        let (database, media) = (fresh_database(), tempfile::tempdir().expect("a folder for media"));
        let program = PathBuf::from(program);
        let extra: Vec<String> = extra.iter().map(|word| (*word).to_owned()).collect();
        let (child, address) = launch(&program, &database, media.path(), &extra, (tools.as_deref(), &[]));
        Self { program, database, media, extra, environment: Vec::new(), tools, child, address }
    }

    /// The folder of media.
    pub fn media(&self) -> &Path {
        self.media.path()
    }

    /// Address of the database.
    pub fn database(&self) -> &str {
        &self.database
    }

    /// Kills the server as `kill -9` does, with everything it had started.
    pub fn kill(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }

    /// Starts it again over the same database and media.
    pub fn restart(&mut self) {
        let surroundings = (self.tools.as_deref(), &self.environment[..]);
        let (child, address) = launch(&self.program, &self.database, self.media.path(), &self.extra, surroundings);
        (self.child, self.address) = (child, address);
    }

    /// Asks for a path.
    pub fn get(&self, path: &str) -> Answer {
        request(&self.address, "GET", path, "", b"")
    }

    /// Sends JSON.
    pub fn send(&self, method: &str, path: &str, body: &Value) -> Answer {
        request(&self.address, method, path, "Content-Type: application/json\r\n", body.to_string().as_bytes())
    }

    /// Begins a project; gives its identity.
    ///
    /// # Panics
    /// When the server refuses.
    pub fn project(&self, name: &str) -> String {
        let made = self.send("POST", "/api/projects", &json!({ "name": name }));
        assert_eq!(made.status, 201, "{}", made.text());
        made.json()["id"].as_str().expect("a project has an identity").to_owned()
    }

    /// Uploads a film.
    pub fn upload(&self, project: &str, film: &Path) -> Answer {
        let bytes = std::fs::read(film).expect("the film can be read");
        let name = film.file_name().map(|name| name.to_string_lossy().replace(' ', "%20")).unwrap_or_default();
        request(&self.address, "PUT", &format!("/api/projects/{project}/clips?name={name}"), "", &bytes)
    }

    /// Uploads a film and waits until it is prepared; gives the identity of its shot.
    ///
    /// # Panics
    /// When that fails.
    pub fn shot_of(&self, project: &str, film: &Path) -> String {
        let answer = self.upload(project, film);
        assert_eq!(answer.status, 201, "{}", answer.text());
        let shot = answer.json()["shot"].as_str().expect("a shot has an identity").to_owned();
        self.wait(&format!("/api/shots/{shot}"), |state| state["clip"]["state"] == "ready");
        shot
    }

    /// Asks until it is answered with this status.
    ///
    /// # Panics
    /// When it is not within a minute.
    pub fn wait_for_status(&self, path: &str, status: u16) -> Answer {
        let begun = Instant::now();
        loop {
            let answer = self.get(path);
            if answer.status == status {
                return answer;
            }
            assert!(begun.elapsed() < Duration::from_secs(60), "waited in vain for {path}: {}", answer.text());
            std::thread::sleep(pause(begun));
        }
    }

    /// Asks until the answer is as wished; gives it.
    ///
    /// # Panics
    /// When it is not within three minutes: the machine may have other work.
    pub fn wait(&self, path: &str, wished: impl Fn(&Value) -> bool) -> Value {
        let begun = Instant::now();
        loop {
            let state = self.get(path).json();
            if wished(&state) {
                return state;
            }
            assert!(begun.elapsed() < Duration::from_secs(180), "waited in vain for {path}: {state}");
            std::thread::sleep(pause(begun));
        }
    }
}

/// How long to leave a server alone between two questions, begun to be asked at a moment. Who asks without end takes the
/// processor from what is waited for.
pub fn pause(begun: Instant) -> Duration {
    (begun.elapsed() / 10).clamp(Duration::from_millis(20), Duration::from_millis(150))
}

impl Drop for Server {
    fn drop(&mut self) {
        self.kill();
    }
}

fn launch(
    program: &Path,
    database: &str,
    media: &Path,
    extra: &[String],
    (tools, environment): (Option<&Path>, &[(&'static str, String)]),
) -> (Child, String) {
    let mut command = Command::new(program);
    if let Some(tools) = tools {
        let path = std::env::var("PATH").unwrap_or_default();
        command.env("PATH", format!("{}:{path}", tools.display()));
    }
    let mut child = command
        .args(["serve", "--port", "0", "--database", database, "--log", "warn", "--media"])
        .arg(media)
        .args(extra)
        .envs(environment.iter().map(|(name, value)| (*name, value.as_str())))
        .stdout(Stdio::piped())
        .spawn()
        .expect("jampin starts");
    let mut line = String::new();
    let stdout = child.stdout.take().expect("standard output is piped");
    BufReader::new(stdout).read_line(&mut line).expect("jampin says its address");
    let address = line.trim().trim_start_matches("http://").to_owned();
    assert!(!address.is_empty(), "jampin did not come up");
    (child, address)
}
