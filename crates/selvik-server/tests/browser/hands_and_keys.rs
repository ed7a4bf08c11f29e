//! Settings of the hand and the keys, the search box, the quick bar and the menu at the pointer.

use crate::support::Server;
use crate::support::browser::{Browser, Button, key};
use crate::support::pixels::bluish;
use fantoccini::Locator;

#[tokio::test(flavor = "multi_thread")]
async fn hands_and_keys_are_set_apart_and_every_hint_follows() {
    let server = Server::start().await;
    server.with(&crate::support::demo_without_rules()).await;
    let b = Browser::open(&server.url).await;
    b.open_cell().await;

    // Another hand: the hint and the drag follow.
    b.click("settings").await;
    b.click("tab-hand").await;
    let choose = "const s = document.querySelector('[data-test=scheme]'); s.value = 'left-turns'; s.dispatchEvent(new Event('change'))";
    b.script(choose).await;
    b.reads("hint", "Left drag turns").await;

    // A clash is named and can be refused or swapped.
    b.click("add-move").await;
    let pad = b
        .find("gesture-pad")
        .await
        .rectangle()
        .await
        .expect("its place");
    let middle = (pad.0 + pad.2 / 2.0, pad.1 + pad.3 / 2.0);
    b.click_at(Button::Left, middle.0, middle.1).await;
    b.reads("clash", "Left is in use for “Turn round”").await;
    b.click("clash-refuse").await;
    b.reads("hint", "Left drag turns").await;

    // A key: the clash is named, then swapped; the mouse is as it was.
    b.click("tab-keys").await;
    b.fill("key-find", "isolate").await;
    b.click("key-isolate").await;
    b.find("key-isolate")
        .await
        .send_keys("h")
        .await
        .expect("a key");
    b.reads("clash", "H is in use for “Hide selection”").await;
    b.click("clash-swap").await;
    b.reads("key-isolate", "H").await;
    b.click("settings-close").await;
    b.uncovered().await;
    b.reads("hint", "Left drag turns").await;
    let bearing = b.value("bearing").await;
    b.drag(Button::Left, (600.0, 300.0), (640.0, 300.0)).await;
    assert!((bearing - b.value("bearing").await - 14.0).abs() < 1.0);

    // The key isolates now, and its tooltip in the menu says so.
    let (x, y) = b.somewhere(bluish).await;
    b.click_at(Button::Left, x, y).await;
    assert_eq!(b.selected().await.len(), 1);
    b.keys("h").await;
    b.reads("chip-isolated", "isolated").await;
    b.click("chip-isolated").await;

    // The menu at the pointer belongs to the thing under it.
    b.click_at(Button::Right, x, y).await;
    b.reads("context-menu", "Isolate selection").await;
    b.reads("menu-isolate", "H").await;
    b.click("menu-hide").await;
    b.uncovered().await;
    b.reads("chip-hidden", "hidden").await;
    b.click("chip-hidden").await;

    // Pinned to a bar of one's own.
    b.hold(key::CONTROL).await;
    b.keys("k").await;
    b.let_go(key::CONTROL).await;
    b.find("find")
        .await
        .send_keys("opposite")
        .await
        .expect("typed");
    b.click("pin-opposite").await;
    b.find("find")
        .await
        .send_keys(key::ESCAPE)
        .await
        .expect("left");
    b.uncovered().await;
    let before = b.value("bearing").await;
    b.client
        .find(Locator::Css("[data-test=quick-bar] button"))
        .await
        .expect("pinned")
        .click()
        .await
        .expect("a click");
    b.rests().await;
    let turned = (b.value("bearing").await - before).rem_euclid(360.0);
    assert!((turned - 180.0).abs() < 0.2, "{turned}");

    // All on one page, and back to standard in one action.
    b.keys("?").await;
    let sheet = b.text("binding-sheet").await;
    assert!(sheet.contains("Fit a drawn rectangle") && sheet.contains("Hold D"));
    b.client
        .find(Locator::Css("body"))
        .await
        .expect("a body")
        .send_keys(key::ESCAPE)
        .await
        .expect("left");
    b.uncovered().await;
    b.click("settings").await;
    b.click("settings-standard").await;
    b.reads("hint", "Right drag turns").await;

    // What is no settings file is refused with a sentence.
    let file = tempfile::NamedTempFile::with_suffix(".json").expect("a file");
    std::fs::write(
        file.path(),
        "{\"selvik_settings\": 1, \"looking\": {\"wheelStep\": \"fast\"}}",
    )
    .expect("written");
    let input = b
        .client
        .find(Locator::Css("[data-test=settings-import]"))
        .await
        .expect("an input");
    input
        .send_keys(&file.path().display().to_string())
        .await
        .expect("chosen");
    b.reads("settings-said", "looking.wheelStep").await;
}
