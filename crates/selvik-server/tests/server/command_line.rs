//! The command line, as a person or a script uses it.

use std::path::Path;
use std::process::Command;

use crate::support::{cluster, small_cell};
use rstest::rstest;
use selvik_formats::PackageFiles;
use serde_json::{Value, json};

/// Runs `selvik`: its exit code, what it says, and what it complains of.
fn run(args: &[&str]) -> (Option<i32>, String, String) {
    let output = Command::new(env!("CARGO_BIN_EXE_selvik"))
        .args(args)
        .output()
        .expect("it runs");
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (
        output.status.code(),
        text(&output.stdout),
        text(&output.stderr),
    )
}

fn path(of: &Path) -> &str {
    of.to_str().expect("a path")
}

#[test]
fn the_command_line_checks_queries_and_refuses() {
    let folder = tempfile::tempdir().expect("a folder");
    crate::support::demo()
        .to_folder(folder.path())
        .expect("written");
    let package = folder.path().to_str().expect("a path");
    let (code, out, _) = run(&["check", package, "--json"]);
    let checked: Value = serde_json::from_str(&out).expect("JSON");
    assert_eq!(code, Some(1));
    assert_eq!(checked["verdict"], "broken");
    assert!(checked["caveats"].as_array().is_some_and(|c| !c.is_empty()));
    let (code, out, _) = run(&[
        "query",
        package,
        "inverse",
        "--robot",
        "r1",
        "--tcp",
        "tcp-nozzle",
        "--xyz-mm",
        "700,100,1100",
        "--rpy-deg",
        "180,0,0",
    ]);
    assert_eq!(code, Some(0));
    let solutions: Value = serde_json::from_str(&out).expect("JSON");
    let first = &solutions["solutions"][0]["joints_deg_or_mm"];
    let mut args = vec!["query".to_owned(), package.to_owned(), "poses".to_owned()];
    for (joint, value) in first.as_object().expect("joints") {
        args.extend(["--joint".to_owned(), format!("{joint}={value}")]);
    }
    let (_, out, _) = run(&args.iter().map(String::as_str).collect::<Vec<_>>());
    let poses: Value = serde_json::from_str(&out).expect("JSON");
    let xyz = &poses["items"]["tcp-nozzle"]["xyz_mm"];
    // Joint values, path times and the document itself are taken everywhere; who has read enough may go.
    let document = folder.path().join("cell.json");
    let (code, out, error) = run(&[
        "query",
        document.to_str().expect("a path"),
        "distance",
        "r1",
        "rack",
        "--at-s",
        "3",
        "--joint",
        "r1/joint_1=-20",
    ]);
    assert!(code == Some(0) && out.contains("distance_mm"), "{error}");
    let pipe = format!(
        "{} query {package} poses | head -c 1",
        env!("CARGO_BIN_EXE_selvik")
    );
    let piped = Command::new("bash")
        .args(["-o", "pipefail", "-c", &pipe])
        .output()
        .expect("it runs");
    assert!(
        piped.status.success() && piped.stderr.is_empty(),
        "{piped:?}"
    );
    let near = |i: usize, x: f64| (xyz[i].as_f64().expect("a number") - x).abs() < 1e-6;
    assert!(near(0, 700.0) && near(1, 100.0) && near(2, 1100.0), "{xyz}");
    let (code, out, _) = run(&["query", package, "distance", "rack", "cabinet"]);
    assert!(code == Some(0) && out.contains("distance_mm"));
    let (code, _, error) = run(&["query", package, "distance", "rack", "moon"]);
    assert!(
        code == Some(2) && error.contains("no item \"moon\""),
        "{error}"
    );
    // Without a rule nothing is certified: exit code 3.
    let bare = tempfile::tempdir().expect("a folder");
    let cell = json!({ "format": "selvik-cell/1", "name": "Bare", "items": [] });
    std::fs::write(bare.path().join("cell.json"), cell.to_string()).expect("written");
    let (code, out, _) = run(&["check", bare.path().to_str().expect("a path")]);
    assert!(
        code == Some(3)
            && out.contains("the cell has no rule")
            && out.contains("not everything is certified"),
        "{out}"
    );
    let (code, _, error) = run(&["check", "/nowhere.zip"]);
    assert!(code == Some(2) && error.contains("nowhere.zip"), "{error}");
}

