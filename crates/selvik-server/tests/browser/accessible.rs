//! Every main view, light and dark, keeps the rules of WCAG 2.2 A and AA and the best practices that axe-core knows.

use crate::support::Server;
use crate::support::browser::{Browser, Button, key};
use fantoccini::Locator;
use serde_json::Value;

/// Where one is in turn, and what is done to get there.
#[rstest::rstest]
#[case::light(false)]
#[case::dark(true)]
#[tokio::test(flavor = "multi_thread")]
async fn no_main_view_breaks_a_rule_of_accessibility(#[case] dark: bool) {
    let server = Server::start().await;
    server.with(&crate::support::demo()).await;
    let b = Browser::open(&server.url).await;
    b.find("cell").await;
    if dark {
        press(&b, "button[aria-label='Light or dark']").await;
    }
    let found = Rules::of(&b, dark).await;
    found.hold_in("the list of cells").await;

    b.open_cell().await;
    b.until(
        "the sweep is done",
        "document.querySelectorAll('[data-test=finding]').length > 3 && !document.querySelector('.job')",
    )
    .await;
    found.hold_in("the workspace").await;
    let row =
        "[...document.querySelectorAll('[role=treeitem]')].find((e) => e.dataset.id === 'r1')";
    b.script(&format!("{row}.click()")).await;
    b.find("inspector").await;
    found.hold_in("the inspector").await;
    for (tab, shows) in [
        ("tab-reach", "reach-row"),
        ("tab-measured", "measure-empty"),
    ] {
        b.click(tab).await;
        b.find(shows).await;
        found.hold_in(tab).await;
    }
    for (choice, what) in [
        ("choose-0", "frame r1-base"),
        ("choose-1", "frame tcp-nozzle"),
    ] {
        b.find(choice).await;
        b.set(choice, what).await;
    }
    b.find("smallest").await;
    b.click("measure-keep").await;
    b.find("kept-finding").await;
    found.hold_in("what is measured and kept").await;
    b.click("tab-clearance").await;
    b.click("finding").await;
    b.find("gap-label").await;
    found.hold_in("the evidence of a finding").await;
    b.keys(key::ESCAPE).await;
    b.rests().await;

    for (keys, shows) in [("?", "binding-sheet"), ("V", "name")] {
        b.keys(keys).await;
        b.find(shows).await;
        b.rests().await;
        found.hold_over_the_page(shows).await;
        b.keys(key::ESCAPE).await;
        b.uncovered().await;
    }
    for (opener, inside) in [
        ("settings", "tab-hand"),
        ("views", "view-list"),
        ("projection", "lens"),
        ("style", "grid"),
        ("panes", "linked"),
    ] {
        b.unfold(opener, inside).await;
        b.rests().await;
        found.hold_over_the_page(opener).await;
        b.keys(key::ESCAPE).await;
        b.uncovered().await;
    }
    b.click_at(Button::Right, 560.0, 330.0).await;
    b.find("context-menu").await;
    b.rests().await;
    found.hold_over_the_page("the menu at the pointer").await;
    b.keys(key::ESCAPE).await;
    b.uncovered().await;
    b.click("section").await;
    b.find("section-handle").await;
    found.hold_in("a section").await;
    b.click("section").await;
    b.keys("k").await;
    b.find("joint-joint_1").await;
    b.keys("y").await;
    b.find("moves").await;
    press(&b, "[data-test=move]").await;
    b.find("move-fields").await;
    found.hold_in("jogging and programs").await;
    b.keys("k").await;
    b.keys("y").await;
    b.keys("r").await;
    b.find("rules-dialog").await;
    b.rests().await;
    found.hold_over_the_page("the rules").await;
    b.click("rules-close").await;
    b.uncovered().await;
    b.choose("panes", "layout-four").await;
    found.hold_in("four panes").await;
    b.unfold("views", "view-list").await;
    press(&b, "[data-test^='tour-']").await;
    b.find("tour-strip").await;
    b.rests().await;
    found.hold_in("a tour").await;
}

async fn press(b: &Browser, css: &str) {
    let button = b.client.find(Locator::Css(css)).await;
    button.expect("a button").click().await.expect("a click");
}

/// What axe-core (npm) checks: in the dark only what may be another matter there.
struct Rules<'a> {
    b: &'a Browser,
    source: String,
    run: &'static str,
    /// So many rules are kept at least wherever it looks.
    least: u64,
}

const ALL: &str = "['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']";
const COLOURS: &str = "{type: 'rule', values: ['color-contrast', 'link-in-text-block']}";

impl<'a> Rules<'a> {
    async fn of(b: &'a Browser, dark: bool) -> Self {
        let path = concat!(
            env!("CARGO_MANIFEST_DIR"),
            "/../../web/node_modules/axe-core/axe.min.js"
        );
        let source = std::fs::read_to_string(path).expect("axe-core is installed");
        let (run, least) = if dark { (COLOURS, 1) } else { (ALL, 7) };
        Self {
            b,
            source,
            run,
            least,
        }
    }

    /// None of them is broken by what is seen now.
    async fn hold_in(&self, what: &str) {
        self.hold(what, "document").await;
    }

    /// None of them is broken by what lies over the page.
    async fn hold_over_the_page(&self, what: &str) {
        self.hold(what, "'.v-overlay--active'").await;
    }

    async fn hold(&self, what: &str, part: &str) {
        self.b.script(&self.source).await;
        let run = self.run;
        let asked = format!("const done = arguments[arguments.length - 1];
            const runOnly = {run};
            axe.run({part}, {{ runOnly }}).then((found) => done({{
                passes: found.passes.length,
                broken: found.violations.flatMap((v) => v.nodes.map((n) => `${{v.id}}: ${{n.target.join(' ')}}`)),
            }}))");
        let found: Value = self
            .b
            .client
            .execute_async(&asked, Vec::new())
            .await
            .expect("axe-core answers");
        assert!(
            found["passes"].as_u64().expect("a number") >= self.least,
            "{what}: {found}"
        );
        assert_eq!(found["broken"], serde_json::json!([]), "{what}");
    }
}
