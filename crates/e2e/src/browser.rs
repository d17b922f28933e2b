//! Headless Chromium through ChromeDriver.

use std::future::Future;
use std::io::{BufRead, BufReader};
use std::os::unix::process::CommandExt;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use fantoccini::elements::Element;
use fantoccini::error::CmdError;
use fantoccini::wd::WebDriverCompatibleCommand;
use fantoccini::{Client, ClientBuilder, Locator};
use serde_json::{Value, json};

use crate::program::{Program, root};

/// Keys by their WebDriver code points (W3C WebDriver, section 17.4.2).
pub const ENTER: &str = "\u{E007}";
/// The Delete key.
pub const DELETE: &str = "\u{E017}";
/// The Escape key.
pub const ESCAPE: &str = "\u{E00C}";
/// The Tab key.
pub const TAB: &str = "\u{E004}";
/// The Home key.
pub const HOME: &str = "\u{E011}";
/// The End key.
pub const END: &str = "\u{E010}";
/// Arrow left.
pub const LEFT: &str = "\u{E012}";
/// Arrow up.
pub const UP: &str = "\u{E013}";
/// Arrow right.
pub const RIGHT: &str = "\u{E014}";
/// Arrow down.
pub const DOWN: &str = "\u{E015}";

/// A command of ChromeDriver that the client has no method for.
#[derive(Debug)]
enum Extra {
    /// A DevTools command.
    DevTools(&'static str, Value),
    /// What a log has gathered since it was last read.
    Log(&'static str),
}

impl WebDriverCompatibleCommand for Extra {
    fn endpoint(
        &self,
        base: &url::Url,
        session: Option<&str>,
    ) -> Result<url::Url, url::ParseError> {
        let path = match self {
            Extra::DevTools(..) => "goog/cdp/execute",
            Extra::Log(_) => "se/log",
        };
        base.join(&format!("session/{}/{path}", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        let body = match self {
            Extra::DevTools(command, params) => json!({ "cmd": command, "params": params }),
            Extra::Log(kind) => json!({ "type": kind }),
        };
        (http::Method::POST, Some(body.to_string()))
    }
}

struct Driver {
    child: Child,
    url: String,
}

impl Driver {
    fn start(temporary: &Path) -> Driver {
        let mut command = Command::new("chromedriver");
        // Port 0: the driver takes a free one and says which.
        command
            .arg("--port=0")
            .env("TMPDIR", temporary)
            .process_group(0)
            .stdout(Stdio::piped())
            .stderr(Stdio::null());
        let mut child = command
            .spawn()
            .expect("chromedriver is missing; `cargo verify` installs it");
        let mut lines = BufReader::new(child.stdout.take().expect("its output is piped")).lines();
        let port = loop {
            let line = lines
                .next()
                .expect("chromedriver says its port")
                .expect("its output is text");
            if let Some(port) = line.split("started successfully on port ").nth(1) {
                break port.trim_end_matches('.').to_owned();
            }
        };
        // A full pipe would stop the driver.
        std::thread::spawn(move || lines.for_each(drop));
        Driver {
            child,
            url: format!("http://127.0.0.1:{port}"),
        }
    }
}

impl Drop for Driver {
    fn drop(&mut self) {
        // Chromium stays in the driver's process group and would outlive a killed driver.
        let _ = Command::new("kill")
            .args(["-KILL", "--", &format!("-{}", self.child.id())])
            .status();
        let _ = self.child.wait();
    }
}

/// A page at 1280 × 800 with all its requests and complaints on record.
#[derive(Clone)]
pub struct Browser {
    client: Client,
}

/// How long a state is waited for. Only what fails takes so long: a machine that builds beside the tests is
/// slow, and no test is about that.
const PATIENCE: Duration = Duration::from_secs(90);
const GLANCE: Duration = Duration::from_millis(25);

/// Runs a scenario in a fresh browser, which is closed whatever happens.
pub async fn in_browser<F: Future<Output = ()> + Send + 'static>(
    scenario: impl FnOnce(Browser) -> F,
) {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let driver = Driver::start(folder.path());
    let browser = Browser::open(&driver, folder.path()).await;
    let ended = tokio::spawn(scenario(browser.clone())).await;
    let _ = browser.client.close().await;
    if let Err(panic) = ended {
        std::panic::resume_unwind(panic.into_panic());
    }
}

impl Browser {
    async fn open(driver: &Driver, folder: &Path) -> Browser {
        let arguments = [
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-dev-shm-usage",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--window-size=1280,800",
            "--force-device-scale-factor=1",
            "--hide-scrollbars",
            "--lang=en-US",
        ];
        let profile = format!("--user-data-dir={}", folder.join("profile").display());
        let arguments: Vec<&str> = arguments.into_iter().chain([profile.as_str()]).collect();
        let wanted = json!({
            "browserName": "chrome",
            "goog:loggingPrefs": { "browser": "ALL", "performance": "ALL" },
            "goog:chromeOptions": { "args": arguments },
        });
        let mut connector = hyper_util::client::legacy::connect::HttpConnector::new();
        connector.enforce_http(true);
        let mut builder = ClientBuilder::new(connector);
        builder.capabilities(wanted.as_object().cloned().unwrap_or_default());
        let browser = Browser {
            client: builder
                .connect(&driver.url)
                .await
                .expect("a browser session"),
        };
        browser.resize(1280).await;
        // Who tests has seen the first steps; the test of the first steps asks for them again.
        let seen = json!({ "state": { "seen": true }, "version": 0 }).to_string();
        let script = format!("localStorage.walk ??= {}", json!(seen));
        browser
            .dev_tools(
                "Page.addScriptToEvaluateOnNewDocument",
                json!({ "source": script }),
            )
            .await;
        browser
    }

    /// Sets the width of the page.
    pub async fn resize(&self, width: u32) {
        self.resize_to(width, 800).await;
    }

    /// Sets width and height of the page.
    pub async fn resize_to(&self, width: u32, height: u32) {
        let metrics =
            json!({ "width": width, "height": height, "deviceScaleFactor": 1, "mobile": false });
        self.dev_tools("Emulation.setDeviceMetricsOverride", metrics)
            .await;
    }

    /// Signs in by the printed address, which leads to the first page by itself.
    pub async fn enter(&self, program: &Program) {
        self.goto(&program.entrance).await;
        let began = Instant::now();
        loop {
            let at = self.client.current_url().await.expect("an address");
            if at.path() != "/enter" {
                break;
            }
            assert!(began.elapsed() < PATIENCE, "{at} leads nowhere");
            tokio::time::sleep(GLANCE).await;
        }
        self.goto(&format!("{}/chain", program.door.address)).await;
    }

    /// Opens an address.
    pub async fn goto(&self, address: &str) {
        self.client
            .goto(address)
            .await
            .unwrap_or_else(|e| panic!("{address}: {e}"));
    }

    /// Does something with an element until it is done: one that is not there yet, lies under another,
    /// or was drawn anew between being found and being acted upon, is found again.
    async fn act<T, F>(&self, locator: Locator<'_>, what: &str, deed: impl Fn(Element) -> F) -> T
    where
        F: Future<Output = Result<T, CmdError>>,
    {
        let end = Instant::now() + PATIENCE;
        loop {
            let done = match self.client.find(locator).await {
                Ok(element) => deed(element).await,
                Err(e) => Err(e),
            };
            match done {
                Ok(done) => return done,
                Err(e) if Instant::now() >= end => {
                    panic!("{what}: {e}\nthe page says:\n{}", self.text("body").await)
                }
                Err(_) => tokio::time::sleep(GLANCE).await,
            }
        }
    }

    /// Waits for an element.
    pub async fn find(&self, css: &str) {
        self.act(Locator::Css(css), css, |_| async { Ok(()) }).await;
    }

    /// Whether an element is there now.
    pub async fn has(&self, css: &str) -> bool {
        !self
            .client
            .find_all(Locator::Css(css))
            .await
            .unwrap_or_default()
            .is_empty()
    }

    /// Waits until an element is there no more.
    pub async fn gone(&self, css: &str) {
        let end = Instant::now() + PATIENCE;
        while self.has(css).await {
            assert!(Instant::now() < end, "{css} is still there");
            tokio::time::sleep(GLANCE).await;
        }
    }

    /// Clicks what is found, in the middle of what scrolls around it where something lies over it.
    async fn click_at(&self, locator: Locator<'_>, what: &str) {
        self.act(locator, what, |element| async move {
            if element.click().await.is_ok() {
                return Ok(());
            }
            let script = "arguments[0].scrollIntoView({ block: 'center' })";
            let found = serde_json::to_value(&element)?;
            self.client.execute(script, vec![found]).await?;
            element.click().await
        })
        .await;
    }

    /// Clicks an element as soon as it can be.
    pub async fn click(&self, css: &str) {
        self.click_at(Locator::Css(css), css).await;
    }

    /// Clicks the button with this text.
    pub async fn press(&self, label: &str) {
        let path = format!(
            "//button[normalize-space(.)='{label}' and not(@disabled or @aria-disabled='true')]"
        );
        self.click_at(Locator::XPath(&path), &format!("button {label}"))
            .await;
    }

    /// Clicks the button whose text begins so.
    pub async fn press_starting(&self, label: &str) {
        let path = format!(
            "//button[starts-with(normalize-space(.), '{label}') and not(@disabled or @aria-disabled='true')]"
        );
        self.click_at(Locator::XPath(&path), &format!("button {label}…"))
            .await;
    }

    /// What an element reads, at once.
    pub async fn text(&self, css: &str) -> String {
        match self.client.find(Locator::Css(css)).await {
            Ok(element) => element.text().await.unwrap_or_default(),
            Err(_) => String::new(),
        }
    }

    /// Types into what has the focus; where that is drawn anew just then, into what has it afterwards.
    pub async fn keys(&self, keys: &str) {
        let end = Instant::now() + PATIENCE;
        loop {
            let typed = match self.client.active_element().await {
                Ok(at) => at.send_keys(keys).await,
                Err(e) => Err(e),
            };
            match typed {
                Ok(()) => return,
                Err(e) => assert!(Instant::now() < end, "keys {keys:?}: {e}"),
            }
            tokio::time::sleep(GLANCE).await;
        }
    }

    /// Holds the Enter key down: one press and so many repetitions of it.
    pub async fn hold_enter(&self, repetitions: usize) {
        for i in 0..=repetitions {
            self.dev_tools(
                "Input.dispatchKeyEvent",
                json!({
                    "type": "keyDown", "key": "Enter", "code": "Enter", "text": "\r",
                    "windowsVirtualKeyCode": 13, "autoRepeat": i > 0,
                }),
            )
            .await;
        }
        let up = json!({ "type": "keyUp", "key": "Enter", "code": "Enter", "windowsVirtualKeyCode": 13 });
        self.dev_tools("Input.dispatchKeyEvent", up).await;
    }

    /// Lets no request to these addresses through (stars stand for anything); to none: all again.
    pub async fn block(&self, addresses: &[&str]) {
        self.dev_tools("Network.enable", json!({})).await;
        self.dev_tools("Network.setBlockedURLs", json!({ "urls": addresses }))
            .await;
    }

    /// From the next page on answers of an address that ends so are replaced by this text.
    pub async fn replace_answers(&self, end: &str, text: &str) {
        let source = format!(
            "const ask = window.fetch;
             window.fetch = (r, o) => (r.url ?? String(r)).endsWith('{end}')
               ? Promise.resolve(new Response('{text}', {{ headers: {{ 'content-type':
                   'application/json' }} }}))
               : ask(r, o);"
        );
        self.dev_tools(
            "Page.addScriptToEvaluateOnNewDocument",
            json!({ "source": source }),
        )
        .await;
    }

    async fn dev_tools(&self, command: &'static str, params: Value) {
        self.client
            .issue_cmd(Extra::DevTools(command, params))
            .await
            .unwrap_or_else(|e| panic!("{command}: {e}"));
    }

    /// Presses the pointer on an element, moves it so many pixels down in small steps, and lets go.
    pub async fn drag(&self, css: &str, down: f64) {
        let place = |element: Element| async move { element.rectangle().await };
        let (x, y, w, h) = self.act(Locator::Css(css), css, place).await;
        let (x, y) = (x + w / 2.0, y + h / 2.0);
        let to = |y: f64| PointerAction::MoveTo {
            duration: Some(Duration::from_millis(20)),
            x,
            y,
        };
        let mut gesture = MouseActions::new("mouse".into())
            .then(to(y))
            .then(PointerAction::Down {
                button: MOUSE_BUTTON_LEFT,
            });
        for step in 1..=4 {
            gesture = gesture.then(to(y + down * f64::from(step) / 4.0));
        }
        let gesture = gesture.then(PointerAction::Up {
            button: MOUSE_BUTTON_LEFT,
        });
        self.client
            .perform_actions(gesture)
            .await
            .unwrap_or_else(|e| panic!("drag {css}: {e}"));
    }

    /// Replaces what stands in a field.
    pub async fn write(&self, css: &str, text: &str) {
        self.act(Locator::Css(css), css, |field| async move {
            let found = serde_json::to_value(&field)?;
            self.client
                .execute("arguments[0].select()", vec![found])
                .await?;
            field.send_keys(text).await
        })
        .await;
    }

    /// Chooses an option of a list by its value.
    pub async fn select(&self, css: &str, value: &str) {
        let what = format!("{value} of {css}");
        let choose = |list: Element| async move { list.select_by_value(value).await };
        self.act(Locator::Css(css), &what, choose).await;
    }

    /// Writes a setting as the page itself keeps it; it holds from the next page on.
    pub async fn keep(&self, name: &str, state: &Value) {
        let kept = json!({ "state": state, "version": 0 }).to_string();
        self.run(&format!("localStorage.setItem('{name}', {})", json!(kept)))
            .await;
    }

    /// Runs a script; gives what it returns. One that throws has not found what it looks for yet: it is
    /// run again, so it must look before it does anything.
    pub async fn run(&self, script: &str) -> Value {
        let end = Instant::now() + PATIENCE;
        loop {
            match self.client.execute(script, Vec::new()).await {
                Ok(value) => return value,
                Err(e) => assert!(Instant::now() < end, "{script}: {e}"),
            }
            tokio::time::sleep(GLANCE).await;
        }
    }

    /// Runs a script that gives its answer to its last argument.
    pub async fn run_async(&self, script: &str) -> Value {
        self.client
            .execute_async(script, Vec::new())
            .await
            .unwrap_or_else(|e| panic!("{script}: {e}"))
    }

    /// Asks the program from the page.
    pub async fn api(&self, path: &str) -> Value {
        let script = "const [path, done] = arguments; fetch(path).then((r) => \
                      r.json()).then(done, (e) => done(String(e)));";
        self.client
            .execute_async(script, vec![path.into()])
            .await
            .unwrap_or_else(|e| panic!("{path}: {e}"))
    }

    /// Tells the program from the page.
    pub async fn tell(&self, path: &str, body: Value) -> Value {
        let script = "const [path, body, done] = arguments;
            fetch(path, { method: 'POST', headers: { 'content-type': 'application/json' }, body: \
            JSON.stringify(body) }).then((r) => r.json()).then(done, (e) => done(String(e)));";
        self.client
            .execute_async(script, vec![path.into(), body])
            .await
            .unwrap_or_else(|e| panic!("{path}: {e}"))
    }

    /// Tells the program from the page by another method; gives the status.
    pub async fn tell_by(&self, method: &str, path: &str, body: Value) -> Value {
        let script = "const [method, path, body, done] = arguments;
            fetch(path, { method, headers: { 'content-type': 'application/json' }, body: \
            JSON.stringify(body) }).then((r) => done(r.status), (e) => done(String(e)));";
        self.client
            .execute_async(script, vec![method.into(), path.into(), body])
            .await
            .unwrap_or_else(|e| panic!("{path}: {e}"))
    }

    /// Waits until an element reads something that satisfies `test`, and gives it.
    pub async fn until(&self, css: &str, what: &str, test: impl Fn(&str) -> bool) -> String {
        let end = Instant::now() + PATIENCE;
        loop {
            let text = self.text(css).await;
            if test(&text) {
                return text;
            }
            assert!(
                Instant::now() < end,
                "{css} never was {what}; it reads {text:?}"
            );
            tokio::time::sleep(GLANCE).await;
        }
    }

    /// Waits until an element reads all of these, and gives what it reads.
    pub async fn says(&self, css: &str, words: &[&str]) -> String {
        let all = |t: &str| words.iter().all(|w| t.contains(w));
        self.until(css, &format!("reading {words:?}"), all).await
    }

    /// What axe-core finds wrong with the page, with default rules (WCAG A and AA, best practices).
    pub async fn axe(&self) -> Vec<String> {
        let source = root().join("web/node_modules/axe-core/axe.min.js");
        let source =
            std::fs::read_to_string(source).expect("axe-core is installed by `cargo verify`");
        self.run(&source).await;
        let script = "const done = arguments[arguments.length - 1];
            axe.run(document, { resultTypes: ['violations'] }).then(
              (r) => done(r.violations.map((v) => `${v.id} (${v.impact}): ${v.nodes.map((n) => \
              n.target.join(' ') + ' — ' + n.failureSummary).join(' | ')}`)),
              (e) => done([String(e)]));";
        let found = self
            .client
            .execute_async(script, Vec::new())
            .await
            .expect("axe runs");
        found
            .as_array()
            .expect("axe gives a list")
            .iter()
            .map(|v| v.as_str().unwrap_or_default().to_owned())
            .collect()
    }

    /// Nothing wrong by axe in either theme.
    pub async fn accessible(&self, place: &str) {
        for theme in ["light", "night"] {
            self.run(&format!(
                "document.documentElement.dataset.theme = '{theme}'"
            ))
            .await;
            let found = self.axe().await;
            assert!(found.is_empty(), "{place}, {theme}:\n{}", found.join("\n"));
        }
        self.run("document.documentElement.dataset.theme = 'light'")
            .await;
    }

    async fn log(&self, kind: &'static str) -> Vec<Value> {
        let log = self
            .client
            .issue_cmd(Extra::Log(kind))
            .await
            .expect("a log");
        log.as_array().cloned().unwrap_or_default()
    }

    /// Addresses asked for since the last call, sockets included; pages of the browser itself left
    /// out.
    pub async fn requests(&self) -> Vec<String> {
        let mut out = Vec::new();
        for entry in self.log("performance").await {
            let message: Value = entry["message"]
                .as_str()
                .and_then(|t| serde_json::from_str(t).ok())
                .unwrap_or_default();
            let message = &message["message"];
            let url = match message["method"].as_str() {
                Some("Network.requestWillBeSent") => &message["params"]["request"]["url"],
                Some("Network.webSocketCreated") => &message["params"]["url"],
                _ => continue,
            };
            out.extend(
                url.as_str()
                    .filter(|u| {
                        !u.starts_with("chrome:")
                            && !u.starts_with("chrome-untrusted:")
                            && !u.starts_with("data:")
                    })
                    .map(str::to_owned),
            );
        }
        out
    }

    /// Errors and warnings of the console since the last call.
    pub async fn complaints(&self) -> Vec<String> {
        let entries = self.log("browser").await;
        let bad = entries
            .iter()
            .filter(|e| matches!(e["level"].as_str(), Some("SEVERE" | "WARNING")));
        bad.map(|e| e["message"].as_str().unwrap_or_default().to_owned())
            .collect()
    }

    /// A picture of the page.
    pub async fn shot(&self, path: &Path) {
        let png = self.client.screenshot().await.expect("a picture");
        std::fs::write(path, png).unwrap_or_else(|e| panic!("{}: {e}", path.display()));
    }
}