#[test]
fn a_package_goes_into_the_database_and_comes_out_again() {
    let database = cluster::database();
    let folder = tempfile::tempdir().expect("a folder");
    let package = folder.path().join("small");
    small_cell().to_folder(&package).expect("written");

    // Nothing but what serves makes tables.
    let (code, _, error) = run(&["import", path(&package), "--database", &database]);
    assert!(
        code == Some(2) && error.contains("selvik migrate"),
        "{error}"
    );
    let (code, _, error) = run(&["migrate", "--database", &database]);
    assert_eq!((code, error.as_str()), (Some(0), ""));

    let (code, id, error) = run(&["import", path(&package), "--database", &database]);
    assert_eq!(code, Some(0), "{error}");
    let (_, again, _) = run(&[
        "import",
        path(&package),
        "--unless-present",
        "--database",
        &database,
    ]);
    assert_eq!(again, id, "it is there already");
    let (zip, out) = (folder.path().join("out.zip"), folder.path().join("out"));
    for (cell, to) in [(id.trim(), &zip), ("Small cell", &out)] {
        let (code, _, error) = run(&["export", cell, path(to), "--database", &database]);
        assert_eq!(code, Some(0), "{error}");
    }
    let there = PackageFiles::from_folder(&out).expect("readable");
    assert_eq!(
        PackageFiles::from_zip(&std::fs::read(&zip).expect("a zip")).expect("readable"),
        there
    );
    let document = |files| selvik_cell::document::read_document(files).expect("readable");
    assert_eq!(document(&there), document(&small_cell()));

    let (code, _, error) = run(&["export", "Moon", path(&zip), "--database", &database]);
    assert!(
        code == Some(2) && error.contains("no cell \"Moon\""),
        "{error}"
    );
    let (code, version, _) = run(&["--version"]);
    assert_eq!(
        (code, version.trim()),
        (Some(0), concat!("selvik ", env!("CARGO_PKG_VERSION")))
    );
}

/// An arm of one joint on a frame, with what is given put in its place.
fn arm(change: impl FnOnce(&mut Value)) -> tempfile::TempDir {
    let mut cell = json!({
        "format": "selvik-cell/1", "name": "Arm", "items": [
            { "id": "arm", "name": "Arm", "role": "robot", "mechanism": { "from": { "dh": { "convention": "standard",
                "rows": [{ "joint": "turn", "a_mm": 400, "limits_deg_or_mm": [-90, 90], "velocity_deg_or_mm_s": 90 }] } } } },
            { "id": "tcp", "name": "TCP", "role": "frame", "frame_kind": "tcp", "parent": "arm", "on_link": "flange" },
            { "id": "other", "name": "Other", "role": "robot", "mechanism": { "from": { "dh": { "convention": "standard",
                "rows": [{ "joint": "turn", "a_mm": 400, "limits_deg_or_mm": [-90, 90], "velocity_deg_or_mm_s": 90 }] } } } },
        ],
        "programs": [{ "id": "p", "name": "P", "robot": "arm", "tcp": "tcp", "moves": [
            { "move": "joint", "joints_deg_or_mm": [45], "speed_percent": 50 },
        ] }],
        "run_plan": { "lanes": [{ "programs": ["p"] }] },
    });
    change(&mut cell);
    let folder = tempfile::tempdir().expect("a folder");
    std::fs::write(folder.path().join("cell.json"), cell.to_string()).expect("written");
    folder
}

