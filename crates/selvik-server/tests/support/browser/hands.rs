//! What hands do: pointer, wheel and keys.

use std::time::Duration;

use fantoccini::actions::{
    InputSource, KeyAction, KeyActions, MouseActions, PointerAction, WheelAction, WheelActions,
};
use serde_json::json;

use super::Browser;

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
    pub const DELETE: &str = "\u{E017}";
    pub const SHIFT: char = '\u{E008}';
    pub const CONTROL: char = '\u{E009}';
    pub const ALT: char = '\u{E00A}';
    pub const DOWN: &str = "\u{E015}";
}

/// The pointer pressed at one point and moved to another.
fn dragging(button: Button, from: (f64, f64), to: (f64, f64)) -> MouseActions {
    let button = button as u64;
    let go = |(x, y): (f64, f64), ms| PointerAction::MoveTo {
        duration: Some(Duration::from_millis(ms)),
        x,
        y,
    };
    MouseActions::new("mouse".to_owned())
        .then(go(from, 0))
        .then(PointerAction::Down { button })
        .then(go(((from.0 + to.0) / 2.0, (from.1 + to.1) / 2.0), 60))
        .then(go(to, 60))
}

impl Browser {
    /// Drags from one point of the window to another.
    pub async fn drag(&self, button: Button, from: (f64, f64), to: (f64, f64)) {
        let up = PointerAction::Up {
            button: button as u64,
        };
        let mouse = dragging(button, from, to).then(up);
        self.client.perform_actions(mouse).await.expect("a drag");
    }

    /// Begins to drag, and holds on.
    pub async fn take_along(&self, button: Button, from: (f64, f64), to: (f64, f64)) {
        let mouse = dragging(button, from, to);
        self.client.perform_actions(mouse).await.expect("a drag");
    }

    /// Lets go of what is dragged.
    pub async fn drop_it(&self, button: Button) {
        let button = button as u64;
        let mouse = MouseActions::new("mouse".to_owned()).then(PointerAction::Up { button });
        self.client.perform_actions(mouse).await.expect("a release");
    }

    /// Drags with a key held down.
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

    /// Presses a key and lets it go, wherever the focus is.
    pub async fn press(&self, key: char) {
        self.hold(key).await;
        self.let_go(key).await;
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
            .then(PointerAction::MoveTo {
                duration: Some(Duration::from_millis(30)),
                x,
                y,
            })
            .then(PointerAction::Down { button })
            .then(PointerAction::Up { button });
        self.client.perform_actions(mouse).await.expect("a click");
    }

    /// Clicks twice at a point of the window. The second click comes a tenth of a second after the first by the
    /// hand's clock, however long the page takes over the first.
    pub async fn double_click_at(&self, button: Button, x: f64, y: f64) {
        self.point(x, y).await;
        let name = ["left", "middle", "right"][button as usize];
        let now = std::time::SystemTime::now()
            .duration_since(std::time::UNIX_EPOCH)
            .expect("after 1970")
            .as_secs_f64();
        for (kind, count, ago) in [
            ("mousePressed", 1, 0.12),
            ("mouseReleased", 1, 0.1),
            ("mousePressed", 2, 0.02),
            ("mouseReleased", 2, 0.0),
        ] {
            let event = json!({
                "type": kind,
                "x": x,
                "y": y,
                "button": name,
                "clickCount": count,
                "timestamp": now - ago,
            });
            self.devtools("Input.dispatchMouseEvent", event).await;
        }
    }

    /// Turns the wheel by pixels, away from the hand if negative.
    pub async fn wheel(&self, x: i64, y: i64, delta_y: i64) {
        let mut wheel = WheelActions::new("wheel".to_owned());
        wheel.push(WheelAction::Scroll {
            duration: None,
            x,
            y,
            delta_x: 0,
            delta_y,
        });
        self.client
            .perform_actions(wheel)
            .await
            .expect("a turn of the wheel");
    }

    /// Drags so slowly that the page may take it for a thing to be dropped.
    pub async fn drag_slowly(&self, from: (f64, f64), to: (f64, f64)) {
        let go = |(x, y): (f64, f64), ms| PointerAction::MoveTo {
            duration: Some(Duration::from_millis(ms)),
            x,
            y,
        };
        let mouse = MouseActions::new("mouse".to_owned())
            .then(go(from, 30))
            .then(PointerAction::Down { button: 0 })
            .then(go((from.0, from.1 + 6.0), 100))
            .then(go((to.0, to.1 - 3.0), 200))
            .then(go(to, 100))
            .then(PointerAction::Up { button: 0 });
        self.client.perform_actions(mouse).await.expect("a drag");
        self.rests().await;
    }

    /// Drops files or folders on the page, as from a file manager.
    pub async fn drop_files(&self, paths: &[&std::path::Path], (x, y): (f64, f64)) {
        for kind in ["dragEnter", "dragOver", "drop"] {
            let data = json!({"items": [], "files": paths, "dragOperationsMask": 1});
            self.devtools(
                "Input.dispatchDragEvent",
                json!({"type": kind, "x": x, "y": y, "data": data}),
            )
            .await;
        }
    }

    /// Keys with Ctrl go to the page, wherever the focus is.
    pub async fn with_control(&self, letter: char) {
        self.keys("").await;
        self.hold(key::CONTROL).await;
        self.hold(letter).await;
        self.let_go(letter).await;
        self.let_go(key::CONTROL).await;
    }
}
