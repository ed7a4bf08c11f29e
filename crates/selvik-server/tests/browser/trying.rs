//! Changes are tried by hand before they are made, made, and compared with what was before; the strip shows when.

use serde_json::json;

use crate::support::Server;
use crate::support::browser::{Browser, Button, key};

const SWEPT: &str = "document.querySelectorAll('[data-test=finding]').length > 3 \
    && !document.querySelector('.job') && !document.querySelector('.stale')";

/// What the card says of a pair while something is dragged.
const TRIED: &str = "[...document.querySelectorAll('[data-test=trying-pair]')].map((e) => e.textContent).find((t) => t.includes('Nozzle bracket'))";

/// The demo, opened and swept.
async fn swept() -> (Server, Browser) {
    let server = Server::start().await;
    server.with(&crate::support::demo()).await;
    let b = Browser::open(&server.url).await;
    b.open_cell().await;
    b.until("the sweep is done", SWEPT).await;
    (server, b)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_clamp_is_tried_elsewhere_shifted_by_as_little_as_helps_and_compared() {
    let (_server, b) = swept().await;

    // While it is dragged, what it comes to over the whole path is told beside what it was.
    b.pick("clamp-a2").await;
    b.click("view-top").await;
    b.keys("f").await;
    b.rests().await;
    b.keys("j").await;
    b.rests().await;
    let red = |[r, g, b]: [u8; 3]| r > 170 && g < 70 && b < 60;
    let arrow = b.somewhere(red).await;
    b.take_along(Button::Left, arrow, (arrow.0 - 30.0, arrow.1 - 30.0))
        .await;
    b.until(
        "it is told of the path",
        &format!("/4\\.2 → [\\d.]+ mm/.test({TRIED} ?? '')"),
    )
    .await;
    b.until(
        "all of it",
        "/ broken/.test(document.querySelector('[data-test=trying-overall]')?.textContent ?? '')",
    )
    .await;
    b.until(
        "it is up to date, and still only tried",
        "!document.querySelector('[data-test=trying].behind') && /revision 1/.test(document.body.textContent)",
    )
    .await;
    b.drop_it(Button::Left).await;
    b.until(
        "the card goes",
        "!document.querySelector('[data-test=trying]')",
    )
    .await;
    b.undo_says("Undo move Clamp A2").await;
    b.with_control('z').await;
    b.until(
        "it stands where it stood",
        "/revision 3/.test(document.body.textContent)",
    )
    .await;
    b.keys(key::ESCAPE).await;

    // The smallest shift along X that keeps its rules, and what the sweep makes of it.
    b.set("shift-along", "X").await;
    b.click("find-shift").await;
    b.until(
        "a shift is found",
        "/mm/.test(document.querySelector('[data-test=shift-found]')?.textContent ?? '')",
    )
    .await;
    b.click("take-shift").await;
    b.until("it is stale", "document.querySelector('.stale')")
        .await;
    b.script("document.querySelector('.stale .v-btn').click()")
        .await;
    b.until("it is swept again", SWEPT).await;
    b.click("open-compare").await;
    b.until(
        "it became better",
        "[...document.querySelectorAll('[data-test=change]')].some((e) => /better.*Nozzle bracket – Clamp A2.*was broken/.test(e.textContent))",
    )
    .await;
    b.until(
        "both bands are drawn",
        "document.querySelector('[data-test=earlier-band]')?.getAttribute('d')",
    )
    .await;
    b.click("open-compare").await;

    // By name alone: the pair that was looked for, and its own band on the strip.
    b.fill("filter-pairs", "clamp a1").await;
    b.until(
        "only those are listed",
        "(() => { const all = [...document.querySelectorAll('[data-test=finding] .names')].map((e) => e.textContent); return all.length > 1 && all.every((t) => /Clamp A1/.test(t)) })()",
    )
    .await;
    b.keys("c").await;
    b.reads("gap-label", "Clamp A1").await;
    b.until(
        "its band is drawn",
        "document.querySelector('[data-test=own-band]')?.getAttribute('d')",
    )
    .await;

    // The wheel zooms about the pointer; a stretch is marked with Shift and fitted; a double click shows it all.
    let strip = b
        .script("const r = document.querySelector('[data-test=scrubber]').getBoundingClientRect(); return [r.left, r.top, r.width]")
        .await;
    let at = |i: usize| strip[i].as_f64().expect("a number");
    let (x, y) = (at(0) + at(2) * 0.75, at(1) + 60.0);
    for _ in 0..8 {
        b.wheel(x as i64, y as i64, -100).await;
    }
    let shown = "document.querySelector('[data-test=part-shown]')?.textContent";
    b.until("a part is shown", shown).await;
    let length = format!(
        "(() => {{ const [from, to] = {shown}.split('–').map((t) => {{ const [m, s] = t.trim().split(':').map(Number); return 60 * m + s }}); return to - from }})()"
    );
    b.until("a sixth of it", &format!("{length} > 3 && {length} < 5"))
        .await;
    b.drag_with('\u{E008}', Button::Left, (x - 60.0, y), (x + 40.0, y))
        .await;
    b.click("sweep-part").await;
    b.until(
        "it is swept alone, and nothing of it lies elsewhere",
        &format!(
            "(() => {{ const [from, to] = {shown}.split('–').map((t) => t.trim()); \
             const at = [...document.querySelectorAll('[data-test=part-found] [data-test=pair-row]')].map((e) => /at ([\\d:.]+)/.exec(e.textContent)[1]); \
             return at.length > 3 && at.every((t) => from <= t && t <= to) }})()"
        ),
    )
    .await;
    b.click("leave-part").await;
    b.click("fit-marked").await;
    b.until(
        "the stretch fills it",
        &format!("{length} > 0.2 && {length} < 0.6"),
    )
    .await;
    b.double_click_at(Button::Left, x, y).await;
    b.until(
        "all of it is shown",
        "!document.querySelector('[data-test=part-shown]')",
    )
    .await;
}

/// Four other places of the clamp are swept without being made; the best of them is made, and taken back.
#[tokio::test(flavor = "multi_thread")]
async fn variants_are_swept_without_being_made_and_the_best_is_made() {
    let (_server, b) = swept().await;
    b.pick("clamp-a2").await;
    b.click("open-variants").await;
    b.fill("series-from-0", "0").await;
    b.fill("series-to-0", "-60").await;
    b.fill("series-count-0", "4").await;
    b.click("add-series").await;
    b.until(
        "all are swept, and nothing else is",
        "document.querySelectorAll('[data-test=variant] svg').length === 4 \
         && !document.querySelector('[data-test=variants-done]') && !document.querySelector('.job')",
    )
    .await;
    b.until(
        "nothing was changed",
        "/revision 1/.test(document.body.textContent) && !document.querySelector('.stale')",
    )
    .await;
    b.until(
        "what the worst pair keeps is told, of those first that break least",
        "(() => { const rows = [...document.querySelectorAll('[data-test=variant]')]; \
         const broken = rows.map((e) => Number(/(\\d+) broken/.exec(e.textContent)?.[1] ?? 0)); \
         return rows.every((e) => /[+-][\\d.]+ mm/.test(e.querySelector('.margin').textContent)) \
           && broken.every((n, i) => !i || n >= broken[i - 1]) })()",
    )
    .await;
    b.until(
        "as it is, what the sweep found is what its variant found",
        "(() => { const as = [...document.querySelectorAll('[data-test=variant]')].find((e) => /X 0 mm/.test(e.textContent)); \
         const broken = document.querySelectorAll('[data-test=finding].broken').length; \
         return !!as && broken > 0 && as.textContent.includes(`${broken} broken`) })()",
    )
    .await;
    b.click("apply-variant").await;
    b.until(
        "it is made, and what was found is of an older model",
        "/revision 2/.test(document.body.textContent) && !!document.querySelector('.stale') \
         && document.querySelectorAll('[data-test=variant].old').length === 4",
    )
    .await;
    b.with_control('z').await;
    b.until(
        "taken back they are of the model as it is again",
        "document.querySelectorAll('[data-test=variant]:not(.old)').length === 4",
    )
    .await;
    b.click("clear-variants").await;
    b.until(
        "they are gone",
        "!document.querySelector('[data-test=variant]')",
    )
    .await;
}

/// A target has handles: what it comes to is told while it is dragged, and letting go makes it so.
#[tokio::test(flavor = "multi_thread")]
async fn a_target_is_dragged_tried_and_let_go() {
    let server = Server::start().await;
    server.with(&crate::support::demo()).await;
    // No frames: only the handles are so blue.
    let b = Browser::open_with(&server.url, json!({"selvik.furniture": {"kinds": []}})).await;
    b.open_cell().await;
    b.until("the sweep is done", SWEPT).await;
    b.keys("y").await;
    b.script("document.querySelectorAll('[data-test=moves] [role=option]')[1].click()")
        .await;
    b.click("target-move").await;
    b.until(
        "its handles are on",
        "document.querySelector('[data-test=target-move][aria-pressed=true]')",
    )
    .await;
    b.rests_for(30).await;
    let before = b.value("target-Z").await;
    let blue = |[r, g, b]: [u8; 3]| b > 170 && r < 70 && g < 110;
    let arrow = b.somewhere(blue).await;
    b.take_along(Button::Left, arrow, (arrow.0, arrow.1 - 60.0))
        .await;
    b.until(
        "the moves to and from it are told",
        "/In the moves to and from P2/.test(document.querySelector('[data-test=trying-part]')?.textContent ?? '') \
         && !document.querySelector('[data-test=trying].behind')",
    )
    .await;
    b.rests().await;
    assert!(
        (b.value("target-Z").await - before).abs() < 1e-9,
        "it is only tried"
    );
    b.drop_it(Button::Left).await;
    b.undo_says("Undo target P2").await;
    b.until(
        "its number is another",
        &format!(
            "Math.abs(Number(document.querySelector('[data-test=target-Z]').value) - {before}) > 5"
        ),
    )
    .await;
    b.keys(key::ESCAPE).await;
    b.until(
        "the handles go",
        "!document.querySelector('[data-test=target-move][aria-pressed=true]')",
    )
    .await;
}
