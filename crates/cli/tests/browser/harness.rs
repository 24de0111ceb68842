//! A real Chromium, driven through chromedriver.

use std::net::TcpListener;
use std::os::unix::process::CommandExt;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use fantoccini::actions::{InputSource, KeyAction, KeyActions, MouseActions, PointerAction};
use fantoccini::error::CmdError;
use fantoccini::wd::WebDriverCompatibleCommand;
use fantoccini::{Client, ClientBuilder};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use tempfile::TempDir;

/// Width and height of the page.
pub const PAGE: (u32, u32) = (1280, 800);
/// How long something on the page is waited for: it may be computed first, on a machine that has other work.
const PATIENCE: Duration = Duration::from_secs(120);

/// A browser with one session. Ended, with all its processes, when let go of.
pub struct Browser {
    pub client: Client,
    driver: Child,
    _profile: TempDir,
}

/// A command that only Chromium knows.
#[derive(Debug)]
struct Vendor {
    path: &'static str,
    body: Value,
}

impl WebDriverCompatibleCommand for Vendor {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/{}", session.unwrap_or_default(), self.path))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some(self.body.to_string()))
    }
}

impl Browser {
    pub async fn start() -> Self {
        let port = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
        let profile = tempfile::tempdir().unwrap();
        let driver = Command::new("chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            // Chromium outlives a killed chromedriver: a group of its own can be ended as one.
            .process_group(0)
            .spawn()
            .expect("chromedriver starts; bin/install test installs it");
        let client = connect(port, &profile).await;
        let browser = Self { client, driver, _profile: profile };
        browser.resize(PAGE.0, PAGE.1).await;
        browser
    }

    async fn vendor(&self, path: &'static str, body: Value) -> Result<Value, CmdError> {
        self.client.issue_cmd(Vendor { path, body }).await
    }

    pub async fn resize(&self, width: u32, height: u32) {
        let params = json!({ "width": width, "height": height, "deviceScaleFactor": 1, "mobile": false });
        let body = json!({ "cmd": "Emulation.setDeviceMetricsOverride", "params": params });
        self.vendor("goog/cdp/execute", body).await.unwrap();
    }

    /// Errors in the console so far: uncaught ones, refused content, failed requests.
    pub async fn console_errors(&self) -> Vec<String> {
        let log = self.vendor("se/log", json!({ "type": "browser" })).await.unwrap();
        let entries = log.as_array().cloned().unwrap_or_default();
        entries.iter().filter(|entry| entry["level"] == "SEVERE").map(|entry| entry["message"].to_string()).collect()
    }

    pub async fn goto(&self, address: &str, path: &str) {
        self.client.goto(&format!("http://{address}{path}")).await.unwrap();
    }

    /// Evaluates an expression on the page.
    pub async fn eval(&self, expression: &str) -> Value {
        self.client.execute(&format!("return {expression}"), vec![]).await.unwrap()
    }

    /// Waits until an expression is true on the page.
    pub async fn until(&self, expression: &str) {
        let begun = Instant::now();
        loop {
            let value = self.client.execute(&format!("return Boolean({expression})"), vec![]).await;
            if matches!(&value, Ok(value) if value == &json!(true)) {
                return;
            }
            if begun.elapsed() > PATIENCE {
                let page = self.eval("document.body.innerText").await;
                panic!("waited in vain for {expression}: {value:?}\n{page}");
            }
            tokio::time::sleep(jampin_testkit::pause(begun)).await;
        }
    }

    /// Waits until what the page has drawn is to be seen.
    pub async fn painted(&self) {
        let twice = "requestAnimationFrame(() => requestAnimationFrame(() => { window.painted = true; }))";
        self.eval(&format!("(window.painted = false, {twice}, 1)")).await;
        self.until("window.painted").await;
    }

    /// Presses keys one after the other, wherever the focus is. A pair of keys is pressed together.
    pub async fn keys(&self, keys: &[(Option<char>, char)]) {
        let mut actions = KeyActions::new("keyboard".into());
        for (held, key) in keys {
            if let Some(held) = held {
                actions = actions.then(KeyAction::Down { value: *held });
            }
            actions = actions.then(KeyAction::Down { value: *key }).then(KeyAction::Up { value: *key });
            if let Some(held) = held {
                actions = actions.then(KeyAction::Up { value: *held });
            }
        }
        self.client.perform_actions(actions).await.unwrap();
    }

    pub async fn type_text(&self, text: &str) {
        let keys: Vec<(Option<char>, char)> = text.chars().map(|key| (None, key)).collect();
        self.keys(&keys).await;
    }

    /// Presses the mouse at one place of the page and lets go at another.
    pub async fn drag(&self, from: (f64, f64), to: (f64, f64)) {
        let moved = |(x, y): (f64, f64)| PointerAction::MoveTo { duration: Some(Duration::from_millis(40)), x, y };
        let button = fantoccini::actions::MOUSE_BUTTON_LEFT;
        let middle = ((from.0 + to.0) / 2.0, (from.1 + to.1) / 2.0);
        let actions = MouseActions::new("mouse".into())
            .then(moved(from))
            .then(PointerAction::Down { button })
            .then(moved(middle))
            .then(moved(to))
            .then(PointerAction::Up { button });
        self.client.perform_actions(actions).await.unwrap();
    }

    pub async fn click(&self, at: (f64, f64)) {
        self.drag(at, at).await;
    }

    pub async fn double_click(&self, (x, y): (f64, f64)) {
        let button = fantoccini::actions::MOUSE_BUTTON_LEFT;
        let (down, up) = (PointerAction::Down { button }, PointerAction::Up { button });
        let actions = MouseActions::new("mouse".into())
            .then(PointerAction::MoveTo { duration: Some(Duration::from_millis(40)), x, y })
            .then(down.clone())
            .then(up.clone())
            .then(down)
            .then(up);
        self.client.perform_actions(actions).await.unwrap();
    }

    /// Moves to a place, waits for what the page makes of that, and clicks with Shift held down.
    pub async fn click_with_shift(&self, at: (f64, f64), until: &str) {
        let near = PointerAction::MoveTo { duration: Some(Duration::from_millis(40)), x: at.0 - 3.0, y: at.1 };
        self.client.perform_actions(MouseActions::new("mouse".into()).then(near)).await.unwrap();
        self.until(until).await;
        let shift = '\u{E008}';
        let key = |action: KeyAction| self.client.perform_actions(KeyActions::new("keys".into()).then(action));
        key(KeyAction::Down { value: shift }).await.unwrap();
        self.click(at).await;
        key(KeyAction::Up { value: shift }).await.unwrap();
    }

    /// Drags with Shift held down.
    pub async fn drag_with_shift(&self, from: (f64, f64), to: (f64, f64)) {
        let shift = '\u{E008}';
        let key = |action: KeyAction| self.client.perform_actions(KeyActions::new("keys".into()).then(action));
        key(KeyAction::Down { value: shift }).await.unwrap();
        self.drag(from, to).await;
        key(KeyAction::Up { value: shift }).await.unwrap();
    }

    /// Presses the button with this text.
    pub async fn press(&self, text: &str) {
        let path = format!("//*[self::button or self::a or self::summary][contains(normalize-space(.), '{text}')]");
        let button = self.client.wait().for_element(fantoccini::Locator::XPath(&path)).await.unwrap();
        button.click().await.unwrap();
    }

    /// Picks something from a list of things to do, which then shows its own name again.
    pub async fn pick(&self, css: &str, value: &str) {
        let script = format!(
            "(() => {{ const list = document.querySelector('{css}'); list.value = '{value}'; const picked = \
             list.value; list.dispatchEvent(new Event('change', {{ bubbles: true }})); return [picked, \
             list.value]; }})()"
        );
        assert_eq!(self.eval(&script).await, serde_json::json!([value, ""]), "{css}");
    }

    /// Chooses a file in a file field.
    pub async fn choose_file(&self, css: &str, path: &Path) {
        let field = self.client.find(fantoccini::Locator::Css(css)).await.expect("the field is there");
        field.send_keys(path.to_str().expect("a plain path")).await.expect("a file can be chosen");
    }

    /// Runs a script, as if the page had it.
    pub async fn run(&self, script: &str) {
        self.client.execute(script, vec![]).await.expect("the script runs");
    }

    /// Violations that axe-core finds on the page.
    pub async fn axe(&self) -> Vec<String> {
        let script = include_str!("vendor/axe.min.js");
        self.client.execute(script, vec![]).await.unwrap();
        let run = "const done = arguments[arguments.length - 1];
            axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'] })
              .then((result) => done(result.violations.map((v) =>
                `${v.id}: ${v.help}: ${v.nodes.map((n) => n.target + ' ' + n.failureSummary).join(' | ')}`)));";
        let found = self.client.execute_async(run, vec![]).await.unwrap();
        found.as_array().unwrap().iter().filter_map(Value::as_str).map(str::to_owned).collect()
    }

    /// A picture of the page: width and packed RGB or RGBA with the number of channels.
    pub async fn screenshot(&self) -> (usize, usize, Vec<u8>) {
        let bytes = self.client.screenshot().await.unwrap();
        let mut reader = png::Decoder::new(std::io::Cursor::new(bytes)).read_info().unwrap();
        let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
        let info = reader.next_frame(&mut pixels).unwrap();
        (info.width as usize, info.color_type.samples(), pixels)
    }
}

/// Chromium as it draws pages, without what draws windows: a fifth less time than with it.
const HEADLESS: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/browser/headless");

async fn connect(port: u16, profile: &TempDir) -> Client {
    let arguments = "--no-sandbox --disable-gpu --disable-quic --no-first-run \
        --disable-background-networking --disable-component-update --disable-sync --disable-dev-shm-usage \
        --hide-scrollbars --force-device-scale-factor=1";
    let mut arguments: Vec<String> = arguments.split_whitespace().map(str::to_owned).collect();
    arguments.push(format!("--user-data-dir={}", profile.path().display()));
    let capabilities = json!({
        "goog:chromeOptions": { "args": arguments, "binary": HEADLESS },
        "goog:loggingPrefs": { "browser": "ALL" },
    });
    let capabilities = capabilities.as_object().unwrap().clone();
    let begun = Instant::now();
    loop {
        let mut builder = ClientBuilder::new(HttpConnector::new());
        builder.capabilities(capabilities.clone().into_iter().collect());
        match builder.connect(&format!("http://127.0.0.1:{port}")).await {
            Ok(client) => return client,
            Err(error) => assert!(begun.elapsed() < Duration::from_secs(30), "no browser: {error}"),
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let group = format!("-{}", self.driver.id());
        let _ = Command::new("kill").args(["-KILL", "--", &group]).status();
        let _ = self.driver.wait();
    }
}
