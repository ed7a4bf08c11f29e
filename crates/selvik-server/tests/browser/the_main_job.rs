//! The main job in the real interface: headless Chromium, real pointer and key input; what is checked
//! is what the user sees.

use crate::support::Server;
use crate::support::browser::{Browser, Button, key};
use crate::support::pixels::{bluish, plum};
use fantoccini::Locator;
use serde_json::json;

#[tokio::test(flavor = "multi_thread")]
async fn the_main_job_from_opening_a_cell_to_the_evidence_of_a_broken_rule() {
    let server = Server::start().await;
    server.with(&crate::support::demo()).await;
    let b = Browser::open(&server.url).await;

    // Open the cell from the list.
    b.open_cell().await;
    assert!(b.count(bluish).await > 4000, "robots are seen");

    // Nothing is drawn while nothing changes.
    b.until(
        "the sweep is done",
        "document.querySelectorAll('[data-test=finding]').length > 3 && !document.querySelector('.job')",
    )
    .await;
    b.rests().await;
    let frames = "return document.querySelector('[data-test=picture]').dataset.frames";
    let before = b.script(frames).await;
    b.rests_for(60).await;
    assert_eq!(b.script(frames).await, before, "the picture rests");

    // Look around: drag, then a standard view by its button, by its key, and back.
    let bearing = b.value("bearing").await;
    b.drag(Button::Right, (620.0, 300.0), (720.0, 300.0)).await;
    let turned = b.value("bearing").await;
    assert!(
        (bearing - turned - 35.0).abs() < 1.0,
        "100 pixels turn by 35°: {bearing} {turned}"
    );
    b.click("view-front").await;
    b.until(
        "the front is shown",
        "document.querySelector('[data-test=bearing]').value === '0°'",
    )
    .await;
    assert_eq!(b.value("elevation").await, 0.0);
    b.keys("b").await;
    b.until(
        "the view before is back",
        "document.querySelector('[data-test=bearing]').value !== '0°'",
    )
    .await;
    assert!((b.value("bearing").await - turned).abs() < 0.1);
    b.keys(key::DOWN).await; // arrow down: the next notch of elevation
    b.until(
        "elevation on a notch",
        "Number.parseFloat(document.querySelector('[data-test=elevation]').value) % 15 === 0",
    )
    .await;
    b.click("notch-90").await;
    b.until(
        "the right side",
        "document.querySelector('[data-test=bearing]').value === '90°'",
    )
    .await;

    // Come nearer with the wheel: what is under the pointer grows.
    let far = b.count(bluish).await;
    b.wheel(620, 330, -480).await;
    b.rests().await;
    assert_ne!(b.count(bluish).await, far);
    b.keys("F").await;

    // Select in the roster: unmistakable in the list and in the picture.
    let row = |id: &str| format!("document.querySelector('[data-id={id}]')");
    b.client
        .find(Locator::Css("[data-id=r1] .name"))
        .await
        .expect("R1")
        .click()
        .await
        .expect("a click");
    assert_eq!(
        b.script(&format!("return {}.ariaSelected", row("r1")))
            .await,
        "true"
    );
    b.keys("f").await;
    b.rests().await;
    let chosen = b.count(plum).await;
    assert!(chosen > 800, "the selection is plum: {chosen} pixels");

    // Isolate it: the rest is gone, and a chip says so and brings it back.
    let robots = b.count(|p| bluish(p) || plum(p)).await;
    b.keys("i").await;
    assert!(b.text("chip-isolated").await.contains("isolated"));
    b.keys("f").await;
    b.rests().await;
    assert!(
        b.count(|p| bluish(p) || plum(p)).await > robots / 2,
        "what is isolated fills the picture"
    );
    b.click("chip-isolated").await;
    assert!(!b.has("chip-isolated").await);

    // Select by a click into the picture, clear by Escape.
    b.keys(key::ESCAPE).await;
    assert_eq!(b.selected().await.len(), 0);
    b.rests().await;
    let robot = b.somewhere(bluish).await;
    b.click_at(Button::Left, robot.0, robot.1).await;
    assert_eq!(b.selected().await.len(), 1);
    b.keys(key::ESCAPE).await;

    // Cut: hatched faces with their area; flipped, the other half is gone.
    b.click("view-front").await;
    b.keys("x").await;
    b.reads("section-area", " cm²").await;
    let area = b.text("section-area").await;
    assert!(
        area.trim_end_matches(" cm²")
            .parse::<f64>()
            .expect("an area")
            > 10.0,
        "{area}"
    );
    let at = b.value("section-at").await;
    let handle = b
        .find("section-handle")
        .await
        .rectangle()
        .await
        .expect("its place");
    let cut = b.text("chip-section").await;
    assert!(cut.contains("mm"), "{cut}");
    b.fill("section-at", "12.5").await;
    b.until(
        "the cut moved",
        "document.querySelector('[data-test=chip-section]').innerText.includes('12.5 mm')",
    )
    .await;
    assert!(handle.2 > 10.0 && (at - 12.5).abs() > 1e-6);
    b.click("section-flip").await;
    b.click("chip-section").await;
    assert!(!b.has("section-handle").await);

    // Save the view; it is kept by the server; rename is undone.
    b.click("views").await;
    b.click("save-view").await;
    b.until(
        "the name field",
        "document.querySelector('[data-test=name] input')",
    )
    .await;
    let name = b
        .client
        .find(Locator::Css("[data-test=name] input"))
        .await
        .expect("a field");
    name.send_keys("\u{E009}a\u{E000}From the front\u{E007}")
        .await
        .expect("typed");
    b.until(
        "it is saved",
        "document.querySelector('[data-test=saving]').innerText.includes('revision 2')",
    )
    .await;
    let cells = server.get("/api/cells").await;
    let id = cells[0]["id"].as_str().expect("an id").to_owned();
    let views = server.get(&format!("/api/cells/{id}")).await["document"]["views"].clone();
    assert_eq!(views[3]["name"], "From the front");
    assert_eq!(views[3]["viewpoint"]["bearing_deg"], 0.0);
    b.click("undo").await;
    b.until(
        "it is undone",
        "document.querySelector('[data-test=saving]').innerText.includes('revision 3')",
    )
    .await;
    b.click("redo").await;
    b.until(
        "it is done again",
        "document.querySelector('[data-test=saving]').innerText.includes('revision 4')",
    )
    .await;
    b.keys("1").await;
    b.until(
        "the first view is recalled",
        "document.querySelector('[data-test=bearing]').value === '24°'",
    )
    .await;

    // Measure from the base to the TCP, and play: the number follows the play head.
    b.click("tab-measured").await;
    for (choice, frame) in [
        ("choose-0", "frame r1-base"),
        ("choose-1", "frame tcp-nozzle"),
    ] {
        b.find(choice).await;
        b.set(choice, frame).await;
    }
    let reach = b.text("smallest").await;
    assert!(reach.contains("mm"), "{reach}");
    b.reads("between", "along the floor").await;
    b.keys(" ").await;
    b.until(
        "it plays",
        "document.querySelector('[data-test=time]').innerText > '00:00.500'",
    )
    .await;
    b.keys(" ").await;
    let time = b.text("time").await;
    assert!(time.as_str() > "00:00.500", "{time}");
    let other =
        format!("!document.querySelector('[data-test=smallest]').innerText.includes('{reach}')");
    b.until("the number is another", &other).await;
    let straight = b.text("smallest").await;
    let shown: f64 = straight.trim_end_matches(" mm").parse().expect("a number");
    // The clock shows milliseconds; the play head may stand anywhere in one.
    let seconds: f64 = time.trim_start_matches("00:").parse().expect("a time");
    let picks = json!([{"on": "r1-base", "kind": "frame"}, {"on": "tcp-nozzle", "kind": "frame"}]);
    let wanted = json!({"picks": picks, "time_s": seconds});
    let (_, measured) = server
        .post(&format!("/api/cells/{id}/measure"), wanted)
        .await;
    let there = measured["between"]["smallest"]["length_mm"]
        .as_f64()
        .expect("a length");
    assert!(
        (there - shown).abs() < 1.0,
        "{shown} at {seconds} s, {there}"
    );

    // Scrub: the chart is the scrubber.
    let strip = b
        .find("scrubber")
        .await
        .rectangle()
        .await
        .expect("its place");
    b.drag(
        Button::Left,
        (strip.0 + 50.0, strip.1 + 80.0),
        (strip.0 + strip.2 / 2.0, strip.1 + 80.0),
    )
    .await;
    let half = b.text("time").await;
    assert!(
        half.as_str() > "00:11.0" && half.as_str() < "00:11.4",
        "{half}"
    );
    // From there it plays by its key, on over the end of the part of the track that came first.
    let late = (strip.0 + strip.2 * 0.88, strip.1 + 80.0);
    b.click_at(Button::Left, late.0, late.1).await;
    b.keys(" ").await;
    b.until(
        "it goes on",
        "document.querySelector('[data-test=time]').innerText > '00:20.500'",
    )
    .await;
    b.keys(" ").await;
    assert!(b.count(bluish).await > 4000, "robots are seen");

    // From a broken rule to its evidence in one click.
    b.client
        .find(Locator::Css("[role=tab]"))
        .await
        .expect("clearance")
        .click()
        .await
        .expect("a click");
    let findings = b
        .client
        .find_all(Locator::Css("[data-test=finding]"))
        .await
        .expect("findings");
    let clamp = {
        let mut found = None;
        for card in findings {
            if card.text().await.expect("text").contains("Clamp A2") {
                found = Some(card);
                break;
            }
        }
        found.expect("the clamp is among the findings")
    };
    let card = clamp.text().await.expect("text");
    assert!(
        card.contains("4.2 mm") && card.contains("broken") && card.contains("needs 10"),
        "{card}"
    );
    clamp.click().await.expect("a click");
    let label = b.text("gap-label").await;
    assert!(
        label.contains("4.2 mm") && label.contains("needs 10"),
        "{label}"
    );
    assert!(
        card.contains(&b.text("time").await),
        "the pose is that of the finding"
    );
    b.rests().await;
    let red = |[r, g, b]: [u8; 3]| r > 150 && g < 90 && b < 80;
    assert!(b.count(red).await > 30, "the gap is marked in red");
    // The address bar is a link to it; what was isolated and cut before comes back afterwards.
    let link = b
        .client
        .current_url()
        .await
        .expect("an address")
        .to_string();
    assert!(
        link.contains("?finding=") && link.contains("Clamp"),
        "{link}"
    );
    b.click("chip-evidence").await;
    assert!(!b.has("gap-label").await);
    b.client.goto("about:blank").await.expect("away");
    b.client.goto(&link).await.expect("the page");
    b.reads("gap-label", "4.2 mm").await;
    b.click("chip-evidence").await;

    // Dark: the paper turns dark, the numbers stay.
    let light = b.pixel(900, 780).await;
    b.click("theme").await;
    b.rests().await;
    let dark = b.pixel(900, 780).await;
    assert!(
        dark.iter().all(|&c| c < 90) && light.iter().any(|&c| c > 120),
        "{dark:?} {light:?}"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_cell_that_is_not_there_and_an_empty_list_say_what_to_do() {
    let server = Server::start().await;
    let b = Browser::open(&server.url).await;
    b.until(
        "the empty list",
        "document.body.innerText.includes('There are no cells yet')",
    )
    .await;
    b.client
        .goto(&format!(
            "{}/cells/00000000-0000-7000-8000-000000000000",
            server.url
        ))
        .await
        .expect("a page");
    b.until(
        "the refusal",
        "document.body.innerText.includes('There is no such cell.')",
    )
    .await;
    assert!(
        b.script("return document.body.innerText.includes('All cells')")
            .await
            == json!(true)
    );
}
