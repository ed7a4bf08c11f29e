//! A headless browser with real pointer and key input; what is checked is what the user sees.
#![allow(dead_code)]

use std::process::{Child, Command, Stdio};
use std::time::Duration;

use fantoccini::actions::{
    InputSource, KeyAction, KeyActions, MouseActions, PointerAction, WheelAction, WheelActions,
};
use fantoccini::elements::Element;
use fantoccini::wd::Capabilities;
use fantoccini::{Client, ClientBuilder, Locator};
use serde_json::{Value, json};

/// A button of the mouse.
#[derive(Clone, Copy)]
pub enum Button {
    Left = 0,
    Middle = 1,
    Right = 2,
}

/// Keys without a character (WebDriver, 17.4.2).
pub mod key {
    pub const ESCAPE: &str = "\u{E00C}";
    pub const ENTER: &str = "\u{E007}";
    pub const SHIFT: char = '\u{E008}';
    pub const CONTROL: char = '\u{E009}';
    pub const ALT: char = '\u{E00A}';
    pub const DOWN: &str = "\u{E015}";
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
                let _ = Command::new("kill").arg("-9").arg(process.file_name()).status();
            }
        }
    }
}

impl Browser {
    pub async fn open(url: &str) -> Self {
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
            "--window-size=1280,939",
            "--force-prefers-reduced-motion",
            &data,
        ];
        let mut wanted = Capabilities::new();
        let prefs = json!({"download.default_directory": profile.path().join("downloads")});
        let options = json!({"args": args, "binary": "/usr/bin/chromium", "prefs": prefs});
        wanted.insert("goog:chromeOptions".to_owned(), options);
        let mut builder = ClientBuilder::new(hyper_util::client::legacy::connect::HttpConnector::new());
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
        let browser = Self { client, driver, profile };
        browser.client.goto(url).await.expect("the page");
        // Pictures at rest are not drawn a second time: the tests look at what is drawn, not how finely.
        browser.script("localStorage.setItem('selvik.looking', JSON.stringify({ fine: false }))").await;
        browser.client.refresh().await.expect("the page again");
        browser
    }

    pub async fn find(&self, test: &str) -> Element {
        let css = format!("[data-test=\"{test}\"]");
        let wait = self.client.wait().at_most(Duration::from_secs(30));
        wait.for_element(Locator::Css(&css)).await.unwrap_or_else(|e| panic!("no {test}: {e}"))
    }

    /// Clicks as soon as it can be clicked: menus take a moment to open.
    pub async fn click(&self, test: &str) {
        let mut said = String::new();
        for _ in 0..50 {
            match self.find(test).await.click().await {
                Ok(()) => return,
                Err(error) => said = error.to_string(),
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        panic!("{test} can't be clicked: {said}");
    }

    /// Chooses from a menu, which then stays open or not as it likes, and leaves it.
    pub async fn choose(&self, menu: &str, item: &str) {
        self.unfold(menu, item).await;
        self.click(item).await;
        tokio::time::sleep(Duration::from_millis(200)).await;
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
                tokio::time::sleep(Duration::from_millis(300)).await;
                return;
            }
            self.click(menu).await;
            tokio::time::sleep(Duration::from_millis(300)).await;
        }
        panic!("{menu} shows no {item}");
    }

    pub async fn text(&self, test: &str) -> String {
        self.find(test).await.text().await.expect("text")
    }

    pub async fn value(&self, test: &str) -> f64 {
        let text = self.find(test).await.prop("value").await.expect("a property").unwrap_or_default();
        text.trim_end_matches('°').parse().unwrap_or_else(|_| panic!("{test} shows {text}"))
    }

    pub async fn has(&self, test: &str) -> bool {
        let css = format!("[data-test=\"{test}\"]");
        !self.client.find_all(Locator::Css(&css)).await.expect("a list").is_empty()
    }

    pub async fn script(&self, text: &str) -> Value {
        self.client.execute(text, Vec::new()).await.expect("a script")
    }

    /// Waits until a script gives `true`.
    pub async fn until(&self, what: &str, script: &str) {
        for _ in 0..300 {
            if self.script(&format!("return !!({script})")).await == json!(true) {
                return;
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        panic!("it never came true: {what}");
    }

    pub async fn keys(&self, keys: &str) {
        let pane = self.client.find(Locator::Css("[data-test^=pane-]")).await.expect("the picture");
        pane.send_keys(keys).await.expect("keys");
    }

    /// Drags from one point of the window to another.
    pub async fn drag(&self, button: Button, from: (f64, f64), to: (f64, f64)) {
        let button = button as u64;
        let go = |(x, y): (f64, f64), ms| PointerAction::MoveTo {
            duration: Some(Duration::from_millis(ms)),
            x,
            y,
        };
        let mouse = MouseActions::new("mouse".to_owned())
            .then(go(from, 0))
            .then(PointerAction::Down { button })
            .then(go(((from.0 + to.0) / 2.0, (from.1 + to.1) / 2.0), 60))
            .then(go(to, 60))
            .then(PointerAction::Up { button });
        self.client.perform_actions(mouse).await.expect("a drag");
    }

    /// The same with a key held down.
    pub async fn drag_with(&self, key: char, button: Button, from: (f64, f64), to: (f64, f64)) {
        self.hold(key).await;
        self.drag(button, from, to).await;
        self.let_go(key).await;
    }

    /// Presses a key and keeps it down.
    pub async fn hold(&self, key: char) {
        let down = KeyActions::new("keys".to_owned()).then(KeyAction::Down { value: key });
        self.client.perform_actions(down).await.expect("a key");
    }

    /// Lets a held key go.
    pub async fn let_go(&self, key: char) {
        let up = KeyActions::new("keys".to_owned()).then(KeyAction::Up { value: key });
        self.client.perform_actions(up).await.expect("a key");
    }

    /// Moves the pointer.
    pub async fn point(&self, x: f64, y: f64) {
        let mouse = MouseActions::new("mouse".to_owned()).then(PointerAction::MoveTo {
            duration: Some(Duration::from_millis(30)),
            x,
            y,
        });
        self.client.perform_actions(mouse).await.expect("a move");
    }

    /// Clicks at a point of the window.
    pub async fn click_at(&self, button: Button, x: f64, y: f64) {
        let button = button as u64;
        let mouse = MouseActions::new("mouse".to_owned())
            .then(PointerAction::MoveTo { duration: Some(Duration::from_millis(30)), x, y })
            .then(PointerAction::Down { button })
            .then(PointerAction::Up { button });
        self.client.perform_actions(mouse).await.expect("a click");
    }

    /// Clicks twice at a point of the window.
    pub async fn double_click_at(&self, button: Button, x: f64, y: f64) {
        let button = button as u64;
        let mouse = MouseActions::new("mouse".to_owned())
            .then(PointerAction::MoveTo { duration: Some(Duration::from_millis(30)), x, y })
            .then(PointerAction::Down { button })
            .then(PointerAction::Up { button })
            .then(PointerAction::Down { button })
            .then(PointerAction::Up { button });
        self.client.perform_actions(mouse).await.expect("a double click");
    }

    /// Turns the wheel by pixels, away from the hand if negative.
    pub async fn wheel(&self, x: i64, y: i64, delta_y: i64) {
        let mut wheel = WheelActions::new("wheel".to_owned());
        wheel.push(WheelAction::Scroll { duration: None, x, y, delta_x: 0, delta_y });
        self.client.perform_actions(wheel).await.expect("a turn of the wheel");
    }

    /// Types into a field in place of what it holds, and leaves it.
    pub async fn fill(&self, test: &str, text: &str) {
        self.click(test).await;
        let field = self.find(test).await;
        field.send_keys(&format!("{}a\u{E000}{text}{}", key::CONTROL, key::ENTER)).await.expect("typed");
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
            let mut found = files.map(|f| f.path()).filter(|p| p.to_string_lossy().ends_with(ending));
            if let Some(path) = found.next() {
                return std::fs::read(path).expect("a file");
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        panic!("no {ending} arrived");
    }

    /// Waits until no menu or dialog covers the page.
    pub async fn uncovered(&self) {
        let covered = "!document.querySelector('.v-overlay--active, .v-overlay__scrim')";
        self.until("nothing covers the page", covered).await;
        tokio::time::sleep(Duration::from_millis(400)).await;
    }

    /// How many items the roster says are selected.
    pub async fn selected_count(&self) -> usize {
        let script = "return Number(document.querySelector('[data-test=selected-count]')?.innerText ?? 0)";
        serde_json::from_value(self.script(script).await).expect("a number")
    }

    /// What is selected of the rows in sight.
    pub async fn selected(&self) -> Vec<String> {
        let script = "return [...document.querySelectorAll('[role=treeitem][aria-selected=true]')].map((e) => e.dataset.id)";
        serde_json::from_value(self.script(script).await).expect("names")
    }

    /// The window as it is seen.
    async fn shot(&self) -> image::RgbImage {
        // A browser that draws in software may be too busy to answer in time.
        for _ in 0..5 {
            if let Ok(png) = self.client.screenshot().await {
                return image::load_from_memory(&png).expect("a PNG").to_rgb8();
            }
            tokio::time::sleep(Duration::from_millis(500)).await;
        }
        panic!("no picture of the page");
    }

    /// The colour of the picture (0..255 each) at a point of the window.
    pub async fn pixel(&self, x: u32, y: u32) -> [u8; 3] {
        let image = self.shot().await;
        image.get_pixel(x, y).0
    }

    /// A point of the picture with only such pixels round it.
    pub async fn somewhere(&self, like: impl Fn([u8; 3]) -> bool) -> (f64, f64) {
        let image = self.shot().await;
        let all_like =
            |x: u32, y: u32| (x - 3..=x + 3).all(|i| (y - 3..=y + 3).all(|j| like(image.get_pixel(i, j).0)));
        let found = (110..480)
            .step_by(3)
            .find_map(|y| (240..1000).step_by(3).find(|&x| all_like(x, y)).map(|x| (x, y)));
        let (x, y) = found.expect("such a spot");
        (f64::from(x), f64::from(y))
    }

    /// How many pixels of the picture's area fulfil `like`.
    pub async fn count(&self, like: impl Fn([u8; 3]) -> bool) -> usize {
        let image = self.shot().await;
        image
            .enumerate_pixels()
            .filter(|(x, y, p)| (240..1000).contains(x) && (110..480).contains(y) && like(p.0))
            .count()
    }
}

/// Pixels tinted like robots: clearly more blue than red.
pub fn bluish([r, _, b]: [u8; 3]) -> bool {
    i32::from(b) - i32::from(r) > 24
}

/// Pixels tinted like a selection: red and blue above green.
pub fn plum([r, g, b]: [u8; 3]) -> bool {
    i32::from(r) - i32::from(g) > 18 && i32::from(b) - i32::from(g) > 8
}
