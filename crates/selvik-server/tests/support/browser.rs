//! A headless browser with real pointer and key input; what is checked is what the user sees.
#![allow(dead_code, unused_imports)]

use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use fantoccini::elements::Element;
use fantoccini::wd::{Capabilities, WebDriverCompatibleCommand};
use fantoccini::{Client, ClientBuilder, Locator};
use serde_json::{Value, json};

mod hands;
mod picture;

pub use hands::{Button, key};

/// How long one waits before looking whether something has come.
const LOOK_AGAIN: Duration = Duration::from_millis(20);

/// For so long it is waited for at most.
const MOST_WAIT: Duration = Duration::from_secs(30);

#[derive(Debug)]
struct Devtools {
    method: &'static str,
    params: Value,
}

impl WebDriverCompatibleCommand for Devtools {
    fn endpoint(
        &self,
        base: &url::Url,
        session: Option<&str>,
    ) -> Result<url::Url, url::ParseError> {
        base.join(&format!(
            "session/{}/goog/cdp/execute",
            session.unwrap_or_default()
        ))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        let body = json!({"cmd": self.method, "params": self.params});
        (http::Method::POST, Some(body.to_string()))
    }
}

/// A browser of its own, ended with the test.
pub struct Browser {
    pub client: Client,
    driver: Child,
    profile: tempfile::TempDir,
}

impl Drop for Browser {
    /// Ends the driver and the browser it started, which is told by its profile.
    fn drop(&mut self) {
        let _ = self.driver.kill();
        let _ = self.driver.wait();
        let profile = self.profile.path().display().to_string();
        for process in std::fs::read_dir("/proc").into_iter().flatten().flatten() {
            let said = std::fs::read(process.path().join("cmdline")).unwrap_or_default();
            if String::from_utf8_lossy(&said).contains(&profile) {
                let _ = Command::new("kill")
                    .arg("-9")
                    .arg(process.file_name())
                    .status();
            }
        }
    }
}

impl Browser {
    pub async fn open(url: &str) -> Self {
        Self::open_with(url, json!({})).await
    }