/// What is wrong, where, and what to do: read aloud.
#[rstest]
#[case::a_posture_in_words(
    |c: &mut Value| c["programs"][0]["moves"][0]["posture"] = json!("elbow up"),
    &["cell.json, programs[0].moves[0].posture: invalid type: string \"elbow up\", expected a posture: {\"front\": true"]
)]
#[case::a_tcp_of_another_robot(
    |c: &mut Value| c["programs"][0]["robot"] = json!("other"),
    &["cell.json, program \"p\": \"tcp\" does not hang on a moving link of \"other\"; name a TCP that this robot carries"]
)]
#[case::a_rest_beyond_the_limit(
    |c: &mut Value| c["items"][0]["mechanism"]["rest_deg_or_mm"] = json!({ "turn": 100 }),
    &["joint \"arm/turn\" is at 100.000°, but goes from -90.000° to 90.000° only"]
)]
#[case::a_move_beyond_the_limit(
    |c: &mut Value| c["programs"][0]["moves"][0]["joints_deg_or_mm"] = json!([100]),
    &["program \"P\", move 1 (joint move to joint values): joint turn would be at 100.00°, 10.00° beyond its limit of 90.00°"]
)]
#[case::a_speed_as_a_word(
    |c: &mut Value| c["programs"][0]["moves"][0]["speed_percent"] = json!("fast"),
    &["cell.json, programs[0].moves[0].speed_percent: invalid type: string \"fast\", expected f64"]
)]
#[case::all_mistakes_at_once(
    |c: &mut Value| {
        c["programs"][0]["moves"] = json!([
            { "move": "linear", "to": "nowhere", "speed_mm_s": 100 },
            { "move": "joint", "joints_deg_or_mm": [0], "speed_percent": 200 },
        ]);
        c["rules"] = json!([{ "id": "r", "name": "R", "between": ["moon"], "and": [], "required_mm": 10, "tight_below_mm": 20 }]);
        c["opening_view"] = json!("front");
    },
    &[
        "program \"p\" moves[0]: there is no target \"nowhere\"",
        "program \"p\" moves[1]: speed_percent must be above 0 and at most 100",
        "rule \"r\": there is no item \"moon\"",
        "opening_view: there is no view \"front\"",
    ]
)]
#[case::a_name_that_cannot_be_shown(
    |c: &mut Value| c["items"][1]["name"] = json!("T\u{0}CP"),
    &["cell.json, items[1].name: holds the control character U+0000; take it out"]
)]
#[case::a_file_that_is_not_there(
    |c: &mut Value| c["programs"][0]["targets_csv"] = json!("targets.csv"),
    &["targets.csv: is not in the package, but program \"p\" needs it"]
)]
#[case::an_unknown_key(
    |c: &mut Value| c["items"][0]["colour_of"] = json!("red"),
    &["cell.json, items[0].colour_of: unknown field `colour_of`, expected one of `id`, `name`"]
)]
fn refusals_say_what_where_and_what_to_do(#[case] change: fn(&mut Value), #[case] says: &[&str]) {
    let folder = arm(change);
    let (code, _, error) = run(&["check", path(folder.path())]);
    assert_eq!(code, Some(2), "{error}");
    for sentence in says {
        assert!(
            error.contains(sentence),
            "{error}\ndoes not say\n{sentence}"
        );
    }
    assert_eq!(
        error.trim().lines().count(),
        says.len(),
        "each mistake once: {error}"
    );
}

