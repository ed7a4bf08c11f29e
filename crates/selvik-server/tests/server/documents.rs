//! The documents say what is true: their examples are written to files, and their commands are run.

use std::collections::BTreeMap;
use std::path::Path;
use std::process::Command;

use serde_json::Value;

const DOCUMENT: &str = include_str!("../../../../docs/cell-package.md");

/// A fenced block: what stands behind the fence, and its text.
struct Block {
    kind: String,
    text: String,
}

/// The worked examples: their headings and blocks.
fn examples() -> BTreeMap<usize, (String, Vec<Block>)> {
    let (_, worked) = DOCUMENT
        .split_once("## Worked examples")
        .expect("there are some");
    let mut examples = BTreeMap::new();
    for (at, section) in worked.split("\n### ").skip(1).enumerate() {
        let (heading, rest) = section.split_once('\n').expect("a heading");
        let fenced = rest.split("```").skip(1).step_by(2);
        let blocks = fenced.map(|block| {
            let (kind, text) = block.split_once('\n').expect("a kind");
            Block {
                kind: kind.trim().to_owned(),
                text: text.to_owned(),
            }
        });
        examples.insert(at, (heading.to_owned(), blocks.collect()));
    }
    examples
}

/// What stands in `more` goes into the lists of the same name; plain values take the place of what was there.
fn add(to: &mut Value, more: Value) {
    match (to, more) {
        (Value::Object(to), Value::Object(more)) => {
            for (key, value) in more {
                add(to.entry(key).or_insert(Value::Null), value);
            }
        }
        (Value::Array(to), Value::Array(more)) => to.extend(more),
        (to, more) => *to = more,
    }
}

/// Runs a command of the documents; every line that follows it must stand in what it says.
fn run(command: &str, said: &[&str], folder: &Path, heading: &str) {
    let words: Vec<&str> = command
        .trim_start_matches("selvik ")
        .split_whitespace()
        .collect();
    let ran = Command::new(env!("CARGO_BIN_EXE_selvik"))
        .args(words)
        .current_dir(folder)
        .output();
    let ran = ran.expect("it runs");
    let out = String::from_utf8_lossy(&ran.stdout);
    assert!(
        ran.status.success(),
        "{heading}: {command}: {}",
        String::from_utf8_lossy(&ran.stderr)
    );
    for line in said {
        assert!(
            out.contains(line.trim()),
            "{heading}: {command} does not say {line}\n{out}"
        );
    }
}

#[test]
fn the_worked_examples_do_what_is_said_of_them() {
    let examples = examples();
    assert_eq!(examples.len(), 5);
    let first: Value =
        serde_json::from_str(&examples[&0].1[0].text).expect("the first example is JSON");
    for (heading, blocks) in examples.values() {
        let folder = tempfile::tempdir().expect("a folder");
        let mut cell = first.clone();
        for block in blocks {
            match block.kind.split_once(' ') {
                Some(("json", "added")) => {
                    let mut more: Value = serde_json::from_str(&block.text).expect("JSON");
                    // A run plan is one thing.
                    if let Some(plan) = more.as_object_mut().expect("an object").remove("run_plan")
                    {
                        cell["run_plan"] = plan;
                    }
                    add(&mut cell, more);
                }
                Some((_, file)) => {
                    std::fs::write(folder.path().join(file), &block.text).expect("written")
                }
                None => {}
            }
        }
        std::fs::write(folder.path().join("cell.json"), cell.to_string()).expect("written");
        let commands: Vec<&Block> = blocks.iter().filter(|b| b.kind == "console").collect();
        assert!(!commands.is_empty(), "{heading} is not checked");
        for block in commands {
            let (mut command, mut said) = (None, Vec::new());
            for line in block.text.lines().chain(["$ "]) {
                match line.strip_prefix("$ ") {
                    Some(next) => {
                        if let Some(command) = command.replace(next.to_owned()) {
                            run(&command, &said, folder.path(), heading);
                        }
                        said.clear();
                    }
                    None => said.push(line),
                }
            }
        }
    }
}