    /// Opens it for a person who has these settings already, by what the page keeps them under.
    pub async fn open_with(url: &str, settings: Value) -> Self {
        let port = std::net::TcpListener::bind("127.0.0.1:0")
            .expect("a free port")
            .local_addr()
            .expect("bound")
            .port();
        let driver = Command::new("chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("chromedriver runs");
        let profile = tempfile::tempdir().expect("a folder");
        let data = format!("--user-data-dir={}", profile.path().display());
        let args = [
            "--headless",
            "--no-sandbox",
            "--use-angle=swiftshader",
            "--enable-unsafe-swiftshader",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--disable-gpu-rasterization",
            "--disable-gpu-compositing",
            "--window-size=1280,939",
            "--force-prefers-reduced-motion",
            &data,
        ];
        let mut wanted = Capabilities::new();
        let prefs = json!({"download.default_directory": profile.path().join("downloads")});
        let options = json!({"args": args, "binary": "/usr/bin/chromium", "prefs": prefs});
        wanted.insert("goog:chromeOptions".to_owned(), options);
        let mut builder =
            ClientBuilder::new(hyper_util::client::legacy::connect::HttpConnector::new());
        builder.capabilities(wanted);
        let mut tries = 0;
        let client = loop {
            match builder.connect(&format!("http://127.0.0.1:{port}")).await {
                Ok(client) => break client,
                Err(error) if tries > 100 => panic!("no browser: {error}"),
                Err(_) => tokio::time::sleep(Duration::from_millis(100)).await,
            }
            tries += 1;
        };
        let browser = Self {
            client,
            driver,
            profile,
        };
        // Pictures at rest are not drawn a second time: the tests look at what is drawn, not how finely.
        let mut kept = json!({"selvik.looking": {"fine": false}});
        for (name, value) in settings.as_object().into_iter().flatten() {
            kept[name] = value.clone();
        }
        let keep = format!(
            "for (const [name, value] of Object.entries({kept}))
                 localStorage.getItem(name) ?? localStorage.setItem(name, JSON.stringify(value))"
        );
        let before_the_page = json!({ "source": keep });
        browser
            .devtools("Page.addScriptToEvaluateOnNewDocument", before_the_page)
            .await;
        browser.client.goto(url).await.expect("the page");
        browser
    }

    pub async fn find(&self, test: &str) -> Element {
        let css = format!("[data-test=\"{test}\"]");
        let wait = self.client.wait().at_most(Duration::from_secs(30));
        wait.every(LOOK_AGAIN)
            .for_element(Locator::Css(&css))
            .await
            .unwrap_or_else(|e| panic!("no {test}: {e}"))
    }

    /// Clicks as soon as it can be clicked: menus take a moment to open.
    pub async fn click(&self, test: &str) {
        let mut said = String::new();
        let start = Instant::now();
        while start.elapsed() < Duration::from_secs(8) {
            match self.find(test).await.click().await {
                Ok(()) => return,
                Err(error) => said = error.to_string(),
            }
            tokio::time::sleep(LOOK_AGAIN).await;
        }
        panic!("{test} can't be clicked: {said}");
    }

    /// Chooses from a menu, which then stays open or not as it likes, and leaves it.
    pub async fn choose(&self, menu: &str, item: &str) {
        self.unfold(menu, item).await;
        self.click(item).await;
        self.rests().await;
        self.keys(key::ESCAPE).await;
    }

    /// Opens a menu until what is in it is seen.
    pub async fn unfold(&self, menu: &str, item: &str) {
        // A closed menu keeps its content for a while.
        let open = format!(
            "return !!document.querySelector('[data-test=\"{item}\"]')?.closest('.v-overlay--active')"
        );
        for _ in 0..50 {
            if self.script(&open).await == json!(true) {
                self.rests().await;
                return;
            }
            self.click(menu).await;
            self.rests().await;
        }
        panic!("{menu} shows no {item}");
    }

    pub async fn text(&self, test: &str) -> String {
        self.find(test).await.text().await.expect("text")
    }

    pub async fn value(&self, test: &str) -> f64 {
        let text = self
            .find(test)
            .await
            .prop("value")
            .await
            .expect("a property")
            .unwrap_or_default();
        text.trim_end_matches('°')
            .parse()
            .unwrap_or_else(|_| panic!("{test} shows {text}"))
    }

    pub async fn has(&self, test: &str) -> bool {
        let css = format!("[data-test=\"{test}\"]");
        !self
            .client
            .find_all(Locator::Css(&css))
            .await
            .expect("a list")
            .is_empty()
    }

    pub async fn script(&self, text: &str) -> Value {
        self.client
            .execute(text, Vec::new())
            .await
            .expect("a script")
    }

    /// Waits until a script gives `true`; what it reads may come, go and be drawn anew meanwhile.
    pub async fn until(&self, what: &str, script: &str) {
        let start = Instant::now();
        let script = format!("try {{ return !!({script}) }} catch {{ return false }}");
        while start.elapsed() < MOST_WAIT {
            if self.script(&script).await == json!(true) {
                return;
            }
            tokio::time::sleep(LOOK_AGAIN).await;
        }
        let seen = std::env::temp_dir().join("selvik-never-came-true.png");
        let said = self
            .client
            .screenshot()
            .await
            .map(|png| std::fs::write(&seen, png));
        panic!(
            "it never came true: {what}; what was seen ({said:?}): {}",
            seen.display()
        );
    }

    /// Waits until nothing moves any more: no transition of the page, and no frame of the picture for so many frames of
    /// the browser.
    pub async fn rests_for(&self, frames: usize) {
        let script = "const [most, done] = [arguments[0], arguments[1]];
            const drawn = () => document.querySelector('[data-test=picture]')?.dataset.frames;
            const moves = () => document.getAnimations().some((a) =>
                a.playState === 'running' && a.effect?.getComputedTiming().endTime !== Infinity);
            let [last, still] = [drawn(), 0];
            const look = () => {
                still = drawn() === last && !moves() ? still + 1 : 0;
                last = drawn();
                still > most ? done() : requestAnimationFrame(look);
            };
            requestAnimationFrame(look);";
        self.client
            .execute_async(script, vec![json!(frames)])
            .await
            .expect("it comes to rest");
    }

    /// Waits until nothing moves any more.
    pub async fn rests(&self) {
        self.rests_for(10).await;
    }

    pub async fn keys(&self, keys: &str) {
        let pane = self
            .client
            .find(Locator::Css("[data-test^=pane-]"))
            .await
            .expect("the picture");
        pane.send_keys(keys).await.expect("keys");
    }

    /// Types into a field in place of what it holds, and leaves it.
    pub async fn fill(&self, test: &str, text: &str) {
        self.click(test).await;
        let field = self.find(test).await;
        field
            .send_keys(&format!("{}a\u{E000}{text}{}", key::CONTROL, key::ENTER))
            .await
            .expect("typed");
    }

    /// Waits until the picture is drawn and rests.
    pub async fn picture(&self) {
        self.until(
            "the picture is drawn",
            "document.querySelector('[data-test=picture]')?.dataset.frames > 3 && !document.querySelector('.message') && document.querySelector('[data-test=bearing]')",
        )
        .await;
    }

    /// Opens the first cell of the list.
    pub async fn open_cell(&self) {
        self.click("cell").await;
        self.picture().await;
    }

    /// Waits until an element shows a text.
    pub async fn reads(&self, test: &str, part: &str) {
        let script = format!(
            "[...document.querySelectorAll('[data-test=\"{test}\"]')].some((e) => (e.value || e.innerText).includes({part:?}))"
        );
        self.until(&format!("{test} reads {part}"), &script).await;
    }

    /// The next file that arrives with this ending.
    pub async fn downloaded(&self, ending: &str) -> Vec<u8> {
        let folder = self.profile.path().join("downloads");
        // Drawn in software on a busy machine, a picture may take seconds.
        for _ in 0..2400 {
            let files = std::fs::read_dir(&folder).into_iter().flatten().flatten();
            let mut found = files
                .map(|f| f.path())
                .filter(|p| p.to_string_lossy().ends_with(ending));
            if let Some(path) = found.next() {
                return std::fs::read(path).expect("a file");
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        panic!("no {ending} arrived");
    }

    /// The middle of an item's row in the roster.
    pub async fn middle_of(&self, id: &str) -> (f64, f64) {
        let (x, y, width, height) = self.row(id).await.rectangle().await.expect("a place");
        (x + width / 2.0, y + height / 2.0)
    }

    /// A command of the browser's own protocol, for what WebDriver has no words for.
    async fn devtools(&self, method: &'static str, params: Value) -> Value {
        self.client
            .issue_cmd(Devtools { method, params })
            .await
            .unwrap_or_else(|e| panic!("{method}: {e}"))
    }

    /// The row of an item in the roster.
    pub async fn row(&self, id: &str) -> Element {
        let css = format!("[role=treeitem][data-id=\"{id}\"]");
        let wait = self.client.wait().at_most(Duration::from_secs(20));
        wait.every(LOOK_AGAIN)
            .for_element(Locator::Css(&css))
            .await
            .unwrap_or_else(|e| panic!("no row {id}: {e}"))
    }

    /// Selects an item in the roster.
    pub async fn pick(&self, id: &str) {
        self.row(id).await.click().await.expect("a click");
        let selected =
            format!("document.querySelector('[data-id=\"{id}\"]')?.ariaSelected === 'true'");
        self.until("it is selected", &selected).await;
    }

    /// The button of undo says what it would take back.
    pub async fn undo_says(&self, part: &str) {
        let script = format!("document.querySelector('[data-test=undo]').title.includes({part:?})");
        self.until(&format!("undo says {part}"), &script).await;
    }

    /// Answers the question for a name.
    pub async fn name_it(&self, name: &str) {
        let asked =
            "document.activeElement?.closest('.v-overlay--active [data-test=name], .v-dialog')";
        self.until("a name is asked", asked).await;
        self.rests().await;
        let field = self
            .client
            .active_element()
            .await
            .expect("the field has the focus");
        let text = format!("{}a\u{E000}{name}{}", key::CONTROL, key::ENTER);
        field.send_keys(&text).await.expect("typed");
    }

    /// Opens a menu and clicks what is in it.
    pub async fn choose_from(&self, menu: &str, item: &str) {
        self.click(menu).await;
        let open = format!("document.querySelector('.v-overlay--active [data-test={item}]')");
        self.until("the menu is open", &open).await;
        self.click(item).await;
    }

    /// Does what the search for anything finds first under these words, and waits until nothing lies over the page.
    pub async fn find_and_do(&self, words: &str) {
        self.search(words).await;
        self.uncovered().await;
    }

    /// Does what the search for anything finds first under these words.
    pub async fn search(&self, words: &str) {
        self.with_control('k').await;
        self.until(
            "the search is open",
            "document.activeElement?.closest('.v-dialog')",
        )
        .await;
        self.rests().await;
        let field = self
            .client
            .active_element()
            .await
            .expect("the field has the focus");
        field
            .send_keys(&format!("{words}{}", key::ENTER))
            .await
            .expect("typed");
    }

    /// Chooses in a list of choices.
    pub async fn set(&self, test: &str, value: &str) {
        self.find(test).await;
        self.set_nth(test, 0, value).await;
    }

    /// Chooses in one of several lists of choices.
    pub async fn set_nth(&self, test: &str, index: usize, value: &str) {
        let script = format!(
            "const s = document.querySelectorAll('[data-test={test}]')[{index}]; s.value = {value:?}; s.dispatchEvent(new Event('change'))"
        );
        self.script(&script).await;
    }

    /// Waits until no menu or dialog covers the page.
    pub async fn uncovered(&self) {
        let covered = "!document.querySelector('.v-overlay--active, .v-overlay__scrim')";
        self.until("nothing covers the page", covered).await;
        self.rests().await;
    }

    /// How many items the roster says are selected.
    pub async fn selected_count(&self) -> usize {
        let script =
            "return Number(document.querySelector('[data-test=selected-count]')?.innerText ?? 0)";
        serde_json::from_value(self.script(script).await).expect("a number")
    }

    /// What is selected of the rows in sight.
    pub async fn selected(&self) -> Vec<String> {
        let script = "return [...document.querySelectorAll('[role=treeitem][aria-selected=true]')].map((e) => e.dataset.id)";
        serde_json::from_value(self.script(script).await).expect("names")
    }
}