/// What build servers read: a file of rows, a case a rule, and what got worse since an earlier check.
#[test]
fn a_check_is_told_to_build_servers_and_fails_on_what_got_worse() {
    let folder = tempfile::tempdir().expect("a folder");
    let package = folder.path().join("demo");
    crate::support::demo().to_folder(&package).expect("written");
    let package = path(&package);
    let file = |name: &str| path(&folder.path().join(name)).to_owned();
    let (csv, junit) = (file("found.csv"), file("found.xml"));
    let args = [
        "check", package, "--json", "--jobs", "2", "--csv", &csv, "--junit", &junit,
    ];
    let (code, out, error) = run(&args);
    assert_eq!(code, Some(1), "{error}");
    let checked: Value = serde_json::from_str(&out).expect("JSON");

    let rows = std::fs::read_to_string(&csv).expect("rows");
    let list = |path: &str| {
        checked
            .pointer(path)
            .and_then(Value::as_array)
            .expect("a list")
    };
    let (pairs, targets) = (list("/clearance/pairs"), list("/reach/rows"));
    assert_eq!(rows.lines().count(), 1 + pairs.len() + targets.len());
    assert!(
        rows.contains("Nozzle bracket,Clamp A2,broken,10,"),
        "{}",
        &rows[..600]
    );

    let text = std::fs::read_to_string(&junit).expect("cases");
    let suite = roxmltree::Document::parse(&text).expect("XML");
    let suite = suite.root_element();
    let cases: Vec<_> = suite
        .children()
        .filter(|n| n.has_tag_name("testcase"))
        .collect();
    // A case a rule, and one for the reach.
    assert_eq!(cases.len(), list("/clearance/rules").len() + 1);
    let failed = |case: &roxmltree::Node| case.children().any(|n| n.has_tag_name("failure"));
    let broken = list("/clearance/rules")
        .iter()
        .filter(|r| r["verdict"] == "broken")
        .count();
    let reach = usize::from(checked["reach"]["verdict"] == "broken");
    assert_eq!(cases.iter().filter(|c| failed(c)).count(), broken + reach);
    assert_eq!(
        suite.attribute("failures"),
        Some(&*(broken + reach).to_string())
    );
    assert!(text.contains("Nozzle bracket – Clamp A2: 4.2"), "{text}");

    // Beside itself nothing is worse, though rules are broken.
    let before = file("earlier.json");
    std::fs::write(&before, &out).expect("written");
    let (code, out, error) = run(&["check", package, "--against", &before]);
    assert!(
        code == Some(0) && out.contains("nothing changed"),
        "{out} {error}"
    );
    // Beside a time when the worst pair met its rule, and one pair was not there.
    let mut was = checked.clone();
    let listed = was["clearance"]["pairs"].as_array_mut().expect("pairs");
    let at = |item: &str| {
        let of = |p: &Value| p["a"]["item"] == "nozzle-bracket" && p["b"]["item"] == item;
        pairs.iter().position(of).expect("that pair")
    };
    listed[at("clamp-a2")]["verdict"] = json!("meets");
    listed[at("clamp-a1")]["lower_mm"] = json!(9.0);
    listed[at("clamp-a1")]["attained_mm"] = json!(9.1);
    std::fs::write(&before, was.to_string()).expect("written");
    let (code, out, _) = run(&["check", package, "--against", &before]);
    assert_eq!(code, Some(1));
    let told = |word: &str, of: &str| {
        let line = |l: &&str| l.trim_start().starts_with(word) && l.contains(of);
        out.lines().any(|l| line(&l))
    };
    assert!(
        told("WORSE", "Clamp A2") && told("better", "Clamp A1"),
        "{out}"
    );

    // No time, no certainty; and nothing is said to hold that was not looked at.
    let (code, out, _) = run(&[
        "check",
        package,
        "--json",
        "--time-limit",
        "0.000001",
        "--jobs",
        "1",
    ]);
    let checked: Value = serde_json::from_str(&out).expect("JSON");
    assert!(code == Some(3) || code == Some(1), "{code:?}");
    assert_eq!(checked["clearance"]["complete"], false);
    let rules = checked["clearance"]["rules"].as_array().expect("rules");
    assert!(
        rules
            .iter()
            .all(|r| r["verdict"] == "not_certified" || r["verdict"] == "broken")
    );
    assert!(out.contains("were not looked at"), "{rules:?}");
    for (args, says) in [
        (["--time-limit", "0"], "above 0"),
        (["--against", "nowhere.json"], "nowhere.json"),
        (["--against", &csv], "make it anew"),
        (["--jobs", "0"], "at least"),
    ] {
        let (code, _, error) = run(&["check", package, args[0], args[1]]);
        assert!(code == Some(2) && error.contains(says), "{args:?} {error}");
    }
}
