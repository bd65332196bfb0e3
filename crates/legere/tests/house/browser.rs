//! Headless Chromium through ChromeDriver.

use fantoccini::actions::{InputSource, KeyAction, KeyActions, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use fantoccini::wd::WebDriverCompatibleCommand;
use fantoccini::{Client, ClientBuilder, Locator};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

pub struct Browser {
    pub client: Client,
    driver: Child,
    profile: tempfile::TempDir,
}

/// ChromeDriver at times ends before it has a port: another program took the one that it was given.
const STARTS: usize = 3;

/// ChromeDriver, and the port that it says it listens on.
fn start() -> Option<(Child, String)> {
    let mut driver = Command::new("chromedriver").arg("--port=0").stdout(Stdio::piped()).spawn().expect("chromedriver");
    let mut lines = BufReader::new(driver.stdout.take().expect("piped")).lines().map_while(Result::ok);
    let port =
        lines.find_map(|l| l.split_once("successfully on port ").map(|(_, p)| p.trim_end_matches('.').to_owned()));
    if port.is_none() {
        driver.wait().expect("it has ended");
    }
    // What else it says is read and forgotten: a closed pipe would end it.
    std::thread::spawn(move || lines.for_each(drop));
    Some((driver, port?))
}

/// A command of the browser's own protocol.
#[derive(Debug)]
struct Devtools(&'static str, Value);

impl WebDriverCompatibleCommand for Devtools {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/goog/cdp/execute", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some(json!({ "cmd": self.0, "params": self.1 }).to_string()))
    }
}

impl Browser {
    /// A window whose page is 1280 by 800.
    pub async fn open() -> Self {
        let (driver, port) = (0..STARTS).find_map(|_| start()).expect("chromedriver says its port");
        let profile = tempfile::tempdir().expect("a folder");
        let flags = [
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--disable-dev-shm-usage",
            "--autoplay-policy=no-user-gesture-required",
            "--window-size=1280,943",
            "--force-color-profile=srgb",
        ];
        let mut args: Vec<String> = flags.map(String::from).to_vec();
        args.push(format!("--user-data-dir={}", profile.path().display()));
        let wanted = json!({ "goog:chromeOptions": { "args": args }, "goog:loggingPrefs": { "browser": "ALL" } });
        let connector = hyper_util::client::legacy::connect::HttpConnector::new();
        let client = ClientBuilder::new(connector)
            .capabilities(serde_json::from_value(wanted).expect("capabilities"))
            .connect(&format!("http://127.0.0.1:{port}"))
            .await
            .expect("a session");
        let browser = Self { client, driver, profile };
        let size = json!({ "width": 1280, "height": 800, "deviceScaleFactor": 1, "mobile": false });
        browser.client.issue_cmd(Devtools("Emulation.setDeviceMetricsOverride", size)).await.expect("a size");
        browser
    }

    /// Runs a script on each page that is opened from now on, before the page's own.
    pub async fn on_each_page(&self, script: &str) {
        let what = json!({ "source": script });
        self.client.issue_cmd(Devtools("Page.addScriptToEvaluateOnNewDocument", what)).await.expect("a script");
    }

    pub async fn go(&self, address: &str) {
        self.client.goto(address).await.expect(address);
    }

    /// Opens Watch, asks for the rendered preview and waits until it can be played.
    pub async fn watch(&self, job: &str) {
        self.go(&format!("{job}/watch")).await;
        self.until("document.querySelector('#picture').dataset.frame !== undefined", 20).await;
        self.click("#rendered").await;
        let ready =
            "document.querySelector('#video').dataset.ready && document.querySelector('#video').readyState >= 2";
        self.until(ready, 120).await;
    }

    /// Presses and lets go one key, as printed on it; `Enter`, `ArrowDown` and the like by name.
    pub async fn key(&self, key: &str) {
        let code = match key {
            "Enter" => '\u{E007}',
            "Escape" => '\u{E00C}',
            "Tab" => '\u{E004}',
            "Backspace" => '\u{E003}',
            "ArrowLeft" => '\u{E012}',
            "ArrowUp" => '\u{E013}',
            "ArrowRight" => '\u{E014}',
            "ArrowDown" => '\u{E015}',
            "Delete" => '\u{E017}',
            other => other.chars().next().expect("a key"),
        };
        let press =
            KeyActions::new("keys".into()).then(KeyAction::Down { value: code }).then(KeyAction::Up { value: code });
        self.client.perform_actions(press).await.expect("a key");
    }

    /// A printing key held down until it has repeated often enough, some thirty times a second.
    pub async fn hold(&self, key: &str, presses: usize) {
        for press in 0..presses {
            let event = json!({ "type": "keyDown", "key": key, "text": key, "autoRepeat": press > 0 });
            self.client.issue_cmd(Devtools("Input.dispatchKeyEvent", event)).await.expect("a key");
            tokio::time::sleep(Duration::from_millis(33)).await;
        }
        let event = json!({ "type": "keyUp", "key": key });
        self.client.issue_cmd(Devtools("Input.dispatchKeyEvent", event)).await.expect("a key");
    }

    /// Ctrl and a letter.
    pub async fn control(&self, key: char) {
        self.with('\u{E009}', key).await;
    }

    /// Shift and a letter.
    pub async fn shift(&self, key: char) {
        self.with('\u{E008}', key).await;
    }

    /// Presses the mouse at one place of the page, moves it to another and lets it go.
    pub async fn drag(&self, from: (f64, f64), to: (f64, f64)) {
        let at = |(x, y): (f64, f64)| PointerAction::MoveTo { duration: Some(Duration::from_millis(50)), x, y };
        let drag = MouseActions::new("mouse".into())
            .then(at(from))
            .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
            .then(at(((from.0 + to.0) / 2.0, from.1)))
            .then(at(to))
            .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
        self.client.perform_actions(drag).await.expect("the mouse");
    }

    /// Left, top, width and height of what a selector finds, in pixels of the page.
    pub async fn place(&self, css: &str) -> [f64; 4] {
        let script = format!(
            "const r = document.querySelector('{css}').getBoundingClientRect(); return [r.left, r.top, r.width, r.height]"
        );
        serde_json::from_value(self.js(&script).await).unwrap_or_else(|e| panic!("{css}: {e}"))
    }

    async fn with(&self, held: char, key: char) {
        let press = KeyActions::new("keys".into())
            .then(KeyAction::Down { value: held })
            .then(KeyAction::Down { value: key })
            .then(KeyAction::Up { value: key })
            .then(KeyAction::Up { value: held });
        self.client.perform_actions(press).await.expect("keys");
    }

    /// Waits until what was just put on the page does what it is there for.
    pub async fn settled(&self) {
        self.until("!document.querySelector('.htmx-added')", 10).await;
    }

    /// Clicks what a selector finds; again where the page put something else in its place meanwhile.
    pub async fn click(&self, css: &str) {
        self.settled().await;
        let end = Instant::now() + Duration::from_secs(10);
        loop {
            let element = self.client.wait().at_most(Duration::from_secs(10)).for_element(Locator::Css(css)).await;
            match element.unwrap_or_else(|e| panic!("{css}: {e}")).click().await {
                Ok(()) => return,
                Err(e) if e.is_stale_element_reference() && Instant::now() < end => {}
                Err(e) => panic!("{css}: {e}"),
            }
        }
    }

    pub async fn text(&self, css: &str) -> String {
        self.js(&format!("return (document.querySelector({}) || {{textContent: ''}}).textContent.trim()", json!(css)))
            .await
            .as_str()
            .unwrap_or_default()
            .to_owned()
    }

    pub async fn js(&self, script: &str) -> Value {
        self.client.execute(script, vec![]).await.unwrap_or_else(|e| panic!("{script}: {e}"))
    }

    /// Waits until an expression of the page's script is true.
    pub async fn until(&self, condition: &str, seconds: u64) {
        let end = Instant::now() + Duration::from_secs(seconds);
        let script = format!("try {{ return Boolean({condition}); }} catch {{ return false; }}");
        while self.js(&script).await != json!(true) {
            if Instant::now() > end {
                let page = self.js("return document.body ? document.body.innerText.slice(0, 2500) : ''").await;
                panic!("still waiting for {condition}; the page says: {}", page.as_str().unwrap_or_default());
            }
            tokio::time::sleep(Duration::from_millis(40)).await;
        }
    }

    pub async fn png(&self) -> Vec<u8> {
        self.client.screenshot().await.expect("a picture")
    }

    /// What the page complained about since the last time: refused styles, failed requests, errors in scripts.
    pub async fn complaints(&self) -> Vec<String> {
        #[derive(Debug)]
        struct Log;
        impl WebDriverCompatibleCommand for Log {
            fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
                base.join(&format!("session/{}/se/log", session.unwrap_or_default()))
            }
            fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
                (http::Method::POST, Some(json!({ "type": "browser" }).to_string()))
            }
        }
        let entries = self.client.issue_cmd(Log).await.expect("the log");
        let entries = entries.as_array().cloned().unwrap_or_default();
        entries
            .iter()
            .filter(|e| e["level"] == "SEVERE" || e["level"] == "WARNING")
            .map(|e| e["message"].as_str().unwrap_or_default().to_owned())
            .collect()
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
        // A test that failed did not close its window: its browser goes by the folder that is its alone.
        let _ = Command::new("pkill").arg("-f").arg(self.profile.path()).status();
    }
}
